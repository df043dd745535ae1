"""What lies in locations while a body is walked: values as terms, and the writes that each may come from."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from upright_block.analysis.flow import Call, Flow, Write
from upright_block.analysis.locations import (
    Bits,
    Location,
    LocationIndex,
    around,
    covers,
    last_variable,
    members,
    mixed_locations,
    root_of,
)
from upright_block.analysis.terms import Ranges, Term, Terms
from upright_block.language import syntax, typed
from upright_block.language.field.copying import used_globals
from upright_block.language.nodes import node
from upright_block.language.types import BOOL, CHAR, WCHAR, Array, Elementary, OpenArray, String, Type

_MOST_RETURNS = 40
"""So many RETURNs of a body are told apart in what it leaves."""
_MOST_WRITES = 8


@node
class Content:
    """The value of a location, and the writes that it may come from. ``epoch`` tells when."""

    term: Term
    writes: tuple[Write, ...]
    epoch: int


class Cells:
    """The locations of one call of a unit, and what it does to them."""

    def __init__(self, unit: typed.Unit, terms: Terms, known: Mapping[typed.Variable, Ranges]) -> None:
        self.unit = unit
        self.terms = terms
        self.known = known
        self.flow = Flow(unit, terms)
        self.cells: dict[Location, Content | None] = {}
        self.held = LocationIndex()
        self.trail: list[tuple[Location, Content | None]] = []
        self.epoch = 0
        self.epochs = 0
        self.open: dict[Write, None] = {}
        self.condition = terms.true
        self.loops: tuple[int, ...] = ()
        self.returns: list[tuple[Term, dict[Location, Term] | None]] = []
        self.returned_epochs: set[int] = set()
        self.order = 0
        self.statement: typed.Statement | None = None
        own = () if unit.keeps_data else (v for v in unit.variables.values() if v.section in ("private", "output"))
        self.fleeting = {*own, *(v for v in unit.variables.values() if v.section == "temp")}
        if unit.result is not None:
            self.fleeting.add(unit.result)
        self.aliases = _aliases(unit)

    def put(self, location: Location, cell: Content | None) -> None:
        """Give a location a value, or none; `undo` takes it back."""
        self.trail.append((location, self.cells.get(location)))
        self._hold(location, cell)

    def _hold(self, location: Location, cell: Content | None) -> None:
        self.cells[location] = cell
        (self.held.remove if cell is None else self.held.add)(location)

    def overlapping(self, location: Location) -> list[tuple[Location, Content]]:
        """What has memory in common with a location and has a value, itself among them."""
        return [(other, cell) for other in self.held.overlapping(location) if (cell := self.cells[other]) is not None]

    def term_of(self, location: Location) -> Term:
        """The value of a location now."""
        for outer in (location, *reversed(around(location))):
            cell = self._valid(outer)
            if cell is not None:
                return cell.term if outer is location else self._inside(location, outer, cell.term)
        if any(cell.epoch >= self.epoch for _, cell in self.overlapping(location)):
            return self.terms.any(type_of(location))
        return self._untouched(location)

    def _valid(self, location: Location) -> Content | None:
        """What a location has got since anything may have got any value."""
        cell = self.cells.get(location)
        return cell if cell is not None and cell.epoch >= self.epoch else None

    def _inside(self, location: Location, outer: Location, value: Term) -> Term:
        """What lies in a location, where that around it has a value."""
        rest = members(location)[len(members(outer)) :]
        if len(rest) == 1 and isinstance(rest[0], Bits):
            return self.terms.part(value, rest[0].shift, rest[0].type)
        return self.terms.made(("of", rest), type_of(location), (value,))

    def _untouched(self, location: Location) -> Term:
        """The value of a location that nothing has written since the beginning, or since anything may have got any
        value.
        """
        last = members(location)[-1]
        if isinstance(last, Bits) and not root_of(location).is_area:
            return self._inside(location, around(location)[-1], self._untouched(around(location)[-1]))
        if self.epoch:
            return self.terms.made(("since", self.epoch, location), type_of(location), ())
        return self.first_term(location)

    def is_old(self, location: Location, term: Term) -> bool:
        """Whether a value of a location is that which it had when the scan began."""
        return not self.epoch and term.kind in ("start", "made") and term is self._untouched(location)

    def first_term(self, location: Location) -> Term:
        """The value of a location before anything has run."""
        type_, root = type_of(location), root_of(location)
        if root in self.fleeting and location is root and isinstance(type_, Elementary):
            value = root.initial if not isinstance(root.initial, (tuple, dict)) else None
            return self.terms.constant(type_.default if value is None else value, type_)
        return self.terms.start(
            location, type_, self.known.get(location) if isinstance(location, typed.Variable) else None
        )

    def see(self, location: Location) -> None:
        """Note that the value of a location may be read, and that of what may be the same variable."""
        for one in (location, *self._aliases_of(location)):
            for _, cell in self.overlapping(one):
                self.mark_seen(cell.writes)

    def _aliases_of(self, location: Location) -> list[typed.Variable]:
        """The variables that may lie in the same memory as a location."""
        return self.aliases.get(root_of(location), []) if self.aliases else []

    def mark_seen(self, writes: Iterable[Write]) -> None:
        """Note that what some writes gave may be read."""
        for write in writes:
            if not write.is_seen:
                write.is_seen = True
                self.open.pop(write, None)

    def forget(self, location: Location, term: Term | None = None) -> None:
        """A location, with all in it, may have any value from here on, and so what may be the same variable."""
        for one in (*self._aliases_of(location), location):
            self._clear(one)
            self.put(one, Content(self.terms.any(type_of(one)), (), self.epoch))
        if term is not None:
            self.put(location, Content(term, (), self.epoch))

    def _clear(self, location: Location, write: Write | None = None) -> tuple[Write, ...]:
        """Nothing is known any more of what overlaps a location; the writes that what lies in it came from."""
        inside: tuple[Write, ...] = ()
        for other, cell in self.overlapping(location):
            if covers(location, other):
                inside += cell.writes
                self.put(other, None)
            else:
                writes = cell.writes
                if write is not None:
                    writes = (*(earlier for earlier in writes if not _is_hidden(earlier, write)), write)
                self.put(other, Content(self.terms.any(type_of(other)), self._some(writes), self.epoch))
        return inside

    def _some(self, writes: tuple[Write, ...]) -> tuple[Write, ...]:
        """The last of many writes; those before are taken as seen."""
        if len(writes) > _MOST_WRITES:
            self.mark_seen(writes[:-_MOST_WRITES])
        return writes[-_MOST_WRITES:]

    def forget_all(self) -> None:
        """All data of the unit and all globals may have any value from here on, and somebody may have read them."""
        self.see_all(lambda root: True)
        self.epochs += 1
        self.epoch = self.epochs

    def see_all(self, wanted: Callable[[typed.Variable], bool]) -> None:
        """Note that the values of all locations of some variables may be read."""
        for write in list(self.open):
            if wanted(root_of(write.location)) and any(
                write in cell.writes for _, cell in self.overlapping(write.location)
            ):
                self.mark_seen((write,))

    def leave(self) -> None:
        """The unit is left: what it has written is seen from outside, and by itself in the next scan."""
        self.see_all(lambda root: root not in self.fleeting or root.section in ("output", "result"))

    def returned(self) -> None:
        """Note what locations hold where the unit is left before its end."""
        condition = self.terms.any(BOOL) if self.loops else self.condition
        is_told = len(self.returns) < _MOST_RETURNS
        locations = dict.fromkeys(location for location, _ in self.trail) if is_told else {}
        self.returns.append(
            (condition, {location: self.term_of(location) for location in locations} if is_told else None)
        )
        self.returned_epochs.add(self.epoch)

    def finish(self, goes_on: bool) -> None:
        """What locations hold in the end, wherever the unit was left."""
        ways = [(condition, ends) for condition, ends in self.returns if ends is not None]
        locations = dict.fromkeys([*self.cells, *(location for _, ends in ways for location in ends)])
        is_known = self.returned_epochs <= {self.epoch} and len(ways) == len(self.returns)
        mixed = mixed_locations([ends for _, ends in ways], locations)
        for location in locations:
            if not is_known or location in mixed:
                self.flow.final[location] = self.terms.any(type_of(location))
                continue
            terms = [(condition, ends.get(location) or self._untouched(location)) for condition, ends in ways]
            term = self.term_of(location) if goes_on else terms.pop()[1]
            for condition, end in reversed(terms):
                term = self.terms.choice(condition, end, term)
            self.flow.final[location] = term

    def wrote(
        self,
        location: Location,
        value: Term,
        origin: syntax.Node,
        written: typed.Expression | None,
        is_weak: bool = False,
        call: Call | None = None,
    ) -> None:
        """A location gets a value."""
        self.order += 1
        is_made = self.statement is not None and syntax.is_made(self.statement.origin)
        write = Write(
            location,
            value,
            self.condition,
            self.order,
            origin,
            written,
            is_weak,
            self.loops,
            is_made,
            self.statement,
            call,
        )
        self.flow.writes.append(write)
        self.open[write] = None
        inside = self._clear(location, write)
        for earlier in inside if not is_weak else ():
            if not covers(location, earlier.location):
                continue
            if earlier.winner is None:
                earlier.winner = write
            if _is_hidden(earlier, write):
                self.open.pop(earlier, None)
        self.put(location, Content(value, self._some((*inside, write) if is_weak else (write,)), self.epoch))
        for alias in self._aliases_of(location):
            self.loosen(alias, (*together(cell for _, cell in self.overlapping(alias)), write))

    def loosen(self, location: Location, writes: tuple[Write, ...]) -> None:
        """A location has any value, which may come from some writes, or from those of what lies in it."""
        found = dict.fromkeys((*self._clear(location), *writes))
        self.put(location, Content(self.terms.any(type_of(location)), self._some(tuple(found)), self.epoch))

    def undo(self, mark: int) -> None:
        """Take back what was put since the trail was so long."""
        while len(self.trail) > mark:
            location, cell = self.trail.pop()
            self._hold(location, cell)


def _aliases(unit: typed.Unit) -> dict[typed.Variable, list[typed.Variable]]:
    """By variable those that may lie in the same memory: in-outs, and with them what may have been given for one.

    That are global variables, and in a method the variables of its owner.
    """
    owner = unit.owner
    shared = [*unit.section("in_out"), *(owner.section("in_out") if owner is not None else ())]
    if not shared:
        return {}
    outer = sorted(frozenset().union(*used_globals(unit)), key=lambda variable: variable.name)
    outer += [v for v in owner.variables.values() if v not in shared] if owner is not None else []
    found: dict[typed.Variable, list[typed.Variable]] = {}
    for one in shared:
        for other in (*shared, *outer):
            if one is not other and (_may_hold(one, other) or _may_hold(other, one)):
                found.setdefault(one, []).append(other)
                if other not in shared:
                    found.setdefault(other, []).append(one)
    return found


def _is_hidden(earlier: Write, write: Write) -> bool:
    """Whether nobody will ever see a write, since whenever it is done another is done over it."""
    is_whole = not write.is_weak and covers(write.location, earlier.location)
    return is_whole and earlier.condition is write.condition and earlier.loops == write.loops


def _may_hold(outer: typed.Variable, inner: typed.Variable) -> bool:
    """Whether a variable of one type may lie in one of another; what is in an array is one of its elements."""
    if outer.is_area:
        return inner.type is not BOOL
    waiting, seen = [outer.type], set[Type]()
    while waiting:
        type_ = waiting.pop()
        if type_ is inner.type or (isinstance(type_, OpenArray) or isinstance(inner.type, OpenArray)):
            return True
        if type_ in seen:
            continue
        seen.add(type_)
        if isinstance(type_, typed.Compound):
            waiting += [variable.type for variable in type_.variables.values()]
        elif isinstance(type_, Array):
            waiting.append(type_.element)
        elif isinstance(type_, String):
            waiting.append(CHAR if type_.width == 1 else WCHAR)
    return False


def together(cells: Iterable[Content]) -> tuple[Write, ...]:
    """The writes of several cells, each once."""
    return tuple(dict.fromkeys(write for cell in cells for write in cell.writes))


def type_of(location: Location) -> Type:
    """The type of what lies in a location."""
    last = members(location)[-1]
    if isinstance(last, typed.Variable):
        return last.type
    if isinstance(last, Bits):
        return last.type
    type_ = last_variable(location).type
    element = getattr(type_, "element", None)
    return element if isinstance(element, Type) and isinstance(element, Elementary) else _UNKNOWN


_UNKNOWN = Elementary("", "untyped", 0)
