"""How a body uses the variables of its unit: what decides where each lives while the body runs."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence, Set

from upright_block.compiler.overlay import Overlay, Usage
from upright_block.language import typed
from upright_block.language.typed import Unit, Variable, closure
from upright_block.language.types import Array, Type
from upright_block.language.walking import accesses, every_statement

_SELDOM = 3
_MOST_LOCALS = 128
"""Variables of one body that live in locals: at each branch all of them are looked at, and registers are far fewer."""


def usage(
    body: Iterable[typed.Statement], given: Sequence[Variable] = (), pinned: Set[Variable] = frozenset()
) -> Usage:
    """How ``body`` uses variables; ``given`` are assigned right before it, ``pinned`` have an address
    that others know and stay in memory.
    """
    flow = _Flow()
    flow.uses.update(given)
    flow.assigned.update(given)
    if flow.statements(body):
        flow.leave()
    everywhere = flow.at_ends or set()
    often = flow.uses.most_common(_MOST_LOCALS)
    least = max(_SELDOM, often[-1][1] if len(often) == _MOST_LOCALS else 0)
    seldom = {variable for variable, count in flow.uses.items() if count <= least}
    return Usage(frozenset(flow.needed | (flow.written - everywhere)), frozenset(seldom | pinned))


def usage_inside(over: Overlay, block: Unit, given: Sequence[Variable], pinned: Set[Variable]) -> Usage:
    """How the body of a block that is placed into its callers uses its variables; worked out once for all of them."""
    own = frozenset(v for v in block.variables.values() if v in pinned)
    known = over.facts(block).inside
    found = known.get((tuple(given), own))
    if found is None:
        found = known[tuple(given), own] = usage(over.body(block), given, own)
    return found


class _Flow:
    """Walks over a body with the variables ``assigned`` so far.

    ``added`` are those that were assigned since the walk began, in order, so that what a branch assigned is known
    at its end and taken back. ``at_ends`` are the variables assigned at each end of the body that was met; None
    where none was.
    """

    def __init__(self) -> None:
        self.needed: set[Variable] = set()
        self.written: set[Variable] = set()
        self.assigned: set[Variable] = set()
        self.added: list[Variable] = []
        self.at_ends: set[Variable] | None = None
        self.uses: Counter[Variable] = Counter()
        self.weight = 1

    def leave(self) -> None:
        """Note an end of the body."""
        self.at_ends = set(self.assigned) if self.at_ends is None else self.at_ends & self.assigned

    def look(self, node: typed.Statement | typed.Expression) -> None:
        """Note what a statement or an expression does to the variables of the unit."""
        for access in accesses(node):
            place = access.place
            if place is None or not place.is_plain:
                continue
            root = place.root
            self.uses[root] += self.weight
            if access.kind == "write":
                self.written.add(root)
                self.assign(root)
            elif root not in self.assigned:
                self.needed.add(root)

    def assign(self, variable: Variable) -> None:
        if variable not in self.assigned:
            self.assigned.add(variable)
            self.added.append(variable)

    def statements(self, body: Iterable[typed.Statement]) -> bool:
        """Walk over statements; whether their end is reached.

        What stands behind a RETURN is looked at like the rest: its code is written, so what it names must have a value.
        """
        is_reached = True
        for statement in body:
            match statement:
                case typed.If(branches=branches, otherwise=otherwise):
                    is_reached &= self.ways([(b.condition, b.body) for b in branches], otherwise)
                case typed.Case(selector=selector, arms=arms, otherwise=otherwise):
                    self.look(selector)
                    is_reached &= self.ways([(None, arm.body) for arm in arms], otherwise)
                case typed.For(place=place, body=inner):
                    self.look(statement)
                    self.loop(typed.Load(place.type, place), inner)
                case typed.While(condition=condition, body=inner) | typed.Repeat(body=inner, condition=condition):
                    self.loop(condition, inner)
                case typed.Return():
                    self.leave()
                    is_reached = False
                case typed.Exit() | typed.Continue():
                    is_reached = False
                case _:
                    self.look(statement)
        return is_reached

    def ways(
        self,
        branches: Iterable[tuple[typed.Expression | None, Sequence[typed.Statement]]],
        otherwise: Sequence[typed.Statement],
    ) -> bool:
        """Walk over ways of which one is gone; after them is assigned what each of those assigned whose end is
        reached.
        """
        reached: list[list[Variable]] = []
        for condition, body in (*branches, (None, otherwise)):
            if condition is not None:
                self.look(condition)
            begun = len(self.added)
            if self.statements(body):
                reached.append(self.added[begun:])
            self.take_back(begun)
        if not reached:
            return False
        for variable in set(reached[0]).intersection(*reached[1:]):
            self.assign(variable)
        return True

    def loop(self, condition: typed.Expression, body: Iterable[typed.Statement]) -> None:
        """What a loop assigns counts for nothing after it, since it may not run; what it names counts often."""
        self.weight += _SELDOM
        begun = len(self.added)
        self.look(condition)
        self.take_back(begun)
        self.statements(body)
        self.take_back(begun)
        self.weight -= _SELDOM

    def take_back(self, begun: int) -> None:
        """Forget what was assigned since then."""
        self.assigned.difference_update(self.added[begun:])
        del self.added[begun:]


# --- what a call may do ---


def is_short(over: Overlay, unit: Unit, most: int) -> bool:
    """Whether a body has no more statements than that."""
    facts = over.facts(unit)
    if facts.length is None:
        facts.length = sum(1 for _ in every_statement(over.body(unit)))
    return facts.length <= most


_LOOPS = (typed.For, typed.While, typed.Repeat)


def has_loops(over: Overlay, unit: Unit) -> bool:
    """Whether a call of the unit may run a loop."""
    facts = over.facts(unit)
    if facts.has_loops is None:
        bodies = map(over.body, closure(unit))
        facts.has_loops = any(isinstance(statement, _LOOPS) for body in bodies for statement in every_statement(body))
    return facts.has_loops


def changes_others(over: Overlay, unit: Unit) -> bool:
    """Whether a call of a function may change variables that are not its own."""
    facts = over.facts(unit)
    if facts.changes_others is None:
        facts.changes_others = any(_reaches_others(over, used) for used in closure(unit))
    return facts.changes_others


def _reaches_others(over: Overlay, unit: Unit) -> bool:
    if unit.owner is not None or unit.keeps_data or unit.shares is not None or unit.section("in_out"):
        return True
    places = (
        a.place for statement in every_statement(over.body(unit)) for a in accesses(statement) if a.kind == "write"
    )
    return any(isinstance(step, typed.Target) for place in places if place for step in place.steps)


# --- variables whose address is known elsewhere ---


def pinned_variables(units: Iterable[typed.Unit]) -> frozenset[Variable]:
    """The variables that some body refers to by address: given to an in-out, or taken with REF.

    Those of a block whose body calls methods of its own are among them, since methods work on memory.
    """
    found: set[Variable] = set()
    for unit in units:
        if unit.works_on_itself and unit.keeps_data:
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
