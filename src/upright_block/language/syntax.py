"""The syntax tree: what was written, with places, before any name is looked up.

``start`` and ``end`` are character offsets into the source. IEC 61131-3:2013, clause 7.3
(Structured Text) and 6.5, 6.6 (variables and program organisation units).
"""

from __future__ import annotations

from collections.abc import Iterator

from upright_block.language.field.addresses import Address
from upright_block.language.nodes import node
from upright_block.language.telling.allowing import Allowance


@node
class Node:
    start: int
    end: int


@node
class Span(Node):
    """The text of a body, or of the condition of a transition, with all that stands around it; whether it is rungs."""

    is_ladder: bool = False


NO_PLACE = Node(0, 0)
"""Where nothing is written."""


# --- expressions (7.3.2) ---


@node
class Expression(Node):
    pass


@node
class Literal(Expression):
    """``kind`` is int, real, typed, string, bool; ``text`` is as written."""

    kind: str
    text: str


@node
class Name(Expression):
    name: str


@node
class Member(Expression):
    """``base.name``; ``name_start`` is where the name begins."""

    base: Expression
    name: str
    name_start: int


@node
class MadeName(Name):
    """A name that nobody wrote; its place is that of what it was made for."""


@node
class MadeMember(Member):
    """A member that nobody wrote."""


@node
class Index(Expression):
    """``base[i, j]``"""

    base: Expression
    indices: tuple[Expression, ...]


@node
class Dereference(Expression):
    """``base^``"""

    base: Expression


@node
class DirectAddress(Expression):
    """``%IX0.3`` in place of a variable (6.5.5.2); ``held`` is the type of the tag that stands there, if one does."""

    address: Address
    held: object = None


@node
class Part(Expression):
    """A bit, byte or word of a bit string: ``base.3``, ``base.%B1``; ``size`` is X, B, W, D or L (7.3.2, table 17)."""

    base: Expression
    size: str
    number: int
    part_start: int


@node
class Unary(Expression):
    operator: str
    operand: Expression


@node
class Binary(Expression):
    operator: str
    left: Expression
    right: Expression
    operator_start: int


@node
class TypedCompare(Binary):
    """A comparison of two values of a type that is written, as a contact of a ladder has it."""

    type: TypeName


@node
class Argument(Node):
    """One argument: positional (no name), formal input ``name := value`` or output ``name => value``."""

    name: str
    value: Expression
    output: bool
    negated: bool


@node
class WiredArgument(Argument):
    """What a cell gives to the pin of its column; the name of the pin stands at ``head_start``."""

    head_start: int
    head_end: int


@node
class Call(Expression):
    callee: Expression
    arguments: tuple[Argument, ...]


@node
class BoxCall(Call):
    """A call as a box of a ladder: the name that stands in it, and those of its pins that nothing is linked to."""

    box: Name
    labels: tuple[Name, ...]


@node
class ArrayItem(Node):
    """One initial value of an array, or ``repeat(values)``; no value is the initial value of the element."""

    repeat: Expression | None
    values: tuple[Expression, ...]


@node
class ArrayValue(Expression):
    """``[1, 3(0)]`` as an initial value."""

    items: tuple[ArrayItem, ...]


@node
class FieldValue(Node):
    """``name := value`` in the initial value of a structure or an instance; ``end`` is that of the name."""

    name: str
    value: Expression


@node
class StructureValue(Expression):
    """``(x := 1, y := 2)`` as an initial value."""

    fields: tuple[FieldValue, ...]


# --- statements (7.3.3) ---


@node
class Statement(Node):
    pass


@node
class Made(Statement):
    """A statement that nobody wrote: it was made for what stands at its place, such as a step or EN.

    Some say what they do there, by ``role``: that a ``step`` begins, that a ``transition`` clears, that a call is an
    ``enable`` d one, or a unit a ``disable`` d one; ``name`` is that of the step or the transition.
    """

    statement: Statement | None = None
    role: str = ""
    name: str = ""


