"""What one call of a unit does: what is written, read and called, in which order, and under which conditions.

The body is walked once. Of each slot the value is kept as a term, and the writes that it may come from; where ways
meet, the values become a choice. So the condition of a statement is a term over what was there when the scan began,
and a write of which no value is ever seen is known. What cannot be told, such as what a loop leaves, is a term of its own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any

from upright_block.analysis.slots import Bits, Slot, last_variable, members, root_of, slot_of
from upright_block.analysis.terms import Ranges, Term, Terms
from upright_block.language import syntax, typed
from upright_block.language.copying import used_globals
from upright_block.language.nodes import fresh, node, state
from upright_block.language.types import BOOL, Elementary, Type, is_integer, is_real
from upright_block.language.walking import accesses, every_statement


@state
class Write:
    """That a slot gets a value. ``is_weak`` says that only a part of it may get it.

    ``value`` is what it becomes, ``written`` the expression of an assignment. ``is_seen`` turns out when somebody may read
    it; of what is overwritten before, ``winner`` is the first that did so. ``call`` is that whose output it is.
    """

    slot: Slot
    value: Term
    condition: Term
    order: int
    origin: syntax.Node
    written: typed.Expression | None
    is_weak: bool
    loops: tuple[int, ...]
    is_made: bool
    statement: typed.Statement | None
    call: Call | None = None
    is_seen: bool = False
    winner: Write | None = None


@node
class Read:
    """That the value of a slot is read. ``is_old`` says that it is that of the scan before, for certain."""

    slot: Slot
    value: Term
    condition: Term
    order: int
    origin: syntax.Node
    is_old: bool
    statement: typed.Statement | None
    loops: tuple[int, ...]


@state
class Call:
    """That an instance or a function is run. ``slot`` is the instance, None of a function; ``inputs`` are values by pin."""

    slot: Slot | None
    unit: typed.Unit
    condition: Term
    order: int
    origin: syntax.Node
    inputs: dict[typed.Variable, Term]
    statement: typed.Statement | None
    loops: tuple[int, ...]
    is_exact: bool
    is_made: bool
    is_virtual: bool


@node
class Decision:
    """A condition that a statement decides by: ``value`` where ``condition`` holds."""

    value: Term
    condition: Term
    origin: syntax.Node
    expression: typed.Expression
    statement: typed.Statement
    index: int


@node
class Indexed:
    """That an element of an array is reached: by what index, in which dimension."""

    array: Any
    dimension: int
    value: Term
    condition: Term
    origin: syntax.Node
    expression: typed.Expression


@node
class Unreached:
    """The first statement that stands behind one that leaves."""

    origin: syntax.Node
    leaving: syntax.Node


@state
class Flow:
    """What one call of ``unit`` does. ``final`` are the values of slots at its end.

    ``results`` are the least and the greatest result of whole arithmetic, before it is cut to its type, by the node;
    ``constants`` are those that the body names.
    """

    unit: typed.Unit
    terms: Terms
    writes: list[Write] = fresh(default_factory=list)
    reads: list[Read] = fresh(default_factory=list)
    calls: list[Call] = fresh(default_factory=list)
    decisions: list[Decision] = fresh(default_factory=list)
    indexed: list[Indexed] = fresh(default_factory=list)
    unreached: list[Unreached] = fresh(default_factory=list)
    final: dict[Slot, Term] = fresh(default_factory=dict)
    loops: list[tuple[typed.Statement, tuple[int, int]]] = fresh(default_factory=list)
    results: dict[int, tuple[Any, Any]] = fresh(default_factory=dict)
    constants: set[typed.Variable] = fresh(default_factory=set)


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


@node
class _Cell:
    """The value of a slot, and the writes that it may come from. ``epoch`` tells when."""

    term: Term
    writes: tuple[Write, ...]
    epoch: int


_MOST_RETURNS = 40
"""So many RETURNs of a body are told apart in what it leaves."""
_Branch = tuple[Term, Callable[[], bool]]


class _Walk:
    def __init__(self, unit: typed.Unit, terms: Terms, known: Mapping[typed.Variable, Ranges]) -> None:
        self.unit = unit
        self.terms = terms
        self.known = known
        self.flow = Flow(unit, terms)
        self.cells: dict[Slot, _Cell | None] = {}
        self.by_root: dict[typed.Variable, list[Slot]] = {}
        self.trail: list[tuple[Slot, _Cell | None]] = []
        self.epoch = 0
        self.epochs = 0
        self.open: dict[Write, None] = {}
        self.condition = terms.true
        self.loops: tuple[int, ...] = ()
        self.returns: list[tuple[Term, dict[Slot, Term] | None]] = []
        self.returned_epochs: set[int] = set()
        self.order = 0
        self.statement: typed.Statement | None = None
        own = () if unit.keeps_data else (v for v in unit.variables.values() if v.section in ("private", "output"))
        self.fleeting = {*own, *(v for v in unit.variables.values() if v.section == "temp")}
        if unit.result is not None:
            self.fleeting.add(unit.result)

    # --- what lies in slots ---

    def _overlapping(self, slot: Slot) -> list[Slot]:
        """The slots with a value that lie in a slot, or that it lies in."""
        root = root_of(slot)
        among = self.by_root.get(root)
        if not among:
            return []
        if len(among) == 1 and among[0] is slot:
            return among if self.cells[slot] is not None else []
        parts = members(slot)
        length = len(parts)
        found = []
        for other in among:
            if self.cells.get(other) is not None:
                theirs = members(other)
                if theirs[:length] == parts or parts[: len(theirs)] == theirs:
                    found.append(other)
        return found

    def _set(self, slot: Slot, cell: _Cell | None) -> None:
        before = self.cells.get(slot)
        self.trail.append((slot, before))
        if slot not in self.cells:
            self.by_root.setdefault(root_of(slot), []).append(slot)
        self.cells[slot] = cell

    def term_of(self, slot: Slot) -> Term:
        """The value of a slot now."""
        cell = self.cells.get(slot)
        if cell is not None and cell.epoch >= self.epoch:
            if isinstance(slot, tuple) or len(self.by_root[slot]) == 1:
                return cell.term
            length = 1
            if not any(len(members(o)) > length and self.cells.get(o) is not None for o in self.by_root[slot]):
                return cell.term
            return self.terms.any(last_variable(slot).type)
        type_ = _type_of(slot)
        if isinstance(slot, tuple):
            for length in range(len(slot) - 1, 0, -1):
                prefix: Slot = slot[:length] if length > 1 else root_of(slot)
                above = self.cells.get(prefix)
                if above is not None and above.epoch >= self.epoch:
                    return self.terms.made(("of", slot[length:]), type_, (above.term,))
        if self.epoch:
            return self.terms.made(("since", self.epoch, slot), type_, ())
        return self.first_term(slot)

    def first_term(self, slot: Slot) -> Term:
        """The value of a slot before anything has run."""
        type_, root = _type_of(slot), root_of(slot)
        if root in self.fleeting and slot is root and isinstance(type_, Elementary):
            value = root.initial if not isinstance(root.initial, (tuple, dict)) else None
            return self.terms.constant(type_.default if value is None else value, type_)
        return self.terms.start(slot, type_, self.known.get(slot) if isinstance(slot, typed.Variable) else None)

    def see(self, slot: Slot) -> None:
        """Note that the value of a slot may be read."""
        for other in self._overlapping(slot):
            cell = self.cells[other]
            if cell is not None:
                self._seen(cell.writes)

    def _seen(self, writes: Iterable[Write]) -> None:
        for write in writes:
            if not write.is_seen:
                write.is_seen = True
                self.open.pop(write, None)

    def forget(self, slot: Slot, term: Term | None = None) -> None:
        """A slot, with all in it, may have any value from here on."""
        for other in self._overlapping(slot):
            if len(members(other)) > len(members(slot)):
                self._set(other, None)
        self._set(slot, _Cell(term or self.terms.any(_type_of(slot)), (), self.epoch))

    def forget_all(self) -> None:
        """All data of the unit and all globals may have any value from here on, and somebody may have read them."""
        self._see_all(lambda root: True)
        self.epochs += 1
        self.epoch = self.epochs

    def _see_all(self, wanted: Callable[[typed.Variable], bool]) -> None:
        for write in list(self.open):
            cell = self.cells.get(write.slot)
            if wanted(root_of(write.slot)) and cell is not None and write in cell.writes:
                self._seen((write,))

    def leave(self) -> None:
        """The unit is left: what it has written is seen from outside, and by itself in the next scan."""
        self._see_all(lambda root: root not in self.fleeting or root.section in ("output", "result"))

    def returned(self) -> None:
        """Note what slots hold where the unit is left before its end."""
        condition = self.terms.any(BOOL) if self.loops else self.condition
        ends = {slot: self.term_of(slot) for slot in dict.fromkeys(slot for slot, _ in self.trail)}
        self.returns.append((condition, ends if len(self.returns) < _MOST_RETURNS else None))
        self.returned_epochs.add(self.epoch)

    def finish(self, goes_on: bool) -> None:
        """What slots hold in the end, wherever the unit was left."""
        slots = dict.fromkeys([*self.cells, *(slot for _, ends in self.returns if ends for slot in ends)])
        is_known = self.returned_epochs <= {self.epoch} and all(ends is not None for _, ends in self.returns)
        ways = list(self.returns) if goes_on else self.returns[:-1]
        for slot in slots:
            if not is_known:
                self.flow.final[slot] = self.terms.any(_type_of(slot))
                continue
            begun = self.first_term(slot)
            term = self.term_of(slot) if goes_on else (self.returns[-1][1] or {}).get(slot, begun)
            for condition, ends in reversed(ways):
                assert ends is not None
                term = self.terms.choice(condition, ends.get(slot, begun), term)
            self.flow.final[slot] = term

    # --- expressions ---

    def value(self, node: typed.Expression) -> Term:
        """The value of an expression, with all that evaluating it does."""
        return _VALUE[type(node)](self, node)

    def _constant(self, node: typed.Constant) -> Term:
        return self.terms.constant(node.value, node.type)

    def _constant_use(self, node: typed.ConstantUse) -> Term:
        variable = node.variable
        self.flow.constants.add(variable)
        if variable.is_folded and isinstance(variable.initial, (bool, int, float, str)):
            return self.terms.constant(variable.initial, node.type)
        return self.terms.named(variable, node.type)

    def _load(self, node: typed.Load) -> Term:
        return self.read(node.place)

    def read(self, place: typed.Place) -> Term:
        """The value at a place."""
        self._way(place)
        slot, is_exact = slot_of(place)
        self.see(slot)
        is_bound = bool(place.steps) and isinstance(place.steps[-1], typed.Bound)
        term = self.term_of(slot) if is_exact and not is_bound else self.terms.any(place.type)
        is_old = term.kind == "start" and term.key == slot
        self._note_read(slot, term, place.origin, is_old)
        return term

    def _note_read(self, slot: Slot, term: Term, origin: syntax.Node, is_old: bool) -> None:
        self.order += 1
        self.flow.reads.append(Read(slot, term, self.condition, self.order, origin, is_old, self.statement, self.loops))

    def _way(self, place: typed.Place) -> None:
        """What is evaluated to reach a place."""
        for number, step in enumerate(place.steps):
            if isinstance(step, typed.Element):
                for dimension, index in enumerate(step.indices):
                    term = self.value(index)
                    self.flow.indexed.append(Indexed(step.array, dimension, term, self.condition, place.origin, index))
            elif isinstance(step, typed.Target):
                slot, _ = slot_of(typed.Place(place.root, place.steps[:number], place.type, place.origin))
                self.see(slot)
                self._note_read(slot, self.terms.any(BOOL), place.origin, False)

    def _address(self, node: typed.AddressOf) -> Term:
        self._handed_on(node.place)
        return self.terms.any(node.type)

    def _handed_on(self, place: typed.Place) -> None:
        """Somebody else reads a place, and may write it."""
        self._way(place)
        slot, _ = slot_of(place)
        self.see(slot)
        self._note_read(slot, self.terms.any(place.type), place.origin, False)
        self.wrote(slot, self.terms.any(place.type), place.origin, None, is_weak=True)
        self.flow.writes[-1].is_seen = True
        self.open.pop(self.flow.writes[-1], None)

    def _part(self, node: typed.Part) -> Term:
        if isinstance(node.operand, typed.Load):
            slot, is_exact = slot_of(node.operand.place)
            part = (*members(slot), Bits(node.shift, node.type.bits))
            if is_exact and self.cells.get(part) is not None:
                self._way(node.operand.place)
                self.see(part)
                term = self.term_of(part)
                self._note_read(part, term, node.operand.place.origin, False)
                return term
        operand = self.value(node.operand)
        if operand.kind == "constant" and isinstance(operand.low, int):
            value = operand.low >> node.shift & ((1 << node.type.bits) - 1)
            return self.terms.constant(value, node.type)
        return self.terms.made(("part", node.shift), node.type, (operand,))

    def _in_range(self, node: typed.InRange) -> Term:
        return self.value(node.operand)

    def _convert(self, node: typed.Convert) -> Term:
        operand = self.value(node.operand)
        inner = node.operand.type
        if isinstance(inner, Elementary) and operand.low is not None and operand.high is not None:
            if (
                is_integer(inner)
                and is_integer(node.type)
                and node.type.low <= operand.low
                and operand.high <= node.type.high
            ):
                return operand
            if operand.kind == "constant" and is_real(node.type):
                return self.terms.constant(float(operand.low), node.type)
        return self.terms.made("convert", node.type, (operand,))

    def _unary(self, node: typed.Unary) -> Term:
        operand = self.value(node.operand)
        if operand.is_bool and node.operator == "NOT":
            return self.terms.negation(operand)
        if node.operator == "-" and operand.low is not None and operand.high is not None:
            return self.terms.made("-", node.type, (operand,), -operand.high, -operand.low)
        return self.terms.made(node.operator, node.type, (operand,))

    def _binary(self, node: typed.Binary) -> Term:
        a, b = self.value(node.left), self.value(node.right)
        if node.operator in _BOUNDS and a.low is not None and b.low is not None and not a.is_real and not b.is_real:
            self.flow.results[id(node)] = _BOUNDS[node.operator](a.low, a.high, b.low, b.high)
        return self.binary(node.operator, a, b, node.type)

    def binary(self, operator: str, a: Term, b: Term, type_: Elementary) -> Term:
        """What an operator makes of two values."""
        terms = self.terms
        if a.is_bool and b.is_bool and operator in _LOGIC:
            return _LOGIC[operator](terms, a, b)
        if operator in _COMPARES:
            return _COMPARES[operator](terms, a, b)
        low = high = None
        if a.low is not None and b.low is not None and not a.is_real and not b.is_real and operator in _BOUNDS:
            assert a.high is not None
            assert b.high is not None
            low, high = _BOUNDS[operator](a.low, a.high, b.low, b.high)
            if low == high and a.kind == b.kind == "constant" and type_.low <= low <= type_.high:
                return terms.constant(low, type_)
        if operator in ("+", "*", "AND", "OR", "XOR") and id(a) > id(b):
            a, b = b, a
        return terms.made(operator, type_, (a, b), low, high)

    def _call_function(self, node: typed.CallFunction) -> Term:
        if node.instance is not None:
            self._way(node.instance)
        inputs = [self.value(value) for value in node.inputs]
        for place in node.shared:
            self._handed_on(place)
        unit = node.function
        pins = [v for v in unit.variables.values() if v.section == "input"]
        given = dict(zip(pins, inputs, strict=False))
        slot = slot_of(node.instance)[0] if node.instance else None
        call = self._note_call(slot, unit, node.origin, given, True, node.is_virtual)
        if node.instance is not None:
            if node.instance.root.section == "this" or node.is_virtual:
                self.forget_all()
            elif slot is not None:
                self.see(slot)
                self.forget(slot)
        self._touch_globals(unit)
        is_pure = node.instance is None and not node.outputs and not node.shared and not any(used_globals(unit))
        result = self.terms.made(("function", unit), node.type, inputs) if is_pure else self.terms.any(node.type)
        for variable, receiver in node.outputs:
            self._receive(receiver, self.terms.any(variable.type), call)
        return result

    def _touch_globals(self, unit: typed.Unit) -> None:
        """What a unit that is called does to global variables."""
        read, written = used_globals(unit)
        for variable in read:
            self.see(variable)
        for variable in written:
            self.see(variable)
            self.forget(variable)

    def _note_call(
        self,
        slot: Slot | None,
        unit: typed.Unit,
        origin: syntax.Node,
        inputs: dict[typed.Variable, Term],
        is_exact: bool,
        is_virtual: bool,
    ) -> Call:
        self.order += 1
        statement = self.statement
        is_made = statement is not None and syntax.is_made(statement.origin) and _role(statement) != "enable"
        call = Call(
            slot, unit, self.condition, self.order, origin, inputs, statement, self.loops, is_exact, is_made, is_virtual
        )
        self.flow.calls.append(call)
        return call

    def _call_standard(self, node: typed.CallStandard) -> Term:
        inputs = [self.value(value) for value in node.inputs]
        if node.name == "SEL" and len(inputs) == 3 and inputs[0].is_bool:
            return self.terms.choice(inputs[0], inputs[2], inputs[1])
        return self.terms.made(("standard", node.name), node.type, inputs, *_bounds(node.name, inputs))

    def _bare(self, node: typed.Bare) -> Term:
        return self.value(node.build(node.default))

    # --- statements ---

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

    def wrote(
        self,
        slot: Slot,
        value: Term,
        origin: syntax.Node,
        written: typed.Expression | None,
        is_weak: bool = False,
        call: Call | None = None,
    ) -> None:
        """A slot gets a value."""
        self.order += 1
        is_made = self.statement is not None and syntax.is_made(self.statement.origin)
        write = Write(
            slot, value, self.condition, self.order, origin, written, is_weak, self.loops, is_made, self.statement, call
        )
        self.flow.writes.append(write)
        self.open[write] = None
        before: tuple[Write, ...] = ()
        for other in self._overlapping(slot):
            cell = self.cells[other]
            assert cell is not None
            is_covered = not is_weak and len(members(other)) >= len(members(slot))
            if is_covered:
                for earlier in cell.writes:
                    if earlier.winner is None:
                        earlier.winner = write
            else:
                before += cell.writes
            if other != slot and is_covered:
                self._set(other, None)
            elif other != slot:
                self._set(other, _Cell(self.terms.any(_type_of(other)), (*cell.writes, write), self.epoch))
        self._set(slot, _Cell(value, (*before[-8:], write), self.epoch))
        if len(before) > 8:
            self._seen(before[:-8])

    def _assign(self, node: typed.Assign) -> bool:
        self._way(node.place)
        value = self.value(node.value)
        slot, is_exact = slot_of(node.place)
        if not is_exact:
            value = self.terms.any(node.place.type)
        self.wrote(slot, value, node.place.origin, node.value, is_weak=not is_exact)
        self._beyond(node.place)
        return True

    def _beyond(self, place: typed.Place) -> None:
        """What is written through a reference may be any variable."""
        if any(isinstance(step, typed.Target) for step in place.steps):
            self.forget_all()

    def _assign_part(self, node: typed.AssignPart) -> bool:
        self._way(node.place)
        value = self.value(node.value)
        self._write_part(node.place, Bits(node.shift, node.type.bits), value, node.value, None)
        return True

    def _write_part(
        self, place: typed.Place, bits: Bits, value: Term, written: typed.Expression | None, call: Call | None
    ) -> None:
        slot, is_exact = slot_of(place)
        if is_exact:
            self.wrote((*members(slot), bits), value, place.origin, written, call=call)
        else:
            self.wrote(slot, self.terms.any(place.type), place.origin, written, is_weak=True, call=call)

    def _evaluate(self, node: typed.Evaluate) -> bool:
        self.value(node.call)
        return True

    def _call_instance(self, node: typed.CallInstance) -> bool:
        self._way(node.instance)
        slot, is_exact = slot_of(node.instance)
        inputs = {pin: self.value(value) for pin, value in node.inputs}
        for _, place in node.shared:
            self._handed_on(place)
        self.see(slot)
        call = self._note_call(slot, node.block, node.origin, inputs, is_exact, node.is_virtual)
        kept = {}
        if is_exact and node.block.kind != "CLASS":
            kept = {v: self.term_of((*members(slot), v)) for v in node.block.variables.values() if v.section == "input"}
        if node.instance.root.section == "this" or node.is_virtual:
            self.forget_all()
        else:
            self.forget(slot, self.terms.made(("ran", self.order), BOOL, ()))
        self._touch_globals(node.block)
        for pin, value in (kept | inputs).items():
            self._set((*members(slot), pin), _Cell(value, (), self.epoch))
        for variable, receiver, negated in node.outputs:
            value = self.term_of((*members(slot), variable))
            self._receive(receiver, self.terms.negation(value) if negated and value.is_bool else value, call)
        return True

    def _receive(self, receiver: typed.Receiver, value: Term, call: Call) -> None:
        """An output is taken."""
        place = receiver.place
        self._way(place)
        if receiver.shift is not None:
            assert isinstance(receiver.type, Elementary)
            self._write_part(place, Bits(receiver.shift, receiver.type.bits), value, None, call)
            return
        slot, is_exact = slot_of(place)
        self.wrote(slot, value if is_exact else self.terms.any(place.type), place.origin, None, not is_exact, call)
        self._beyond(place)

    def _if(self, node: typed.If) -> bool:
        if _role(node) == "disable":
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
            ways.append((self.terms.both(none_before, value), lambda body=branch.body: self.body(body)))  # type: ignore[misc]
            none_before = self.terms.both(none_before, self.terms.negation(value))
        ways.append((none_before, lambda: self.body(node.otherwise)))
        return self._choose(ways)

    def _case(self, node: typed.Case) -> bool:
        selector = self.value(node.selector)
        every = sorted(label for arm in node.arms for label in arm.ranges)
        ways: list[_Branch] = []
        for index, arm in enumerate(node.arms):
            value = self.terms.within(selector, _merged(sorted(arm.ranges)))
            self.flow.decisions.append(Decision(value, self.condition, arm.origin, node.selector, node, index))
            ways.append((value, lambda body=arm.body: self.body(body)))  # type: ignore[misc]
        other = self.terms.negation(self.terms.within(selector, _merged(every)))
        ways.append((other, lambda: self.body(node.otherwise)))
        return self._choose(ways)

    def _choose(self, ways: list[_Branch]) -> bool:
        """Walk the ways of a statement of which one is taken; whether any goes on behind it."""
        outer, statement, epoch = self.condition, self.statement, self.epoch
        going: list[tuple[Term, dict[Slot, _Cell | None], int]] = []
        leaving: list[Term] = []
        for condition, run in ways:
            mark = len(self.trail)
            self.condition = self.terms.both(outer, condition)
            goes_on = run()
            changed = {slot: self.cells[slot] for slot, _ in self.trail[mark:]}
            ended = self.epoch
            self._undo(mark)
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

    def _undo(self, mark: int) -> None:
        while len(self.trail) > mark:
            slot, cell = self.trail.pop()
            self.cells[slot] = cell

    def _join(self, going: list[tuple[Term, dict[Slot, _Cell | None], int]]) -> None:
        """What slots hold where several ways have met."""
        if any(epoch != self.epoch for _, _, epoch in going):
            slots = dict.fromkeys(slot for _, changed, _ in going for slot in changed)
            for slot in slots:
                cells = [cell for _, changed, _ in going if (cell := changed.get(slot)) is not None]
                self._set(slot, _Cell(self.terms.any(_type_of(slot)), _together(cells), -1))
            self.epochs += 1
            self.epoch = self.epochs
            return
        by_slot: dict[Slot, list[tuple[Term, _Cell | None]]] = {}
        for condition, changed, _ in going:
            for slot, cell in changed.items():
                by_slot.setdefault(slot, []).append((condition, cell))
        for slot in sorted(by_slot, key=lambda slot: len(members(slot))):
            ends = by_slot[slot]
            before = self.cells.get(slot)
            is_everywhere = len(ends) == len(going)
            if any(cell is None for _, cell in ends):
                cells = [cell for _, cell in ends if cell is not None]
                if not is_everywhere and before is not None:
                    cells.append(before)
                self._set(slot, _Cell(self.terms.any(_type_of(slot)), _together(cells), self.epoch) if cells else None)
                continue
            found = [(condition, cell) for condition, cell in ends if cell is not None]
            if is_everywhere:
                term = found[-1][1].term
                rest = found[:-1]
            else:
                term = self.term_of(slot)
                rest = found
            for condition, cell in reversed(rest):
                term = self.terms.choice(condition, cell.term, term)
            cells = [cell for _, cell in found]
            if not is_everywhere and before is not None:
                cells.append(before)
            self._set(slot, _Cell(term, _together(cells), self.epoch))

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
        old: dict[Slot, tuple[Write, ...]] = {}
        for slot in touched:
            old[slot] = tuple(
                write for other in self._overlapping(slot) if (cell := self.cells[other]) for write in cell.writes
            )
        if is_all:
            self.forget_all()
        for slot in touched:
            self._loosen(slot, old[slot])
        self.loops = (*outer_loops, number)
        before()
        self.body(body)
        after()
        self.flow.loops[number] = (node, (begun, self.order))
        self.loops, self.condition = outer_loops, outer
        inside = self.flow.writes[first:]
        read = {root_of(read.slot) for read in self.flow.reads[mark_reads:]}
        by_slot: dict[Slot, list[Write]] = {}
        for write in inside:
            by_slot.setdefault(write.slot, []).append(write)
            if root_of(write.slot) in read:
                self._seen((write,))
        if is_all:
            self.forget_all()
        for slot in {**old, **by_slot}:
            self._loosen(slot, (*old.get(slot, ()), *by_slot.get(slot, ())))
        return True

    def _loosen(self, slot: Slot, writes: tuple[Write, ...]) -> None:
        """A slot has any value, which may come from some writes."""
        self.forget(slot)
        if len(writes) > 8:
            self._seen(writes[:-8])
        self._set(slot, _Cell(self.terms.any(_type_of(slot)), writes[-8:], self.epoch))

    def _for(self, node: typed.For) -> bool:
        first, last, step = self.value(node.first), self.value(node.last), self.value(node.step)
        slot, is_exact = slot_of(node.place)
        values: Ranges | None = None
        if step.kind == "constant" and first.low is not None and last.high is not None and step.low:
            low, high = (first.low, last.high) if step.low > 0 else (last.low or 0, first.high or 0)
            values = ((low, high),) if low <= high else None

        def count() -> None:
            self.wrote(slot, self.terms.any(node.place.type, values), node.place.origin, None, not is_exact)
            self._seen((self.flow.writes[-1],))

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


def _role(node: typed.Statement) -> str:
    return node.origin.role if isinstance(node.origin, syntax.Made) else ""


def _together(cells: Iterable[_Cell]) -> tuple[Write, ...]:
    """The writes of several cells, each once."""
    return tuple(dict.fromkeys(write for cell in cells for write in cell.writes))


def _touched(body: Iterable[typed.Statement]) -> tuple[dict[Slot, None], bool]:
    """The slots that a body may write, and whether it may write anything at all."""
    found: dict[Slot, None] = {}
    is_all = False
    for statement in every_statement(body):
        for access in accesses(statement):
            place = access.place
            if access.kind in ("write", "address") and place is not None:
                found[slot_of(place)[0]] = None
                is_all = is_all or any(isinstance(step, typed.Target) for step in place.steps)
            elif access.kind == "call":
                assert access.unit is not None
                found |= dict.fromkeys(used_globals(access.unit)[1])
                if place is not None:
                    found[slot_of(place)[0]] = None
                    is_all = is_all or access.is_virtual or place.root.section == "this"
        if isinstance(statement, typed.CallInstance):
            found[slot_of(statement.instance)[0]] = None
    return found, is_all


def _type_of(slot: Slot) -> Type:
    """The type of what lies in a slot."""
    last = members(slot)[-1]
    if isinstance(last, typed.Variable):
        return last.type
    if isinstance(last, Bits):
        return BOOL if last.bits == 1 else _UNKNOWN
    type_ = last_variable(slot).type
    element = getattr(type_, "element", None)
    return element if isinstance(element, Type) and isinstance(element, Elementary) else _UNKNOWN


_UNKNOWN = Elementary("", "untyped", 0)


def _merged(ranges: Iterable[tuple[int, int]]) -> Ranges:
    """Ranges in order, those that touch as one."""
    found: list[tuple[int, int]] = []
    for low, high in ranges:
        if found and low <= found[-1][1] + 1:
            found[-1] = (found[-1][0], max(high, found[-1][1]))
        else:
            found.append((low, high))
    return tuple(found)


def _bounds(name: str, inputs: list[Term]) -> tuple[Any, Any]:
    """The least and the greatest result of a standard function, where they are known."""
    numbers = [(t.low, t.high) for t in inputs if t.low is not None and t.high is not None and not t.is_real]
    if len(numbers) < len(inputs) or not numbers:
        return None, None
    if name == "LIMIT" and len(numbers) == 3:
        return max(numbers[0][0], min(numbers[1][0], numbers[2][0])), max(
            min(numbers[1][1], numbers[2][1]), numbers[0][1]
        )
    if name in ("MIN", "MAX"):
        chosen = min if name == "MIN" else max
        return chosen(n[0] for n in numbers), chosen(n[1] for n in numbers)
    return None, None


_LOGIC: dict[str, Callable[[Terms, Term, Term], Term]] = {
    "AND": Terms.both,
    "OR": Terms.either,
    "XOR": Terms.unlike,
    "=": Terms.same,
    "<>": Terms.unlike,
}
_COMPARES: dict[str, Callable[[Terms, Term, Term], Term]] = {
    "=": Terms.same,
    "<>": lambda terms, a, b: terms.negation(terms.same(a, b)),
    "<": Terms.less,
    ">": lambda terms, a, b: terms.less(b, a),
    "<=": lambda terms, a, b: _at_most(terms, a, b),
    ">=": lambda terms, a, b: _at_most(terms, b, a),
}


def _at_most(terms: Terms, a: Term, b: Term) -> Term:
    """``a <= b``; of numbers that may be none it is not the opposite of ``b < a``."""
    if not a.is_real and not b.is_real:
        return terms.negation(terms.less(b, a))
    for one, other, below in ((b, a, True), (a, b, False)):
        if one.kind == "constant" and one.low is not None and one.high is not None and other.low is not None:
            return terms.within(other, ((float("-inf"), one.low),) if below else ((one.high, float("inf")),))
    return terms.either(terms.less(a, b), terms.same(a, b))


def _product(a: int, b: int, c: int, d: int) -> tuple[int, int]:
    ends = (a * c, a * d, b * c, b * d)
    return min(ends), max(ends)


_BOUNDS: dict[str, Callable[[Any, Any, Any, Any], tuple[Any, Any]]] = {
    "+": lambda a, b, c, d: (a + c, b + d),
    "-": lambda a, b, c, d: (a - d, b - c),
    "*": _product,
    "MOD": lambda a, b, c, d: (0 if a >= 0 else -max(abs(c), abs(d)), max(abs(c), abs(d))),
}

_VALUE: dict[type, Callable[[_Walk, Any], Term]] = {
    typed.Constant: _Walk._constant,
    typed.ConstantUse: _Walk._constant_use,
    typed.Load: _Walk._load,
    typed.AddressOf: _Walk._address,
    typed.Part: _Walk._part,
    typed.InRange: _Walk._in_range,
    typed.Convert: _Walk._convert,
    typed.Unary: _Walk._unary,
    typed.Binary: _Walk._binary,
    typed.CallFunction: _Walk._call_function,
    typed.CallStandard: _Walk._call_standard,
    typed.Bare: _Walk._bare,
}
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
