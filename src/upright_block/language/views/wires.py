"""A program of calls as boxes with pins and wires, such as a wiring table makes one."""

from __future__ import annotations

from collections.abc import Iterator

from upright_block.language import syntax, typed
from upright_block.language.nodes import record
from upright_block.language.printing import expression_text
from upright_block.language.types import Array
from upright_block.language.walking import Access, accesses

Root = tuple[typed.Variable, int | None]
"""An instance of a program, or with a number the element of an array of them; or the result of a function."""


@record
class Read:
    """That a pin reads the value at ``pin`` of another instance; ``pin`` is empty for the result of a function.

    With a ``tag`` it reads that, and only the instance writes it. ``is_made`` says that a run gives the value, so that
    it matters whether that was before.
    """

    root: Root
    pin: str
    is_made: bool
    access: Access
    tag: str = ""


@record
class Input:
    """An input pin: what its cell says as a text, and what that reads of other instances. A literal ``is_value``."""

    name: str
    text: str
    is_value: bool
    reads: tuple[Read, ...]


@record
class Output:
    """An output pin and what it is written to; the result of a function has no name."""

    name: str
    targets: tuple[str, ...]


@record
class Box:
    """One statement that runs an instance or a function. ``number`` counts from 1 in the order of the scan."""

    number: int
    root: Root
    block: str
    inputs: tuple[Input, ...]
    outputs: tuple[Output, ...]
    origin: syntax.Node

    @property
    def comment(self) -> str:
        """What its row says of it, or its declaration, as one line."""
        return " ".join(self.root[0].comment.split())

    @property
    def name(self) -> str:
        """The instance as a path."""
        return shown(self.root)


def boxes(unit: typed.Unit) -> list[Box]:
    """The instances and functions that the body of a unit runs, in the order of the scan."""
    made = [(root, statement) for statement in unit.body or () if (root := made_by(statement)) is not None]
    runs = {root for root, _ in made}
    copies: dict[str, list[str]] = {}
    for written in unit.syntax.body:
        if isinstance(written, syntax.Assignment) and isinstance(written.value, syntax.Name):
            copies.setdefault(written.value.name.upper(), []).append(expression_text(written.target))
    writers = _writers(unit)
    found: list[Box] = []
    for root, statement in made:
        match statement.origin:
            case syntax.CallStatement(call=call):
                block = root[0].type
                outputs = _outputs(call)
                name = block.element.name if isinstance(block, Array) else block.name
            case syntax.Assignment(value=syntax.Call() as call):
                outputs = (Output("", tuple(copies.get(root[0].key, ()))),)
                name = expression_text(call.callee)
            case _:
                continue
        reads = [read for read in (*_reads(statement), *_tags_read(statement, root, writers)) if read.root in runs]
        found.append(Box(len(found) + 1, root, name, tuple(_inputs(call, reads)), outputs, statement.origin))
    return found


def _inputs(call: syntax.Call, reads: list[Read]) -> Iterator[Input]:
    for position, argument in enumerate(call.arguments, 1):
        if not argument.output:
            text = expression_text(argument.value)
            start, end = argument.value.start, argument.value.end
            inside = tuple(r for r in reads if start <= r.access.origin.start and r.access.origin.end <= end)
            is_value = isinstance(argument.value, syntax.Literal)
            text = f"NOT {text}" if argument.negated else text
            yield Input(argument.name or f"IN{position}", text, is_value, inside)


def _outputs(call: syntax.Call) -> tuple[Output, ...]:
    targets: dict[str, list[str]] = {}
    for argument in call.arguments:
        if argument.output:
            targets.setdefault(argument.name, []).append(expression_text(argument.value))
    return tuple(Output(name, tuple(texts)) for name, texts in targets.items())


def made_by(statement: typed.Statement) -> Root | None:
    """The instance that a statement runs, or the variable that it computes."""
    if isinstance(statement, typed.CallInstance):
        return _root(statement.instance)
    if isinstance(statement, typed.Assign) and not statement.place.steps and statement.place.root.section == "private":
        return statement.place.root, None
    return None


def _reads(statement: typed.Statement) -> Iterator[Read]:
    for access in accesses(statement):
        root = _root(access.place) if access.kind == "read" and access.place else None
        if root is not None and access.place is not None:
            last = access.place.steps[-1] if access.place.steps else None
            member = last.variable if isinstance(last, typed.Member) else None
            yield Read(root, member.name if member else "", member is None or member.section != "input", access)


def _writers(unit: typed.Unit) -> dict[typed.Variable, Root | None]:
    """Who writes each variable from outside the unit: a box, or None where several do."""
    found: dict[typed.Variable, Root | None] = {}
    for statement in unit.body or ():
        root = made_by(statement)
        if root is None and isinstance(statement, typed.Assign):
            root = next((read.root for read in _reads(statement)), None)
        for access in accesses(statement):
            if access.kind == "write" and access.place is not None and access.place.root.section != "private":
                written = access.place.root
                found[written] = root if found.get(written, root) == root else None
    return found


def _tags_read(statement: typed.Statement, own: Root, writers: dict[typed.Variable, Root | None]) -> Iterator[Read]:
    """What a statement reads that another box writes; a box that holds itself on by its own output is no matter."""
    for access in accesses(statement):
        root = writers.get(access.place.root) if access.kind == "read" and access.place else None
        if root is not None and root != own and access.place is not None:
            yield Read(root, "", is_made=True, access=access, tag=access.place.root.name)


def _root(place: typed.Place) -> Root | None:
    """The instance of the unit that a place begins with."""
    if place.root.section != "private":
        return None
    step = place.steps[0] if place.steps else None
    if isinstance(step, typed.Element) and len(step.indices) == 1 and isinstance(step.indices[0], typed.Constant):
        return place.root, int(step.indices[0].value)
    return place.root, None


def shown(root: Root) -> str:
    """An instance as a path."""
    variable, number = root
    return variable.name if number is None else f"{variable.name}[{number}]"
