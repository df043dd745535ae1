"""Findings as text and as data."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any

from upright_block.asking import asked
from upright_block.language.source import Source
from upright_block.language.telling.findings import Finding
from upright_block.reports.styled import Line, Role, clipped

_LONGEST_LINE = 160
MOST_IN_FILE = 10
MOST_IN_ALL = 120
_MOST_FILES = 40


def finding_list(findings: Sequence[Finding], show_all: bool) -> Iterator[Line]:
    """Findings by file; of a file that has many, and of many files, only the first, with the number left out.

    A list that was cut ends with the number of findings of each file.
    """
    by_file: dict[str, list[Finding]] = {}
    for finding in findings:
        by_file.setdefault(finding.source.name, []).append(finding)
    room = len(findings) if show_all else MOST_IN_ALL
    cut = False
    for path, found in by_file.items():
        most = min(room, len(found) if show_all else MOST_IN_FILE)
        for finding in _first(found, most):
            yield from finding_lines(finding)
            yield []
        room -= min(most, len(found))
        if len(found) > most and most:
            left = len(found) - most
            yield [(f"{path}: {left:,} more finding{'' if left == 1 else 's'}; {asked('show_all')} shows all.", "warn")]
            yield []
        cut = cut or len(found) > most
    if cut:
        for path, found in list(by_file.items())[:_MOST_FILES]:
            yield [(f"{counted(found):>24}", "warn"), (f"  {path}", "")]
        if len(by_file) > _MOST_FILES:
            yield [(f"{'':>24}  and {len(by_file) - _MOST_FILES:,} more files", "")]
        names = Counter(finding.name for finding in findings).most_common(8)
        yield [(f"{'':>24}  " + ", ".join(f"{name} {count:,}" for name, count in names), "dim")]
        yield []


def _first(findings: Sequence[Finding], most: int) -> list[Finding]:
    """The first ``most``, errors before warnings, in the order of their places."""
    if len(findings) <= most:
        return list(findings)
    chosen = sorted(range(len(findings)), key=lambda i: (findings[i].severity != "error", i))[:most]
    return [findings[i] for i in sorted(chosen)]


def finding_lines(finding: Finding) -> list[Line]:
    """A finding with its source line, the words at fault marked below, and the way out."""
    role: Role = "bad" if finding.severity == "error" else "warn"
    source = finding.source
    place = source.shown(finding.start) if source.text else source.path
    meant = ", may be meant" if finding.is_doubtful else ""
    lines: list[Line] = [
        [(place, "strong"), ("  ", ""), (finding.severity + meant, role), (f"  {finding.name}", "dim")]
    ]
    lines += marked_lines(finding.source, finding.start, finding.end, role)
    lines.append([("      ", ""), (clipped(finding.message), "")])
    if finding.way_out:
        lines.append([("      ", ""), (clipped(finding.way_out), "name")])
    for related in finding.related:
        lines.append(
            [
                ("      ", ""),
                (
                    f"{clipped(related.message)}, {related.source.name}:"
                    if related.source is not finding.source
                    else f"{clipped(related.message)}:",
                    "dim",
                ),
            ]
        )
        lines += marked_lines(related.source, related.start, related.end, "dim")
    return lines


def finding_line(finding: Finding) -> Line:
    """A finding in one line, with its place first, as editors and logs make links of it."""
    source = finding.source
    place = source.shown(finding.start) if source.text else source.name
    role: Role = "bad" if finding.severity == "error" else "warn"
    return [
        (f"{place}: ", "strong"),
        (finding.severity, role),
        (f": {clipped(finding.message)}", ""),
        (f" ({finding.name})", "dim"),
    ]


def marked_lines(source: Source, start: int, end: int, role: Role) -> list[Line]:
    """The source line of a place, and under it a mark below the words from ``start`` to ``end``."""
    if not source.text.strip():
        return []
    number = source.line(start)
    text = source.line_text(number)
    column = start - source.line_start(number)
    length = max(1, min(end - start, len(text) - column))
    if len(text) > _LONGEST_LINE:
        cut = max(0, column - 60)
        text, column = "…" + text[cut + 1 : cut + _LONGEST_LINE], column - cut
        length = max(1, min(length, len(text) - column))
    lead = " " * len(text[:column].expandtabs(4))
    return [
        [(f"{number:>5} │ ", "dim"), (text.expandtabs(4), "")],
        [("      │ ", "dim"), (lead, ""), ("▔" * length, role)],
    ]


def counted(findings: Sequence[Finding]) -> str:
    """How many errors and warnings there are, in words."""
    errors = sum(f.severity == "error" for f in findings)
    warnings = len(findings) - errors
    parts = [f"{n} {noun}{'' if n == 1 else 's'}" for n, noun in ((errors, "error"), (warnings, "warning")) if n]
    return " and ".join(parts) or "no findings"


def finding_data(finding: Finding) -> dict[str, Any]:
    """A finding as plain data for JSON; lines and columns count from 1."""
    source = finding.source
    return {
        "name": finding.name,
        "severity": finding.severity,
        "doubtful": finding.is_doubtful,
        **source.place(finding.start),
        "end_line": source.line(finding.end),
        "end_column": source.column(finding.end),
        "message": finding.message,
        "way_out": finding.way_out,
        "related": [{**related.source.place(related.start), "message": related.message} for related in finding.related],
    }
