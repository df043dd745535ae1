"""Which variables of a unit matter at the start of its body: read before they are assigned, or
stored at its end without being assigned on every way there. Only these are loaded from memory.
"""

from __future__ import annotations

from collections.abc import Iterable

from upright_block.language import typed
from upright_block.language.typed import Variable

Assigned = set[Variable]


def needed_at_start(body: Iterable[typed.Statement], given: Iterable[Variable] = ()) -> set[Variable]:
    """The variables whose value before the body matters; ``given`` are assigned by then."""
    flow = _Flow()
    end = flow.statements(body, set(given))
    ends = flow.ends if end is None else [*flow.ends, end]
    everywhere = set.intersection(*ends) if ends else set()
    return flow.needed | (flow.written - everywhere)


class _Flow:
    """Walks over a body with the variables assigned so far; None is a place that is not reached."""

    def __init__(self) -> None:
        self.needed: set[Variable] = set()
        self.written: set[Variable] = set()
        self.ends: list[Assigned] = []

    def read(self, at: typed.Expression, assigned: Assigned) -> None:
        """In the order of evaluation, since a call may assign what stands to the right of it."""
        waiting = [at]
        while waiting:
            match waiting.pop():
                case typed.Load(place=place):
                    if len(place.path) == 1 and place.path[0] not in assigned:
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
                    self.statements(inner, set(assigned))
                case (
                    typed.While(condition=condition, body=inner)
                    | typed.Repeat(body=inner, condition=condition)
                ):
                    self.read(condition, set(assigned))
                    self.statements(inner, set(assigned))
                case typed.Return():
                    self.ends.append(assigned)
                    return None
                case typed.Exit() | typed.Continue():
                    return None
        return assigned


def _join(ways: Iterable[Assigned | None]) -> Assigned | None:
    reached = [way for way in ways if way is not None]
    return set.intersection(*reached) if reached else None
