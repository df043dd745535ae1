"""A controller without hardware for those who write Python: one unit that is set, forced, run and read by name."""

from __future__ import annotations

from array import array
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from datetime import timedelta
from fnmatch import fnmatchcase
from typing import TYPE_CHECKING, Any, cast

from upright_block.cases.cells import duration, moment
from upright_block.cases.drafting import Draft
from upright_block.cases.plan import Drive, Plan, idle_spans
from upright_block.compiler.artifact import Slot
from upright_block.compiler.linking import Bodies
from upright_block.compiler.looking import Probe
from upright_block.compiler.program import Mode, make_program
from upright_block.errors import BadValue, NeverMet, ScanFault, UnknownName
from upright_block.language.checking import observe
from upright_block.language.literals import LiteralProblem, Value, shown_duration
from upright_block.language.names import listed
from upright_block.language.nodes import record, replaced
from upright_block.language.scope import Scope
from upright_block.language.signals import NoSignal, Signal, every_signal, field_signal, find_signal, no_value
from upright_block.language.telling.findings import Findings
from upright_block.language.timebase import Timebase
from upright_block.language.typed import Unit, Variable
from upright_block.language.types import Array, String
from upright_block.machine.events import POWERED
from upright_block.machine.machine import Machine
from upright_block.machine.trace import Fault
from upright_block.runs import words
from upright_block.runs.acts import Act, Acts, inserts_of
from upright_block.runs.following import Followed
from upright_block.runs.session import Checkpoint, Recorder, Session, bare_plan
from upright_block.runs.values import Whole, folded, is_compound, parsed, parts_of, presented, single_values
from upright_block.traces.tracks import Gatherer, Tracks

if TYPE_CHECKING:
    from upright_block.machine.events import Power

_LONGEST = 1 << 62
_TIMES = ("duration", "date", "time of day", "date and time")
"""Types whose values are ns as an int."""


@record
class Moment:
    """What a controller holds at a moment, with what it had recorded until then.

    ``program`` says which controllers can come back to it: those of the same unit, with the same constants and scans.
    ``acts`` are what was done from outside. In the middle of a scan it is before the ``statement`` with that number.
    """

    checkpoint: Checkpoint
    program: tuple[object, ...]
    acts: tuple[Act, ...]
    statement: int = 0

    @property
    def scan(self) -> int:
        """The scan that comes next, or that it is in."""
        return self.checkpoint.scan


