"""A library that was read: all of it from outside."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from upright_block.library import find_root, load_library

if TYPE_CHECKING:
    pass

from upright_block.face.asked import WithReasons


class OpenLibrary(WithReasons):
    """A library that was read: its units, its cases, and what was found in them.

    Its members stand in `Contents` (units, findings, references, texts), `WithTags` (tags, tables, the mapping test),
    `WithCases` (cases, coverage, what is recorded and remembered) and `WithRuns` (runs by hand, traces, machines).
    """


def open_library(folder: Path | str = ".", also: Sequence[Path] = ()) -> OpenLibrary:
    """Read the library of a folder, or of the nearest folder above it; files outside only below ``also``.

    Raises:
        LibraryProblem: there is none, or its manifest cannot be used. What is wrong in its files are `findings`.
    """
    return OpenLibrary(load_library(find_root(Path(folder)), also))
