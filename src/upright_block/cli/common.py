"""What the commands share: the library option, the terminal, and how a call ends."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterable
from functools import wraps
from pathlib import Path
from typing import Any, NoReturn, TypeVar

import click
from rich.console import Console
from rich.text import Text

from upright_block.library import Library, LibraryProblem, find_root, load_library
from upright_block.reports.styled import Line, Role

_STYLES: dict[Role, str] = {
    "": "",
    "good": "green",
    "bad": "bold red",
    "warn": "yellow",
    "dim": "bright_black",
    "strong": "bold",
    "name": "cyan",
}
F = TypeVar("F", bound=Callable[..., Any])


def console() -> Console:
    """The terminal, or what stands in for it; at most 120 columns are used."""
    made = Console(highlight=False, soft_wrap=True)
    if hasattr(sys.stdout, "reconfigure"):
        sys.stdout.reconfigure(errors="replace")
    return made


def width_of(terminal: Console) -> int:
    """Columns to fill: those of the terminal, or 100 where there is none."""
    return min(terminal.width, 120) if terminal.is_terminal else 100


def show_lines(terminal: Console, lines: Iterable[Line]) -> None:
    """Print styled lines."""
    for line in lines:
        terminal.print(Text.assemble(*[(text, _STYLES[role]) for text, role in line]))


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
