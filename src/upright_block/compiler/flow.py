"""How a body uses the variables of its unit: what decides where each lives while the body runs."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from upright_block.language import typed
from upright_block.language.typed import Variable

Assigned = set[Variable]

_SELDOM = 3


@dataclass(frozen=True, slots=True)
class Usage:
    """``needed`` are the variables whose value before the body matters: they are read before they are
    assigned, or not assigned on every way to its end. ``seldom`` are those that it names so rarely
    that they are best left in memory.
    """

    needed: frozenset[Variable]
    seldom: frozenset[Variable]


def usage(body: Iterable[typed.Statement], given: Sequence[Variable] = ()) -> Usage:
    """How ``body`` uses variables; ``given`` are assigned right before it."""
    flow = _Flow()
    flow.uses.update(given)
    end = flow.statements(body, set(given))
    ends = flow.ends if end is None else [*flow.ends, end]
    everywhere = set.intersection(*ends) if ends else set()
    seldom = frozenset(variable for variable, count in flow.uses.items() if count <= _SELDOM)
    return Usage(frozenset(flow.needed | (flow.written - everywhere)), seldom)


class _Flow:
    """Walks over a body with the variables assigned so far; None is a place that is not reached."""

    def __init__(self) -> None:
        self.needed: set[Variable] = set()
        self.written: set[Variable] = set()
        self.ends: list[Assigned] = []
        self.uses: Counter[Variable] = Counter()
        self.weight = 1

    def read(self, at: typed.Expression, assigned: Assigned) -> None:
        """In the order of evaluation, since a call may assign what stands to the right of it."""
        waiting = [at]
        while waiting:
            match waiting.pop():
                case typed.Load(place=place):
                    if len(place.path) == 1:
                        self.uses[place.path[0]] += self.weight
                        if place.path[0] not in assigned:
                            self.needed.add(place.path[0])
                case typed.Binary(left=left, right=right):
                    waiting += (right, left)
                case typed.Convert(operand=operand) | typed.Unary(operand=operand):
                    waiting.append(operand)
                case typed.CallStandard(inputs=inputs):
                    waiting += reversed(inputs)
                case typed.CallFunction(inputs=inputs, outputs=outputs):
                    for value in inputs:
                        self.read(value, assigned)
                    for _, place in outputs:
                        self.write(place, assigned)

    def write(self, place: typed.Place, assigned: Assigned) -> None:
        if len(place.path) == 1:
            self.uses[place.path[0]] += self.weight
            self.written.add(place.path[0])
            assigned.add(place.path[0])

    def statements(self, body: Iterable[typed.Statement], assigned: Assigned) -> Assigned | None:
        """The variables assigned after ``body``; ``assigned`` is used up."""
        for at in body:
            match at:
                case typed.Assign(place=place, value=value):
                    self.read(value, assigned)
                    self.write(place, assigned)
                case typed.If(branches=branches, otherwise=otherwise):
                    ways = []
                    for condition, inner in branches:
                        self.read(condition, assigned)
                        ways.append(self.statements(inner, set(assigned)))
                    ways.append(self.statements(otherwise, assigned))
                    joined = _join(ways)
                    if joined is None:
                        return None
                    assigned = joined
                case typed.CallInstance(inputs=inputs, outputs=outputs):
                    for _, value in inputs:
                        self.read(value, assigned)
                    for _, place, _ in outputs:
                        self.write(place, assigned)
                case typed.Case(selector=selector, arms=arms, otherwise=otherwise):
                    self.read(selector, assigned)
                    ways = [self.statements(inner, set(assigned)) for _, inner in arms]
                    joined = _join([*ways, self.statements(otherwise, assigned)])
                    if joined is None:
                        return None
                    assigned = joined
                case typed.Evaluate(call=call):
                    self.read(call, assigned)
                case typed.For(place=place, first=first, last=last, step=step, body=inner):
                    for value in (first, last, step):
                        self.read(value, assigned)
                    self.write(place, assigned)
                    self.loop(typed.Load(place.type, place), inner, assigned)
                case (
                    typed.While(condition=condition, body=inner)
                    | typed.Repeat(body=inner, condition=condition)
                ):
                    self.loop(condition, inner, assigned)
                case typed.Return():
                    self.ends.append(assigned)
                    return None
                case typed.Exit() | typed.Continue():
                    return None
        return assigned

    def loop(self, condition: typed.Expression, body: Iterable[typed.Statement], assigned: Assigned) -> None:
        """What a loop assigns counts for nothing after it, since it may not run; what it names counts often."""
        self.weight += _SELDOM
        self.read(condition, set(assigned))
        self.statements(body, set(assigned))
        self.weight -= _SELDOM


def _join(ways: Iterable[Assigned | None]) -> Assigned | None:
    reached = [way for way in ways if way is not None]
    return set.intersection(*reached) if reached else None
