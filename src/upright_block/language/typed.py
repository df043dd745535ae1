"""The typed tree: what the program means, once every name and type is known.

It holds no mistakes: the checker builds a unit's body only where it found none, and the compiler
relies on that. Conversions are explicit nodes. ``origin`` is the syntax that a statement, a branch or an access
comes from; of one that was made on the way it is what it was made for, see `syntax.is_made`. ``start`` is the
offset of the source text that a fault is reported at.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

from upright_block.language import syntax
from upright_block.language.literals import Value
from upright_block.language.nodes import Side, fresh, node, record, state
from upright_block.language.source import Source
from upright_block.language.timebase import Timebase
from upright_block.language.types import BROKEN, Array, Elementary, OpenArray, String, Type

Section = Literal["input", "output", "in_out", "private", "temp", "external", "global", "result", "field", "this"]
UnitKind = Literal["FUNCTION_BLOCK", "FUNCTION", "PROGRAM", "CLASS", "INTERFACE", "METHOD", "CONFIGURATION"]
_Node = syntax.Node
Visibility = Literal["PUBLIC", "PROTECTED", "PRIVATE", "INTERNAL"]

Initial = Value | tuple["Initial", ...] | dict[str, "Initial"] | None
"""An initial value: of an array one for each element, of a structure or an instance those fields that
differ from their own; None is that of the type."""


@state
class Variable:
    """A declared variable of a unit, a field of a structure, or a global variable.

    ``is_folded`` says that the value of this constant went into something decided before the run,
    such as a CASE label or another initial value. ``shared`` is the global that an external one is.
    ``has_initial`` says that an initial value is written in its declaration. ``source`` is that of a global variable.
    ``retain`` says that it keeps its value over a loss of power, or does not; None where it is as what holds it.
    """

    name: str
    section: Section
    type: Type
    initial: Initial = None
    comment: str = ""
    start: int = 0
    end: int = 0
    constant: bool = False
    is_folded: bool = False
    address: str = ""
    shared: Variable | None = None
    access: Visibility = "PROTECTED"
    has_initial: bool = False
    source: Source | None = None
    retain: bool | None = None

    @property
    def key(self) -> str:
        return self.name.upper()

    @property
    def is_hidden(self) -> bool:
        """Whether no text can name it, since it was made on the way."""
        return ":" in self.name or self.name.startswith("%")

    @property
    def is_area(self) -> bool:
        """Whether it is the memory of points: the bytes of ``%I``, ``%Q`` or ``%M``."""
        return self.name in ("%I", "%Q", "%M")

    @property
    def is_code(self) -> bool:
        """Whether it is a constant, which is part of the code and has no place in any data."""
        return self.constant


class Compound(Type):
    """A type that has variables of its own: a structure, a block, or all globals together.

    ``kept`` is what later stages found out about it, each in a table of its own, see `Side`; it lives as long as this
    does.
    """

    __slots__ = ()
    name: str
    variables: dict[str, Variable]
    kept: dict[Side[Any, Any], Any]


@state
class Structure(Compound):
    """STRUCT (6.4.4.6), or with ``is_globals`` all global variables of a library.

    ``depth`` counts the levels of structures in it, its own included.
    """

    name: str
    source: Source
    comment: str = ""
    variables: dict[str, Variable] = fresh(default_factory=dict)
    is_globals: bool = False
    depth: int = 1
    kept: dict[Side[Any, Any], Any] = fresh(default_factory=dict)


@state
class UnitUse:
    """That a unit contains or calls another: where it does so first, and how many calls are written."""

    start: int
    end: int
    calls: int


@state
class Unit(Compound):
    """A function block, a program or a function: interface, and body once checked.

    As the type of a variable a function block means an instance of it. ``body`` is None while
    unchecked and when the unit has errors. ``wraps`` is the function that a block was made for to
    be run by itself. ``shares`` are all global variables, where its body names one.
    ``addressed`` are the places whose address its body hands on. ``uses`` are the units that it contains or
    calls, ``used`` says where and how often; ``cost`` is how many calls one call of it makes at the most, its loops
    not counted. ``refers`` are the blocks of which it has instances by reference only.

    ``methods`` are those that it declares itself, ``owner`` is the unit that a method belongs to. ``number``
    tells the units of one run apart where a call goes by the kind of the instance; 0 needs no telling.
    ``edges`` are the detectors of inputs of which the body sees the edge, by the key of the input.
    ``virtual_uses`` are the keys of methods, and of blocks, that it calls by the kind of the instance.
    ``tasks`` are those of a configuration, ``timebase`` its moments where an interval tells. ``located`` are the
    addresses of its variables AT a point, by their keys.
    """

    kind: UnitKind
    name: str
    source: Source
    syntax: syntax.Unit
    comment: str
    variables: dict[str, Variable] = fresh(default_factory=dict)
    result: Variable | None = None
    body: tuple[Statement, ...] | None = None
    uses: dict[str, Unit] = fresh(default_factory=dict)
    used: dict[str, UnitUse] = fresh(default_factory=dict)
    cost: int = 1
    refers: dict[str, Unit] = fresh(default_factory=dict)
    is_broken: bool = False
    has_mistakes: bool = False
    is_standard: bool = False
    wraps: Unit | None = None
    shares: Structure | None = None
    addressed: list[Place] = fresh(default_factory=list)
    base: Unit | None = None
    interfaces: list[Unit] = fresh(default_factory=list)
    methods: dict[str, Unit] = fresh(default_factory=dict)
    owner: Unit | None = None
    access: Visibility = "PROTECTED"
    number: int = 0
    works_on_itself: bool = False
    virtual_uses: dict[str, None] = fresh(default_factory=dict)
    edges: dict[str, Variable] = fresh(default_factory=dict)
    tasks: tuple[Task, ...] = ()
    timebase: Timebase | None = None
    located: dict[str, Any] = fresh(default_factory=dict)
    kept: dict[Side[Any, Any], Any] = fresh(default_factory=dict)
    _this: Variable | None = None

    def use(self, unit: Unit, node: _Node, calls: int = 1) -> None:
        """Note that this unit contains or calls another."""
        self.uses[unit.key] = unit
        known = self.used.setdefault(unit.key, UnitUse(node.start, node.end, 0))
        known.calls += calls

    @property
    def key(self) -> str:
        """The name by which the unit is found; a block made around a function has one of its own."""
        own = self.name.upper() + (".CALL" if self.wraps else "")
        return f"{self.owner.key}.{own}" if self.owner else self.syntax.home.full(own).upper()

    @property
    def full_name(self) -> str:
        """The name with its namespace."""
        return self.syntax.home.full(self.name)

    @property
    def this(self) -> Variable:
        """The instance at hand, in the body of the unit or of a method of it."""
        if self._this is None:
            self._this = Variable("THIS", "this", self)
        return self._this

    @property
    def ancestors(self) -> list[Unit]:
        """The unit, what it extends, and so on."""
        found: dict[Unit, None] = {}
        unit: Unit | None = self
        while unit is not None and unit not in found:
            found[unit] = None
            unit = unit.base
        return list(found)

    @property
    def roles(self) -> list[Unit]:
        """The units that instances can stand for: the unit itself, what it extends and what it implements."""
        found: dict[Unit, None] = {self: None}
        waiting = [self]
        while waiting:
            unit = waiting.pop()
            for above in (*unit.interfaces, *([unit.base] if unit.base else [])):
                if above not in found:
                    found[above] = None
                    waiting.append(above)
        return list(found)

    def is_a(self, other: Unit) -> bool:
        """Whether instances can stand where ones of ``other`` are wanted (6.6.5.5, 6.6.6)."""
        return other in self.roles

    def method(self, name: str) -> Unit | None:
        """The method of a name in upper case: its own, or an inherited one."""
        for unit in self.ancestors:
            found = unit.methods.get(name) or next(
                (m for i in unit.interfaces if unit.kind == "INTERFACE" and (m := i.method(name))), None
            )
            if found is not None:
                return found
        return None

    def has(self, qualifier: str) -> bool:
        """Whether a qualifier such as ABSTRACT is written."""
        return qualifier in self.syntax.qualifiers

    @property
    def is_wired(self) -> bool:
        """Whether it is a wiring table."""
        return self.source.form == "table" and self.is_written

    @property
    def is_of_the_standard(self) -> bool:
        """Whether it is one of IEC 61131-3, or helps with its sequences."""
        return self.is_standard and not self.is_stand_in

    @property
    def is_stand_in(self) -> bool:
        """Whether it ships to stand in for a machine."""
        return self.is_standard and self.source.path.startswith("stand-ins/")

    @property
    def is_written(self) -> bool:
        """Whether it stands in a text; the configuration of a library that has none does not."""
        return self.syntax.end > 0

    @property
    def keeps_data(self) -> bool:
        """Whether it has instances with data of their own."""
        return self.kind not in ("FUNCTION", "METHOD")

    def section(self, section: Section) -> list[Variable]:
        """The variables of one section, in the order of their declaration."""
        return [v for v in self.variables.values() if v.section == section]

    @property
    def positional(self) -> list[Variable]:
        """The pins that take positional arguments (6.6.1.4.2)."""
        return [v for v in self.variables.values() if v.section in ("input", "in_out", "output")]


@record
class Task:
    """A task of a configuration with the instances of programs in it (6.8.2).

    ``interval`` is in ns; a task without one runs when ``single`` rises. A ``priority`` of 0 is the highest.
    """

    name: str
    interval: int | None
    single: Expression | None
    priority: int
    programs: tuple[Variable, ...]
    written: syntax.Task


def closure(root: Unit) -> list[Unit]:
    """The unit and all that it uses, each once."""
    found = {root: None}
    waiting = [root]
    while waiting:
        for used in waiting.pop().uses.values():
            if used not in found:
                found[used] = None
                waiting.append(used)
    return list(found)


def default_of(type_: Type) -> Initial:
    """The initial value of a type where none is written (table 10)."""
    if isinstance(type_, String):
        return ""
    return type_.default if isinstance(type_, Elementary) and type_ is not BROKEN else None


# --- places ---


@node
class Member:
    """To a variable of an instance or a structure."""

    owner: Compound
    variable: Variable


@node
class Element:
    """To an element of an array, or to a character of a text; each index is of an integer type."""

    array: Array | OpenArray | String
    indices: tuple[Expression, ...]
    start: int


@node
class Target:
    """To what a reference refers to."""

    start: int


@node
class Bound:
    """To the low or high index of a dimension, counted from 0, of an array of any bounds."""

    dimension: int
    is_high: bool


Step = Member | Element | Target | Bound


@node
class Place:
    """Where a value lies: ``steps`` lead from a variable of the unit, or a global, to it.

    A place of elementary type holds a value; one of another type is worked on by its address.
    """

    root: Variable
    steps: tuple[Step, ...]
    type: Type
    origin: syntax.Node

    @property
    def is_exact(self) -> bool:
        """Whether an instance here is one of the very unit that its type says, and of none that extends it."""
        if self.steps:
            return isinstance(self.steps[-1], (Member, Element))
        return self.root.section not in ("in_out", "this")

    @property
    def is_plain(self) -> bool:
        """Whether it is an elementary variable of the unit itself."""
        return (
            not self.steps
            and isinstance(self.type, Elementary)
            and self.root.section not in ("in_out", "external", "global", "this")
        )


def whole(variable: Variable, origin: syntax.Node = syntax.NO_PLACE) -> Place:
    """A variable of the unit as a place."""
    return Place(variable, (), variable.type, origin)


# --- expressions ---


@node
class Constant:
    """A value known before the run: of elementary type, or a text."""

    type: Type
    value: Value


@node
class ConstantUse:
    """A named constant; its value is `Variable.initial` unless a case gives another."""

    type: Type
    variable: Variable


@node
class Load:
    """The value at a place; of a type that is not elementary its address stands for it."""

    type: Type
    place: Place


@node
class AddressOf:
    """A reference to a place, from REF()."""

    type: Elementary
    place: Place


@node
class Part:
    """``bits`` bits of a bit string, from bit ``shift`` on."""

    type: Elementary
    operand: Expression
    shift: int


@node
class InRange:
    """A value that must lie in a subrange; else the scan stops."""

    type: Elementary
    operand: Expression
    start: int


@node
class Convert:
    """An implicit widening, or an explicit conversion of numbers."""

    type: Elementary
    operand: Expression
    start: int


@node
class Unary:
    """``operator`` is ``-`` or ``NOT``."""

    type: Elementary
    operator: str
    operand: Expression
    start: int


@node
class Binary:
    """Both operands have the same type, but for durations and dates, and a duration with a factor.

    Texts are compared whatever their capacities are.
    """

    type: Elementary
    operator: str
    left: Expression
    right: Expression
    start: int


@node
class CallFunction:
    """A call of a function of the library, or of a method of the instance at ``instance``; outputs are stored
    to their places after it. With ``is_virtual`` the kind of the instance decides which method it is.

    ``inputs`` stand in the order of the function's inputs, ``shared`` in that of its in-outs.
    ``type`` is BOOL of a function without a result.
    """

    type: Type
    function: Unit
    inputs: tuple[Expression, ...]
    shared: tuple[Place, ...]
    outputs: tuple[tuple[Variable, Receiver], ...]
    origin: syntax.Node
    instance: Place | None = None
    is_virtual: bool = False


@node
class CallStandard:
    """A call of a standard function that the compiler knows."""

    type: Type
    name: str
    inputs: tuple[Expression, ...]
    start: int


@node
class Bare:
    """Something made of bare literals, before what stands beside it decides its type: ``type`` is a pseudo type.

    ``build`` makes the expression of a type. ``default`` is the type where nothing decides. It is resolved while
    an expression is checked, and stands in no body.
    """

    type: Elementary
    default: Elementary
    build: Callable[[Elementary], Expression]


Expression = (
    Constant
    | Bare
    | ConstantUse
    | Load
    | AddressOf
    | Part
    | InRange
    | Convert
    | Unary
    | Binary
    | CallFunction
    | CallStandard
)


# --- statements ---


@node
class Receiver:
    """Where an output goes: a place, or from bit ``shift`` on a part of the bit string there."""

    place: Place
    type: Type
    shift: int | None


@node
class Placed:
    """What has a place in the text."""

    origin: syntax.Node


@node
class Assign(Placed):
    """A text is cut to the capacity of its place; other types that are not elementary are copied whole."""

    place: Place
    value: Expression


@node
class AssignPart(Placed):
    """To ``type.bits`` bits of the bit string at ``place``, from bit ``shift`` on."""

    place: Place
    type: Elementary
    shift: int
    value: Expression


@node
class Evaluate(Placed):
    """A function called for its outputs alone."""

    call: CallFunction


@node
class CallInstance(Placed):
    """Inputs are stored, the body runs, outputs are stored to their places.

    With ``is_virtual`` the kind of the instance decides whose body it is.
    """

    instance: Place
    block: Unit
    inputs: tuple[tuple[Variable, Expression], ...]
    shared: tuple[tuple[Variable, Place], ...]
    outputs: tuple[tuple[Variable, Receiver, bool], ...]
    is_virtual: bool = False


@node
class Branch(Placed):
    condition: Expression
    body: tuple[Statement, ...]


@node
class If(Placed):
    branches: tuple[Branch, ...]
    otherwise: tuple[Statement, ...]


@node
class Arm(Placed):
    """A branch of a CASE with its labels as inclusive ranges."""

    ranges: tuple[tuple[int, int], ...]
    body: tuple[Statement, ...]


@node
class Case(Placed):
    selector: Expression
    arms: tuple[Arm, ...]
    otherwise: tuple[Statement, ...]


@node
class For(Placed):
    place: Place
    first: Expression
    last: Expression
    step: Expression
    body: tuple[Statement, ...]


@node
class While(Placed):
    condition: Expression
    body: tuple[Statement, ...]


@node
class Repeat(Placed):
    body: tuple[Statement, ...]
    condition: Expression


@node
class Assert(Placed):
    """The scan stops when the condition does not hold."""

    condition: Expression
    says: str = "assertion failed"


@node
class Exit(Placed):
    pass


@node
class Continue(Placed):
    pass


@node
class Return(Placed):
    pass


Statement = (
    Assign | AssignPart | Evaluate | CallInstance | If | Case | For | While | Repeat | Assert | Exit | Continue | Return
)
