"""A library on disk, read into one checked program."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence
from pathlib import Path, PurePosixPath

from upright_block.language.checking import check_program, named_unit
from upright_block.language.field.tags import TagTable
from upright_block.language.nodes import record
from upright_block.language.scope import Elsewhere, Scope, Standard
from upright_block.language.source import Source
from upright_block.language.telling.findings import Finding, Findings
from upright_block.language.typed import Unit
from upright_block.library.files import Files
from upright_block.library.forms import FORMS, written
from upright_block.library.manifest import Manifest, read_manifest
from upright_block.library.tagtable import tag_table
from upright_block.standard import STANDARD


@record
class Library:
    """Everything that was read; ``tables`` are those of tags and wirings. ``findings`` are those of the sources, in the
    order of their places.
    """

    root: Path
    manifest: Manifest
    files: Files
    sources: tuple[Source, ...]
    tables: tuple[Source, ...]
    tag_tables: tuple[TagTable, ...]
    scope: Scope
    findings: tuple[Finding, ...]

    @property
    def units(self) -> list[Unit]:
        """The units of the library itself, by file and place; those of rigs are none of them."""
        every = self.scope.units.values()
        own = [unit for unit in every if not unit.is_standard and unit.source not in self.scope.rigs]
        return sorted(own, key=lambda unit: (unit.source.path, unit.syntax.start))

    def find(self, name: str) -> Unit | None:
        """A unit of the library or of the standard, letter case ignored."""
        return named_unit(name.upper(), self.scope)


@record
class Texts:
    """The texts of a library before anything in them is understood: ``own`` sources of units, those of ``rigs``, and
    tables of tags. ``findings`` are of files that cannot be read.
    """

    root: Path
    manifest: Manifest
    files: Files
    own: tuple[Source, ...]
    rigs: tuple[Source, ...]
    tags: tuple[Source, ...]
    findings: tuple[Finding, ...]

    @property
    def alone(self) -> tuple[Source, ...]:
        """The own sources that are read without asking what names stand for."""
        return tuple(source for source in self.own if not FORMS[source.form].asks)

    @property
    def asking(self) -> tuple[Source, ...]:
        """The own sources that ask."""
        return tuple(source for source in self.own if FORMS[source.form].asks)

    @property
    def tables(self) -> tuple[Source, ...]:
        """What every finding may depend on: the tables of tags, and the sources that ask."""
        return (*self.tags, *self.asking)


def load_library(root: Path, also: Sequence[Path] = ()) -> Library:
    """Read and check the library whose manifest is in ``root``; files outside only below ``also``.

    Raises:
        LibraryProblem: the manifest cannot be used. Mistakes in sources become findings instead.
    """
    return check_texts(read_texts(root, also))


def read_texts(root: Path, also: Sequence[Path] = ()) -> Texts:
    """Read all texts of the library whose manifest is in ``root``.

    Raises:
        LibraryProblem: the manifest cannot be used.
    """
    files = Files(root, also)
    manifest = read_manifest(files)
    findings = Findings()
    folders = manifest.folders
    rigs = list(_of_form("statements", [f"{folder}/rigs" for folder in folders["cases"]], files, findings))
    known = {source.path for source in rigs}
    own = [
        source
        for name, form in FORMS.items()
        for source in _of_form(name, [folder for key in form.folders for folder in folders[key]], files, findings)
        if source.path not in known
    ]
    tags = _texts(folders["tags"], (".csv", ".xlsx"), files, findings)
    return Texts(root, manifest, files, tuple(own), tuple(rigs), tuple(tags), tuple(findings.items))


def check_texts(texts: Texts, only: Collection[str] | None = None, elsewhere: Sequence[Elsewhere] = ()) -> Library:
    """Check the texts of a library; with ``only`` no other sources than those of these paths, but all tables.

    ``elsewhere`` are the names that the others declare.
    """
    findings = Findings()
    for finding in texts.findings:
        findings.add(finding)
    manifest = texts.manifest
    scope = Scope(STANDARD, manifest.name, _stand_ins, set(texts.rigs))
    scope.points.rules = manifest.points
    scope.dialect = manifest.dialect
    scope.elsewhere = elsewhere
    tags = [tag_table(source, findings) for source in texts.tags]
    sources = (*texts.alone, *texts.rigs)
    chosen = [source for source in sources if only is None or source.path in only]
    check_program(map(written, (*chosen, *texts.asking)), scope, findings, tags)
    lost = [table.source for table in tags if table.is_lost]
    lost += [finding.source for finding in texts.findings if finding.name in _UNREAD and _is_below(finding, texts)]
    findings.tell_once(lost, scope.missing.keys())
    found = tuple(findings.in_order())
    return Library(texts.root, manifest, texts.files, sources, texts.tables, tuple(tags), scope, found)


_UNREAD = ("unreadable-file", "bad-workbook", "outside-library")


def _is_below(finding: Finding, texts: Texts) -> bool:
    """Whether it is of a file in a folder of tags."""
    return any(PurePosixPath(finding.source.path).is_relative_to(folder) for folder in texts.manifest.folders["tags"])


def _stand_ins() -> Standard:
    from upright_block.stand_ins import STAND_INS

    return STAND_INS


def _texts(folders: Iterable[str], suffixes: tuple[str, ...], files: Files, findings: Findings) -> list[Source]:
    """The texts of some folders, each read once: files, and of a workbook its sheets."""
    paths = dict.fromkeys(path for folder in folders for path in files.below(folder, suffixes, findings))
    return [source for path in paths for source in files.sheets(path, findings)]


def _of_form(name: str, folders: Iterable[str], files: Files, findings: Findings) -> Iterator[Source]:
    """The sources of units in a form."""
    for source in _texts(folders, FORMS[name].suffixes, files, findings):
        source.form = name
        yield source
