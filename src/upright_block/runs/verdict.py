"""What came of a case."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

from upright_block.cases.cells import Check
from upright_block.cases.plan import ReadyCase
from upright_block.language.literals import Value
from upright_block.language.nodes import record

if TYPE_CHECKING:
    from upright_block.cases.rules import Rule
    from upright_block.cases.watch import WatchedRow, WatchedRule
    from upright_block.compiler.artifact import Site, Slot
    from upright_block.machine.machine import Reached
    from upright_block.machine.trace import Fault
    from upright_block.traces.tracks import Tracks

MOST_WINDOWS = 100
"""How many answered windows of a timing row are kept with their scans."""
Status = Literal["passed", "failed", "fault", "checks nothing"]


@record
class Miss:
    """A value in ``slot`` that was not as expected after scan ``scan``; its cell is that of ``row`` and ``column`` of
    the table.

    ``since`` is the scan that gave it this value, or None when it never had another in this run.
    """

    slot: Slot
    check: Check
    row: int
    column: int
    scan: int
    got: Value
    since: int | None


@record
class Break:
    """What is not as a rule or a timing row says, at a scan; ``begun`` is the scan of the event that it counts from.

    ``kind`` is ``broken`` for a rule, ``faulted`` for a rule or a row that could not be computed, else ``early``,
    ``late``, ``too many``, ``too few``, ``undecided`` or ``unmeasured``; a rule of a case that was judged in no scan is
    ``unarmed``.
    """

    watched: WatchedRule | WatchedRow
    kind: str
    scan: int
    says: str
    begun: int | None


@record
class Measure:
    """What a timing row measured: its events, its answered windows, and of these the least, the middle and the most, in
    ns.

    ``least_at`` and ``most_at`` are the scans that ended them; ``windows`` are the first `MOST_WINDOWS`, from scan to
    scan.
    """

    watched: WatchedRow
    events: int
    answered: int
    least: int | None
    middle: int | None
    most: int | None
    least_at: int | None
    most_at: int | None
    windows: tuple[tuple[int, int], ...] = ()


@record
class Moments:
    """The values of some slots after some scans: ``after[scan][i]`` is that of ``slots[i]``.

    ``writers`` has, by the path of a slot whose value was wrong first, the statement that gave it its value, where
    known.
    """

    slots: tuple[Slot, ...]
    after: dict[int, tuple[Value, ...]]
    writers: dict[str, Site]


@record
class Verdict:
    """The verdict on one case.

    ``misses`` are the first `runner.MOST_MISSES` of ``wrong`` in the order of time, ``breaks`` the first of what rules
    and timing rows found wrong, which is ``broken`` times, and ``measures`` what these rows measured; ``checked``
    counts the cells that were reached. ``moments`` surround the first miss and the fault, where there is one.
    ``reached`` are the statements and branches that the run reached, and ``tracks`` what signals did, where that was
    asked for. ``unarmed`` are the rules of its file or of a block that were judged in no scan. ``about_run`` says what
    is wrong with the run as a whole: with the fault that the case expects, or that nothing ran.
    """

    case: ReadyCase
    status: Status
    misses: tuple[Miss, ...]
    wrong: int
    checked: int
    fault: Fault | None
    moments: Moments
    seconds: float
    reached: Reached | None = None
    breaks: tuple[Break, ...] = ()
    broken: int = 0
    measures: tuple[Measure, ...] = ()
    unarmed: tuple[Rule, ...] = ()
    about_run: str = ""
    tracks: Tracks | None = None

    def first_wrong(self, path: str | None = None) -> Miss | Break | Fault | None:
        """What was wrong first: a value, a rule or a timing row, or what stopped the run; of a signal where a ``path``
        is named, or what stopped the run.
        """
        misses = [miss for miss in self.misses if path in (None, miss.slot.path)]
        breaks = self.breaks if path is None else ()
        found: list[Miss | Break | Fault] = [*misses[:1], *breaks[:1]]
        if self.fault is not None:
            found.append(self.fault)
        return min(found, key=lambda each: each.scan, default=None)
