"""A check that knows what the last one found: files that are as they were, and all that they use, are not read again.

What was found is kept for each file by its content, as JSON in the user's cache folder. Of a library of which some
sources changed those are checked anew, with what they use beside them; where what they show to others has changed too,
those others as well. What comes of all files together is made anew each time. Wherever that would not give what a check
of everything gives, or might not, everything is checked.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import suppress
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from upright_block import cached
from upright_block.analysis import analysed
from upright_block.analysis.outside import is_named, named_outside, unread
from upright_block.language.nodes import record, replaced
from upright_block.language.source import Source
from upright_block.language.telling.allowing import Settled, settle
from upright_block.language.telling.edits import Changed, laid
from upright_block.language.telling.findings import Finding, Findings
from upright_block.library import FileProblem, Files, Texts, check_texts, find_root, read_texts, unread_files
from upright_block.library.accepted import ACCEPTED, Accepted, accepted_text, read_accepted
from upright_block.remembered import store
from upright_block.remembered.again import Again
from upright_block.remembered.answers import (
    Found,
    Keeping,
    cases_of,
    kept_cases,
    named_tables,
    rules_of,
    shared_names,
    wide_findings,
)
from upright_block.remembered.store import Memory, digest, read, write

if TYPE_CHECKING:
    from upright_block.library.writing import Changes


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


class Checking:
    """A library that is checked again and again: each check is asked only what may be another answer than the last.

    ``recall`` gives what is known before the first, by what every answer depends on; None where nothing is.
    """

    def __init__(self, recall: Callable[[Texts, dict[str, Source], str], Memory | None] | None = None) -> None:
        self.memory: Memory | None = None
        self.recall = recall

    def check(self, texts: Texts, is_doubtful: bool = False) -> Checked:
        """Check texts of the library, as `Contents.check`.

        Raises:
            LibraryProblem: the file of accepted findings cannot be used.
        """
        case_files, around = cases_of(texts), _around(texts)
        if self.memory is None and self.recall is not None:
            self.memory = self.recall(texts, case_files, around)
        found: Found | None = None
        if self.memory is not None and self.memory.around == around:
            found = Again(texts, case_files, self.memory).run()
        if found is None:
            found = _wholly(texts, case_files, around)
        self.memory = found.memory
        return _checked(texts, case_files, found, is_doubtful)


def check_library(folder: Path | str = ".", also: Sequence[Path] = (), is_doubtful: bool = False) -> Checked:
    """Check the library of a folder, as `Contents.check`, with what is kept of its last check.

    Raises:
        LibraryProblem: there is none, or its manifest or the file of accepted findings cannot be used.
    """
    root = find_root(Path(folder))
    path = cached.cache_folder() / f"{digest(str(root.resolve()))}.check"
    checking = Checking(partial(read, path))
    checked = checking.check(read_texts(root, also), is_doubtful)
    with suppress(OSError):
        if checking.memory is not None:
            write(path, checking.memory)
    return checked


def _checked(texts: Texts, case_files: dict[str, Source], found: Found, is_doubtful: bool) -> Checked:
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
        for path in named_tables(source, texts):
            with suppress(FileProblem):
                if path.lower().endswith(".csv") and (texts.root / path).exists():
                    table = texts.files.read(texts.root / path)
                    yield Source(table.path, table.text.split("\n", 1)[0])


def _wholly(texts: Texts, case_files: dict[str, Source], around: str) -> Found:
    from upright_block.cases.suite import load_suite

    library = check_texts(texts)
    done = analysed(library.scope)
    suite = load_suite(library)
    memory = Memory(around, shared=shared_names(library))
    keeping = Keeping(library, done)
    for source in library.sources:
        memory.sources[source.path] = keeping.kept(source)
    for file in suite.by_file:
        memory.cases[file.source.path] = kept_cases(file, texts)
    return Found(
        memory,
        wide_findings(library, done, suite, texts),
        tuple(library.scope.allowances),
        sum(unit.is_wired for unit in library.units),
    )


def _around(texts: Texts) -> str:
    """A digest of what the findings of every file depend on: the product, the manifest, the tables, the rules."""
    from upright_block.version import VERSION

    package = Path(__file__).parent.parent
    stamps = [(path.name, path.stat().st_mtime_ns, path.stat().st_size) for path in sorted(package.rglob("*.py"))]
    stamps += [(path.name, path.stat().st_mtime_ns, path.stat().st_size) for path in sorted(package.rglob("*.st"))]
    parts = [
        str(store.FORM),
        VERSION,
        digest(repr(stamps)),
        texts.manifest.source.text,
        repr([str(folder) for folder in texts.files.also]),
        *(f"{source!r}{source.text}" for source in (*texts.tables, *rules_of(texts))),
        repr([str(finding) for finding in texts.findings]),
    ]
    return digest("\0".join(digest(part) for part in parts))
