"""What a library has to show: a line for each unit."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from upright_block.language.typed import Unit
from upright_block.reports.listing import column_lines
from upright_block.reports.styled import Line

_GROUPS = (
    ("blocks", ("FUNCTION_BLOCK", "CLASS", "INTERFACE")),
    ("functions", ("FUNCTION",)),
    ("programs", ("PROGRAM",)),
    ("configurations", ("CONFIGURATION",)),
)


def first_sentence(comment: str) -> str:
    """The first sentence of a comment, on one line."""
    text = " ".join(comment.split())
    end = next((i for i, letter in enumerate(text) if letter == "." and text[i + 1 : i + 2] in ("", " ")), len(text))
    return text[:end]


def content_groups(units: Sequence[Unit], stand_ins: Sequence[Unit]) -> list[tuple[str, list[Unit]]]:
    """Units by what they are; groups without any are left out."""
    groups = [(name, [unit for unit in units if unit.kind in kinds]) for name, kinds in _GROUPS]
    return [(name, found) for name, found in (*groups, ("stand-ins for rigs", list(stand_ins))) if found]


def content_lines(units: Sequence[Unit], stand_ins: Sequence[Unit], width: int) -> list[Line]:
    """A line for each unit below what it is, with what its comment begins with."""
    lines: list[Line] = []
    for name, found in content_groups(units, stand_ins):
        files = ["" if unit.is_standard else unit.source.path for unit in found]
        rows = [
            [f"  {unit.full_name}", file, first_sentence(unit.comment)] for unit, file in zip(found, files, strict=True)
        ]
        head: Line = [(name[0].upper() + name[1:], "strong")]
        lines += [[], head] if lines else [head]
        lines += column_lines(("", "", ""), rows, width, ("name", "dim"))[1:]
    return lines


def content_data(units: Sequence[Unit], stand_ins: Sequence[Unit]) -> dict[str, Any]:
    """The names of all units, by what they are, for JSON."""
    return {
        name: [{"name": unit.full_name, "comment": unit.comment, "file": unit.source.path} for unit in found]
        for name, found in content_groups(units, stand_ins)
    }
