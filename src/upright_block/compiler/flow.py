"""How a body uses the variables of its unit: what decides where each lives while the body runs."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence, Set
from dataclasses import dataclass

from upright_block.language import typed
from upright_block.language.typed import Variable
from upright_block.language.types import Array, Type

Assigned = set[Variable]

_SELDOM = 3
_MOST_LOCALS = 128
"""Variables of one body that live in locals: at each branch all of them are looked at, and registers are far fewer."""


@dataclass(frozen=True, slots=True)
class Usage:
    """``needed`` are the variables whose value before the body matters: they are read before they are
    assigned, or not assigned on every way to its end. ``seldom`` are those that it names so rarely
    that they are best left in memory.
    """

    needed: frozenset[Variable]
    seldom: frozenset[Variable]


def usage(
    body: Iterable[typed.Statement], given: Sequence[Variable] = (), pinned: Set[Variable] = frozenset()
) -> Usage:
    """How ``body`` uses variables; ``given`` are assigned right before it, ``pinned`` have an address
    that others know and stay in memory.
    """
    flow = _Flow()
    flow.uses.update(given)
    end = flow.statements(body, set(given))
    ends = flow.ends if end is None else [*flow.ends, end]
    everywhere = set.intersection(*ends) if ends else set()
    often = flow.uses.most_common(_MOST_LOCALS)
    least = max(_SELDOM, often[-1][1] if len(often) == _MOST_LOCALS else 0)
    seldom = {variable for variable, count in flow.uses.items() if count <= least}
    return Usage(frozenset(flow.needed | (flow.written - everywhere)), frozenset(seldom | pinned))


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
                case typed.Load(place=place) | typed.AddressOf(place=place):
                    self.reach(place, assigned)
                case typed.Binary(left=left, right=right):
                    waiting += (right, left)
                case (
                    typed.Convert(operand=operand)
                    | typed.Unary(operand=operand)
                    | typed.Part(operand=operand)
                    | typed.InRange(operand=operand)
                ):
                    waiting.append(operand)
                case typed.CallStandard(inputs=inputs):
                    waiting += reversed(inputs)
                case typed.CallFunction(inputs=inputs, shared=shared, outputs=outputs, instance=instance):
                    if instance is not None:
                        self.reach(instance, assigned)
                    for value in inputs:
                        self.read(value, assigned)
                    for place in shared:
                        self.reach(place, assigned)
                    for _, receiver in outputs:
                        self.receive(receiver, assigned)

    def reach(self, place: typed.Place, assigned: Assigned) -> None:
        """Use a place: the variable itself, or what is needed on the way to it."""
        root = place.root
        if place.is_plain or (place.steps and typed.Place(root, (), root.type).is_plain):
            self.uses[root] += self.weight
            if root not in assigned:
                self.needed.add(root)
        for step in place.steps:
            if isinstance(step, typed.Element):
                for index in step.indices:
                    self.read(index, assigned)

    def write(self, place: typed.Place, assigned: Assigned) -> None:
        if place.is_plain:
            self.uses[place.root] += self.weight
            self.written.add(place.root)
            assigned.add(place.root)
        else:
            self.reach(place, assigned)

    def receive(self, receiver: typed.Receiver, assigned: Assigned) -> None:
        if receiver.shift is not None and receiver.place.is_plain:
            self.reach(receiver.place, assigned)
        self.write(receiver.place, assigned)

    def statements(self, body: Iterable[typed.Statement], assigned: Assigned) -> Assigned | None:
        """The variables assigned after ``body``; ``assigned`` is used up."""
        for at in body:
            match at:
                case typed.Assign(place=place, value=value):
                    if not place.is_plain:
                        self.reach(place, assigned)
                    self.read(value, assigned)
                    if place.is_plain:
                        self.write(place, assigned)
                case typed.AssignPart(place=place, value=value):
                    self.reach(place, assigned)
                    self.read(value, assigned)
                    if place.is_plain:
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
                case typed.CallInstance(instance=instance, inputs=inputs, shared=shared, outputs=outputs):
                    self.reach(instance, assigned)
                    for _, value in inputs:
                        self.read(value, assigned)
                    for _, place in shared:
                        self.reach(place, assigned)
                    for _, receiver, _ in outputs:
                        self.receive(receiver, assigned)
                case typed.Case(selector=selector, arms=arms, otherwise=otherwise):
                    self.read(selector, assigned)
                    ways = [self.statements(inner, set(assigned)) for _, inner in arms]
                    joined = _join([*ways, self.statements(otherwise, assigned)])
                    if joined is None:
                        return None
                    assigned = joined
                case typed.Evaluate(call=value) | typed.Assert(condition=value):
                    self.read(value, assigned)
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


# --- variables whose address is known elsewhere ---


def pinned_variables(units: Iterable[typed.Unit]) -> frozenset[Variable]:
    """The variables that some body refers to by address: given to an in-out, or taken with REF.

    Those of a block whose body calls methods of its own are among them, since methods work on memory.
    """
    found: set[Variable] = set()
    for unit in units:
        if unit.calls_own_methods and unit.keeps_data:
            found.update(unit.variables.values())
        for place in unit.addressed:
            members = [step for step in place.steps if isinstance(step, typed.Member)]
            found.add(members[-1].variable if members else place.root)
            found |= _variables_of_blocks(place.type)
    return frozenset(found)


def _variables_of_blocks(type_: Type) -> set[Variable]:
    """The variables of the blocks that a value of a type contains."""
    if isinstance(type_, Array):
        return _variables_of_blocks(type_.element)
    if not isinstance(type_, typed.Compound):
        return set()
    found = set(type_.variables.values()) if isinstance(type_, typed.Unit) else set()
    for variable in type_.variables.values():
        found |= _variables_of_blocks(variable.type)
    return found
