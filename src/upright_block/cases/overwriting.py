"""What is stored into a variable from outside and is gone again before anything of the library reads it."""

from __future__ import annotations

from collections.abc import Iterator

from upright_block.compiler.flow import usage
from upright_block.language import syntax
from upright_block.language.nodes import record
from upright_block.language.signals import Signal
from upright_block.language.source import Source
from upright_block.language.typed import CallInstance, Member, Place, Statement, Step, Unit, Variable, closure
from upright_block.language.walking import Access, accesses, every_statement


@record
class Overwritten:
    """Where a variable has another value before it is read: a place in a unit, or the ``point`` that gives it."""

    unit: Unit
    start: int
    is_wired: bool
    point: str = ""

    @property
    def source(self) -> Source:
        """The text that overwrites it."""
        return self.unit.source

    @property
    def shown(self) -> str:
        """The place, as people write it."""
        return self.source.shown_line(self.start)


@record
class _Own:
    """A body of a unit: its statements with what each does, and what of it other bodies use."""

    unit: Unit
    statements: tuple[tuple[Statement, tuple[Access, ...]], ...]


class Overwriting:
    """Asks the bodies that a run of ``subject`` reaches."""

    def __init__(self, subject: Unit) -> None:
        self.subject = subject
        self._bodies = [
            _Own(unit, tuple((s, tuple(accesses(s))) for s in every_statement(unit.body or ())))
            for unit in closure(subject)
        ]

    def of(self, signal: Signal) -> Overwritten | None:
        """What overwrites a signal in each scan before its value is read; None where something may read it, or nobody
        can tell.
        """
        owner, holder, steps = self._owner(signal)
        if owner is None or owner.number or signal.shift is not None:
            return None
        if holder is None:
            return self._by_its_point(signal, owner) or self._by_its_body(signal.variable, owner)
        if signal.variable.section == "input":
            return self._by_its_calls(signal.variable, holder, steps)
        return self._by_its_point(signal, owner) or self._by_its_body(signal.variable, owner, steps)

    def given(self, signal: Signal) -> Overwritten | None:
        """The same of a pin that is wired and of a variable at a point, whose initial values act nowhere."""
        found = self.of(signal)
        return found if found is not None and (found.is_wired or found.point) else None

    def _owner(self, signal: Signal) -> tuple[Unit | None, Unit | None, tuple[Variable, ...]]:
        """The unit of which a signal is a variable, the one that holds its instance, and the variables that lead there
        from that.
        """
        holder: Unit | None = None
        unit = self.subject
        if unit.variables.get(signal.root.key) is not signal.root:
            return None, None, ()
        way: list[Variable] = [signal.root]
        for step in signal.steps:
            if not isinstance(step, Member):
                return None, None, ()
            if isinstance(step.owner, Unit):
                holder, unit = unit, step.owner
                led = tuple(way)
                way = []
            way.append(step.variable)
        if len(way) != 1:
            return None, None, ()
        return unit, holder, led if holder is not None else ()

    def _by_its_point(self, signal: Signal, owner: Unit) -> Overwritten | None:
        """A variable of a program AT an input has the value of its point before each call."""
        address = owner.located.get(signal.variable.key) if owner.kind == "PROGRAM" else None
        if address is None or address.area != "I":
            return None
        return Overwritten(owner, signal.variable.start, is_wired=False, point=str(address))

    def _by_its_calls(self, pin: Variable, holder: Unit, led: tuple[Variable, ...]) -> Overwritten | None:
        """A pin that every call of its instance gives, and that nobody else sees."""
        found: list[tuple[Unit, syntax.Node]] = []
        for body in self._bodies:
            for statement, done in body.statements:
                for access in done:
                    place = access.place
                    if place is None or not _leads_to(place, led, pin):
                        continue
                    if access.kind == "call" and isinstance(statement, CallInstance) and statement.instance is place:
                        given = next((value for own, value in statement.inputs if own is pin), None)
                        if body.unit is holder and given is not None and not statement.is_virtual:
                            found.append((body.unit, statement.origin))
                            continue
                    return None
        if not found:
            return None
        unit, origin = found[0]
        return Overwritten(unit, origin.start, is_wired=True)

    def _by_its_body(self, variable: Variable, owner: Unit, led: tuple[Variable, ...] = ()) -> Overwritten | None:
        """A variable that its body, which is called, assigns on all ways before it reads it, and that nobody else
        sees.
        """
        written: syntax.Node | None = None
        is_called = not led
        for body in self._bodies:
            for _, done in body.statements:
                for access in done:
                    place = access.place
                    is_called |= place is not None and access.kind == "call" and _leads_to(place, led, variable)
                    if place is None or not _names(place, variable):
                        continue
                    if body.unit is not owner or not place.is_plain:
                        return None
                    written = access.origin if written is None and access.kind == "write" else written
        if (
            written is None
            or not is_called
            or variable.section == "input"
            or variable in usage(owner.body or ()).needed
        ):
            return None
        return Overwritten(owner, written.start, is_wired=False)


def _members(steps: tuple[Step, ...]) -> Iterator[Variable]:
    return (step.variable for step in steps if isinstance(step, Member))


def _names(place: Place, variable: Variable) -> bool:
    """Whether a place lies on a variable, in it, or is what holds it."""
    if place.root is variable or variable in _members(place.steps):
        return True
    return isinstance(place.type, Unit) and variable.key in place.type.variables and place.root.section == "this"


def _leads_to(place: Place, led: tuple[Variable, ...], pin: Variable) -> bool:
    """Whether a place may be the instance that some variables lead to, what holds it, or its pin."""
    named = (place.root, *_members(place.steps))
    if place.root.section == "this":
        return pin in named or isinstance(place.type, Unit)
    if len(named) <= len(led):
        return named == led[: len(named)]
    return pin in named and (named[: len(led)] != led or named[len(led)] is pin)
