"""What was done to a controller by hand, as a run that can be made again from the beginning."""

from __future__ import annotations

from collections.abc import Iterable

from upright_block.cases.byhand import HandRun
from upright_block.cases.plan import Plan
from upright_block.errors import NotRunnable
from upright_block.language.nodes import replaced
from upright_block.language.signals import Signal, field_signal, find_signal
from upright_block.language.typed import Unit
from upright_block.machine.clock import CLOCK_START
from upright_block.runs import words


def hand_run(unit: Unit, plan: Plan, paths: Iterable[str]) -> HandRun:
    """The run of a plan in which what stands at some paths was set or forced; of a tag and its point, which were set
    together, the one that a table names is left.

    Raises:
        NotRunnable: something was set in the middle of a scan.
    """
    if plan.inserts:
        raise NotRunnable(*words.set_in_the_middle(plan.inserts[0].path))
    written: dict[str, Signal] = {}
    left: set[str] = set()
    for path in dict.fromkeys([*plan.shown, *paths]):
        signal = find_signal(unit, path)
        field = field_signal(unit, signal)
        if field is None:
            written.setdefault(signal.path, signal)
        else:
            kept, other = (field.path, signal.path) if signal.is_driven else (signal.path, field.path)
            written[kept] = signal
            left.add(other)
    drives = tuple(drive for drive in plan.drives if drive.path not in left)
    written = {path: signal for path, signal in written.items() if path not in left}
    return HandRun(unit, replaced(plan, drives=drives), (), written, plan.clock != CLOCK_START)
