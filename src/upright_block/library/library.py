"""A library on disk, read into one checked program."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from upright_block.language.checking import check_program, named_unit
from upright_block.language.findings import Finding, Findings
from upright_block.language.nodes import record
from upright_block.language.scope import Scope
from upright_block.language.source import Source
from upright_block.language.typed import Unit
from upright_block.library.files import Files
from upright_block.library.manifest import Manifest, read_manifest
from upright_block.standard import STANDARD


@record
class Library:
    """Everything that was read. ``findings`` are those of the sources, in the order of their places."""

    root: Path
    manifest: Manifest
    files: Files
    sources: tuple[Source, ...]
    scope: Scope
    findings: tuple[Finding, ...]

    @property
    def units(self) -> list[Unit]:
        """The units of the library itself, by file and place."""
        own = [unit for unit in self.scope.units.values() if not unit.is_standard]
        return sorted(own, key=lambda unit: (unit.source.path, unit.syntax.start))

    def find(self, name: str) -> Unit | None:
        """A unit of the library or of the standard, letter case ignored."""
        return named_unit(name.upper(), self.scope)


def load_library(root: Path, also: Sequence[Path] = ()) -> Library:
    """Read and check the library whose manifest is in ``root``; files outside only below ``also``.

    Raises:
        LibraryProblem: the manifest cannot be used. Mistakes in sources become findings instead.
    """
    files = Files(root, also)
    manifest = read_manifest(files)
    findings = Findings()
    read = [files.source(path, findings) for path in files.below(manifest.blocks, (".st",), findings)]
    sources = tuple(source for source in read if source is not None)
    scope = Scope(STANDARD)
    check_program(sources, scope, findings)
    return Library(root, manifest, files, sources, scope, tuple(findings.in_order()))
