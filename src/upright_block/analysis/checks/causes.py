"""Why a condition is always the same: the part of it that is, or the line that decides it."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations
from math import isfinite

from upright_block.analysis.conditions import can_hold
from upright_block.analysis.flow import Decision, Flow
from upright_block.analysis.locations import location_name, location_of
from upright_block.analysis.walk import value_by_itself
from upright_block.analysis.words import decisions as words
from upright_block.language import syntax, typed
from upright_block.language.literals import shown
from upright_block.language.types import BOOL, Elementary
from upright_block.language.walking import accesses

_COMPARING = frozenset({"=", "<>", "<", "<=", ">", ">="})
_MOST_COMPARED = 20
"""Operands of one AND or OR that are compared with each other."""

_Part = tuple[syntax.Expression, typed.Expression]
"""An expression as it is written, and as it was understood."""


def cause_of(written: syntax.Expression, node: typed.Expression, value: bool, flow: Flow) -> str:
    """Why an expression always has a value, in words, where it is so by itself; empty where that cannot be told."""
    return _Causes(flow).of((written, node), value=value)


def is_by_itself(node: typed.Expression, value: bool, flow: Flow) -> bool:
    """Whether an expression always has a value, whatever stands before it."""
    return can_hold([(value_by_itself(node, flow.unit, flow.terms), not value)]) == "no"


def decided_before(decision: Decision, value: bool, flow: Flow) -> str:
    """What stands before a condition and decides it, in words with its line; empty where no single line does."""
    source = flow.unit.source
    start = decision.origin.start
    held: list[tuple[Decision, bool, syntax.Branch]] = []
    for other in flow.decisions:
        origin = other.origin
        if other is decision or not isinstance(origin, syntax.Branch) or origin.start >= start:
            continue
        is_around = any(part.start <= start < part.end for part in origin.body)
        if is_around or _is_beside(other, decision):
            held.append((other, is_around, origin))
    against = (decision.value, not value)
    if can_hold([*((other.value, way) for other, way, _ in held), against]) == "no":
        for each in list(held):
            left = [other for other in held if other is not each]
            if can_hold([*((other.value, way) for other, way, _ in left), against]) == "no":
                held = left
        lines = [source.line(origin.start) for _, _, origin in held]
        if len(held) > 1:
            return words.decided_by_lines(lines)
        if held:
            _, is_around, origin = held[0]
            text = source.text[origin.condition.start : origin.condition.end]
            return words.decided_by(" ".join(text.split()), lines[0], is_around)
    read = {location_of(access.place)[0] for access in accesses(decision.expression) if access.place is not None}
    before = [w for w in flow.writes if w.location in read and w.origin.start < start and not w.is_made]
    if before:
        last = max(before, key=lambda write: write.order)
        return words.given_before(location_name(last.location), source.line(last.origin.start))
    return ""


def _is_beside(other: Decision, decision: Decision) -> bool:
    """Whether a condition was FALSE where another is asked: in a branch before, of the same IF or of one around."""
    statement = other.statement
    if not isinstance(statement, typed.If):
        return False
    start = decision.origin.start
    later = [branch.origin for branch in statement.branches[other.index + 1 :]]
    parts: list[syntax.Node] = [part for each in later if isinstance(each, syntax.Branch) for part in each.body]
    parts += [part.origin for part in statement.otherwise]
    return any(branch is decision.origin for branch in later) or any(part.start <= start < part.end for part in parts)


class _Causes:
    def __init__(self, flow: Flow) -> None:
        self.flow = flow

    def of(self, part: _Part, *, value: bool) -> str:
        written, node = part[0], _bare(part[1])
        if isinstance(node, typed.Unary) and node.operator == "NOT" and isinstance(written, syntax.Unary):
            return self.of((written.operand, node.operand), value=not value)
        if not isinstance(node, typed.Binary) or not isinstance(written, syntax.Binary):
            return ""
        if node.operator == written.operator.upper() and node.operator in ("AND", "OR") and node.type is BOOL:
            return self._joined(written, node, value=value)
        if node.operator in _COMPARING:
            return self._compared(written, node)
        return ""

    def _joined(self, written: syntax.Binary, node: typed.Binary, *, value: bool) -> str:
        """Of an AND or OR: the operand that is always the same, or two that exclude each other."""
        operands = list(_operands(written, node, node.operator))
        if value == (node.operator == "OR"):
            alone = next((part for part in operands if is_by_itself(part[1], value, self.flow)), None)
            if alone is not None:
                text = self._text(alone[0])
                return self.of(alone, value=value) or words.always(text, value)
            for first, second in combinations(operands[:_MOST_COMPARED], 2):
                if self._exclude(first, second, value=value):
                    return words.excluding(self._text(first[0]), self._text(second[0]), value)
            return ""
        return next(filter(None, (self.of(part, value=value) for part in operands)), "")

    def _exclude(self, first: _Part, second: _Part, *, value: bool) -> bool:
        """Whether two parts never have the other value together."""
        terms = [value_by_itself(part[1], self.flow.unit, self.flow.terms) for part in (first, second)]
        return can_hold([(term, not value) for term in terms]) == "no"

    def _compared(self, written: syntax.Binary, node: typed.Binary) -> str:
        """Of a comparison: what a side can be, where that is less than its type says."""
        for side, own in ((written.left, _bare(node.left)), (written.right, _bare(node.right))):
            if isinstance(own, typed.Constant):
                continue
            modulus = _by_zero(own)
            if modulus:
                return words.modulus_of_zero(self._text(side))
            term, type_ = value_by_itself(own, self.flow.unit, self.flow.terms), own.type
            if not isinstance(type_, Elementary) or term.low is None or term.high is None:
                continue
            if term.is_bool or not (isfinite(term.low) and isfinite(term.high)):
                continue
            low, high = shown(term.low, type_), shown(term.high, type_)
            return words.within(self._text(side), low, high)
        return ""

    def _text(self, written: syntax.Expression) -> str:
        return " ".join(self.flow.unit.source.text[written.start : written.end].split())


def _bare(node: typed.Expression) -> typed.Expression:
    while isinstance(node, typed.Convert):
        node = node.operand
    return node


def _operands(written: syntax.Expression, node: typed.Expression, operator: str) -> Iterator[_Part]:
    """The operands of a row of the same operator."""
    waiting = [(written, node)]
    while waiting:
        text, own = waiting.pop()
        own = _bare(own)
        if (
            isinstance(own, typed.Binary)
            and isinstance(text, syntax.Binary)
            and own.operator == operator == text.operator.upper()
        ):
            waiting += [(text.right, own.right), (text.left, own.left)]
        else:
            yield text, own


def _by_zero(node: typed.Expression) -> bool:
    right = _bare(node.right) if isinstance(node, typed.Binary) and node.operator == "MOD" else None
    return isinstance(right, typed.Constant) and right.value == 0
