"""Arithmetic that gives another number than was meant."""

from __future__ import annotations

import re
from collections.abc import Iterator

from upright_block.analysis.facts import Facts
from upright_block.analysis.flow import Flow
from upright_block.analysis.words import numbers as words
from upright_block.language import syntax, typed
from upright_block.language.telling.findings import Finding, doubtful
from upright_block.language.types import Elementary, is_integer, is_real
from upright_block.language.walking import Access, Part, accesses, every_statement, parts

_TO = re.compile(r"(\w+)_TO_(L?REAL|[UDSL]{0,2}INT)\Z")


def check_numbers(flow: Flow, facts: Facts) -> Iterator[Finding]:
    """Report comparisons, divisions and products of a body that lose what was meant."""
    unit = flow.unit
    copies = _Copies(unit)
    for statement in every_statement(unit.body or ()):
        if syntax.is_made(statement.origin) and unit.syntax.sequence is None:
            continue
        waiting: list[Part] = list(parts(statement))
        while waiting:
            part = waiting.pop()
            if isinstance(part, Access):
                continue
            if isinstance(part, typed.Binary):
                yield from _compared(part, unit, copies)
            elif isinstance(part, (typed.Convert, typed.CallStandard)):
                yield from _converted(part, flow)
            waiting += parts(part)


class _Copies:
    """What the variables of a unit are given, where all of it is chosen among values that stay as they are."""

    def __init__(self, unit: typed.Unit) -> None:
        self.given: dict[typed.Variable, list[typed.Expression] | None] = {}
        for part in (unit, *unit.methods.values()):
            for statement in every_statement(part.body or ()):
                for access in accesses(statement):
                    place = access.place
                    if place is None or access.kind not in ("write", "address"):
                        continue
                    variable = _own(place)
                    if isinstance(statement, typed.Assign) and place is statement.place and variable is not None:
                        known = self.given.setdefault(variable, [])
                        chosen = _chosen_among(statement.value)
                        self.given[variable] = None if known is None or chosen is None else [*known, *chosen]
                    else:
                        self.given[variable or place.root] = None

    def is_exact(self, one: typed.Expression, other: typed.Expression) -> bool:
        """Whether one side of a comparison is chosen among values of which the other is one."""
        chosen = _chosen_among(one)
        if chosen is None:
            return False
        if len(chosen) == 1 and isinstance(chosen[0], typed.Load):
            variable = _own(chosen[0].place)
            given = self.given.get(variable) if variable is not None and variable.section != "input" else None
            chosen = given or []
        return any(_is_same(value, other) for value in chosen)


def _own(place: typed.Place) -> typed.Variable | None:
    """The variable of the unit that a place is as a whole, also by way of THIS."""
    if place.root.section == "this" and len(place.steps) == 1 and isinstance(place.steps[0], typed.Member):
        return place.steps[0].variable
    return None if place.steps or place.root.section == "global" else place.root


def _chosen_among(value: typed.Expression) -> list[typed.Expression] | None:
    """The values of which an expression is one, as it is; None where it computes another."""
    match value:
        case typed.Load() | typed.Constant() | typed.ConstantUse():
            return [value]
        case typed.CallStandard(name="LIMIT" | "MIN" | "MAX" | "MOVE", inputs=inputs):
            among = inputs
        case typed.CallStandard(name="SEL" | "MUX", inputs=(_, *inputs)):
            among = tuple(inputs)
        case _:
            return None
    found = [_chosen_among(inner) for inner in among]
    return None if any(inner is None for inner in found) else [v for inner in found if inner is not None for v in inner]


def _is_same(one: typed.Expression, other: typed.Expression) -> bool:
    match one, other:
        case typed.Load(place=a), typed.Load(place=b):
            return (a.root, a.steps) == (b.root, b.steps) and all(isinstance(s, typed.Member) for s in a.steps)
        case typed.Constant(value=a), typed.Constant(value=b):
            return a == b
        case typed.ConstantUse(variable=a), typed.ConstantUse(variable=b):
            return a is b
    return False


