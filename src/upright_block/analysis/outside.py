"""What reads the data of units from outside of all bodies: cases, rules, tables, access paths."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from upright_block.language.source import Source
from upright_block.language.telling.findings import Finding

_WORD = re.compile(r"[^\W\d]\w*")
_BEHIND_A_DOT = re.compile(r"\.\s*([^\W\d]\w*)")
_GIVEN = re.compile(r"[(,]\s*([^\W\d]\w*)\s*:?=")


def named_outside(sources: Iterable[Source]) -> frozenset[str]:
    """The words, in upper case, by which texts of a library may name private data: all of a case file, a rule file or a
    table; of a text of units those behind a dot, as in an access path, and those that an instance is given.
    """
    found: set[str] = set()
    for source in sources:
        if source.form == "statements":
            found.update(_BEHIND_A_DOT.findall(source.text), _GIVEN.findall(source.text))
        else:
            found.update(_WORD.findall(source.text))
    return frozenset(word.upper() for word in found)


def is_named(finding: Finding, named: frozenset[str]) -> bool:
    """Whether the words that a finding marks are among some names."""
    return finding.source.text[finding.start : finding.end].upper() in named


def unread(findings: Sequence[Finding], named: frozenset[str]) -> list[Finding]:
    """Findings without those on data that no body reads, and that somebody outside may."""
    return [f for f in findings if f.name != "never-read" or not is_named(f, named)]
