"""Many statements that differ in their places alone, such as the rows of a wiring table, as one loop over a table.

Fifty thousand calls one after the other are more code than a processor keeps at hand; the same calls in a loop
take the time of their bodies.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Iterator, Sequence
from itertools import groupby

from upright_block.compiler.layout import element_number, layout_of, size_of
from upright_block.language import typed
from upright_block.language.nodes import record
from upright_block.language.types import Array, Elementary, is_integer

FEWEST = 600
"""Shorter runs stay as they are: their code is small, and faster."""
_EXACT = frozenset({"AND", "OR", "XOR", "=", "<>", "<", ">", "<=", ">=", "+", "-", "*"})
_Leaf = typed.Place | typed.Part | typed.AssignPart
_Address = tuple[typed.Variable | None, int]


@record
class Rolled:
    """A run of statements of one shape: the first of them, and what stands in each row of the table.

    ``columns`` are the parts of the first statement that differ from row to row: a place, whose address the
    table has, or the shift of a part. An address is an offset from a global variable, or without one from the data of
    the unit at hand.
    """

    first: typed.Statement
    columns: tuple[_Leaf, ...]
    rows: tuple[tuple[_Address, ...], ...]


def rolled(body: Iterable[typed.Statement], unit: typed.Unit, wraps: bool) -> Iterator[Rolled | list[typed.Statement]]:
    """A body as runs that can be rolled, and the statements between them.

    Where integers ``wraps`` is false, arithmetic may fault and has a place of its own in each row.
    """
    plain: list[typed.Statement] = []
    shapes = _Shapes(unit, wraps)
    looked_at = [(shapes.of(statement), statement, shapes.leaves) for statement in body]
    for shape, group in groupby(looked_at, lambda found: found[0]):
        found = list(group)
        run = _run(found[0][1], [leaves for _, _, leaves in found]) if shape and len(found) >= FEWEST else None
        if run is None:
            plain += [statement for _, statement, _ in found]
            continue
        if plain:
            yield plain
            plain = []
        yield run
    if plain:
        yield plain


class _Shapes:
    def __init__(self, unit: typed.Unit, wraps: bool) -> None:
        self.unit = unit
        self.wraps = wraps
        self.leaves: list[tuple[_Leaf, _Address]] = []

    def of(self, statement: typed.Statement) -> Hashable:
        """What statements have in common that differ in their places alone; None for one that cannot be in a table."""
        self.leaves = []
        match statement:
            case typed.CallInstance(instance=instance, block=block, inputs=inputs, outputs=outputs):
                if statement.shared or statement.is_virtual or not self.leaf(instance):
                    return None
                values = [(pin, self.value(value)) for pin, value in inputs]
                if any(shape is None for _, shape in values) or any(r.shift is not None for _, r, _ in outputs):
                    return None
                targets = [(pin, receiver.type, negated) for pin, receiver, negated in outputs]
                if not all(isinstance(r.type, Elementary) and self.leaf(r.place) for _, r, _ in outputs):
                    return None
                return "call", block, tuple(values), tuple(targets)
            case typed.Assign(place=place, value=value):
                if not isinstance(place.type, Elementary) or not self.leaf(place):
                    return None
                shape = self.value(value)
                return None if shape is None else ("assign", place.type, shape)
            case typed.AssignPart(place=place, type=type_, value=value):
                whole = place.type
                if type_.family != "bool" or not isinstance(whole, Elementary) or whole.bits > 32:
                    return None
                self.leaves.append((statement, (None, statement.shift)))
                shape = self.value(value) if self.leaf(place) else None
                return None if shape is None else ("part", whole, shape)
        return None

    def leaf(self, place: typed.Place) -> bool:
        """Note a place of which the address is known before the run."""
        found = self.address(place)
        if found is not None:
            self.leaves.append((place, found))
        return found is not None

    def value(self, node: typed.Expression) -> Hashable:
        """The shape of a value that cannot fault."""
        match node:
            case typed.Constant(type=type_, value=value):
                return "constant", type_, str(value)
            case typed.ConstantUse(type=type_, variable=variable):
                return "constant", type_, variable
            case typed.Load(type=type_, place=place) if isinstance(type_, Elementary):
                if place.is_plain:
                    return "variable", place.root
                return ("load", type_, place.type) if self.leaf(place) else None
            case typed.Unary(type=type_, operator=operator, operand=operand):
                inner = self.value(operand) if operator == "NOT" else None
                return None if inner is None else (operator, type_, inner)
            case typed.Binary(type=type_, operator=operator, left=left, right=right) if operator in _EXACT:
                if operator in "+-*" and is_integer(type_) and not self.wraps:
                    return None
                shapes = self.value(left), self.value(right)
                return None if None in shapes else (operator, type_, left.type, *shapes)
            case typed.Part(type=type_, operand=operand):
                whole = operand.type
                if type_.family != "bool" or not isinstance(whole, Elementary) or whole.bits > 32:
                    return None
                self.leaves.append((node, (None, node.shift)))
                inner = self.value(operand)
                return None if inner is None else ("part", whole, inner)
        return None

    def address(self, place: typed.Place) -> _Address | None:
        """Where a place lies, if that is known before the run."""
        root = place.root
        if root.section == "global" and not root.is_code:
            base: typed.Variable | None = root
            offset = 0
        elif (
            self.unit.keeps_data
            and root.section in ("private", "input", "output")
            and root in layout_of(self.unit).offsets
        ):
            base, offset = None, layout_of(self.unit).offsets[root]
        else:
            return None
        for step in place.steps:
            if isinstance(step, typed.Member) and step.variable in layout_of(step.owner).offsets:
                offset += layout_of(step.owner).offsets[step.variable]
            elif isinstance(step, typed.Element) and isinstance(step.array, Array):
                if not all(isinstance(index, typed.Constant) for index in step.indices):
                    return None
                offset += element_number(step) * size_of(step.array.element)
            else:
                return None
        return base, offset


def _run(first: typed.Statement, found: Sequence[Sequence[tuple[_Leaf, _Address]]]) -> Rolled | None:
    """The table of statements of one shape; None where nothing differs, or a variable that may lie in a register would
    have to be in it.
    """
    columns: list[tuple[_Leaf, list[_Address]]] = []
    for number, (leaf, begin) in enumerate(found[0]):
        column = [leaves[number][1] for leaves in found]
        if all(entry == begin for entry in column):
            continue
        is_plain = isinstance(leaf, typed.Place) and leaf.is_plain
        if is_plain or len({base is None for base, _ in column}) > 1:
            return None
        columns.append((leaf, column))
    if not columns:
        return None
    rows = tuple(zip(*(column for _, column in columns), strict=True))
    return Rolled(first, tuple(leaf for leaf, _ in columns), rows)