@node
class Assignment(Statement):
    target: Expression
    value: Expression


@node
class CallStatement(Statement):
    call: Call


@node
class Branch(Node):
    """IF or ELSIF with its condition; ``end`` is the end of the condition."""

    condition: Expression
    body: tuple[Statement, ...]


@node
class If(Statement):
    branches: tuple[Branch, ...]
    otherwise: tuple[Statement, ...] | None


@node
class Label(Node):
    """A label of a CASE: one value, or a range when ``high`` is given."""

    low: Expression
    high: Expression | None


@node
class Arm(Node):
    labels: tuple[Label, ...]
    body: tuple[Statement, ...]


@node
class Case(Statement):
    selector: Expression
    arms: tuple[Arm, ...]
    otherwise: tuple[Statement, ...] | None


@node
class For(Statement):
    variable: Expression
    first: Expression
    last: Expression
    step: Expression | None
    body: tuple[Statement, ...]


@node
class While(Statement):
    condition: Expression
    body: tuple[Statement, ...]


@node
class Repeat(Statement):
    body: tuple[Statement, ...]
    condition: Expression


@node
class Exit(Statement):
    pass


@node
class Continue(Statement):
    pass


@node
class Return(Statement):
    pass


def is_made(node: Node) -> bool:
    """Whether something was made on the way, for what stands at its place."""
    return isinstance(node, (Made, MadeName, MadeMember))


# --- types (6.4) ---


@node
class TypeSpec(Node):
    """What stands for a type in a declaration."""


@node
class TypeName(TypeSpec):
    name: str


@node
class StringSpec(TypeSpec):
    """``STRING[n]``; ``name`` is STRING or WSTRING."""

    name: str
    length: Expression


@node
class SubrangeSpec(TypeSpec):
    base: TypeName
    low: Expression
    high: Expression


@node
class ArraySpec(TypeSpec):
    """``ARRAY [0..9, 1..3] OF INT``; of ``ARRAY [*, *] OF INT`` the ``stars`` are counted."""

    bounds: tuple[tuple[Expression, Expression], ...]
    element: TypeSpec
    stars: int = 0


@node
class ResultOf(TypeSpec):
    """The type of what an expression gives, as a row of a wiring table has it."""

    value: Expression


@node
class ReferenceSpec(TypeSpec):
    target: TypeSpec


@node
class EnumerationMember(Node):
    name: str
    value: Expression | None


@node
class EnumerationSpec(TypeSpec):
    base: TypeName | None
    members: tuple[EnumerationMember, ...]


@node
class StructureSpec(TypeSpec):
    fields: tuple[Declaration, ...]


# --- declarations (6.5, 6.6) ---


@node
class Home:
    """Where a declaration stands (6.9): its namespace with points, and those that it uses."""

    namespace: str
    using: tuple[str, ...]

    def keys(self, name: str) -> list[str]:
        """The keys that a name in upper case may stand for here, the nearest first."""
        found: list[str] = []
        around = self.namespace.upper()
        while around:
            found.append(f"{around}.{name}")
            around = around.rpartition(".")[0]
        return [*found, *(f"{used.upper()}.{name}" for used in self.using), name]

    def full(self, name: str) -> str:
        """The full name of what is declared here by a name."""
        return f"{self.namespace}.{name}" if self.namespace else name


NOWHERE = Home("", ())


@node
class Declaration(Node):
    """``name AT address : type := initial;`` with the comment that follows it on its line.

    ``edge`` is R_EDGE or F_EDGE where it is written.
    """

    name: str
    type: TypeSpec
    initial: Expression | None
    comment: str
    address: str
    edge: str = ""


@node
class TypeDeclaration(Node):
    """One type of a TYPE section; ``start`` and ``end`` are those of its name."""

    name: str
    spec: TypeSpec
    initial: Expression | None
    comment: str
    home: Home


@node
class VariableSection(Node):
    """``section`` is the keyword (``VAR_INPUT``); ``qualifiers`` are CONSTANT, RETAIN and kin."""

    section: str
    qualifiers: tuple[str, ...]
    declarations: tuple[Declaration, ...]


