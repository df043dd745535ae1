"""Findings as text and as data."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from upright_block.language.findings import Finding
from upright_block.language.source import Source
from upright_block.reports.styled import Line, Role

_LONGEST_LINE = 160


def finding_lines(finding: Finding) -> list[Line]:
    """A finding with its source line, the words at fault marked below, and the way out."""
    role: Role = "bad" if finding.severity == "error" else "warn"
    place = finding.source.path
    if finding.source.text:
        place += f":{finding.line}:{finding.column}"
    lines: list[Line] = [
        [(place, "strong"), ("  ", ""), (finding.severity, role), (f"  {finding.name}", "dim")]
    ]
    lines += marked_lines(finding.source, finding.start, finding.end, role)
    lines.append([("      ", ""), (finding.message, "")])
    if finding.way_out:
        lines.append([("      ", ""), (finding.way_out, "name")])
    for related in finding.related:
        lines.append([("      ", ""), (f"{related.message}:", "dim")])
        lines += marked_lines(related.source, related.start, related.end, "dim")
    return lines


def marked_lines(source: Source, start: int, end: int, role: Role) -> list[Line]:
    """The source line of a place, and under it a mark below the words from ``start`` to ``end``."""
    if not source.text.strip():
        return []
    number = source.line(start)
    text = source.line_text(number)
    column = source.column(start) - 1
    length = max(1, min(end - start, len(text) - column))
    if len(text) > _LONGEST_LINE:
        cut = max(0, column - 60)
        text, column = "…" + text[cut + 1 : cut + _LONGEST_LINE], column - cut
        length = max(1, min(length, len(text) - column))
    lead = "".join("\t" if char == "\t" else " " for char in text[:column])
    return [
        [(f"{number:>5} │ ", "dim"), (text.expandtabs(4), "")],
        [("      │ ", "dim"), (lead.expandtabs(4), ""), ("▔" * length, role)],
    ]


def counted(findings: Sequence[Finding]) -> str:
    """How many errors and warnings there are, in words."""
    errors = sum(f.severity == "error" for f in findings)
    warnings = len(findings) - errors
    parts = [
        f"{n} {noun}{'' if n == 1 else 's'}" for n, noun in ((errors, "error"), (warnings, "warning")) if n
    ]
    return " and ".join(parts) or "no findings"


def finding_data(finding: Finding) -> dict[str, Any]:
    """A finding as plain data for JSON; lines and columns count from 1."""
    source = finding.source
    return {
        "name": finding.name,
        "severity": finding.severity,
        "file": source.path,
        "line": finding.line,
        "column": finding.column,
        "end_line": source.line(finding.end),
        "end_column": source.column(finding.end),
        "message": finding.message,
        "way_out": finding.way_out,
        "related": [
            {
                "file": r.source.path,
                "line": r.source.line(r.start),
                "column": r.source.column(r.start),
                "message": r.message,
            }
            for r in finding.related
        ],
    }
