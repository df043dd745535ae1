"""The timers, counters and edge detectors against their definitions, over the whole history of their inputs.

``UPRIGHT_VERDICTS=100000`` checks so many scans of each.
"""

from __future__ import annotations

import os
import random
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import pytest

from tests.helpers import write_files
from upright_block import open_library

SCANS = 50
COUNT = -(-int(os.environ.get("UPRIGHT_VERDICTS", "2000")) // SCANS)
Rows = Sequence[dict[str, Any]]


def rises(rows: Rows, pin: str) -> list[bool]:
    return [row[pin] and not (k and rows[k - 1][pin]) for k, row in enumerate(rows)]


def on_delay(rows: Rows, scan: int) -> list[dict[str, Any]]:
    """Q: IN has been TRUE since it rose, and in one of these scans that was at least PT ago."""
    found = []
    for k, row in enumerate(rows):
        begun = k
        while begun and rows[begun]["IN"] and rows[begun - 1]["IN"]:
            begun -= 1
        if not row["IN"]:
            found.append({"Q": False, "ET": "0ms"})
            continue
        is_on = any((j - begun) * scan >= rows[j]["PT"] for j in range(begun, k + 1))
        found.append({"Q": is_on, "ET": f"{row['PT'] if is_on else (k - begun) * scan}ms"})
    return found


def off_delay(rows: Rows, scan: int) -> list[dict[str, Any]]:
    """Q: IN is TRUE, or fell, and in no scan since was that at least PT ago."""
    found = []
    for k, row in enumerate(rows):
        last = next((j for j in range(k, -1, -1) if rows[j]["IN"]), None)
        if row["IN"] or last is None:
            found.append({"Q": row["IN"], "ET": "0ms"})
            continue
        fell = last + 1
        over = next((j for j in range(fell, k + 1) if (j - fell) * scan >= rows[j]["PT"]), None)
        found.append({"Q": over is None, "ET": f"{(k - fell) * scan if over is None else rows[over]['PT']}ms"})
    return found


def pulse(rows: Rows, scan: int) -> list[dict[str, Any]]:
    """Q: from a rise of IN outside of a pulse to the first scan that is at least PT after it."""
    edges = rises(rows, "IN")
    spans: list[tuple[int, int]] = []
    for k, edge in enumerate(edges):
        if edge and rows[k]["PT"] > 0 and (not spans or spans[-1][1] <= k):
            end = next((j for j in range(k + 1, len(rows)) if (j - k) * scan >= rows[j]["PT"]), len(rows))
            spans.append((k, end))
    found = []
    for k in range(len(rows)):
        inside = next((begun for begun, end in spans if begun <= k < end), None)
        before = next((end for _, end in reversed(spans) if end <= k), None)
        is_held = (
            before is not None and all(rows[j]["IN"] for j in range(before, k + 1)) and not any(edges[before : k + 1])
        )
        held = rows[before]["PT"] if is_held and before is not None else 0
        found.append({"Q": inside is not None, "ET": f"{held if inside is None else (k - inside) * scan}ms"})
    return found


def count_up(rows: Rows, scan: int) -> list[dict[str, Any]]:
    found, edges = [], rises(rows, "CU")
    for k, row in enumerate(rows):
        since = next((j for j in range(k, -1, -1) if rows[j]["R"]), -1)
        value = sum(edges[since + 1 : k + 1])
        found.append({"CV": value, "Q": value >= row["PV"]})
    return found


def count_down(rows: Rows, scan: int) -> list[dict[str, Any]]:
    found, edges = [], rises(rows, "CD")
    for k in range(len(rows)):
        since = next((j for j in range(k, -1, -1) if rows[j]["LD"]), -1)
        value = (rows[since]["PV"] if since >= 0 else 0) - sum(edges[since + 1 : k + 1])
        found.append({"CV": value, "Q": value <= 0})
    return found


def count_both(rows: Rows, scan: int) -> list[dict[str, Any]]:
    found, up, down = [], rises(rows, "CU"), rises(rows, "CD")
    for k, row in enumerate(rows):
        since = next((j for j in range(k, -1, -1) if rows[j]["R"] or rows[j]["LD"]), -1)
        base = rows[since]["PV"] if since >= 0 and not rows[since]["R"] else 0
        value = base + sum(up[since + 1 : k + 1]) - sum(down[since + 1 : k + 1])
        found.append({"CV": value, "QU": value >= row["PV"], "QD": value <= 0})
    return found


def rising(rows: Rows, scan: int) -> list[dict[str, Any]]:
    return [{"Q": edge} for edge in rises(rows, "CLK")]


def falling(rows: Rows, scan: int) -> list[dict[str, Any]]:
    """In the first scan FALSE is a fall, as the standard's own text has it (6.6.3.5.3, table 44)."""
    return [{"Q": not row["CLK"] and (not k or rows[k - 1]["CLK"])} for k, row in enumerate(rows)]


def set_first(rows: Rows, scan: int) -> list[dict[str, Any]]:
    """The last scan that sets or resets decides; where both do, the set one does."""
    return [{"Q1": _last(rows[: k + 1], "S1", "R")} for k in range(len(rows))]


def reset_first(rows: Rows, scan: int) -> list[dict[str, Any]]:
    return [{"Q1": not _last(rows[: k + 1], "R1", "S", True)} for k in range(len(rows))]


def _last(rows: Rows, strong: str, weak: str, otherwise: bool = False) -> bool:
    decided = next((row for row in reversed(rows) if row[strong] or row[weak]), None)
    return otherwise if decided is None else bool(decided[strong])


DEFINITIONS: dict[str, tuple[str, Callable[[Rows, int], list[dict[str, Any]]]]] = {
    "TON": ("IN PT", on_delay),
    "TOF": ("IN PT", off_delay),
    "TP": ("IN PT", pulse),
    "CTU": ("CU R PV", count_up),
    "CTD": ("CD LD PV", count_down),
    "CTUD": ("CU CD R LD PV", count_both),
    "R_TRIG": ("CLK", rising),
    "F_TRIG": ("CLK", falling),
    "SR": ("S1 R", set_first),
    "RS": ("S R1", reset_first),
}
RARE = {"R": 0.05, "LD": 0.05}


def drawn(rng: random.Random, pins: list[str]) -> list[dict[str, Any]]:
    """Inputs that each stay for some scans; a preset is rarely changed, and often just reached."""
    rows: list[dict[str, Any]] = []
    now: dict[str, Any] = {}
    for _ in range(SCANS):
        for pin in pins:
            if pin == "PT":
                if pin not in now or rng.random() < 0.06:
                    now[pin] = rng.choice([0, 50, 100, 130, 200, 250, 260, 400, 500, 1000])
            elif pin == "PV":
                now[pin] = rng.randint(-1, 4) if pin not in now or rng.random() < 0.1 else now[pin]
            elif pin in RARE:
                now[pin] = rng.random() < RARE[pin]
            else:
                now[pin] = rng.random() < 0.5 if pin not in now or rng.random() < 0.3 else now[pin]
        rows.append(dict(now))
    return rows


def cell(pin: str, value: Any) -> str:
    return f"{value}ms" if pin == "PT" else str(int(value)) if isinstance(value, bool) else str(value)


@pytest.mark.parametrize("block", DEFINITIONS)
@pytest.mark.parametrize("scan", [70, 100, 130])
def test_a_standard_block_is_as_it_is_defined(block: str, scan: int, tmp_path: Path) -> None:
    names, definition = DEFINITIONS[block]
    pins, rng = names.split(), random.Random(f"{block} {scan}")
    text = f'block = "{block}"\nscan = "{scan}ms"\n'
    for number in range(-(-COUNT // 3)):
        rows = drawn(rng, pins)
        wanted = definition(rows, scan)
        table = [" ".join([*pins, "|", *wanted[0]])]
        for row, after in zip(rows, wanted, strict=True):
            table.append(" ".join([*(cell(p, row[p]) for p in pins), "|", *(cell(p, v) for p, v in after.items())]))
        body = "\n".join(table)
        text += f'[[case]]\nname = "{number}"\nvectors = """\n{body}\n"""\n'
    library = open_library(write_files(tmp_path, {"cases/c.toml": text}))
    assert (library.findings, library.not_run) == ((), ())
    for verdict in library.run():
        assert verdict.status == "passed", [(m.slot.path, m.scan, m.got, m.check.text) for m in verdict.misses[:3]]
        assert verdict.checked >= SCANS
