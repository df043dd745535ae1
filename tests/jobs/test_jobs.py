"""The jobs of the trade, each as a library, run by the real program against a trace that is computed apart.

``UPRIGHT_JOBS=50`` runs each with so many sets of inputs.
"""

from __future__ import annotations

import json
import os
import random
import shutil
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import pytest

from tests.helpers import upright
from tests.jobs.models import JOBS, Job, Row

HERE = Path(__file__).parent
SEEDS = int(os.environ.get("UPRIGHT_JOBS", "3"))
MUTANTS = 24


def cell(value: Any) -> str:
    return str(int(value)) if isinstance(value, bool) else str(value)


class Bench:
    """A copy of the library of a job, with one case file for all that is tried on it."""

    def __init__(self, job: Job, root: Path) -> None:
        self.job, self.root, self.cases = job, root, list[str]()
        (root / "cases").mkdir(exist_ok=True)

    def add(self, inputs: Sequence[Row], outputs: Sequence[Row], more: str = "") -> None:
        """A case with a row for each scan."""
        number = len(self.cases)
        heads = [*inputs[0], *outputs[0]]
        lines = [",".join(f'"{head}"' for head in heads)]
        lines += [",".join(map(cell, (*i.values(), *o.values()))) for i, o in zip(inputs, outputs, strict=True)]
        (self.root / "cases" / f"t{number}.csv").write_text("\n".join(lines) + "\n", encoding="utf-8")
        self.cases.append(f'[[case]]\nname = "{number}"\n{self.job.head}vectors = "t{number}.csv"\n{more}')

    def run(self) -> list[dict[str, Any]]:
        """The verdicts of the program, in the order of the cases."""
        text = f'{self.job.subject}\nscan = "{self.job.scan}ms"\n' + "".join(self.cases)
        (self.root / "cases" / "job.toml").write_text(text, encoding="utf-8")
        data = json.loads(upright("verify", "--json", "--library", self.root).output)
        assert (data["findings"], data["not_run"]) == ([], []), data["findings"]
        cases: list[dict[str, Any]] = data["cases"]
        return sorted(cases, key=lambda case: int(case["name"]))


@pytest.fixture(params=JOBS)
def bench(request: pytest.FixtureRequest, tmp_path: Path) -> Bench:
    shutil.copytree(HERE / request.param, tmp_path / "job")
    return Bench(JOBS[request.param], tmp_path / "job")


def traces(job: Job, seed: int) -> tuple[list[Row], list[Row]]:
    inputs = job.inputs(random.Random(seed))
    return inputs, job.outputs(inputs)


def test_a_job_does_what_is_asked_for(bench: Bench) -> None:
    for seed in range(SEEDS):
        bench.add(*traces(bench.job, seed))
    for verdict in bench.run():
        assert verdict["status"] == "passed", verdict["wrong"][:3]
        assert verdict["checked"] == verdict["checks"] >= 1000


def test_a_change_that_is_expected_a_scan_away_is_wrong_in_that_scan(bench: Bench) -> None:
    rng = random.Random(1)
    inputs, outputs = traces(bench.job, 0)
    changes = [
        (s, name) for s in range(1, len(outputs)) for name in outputs[s] if outputs[s][name] != outputs[s - 1][name]
    ]
    wanted: list[tuple[int, str]] = []
    for _ in range(MUTANTS):
        scan, name = rng.choice(changes)
        is_late = rng.random() < 0.5
        # late: the old value is expected once more; early: the new one is expected one scan before
        wrong, value = (scan, outputs[scan - 1][name]) if is_late else (scan - 1, outputs[scan][name])
        wanted.append((wrong, name))
        bench.add(inputs, [row | {name: value} if number == wrong else row for number, row in enumerate(outputs)])
    found = [[(miss["scan"], miss["pin"]) for miss in verdict["wrong"]] for verdict in bench.run()]
    assert found == [[entry] for entry in wanted]


def events(event: str, inputs: Sequence[Row], outputs: Sequence[Row]) -> list[int]:
    """The scans in which an event happens; before the first scan all is FALSE."""
    expression, _, edge = event.rpartition(" ")
    name, _, limit = expression.partition(" > ")
    values = [(i | o)[name] for i, o in zip(inputs, outputs, strict=True)]
    states = [value > int(limit) if limit else bool(value) for value in values]
    moves = zip([False, *states], states, strict=False)
    return [scan for scan, (before, now) in enumerate(moves) if before != now and now == (edge == "rises")]


def test_times_of_a_job_are_measured_and_a_bound_a_scan_too_narrow_is_told_where(bench: Bench) -> None:
    job = bench.job
    (begin, end), scan = job.timing[0], job.scan
    inputs, outputs = traces(job, 0)
    last = events(end, inputs, outputs)[-1]
    inputs, outputs = inputs[: last + 1], outputs[: last + 1]
    starts, ends = events(begin, inputs, outputs), events(end, inputs, outputs)
    delays = [next(e for e in ends if e >= s) - s for s in starts]
    least, most, count = min(delays), max(delays), len(starts)
    least_at = next(s + d for s, d in zip(starts, delays, strict=True) if d == least)
    late_at = next(s + most - 1 for s, d in zip(starts, delays, strict=True) if d == most)

    def row(least: int, most: int, count: int) -> str:
        times = f"{least * scan}ms | {most * scan}ms | {count}"
        return f'timing = """\nname | from | to | min | max | count\nx | {begin} | {end} | {times}\n"""\n'

    bench.add(inputs, outputs, row(least, most, count))
    bench.add(inputs, outputs, row(least, most - 1, count) if most > least else row(0, most - 1, count))
    bench.add(inputs, outputs, row(least + 1, most, count) if most > least else row(least + 1, most + 1, count))
    bench.add(inputs, outputs, row(least, most, count + 1))
    bench.add(inputs, outputs, row(least, most, count - 1))
    good, late, early, few, many = bench.run()
    (measured,) = good["measured"]
    times = [measured[key] for key in ("events", "answered", "least_ns", "most_ns", "least_scan")]
    assert good["status"] == "passed"
    assert times == [count, count, least * scan * 10**6, most * scan * 10**6, least_at]
    assert first(late) == ("late", late_at)
    assert first(early) == ("early", least_at)
    assert [(b["kind"], b["scan"]) for b in few["broken"]] == [("too few", last)]
    assert [(b["kind"], b["scan"]) for b in many["broken"]] == [("too many", starts[-1])]


def first(verdict: dict[str, Any]) -> tuple[str, int]:
    found = verdict["broken"][0]
    return found["kind"], found["scan"]