def _compared(node: typed.Binary, unit: typed.Unit, copies: _Copies) -> Iterator[Finding]:
    """``a = b`` of reals; a comparison with zero is exact, and so is one with what a value was chosen among; one with
    itself asks whether it is a number.
    """
    left = node.left.type
    if node.operator not in ("=", "<>") or not isinstance(left, Elementary) or not is_real(left):
        return
    for side in (node.left, node.right):
        if isinstance(side, typed.CallStandard) and (is_whole := _TO.match(side.name)) and "REAL" not in is_whole[1]:
            return  # asks whether a number is a whole one
        value = side.value if isinstance(side, typed.Constant) else None
        if isinstance(side, typed.ConstantUse):
            value = side.variable.initial if isinstance(side.variable.initial, float) else None
        if value == 0.0:
            return
    if copies.is_exact(node.left, node.right) or copies.is_exact(node.right, node.left):
        return
    both = (node.left, node.right)
    if all(isinstance(side, typed.Load) for side in both):
        a, b = both
        assert isinstance(a, typed.Load)
        assert isinstance(b, typed.Load)
        if a.place.root is b.place.root and not a.place.steps and not b.place.steps:
            return
    yield words.equal_reals(node.operator).told(unit.source, node.start, node.start + len(node.operator))


def _converted(node: typed.Convert | typed.CallStandard, flow: Flow) -> Iterator[Finding]:
    """A result that becomes wider, or a real, too late."""
    if isinstance(node, typed.Convert):
        operand: typed.Expression = node.operand
    else:
        if _TO.match(node.name) is None or len(node.inputs) != 1:
            return
        operand = node.inputs[0]
    wide, narrow = node.type, operand.type
    if not isinstance(operand, typed.Binary) or not isinstance(narrow, Elementary) or not isinstance(wide, Elementary):
        return
    if not is_integer(narrow):
        return
    unit = flow.unit
    operator, start = operand.operator, operand.start
    if is_real(wide) and operator == "/" and not _is_whole(operand):
        yield words.whole_division(wide.name, narrow.name).told(unit.source, start, start + 1)
    elif operator in _SUMS and _is_wider(wide, narrow):
        inner = [part for part in _summed(operand) if _leaves_type(part, narrow, flow)]
        part = next((part for part in inner if part.operator == "*"), inner[0] if inner else None)
        if part is not None:
            said = words.late_widening(part.operator, narrow.name, wide.name)
            finding = said.told(unit.source, part.start, part.start + 1)
            yield finding if part.operator == "*" else doubtful(finding)


_SUMS = ("+", "-", "*")


def _summed(node: typed.Binary) -> Iterator[typed.Binary]:
    """The sums and products of one type that a result is made of."""
    waiting: list[typed.Expression] = [node]
    while waiting:
        part = waiting.pop()
        if isinstance(part, typed.Binary) and part.operator in _SUMS:
            yield part
            waiting += (part.right, part.left)


def _is_whole(node: typed.Binary) -> bool:
    """Whether a division of constants leaves no rest, or one by a power of two takes a word apart."""
    a, b = node.left, node.right
    if isinstance(b, typed.Constant) and isinstance(b.value, int) and b.value >= 256 and b.value & (b.value - 1) == 0:
        return True
    if isinstance(a, typed.Constant) and isinstance(b, typed.Constant):
        return isinstance(a.value, int) and isinstance(b.value, int) and bool(b.value) and a.value % b.value == 0
    return False


def _is_wider(wide: Elementary, narrow: Elementary) -> bool:
    return is_real(wide) or (is_integer(wide) and (wide.low < narrow.low or wide.high > narrow.high))


def _leaves_type(node: typed.Binary, type_: Elementary, flow: Flow) -> bool:
    """Whether the result may be beyond its type, by what its operands can be."""
    low, high = flow.results.get(id(node), (type_.low, type_.high))
    return bool(low < type_.low or high > type_.high)
