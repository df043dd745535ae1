"""Whether conditions can hold together.

A set of literals, each a term with the truth value that it is to have, is refuted by what its parts say of each term:
conjunctions are taken apart, numbers keep the ranges that are left, and alternatives are tried one after the other.
What cannot be refuted holds in some scan for certain only where nothing but inputs decides, or one variable of the
unit.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from upright_block.analysis.terms import Ranges, Term, complement, intersection

Answer = Literal["no", "perhaps", "yes"]
Fact = tuple[Term, bool]

_MOST_TRIES = 150
_MOST_STEPS = 3_000


def can_hold(facts: Iterable[Fact]) -> Answer:
    """Whether all facts can be in one scan; ``perhaps`` where that is not known."""
    return _Search().run(list(facts))


def excluded(a: Term, b: Term) -> bool:
    """Whether two conditions never hold in one scan."""
    return can_hold(((a, True), (b, True))) == "no"


def follows(facts: Iterable[Fact], term: Term, value: bool = True) -> bool:
    """Whether a term has a value wherever some facts hold."""
    return can_hold([*facts, (term, not value)]) == "no"


class _Known:
    """What is known on one way through the alternatives."""

    __slots__ = ("alternatives", "ranges", "truths")

    def __init__(self) -> None:
        self.truths: dict[Term, bool] = {}
        self.ranges: dict[Term, tuple[Ranges, bool]] = {}
        self.alternatives: list[tuple[tuple[Fact, ...], ...]] = []

    def copy(self) -> _Known:
        made = _Known()
        made.truths = dict(self.truths)
        made.ranges = dict(self.ranges)
        made.alternatives = list(self.alternatives)
        return made


class _Search:
    def __init__(self) -> None:
        self.tries = 0
        self.steps = 0

    def run(self, facts: list[Fact]) -> Answer:
        known = _Known()
        if not self._take(known, facts):
            return "no"
        waiting = [known]
        while waiting:
            known = waiting.pop()
            while known.alternatives and self._is_settled(known, known.alternatives[-1]):
                known.alternatives.pop()
            if not known.alternatives:
                return "yes" if self.steps <= _MOST_STEPS and _is_free(known) else "perhaps"
            ways = known.alternatives.pop()
            for way in reversed(ways):
                self.tries += 1
                if self.tries > _MOST_TRIES:
                    return "perhaps"
                made = known.copy()
                if self._take(made, list(way)):
                    waiting.append(made)
        return "no"

    @staticmethod
    def _is_settled(known: _Known, ways: tuple[tuple[Fact, ...], ...]) -> bool:
        return any(all(known.truths.get(term) is value for term, value in way) for way in ways)

    def _take(self, known: _Known, facts: list[Fact]) -> bool:
        """Take facts in; False where they contradict what is known."""
        while facts:
            self.steps += 1
            if self.steps > _MOST_STEPS:
                return True
            term, value = facts.pop()
            before = known.truths.get(term)
            if before is not None:
                if before is not value:
                    return False
                continue
            known.truths[term] = value
            match term.kind:
                case "constant":
                    if bool(term.key) is not value:
                        return False
                case "not":
                    facts.append((term.args[0], not value))
                case "and" | "or":
                    a, b = term.args
                    if (term.kind == "and") is value:
                        facts += ((a, value), (b, value))
                    else:
                        known.alternatives.append((((a, value),), ((b, value),)))
                case "xor":
                    a, b = term.args
                    known.alternatives.append((((a, True), (b, not value)), ((a, False), (b, value))))
                case "if":
                    condition, a, b = term.args
                    known.alternatives.append((((condition, True), (a, value)), ((condition, False), (b, value))))
                case "within":
                    if not _narrow(known, term, value):
                        return False
        return True


def _narrow(known: _Known, term: Term, value: bool) -> bool:
    """Keep the ranges of a number that are left; False where none is."""
    (number,) = term.args
    ranges: Ranges = term.key if value else complement(term.key, number)
    may_be_none = number.is_real and not value  # what is no number lies in no range
    before = known.ranges.get(number)
    if before is not None:
        ranges = intersection(before[0], ranges)
        may_be_none = may_be_none and before[1]
    known.ranges[number] = (ranges, may_be_none)
    return bool(ranges) or may_be_none


def _is_free(known: _Known) -> bool:
    """Whether what is left can be for certain: each part is decided by leaves of its own, at most one of them the
    unit's.
    """
    seen: set[Term] = set()
    own = 0
    atoms = [t for t in known.truths if t.kind in ("start", "any", "named", "made", "less", "same")]
    for atom in (*atoms, *known.ranges):
        if atom.leaves is None or not seen.isdisjoint(atom.leaves):
            return False
        seen |= atom.leaves
        own += sum(not is_input(leaf) for leaf in atom.leaves)
        if atom.kind in ("any", "made") or (atom.kind == "if"):
            return False
    return own <= 1


def is_input(leaf: Term) -> bool:
    """Whether a leaf is given from outside the unit in each scan."""
    location = leaf.key
    section = getattr(location, "section", "")
    return leaf.kind == "start" and section in ("input", "in_out", "global")
