"""What there is to be known of the sources and the case files of a library that was checked."""

from __future__ import annotations

import re
from hashlib import sha256
from typing import TYPE_CHECKING

from upright_block.analysis import Analysed
from upright_block.analysis.checks.siblings import Pins
from upright_block.analysis.facts import given_by
from upright_block.language.nodes import record
from upright_block.language.source import Source
from upright_block.language.telling.allowing import Allowance
from upright_block.language.telling.findings import Finding, Findings
from upright_block.library import FileProblem, Library, Texts
from upright_block.library.outline import Declared, mentioned, shown_by
from upright_block.remembered.store import KeptCases, KeptSource, Memory, digest

if TYPE_CHECKING:
    from upright_block.cases.suite import FileOfCases, Suite

_TABLE = re.compile(r"[^\"'#\n]+\.(?:csv|xlsx)", re.IGNORECASE)
_WIDE = frozenset(
    {"no-task", "idle-task", "input-not-read", "output-not-written", "input-written", "hidden-tag", "near-twins"}
)
"""What reading finds in sources that comes of all files together."""


@record
class Found:
    """What a check came to: what is to be kept, and what is made anew each time."""

    memory: Memory
    wide: list[Finding]
    allowances: tuple[Allowance, ...]
    wired: int


class Keeping:
    """What there is to be known of the sources of a library that was checked."""

    def __init__(self, library: Library, done: Analysed) -> None:
        self.rigs = library.scope.rigs
        self.shared = frozenset(shared_names(library))
        self.shown = shown_by(library.scope)
        self.findings: dict[Source, list[Finding]] = {}
        self.pins = done.pins
        for finding in (*(f for f in library.findings if f.name not in _WIDE), *done.own):
            self.findings.setdefault(finding.source, []).append(finding)

    def kept(self, source: Source) -> KeptSource:
        """What there is to be known of one."""
        shown = self.shown.get(source) or Declared(source)
        units = shown.units
        return KeptSource(
            digest(source.text),
            shown.names,
            tuple(sorted(self.shared & mentioned(source))),
            shown.outline,
            source not in self.rigs and any(unit.kind in ("PROGRAM", "CONFIGURATION") for unit in units),
            any(part.is_broken for unit in units for part in (unit, *unit.methods.values())),
            sum(unit.kind != "CONFIGURATION" for unit in units),
            self.findings.get(source, []),
            self.pins.get(source) or Pins(),
            given_by(units),
            shown.elsewhere(source in self.rigs),
        )


def kept_cases(file: FileOfCases, texts: Texts) -> KeptCases:
    asked = {table.path for table in file.tables} | set(named_tables(file.source, texts))
    tables = {path: table_digest(path, texts) for path in asked}  # also of those that are not there
    return KeptCases(digest(file.source.text), tables, file.names, list(file.findings), file.ready, file.not_run)


def wide_findings(library: Library, done: Analysed, suite: Suite, texts: Texts) -> list[Finding]:
    """What comes of all files together, and what is found in tables, rules, and files that cannot be read."""
    sources = {source.path for source in library.sources}
    found = [f for f in library.findings if f.name in _WIDE or f.source.path not in sources]
    found += [*done.wide, *(f for f in done.own if f.source.path not in sources)]
    told = {(f.source.path, f.start, f.name) for file in suite.by_file for f in file.findings}
    return [*found, *(f for f in suite.findings if (f.source.path, f.start, f.name) not in told)]


def shared_names(library: Library) -> tuple[str, ...]:
    variables = library.scope.globals.variables.values()
    names = {variable.key for variable in variables if not variable.is_hidden and not variable.constant}
    return tuple(sorted({*names, *library.scope.tags}))


def table_digest(path: str, texts: Texts) -> str:
    """A digest of a table of a case; empty where it cannot be read."""

    try:
        return sha256(texts.files.content(texts.root / path)).hexdigest()
    except FileProblem:
        return ""


def named_tables(source: Source, texts: Texts) -> list[str]:
    """The paths of what may be the tables that a case file names, whether they are there or not."""
    folder = (texts.root / source.path).parent
    return [texts.files.shown(folder / name) for name in dict.fromkeys(_TABLE.findall(source.text))]


def cases_of(texts: Texts) -> dict[str, Source]:
    """The texts of all case files, by their paths; those that cannot be read are told by whoever reads the cases."""
    return {source.path: source for source in toml_texts(texts, "cases")}


def rules_of(texts: Texts) -> list[Source]:
    return toml_texts(texts, "rules")


def toml_texts(texts: Texts, part: str, unread: Findings | None = None) -> list[Source]:
    unread = Findings() if unread is None else unread
    folders = texts.manifest.folders[part]
    paths = dict.fromkeys(path for folder in folders for path in texts.files.below(folder, (".toml",), unread))
    read = [texts.files.source(path, unread) for path in paths]
    return [source for source in read if source is not None]