class Controller:
    """One instance of a block, a function, a program or a configuration, and a clock.

    A path is written as in a case: ``running.ET``, ``rows[2].level``, ``status.3``. Values are bool, int, float and
    str; a duration is an int in ns, an enumeration its bare name, a structure a dict, an array a list. Where a value is
    given, a str may stand for it as in a cell of a case: ``"5s"``, ``"16#FF"``, and a timedelta for a duration.
    """

    def __init__(
        self,
        unit: Unit,
        scope: Scope,
        timebase: Timebase,
        given: Mapping[str, Whole],
        mode: Mode,
        record: Sequence[str],
        plan: Plan | None = None,
    ) -> None:
        """``plan`` is what a case does as time goes on; without one nothing happens by itself."""
        self.unit = unit
        self._scope = scope
        self._mode = mode
        self._bodies = Bodies()
        self._conditions: dict[str, Unit] = {}
        self._acts = Acts()
        self._signals: dict[str, Signal] = {}
        self._slots: dict[str, Slot] = {}
        self._fields: dict[str, Signal | None] = {}
        plan = plan or bare_plan(unit.key, timebase)
        constants: dict[Variable, Value] = {self._signal(path).variable: value for path, value in plan.constants}
        for path, value in given.items():
            signal = self._signal(path)
            if signal.variable.is_code:
                constants[signal.variable] = parsed(signal, value)
        self._constants = constants
        if plan.forces:
            self._mode = replaced(mode, forces=True)
        machine = self._made()
        record = (record,) if isinstance(record, str) else record
        self._recorded = [signal for path, signal in every_signal(unit).items() if _fits(path, record)]
        self._recorder = Recorder(map(machine.slot, self._recorded))
        self._session = Session(plan, machine, observers=[self._recorder])
        for path, value in given.items():
            if not self._signal(path).variable.is_code:
                self.set(path, value)

    def _made(self) -> Machine:
        probes = [Probe(method) for method in self._conditions.values()]
        return Machine.of(make_program(self.unit, self._constants, probes, self._mode), self._bodies)

    @property
    def _machine(self) -> Machine:
        return self._session.machine

    # --- values ---

    def read(self, path: str) -> Any:
        """The value at a path, after the last scan: of a structure a dict by the names of its fields, of an array a
        list, or lists for each of its dimensions.

        Raises:
            UnknownName: the path leads to no value.
        """
        return self._value(self._signal(path))

    def read_many(self, paths: Iterable[str]) -> dict[str, Any]:
        """The values at some paths, by these.

        Raises:
            UnknownName: a path leads to no value.
        """
        return {path: self.read(path) for path in paths}

    def _value(self, signal: Signal) -> Any:
        if is_compound(signal):
            found = [(name, self._value(part)) for name, part in parts_of(signal)]
            if not isinstance(signal.type, Array):
                return dict(found)
            return folded([value for _, value in found], [high - low + 1 for low, high in signal.type.bounds])
        if signal.variable.is_code:
            value = self._constants.get(signal.variable, signal.variable.initial)
            assert isinstance(value, (bool, int, float, str))
            return presented(value, signal)
        return presented(self._peek(self._slot(signal)), signal)

    def _peek(self, slot: Slot) -> Value:
        return self._machine.peek(slot)

    def set(self, path: str, value: Whole) -> None:
        """Give a variable a value once; an input keeps it until it is set again. A tag takes its point with it.

        A structure takes a mapping, whose fields are set, an array a list with all of its elements.

        Raises:
            UnknownName: the path leads to no value.
            BadValue: the value does not fit, or the variable is a constant.
        """
        self._do([("set", slot.path, slot.decode(content, 0)) for slot, content in self._stored(path, value)])

    def set_many(self, values: Mapping[str, Whole]) -> None:
        """Give some variables a value once, by path: all of them, or none where one does not fit.

        Raises:
            UnknownName: a path leads to no value.
            BadValue: a value does not fit, or a variable is a constant.
        """
        stored = [each for path, value in values.items() for each in self._stored(path, value)]
        self._do([("set", slot.path, slot.decode(content, 0)) for slot, content in stored])

    def force(self, path: str, value: Whole) -> None:
        """Hold a variable at a value, against the program, until it is released.

        Raises:
            UnknownName: the path leads to no value.
            BadValue: the value does not fit, or the variable is a constant or a text.
        """
        stored = self._stored(path, value)
        for slot, _ in stored:
            if isinstance(slot.type, String):
                raise BadValue(*words.text_forced(slot.path))
        self._do([("force", slot.path, slot.decode(content, 0)) for slot, content in stored])

    def release(self, path: str) -> None:
        """End the force on a variable, if there is one.

        Raises:
            UnknownName: the path leads to no value.
        """
        singles = list(_singles(self._signal(path)))
        parts = [part for signal in singles for part in (signal, self._field(signal)) if part is not None]
        self._do([("force", self._slot(part).path, None) for part in parts])

    def _do(self, done: Sequence[tuple[str, str, Value | None]]) -> None:
        """Do something from outside, each as an act has it."""
        scan = self._session.scan
        for kind, path, value in done:
            act = Act(scan, kind, path, value, made=(scan, 0))
            self._apply(act)
            self._acts.append(act)

    def _apply(self, act: Act) -> None:
        """Let an act act on what the machine holds now."""
        if act.kind == "power":
            self._session.switch(cast("Power", act.path))
            return
        if act.kind == "force" and not self._mode.forces:
            self._mode = replaced(self._mode, forces=True)
            self._make_anew()
        slot = self._slot(act.path)
        if act.value is None:
            self._machine.release(slot)
        elif act.kind == "force":
            self._machine.force(slot, slot.encode(act.value))
        else:
            self._machine.poke(slot, slot.encode(act.value))

    def _stored(self, path: str, value: Whole) -> list[tuple[Slot, bytes]]:
        """What is stored where for a value: in its variables, and in the points of tags."""
        found: list[tuple[Slot, bytes]] = []
        for signal, single in single_values(self._signal(path), value):
            if signal.variable.is_code:
                raise BadValue(*words.constant_set(signal.path))
            slot, field = self._slot(signal), self._field(signal)
            found.append((slot, slot.encode(single)))
            if field is not None:
                try:
                    content = Draft.stored_value(signal, field, single, str(value))
                except LiteralProblem as problem:
                    raise BadValue(str(problem), problem.way_out) from None
                slot = self._slot(field)
                found.append((slot, slot.encode(content)))
        return found

    def _field(self, signal: Signal) -> Signal | None:
        """The bits of the point that a tag has its value from or gives it to."""
        if signal.path not in self._fields:
            self._fields[signal.path] = field_signal(self.unit, signal)
        return self._fields[signal.path]

    def _slot(self, signal: Signal | str) -> Slot:
        """Where a signal lies, or what a path leads to: also in a machine that is made anew."""
        path = signal if isinstance(signal, str) else signal.path
        slot = self._slots.get(path)
        if slot is None:
            slot = self._slots[path] = self._machine.slot(signal)
        return slot

    def _signal(self, path: str) -> Signal:
        known = self._signals.get(path)
        if known is None:
            known = self._signals[path] = self._found(path)
        return known

    def _found(self, path: str) -> Signal:
        if not isinstance(path, str):
            raise BadValue(*words.no_path(path))
        try:
            signal = find_signal(self.unit, path)
        except NoSignal as problem:
            said = problem.words()
            raise UnknownName(said.message, said.way_out) from None
        if not signal.is_value and not is_compound(signal):
            said = no_value(signal, path)
            raise UnknownName(said.message, said.way_out)
        return signal

    # --- time ---

    @property
    def now(self) -> int:
        """The time in ns at which the next scan starts."""
        return self._session.now

    def power(self, word: str) -> None:
        """Take the power away or bring it back before the next scan, as in a column ``power`` of a case.

        ``word`` is ``"off"``, ``"on"``, ``"cold"``, ``"stop"`` or ``"run"``. While it is off or stopped the moments of
        scans pass with `scan`, and none runs. A word for what is already changes nothing, but ``"cold"`` always begins
        anew.

        Raises:
            BadValue: it is none of these, or needs power that is off.
        """
        if word not in POWERED:
            raise BadValue(*words.no_power_word(word, listed(POWERED)))
        if self._machine.powered == "off" and word in ("stop", "run"):
            raise BadValue(*words.power_is_off(word))
        self._do([("power", word, None)])

    def scan(self, count: int = 1) -> None:
        """Run some scans. One that stopped is run again: what it needs can be set before.

        Raises:
            ScanFault: a scan stopped.
            BadValue: it is no number of scans.
        """
        if isinstance(count, bool) or not isinstance(count, int) or count < 0:
            raise BadValue(*words.no_count(count))
        self._run(count, None)

    def run_until(self, expression: str, within: str | int | timedelta = "10s") -> int:
        """Run until a condition is TRUE after a scan, and return the time in ns at which that scan started.

        The condition is an expression of the language over all that the unit has, private data too. ``within``
        is a duration, such as ``"10s"``, an int in ns, or a timedelta.

        Raises:
            NeverMet: it is never TRUE in that time.
            ScanFault: a scan stopped.
            BadValue: the expression is none, or it is no condition.
        """
        self.watching(expression)
        number = list(self._conditions).index(expression)
        begun, timebase = self.now, self._session.plan.timebase
        scans = timebase.scans_before(begun + duration(within)) - self._session.scan
        if not self._run(scans, self._machine.artifact.probes[number]):
            raise NeverMet(*words.never_met(expression, shown_duration(self.now - begun)))
        return timebase.time(self._session.scan - 1)

    def watching(self, expression: str) -> None:
        """Make ready for a condition that is waited for; see `run_until`.

        Raises:
            BadValue: the expression is none, or it is no condition.
        """
        if not isinstance(expression, str):
            raise BadValue(*words.no_condition(expression))
        if expression in self._conditions:
            return
        findings = Findings()
        method = observe(expression, self.unit, self._scope, findings, is_condition=True)
        if method is None:
            first = findings.items[0]
            raise BadValue(f"{expression}: {first.message}", first.way_out)
        self._conditions[expression] = method
        self._make_anew()

    def _make_anew(self) -> None:
        """Compile for what is asked of the machine now; it goes on with all that it holds."""
        self._session.exchange(self._made())

    def _run(self, scans: int, until: Slot | None) -> bool:
        """Run scans, and record; whether the condition was met."""
        is_met, fault = self._session.advance(max(0, min(scans, _LONGEST)), until)
        if fault is not None:
            raise self._stopped(fault)
        return is_met

    def _stopped(self, fault: Fault) -> ScanFault:
        where = f"{self.unit.name}.{fault.instance}" if fault.instance else self.unit.name
        site = fault.site
        message, way_out = words.scan_fault(fault, where, shown_duration(self.now))
        return ScanFault(message, way_out, site.kind, site.source.path, site.line, fault.instance, fault.scan)

    # --- going back, looking back ---

    def snapshot(self) -> Moment:
        """All that the controller holds now: data, clock, forces."""
        return Moment(self._session.checkpoint(), self._program, tuple(self._acts))

    def restore(self, moment: Moment) -> None:
        """Come back to a moment of this controller, or of another of the same program; what was recorded after it, or
        by another, is dropped.

        Raises:
            BadValue: it is of another unit, or of one with other constants or another scan.
        """
        if not isinstance(moment, Moment) or moment.program != self._program:
            raise BadValue(*words.other_moment(isinstance(moment, Moment)))
        if moment.checkpoint.snapshot.forces and not self._mode.forces:
            self._mode = replaced(self._mode, forces=True)
            self._make_anew()
        self._session.back(moment.checkpoint)
        self._acts = Acts(moment.acts)

    def followed(self, scans: int | None = None) -> Followed:
        """All that was done until now, as a run any scan of which can be looked at: of so many scans, by default those
        that are over.
        """
        plan = self._done(self._session.scan if scans is None else scans)
        return Followed(self.unit, plan, self._mode, bodies=self._bodies)

    def _done(self, scans: int) -> Plan:
        """What was done in so many scans, with what the plan did, as a plan."""
        plan = self._session.plan
        drives = tuple(
            Drive(path, kind == "force", array("q", by_scan), list(by_scan.values()), is_input=slot.is_driven)
            for (kind, path), by_scan in self._by_path().items()
            for slot in [self._machine.slot(path)]
        )
        power = [(act.scan, cast("Power", act.path)) for act in self._acts if act.kind == "power"]
        power = sorted([*power, *plan.power], key=lambda switched: switched[0])
        return replaced(
            plan,
            scans=scans,
            constants=tuple((variable.name, value) for variable, value in self._constants.items()),
            drives=(*drives, *plan.drives),
            power=tuple(power),
            idle=tuple(idle_spans(power, scans, plan.timebase)),
            inserts=tuple(inserts_of(self._acts)),
        )

    def _by_path(self) -> dict[tuple[str, str], dict[int, Value | None]]:
        """What was set and forced between scans, by path, each with its values by the scans before which that was."""
        found: dict[tuple[str, str], dict[int, Value | None]] = {}
        for act in self._acts:
            if act.kind != "power" and not act.statement:
                found.setdefault((act.kind, act.path), {})[act.scan] = act.value
        return {key: dict(sorted(by_scan.items())) for key, by_scan in found.items()}  # a pulse ends behind later acts

    @property
    def _program(self) -> tuple[object, ...]:
        """What of a controller decides where its data lies and what that means."""
        plan = self._session.plan
        return self.unit, tuple(self._constants.items()), plan.timebase, plan.drives, plan.power, plan.given

    def _recorded_part(self, path: str) -> Signal:
        """A bit, or another part of what is recorded."""
        with suppress(NoSignal):
            signal = find_signal(self.unit, path)
            slot = self._machine.slot(signal) if signal.is_value and not signal.variable.is_code else None
            if slot is not None and any(
                own.offset <= slot.offset and slot.offset + slot.size <= own.offset + own.size
                for own in self._recorder.slots
            ):
                return signal
        raise UnknownName(*words.nothing_recorded(path))

    def trace(self, *patterns: str, begin: str | int | timedelta = 0) -> Tracks:
        """What was recorded, by path; each unpacks into two arrays, times in ns and the value after the scan at each of
        them.

        A pattern is a path; ``*`` and ``?`` in it stand for any characters. Without a pattern it is all. What was
        before the time ``begin`` is left out.

        Raises:
            UnknownName: a pattern fits nothing that was recorded.
        """
        chosen = [signal for signal in self._recorded if _fits(signal.path, patterns or ["*"])]
        for pattern in patterns:
            if not any(_fits(signal.path, [pattern]) for signal in chosen):
                chosen.append(self._recorded_part(pattern))
        timebase = self._session.plan.timebase
        first = timebase.scans_before(moment(begin))
        gatherer = Gatherer(self.unit, chosen, list(map(self._machine.slot, chosen)), timebase, begin=first)
        self._recorder.tell(gatherer, first)
        return gatherer.tracks(self.now)


def _singles(signal: Signal) -> Iterator[Signal]:
    """The single values at a place."""
    if is_compound(signal):
        for _, part in parts_of(signal):
            yield from _singles(part)
    else:
        yield signal


def _fits(path: str, patterns: Sequence[str]) -> bool:
    """Whether a path fits a pattern, letter case ignored; brackets in it are those of an index."""
    escaped = [pattern.upper().replace("[", "[[]") for pattern in patterns]
    return any(fnmatchcase(path.upper(), pattern) for pattern in escaped)