@node
class Association(Node):
    """An action in a step, with its qualifier (6.7.4)."""

    name: str
    qualifier: str
    time: Expression | None


@node
class Step(Node):
    name: str
    is_initial: bool
    associations: tuple[Association, ...]
    comment: str


@node
class Transition(Node):
    """``end`` is that of the steps it leads to; a ``priority`` of 0 is none. ``written`` begins there."""

    name: str
    priority: int
    sources: tuple[Name, ...]
    targets: tuple[Name, ...]
    condition: Expression
    written: Span


@node
class Action(Node):
    name: str
    body: tuple[Statement, ...]
    written: Span


@node
class Sequence(Node):
    """A body of steps (6.7); it is not whole where a part of it could not be read."""

    steps: tuple[Step, ...]
    transitions: tuple[Transition, ...]
    actions: tuple[Action, ...]
    is_whole: bool


@node
class Unit(Node):
    """A FUNCTION, FUNCTION_BLOCK, PROGRAM, CLASS, INTERFACE or METHOD; ``start`` and ``end`` are those of its name.

    ``qualifiers`` are ABSTRACT, FINAL, OVERRIDE and the access (6.6.5). ``written`` is where its body stands, ``whole``
    all of it from the keyword that begins it to the one that ends it.
    """

    kind: str
    name: str
    result: TypeSpec | None
    sections: tuple[VariableSection, ...]
    body: tuple[Statement, ...]
    comment: str
    qualifiers: tuple[str, ...] = ()
    bases: tuple[TypeName, ...] = ()
    interfaces: tuple[TypeName, ...] = ()
    methods: tuple[Unit, ...] = ()
    sequence: Sequence | None = None
    home: Home = NOWHERE
    written: Span = Span(0, 0)
    whole: Node = NO_PLACE


@node
class Task(Node):
    """TASK with its INTERVAL or SINGLE, and its PRIORITY (6.8.2)."""

    name: str
    interval: Expression | None
    single: Expression | None
    priority: Expression | None


@node
class ProgramInstance(Node):
    """``PROGRAM name WITH task : type;`` with RETAIN or NON_RETAIN in ``retain``, where one is written."""

    name: str
    task: Name | None
    type: TypeName
    arguments: tuple[Argument, ...] = ()
    retain: str = ""


@node
class InstanceSetting(Node):
    """``path AT address : type := initial;`` of VAR_CONFIG (6.8.1): what one instance has."""

    path: tuple[Name, ...]
    address: str
    type: TypeSpec
    initial: Expression | None


@node
class AccessPath(Node):
    """``name : path : type READ_WRITE;`` of VAR_ACCESS (6.8.1): a name for a variable from outside."""

    name: str
    path: Expression
    type: TypeSpec
    is_writable: bool


@node
class Configuration(Node):
    name: str
    tasks: tuple[Task, ...]
    programs: tuple[ProgramInstance, ...]
    globals: tuple[VariableSection, ...]
    resources: tuple[str, ...] = ()
    settings: tuple[InstanceSetting, ...] = ()
    accesses: tuple[AccessPath, ...] = ()
    is_whole: bool = True


@node
class File:
    """What one source declares, and what it allows besides its comments."""

    units: tuple[Unit, ...]
    types: tuple[TypeDeclaration, ...] = ()
    globals: tuple[VariableSection, ...] = ()
    configurations: tuple[Configuration, ...] = ()
    allowances: tuple[Allowance, ...] = ()


def within(node: object) -> Iterator[Node]:
    """A node, or those of a tuple, with all that lies in it, in the order in which it is written."""
    waiting = [node]
    while waiting:
        part = waiting.pop()
        if isinstance(part, tuple):
            waiting += part[::-1]
        elif isinstance(part, (Node, File)):
            if isinstance(part, Node):
                yield part
            waiting += [getattr(part, field) for field in reversed(type(part).__match_args__)]
