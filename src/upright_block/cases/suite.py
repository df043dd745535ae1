"""All cases of a library: read, planned, and chosen by name."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Sequence
from fnmatch import translate
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from upright_block.cases.casefile import Case, CaseFile, RuleFile, read_case_file, read_rule_file
from upright_block.cases.plan import BoundCase, Common, NotRun, ReadyCase
from upright_block.cases.planning import Planner
from upright_block.cases.watch import Watching
from upright_block.cases.words import suite as words
from upright_block.compiler.program import as_block, with_rig
from upright_block.language.nodes import record
from upright_block.language.source import Source
from upright_block.language.telling.catalogue import stops
from upright_block.language.telling.findings import Finding, Findings, Words
from upright_block.language.timebase import Timebase
from upright_block.language.typed import Unit
from upright_block.language.types import BROKEN, OpenArray
from upright_block.library import Library, Toml

if TYPE_CHECKING:
    from upright_block.cases.watching import Methods, Watcher

_NO_LAYOUT = ("recursion", "nested-too-deep", "out-of-range", "too-many-calls")
Named = TypeVar("Named", bound=ReadyCase | NotRun)


@record
class Suite:
    """``ready`` are the cases that can run, ``bound`` has them by their keys with what they are bound to; ``not_run``
    are those that cannot; ``files`` counts the case files.

    ``unread`` counts the files of which no case can be told. ``sources`` are the files that were read, the first
    ``rules`` of them files of rules.
    """

    ready: tuple[ReadyCase, ...]
    bound: dict[str, BoundCase]
    not_run: tuple[NotRun, ...]
    findings: tuple[Finding, ...]
    files: int
    unread: int
    sources: tuple[Source, ...]
    rules: int
    by_file: tuple[FileOfCases, ...] = ()


@record
class FileOfCases:
    """A case file: the units that it ``names``, its subject and its rig, in upper case; None where it could not be
    read.

    ``tables`` are the files that it reads its vectors and shapes from, ``findings`` those of it and of these.
    """

    source: Source
    names: tuple[str, ...] | None
    tables: tuple[Source, ...]
    findings: tuple[Finding, ...]
    ready: int
    not_run: int


def load_suite(library: Library, only: Collection[str] | None = None, rigs_used: Collection[str] = ()) -> Suite:
    """Read all case files of a library, or ``only`` those of some paths. Mistakes become findings; a case with one is
    not run.

    ``rigs_used`` are rigs that files which are left out name.
    """
    findings = Findings()
    loader = _Loader(library, findings)
    loader.rigs_used |= set(rigs_used)
    sources: list[Source] = []
    by_file: list[FileOfCases] = []
    for folder in library.manifest.folders["rules"]:
        for path in library.files.below(folder, (".toml",), findings):
            source = library.files.source(path, findings)
            rules = None if source is None else read_rule_file(source, library.files, findings)
            sources += [source] if source is not None else []
            if rules is not None:
                loader.rule_file(rules)
    rules_read = len(sources)
    paths: dict[Path, Path] = {}
    for folder in library.manifest.folders["cases"]:
        for path in library.files.below(folder, (".toml",), findings):
            if only is None or library.files.shown(path) in only:
                paths.setdefault(path, path.relative_to(library.root / folder))
    unread = 0
    for path, relative in paths.items():
        begun = len(findings.items), len(loader.ready), len(loader.not_run)
        source = library.files.source(path, findings)
        stem = relative.with_suffix("").as_posix()
        file = None if source is None else read_case_file(source, path, stem, library.files, findings)
        unread += file is None
        if source is not None:
            sources.append(source)
        if file is not None:
            loader.add(file)
        if source is not None:
            by_file.append(_file_of_cases(source, file, loader, begun))
    loader.find_unused_rigs(bool(unread))
    bound = {each.case.key: each for each in loader.ready}
    found = (tuple(each.case for each in bound.values()), bound, tuple(loader.not_run), tuple(findings.in_order()))
    return Suite(*found, len(paths), unread, tuple(sources), rules_read, tuple(by_file))


def _file_of_cases(source: Source, file: CaseFile | None, loader: _Loader, begun: tuple[int, int, int]) -> FileOfCases:
    """What came of a file: what there is more than there was when it was ``begun``."""
    findings, ready, not_run = begun
    own = Findings()
    own.items = loader.findings.items[findings:]
    names: tuple[str, ...] | None = None
    tables: dict[str, Source] = {}
    if file is not None:
        names = (file.subject.name.upper(), *((file.rig.text.upper(),) if file.rig else ()))
        for case in file.cases:
            for table in (case.vectors, *(driven.table for driven in case.stimuli)):
                if table is not None and table.source.path != source.path:
                    tables[table.source.path] = table.source
    return FileOfCases(
        source,
        names,
        tuple(tables.values()),
        tuple(own.in_order()),
        len(loader.ready) - ready,
        len(loader.not_run) - not_run,
    )


class _Loader:
    def __init__(self, library: Library, findings: Findings) -> None:
        self.library = library
        self.findings = findings
        self.ready: list[BoundCase] = []
        self.not_run: list[NotRun] = []
        self.blocks: dict[Unit, Unit] = {}
        self.methods: Methods = {}
        self.common = Common(library.scope.missing)
        self.rigs_used: set[str] = set()
        self.rules: list[tuple[Unit, RuleFile]] = []
        self.watched: dict[tuple[Unit, Timebase], Watching] = {}
        # The data of units that contain each other, or are nested too deep, cannot be laid out.
        self.has_layout = not any(f.name in _NO_LAYOUT for f in library.findings)

    def add(self, file: CaseFile) -> None:
        """Plan the cases of a file."""
        begun = len(self.findings.items)
        self.rigs_used |= {file.subject.name.upper(), file.rig.text.upper() if file.rig else ""}
        unit = None if file.mistakes else self._unit(file)
        timebase = None if unit is None else self._timebase(file, unit)
        broken = unit is not None and unit.is_broken
        block = None
        if unit is not None and (not broken or (self.has_layout and _can_be_planned(unit))):
            block = self.blocks.setdefault(unit, as_block(unit))
            rig = self._rig(file, block) if file.rig is not None else None
            if rig is not None:
                block = with_rig(block, rig)
            elif file.rig is not None:
                block = None
        watcher, shared = None, Watching()
        if block is not None and timebase is not None and not broken and (self.rules or _has_rules(file)):
            watcher = self._watcher(block, timebase)
            shared = watcher.watch(file.rules, file.timing, self._everywhere(block, timebase))
        mistakes = (*file.mistakes, *self.findings.items[begun:])
        for case in file.cases:
            if block is None or timebase is None or case.mistakes:
                reason = f"{file.subject.name} has errors" if broken else ""
                self._leave_out(file, case, (*mistakes, *case.mistakes), reason)
                continue
            begun = len(self.findings.items)
            watch = shared if watcher is None else watcher.watch(case.rules, case.timing, shared)
            ready = Planner(file, case, block, timebase, watch, self.common, self.findings).ready()
            if ready is None or broken:
                reason = "" if ready is None else f"{file.subject.name} has errors"
                self._leave_out(file, case, (*mistakes, *self.findings.items[begun:]), reason)
                continue
            if not ready.case.plan.expectations and not ready.case.watch.checks:
                self._report(file, case.place, words.checks_nothing(case.name))
            self.ready.append(ready)

    def _watcher(self, subject: Unit, timebase: Timebase, block: Unit | None = None) -> Watcher:
        from upright_block.cases.watching import Watcher

        return Watcher(subject, self.library.scope, timebase, self.methods, self.findings, block)

    def rule_file(self, file: RuleFile) -> None:
        """Take the rules of a block in; what is wrong with them is told once, here."""
        unit, known = self._named("block", file.block)
        if unit is None or unit.kind not in ("FUNCTION_BLOCK", "CLASS", "PROGRAM"):
            near = self.findings.did_you_mean(file.block, known)
            said = (
                words.unknown_subject("block", file.block, known, near)
                if unit is None
                else words.rules_of_no_block(unit)
            )
            self.findings.add(said.told(file.source, file.place.start, file.place.end))
            return
        if unit.is_broken:
            return
        watcher = self._watcher(unit, Timebase(self.library.manifest.scan))
        if not watcher.watch(file.rules, file.timing, Watching()).is_broken:
            self.rules.append((unit, file))

    def _everywhere(self, subject: Unit, timebase: Timebase) -> Watching:
        """The rules of blocks, for each of their instances in a subject."""
        key = (subject, timebase)
        known = self.watched.get(key)
        if known is None:
            known = Watching()
            from upright_block.language.views.instances import instances

            own = [("", subject), *((found.path, found.unit) for found in instances(subject))] if self.rules else []
            for block, file in self.rules:
                watcher = self._watcher(subject, timebase, block)
                for path, unit in own:
                    if unit.is_a(block):
                        watcher.extend(known, file.rules, file.timing, path)
            self.watched[key] = known
        return known

    def find_unused_rigs(self, some_unread: bool) -> None:
        """Tell of rigs that no case file names, where all could be read."""
        scope = self.library.scope
        for unit in scope.units.values():
            is_rig = unit.kind == "PROGRAM" and unit.source in scope.rigs and not some_unread
            if is_rig and unit.key not in self.rigs_used:
                self.findings.add(words.unused_rig(unit).told(unit.source, unit.syntax.start, unit.syntax.end))

    def _leave_out(self, file: CaseFile, case: Case, findings: tuple[Finding, ...], reason: str) -> None:
        if not reason:
            first = next((f for f in findings if stops(f.name)), None)
            reason = first.message if first else "it has errors"
        self.not_run.append(
            NotRun(case.id, case.name, file.subject.name, file.source, case.place.start, reason, findings)
        )

    def _unit(self, file: CaseFile) -> Unit | None:
        """The unit that a case file is for, where its cases can be run."""
        subject = file.subject
        if not subject.name:
            return self._only_configuration(file)
        unit, known = self._named(subject.kind, subject.name)
        if unit is None:
            near = self.findings.did_you_mean(subject.name, known)
            problem: Words | None = words.unknown_subject(subject.kind, subject.name, known, near)
        elif subject.kind == "program" and unit.kind != "PROGRAM":
            problem = words.no_program(unit)
        else:
            problem = cannot_run(unit)
        if problem is None:
            return unit
        self._report(file, subject.place, problem)
        return None

    def _rig(self, file: CaseFile, configuration: Unit) -> Unit | None:
        """The rig around a configuration."""
        from upright_block.language.field.copying import written_by_rig

        named, scope = file.rig, self.library.scope
        assert named is not None
        unit = self.library.find(named.text)
        said: Words | None = None
        if unit is None or unit.kind != "PROGRAM":
            known = [u.name for u in scope.units.values() if u.kind == "PROGRAM" and u.source in scope.rigs]
            said = words.unknown_rig(named.text, self.findings.did_you_mean(named.text, known))
        elif unit.source not in scope.rigs:
            said = words.no_rig(unit)
        elif unit.section("in_out") or unit.located:
            said = words.rig_is_wired(unit, "variables AT points" if unit.located else "pins that need a caller")
        elif unit.key in configuration.variables:
            said = words.rig_named_twice(unit, configuration)
        elif unit.is_broken:
            said = words.broken_rig(unit)
        elif (other := written_by_rig(unit, scope.tags.values())) is not None:
            said = words.rig_writes(unit, other)
        if said is None:
            return unit
        self.findings.add(said.told(file.source, named.start, named.end))
        return None

    def _only_configuration(self, file: CaseFile) -> Unit | None:
        """The configuration of a file that names no subject: the only one that there is."""
        scope = self.library.scope
        found = [unit for unit in scope.configurations.values() if unit.source not in scope.rigs]
        if len(found) == 1:
            return found[0]
        self._report(file, file.subject.place, words.no_subject([unit.name for unit in found]))
        return None

    def _named(self, kind: str, name: str) -> tuple[Unit | None, list[str]]:
        """The unit of a name, and the names that there are."""
        if kind == "configuration":
            configurations = self.library.scope.configurations
            return configurations.get(name.upper()), [unit.name for unit in configurations.values()]
        every = self.library.scope.units.values()
        known = [u.name for u in every if not u.is_standard and (kind == "block" or u.kind == "PROGRAM")]
        return self.library.find(name), known

    def _timebase(self, file: CaseFile, unit: Unit) -> Timebase | None:
        """When the scans of a file start: as it says, or the tasks; None, with a finding, where the two do not fit."""
        if unit.timebase is None:
            return Timebase(file.scan or self.library.manifest.scan)
        if file.scan is not None and Timebase(file.scan) != unit.timebase:
            self._report(file, file.scan_place, words.scan_against_tasks(unit, unit.timebase))
            return None
        return unit.timebase

    def _report(self, file: CaseFile, place: Toml, said: Words) -> None:
        self.findings.add(said.told(file.source, place.start, place.end))


def _has_rules(file: CaseFile) -> bool:
    return bool(file.rules or file.timing or any(case.rules or case.timing for case in file.cases))


def _can_be_planned(unit: Unit) -> bool:
    """Whether the cases of a broken unit can still be read against its variables."""
    seen = {unit.key}
    waiting = [unit]
    while waiting:
        current = waiting.pop()
        for variable in (*current.variables.values(), *([current.result] if current.result else [])):
            if variable.type is BROKEN:
                return False
            if isinstance(variable.type, Unit) and variable.type.key not in seen:
                seen.add(variable.type.key)
                waiting.append(variable.type)
    return True


def cannot_run(unit: Unit) -> Words | None:
    """What is said where a case cannot give a unit what it needs."""
    if unit.has("ABSTRACT"):
        return words.abstract_subject(unit)
    for pin in unit.section("in_out"):
        if isinstance(pin.type, OpenArray):
            return words.array_of_any_length(unit, pin)
    for block in unit.refers.values():
        if block.has("ABSTRACT"):
            return words.works_on_abstract(unit, block)
    return None


# --- choosing ---


def choose(cases: Iterable[Named], patterns: Sequence[str]) -> list[Named]:
    """The cases that any of ``patterns`` names, letter case ignored; all of them when there is none.

    The id of a case is the path of its file below the folder of cases without its ending, and its name. A
    pattern that ends an id, at a slash, names that case; so does the block with the name (``Pump/stops``). Else a
    pattern is a part of an id or of a block's name, ``*`` and ``?`` stand for any characters, and the path of
    a case file names its cases.
    """
    listed = list(cases)
    if not patterns:
        return listed
    chosen = {id(case) for pattern in patterns for case in _named(listed, pattern)}
    return [case for case in listed if id(case) in chosen]


def _named(cases: Sequence[Named], pattern: str) -> list[Named]:
    wanted = pattern.lower()
    if wanted.endswith(".toml"):
        parts = Path(pattern).parts
        return [case for case in cases if Path(_source(case)).parts[-len(parts) :] == parts]
    exact = [c for c in cases if f"/{c.id}".lower().endswith(f"/{wanted}")]
    exact = exact or [c for c in cases if f"{c.unit_name}/{c.name}".lower() == wanted]
    if exact:
        return exact
    escaped = pattern.replace("[", "[[]")  # brackets are those of a name, such as the values of a sweep
    glob = re.compile(translate(f"*{escaped}*"), re.IGNORECASE)
    return [c for c in cases if glob.match(c.id) or glob.match(c.unit_name)]


def _source(case: ReadyCase | NotRun) -> str:
    return case.file.source.path if isinstance(case, ReadyCase) else case.source.path
