"""Reading the files of a library, and nothing outside of it."""

from __future__ import annotations

import os
import re
import stat
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from upright_block.language.limits import MOST_FILE
from upright_block.language.source import Source
from upright_block.language.telling.findings import Finding, Findings
from upright_block.library import words

_ROOTS = ("upright.toml", "pyvenv.cfg")
"""Files whose folder is something of its own."""
CARRIAGE_RETURN = re.compile(r"\r(?!\n)")


if TYPE_CHECKING:
    from upright_block.library.workbook import Book


class FileProblem(Exception):
    """A file or a folder cannot be read; ``name`` is that of the finding."""

    def __init__(self, name: str, message: str, way_out: str) -> None:
        super().__init__(message)
        self.name = name
        self.way_out = way_out


class Files:
    """The files below ``root``, and below the folders of ``also``, which the call names."""

    def __init__(self, root: Path, also: Sequence[Path] = ()) -> None:
        self.root = root
        self.also = tuple(also)
        self._allowed = [os.path.realpath(folder) for folder in (root, *also)]
        self._asked_for: set[str] = set()

    def shown(self, path: Path) -> str:
        """A path as messages show it: relative to the library, with forward slashes."""
        try:
            path = path.relative_to(self.root)
        except ValueError:
            path = Path(os.path.relpath(path, self.root))
        return os.fsencode(path.as_posix()).decode("utf-8", "backslashreplace")

    def below(self, folder: str, suffixes: Iterable[str], findings: Findings) -> list[Path]:
        """The files below a folder of the library with one of these endings, in the order of their paths.

        Hidden ones are left out. What cannot be looked into becomes a finding. A folder that is reached
        twice, by links, is read once.
        """
        return sorted(self._walk(self.root / folder, tuple(suffixes), findings, whole=True))

    def unread(self, suffixes: Iterable[str]) -> list[Path]:
        """The files of the library with one of these endings that nobody asked for, in the order of their paths.

        Another library inside of this one, and an environment of Python, are passed over.
        """
        found = self._walk(self.root, tuple(suffixes), Findings(), whole=False)
        return sorted(path for path in found if os.path.realpath(path) not in self._asked_for)

    def _walk(self, start: Path, wanted: tuple[str, ...], findings: Findings, whole: bool) -> list[Path]:
        found: list[Path] = []
        waiting = [start] if os.path.lexists(start) else []
        seen: set[str] = set()
        while waiting:
            current = waiting.pop()
            try:
                self.inside(current)
                real = os.path.realpath(current)
                if real in seen:
                    continue
                seen.add(real)
                with os.scandir(current) as listing:
                    entries = list(listing)
                    if not whole and current != start and any(entry.name in _ROOTS for entry in entries):
                        continue
                    for entry in entries:
                        if entry.name.startswith((".", "~$")):
                            continue
                        if entry.name.lower().endswith(wanted) and not os.path.isdir(entry.path):
                            found.append(Path(entry.path))
                        elif os.path.isdir(entry.path) or not os.path.exists(entry.path):
                            waiting.append(Path(entry.path))  # a link to nothing may be meant for a folder
            except OSError as problem:
                reason = _reason(problem)
                self._report(findings, current, FileProblem("unreadable-folder", *words.folder_unreadable(reason)))
            except FileProblem as problem:
                self._report(findings, current, problem)
        return found

    def content(self, path: Path) -> bytes:
        """The bytes of a file.

        Raises:
            FileProblem: it lies outside, is no file, or is too large.
        """
        self._asked_for.add(str(self.inside(path)))
        try:
            with open(os.open(path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0)), "rb") as file:
                if not stat.S_ISREG(os.fstat(file.fileno()).st_mode):
                    raise OSError(0, "it is no file but a folder or a device")
                content = file.read(MOST_FILE + 1)
                if len(content) > MOST_FILE:
                    raise OSError(0, f"it is larger than {MOST_FILE >> 20} MB")
        except (OSError, ValueError) as problem:
            raise FileProblem("unreadable-file", *words.file_unreadable(_reason(problem))) from None
        return content

    def read(self, path: Path) -> Source:
        """The text of a file.

        Raises:
            FileProblem: it lies outside, is no file, is too large, or is not UTF-8 text.
        """
        content = self.content(path)
        try:
            text = content.decode("utf-8-sig")
        except UnicodeDecodeError as problem:
            line = content.count(b"\n", 0, problem.start) + 1
            kind = f"not UTF-8: byte 16#{content[problem.start]:02X} in line {line} is no character"
            if content[:2] in (b"\xff\xfe", b"\xfe\xff"):
                kind = "UTF-16"
            raise FileProblem("unreadable-file", *words.not_utf8(kind)) from None
        if "\r" in text:
            text = CARRIAGE_RETURN.sub("\n", text)
        return Source(self.shown(path), text)

    def source(self, path: Path, findings: Findings) -> Source | None:
        """The text of a file; None, with a finding, when it cannot be read."""
        try:
            return self.read(path)
        except FileProblem as problem:
            self._report(findings, path, problem)
            return None

    def book(self, path: Path, names: bool, findings: Findings) -> Book:
        """The sheets of a workbook; with ``names`` a date in a cell is a slip of the spreadsheet.

        Raises:
            FileProblem: it cannot be read, or is no workbook.
        """
        from upright_block.library.workbook import NoWorkbook, read_book

        try:
            return read_book(self.shown(path), self.content(path), names, findings)
        except NoWorkbook as problem:
            raise FileProblem("bad-workbook", str(problem), problem.way_out) from None

    def sheets(self, path: Path, findings: Findings) -> list[Source]:
        """The texts of a table file: a CSV file, or each sheet of a workbook; none, with a finding, if it cannot be
        read.
        """
        if path.suffix.lower() != ".xlsx":
            source = self.source(path, findings)
            return [] if source is None else [source]
        try:
            return list(self.book(path, names=True, findings=findings).sheets.values())
        except FileProblem as problem:
            self._report(findings, path, problem)
            return []

    def inside(self, path: Path, done: str = "read") -> Path:
        """The real path of a file that may be read, or ``done`` whatever else.

        Raises:
            FileProblem: it lies outside.
        """
        try:
            real = os.path.realpath(path)
        except ValueError:
            raise FileProblem("unreadable-file", *words.no_such_character()) from None
        if not any(real == root or real.startswith(os.path.join(root, "")) for root in self._allowed):
            raise FileProblem("outside-library", *words.outside_library(self.shown(path), done))
        return Path(real)

    def _report(self, findings: Findings, path: Path, problem: FileProblem) -> None:
        findings.add(Finding(problem.name, Source(self.shown(path), ""), 0, 0, str(problem), problem.way_out))


def _reason(problem: Exception) -> str:
    text = problem.strerror if isinstance(problem, OSError) else str(problem)
    text = text or str(problem)
    return text[:1].lower() + text[1:]


_KINDS = {
    ".st": "blocks, programs or cases/rigs",
    ".csv": "tags, wiring or cases",
    ".xlsx": "tags, wiring or cases",
    ".toml": "cases or rules",
}
"""The kinds of files that a library is made of, and the folders that they belong to."""


def _is_part(path: Path) -> bool:
    """Whether a file beside the manifest should be elsewhere: other tools have files there too, and the approved map is
    there.
    """
    return path.suffix.lower() != ".toml" and path.name != "walk.csv"


def unread_files(files: Files) -> list[Finding]:
    """A finding for each file of a kind that a library is made of, in a place where nothing reads it."""
    found = [path for path in files.unread(_KINDS) if path.parent != files.root or _is_part(path)]
    return [
        Finding(
            "unread-file",
            Source(files.shown(path), ""),
            0,
            0,
            f"Nothing reads this {path.suffix.lower()} file here.",
            f"Move it to {_KINDS[path.suffix.lower()]}, name its folder in upright.toml, or remove it.",
        )
        for path in found
    ]
