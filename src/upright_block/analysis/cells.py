"""What lies in slots while a body is walked: values as terms, and the writes that each may come from."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from upright_block.analysis.flow import Call, Flow, Write
from upright_block.analysis.slots import Bits, Slot, last_variable, members, root_of
from upright_block.analysis.terms import Ranges, Term, Terms
from upright_block.language import syntax, typed
from upright_block.language.nodes import node
from upright_block.language.types import BOOL, Elementary, Type
from upright_block.language.walking import accesses, every_statement

_MOST_RETURNS = 40
"""So many RETURNs of a body are told apart in what it leaves."""
_MOST_WRITES = 8


@node
class Cell:
    """The value of a slot, and the writes that it may come from. ``epoch`` tells when."""

    term: Term
    writes: tuple[Write, ...]
    epoch: int


class Cells:
    """The slots of one call of a unit, and what it does to them."""

    def __init__(self, unit: typed.Unit, terms: Terms, known: Mapping[typed.Variable, Ranges]) -> None:
        self.unit = unit
        self.terms = terms
        self.known = known
        self.flow = Flow(unit, terms)
        self.cells: dict[Slot, Cell | None] = {}
        self.below: dict[Slot, dict[Slot, None]] = {}
        self.trail: list[tuple[Slot, Cell | None]] = []
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
        self.aliases = _aliases(unit)

    def overlapping(self, slot: Slot) -> list[Slot]:
        """The slots with a value that lie in a slot, or that it lies in."""
        found = [part for part in (*_around(slot), slot) if self.cells.get(part) is not None]
        return [*found, *self.below.get(slot, ())]

    def put(self, slot: Slot, cell: Cell | None) -> None:
        """Give a slot a value, or none; `undo` takes it back."""
        self.trail.append((slot, self.cells.get(slot)))
        self._hold(slot, cell)

    def _hold(self, slot: Slot, cell: Cell | None) -> None:
        self.cells[slot] = cell
        for outer in _around(slot):
            inside = self.below.setdefault(outer, {})
            if cell is None:
                inside.pop(slot, None)
            else:
                inside[slot] = None

    def term_of(self, slot: Slot) -> Term:
        """The value of a slot now."""
        cell = self.cells.get(slot)
        if cell is not None and cell.epoch >= self.epoch:
            return self.terms.any(type_of(slot)) if self.below.get(slot) else cell.term
        type_ = type_of(slot)
        for outer in reversed(_around(slot)):
            above = self.cells.get(outer)
            if above is not None and above.epoch >= self.epoch:
                return self.terms.made(("of", members(slot)[len(members(outer)) :]), type_, (above.term,))
        if self.epoch:
            return self.terms.made(("since", self.epoch, slot), type_, ())
        return self.first_term(slot)

    def first_term(self, slot: Slot) -> Term:
        """The value of a slot before anything has run."""
        type_, root = type_of(slot), root_of(slot)
        if root in self.fleeting and slot is root and isinstance(type_, Elementary):
            value = root.initial if not isinstance(root.initial, (tuple, dict)) else None
            return self.terms.constant(type_.default if value is None else value, type_)
        return self.terms.start(slot, type_, self.known.get(slot) if isinstance(slot, typed.Variable) else None)

    def see(self, slot: Slot) -> None:
        """Note that the value of a slot may be read, and that of what may be the same variable."""
        others = self.overlapping(slot)
        for alias in self.aliases.get(root_of(slot), ()) if self.aliases else ():
            others += self.overlapping(alias)
        for other in others:
            cell = self.cells[other]
            if cell is not None:
                self.mark_seen(cell.writes)

    def mark_seen(self, writes: Iterable[Write]) -> None:
        """Note that what some writes gave may be read."""
        for write in writes:
            if not write.is_seen:
                write.is_seen = True
                self.open.pop(write, None)

    def forget(self, slot: Slot, term: Term | None = None) -> None:
        """A slot, with all in it, may have any value from here on."""
        for other in self.overlapping(slot):
            if len(members(other)) > len(members(slot)):
                self.put(other, None)
        self.put(slot, Cell(term or self.terms.any(type_of(slot)), (), self.epoch))

    def forget_all(self) -> None:
        """All data of the unit and all globals may have any value from here on, and somebody may have read them."""
        self.see_all(lambda root: True)
        self.epochs += 1
        self.epoch = self.epochs

    def see_all(self, wanted: Callable[[typed.Variable], bool]) -> None:
        """Note that the values of all slots of some variables may be read."""
        for write in list(self.open):
            cell = self.cells.get(write.slot)
            if wanted(root_of(write.slot)) and cell is not None and write in cell.writes:
                self.mark_seen((write,))

    def leave(self) -> None:
        """The unit is left: what it has written is seen from outside, and by itself in the next scan."""
        self.see_all(lambda root: root not in self.fleeting or root.section in ("output", "result"))

    def returned(self) -> None:
        """Note what slots hold where the unit is left before its end."""
        condition = self.terms.any(BOOL) if self.loops else self.condition
        is_told = len(self.returns) < _MOST_RETURNS
        slots = dict.fromkeys(slot for slot, _ in self.trail) if is_told else {}
        self.returns.append((condition, {slot: self.term_of(slot) for slot in slots} if is_told else None))
        self.returned_epochs.add(self.epoch)

    def finish(self, goes_on: bool) -> None:
        """What slots hold in the end, wherever the unit was left."""
        slots = dict.fromkeys([*self.cells, *(slot for _, ends in self.returns if ends for slot in ends)])
        is_known = self.returned_epochs <= {self.epoch} and all(ends is not None for _, ends in self.returns)
        ways = list(self.returns) if goes_on else self.returns[:-1]
        for slot in slots:
            if not is_known:
                self.flow.final[slot] = self.terms.any(type_of(slot))
                continue
            begun = self.first_term(slot)
            term = self.term_of(slot) if goes_on else (self.returns[-1][1] or {}).get(slot, begun)
            for condition, ends in reversed(ways):
                assert ends is not None
                term = self.terms.choice(condition, ends.get(slot, begun), term)
            self.flow.final[slot] = term

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
        for other in self.overlapping(slot):
            cell = self.cells[other]
            assert cell is not None
            is_covered = not is_weak and len(members(other)) >= len(members(slot))
            if is_covered:
                for earlier in cell.writes:
                    if earlier.winner is None:
                        earlier.winner = write
                    if earlier.condition is write.condition and earlier.loops == write.loops:
                        self.open.pop(earlier, None)  # nobody will ever see it
            else:
                before += cell.writes
            is_inside = len(members(other)) > len(members(slot))
            if other != slot and (is_covered or is_inside):
                self.put(other, None)  # where the slot got a value somewhere, nothing in it is known any more
            elif other != slot:
                self.put(other, Cell(self.terms.any(type_of(other)), (*cell.writes, write), self.epoch))
        self.put(slot, Cell(value, (*before[-_MOST_WRITES:], write), self.epoch))
        if len(before) > _MOST_WRITES:
            self.mark_seen(before[:-_MOST_WRITES])
        for alias in self.aliases.get(root_of(slot), ()) if self.aliases else ():
            held = [self.cells[other] for other in self.overlapping(alias)]
            self.loosen(alias, (*together(cell for cell in held if cell is not None), write))

    def loosen(self, slot: Slot, writes: tuple[Write, ...]) -> None:
        """A slot has any value, which may come from some writes."""
        self.forget(slot)
        if len(writes) > _MOST_WRITES:
            self.mark_seen(writes[:-_MOST_WRITES])
        self.put(slot, Cell(self.terms.any(type_of(slot)), writes[-_MOST_WRITES:], self.epoch))

    def undo(self, mark: int) -> None:
        """Take back what was put since the trail was so long."""
        while len(self.trail) > mark:
            slot, cell = self.trail.pop()
            self._hold(slot, cell)


def _aliases(unit: typed.Unit) -> dict[typed.Variable, list[typed.Variable]]:
    """By variable those that may be the same: two in-outs, or an in-out and a global variable that the body names, of one type."""
    holder = unit.owner
    shared = [*unit.section("in_out"), *(holder.section("in_out") if holder is not None else ())]
    if not shared:
        return {}
    named = {a.place.root for s in every_statement(unit.body or ()) for a in accesses(s) if a.place is not None}
    outer = [v.shared or v for v in named if v.section in ("global", "external")]
    found: dict[typed.Variable, list[typed.Variable]] = {}
    for one in shared:
        for other in (*shared, *outer):
            if one is not other and (one.type is other.type or not isinstance(one.type, Elementary)):
                found.setdefault(one, []).append(other)
                if other not in shared:
                    found.setdefault(other, []).append(one)
    return found


def _around(slot: Slot) -> tuple[Slot, ...]:
    """The slots that a slot lies in, its variable first."""
    if not isinstance(slot, tuple):
        return ()
    if len(slot) == _SHORT:
        return (root_of(slot),)
    return (root_of(slot), *(slot[:length] for length in range(_SHORT, len(slot))))


_SHORT = 2


def together(cells: Iterable[Cell]) -> tuple[Write, ...]:
    """The writes of several cells, each once."""
    return tuple(dict.fromkeys(write for cell in cells for write in cell.writes))


def type_of(slot: Slot) -> Type:
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
