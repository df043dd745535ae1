"""What may have changed since the last check is checked again, with what it uses."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from pathlib import PurePosixPath

from upright_block.analysis import Analysed, analysed
from upright_block.analysis.facts import Given, merged
from upright_block.language.names import MOST_CANDIDATES
from upright_block.language.source import Sheet, Source
from upright_block.language.telling.findings import Finding, Findings
from upright_block.library import Library, Texts, check_texts
from upright_block.library.outline import declared_names, mentioned
from upright_block.remembered.answers import (
    Found,
    Keeping,
    kept_cases,
    rules_of,
    shared_names,
    table_digest,
    toml_texts,
    wide_findings,
)
from upright_block.remembered.store import KeptSource, Memory, digest

_MOST_ROUNDS = 3
_MOST_AGAIN = 0.4
"""Where more than this part of all sources would be read, all are."""
_FEWEST = 20
_RETOLD = frozenset({"unknown-name", "name-twice", "recursion"})
"""What names other files in findings of cases; these may not have been read."""


class Again:
    """Checks what may have changed since the last check."""

    def __init__(self, texts: Texts, case_files: dict[str, Source], memory: Memory) -> None:
        self.texts = texts
        self.case_files = case_files
        self.memory = memory
        self.sources = {source.path: source for source in (*texts.alone, *texts.rigs)}
        self.mentions = {path: mentioned(source) for path, source in self.sources.items()}
        kept = memory.sources
        self.changed = {
            path
            for path, source in self.sources.items()
            if path not in kept or digest(source.text) != kept[path].digest
        }
        self.gone = kept.keys() - self.sources.keys()
        declares = {path: frozenset(entry.declares) for path, entry in kept.items() if path not in self.gone}
        self.declared = {path: declared_names(self.sources[path]) for path in self.changed}
        declares |= self.declared
        self.declaring: dict[str, list[str]] = {}
        for path, names in declares.items():
            for name in names:
                self.declaring.setdefault(name, []).append(path)
        self.uses = {path: self._declaring(names) - {path} for path, names in self.mentions.items()}
        self.tables = {
            name: self._declaring(mentioned(source)) for source in texts.asking for name in _names_of_table(source)
        }

    def _declaring(self, names: Iterable[str]) -> set[str]:
        """The sources that declare some names."""
        return {path for name in names for path in self.declaring.get(name, ())}

    def run(self) -> Found | None:
        """What a check of everything would find; None where that takes such a check."""
        kept = self.memory.sources
        # Names decide who is touched before anybody is read: whoever mentions one that others declare now means
        # something else.
        names = self._renamed()
        moved = self.gone | (self.changed - kept.keys())
        is_of_rig = any(source.path in moved for source in self.texts.rigs) or any(
            each.is_of_rig for path in self.gone for each in kept[path].offers
        )
        is_shared = any(
            each.full_name.upper() in names and each.kind == "VARIABLE"
            for path in (self.changed & kept.keys()) | self.gone
            for each in kept[path].offers
        )
        if is_of_rig or is_shared or _has_unread(self.texts):
            return None
        if any(finding.name == "recursion" for entry in kept.values() for finding in entry.findings):
            return None
        cases = self._changed_cases(self.changed, names)
        again = self._touched(names)
        for number in range(_MOST_ROUNDS):
            needed = self._needed(again, cases)
            if len(needed) > max(_FEWEST, _MOST_AGAIN * len(self.sources)):
                return None
            others = [entry for path, entry in kept.items() if path not in needed and path not in self.gone]
            offered = [each for entry in others for each in entry.offers]
            if len(offered) > MOST_CANDIDATES // 2:
                return None
            library = check_texts(self.texts, needed, offered)
            given: Given = {}
            for entry in others:
                given = merged(given, entry.given)
            done = analysed(library.scope, [entry.pins for entry in others], given)
            keeping = Keeping(library, done)
            made = {path: keeping.kept(self.sources[path]) for path in again}
            if any(not self.declared[path].issuperset(made[path].declares) for path in self.changed):
                return None
            # With a new global variable it is another question who shares what.
            if not set(self.memory.shared).issuperset(shared_names(library)):
                return None
            shown = {path for path, entry in made.items() if path not in kept or entry.outline != kept[path].outline}
            more = (self._users(shown) | self._sharers(shown, made)) - again
            if not more:
                return self._found(library, done, made, cases)
            # Each round reads who sees what has changed in the one before; after a few of them everything is quicker.
            while more and number:  # of a change that goes further than one step all users are read
                again |= more
                more = self._users(more) - again
            again |= more
        return None

    def _renamed(self) -> set[str]:
        """The names that other sources declare now than before."""
        kept = self.memory.sources
        found: set[str] = set()
        for path in self.changed | self.gone:
            before = frozenset(kept[path].declares) if path in kept else frozenset[str]()
            found |= before ^ self.declared.get(path, frozenset())
        return found

    def _touched(self, names: set[str]) -> set[str]:
        """What is checked anew whatever comes of it: what has changed, what mentions one of some names that others
        declare now, or told that a name is not known, and what tells of a place in a text that has changed.
        """
        kept = self.memory.sources
        found = set(self.changed)
        for path, entry in kept.items():
            if path in found or path in self.gone:
                continue
            is_told = any(self._tells_of_changed(finding) for finding in entry.findings)
            is_unknown = names and any(finding.name == "unknown-name" for finding in entry.findings)
            if is_told or is_unknown or not self.mentions[path].isdisjoint(names):
                found.add(path)
        return found

    def _tells_of_changed(self, finding: Finding) -> bool:
        """Whether a finding has a place in a text that is another now, or is gone."""
        others = {related.source.path for related in finding.related} - {finding.source.path}
        return not others.isdisjoint(self.changed | self.gone) or any(
            path in finding.message or path in finding.way_out for path in self.changed | self.gone
        )

    def _changed_cases(self, changed: set[str], names: set[str]) -> set[str]:
        """The case files of which something may differ: their own text, a table, or anything that their units use."""
        found: set[str] = set()
        kept_sources = self.memory.sources
        central = {path for path, entry in kept_sources.items() if entry.is_central and path not in self.gone}
        central |= changed - kept_sources.keys()
        reach: dict[str, bool] = {}
        for path, source in self.case_files.items():
            kept = self.memory.cases.get(path)
            if kept is None or kept.names is None or kept.digest != digest(source.text):
                found.add(path)
                continue
            if any(table_digest(table, self.texts) != digest for table, digest in kept.tables.items()):
                found.add(path)
                continue
            if any(self._tells_of_changed(finding) for finding in kept.findings) or not names.isdisjoint(
                mentioned(source)
            ):
                found.add(path)
                continue
            if names and any(finding.name == "unknown-name" for finding in kept.findings):
                found.add(path)
                continue
            for name in kept.names if changed else ():
                if name not in reach:
                    # What nobody declares is the configuration of a library that writes none, or a table.
                    begin = self._declaring([name.rpartition(".")[2]]) or central | self._by_tables(self.tables)
                    reach[name] = not changed.isdisjoint(self._closure(begin, through_tables=True))
                if reach[name]:
                    found.add(path)
            if changed and path not in found:  # its rules may call what nothing else of it names
                words = {name.rpartition(".")[2] for name in mentioned(source)}
                if not changed.isdisjoint(self._closure(self._declaring(words))):
                    found.add(path)
        return found

    def _closure(self, begin: Iterable[str], *, through_tables: bool = False) -> set[str]:
        """Some sources and all that they use, also by way of tables that they name."""
        found = set(begin)
        waiting = list(found)
        while waiting:
            path = waiting.pop()
            used = self.uses[path]
            if through_tables:
                used = used | self._by_tables(self.mentions[path] & self.tables.keys())
            waiting += used - found
            found |= used
        return found

    def _by_tables(self, names: Iterable[str]) -> set[str]:
        """The sources that tables of some names use."""
        return {path for name in names for path in self.tables[name]}

    def _users(self, begin: Collection[str]) -> set[str]:
        """The sources that use some."""
        return {path for path, used in self.uses.items() if not used.isdisjoint(begin)} if begin else set()

    def _sharers(self, changed: set[str], made: dict[str, KeptSource]) -> set[str]:
        """The sources that name a tag or a global variable which one of those names, or named before."""
        kept = self.memory.sources
        every = (entry for path in changed for entry in (made[path], kept.get(path)) if entry is not None)
        names = {name for entry in every for name in entry.shares}
        return {path for path, entry in kept.items() if path not in self.gone and not names.isdisjoint(entry.shares)}

    def _needed(self, again: set[str], cases: set[str]) -> set[str]:
        """What is read: what is checked anew, what extends that, what is read each time, and all that these use."""
        kept = self.memory.sources
        left = {path: entry for path, entry in kept.items() if path not in self.gone}
        begin = {*again, *(path for path, entry in left.items() if entry.is_central or entry.is_broken)}
        shared = set(self.memory.shared)
        begin |= {path for path, names in self.mentions.items() if not names.isdisjoint(shared)}
        named = {name.rpartition(".")[2] for path in cases for name in mentioned(self.case_files[path])}
        for source in (*rules_of(self.texts), *self.texts.tables):
            named |= mentioned(source)
        begin |= self._declaring(named)
        begin |= {source.path for source in self.texts.rigs} if cases else set()
        heirs = {path for path, names in self.mentions.items() if not names.isdisjoint(("EXTENDS", "IMPLEMENTS"))}
        while more := (self._users(begin & heirs | again) & heirs) - begin:
            begin |= more
        return self._closure(begin)

    def _found(self, library: Library, done: Analysed, made: dict[str, KeptSource], cases: set[str]) -> Found | None:
        from upright_block.cases.suite import load_suite

        if any(finding.name == "recursion" for entry in made.values() for finding in entry.findings):
            return None
        memory = self.memory
        left = {path: entry for path, entry in memory.cases.items() if path in self.case_files and path not in cases}
        rigs = {name for entry in left.values() for name in entry.names or ()}
        suite = load_suite(library, cases, rigs)
        if any(finding.name in _RETOLD for finding in suite.findings):
            return None
        for path in self.gone:
            del memory.sources[path]
        memory.sources |= made
        memory.sources = {path: memory.sources[path] for path in self.sources}
        memory.cases = left | {file.source.path: kept_cases(file, self.texts) for file in suite.by_file}
        return Found(
            memory,
            wide_findings(library, done, suite, self.texts),
            tuple(library.scope.allowances),
            sum(unit.is_wired for unit in library.units),
        )


def _has_unread(texts: Texts) -> bool:
    """Whether a case file, or a file of rules, cannot be read."""
    unread = Findings()
    for part in ("cases", "rules"):
        toml_texts(texts, part, unread)
    return bool(unread.items)


def _names_of_table(source: Source) -> set[str]:
    """The names, in upper case, that the program of a table may have."""
    names = {PurePosixPath(source.path).stem.upper()}
    return names | {source.sheet.upper()} if isinstance(source, Sheet) else names
