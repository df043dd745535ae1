"""A check that knows what the last one found: files that are as they were, and all that they use, are not read again.

What was found is kept for each file by its content, as JSON in the user's cache folder. Of a library of which some
sources changed those are checked anew, with what they use beside them; where what they show to others has changed too,
those others as well. What comes of all files together is made anew each time. Wherever that would not give what a check
of everything gives, or might not, everything is checked.
"""

from __future__ import annotations

import json
import re
import stat
from collections.abc import Collection, Iterable, Iterator, Sequence
from contextlib import suppress
from hashlib import sha256
from pathlib import Path, PurePosixPath
from typing import TYPE_CHECKING, Any

from upright_block import cached
from upright_block.analysis import Analysed, analysed
from upright_block.analysis.checks.siblings import CallMade
from upright_block.analysis.facts import Given, given_by, merged
from upright_block.analysis.outside import is_named, named_outside, unread
from upright_block.language.names import MOST_CANDIDATES
from upright_block.language.nodes import fresh, record, replaced, state
from upright_block.language.scope import Elsewhere
from upright_block.language.source import Sheet, Source
from upright_block.language.telling.allowing import Allowance, Settled, settle
from upright_block.language.telling.edits import Changed, Edit, laid
from upright_block.language.telling.findings import Finding, Findings, Related
from upright_block.library import FileProblem, Files, Library, Texts, check_texts, find_root, read_texts, unread_files
from upright_block.library.accepted import ACCEPTED, Accepted, accepted_text, read_accepted
from upright_block.library.outline import Declared, declared_names, mentioned, shown_by
from upright_block.whole import write_file

if TYPE_CHECKING:
    from upright_block.cases.suite import FileOfCases, Suite
    from upright_block.library.writing import Changes

_FORM = 3
_TABLE = re.compile(r"[^\"'#\n]+\.(?:csv|xlsx)", re.IGNORECASE)
_MOST_ROUNDS = 3
_MOST_AGAIN = 0.4
"""Where more than this part of all sources would be read, all are."""
_FEWEST = 20
_WIDE = frozenset(
    {"no-task", "idle-task", "input-not-read", "output-not-written", "input-written", "hidden-tag", "near-twins"}
)
"""What reading finds in sources that comes of all files together."""
_RETOLD = frozenset({"unknown-name", "name-twice", "recursion"})
"""What names other files in findings of cases; these may not have been read."""


@record
class Checked:
    """What a check found, and in how much: findings and allowances as `Contents.check` gives them.

    ``named`` are the words by which texts other than bodies may name data.
    """

    name: str
    root: Path
    settled: Settled
    units: int
    files: int
    cases: int
    accepted: Accepted
    read: Files
    named: frozenset[str]

    @property
    def accepted_path(self) -> Path:
        """Where the file of accepted findings is, or would be."""
        return self.root / ACCEPTED

    def mended(self, findings: Iterable[Finding]) -> dict[str, Changed]:
        """By path the texts that the sure edits of findings change; nothing is removed that other texts name."""
        sure = [f for f in findings if f.edit and not (f.name == "never-used" and is_named(f, self.named))]
        return laid(finding.edit for finding in sure if finding.edit)

    def accepting(self, findings: Iterable[Finding]) -> str:
        """The file of accepted findings with ``findings`` taken over, besides those that it has and that are still
        there.
        """
        known = set(map(id, self.accepted.allowances))
        return accepted_text([*findings, *(f for f, allowance in self.settled.allowed if id(allowance) in known)])

    def write_texts(self, texts: Changes) -> None:
        """As `Contents.write_texts`."""
        from upright_block.library.writing import write_texts

        write_texts(self.read, texts)


@state
class _Kept:
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
    calls: list[CallMade]
    given: Given
    offers: list[Elsewhere]


@state
class _KeptCases:
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
class _Memory:
    """What is kept of a library. ``around`` is a digest of what every file depends on; ``shared`` are the names of all
    tags and global variables: files that name one are read together.
    """

    around: str
    sources: dict[str, _Kept] = fresh(default_factory=dict)
    cases: dict[str, _KeptCases] = fresh(default_factory=dict)
    shared: tuple[str, ...] = ()


@record
class _Found:
    """What a check came to: what is to be kept, and what is made anew each time."""

    memory: _Memory
    wide: list[Finding]
    allowances: tuple[Allowance, ...]
    wired: int


def check_library(folder: Path | str = ".", also: Sequence[Path] = (), is_doubtful: bool = False) -> Checked:
    """Check the library of a folder, as `Contents.check`, with what is kept of its last check.

    Raises:
        LibraryProblem: there is none, or its manifest or the file of accepted findings cannot be used.
    """
    root = find_root(Path(folder))
    texts = read_texts(root, also)
    case_files = _case_files(texts)
    around = _around(texts, also)
    path = cached.cache_folder() / f"{_digest(str(root.resolve()))}.check"
    memory = _read(path, texts, case_files, around)
    found = _Again(texts, case_files, memory).run() if memory is not None else None
    if found is None:
        found = _wholly(texts, case_files, around)
    with suppress(OSError):
        _write(path, found.memory)
    return _checked(texts, case_files, found, is_doubtful)


