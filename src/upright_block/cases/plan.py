"""What a case does when it runs: what is stored when, and what is looked at after which scans."""

from __future__ import annotations

from array import array
from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING

from upright_block.cases.casefile import Case, CaseFile
from upright_block.cases.cells import Check
from upright_block.language.limits import MOST_VALUES
from upright_block.language.literals import Value
from upright_block.language.nodes import fresh, record, state
from upright_block.language.scope import Missing
from upright_block.language.signals import Signal
from upright_block.language.source import Source
from upright_block.language.telling.findings import Finding
from upright_block.language.timebase import Timebase
from upright_block.language.typed import Unit

if TYPE_CHECKING:
    from upright_block.cases.overwriting import Overwriting
    from upright_block.cases.watch import Watch
    from upright_block.compiler.looking import Probe
    from upright_block.machine.events import Power


@record
class Expectations:
    """The checks of the signal at ``path``: that of ``rows[i]`` is ``checks[i]``.

    With ``hold`` each is made after every scan until the next, else after the scan of its row. ``column`` is
    the number of the column in the table.
    """

    path: str
    column: int
    rows: array[int]
    checks: list[Check]
    hold: bool


@record
class Drive:
    """What one column or stimulus stores into the signal at ``path``: ``values[i]`` before the scan ``scans[i]``.

    None is the value before the first scan; a force holds its value until the next, and None releases it. A force that
    ``freezes`` holds what is there, whatever its values are; of an ``is_input`` what it is driven to meanwhile is kept
    for its release. One that ``is_lost`` is a stimulus, and stands in no row.
    """

    path: str
    is_force: bool
    scans: array[int]
    values: list[Value | None]
    freezes: bool = False
    is_input: bool = False
    is_lost: bool = False


def forces_at(drives: Iterable[Drive], scan: int) -> dict[str, Value]:
    """What is forced before a scan, by path; what freezes has no value of its own."""
    last: dict[str, tuple[int, Value | None]] = {}
    for drive in drives:
        number = bisect_right(drive.scans, scan) - 1
        if drive.is_force and number >= 0 and drive.scans[number] >= last.get(drive.path, (-1, None))[0]:
            last[drive.path] = drive.scans[number], drive.values[number]
    return {path: value for path, (_, value) in last.items() if value is not None}


@record
class Insert:
    """A value that is stored at ``path`` in the middle of a scan, before the statement that begins in it with a number,
    from 1.
    """

    scan: int
    statement: int
    path: str
    value: Value


@record
class Idle:
    """Scans of which none runs, from ``begin`` on; the first that runs again is ``end``, and then none ran for
    ``idled`` ns in all.
    """

    begin: int
    end: int
    idled: int


def idle_spans(power: Sequence[tuple[int, Power]], scans: int, timebase: Timebase) -> Iterator[Idle]:
    """The scans that do not run, by what is switched before which scan of a run."""
    begun: int | None = None
    idled = 0
    for scan, word in (*power, (scans, "run")):
        is_idle = word in ("off", "stop")
        if is_idle and begun is None:
            begun = scan
        elif not is_idle and begun is not None:
            idled += timebase.time(scan) - timebase.time(begun)
            yield Idle(begun, scan, idled)
            begun = None


