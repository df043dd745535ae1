"""The rungs of a scan as lines of text, and as plain data."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import Any

from upright_block.reasons.conducting import conducted
from upright_block.reasons.scans import Entry
from upright_block.reports.styled import Line

_CONDUCTS = re.compile("=+|[^=]+")


def rung_lines(entries: Sequence[Entry]) -> Iterator[Line]:
    """The rungs of a unit as a scan evaluated them, ``=`` where links conduct; behind each row what its names were."""
    for number, rung in enumerate(conducted(entries)):
        if number:
            yield []
        for row, note in zip(rung.rows, rung.notes, strict=True):
            line: Line = [(part[0], "good" if part[0][0] == "=" else "") for part in _CONDUCTS.finditer(row)]
            yield [*line, (f"  {note}", "dim")] if note else line


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