def _checked(texts: Texts, case_files: dict[str, Source], found: _Found, is_doubtful: bool) -> Checked:
    """What was found, as the library weighs and allows it."""
    memory = found.memory
    accepted = read_accepted(texts.files)
    every = [*found.wide, *unread_files(texts.files)]
    every += [f for kept in memory.sources.values() for f in kept.findings]
    every += [f for file in memory.cases.values() for f in file.findings]
    gathered = Findings()
    for finding in every:
        if is_doubtful or not finding.is_doubtful:
            gathered.add(finding)
    findings = sorted(gathered.items, key=lambda f: (f.source.path, f.start, f.name))
    own_texts = [*texts.own, *texts.rigs, *texts.tags, *case_files.values()]
    named: frozenset[str] = frozenset()
    if any(f.name in ("never-read", "never-used") for f in findings):
        named = named_outside([*own_texts, *_heads(texts, case_files.values())])
        findings = unread(findings, named)
    policy = texts.manifest.policy
    policy = replaced(policy, allowances=(*policy.allowances, *found.allowances, *accepted.allowances))
    sources = [texts.manifest.source, *texts.own, *texts.rigs, *texts.tags, *case_files.values()]
    own = [memory.sources[source.path].units for source in texts.alone if source.path in memory.sources]
    return Checked(
        texts.manifest.name,
        texts.root,
        settle(findings, sources, policy, is_analysed=True),
        sum(own) + found.wired,
        len(texts.alone) + len(texts.rigs),
        sum(kept.ready + kept.not_run for kept in memory.cases.values()),
        accepted,
        texts.files,
        named,
    )


def _heads(texts: Texts, case_files: Iterable[Source]) -> Iterator[Source]:
    """The first lines of the tables that case files name."""
    for source in case_files:
        for path in _named_tables(source, texts):
            with suppress(FileProblem):
                if path.lower().endswith(".csv") and (texts.root / path).exists():
                    table = texts.files.read(texts.root / path)
                    yield Source(table.path, table.text.split("\n", 1)[0])


def _named_tables(source: Source, texts: Texts) -> list[str]:
    """The paths of what may be the tables that a case file names, whether they are there or not."""
    folder = (texts.root / source.path).parent
    return [texts.files.shown(folder / name) for name in dict.fromkeys(_TABLE.findall(source.text))]


# --- everything ---


def _wholly(texts: Texts, case_files: dict[str, Source], around: str) -> _Found:
    from upright_block.cases.suite import load_suite

    library = check_texts(texts)
    done = analysed(library.scope)
    suite = load_suite(library)
    memory = _Memory(around, shared=_shared(library))
    keeping = _Keeping(library, done)
    for source in library.sources:
        memory.sources[source.path] = keeping.kept(source)
    for file in suite.by_file:
        memory.cases[file.source.path] = _kept_cases(file, texts)
    return _Found(
        memory,
        _wide(library, done, suite, texts),
        tuple(library.scope.allowances),
        sum(unit.is_wired for unit in library.units),
    )


def _shared(library: Library) -> tuple[str, ...]:
    variables = library.scope.globals.variables.values()
    names = {variable.key for variable in variables if not variable.is_hidden and not variable.constant}
    return tuple(sorted({*names, *library.scope.tags}))


class _Keeping:
    """What there is to be known of the sources of a library that was checked."""

    def __init__(self, library: Library, done: Analysed) -> None:
        self.rigs = library.scope.rigs
        self.shared = frozenset(_shared(library))
        self.shown = shown_by(library.scope)
        self.findings: dict[Source, list[Finding]] = {}
        self.calls: dict[Source, list[CallMade]] = {}
        for finding in (*(f for f in library.findings if f.name not in _WIDE), *done.own):
            self.findings.setdefault(finding.source, []).append(finding)
        for call in done.calls:
            self.calls.setdefault(call.source, []).append(call)

    def kept(self, source: Source) -> _Kept:
        """What there is to be known of one."""
        shown = self.shown.get(source) or Declared(source)
        units = shown.units
        return _Kept(
            _digest(source.text),
            shown.names,
            tuple(sorted(self.shared & mentioned(source.text))),
            shown.outline,
            source not in self.rigs and any(unit.kind in ("PROGRAM", "CONFIGURATION") for unit in units),
            any(part.is_broken for unit in units for part in (unit, *unit.methods.values())),
            sum(unit.kind != "CONFIGURATION" for unit in units),
            self.findings.get(source, []),
            self.calls.get(source, []),
            given_by(units),
            shown.elsewhere(source in self.rigs),
        )


