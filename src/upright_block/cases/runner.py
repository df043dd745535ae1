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
from upright_block.language.typed import Unit, Variable
from upright_block.machine import Machine, Trace

_BATCH = 100

_Key = tuple[Unit, frozenset[Variable]]


@dataclass(frozen=True, slots=True)
class _Batch:
    key: _Key
    plans: tuple[tuple[int, Plan], ...]


def run_plans(plans: Sequence[Plan], done: Callable[[Verdict], None] | None = None) -> list[Verdict]:
    """Run every plan; the verdicts come in the order of the plans.

    ``done`` is called with each verdict as it comes, in any order and from any thread. Units are
    compiled once each; the machines run on as many threads as there are cores.
    """
    batches = _batches(plans)
    verdicts: dict[int, Verdict] = {}
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        keys = list(dict.fromkeys(batch.key for batch in batches))
        built = dict(zip(keys, pool.map(_compile, keys), strict=True))

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
        by_key.setdefault((plan.unit, plan.live), []).append((index, plan))
    return [
        _Batch(key, tuple(members[at : at + _BATCH]))
        for key, members in by_key.items()
        for at in range(0, len(members), _BATCH)
    ]


def _compile(key: _Key) -> tuple[Image, wasmtime.Module]:
    unit, live = key
    image = build_image(unit, live)
    return image, compiled(image.text)


def run_plan(plan: Plan, machine: Machine) -> Verdict:
    """Run one plan on a machine that holds its unit."""
    began = time.perf_counter()
    machine.reset()
    for slot, content in plan.given:
        machine.poke(slot, content)
    trace = machine.run(plan.scans, plan.file.scan, plan.events, plan.forces, plan.spans)
    misses = [miss for column in plan.columns for miss in _judge(column, trace)]
    misses.sort(key=lambda miss: (miss.scan, miss.expectation.cell.start))
    status = "fault" if trace.fault else "failed" if misses else "passed"
    kept = trace if status != "passed" else None
    return Verdict(plan, status, tuple(misses), trace.fault, kept, time.perf_counter() - began)  # type: ignore[arg-type]


def _judge(column: Column, trace: Trace) -> list[Miss]:
    """The expectations of a column that a trace does not meet, each at its first wrong scan."""
    made = [e for e in column.expectations if e.first < trace.scans]
    if not made:
        return []
    values = trace.column(column.slot)
    held = np.array([min(e.last, trace.scans - 1) - e.first + 1 for e in made])
    kind = np.float64 if column.slot.type.family == "real" else values.dtype
    low = np.repeat(np.array([e.check.low for e in made], kind), held)
    high = np.repeat(np.array([e.check.high for e in made], kind), held)
    outside = np.repeat(np.array([e.check.outside for e in made], bool), held)
    starts = np.cumsum(held) - held
    scans = np.arange(held.sum()) - np.repeat(starts - np.array([e.first for e in made]), held)
    looked_at = values[scans]
    wrong = np.flatnonzero(((looked_at >= low) & (looked_at <= high)) == outside)
    misses: list[Miss] = []
    last = -1
    for at in wrong:
        which = int(np.searchsorted(starts, at, "right")) - 1
        if which != last:
            last = which
            scan = int(scans[at])
            misses.append(
                Miss(column.slot, made[which], scan, values[scan].item(), trace.since(column.slot, scan))
            )
    return misses
