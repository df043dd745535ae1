"""Ways out that are one sure edit, and texts with such edits."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable

from upright_block.language.findings import Finding
from upright_block.language.nodes import record
from upright_block.language.source import Sheet, Source


@record
class Edit:
    """A change of a text: what is from ``start`` to ``end`` becomes ``text``."""

    start: int
    end: int
    text: str


def sure_edit(finding: Finding) -> Edit | None:
    """The edit that is the way out of a finding, where there is one that leaves no choice."""
    make = _EDITS.get(finding.name)
    return make(finding) if make is not None and not isinstance(finding.source, Sheet) else None


def mended_texts(findings: Iterable[Finding], named: frozenset[str] = frozenset()) -> dict[str, tuple[str, str, int]]:
    """By path a text before and after the sure edits of its findings, and how many these are; of two that touch one is done.

    What other texts name, in upper case, is not removed.
    """
    by_path: dict[str, tuple[Source, list[Edit]]] = {}
    for finding in findings:
        is_kept = finding.name == "never-used" and finding.source.text[finding.start : finding.end].upper() in named
        edit = None if is_kept else sure_edit(finding)
        if edit is not None:
            by_path.setdefault(finding.source.path, (finding.source, []))[1].append(edit)
    found: dict[str, tuple[str, str, int]] = {}
    for path, (source, edits) in by_path.items():
        parts: list[str] = []
        count, last = 0, 0
        for edit in sorted(edits, key=lambda edit: (edit.start, edit.end)):
            if edit.start >= last:
                parts += (source.text[last : edit.start], edit.text)
                count, last = count + 1, edit.end
        found[path] = (source.text, "".join([*parts, source.text[last:]]), count)
    return found


def _whole_line(source: Source, start: int, end: int) -> Edit:
    """Without what is from ``start`` to ``end``, and without its line where nothing else is in that."""
    text = source.text
    first = text.rfind("\n", 0, start) + 1
    after = text.find("\n", end)
    after = len(text) if after < 0 else after + 1
    is_alone = not text[first:start].strip() and not text[end:after].strip()
    return Edit(first, after, "") if is_alone else Edit(start, end, "")


_DECLARED = re.compile(r"(?P<name>\w+)\s*:[^;\n]*;[ \t]*(?P<comment>//[^\n]*|\(\*[^\n]*?\*\))?[ \t\r]*(?=\n|\Z)")


def _drop_declaration(finding: Finding) -> Edit | None:
    """Without a declaration that has its line to itself, and the comment of that."""
    source = finding.source
    line = source.line_text(finding.line)
    start = finding.start - (finding.column - 1)
    lead = len(line) - len(line.lstrip())
    match = _DECLARED.match(source.text, start + lead)
    if match is None or start + lead != finding.start:
        return None
    return _whole_line(source, finding.start, match.end())


_OWN = re.compile(r"\s*(?P<name>[\w.\[\]]+)\s*:=\s*(?P<value>[\w.\[\]]+)\s*;")


def _drop_statement(finding: Finding) -> Edit | None:
    """Without ``x := x;``"""
    match = _OWN.match(finding.source.text, finding.start)
    if match is None or match["name"].upper() != match["value"].upper():
        return None
    return _whole_line(finding.source, finding.start, match.end())


_NOT = re.compile(r"NOT\b\s*", re.IGNORECASE)


def _without_not(finding: Finding) -> Edit | None:
    match = _NOT.match(finding.source.text, finding.start)
    return Edit(match.start(), match.end(), "") if match else None


def _drop_comment(finding: Finding) -> Edit | None:
    source = finding.source
    if source.form != "statements":
        return None
    start = finding.start
    while start > 0 and source.text[start - 1] in " \t":
        start -= 1
    return _whole_line(source, start, finding.end)


def _add_semicolon(finding: Finding) -> Edit | None:
    return Edit(finding.end, finding.end, ";") if finding.way_out == "Write ; here." else None


_MEANT = re.compile(r"Did you mean (?P<near>\w+)\?|Write (?P<meant>\w+)\.\Z")


def _as_meant(finding: Finding) -> Edit | None:
    match = _MEANT.match(finding.way_out)
    return Edit(finding.start, finding.end, match["near"] or match["meant"]) if match else None


_EDITS: dict[str, Callable[[Finding], Edit | None]] = {
    "inverted-twice": _without_not,
    "misspelt-keyword": _as_meant,
    "missing-semicolon": _add_semicolon,
    "never-used": _drop_declaration,
    "no-effect": _drop_statement,
    "unused-allowance": _drop_comment,
}
