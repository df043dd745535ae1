"""What came of a case."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from upright_block.cases.plan import Expectation, Plan
from upright_block.compiler.layout import Slot
from upright_block.language.literals import Value
from upright_block.machine.trace import Fault, Trace

Status = Literal["passed", "failed", "fault"]


@dataclass(frozen=True, slots=True)
class Miss:
    """A value that was not as expected after scan ``scan``.

    ``since`` is the scan that gave it this value, or None when it never had another in this run.
    """

    slot: Slot
    expectation: Expectation
    scan: int
    got: Value
    since: int | None


@dataclass(frozen=True, slots=True)
class Verdict:
    """The verdict on one case. ``trace`` is kept where there is something to show."""

    plan: Plan
    status: Status
    misses: tuple[Miss, ...]
    fault: Fault | None
    trace: Trace | None
    seconds: float
