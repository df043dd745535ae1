"""A library on disk, read into one checked program."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from collections.abc import Set as AbstractSet
from pathlib import Path
from typing import TYPE_CHECKING

from upright_block.language.checking import check_program, named_unit
from upright_block.language.findings import Finding, Findings
from upright_block.language.nodes import record
from upright_block.language.scope import Scope, Standard
from upright_block.language.source import Source
from upright_block.language.tags import TagTable
from upright_block.language.typed import Unit
from upright_block.library.files import Files
from upright_block.library.manifest import Manifest, read_manifest
from upright_block.library.tagtable import tag_table
from upright_block.standard import STANDARD

if TYPE_CHECKING:
    from upright_block.language.parsing.wiring import WiringTable


@record
class Library:
    """Everything that was read; ``tables`` are those of tags and wirings. ``findings`` are those of the sources, in the order of their places."""

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
    """The texts of a library before anything in them is understood: ``own`` sources, those of ``rigs``, tables of tags and of
    wirings. ``findings`` are of files that cannot be read.
    """

    root: Path
    manifest: Manifest
    files: Files
    own: tuple[Source, ...]
    rigs: tuple[Source, ...]
    tags: tuple[Source, ...]
    wirings: tuple[Source, ...]
    findings: tuple[Finding, ...]


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
    rigs = _sources([f"{folder}/rigs" for folder in folders["cases"]], files, findings)
    own = _sources((*folders["blocks"], *folders["programs"]), files, findings, {source.path for source in rigs})
    tags = _tables(folders["tags"], files, findings)
    wirings = _tables(folders["wiring"], files, findings)
    return Texts(root, manifest, files, tuple(own), tuple(rigs), tuple(tags), tuple(wirings), tuple(findings.items))


def check_texts(texts: Texts, only: Collection[str] | None = None) -> Library:
    """Check the texts of a library; with ``only`` no other sources than those of these paths, but all tables."""
    findings = Findings()
    for finding in texts.findings:
        findings.add(finding)
    manifest = texts.manifest
    scope = Scope(STANDARD, manifest.name, _stand_ins, set(texts.rigs))
    sources = (*texts.own, *texts.rigs)
    scope.points.rules = manifest.points
    scope.dialect = manifest.dialect
    tables = [tag_table(source, findings) for source in texts.tags]
    wirings = _wirings(texts.wirings, findings)
    chosen = [source for source in sources if only is None or source.path in only]
    check_program(chosen, scope, findings, tables, wirings)
    tables_read = (*(table.source for table in tables), *(table.source for table in wirings))
    return Library(
        texts.root, manifest, texts.files, sources, tables_read, tuple(tables), scope, tuple(findings.in_order())
    )


def _stand_ins() -> Standard:
    from upright_block.stand_ins import STAND_INS

    return STAND_INS


def _sources(
    folders: Iterable[str], files: Files, findings: Findings, known: AbstractSet[str] = frozenset()
) -> list[Source]:
    """The texts of blocks in some folders, each read once; those that are known are left out."""
    paths = dict.fromkeys(path for folder in folders for path in files.below(folder, (".st",), findings))
    read = [files.source(path, findings) for path in paths if files.shown(path) not in known]
    return [source for source in read if source is not None]


def _wirings(sources: Sequence[Source], findings: Findings) -> list[WiringTable]:
    """The wiring tables of some sources; what is none is told."""
    if not sources:
        return []
    from upright_block.library.wiringtable import wiring_table

    read = [wiring_table(source, findings) for source in sources]
    return [table for table in read if table is not None]


def _tables(folders: Iterable[str], files: Files, findings: Findings) -> list[Source]:
    """The texts of tables in some folders: CSV files, and the sheets of workbooks."""
    paths = dict.fromkeys(path for folder in folders for path in files.below(folder, (".csv", ".xlsx"), findings))
    return [source for path in paths for source in files.sheets(path, findings)]
