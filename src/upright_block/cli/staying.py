"""A call that stays, and does its work again whenever a file of the library has changed."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import NoReturn

from upright_block import OpenLibrary, UprightError, open_library
from upright_block.cli.common import READER_LEFT, plural, show_lines

_PAUSE = 0.2
"""Seconds between two looks at the files."""
_SHARE = 9
"""How much longer it waits than it looks, in a large library."""
_SUFFIXES = (".st", ".toml", ".csv", ".xlsx")
_MOST_NAMED = 3


def stay(library: OpenLibrary, first: Callable[[OpenLibrary], int], again: Callable[[OpenLibrary], int]) -> NoReturn:
    """Do some work first, and some again after each change.

    It goes on until the program is ended. A library that cannot be read in between is told, and waited for.
    """
    roots = (library.root, *library.also)
    files = dict(_files(roots))
    first(open_library(library.root, library.also))  # read behind the look at its files, so that no edit is missed
    while True:
        _wait(roots, files)
        changed = _rest(roots, files)
        names = ", ".join(changed[:_MOST_NAMED]) + (
            f" and {plural(len(changed) - _MOST_NAMED, 'more')}" if len(changed) > _MOST_NAMED else ""
        )
        show_lines([[], [(f"── {names}", "dim")]])
        try:
            again(open_library(library.root, library.also))
        except UprightError as problem:
            show_lines([[(problem.message, "bad")], [(problem.way_out, "")]])
        except SystemExit as ended:
            if ended.code == READER_LEFT:
                raise


def _wait(roots: Sequence[Path], files: dict[str, tuple[int, int]]) -> None:
    """Wait until files differ from those that are known, and no more from one look to the next."""
    show_lines([[("Waiting for a change; Ctrl-C ends.", "dim")]])
    while True:
        began = time.perf_counter()
        if dict(_files(roots)) != files:
            return
        time.sleep(max(_PAUSE, _SHARE * (time.perf_counter() - began)))


def _rest(roots: Sequence[Path], files: dict[str, tuple[int, int]]) -> list[str]:
    """The names of the files that changed, once nothing changes any more; ``files`` is brought up to date."""
    before, now = dict(files), dict(_files(roots))
    while True:
        time.sleep(_PAUSE / 2)
        later = dict(_files(roots))
        if later == now:
            break
        now = later
    files.clear()
    files.update(now)
    return sorted(path for path in before.keys() | now.keys() if before.get(path) != now.get(path))


def _files(roots: Sequence[Path]) -> Iterator[tuple[str, tuple[int, int]]]:
    """The files of a library that a run may read, and of the folders that it may lead to, with the time and the size
    that they have.
    """
    for folder, below, names in (each for root in roots for each in os.walk(root)):
        below[:] = [name for name in below if not name.startswith(".")]
        for name in names:
            if name.lower().endswith(_SUFFIXES):
                path = os.path.join(folder, name)
                try:
                    status = os.stat(path)
                except OSError:
                    continue  # it is gone again
                yield os.path.relpath(path, roots[0]), (status.st_mtime_ns, status.st_size)
