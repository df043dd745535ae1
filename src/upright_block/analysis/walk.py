"""A walk over a body, as one scan takes it: statement after statement, ways of a choice side by side, loops once."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from functools import partial
from typing import Any

from upright_block.analysis.cells import Content, together, type_of
from upright_block.analysis.flow import Decision, Flow, Unreached, Write
from upright_block.analysis.locations import Location, location_of, members, mixed_locations, root_of
from upright_block.analysis.terms import Ranges, Term, Terms
from upright_block.analysis.values import Values, role_of
from upright_block.language import syntax, typed
from upright_block.language.field.copying import used_globals
from upright_block.language.types import BOOL
from upright_block.language.walking import accesses, every_statement

_Branch = tuple[Term, Callable[[], bool]]


def flow_of(unit: typed.Unit, terms: Terms, known: Mapping[typed.Variable, Ranges]) -> Flow:
    """Walk the body of a unit; ``known`` are the values that variables of units can have when a scan begins."""
    walk = _Walk(unit, terms, known)
    goes_on = walk.body(unit.body or ())
    walk.leave()
    walk.finish(goes_on)
    return walk.flow


def value_by_itself(expression: typed.Expression, unit: typed.Unit, terms: Terms) -> Term:
    """What an expression is made of, whatever stands before it in its body."""
    return _Walk(unit, terms, {}).value(expression)


class _Walk(Values):
    """Walks statements."""

    def body(self, statements: Iterable[typed.Statement]) -> bool:
        """Walk a body; whether it goes on behind it."""
        left: typed.Statement | None = None
        for statement in statements:
            if left is not None:
                if not syntax.is_made(statement.origin):
                    self.flow.unreached.append(Unreached(statement.origin, left.origin))
                return False
            self.statement = statement
            if not _STATEMENT[type(statement)](self, statement):
                left = statement
        return left is None

    def _assign(self, node: typed.Assign) -> bool:
        self.reach(node.place)
        value = self.value(node.value)
        location, is_exact = location_of(node.place)
        if not is_exact:
            value = self.terms.any(node.place.type)
        self.wrote(location, value, node.place.origin, node.value, is_weak=not is_exact)
        self.written_beyond(node.place)
        return True

    def _assign_part(self, node: typed.AssignPart) -> bool:
        self.reach(node.place)
        value = self.value(node.value)
        self.write_part(node.place, node.shift, node.type, value, node.value, None)
        return True

    def _evaluate(self, node: typed.Evaluate) -> bool:
        self.value(node.call)
        return True

    def _call_instance(self, node: typed.CallInstance) -> bool:
        self.reach(node.instance)
        location, is_exact = location_of(node.instance)
        inputs = {pin: self.value(value) for pin, value in node.inputs}
        for _, place in node.shared:
            self.hand_on(place)
        self.see(location)
        call = self.note_call(location, node.block, node.origin, inputs, is_exact, node.is_virtual)
        kept = {}
        if is_exact and node.block.kind != "CLASS":
            kept = {
                v: self.term_of((*members(location), v)) for v in node.block.variables.values() if v.section == "input"
            }
        if node.instance.root.section == "this" or node.is_virtual:
            self.forget_all()
        else:
            self.forget(location, self.terms.made(("ran", self.order), BOOL, ()))
        self.touch_globals(node.block)
        for pin, value in (kept | inputs).items():
            self.put((*members(location), pin), Content(value, (), self.epoch))
        for variable, receiver, negated in node.outputs:
            value = self.term_of((*members(location), variable))
            self.receive(receiver, self.terms.negation(value) if negated and value.is_bool else value, call)
        return True

    def _if(self, node: typed.If) -> bool:
        if role_of(node) == "disable":
            self.value(node.branches[0].condition)
            return True
        none_before = self.terms.true
        ways: list[_Branch] = []
        for index, branch in enumerate(node.branches):
            outer = self.condition
            self.condition = self.terms.both(outer, none_before)
            value = self.value(branch.condition)
            self.flow.decisions.append(Decision(value, self.condition, branch.origin, branch.condition, node, index))
            self.condition = outer
            ways.append((self.terms.both(none_before, value), partial(self.body, branch.body)))
            none_before = self.terms.both(none_before, self.terms.negation(value))
        ways.append((none_before, partial(self.body, node.otherwise)))
        return self._choose(ways)

    def _case(self, node: typed.Case) -> bool:
        selector = self.value(node.selector)
        every = sorted(label for arm in node.arms for label in arm.ranges)
        ways: list[_Branch] = []
        for index, arm in enumerate(node.arms):
            value = self.terms.within(selector, _merged(sorted(arm.ranges)))
            self.flow.decisions.append(Decision(value, self.condition, arm.origin, node.selector, node, index))
            ways.append((value, partial(self.body, arm.body)))
        other = self.terms.negation(self.terms.within(selector, _merged(every)))
        ways.append((other, partial(self.body, node.otherwise)))
        return self._choose(ways)

    def _choose(self, ways: list[_Branch]) -> bool:
        """Walk the ways of a statement of which one is taken; whether any goes on behind it."""
        outer, statement, epoch = self.condition, self.statement, self.epoch
        going: list[tuple[Term, dict[Location, Content | None], int]] = []
        leaving: list[Term] = []
        for condition, run in ways:
            mark = len(self.trail)
            self.condition = self.terms.both(outer, condition)
            goes_on = run()
            changed = {location: self.cells[location] for location, _ in self.trail[mark:]}
            ended = self.epoch
            self.undo(mark)
            self.epoch = epoch
            if goes_on:
                going.append((condition, changed, ended))
            else:
                leaving.append(condition)
        self.statement, self.condition = statement, outer
        self._join(going)
        for condition in leaving:
            self.condition = self.terms.both(self.condition, self.terms.negation(condition))
        return bool(going)

    def _join(self, going: list[tuple[Term, dict[Location, Content | None], int]]) -> None:
        """What locations hold where several ways have met."""
        is_known = all(epoch == self.epoch for _, _, epoch in going)
        by_location: dict[Location, list[tuple[Term, Content | None]]] = {}
        for condition, changed, _ in going:
            for location, cell in changed.items():
                by_location.setdefault(location, []).append((condition, cell))
        mixed = mixed_locations([changed for _, changed, _ in going], by_location)
        joined: dict[Location, Content | None] = {}
        for location, ends in by_location.items():
            found = [(condition, cell) for condition, cell in ends if cell is not None]
            before = self.cells.get(location) if len(ends) < len(going) else None
            if not found and before is None:
                joined[location] = None
                continue
            if location in mixed or not is_known:
                term = self.terms.any(type_of(location))
            else:
                term, rest = (
                    (found[-1][1].term, found[:-1]) if len(ends) == len(going) else (self.term_of(location), found)
                )
                for condition, cell in reversed(rest):
                    term = self.terms.choice(condition, cell.term, term)
            cells = [cell for _, cell in found] + ([before] if before is not None else [])
            joined[location] = Content(term, together(cells), self.epoch if is_known else -1)
        for location, end in joined.items():
            self.put(location, end)
        if not is_known:
            self.epochs += 1
            self.epoch = self.epochs

    # --- loops ---

    def _loop(
        self,
        node: typed.Statement,
        body: Iterable[typed.Statement],
        before: Callable[[], None],
        after: Callable[[], None],
    ) -> bool:
        """Walk the body of a loop once, with all that it writes unknown before it and after it."""
        number = len(self.flow.loops)
        self.flow.loops.append((node, (0, 0)))
        outer, outer_loops, begun, first = self.condition, self.loops, self.order, len(self.flow.writes)
        touched, is_all = _touched(body)
        mark_reads = len(self.flow.reads)
        old: dict[Location, tuple[Write, ...]] = {}
        for location in touched:
            old[location] = together(cell for _, cell in self.overlapping(location))
        if is_all:
            self.forget_all()
        for location in touched:
            self.loosen(location, old[location])
        self.loops = (*outer_loops, number)
        before()
        self.body(body)
        after()
        self.flow.loops[number] = (node, (begun, self.order))
        self.loops, self.condition = outer_loops, outer
        inside = self.flow.writes[first:]
        read = {root_of(read.location) for read in self.flow.reads[mark_reads:]}
        by_location: dict[Location, list[Write]] = {}
        for write in inside:
            by_location.setdefault(write.location, []).append(write)
            if root_of(write.location) in read:
                self.mark_seen((write,))
        if is_all:
            self.forget_all()
        for location in {**old, **by_location}:
            self.loosen(location, (*old.get(location, ()), *by_location.get(location, ())))
        return True

    def _for(self, node: typed.For) -> bool:
        first, last, step = self.value(node.first), self.value(node.last), self.value(node.step)
        location, is_exact = location_of(node.place)
        values: Ranges | None = None
        if step.kind == "constant" and first.low is not None and last.high is not None and step.low:
            low, high = (first.low, last.high) if step.low > 0 else (last.low or 0, first.high or 0)
            values = ((low, high),) if low <= high else None

        def count() -> None:
            self.wrote(location, self.terms.any(node.place.type, values), node.place.origin, None, not is_exact)
            self.mark_seen((self.flow.writes[-1],))

        return self._loop(node, node.body, count, lambda: None)

    def _while(self, node: typed.While) -> bool:
        def decide() -> None:
            value = self.value(node.condition)
            self.flow.decisions.append(Decision(value, self.condition, node.origin, node.condition, node, 0))
            self.condition = self.terms.both(self.condition, value)

        return self._loop(node, node.body, decide, lambda: None)

    def _repeat(self, node: typed.Repeat) -> bool:
        def decide() -> None:
            value = self.value(node.condition)
            self.flow.decisions.append(Decision(value, self.condition, node.origin, node.condition, node, 0))

        return self._loop(node, node.body, lambda: None, decide)

    def _assert(self, node: typed.Assert) -> bool:
        self.condition = self.terms.both(self.condition, self.value(node.condition))
        return True

    def _exit(self, node: typed.Statement) -> bool:
        return False

    def _return(self, node: typed.Return) -> bool:
        self.leave()
        self.returned()
        return False


def _touched(body: Iterable[typed.Statement]) -> tuple[dict[Location, None], bool]:
    """The locations that a body may write, and whether it may write anything at all."""
    found: dict[Location, None] = {}
    is_all = False
    for statement in every_statement(body):
        for access in accesses(statement):
            place = access.place
            if access.kind in ("write", "address") and place is not None:
                found[location_of(place)[0]] = None
                is_all = is_all or any(isinstance(step, typed.Target) for step in place.steps)
            elif access.kind == "call":
                assert access.unit is not None
                found |= dict.fromkeys(used_globals(access.unit)[1])
                is_all = is_all or access.unit.is_broken
                if place is not None:
                    found[location_of(place)[0]] = None
                    is_all = is_all or access.is_virtual or place.root.section == "this"
        if isinstance(statement, typed.CallInstance):
            found[location_of(statement.instance)[0]] = None
    return found, is_all


def _merged(ranges: Iterable[tuple[int, int]]) -> Ranges:
    """Ranges in order, those that touch as one."""
    found: list[tuple[int, int]] = []
    for low, high in ranges:
        if found and low <= found[-1][1] + 1:
            found[-1] = (found[-1][0], max(high, found[-1][1]))
        else:
            found.append((low, high))
    return tuple(found)


_STATEMENT: dict[type, Callable[[_Walk, Any], bool]] = {
    typed.Assign: _Walk._assign,
    typed.AssignPart: _Walk._assign_part,
    typed.Evaluate: _Walk._evaluate,
    typed.CallInstance: _Walk._call_instance,
    typed.If: _Walk._if,
    typed.Case: _Walk._case,
    typed.For: _Walk._for,
    typed.While: _Walk._while,
    typed.Repeat: _Walk._repeat,
    typed.Assert: _Walk._assert,
    typed.Exit: _Walk._exit,
    typed.Continue: _Walk._exit,
    typed.Return: _Walk._return,
}
