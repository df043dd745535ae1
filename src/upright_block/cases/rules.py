"""Rules and timing rows as they are written: ``always``, ``never`` and ``timing`` of a case or a file of cases."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from upright_block.cases.cells import Check
from upright_block.language.nodes import record
from upright_block.language.source import Source

Edge = Literal["rises", "falls", "changes"]


@record
class Phrase:
    """A text of a case file with its place. ``is_as_written`` says that it stands there letter by letter."""

    text: str
    source: Source
    start: int
    end: int
    is_as_written: bool


@record
class Rule:
    """An expression that holds ``always`` or ``never``, judged ``while`` another is TRUE, from ``after`` to
    ``until``.
    """

    kind: str
    expression: Phrase
    during: Phrase | None
    after: Phrase | None
    until: Phrase | None


@record
class Occurrence:
    """That an expression rises, falls or changes."""

    expression: Phrase
    edge: Edge


@record
class Allowed:
    """A time of a timing row: ns, and scans besides."""

    time: int
    scans: int
    text: str


@record
class TimingRow:
    """A row of a timing table. ``least`` and ``most`` bound the time from one event to the next other one."""

    name: Phrase
    begin: Occurrence
    end: Occurrence | None
    least: Allowed | None
    most: Allowed | None
    count: Check | None
    after: Phrase | None
    until: Phrase | None


def shown_rule(rule: Rule) -> str:
    """A rule on one line."""
    parts: Sequence[tuple[str, Phrase | None]] = (("while", rule.during), ("after", rule.after), ("until", rule.until))
    conditions = "".join(f", {word} {phrase.text}" for word, phrase in parts if phrase)
    return f"{rule.kind} {rule.expression.text}{conditions}"