def _kept_cases(file: FileOfCases, texts: Texts) -> _KeptCases:
    asked = {table.path for table in file.tables} | set(_named_tables(file.source, texts))
    tables = {path: _table_digest(path, texts) for path in asked}  # also of those that are not there
    return _KeptCases(_digest(file.source.text), tables, file.names, list(file.findings), file.ready, file.not_run)


def _table_digest(path: str, texts: Texts) -> str:
    """A digest of a table of a case; empty where it cannot be read."""
    from upright_block.library import FileProblem

    try:
        return sha256(texts.files.content(texts.root / path)).hexdigest()
    except FileProblem:
        return ""


def _wide(library: Library, done: Analysed, suite: Suite, texts: Texts) -> list[Finding]:
    """What comes of all files together, and what is found in tables, rules, and files that cannot be read."""
    sources = {source.path for source in library.sources}
    found = [f for f in library.findings if f.name in _WIDE or f.source.path not in sources]
    found += [*done.wide, *(f for f in done.own if f.source.path not in sources)]
    told = {(f.source.path, f.start, f.name) for file in suite.by_file for f in file.findings}
    return [*found, *(f for f in suite.findings if (f.source.path, f.start, f.name) not in told)]


# --- what has changed ---


class _Again:
    """Checks what may have changed since the last check."""

    def __init__(self, texts: Texts, case_files: dict[str, Source], memory: _Memory) -> None:
        self.texts = texts
        self.case_files = case_files
        self.memory = memory
        self.sources = {source.path: source for source in (*texts.alone, *texts.rigs)}
        self.mentions = {path: mentioned(source.text) for path, source in self.sources.items()}
        kept = memory.sources
        self.changed = {
            path
            for path, source in self.sources.items()
            if path not in kept or _digest(source.text) != kept[path].digest
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
            name: self._declaring(mentioned(source.text)) for source in texts.asking for name in _names_of_table(source)
        }

    def _declaring(self, names: Iterable[str]) -> set[str]:
        """The sources that declare some names."""
        return {path for name in names for path in self.declaring.get(name, ())}

    def run(self) -> _Found | None:
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
            done = analysed(library.scope, [call for entry in others for call in entry.calls], given)
            keeping = _Keeping(library, done)
            made = {path: keeping.kept(self.sources[path]) for path in again}
            if any(not self.declared[path].issuperset(made[path].declares) for path in self.changed):
                return None
            if not {*_shared(library)} <= {*self.memory.shared}:  # a new global variable: what others share is another
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
            if kept is None or kept.names is None or kept.digest != _digest(source.text):
                found.add(path)
                continue
            if any(_table_digest(table, self.texts) != digest for table, digest in kept.tables.items()):
                found.add(path)
                continue
            if any(self._tells_of_changed(finding) for finding in kept.findings) or not names.isdisjoint(
                mentioned(source.text)
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
                words = {name.rpartition(".")[2] for name in mentioned(source.text)}
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

    def _sharers(self, changed: set[str], made: dict[str, _Kept]) -> set[str]:
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
        named = {name.rpartition(".")[2] for path in cases for name in mentioned(self.case_files[path].text)}
        for source in (*_rules(self.texts), *self.texts.tables):
            named |= mentioned(source.text)
        begin |= self._declaring(named)
        begin |= {source.path for source in self.texts.rigs} if cases else set()
        heirs = {path for path, names in self.mentions.items() if not names.isdisjoint(("EXTENDS", "IMPLEMENTS"))}
        while more := (self._users(begin & heirs | again) & heirs) - begin:
            begin |= more
        return self._closure(begin)

    def _found(self, library: Library, done: Analysed, made: dict[str, _Kept], cases: set[str]) -> _Found | None:
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
        memory.cases = left | {file.source.path: _kept_cases(file, self.texts) for file in suite.by_file}
        return _Found(
            memory,
            _wide(library, done, suite, self.texts),
            tuple(library.scope.allowances),
            sum(unit.is_wired for unit in library.units),
        )


def _names_of_table(source: Source) -> set[str]:
    """The names, in upper case, that the program of a table may have."""
    names = {PurePosixPath(source.path).stem.upper()}
    return names | {source.sheet.upper()} if isinstance(source, Sheet) else names


# --- what everything depends on ---


def _digest(text: str) -> str:
    return sha256(text.encode("utf-8", "surrogatepass")).hexdigest()


def _case_files(texts: Texts) -> dict[str, Source]:
    """The texts of all case files, by their paths; those that cannot be read are told by whoever reads the cases."""
    return {source.path: source for source in _toml(texts, "cases")}


def _rules(texts: Texts) -> list[Source]:
    return _toml(texts, "rules")


def _has_unread(texts: Texts) -> bool:
    """Whether a case file, or a file of rules, cannot be read."""
    unread = Findings()
    for part in ("cases", "rules"):
        _toml(texts, part, unread)
    return bool(unread.items)


def _toml(texts: Texts, part: str, unread: Findings | None = None) -> list[Source]:
    unread = Findings() if unread is None else unread
    folders = texts.manifest.folders[part]
    paths = dict.fromkeys(path for folder in folders for path in texts.files.below(folder, (".toml",), unread))
    read = [texts.files.source(path, unread) for path in paths]
    return [source for source in read if source is not None]


def _around(texts: Texts, also: Sequence[Path]) -> str:
    """A digest of what the findings of every file depend on: the product, the manifest, the tables, the rules."""
    from upright_block.version import VERSION

    package = Path(__file__).parent.parent
    stamps = [(path.name, path.stat().st_mtime_ns, path.stat().st_size) for path in sorted(package.rglob("*.py"))]
    stamps += [(path.name, path.stat().st_mtime_ns, path.stat().st_size) for path in sorted(package.rglob("*.st"))]
    parts = [
        str(_FORM),
        VERSION,
        _digest(repr(stamps)),
        texts.manifest.source.text,
        repr([str(folder) for folder in also]),
        *(f"{source!r}{source.text}" for source in (*texts.tables, *_rules(texts))),
        repr([str(finding) for finding in texts.findings]),
    ]
    return _digest("\0".join(_digest(part) for part in parts))


# --- on disk ---


def _read(path: Path, texts: Texts, case_files: dict[str, Source], around: str) -> _Memory | None:
    """What is kept; None where there is nothing, or nothing that can be used."""
    try:
        if not cached.is_ours(path.parent, stat.S_ISDIR) or not cached.is_ours(path):
            return None
        data: Any = json.loads(path.read_text("utf-8"))
        if data["around"] != around:
            return None
        sources = {source.path: source for source in (*texts.own, *texts.rigs, *texts.tags)}
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

    def memory(self, data: dict[str, Any]) -> _Memory:
        sources = {path: self.kept(entry) for path, entry in data["sources"].items()}
        cases = {path: self.cases(entry) for path, entry in data["cases"].items()}
        return _Memory(data["around"], sources, cases, tuple(data["shared"]))

    def kept(self, data: list[Any]) -> _Kept:
        digest, declares, shares, shown, is_central, is_broken, units, findings, calls, given, offers = data
        return _Kept(
            digest,
            tuple(declares),
            tuple(shares),
            shown,
            is_central,
            is_broken,
            units,
            [self.finding(entry) for entry in findings],
            [self.call(entry) for entry in calls],
            {name: None if values is None else set(values) for name, values in given.items()},
            [Elsewhere(*entry) for entry in offers],
        )

    def cases(self, data: list[Any]) -> _KeptCases:
        digest, tables, names, findings, ready, not_run = data
        found = [self.finding(entry) for entry in findings]
        return _KeptCases(digest, tables, None if names is None else tuple(names), found, ready, not_run)

    def finding(self, data: list[Any]) -> Finding:
        name, path, start, end, message, way_out, related, is_doubtful, edit = data
        source = self.source(path)
        others = tuple(Related(self.source(p), s, e, m) for p, s, e, m in related)
        sure = Edit(source, *edit) if edit else None
        return Finding(name, source, start, end, message, way_out, others, None, is_doubtful, sure)

    def call(self, data: list[Any]) -> CallMade:
        block, instance, unit, path, start, end, inputs, given, presets, shared = data
        pins = (tuple(inputs), tuple(given), tuple(presets))
        return CallMade(block, instance, unit, self.source(path), start, end, *pins, shared)


def _write(path: Path, memory: _Memory) -> None:
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


def _kept_data(kept: _Kept) -> list[Any]:
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
        [_call_data(call) for call in kept.calls],
        given,
        [[each.full_name, each.kind, each.is_of_rig] for each in kept.offers],
    ]


def _cases_data(kept: _KeptCases) -> list[Any]:
    findings = [_finding_data(finding) for finding in kept.findings]
    return [kept.digest, kept.tables, kept.names, findings, kept.ready, kept.not_run]


def _call_data(c: CallMade) -> list[Any]:
    return [c.block, c.instance, c.unit, c.source.path, c.start, c.end, c.inputs, c.given, c.presets, c.shared]


def _finding_data(f: Finding) -> list[Any]:
    related = [[r.source.path, r.start, r.end, r.message] for r in f.related]
    edit = [f.edit.start, f.edit.end, f.edit.text] if f.edit else None
    return [f.name, f.source.path, f.start, f.end, f.message, f.way_out, related, f.is_doubtful, edit]
