"""Running cases on all cores."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
import wasmtime

from upright_block.cases.plan import Column, Plan
from upright_block.cases.verdict import Miss, Verdict
from upright_block.compiler.cache import compiled
from upright_block.compiler.image import Image, build_image
from upright_block.language.literals import Value
from upright_block.language.typed import Unit, Variable
from upright_block.machine.machine import CLOCK_START, Machine
from upright_block.machine.trace import Trace

_BATCH = 100

_Key = tuple[Unit, frozenset[tuple[Variable, Value]]]


@dataclass(frozen=True, slots=True)
class _Batch:
    key: _Key
    plans: tuple[tuple[int, Plan], ...]


def run_plans(
    plans: Sequence[Plan], done: Callable[[Verdict], None] | None = None, checks_overflow: bool = False
) -> list[Verdict]:
    """Run every plan; the verdicts come in the order of the plans.

    ``done`` is called with each verdict as it comes, in any order and from any thread. Units are
    compiled once each; the machines run on as many threads as there are cores. With ``checks_overflow`` an
    integer that leaves its type is a fault.
    """
    batches = _batches(plans)
    verdicts: dict[int, Verdict] = {}
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        keys = list(dict.fromkeys(batch.key for batch in batches))
        built = dict(zip(keys, pool.map(lambda key: _compile(key, checks_overflow), keys), strict=True))

        def run(batch: _Batch) -> None:
            image, module = built[batch.key]
            machine = Machine(image, module)
            for index, plan in batch.plans:
                verdicts[index] = run_plan(plan, machine)
                if done is not None:
                    done(verdicts[index])

        list(pool.map(run, batches))
    return [verdicts[index] for index in range(len(plans))]


def _batches(plans: Iterable[Plan]) -> list[_Batch]:
    by_key: dict[_Key, list[tuple[int, Plan]]] = {}
    for index, plan in enumerate(plans):
        by_key.setdefault((plan.unit, plan.constants), []).append((index, plan))
    return [
        _Batch(key, tuple(members[at : at + _BATCH]))
        for key, members in by_key.items()
        for at in range(0, len(members), _BATCH)
    ]


def _compile(key: _Key, checks_overflow: bool) -> tuple[Image, wasmtime.Module]:
    unit, constants = key
    image = build_image(unit, dict(constants), checks_overflow)
    return image, compiled(image.text)


def run_plan(plan: Plan, machine: Machine) -> Verdict:
    """Run one plan on a machine that holds its unit."""
    began = time.perf_counter()
    machine.reset()
    for slot, content in plan.given:
        machine.poke(slot, content)
    clock = CLOCK_START if plan.case.clock is None else plan.case.clock
    trace = machine.run(plan.scans, plan.file.scan, plan.events, plan.forces, plan.spans, clock)
    misses = [miss for column in plan.columns for miss in _judge(column, trace)]
    misses.sort(key=lambda miss: (miss.scan, miss.expectation.cell.start))
    status = "fault" if trace.fault else "failed" if misses else "passed"
    kept = trace if status != "passed" else None
    return Verdict(plan, status, tuple(misses), trace.fault, kept, time.perf_counter() - began)  # type: ignore[arg-type]


def _judge(column: Column, trace: Trace) -> list[Miss]:
    """The expectations of a column that a trace does not meet, each at its first wrong scan."""
    values = trace.column(column.slot)
    if column.slot.type.family == "real":
        values = values.astype(np.float64)
    misses: list[Miss] = []
    for expectation in column.expectations:
        check, scan = expectation.check, expectation.first
        held = values[scan : expectation.last + 1]
        if len(held) == 1:
            value = held[0]
            wrong = (check.low <= value <= check.high) == check.outside
        else:
            bad = np.flatnonzero(((held >= check.low) & (held <= check.high)) == check.outside)
            wrong = len(bad) > 0
            scan += int(bad[0]) if wrong else 0
        if wrong:
            got = trace.value(column.slot, scan)
            misses.append(Miss(column.slot, expectation, scan, got, trace.since(column.slot, scan)))
    return misses
