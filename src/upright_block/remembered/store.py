"""What is kept of a check: answers about sources and case files, as JSON in the user's cache folder."""

from __future__ import annotations

import json
import stat
from hashlib import sha256
from pathlib import Path
from typing import Any

from upright_block import cached
from upright_block.analysis.checks.siblings import CallMade, OpenInput, Pins
from upright_block.analysis.facts import Given
from upright_block.language.nodes import fresh, state
from upright_block.language.scope import Elsewhere
from upright_block.language.source import Source
from upright_block.language.telling.edits import Edit
from upright_block.language.telling.findings import Finding, Related
from upright_block.library import Texts
from upright_block.whole import write_file

FORM = 4


@state
class KeptSource:
    """What is known of a source: what it declares, what others can see of it, what was found in it by itself.

    One ``is_central`` has programs or configurations, and is read each time. ``shares`` are the names in it of tags and
    global variables. ``offers`` are the names that others are offered where they misspell one.
    """

    digest: str
    declares: tuple[str, ...]
    shares: tuple[str, ...]
    outline: str
    is_central: bool
    is_broken: bool
    units: int
    findings: list[Finding]
    pins: Pins
    given: Given
    offers: list[Elsewhere]


@state
class KeptCases:
    """What is known of a case file: its digest and those of its tables, the units that it names, and what came of
    it.
    """

    digest: str
    tables: dict[str, str]
    names: tuple[str, ...] | None
    findings: list[Finding]
    ready: int
    not_run: int


@state
class Memory:
    """What is kept of a library. ``around`` is a digest of what every file depends on; ``shared`` are the names of all
    tags and global variables: files that name one are read together.
    """

    around: str
    sources: dict[str, KeptSource] = fresh(default_factory=dict)
    cases: dict[str, KeptCases] = fresh(default_factory=dict)
    shared: tuple[str, ...] = ()


def digest(text: str) -> str:
    return sha256(text.encode("utf-8", "surrogatepass")).hexdigest()


def read(path: Path, texts: Texts, case_files: dict[str, Source], around: str) -> Memory | None:
    """What is kept; None where there is nothing, or nothing that can be used."""
    try:
        if not cached.is_ours(path.parent, stat.S_ISDIR) or not cached.is_ours(path):
            return None
        data: Any = json.loads(path.read_text("utf-8"))
        if data["around"] != around:
            return None
        sources = {source.name: source for source in (*texts.own, *texts.rigs, *texts.tags)}
        sources |= case_files
        return _Reader(sources).memory(data)
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return None


class _Reader:
    """Makes what is kept from JSON; texts stand for their paths."""

    def __init__(self, sources: dict[str, Source]) -> None:
        self.sources = sources

    def source(self, path: str) -> Source:
        return self.sources.setdefault(path, Source(path, ""))

    def memory(self, data: dict[str, Any]) -> Memory:
        sources = {path: self.kept(entry) for path, entry in data["sources"].items()}
        cases = {path: self.cases(entry) for path, entry in data["cases"].items()}
        return Memory(data["around"], sources, cases, tuple(data["shared"]))

    def kept(self, data: list[Any]) -> KeptSource:
        digest, declares, shares, shown, is_central, is_broken, units, findings, pins, given, offers = data
        return KeptSource(
            digest,
            tuple(declares),
            tuple(shares),
            shown,
            is_central,
            is_broken,
            units,
            [self.finding(entry) for entry in findings],
            self.pins(pins),
            {name: None if values is None else set(values) for name, values in given.items()},
            [Elsewhere(*entry) for entry in offers],
        )

    def cases(self, data: list[Any]) -> KeptCases:
        digest, tables, names, findings, ready, not_run = data
        found = [self.finding(entry) for entry in findings]
        return KeptCases(digest, tables, None if names is None else tuple(names), found, ready, not_run)

    def finding(self, data: list[Any]) -> Finding:
        name, path, start, end, message, way_out, related, is_doubtful, edit = data
        source = self.source(path)
        others = tuple(Related(self.source(p), s, e, m) for p, s, e, m in related)
        sure = Edit(source, *edit) if edit else None
        return Finding(name, source, start, end, message, way_out, others, None, is_doubtful, sure)

    def pins(self, data: list[Any]) -> Pins:
        calls, declared, given = data
        open_ = [OpenInput(key, block, name, self.source(path), *place) for key, block, name, path, place in declared]
        return Pins([self.call(entry) for entry in calls], open_, set(given))

    def call(self, data: list[Any]) -> CallMade:
        blocks, instance, unit, path, start, end, inputs, given, presets, shared = data
        pins = (tuple(inputs), tuple(given), tuple(presets))
        return CallMade(tuple(blocks), instance, unit, self.source(path), start, end, *pins, shared)


def write(path: Path, memory: Memory) -> None:
    """Keep what is known, whole or not at all."""
    if not path.is_absolute():
        return  # there is no home folder to keep it in
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    if not cached.is_ours(path.parent, stat.S_ISDIR):
        return
    data = {
        "around": memory.around,
        "shared": memory.shared,
        "sources": {path: _kept_data(entry) for path, entry in memory.sources.items()},
        "cases": {path: _cases_data(entry) for path, entry in memory.cases.items()},
    }
    write_file(path, json.dumps(data, separators=(",", ":")).encode(), is_private=True)


def _kept_data(kept: KeptSource) -> list[Any]:
    given = {name: None if values is None else sorted(values) for name, values in kept.given.items()}
    return [
        kept.digest,
        kept.declares,
        kept.shares,
        kept.outline,
        kept.is_central,
        kept.is_broken,
        kept.units,
        [_finding_data(finding) for finding in kept.findings],
        _pins_data(kept.pins),
        given,
        [[each.full_name, each.kind, each.is_of_rig] for each in kept.offers],
    ]


def _cases_data(kept: KeptCases) -> list[Any]:
    findings = [_finding_data(finding) for finding in kept.findings]
    return [kept.digest, kept.tables, kept.names, findings, kept.ready, kept.not_run]


def _pins_data(pins: Pins) -> list[Any]:
    declared = [[o.key, o.block, o.name, o.source.name, (o.start, o.end)] for o in pins.open]
    return [[_call_data(call) for call in pins.calls], declared, sorted(pins.given)]


def _call_data(c: CallMade) -> list[Any]:
    return [c.blocks, c.instance, c.unit, c.source.name, c.start, c.end, c.inputs, c.given, c.presets, c.shared]


def _finding_data(f: Finding) -> list[Any]:
    related = [[r.source.name, r.start, r.end, r.message] for r in f.related]
    edit = [f.edit.start, f.edit.end, f.edit.text] if f.edit else None
    return [f.name, f.source.name, f.start, f.end, f.message, f.way_out, related, f.is_doubtful, edit]
