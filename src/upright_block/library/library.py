"""A library on disk, read into one checked program."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from upright_block.language.checking import check_program, find_unit
from upright_block.language.findings import Finding, Findings
from upright_block.language.scope import Scope
from upright_block.language.source import Source
from upright_block.language.typed import Unit
from upright_block.library.manifest import Manifest, read_manifest
from upright_block.standard import STANDARD

_LARGEST = 64 << 20


@dataclass(frozen=True, slots=True)
class Library:
    """Everything that was read. ``findings`` are those of the sources, in the order of their places."""

    root: Path
    manifest: Manifest
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
        return find_unit(name.upper(), self.scope)


def load_library(root: Path) -> Library:
    """Read and check the library whose manifest is in ``root``.

    Raises:
        LibraryProblem: the manifest cannot be used. Mistakes in sources become findings instead.
    """
    manifest = read_manifest(root)
    findings = Findings()
    sources: list[Source] = []
    for path in files(root / manifest.blocks, (".st",)):
        source = read_source(path, root, findings)
        if source is not None:
            sources.append(source)
    scope = Scope(STANDARD)
    check_program(sources, scope, findings)
    return Library(root, manifest, tuple(sources), scope, tuple(findings.in_order()))


def files(folder: Path, suffixes: tuple[str, ...]) -> list[Path]:
    """The files below a folder with one of these endings, in the order of their paths; hidden ones are left out."""
    if not folder.is_dir():
        return []
    return sorted(
        p
        for p in folder.rglob("*")
        if p.suffix.lower() in suffixes
        and p.is_file()
        and not any(part.startswith((".", "~$")) for part in p.relative_to(folder).parts)
    )


def read_source(path: Path, root: Path, findings: Findings) -> Source | None:
    """Read a text file; None, with a finding, when it cannot be read as UTF-8 text."""
    shown = shown_path(path, root)
    try:
        if path.stat().st_size > _LARGEST:
            raise OSError(0, f"it is larger than {_LARGEST >> 20} MB")
        content = path.read_bytes()
    except OSError as problem:
        _unreadable(
            findings,
            shown,
            f"The file cannot be read: {problem.strerror}.",
            "Check that it exists and may be read.",
        )
        return None
    try:
        return Source(shown, content.decode("utf-8-sig"))
    except UnicodeDecodeError as problem:
        line = content.count(b"\n", 0, problem.start) + 1
        wide = content[:2] in (b"\xff\xfe", b"\xfe\xff")
        kind = (
            "UTF-16"
            if wide
            else f"not UTF-8: byte 16#{content[problem.start]:02X} in line {line} is no character"
        )
        _unreadable(findings, shown, f"The file is {kind}.", "Save it as UTF-8.")
        return None


def _unreadable(findings: Findings, shown: str, message: str, way_out: str) -> None:
    findings.add(Finding("unreadable-file", Source(shown, ""), 0, 0, message, way_out))


def shown_path(path: Path, root: Path) -> str:
    """A path as messages show it: relative to the library, with forward slashes."""
    try:
        return path.relative_to(root).as_posix()
    except ValueError:
        return path.as_posix()
