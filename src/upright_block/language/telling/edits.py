"""Edits of texts: what is made of a part of a source, and many of them laid on it."""

from __future__ import annotations

import re
from collections.abc import Iterable

from upright_block.language.nodes import record
from upright_block.language.source import Source


@record
class Edit:
    """A change of a source: what is from ``start`` to ``end`` becomes ``text``."""

    source: Source
    start: int
    end: int
    text: str


@record
class Changed:
    """A text before and after edits, and how many these are."""

    before: str
    after: str
    count: int


def laid(edits: Iterable[Edit]) -> dict[str, Changed]:
    """By path the texts that edits change; of two that touch one is done, the first."""
    by_path: dict[str, list[Edit]] = {}
    for edit in edits:
        by_path.setdefault(edit.source.path, []).append(edit)
    return {path: _laid(own) for path, own in by_path.items()}


def _laid(edits: list[Edit]) -> Changed:
    text, parts, count, last = edits[0].source.text, list[str](), 0, 0
    for edit in sorted(edits, key=lambda edit: (edit.start, edit.end)):
        if edit.start >= last:
            parts += (text[last : edit.start], edit.text)
            count, last = count + 1, edit.end
    return Changed(text, "".join([*parts, text[last:]]), count)


def without(source: Source, start: int, end: int) -> Edit:
    """Without what is from ``start`` to ``end``, and without its line where nothing else is in that."""
    text = source.text
    first = text.rfind("\n", 0, start) + 1
    after = text.find("\n", end)
    after = len(text) if after < 0 else after + 1
    is_alone = not text[first:start].strip() and not text[end:after].strip()
    return Edit(source, first, after, "") if is_alone else Edit(source, start, end, "")


def without_comment(source: Source, start: int, end: int) -> Edit | None:
    """Without a comment and the blanks before it; None in a source whose comments are cells."""
    if source.form != "statements":
        return None
    return without(source, len(source.text[:start].rstrip(" \t")), end)


_DECLARED = re.compile(r"\w+\s*:[^;\n]*;[ \t]*(?://[^\n]*|\(\*[^\n]*?\*\))?[ \t\r]*(?=\n|\Z)")


def without_declaration(source: Source, start: int) -> Edit | None:
    """Without the declaration of the name at ``start`` and its comment; None where it does not have its line to
    itself.
    """
    match = _DECLARED.match(source.text, start)
    is_first = not source.text[source.text.rfind("\n", 0, start) + 1 : start].strip()
    return without(source, start, match.end()) if match and is_first else None


_COPIED = re.compile(r"[\w.\[\]]+\s*:=\s*[\w.\[\]]+\s*;")


def without_copy(source: Source, start: int) -> Edit | None:
    """Without the assignment of one variable to another that begins at ``start``; None where it is written
    otherwise.
    """
    match = _COPIED.match(source.text, start)
    return without(source, start, match.end()) if match else None
