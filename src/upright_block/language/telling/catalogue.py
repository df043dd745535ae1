"""All findings that there are: what each means, and how much it weighs."""

from __future__ import annotations

from functools import cache
from typing import Literal

from upright_block.language.nodes import record
from upright_block.shipped import shipped_text

Level = Literal["error", "warning"]
ANALYSED = frozenset(
    {
        "actions-fight",
        "beyond-array",
        "called-in-branch",
        "called-in-loop",
        "called-twice",
        "copy-slip",
        "counter-after-loop",
        "edge-feeds-itself",
        "emergency-gap",
        "equal-reals",
        "fixed-condition",
        "hidden-global",
        "input-left-open",
        "inverted-twice",
        "latch-one-way",
        "late-widening",
        "never-called",
        "never-clears",
        "never-read",
        "never-used",
        "never-written",
        "no-effect",
        "no-else",
        "no-preset",
        "one-scan-late",
        "read-too-early",
        "result-unused",
        "shared-by-branches",
        "state-never-entered",
        "state-never-left",
        "state-passed-over",
        "state-without-branch",
        "stays-on",
        "step-left-at-once",
        "step-without-action",
        "timer-held",
        "timer-restarts",
        "two-writers",
        "unreached-statement",
        "whole-division",
    }
)
"""Findings of the analysis, which `check` alone makes; all of them stop nothing. One is made of tables without it too.
"""
WARNINGS = ANALYSED | frozenset(
    {
        "bad-allowance",
        "beyond-dialect",
        "checks-nothing",
        "hidden-cells",
        "idle-task",
        "hidden-tag",
        "given-unused",
        "input-not-given",
        "input-not-read",
        "label-twice",
        "near-twins",
        "never-clears",
        "never-reached",
        "never-runs",
        "no-interval",
        "no-task",
        "not-recorded",
        "not-seen",
        "nothing-to-retain",
        "odd-one-out",
        "off-style",
        "one-scan-late",
        "output-not-written",
        "result-never-set",
        "tag-or-value",
        "unknown-column",
        "unread-file",
        "unused-allowance",
        "unused-label",
        "unused-rig",
    }
)
"""Findings that stop nothing: what has one can be run."""


@record
class Entry:
    """What a finding means: ``says`` is a paragraph, ``wrong`` a text that has it, ``right`` the same mended.

    ``kind`` says what the texts are: "body" the statements of a block with ``variables``, "source" whole sources,
    "case" the table of a case, "file" a case file, "tags" a tag table, "wiring" a wiring table, "library" several
    files, each behind a line ``== path``, "outside" something beyond any text.
    """

    name: str
    level: Level
    says: str
    kind: str
    variables: str
    wrong: str
    right: str


def level_of(name: str) -> Level:
    """How much a finding weighs where the library says nothing else."""
    return "warning" if name in WARNINGS else "error"


UNREAD = frozenset(
    {"bad-toml", "bad-workbook", "missing-file", "outside-library", "unreadable-file", "unreadable-folder"}
)
"""What says that a file was not read: nobody knows what it holds, so nothing allows it."""


def stops(name: str) -> bool:
    """Whether what has a finding cannot be run, however much it weighs."""
    return name not in WARNINGS


@cache
def catalogue() -> dict[str, Entry]:
    """The entries by name."""
    import tomllib

    text = shipped_text(__package__, "catalogue.toml")
    return {
        name: Entry(
            name,
            level_of(name),
            entry["says"],
            entry.get("kind", "body"),
            entry.get("vars", ""),
            entry["wrong"],
            entry["right"],
        )
        for name, entry in tomllib.loads(text).items()
    }
