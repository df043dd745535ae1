"""What the commands share: the library option, the terminal, and how a call ends."""

from __future__ import annotations

import json
import os
import shutil
import sys
from collections.abc import Callable, Iterable
from functools import wraps
from pathlib import Path
from typing import Any, NoReturn, TypeVar

import click

from upright_block.library import Library, LibraryProblem, find_root, load_library
from upright_block.reports.styled import Line, Role, plain

_STYLES: dict[Role, dict[str, Any]] = {
    "": {},
    "good": {"fg": "green"},
    "bad": {"fg": "red", "bold": True},
    "warn": {"fg": "yellow"},
    "dim": {"fg": "bright_black"},
    "strong": {"bold": True},
    "name": {"fg": "cyan"},
}
F = TypeVar("F", bound=Callable[..., Any])


def width() -> int:
    """Columns to fill: those of the terminal up to 120, or 100 where there is none."""
    return min(shutil.get_terminal_size((100, 24)).columns, 120) if sys.stdout.isatty() else 100


def show_lines(lines: Iterable[Line]) -> None:
    """Print styled lines; in colour on a terminal, unless NO_COLOR is set (no-color.org)."""
    painted = sys.stdout.isatty() and not os.environ.get("NO_COLOR")
    paint = _painted if painted else plain
    text = "\n".join([paint(line) for line in lines])
    encoding = sys.stdout.encoding or "utf-8"
    click.echo(text.encode(encoding, "replace").decode(encoding), color=painted)


def _painted(line: Line) -> str:
    return "".join([click.style(text, **_STYLES[role]) if role else text for text, role in line])


def show_json(data: Any) -> None:
    """Print data as JSON."""
    click.echo(json.dumps(data, indent=2, ensure_ascii=False))


def library_option(command: F) -> F:
    """Give a command the option ``--library`` and the read library as its first argument."""

    @click.option(
        "--library", "folder", default=".", metavar="DIR", type=click.Path(path_type=Path),
        help="The folder of the library, or one inside it. Default: the current folder.",
    )  # fmt: skip
    @wraps(command)
    def with_library(folder: Path, **options: Any) -> Any:
        return command(library=open_library(folder), **options)

    return with_library  # type: ignore[return-value]


def open_library(folder: Path) -> Library:
    """Read the library of a folder; end the call with status 2 when there is none."""
    try:
        return load_library(find_root(folder))
    except LibraryProblem as problem:
        stop(str(problem), problem.way_out)


def stop(message: str, way_out: str = "") -> NoReturn:
    """End the call because it, or the library, could not be used."""
    click.echo(f"upright: {message}" + (f"\n         {way_out}" if way_out else ""), err=True)
    raise SystemExit(2)
