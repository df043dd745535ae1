"""Where a thing is declared, written, read and called, as lines of text and as data."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from upright_block.analysis.references import Reference
from upright_block.reports.styled import Line, clipped

_LONGEST = 100


def reference_lines(references: Sequence[Reference], width: int) -> list[Line]:
    """What is done to it, where, and the text of the line there."""
    places = [reference.source.shown_line(reference.start) for reference in references]
    wide = max(map(len, places), default=0)
    room = max(20, min(width - wide - 13, _LONGEST))
    lines: list[Line] = []
    for reference, place in zip(references, places, strict=True):
        text = " ".join(reference.source.line_text(reference.source.line(reference.start)).split())
        shown = text if len(text) <= room else text[: room - 2] + " …"
        lines.append([(f"{reference.kind:<9}  ", "dim"), (f"{place:<{wide}}  ", "name"), (clipped(shown), "")])
    return lines


def reference_data(reference: Reference) -> dict[str, Any]:
    """A reference as plain data."""
    return {"kind": reference.kind, "unit": reference.unit, **reference.source.place(reference.start)}
