"""Libraries that ship with the product: the example, and the start of a new one."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING

from upright_block.errors import UprightError
from upright_block.library import words
from upright_block.library.manifest import FILE_NAME
from upright_block.whole import is_empty, write_folder

if TYPE_CHECKING:
    from importlib.resources.abc import Traversable


class TemplateProblem(UprightError):
    """The folder cannot be written."""


def write_demo(folder: Path) -> list[Path]:
    """Copy the example library into a new or empty folder and return the files written.

    Raises:
        TemplateProblem: the folder cannot be used.
    """
    return _write(folder, "demo", {})


def write_new(folder: Path) -> list[Path]:
    """Write a library with one block and its cases into a new or empty folder and return the files written.

    Raises:
        TemplateProblem: the folder cannot be used.
    """
    name = re.sub(r"[^a-z0-9_]+", "_", folder.resolve().name.lower()).strip("_") or "library"
    return _write(folder, "start", {"@NAME@": name})


def _write(folder: Path, template: str, replaced: dict[str, str]) -> list[Path]:
    from importlib import resources

    source = resources.files("upright_block") / "examples" / template
    written: list[Path] = []
    try:
        if folder.exists() and not folder.is_dir():
            raise TemplateProblem(*words.is_a_file(folder))
        if folder.is_dir() and not is_empty(folder):
            what = "holds a library already" if (folder / FILE_NAME).exists() else "is not empty"
            raise TemplateProblem(*words.not_written(folder, what))
        write_folder(folder, lambda part: _copy(source, part, Path(), replaced, written))
    except (OSError, ValueError) as problem:
        reason = problem.strerror if isinstance(problem, OSError) else str(problem)
        raise TemplateProblem(*words.not_writable(folder, reason)) from None
    return [folder / path for path in written]


def _copy(source: Traversable, target: Path, below: Path, replaced: dict[str, str], written: list[Path]) -> None:
    (target / below).mkdir(parents=True, exist_ok=True)
    for item in sorted(source.iterdir(), key=lambda entry: entry.name):
        if item.is_dir():
            if item.name != "__pycache__":
                _copy(item, target, below / item.name, replaced, written)
            continue
        text = item.read_text(encoding="utf-8")
        for mark, value in replaced.items():
            text = text.replace(mark, value)
        (target / below / item.name).write_text(text, encoding="utf-8", newline="\n")
        written.append(below / item.name)