@record
class Plan:
    """Everything that a run of a case does, in paths and values, so that it can be sent anywhere.

    ``subject`` is the key of the unit. ``timebase`` says when scans start; ``clock`` is the wall clock at
    the start, in ns. ``row_scans`` has the scan of each row. ``constants`` are the values that the case gives to
    constants, ``given`` what is stored before the first scan, ``shown`` the paths of the columns in the order of the
    table. ``clocks`` are the scans before which the wall clock is set, with what it shows then, in ns, ``power`` those
    before which the power is switched, ``idle`` what therefore does not run. ``inserts`` need a machine that leaves
    trails, and stand in the order in which they are stored.
    """

    id: str
    subject: str
    timebase: Timebase
    clock: int
    scans: int
    constants: tuple[tuple[str, Value], ...]
    given: tuple[tuple[str, Value], ...]
    drives: tuple[Drive, ...]
    expectations: tuple[Expectations, ...]
    row_scans: array[int]
    shown: tuple[str, ...]
    clocks: tuple[tuple[int, int], ...] = ()
    power: tuple[tuple[int, Power], ...] = ()
    idle: tuple[Idle, ...] = ()
    inserts: tuple[Insert, ...] = ()

    @property
    def checks(self) -> int:
        """How many cells are checked."""
        return sum(len(e.checks) for e in self.expectations)

    @property
    def forces(self) -> bool:
        """Whether anything is forced."""
        return any(drive.is_force for drive in self.drives)

    def is_idle(self, scan: int) -> bool:
        """Whether a scan does not run, since the power is off or the controller stopped."""
        before = bisect_right(self.idle, scan, key=lambda idle: idle.begin)
        return before > 0 and scan < self.idle[before - 1].end

    def power_at(self, scan: int) -> str:
        """What was switched last up to a scan: ``off`` and ``stop`` while it is so, another word in that scan alone."""
        before = bisect_right(self.power, scan, key=lambda switched: switched[0])
        begun, word = self.power[before - 1] if before else (scan, "")
        return word if begun == scan or word in ("off", "stop") else ""

    def wall_clock(self, scan: int) -> int:
        """What the wall clock shows at a scan, in ns since 1970-01-01."""
        before = bisect_right(self.clocks, scan, key=lambda clock: clock[0])
        since, moment = self.clocks[before - 1] if before else (0, self.clock)
        return moment + self.timebase.time(scan) - self.timebase.time(since)

    def idled_before(self, scan: int) -> int:
        """The ns for which no scan ran, up to the last time that the power came back before a scan."""
        before = bisect_right(self.idle, scan, key=lambda idle: idle.end)
        return self.idle[before - 1].idled if before else 0


@state
class Common:
    """What the cases of a library have in common while they are planned.

    ``missing`` takes the names that begin a path and that nobody declares; ``room`` is how many values their stimuli
    may still have; ``overwriting`` knows, by subject, what is overwritten before it is read; ``pins`` are those of a
    subject.
    """

    missing: dict[str, Missing]
    room: int = MOST_VALUES
    overwriting: dict[Unit, Overwriting] = fresh(default_factory=dict)
    pins: dict[Unit, dict[str, Signal]] = fresh(default_factory=dict)


@record
class ReadyCase:
    """A case that can be run, as plain data: as it is written, the name of the unit that it is for, and its plan.

    ``watch`` has the rules and timing rows that are looked at; ``columns`` are all that check something, also where
    every cell is empty. ``pins`` are those of the unit where the case names none. ``called`` has second names of tags
    that are columns, by the paths of what they stand for.
    """

    file: CaseFile
    written: Case
    unit_name: str
    plan: Plan
    watch: Watch
    columns: tuple[Expectations, ...]
    pins: tuple[str, ...]
    called: tuple[tuple[str, str], ...] = ()

    @property
    def id(self) -> str:
        """The name by which it is chosen: the path of its file below the folder of cases, and its own."""
        return self.written.id

    @property
    def key(self) -> str:
        """Its file and its name: cases of two folders may have one id."""
        return key_of(self.file.source, self.name)

    @property
    def name(self) -> str:
        """What it is called in its file."""
        return self.written.name


def key_of(source: Source, name: str) -> str:
    """What no other case has: the path of its file, and its name there."""
    return f"{source.path}\0{name}"


@record
class BoundCase:
    """A ready case in its library: the unit that it is for, what the paths of its plan lead to, and the probes that its
    watch numbers.
    """

    case: ReadyCase
    unit: Unit
    signals: dict[str, Signal]
    probes: list[Probe]


@record
class NotRun:
    """A case that could not be run, and why: its own findings, or those of its file or unit."""

    id: str
    name: str
    unit_name: str
    source: Source
    start: int
    reason: str
    findings: tuple[Finding, ...]

    @property
    def key(self) -> str:
        """Its file and its name, see `ReadyCase.key`."""
        return key_of(self.source, self.name)
