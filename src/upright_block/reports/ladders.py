"""The rungs of a scan as lines of text, and as plain data."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from upright_block.reasons.conducting import conducted
from upright_block.reasons.scans import Entry
from upright_block.reports.styled import Line


def rung_lines(entries: Sequence[Entry]) -> list[Line]:
    """The rungs of a unit as a scan evaluated them, ``=`` where links conduct; behind each row what its names were."""
    return [line for _, line in rungs_by_line(entries)]


def rungs_by_line(entries: Sequence[Entry]) -> list[tuple[int, Line]]:
    """The same, each row with the number of the line that its rung stands in, or is made of."""
    found: list[tuple[int, Line]] = []
    for rung in conducted(entries):
        if found:
            found.append((found[-1][0], []))
        for row, note, live in zip(rung.rows, rung.notes, rung.live, strict=True):
            line: Line = []
            at = 0
            for left, right in live:
                line += [(row[at:left], ""), (row[left : right + 1], "good")]
                at = right + 1
            line.append((row[at:], ""))
            found.append((rung.line, [*line, (f"  {note}", "dim")] if note else line))
    return found


def rung_data(entries: Sequence[Entry]) -> list[dict[str, Any]]:
    """The rungs of a unit as a scan evaluated them, with their elements, from left to right in each row."""
    return [
        {
            "line": rung.line,
            "elements": [
                {
                    "line": shown.line,
                    "column": shown.column,
                    "kind": shown.element.kind,
                    "operand": shown.element.operand.text if shown.element.operand else shown.element.sign,
                    "value": shown.value,
                    "conducts": shown.conducts,
                }
                for shown in rung.elements
            ],
        }
        for rung in conducted(entries)
    ]
