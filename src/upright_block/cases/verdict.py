"""What came of a case."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from upright_block.cases.cells import Check
from upright_block.cases.plan import Plan
from upright_block.compiler.layout import Slot
from upright_block.language.findings import Finding
from upright_block.language.literals import Value
from upright_block.language.source import Source

if TYPE_CHECKING:
    from upright_block.compiler.image import Site
    from upright_block.machine.trace import Fault

Status = Literal["passed", "failed", "fault", "checks nothing"]


@dataclass(frozen=True, slots=True)
class Miss:
    """A value that was not as expected after scan ``scan``; its cell is that of ``row`` and ``column`` of the table.

    ``since`` is the scan that gave it this value, or None when it never had another in this run.
    """

    slot: Slot
    check: Check
    row: int
    column: int
    scan: int
    got: Value
    since: int | None


@dataclass(frozen=True, slots=True)
class Moments:
    """The values of some slots after some scans: ``after[scan][i]`` is that of ``slots[i]``.

    ``writers`` has, by the path of a slot that was wrong first, the statement that gave it its value, where known.
    """

    slots: tuple[Slot, ...]
    after: dict[int, tuple[Value, ...]]
    writers: dict[str, Site]


@dataclass(frozen=True, slots=True)
class Verdict:
    """The verdict on one case.

    ``misses`` are the first `runner.MOST_MISSES` of ``wrong`` in the order of time; ``checked`` counts the
    cells that were reached. ``moments`` surround the first miss and the fault, where there is one.
    """

    plan: Plan
    status: Status
    misses: tuple[Miss, ...]
    wrong: int
    checked: int
    fault: Fault | None
    moments: Moments
    seconds: float


@dataclass(frozen=True, slots=True)
class NotRun:
    """A case that could not be run, and why: its own findings, or those of its file or unit."""

    id: str
    name: str
    unit: str
    source: Source
    start: int
    reason: str
    findings: tuple[Finding, ...]
