"""What the commands share: the library option, the terminal, and how a call ends."""

from __future__ import annotations

import json
import os
import sys
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import AbstractContextManager, contextmanager, nullcontext
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any, BinaryIO, NoReturn, Protocol, TypeVar, cast

import click
from click.core import ParameterSource

from upright_block import Finding, LibraryProblem, OpenLibrary, UprightError, file_written, open_library
from upright_block.reports import Line, Role, clipped, finding_list, plain, visible

if TYPE_CHECKING:
    from upright_block import Changes, Rows

_STYLES: dict[Role, dict[str, Any]] = {
    "": {},
    "good": {"fg": "green"},
    "bad": {"fg": "red", "bold": True},
    "warn": {"fg": "yellow"},
    "dim": {"fg": "bright_black"},
    "strong": {"bold": True},
    "name": {"fg": "cyan"},
}
_FEWEST_STEPS = 50
READER_LEFT = 141
"""The exit status where nobody reads what is printed, as after the signal for it."""
F = TypeVar("F", bound=Callable[..., Any])


if sys.stdout is None:  # closed by the caller
    sys.stdout = os.fdopen(os.open(os.devnull, os.O_WRONLY), "w", encoding="utf-8")


def width() -> int:
    """Columns to fill: those of the terminal, or of COLUMNS, up to 160; 160 where there is neither."""
    columns = os.environ.get("COLUMNS", "")
    if columns.isdigit() and int(columns):
        found = int(columns)
    else:
        try:
            found = os.get_terminal_size(sys.__stdout__.fileno()).columns if sys.__stdout__ else 0
        except (OSError, ValueError):
            found = 0
    return max(40, min(found or 160, 160))


def show_lines(lines: Iterable[Line], *, is_refusal: bool = False, keeps_tabs: bool = False) -> None:
    """Print styled lines, what refuses a call beside the output; in colour on a terminal, unless NO_COLOR is set
    (no-color.org).

    What a terminal would not show as itself stands as an escape; tabs too, but in what may be a patch.
    """
    stream = sys.stderr if is_refusal else sys.stdout
    painted = stream.isatty() and not os.environ.get("NO_COLOR")
    shown = _with_tabs if keeps_tabs else visible
    is_plain = not painted and not keeps_tabs
    text = "\n".join([plain(line) if is_plain else _painted(line, shown, painted) for line in lines])
    encoding = stream.encoding or "utf-8"
    _echo(text.encode(encoding, "replace").decode(encoding), painted, is_refusal)


def _echo(text: str, painted: bool = False, is_refusal: bool = False) -> None:
    try:
        click.echo(text, color=painted, err=is_refusal)
    except BrokenPipeError:
        raise SystemExit(READER_LEFT) from None


def _with_tabs(text: str) -> str:
    return "\t".join(map(visible, text.split("\t")))


def _painted(line: Line, shown: Callable[[str], str], in_colour: bool) -> str:
    return "".join(
        [click.style(shown(text), **_STYLES[role]) if role and in_colour else shown(text) for text, role in line]
    )


def show_json(data: Any) -> None:
    """Print data as JSON, in ASCII."""
    _echo(json.dumps(data, indent=2))


def plural(count: int, noun: str) -> str:
    """A number with its noun."""
    return f"{count:,} {noun}{'' if count == 1 else 's'}"


def beside(mode: str, *allowed: str) -> None:
    """Stop a call that says ``mode``, an option, and another option or argument that it has no use for."""
    for name in _given():
        if name not in (mode, *allowed, "--library", "--also"):
            stop(f"{name} has no use beside {mode}.", "Leave one of the two out.")


def refuse(mode: str, *names: str) -> None:
    """Stop a call that says ``mode`` and one of some options beside it."""
    for name in _given():
        if name in names:
            stop(f"{name} has no use beside {mode}.", "Leave one of the two out.")


def only_with(mode: str, *names: str) -> None:
    """Stop a call that gives one of some options without one that it belongs to, which ``mode`` names."""
    for name in _given():
        if name in names:
            stop(f"{name} has no use without {mode}.", f"Add {mode}, or leave {name} out.")


def _given() -> list[str]:
    """The options and arguments of the call, as they are written or called in its help."""
    context = click.get_current_context()
    found = [
        parameter.opts[0] if isinstance(parameter, click.Option) else parameter.make_metavar(context).strip("[].")
        for parameter in context.command.params
        if parameter.name and context.get_parameter_source(parameter.name) is ParameterSource.COMMANDLINE
    ]
    return found


def export_option(what: str) -> Callable[[F], F]:
    """The option ``--export``, which writes what a command lists to a file."""
    return click.option(
        "--export", metavar="FILE", type=click.Path(path_type=Path), help=f"Write {what} to a .csv or .xlsx file."
    )


def export_rows(rows: Rows, file: Path) -> None:
    """Write rows to a .csv or .xlsx file; end the call with status 2 when it is neither, or cannot be written."""
    suffix = file.suffix.lower()
    if suffix not in (".csv", ".xlsx"):
        stop(f"{file.name} is neither a .csv nor an .xlsx file.", "Name one of these.")
    write_out(file, rows.workbook() if suffix == ".xlsx" else rows.csv().encode())
    show_lines([[(f"{plural(len(rows.rows), 'row')} in {file}.", "good")]])


def write_out(file: Path, content: bytes) -> None:
    """Write a file that the call names, whole or not at all; end the call with status 2 when that cannot be."""
    with written_out(file) as out:
        out.write(content)


@contextmanager
def written_out(file: Path) -> Iterator[BinaryIO]:
    """A file that the call names, to write into; whole or not at all, as `write_out`."""
    try:
        with file_written(file) as out:
            yield out
    except OSError as problem:
        stop(f"{file} cannot be written: {problem.strerror}.", "Name another file.")


def picture_kind(file: Path) -> str:
    """The kind of a picture by the name of its file, ``svg`` or ``png``; another one ends the call with status 2."""
    kind = file.suffix.lower().removeprefix(".")
    if kind not in ("svg", "png"):
        stop(f"{file.name} is neither a .svg nor a .png file.", "Name one of these.")
    return kind


def write_pages(file: Path, pages: Sequence[bytes]) -> None:
    """Write the pages of a picture; those after the first have a number behind the name."""
    files = [file, *(file.with_stem(f"{file.stem}-{number}") for number in range(2, len(pages) + 1))]
    for path, content in zip(files, pages, strict=True):
        write_out(path, content)
    to = f"{files[0]} to {files[-1]}" if len(files) > 1 else str(file)
    show_lines([[(f"{plural(len(pages), 'page')} in {to}.", "good")]])


def show_findings(findings: Sequence[Finding], show_all: bool, *, is_refusal: bool = False) -> None:
    """Print findings, each with an empty line behind it."""
    lines = list(finding_list(findings, show_all))
    if lines:
        show_lines(lines, is_refusal=is_refusal)


def place_options(command: F) -> F:
    """Give a command the options ``--library`` and ``--also``."""
    also = click.option(
        "--also",
        multiple=True,
        metavar="DIR",
        type=click.Path(path_type=Path),
        help="A folder outside the library that its files may lead to. May be given again.",
    )
    return click.option(
        "--library",
        "folder",
        default=".",
        metavar="DIR",
        type=click.Path(path_type=Path),
        help="The folder of the library, or one inside it. Default: the current folder.",
    )(also(command))


def library_option(command: F) -> F:
    """Give a command the options ``--library`` and ``--also``, and the read library as its first argument."""

    @place_options
    @wraps(command)
    def with_library(folder: Path, also: tuple[Path, ...], **options: Any) -> Any:
        library = opened(folder, also, bool(options.get("as_json")))
        return command(library=library, **options)

    return cast("F", with_library)


def library_named() -> list[str]:
    """The option that names the library, where this call has it: for a call that is proposed."""
    context = click.get_current_context()
    is_given = context.get_parameter_source("folder") is ParameterSource.COMMANDLINE
    return ["--library", str(context.params["folder"])] if is_given else []


def opened(folder: Path, also: Sequence[Path] = (), as_json: bool = False) -> OpenLibrary:
    """Read the library of a folder; end the call with status 2 when there is none."""
    try:
        return open_library(folder, also)
    except LibraryProblem as problem:
        no_library(problem, as_json)


def no_library(problem: LibraryProblem, as_json: bool) -> NoReturn:
    """End the call because there is no library that it could use."""
    if as_json:
        show_json({"error": {"message": problem.message, "way_out": problem.way_out}})
        raise SystemExit(2)
    stop(problem.message, problem.way_out)


def stop(message: str, way_out: str = "") -> NoReturn:
    """End the call because it, or the library, could not be used."""
    shown = [visible(clipped(text)) for text in (message, way_out) if text]
    click.echo("upright: " + "\n         ".join(shown), err=True)
    raise SystemExit(2)


class Writable(Protocol):
    """A library of which a text can be written."""

    @property
    def root(self) -> Path: ...

    def write_texts(self, texts: Changes) -> None: ...


def propose(library: Writable, texts: Changes, write: bool) -> None:
    """Show what changes in files of the library, with what comes and what goes in colour; write all of them, or none,
    if asked to.
    """
    from difflib import unified_diff

    roles: dict[str, Role] = {"+": "good", "-": "bad", "@": "dim"}
    names = {path: Path(os.path.relpath(path, library.root)).as_posix() for path in texts}
    changed = {path: both for path, both in texts.items() if both[0] != both[1]}
    if write and changed:
        try:
            library.write_texts(changed)
        except UprightError as problem:
            stop(problem.message, problem.way_out)
    for number, (path, (before, after)) in enumerate(texts.items()):
        name = names[path]
        found = unified_diff(before.splitlines(), after.splitlines(), name, name, lineterm="", n=1)
        lines: list[Line] = [[(line, roles.get(line[:1], ""))] for line in found]
        if path not in changed:
            lines = [[(f"{name} stays as it is.", "good")]]
        elif write:
            lines += [[], [(f"{name} is written.", "good")]]
        show_lines([*([[]] if number else []), *lines], keeps_tabs=True)
    if changed and not write:
        show_lines([[], [("Nothing is written without --write.", "dim")]])


def progress(total: int, label: str) -> AbstractContextManager[Callable[..., None]]:
    """A context that gives a function to call after each of ``total`` steps; on a terminal it shows a bar after a
    second.
    """
    if not sys.stderr.isatty() or total < _FEWEST_STEPS:
        return nullcontext(lambda *_: None)
    return _Bar(total, label)


class _Bar(AbstractContextManager[Callable[..., None]]):
    """A progress bar on standard error that appears only when the work takes over a second."""

    def __init__(self, total: int, label: str) -> None:
        self.began = time.perf_counter()
        self.bar = click.progressbar(length=total, label=label, file=sys.stderr)
        self.shown = False

    def __enter__(self) -> Callable[..., None]:
        return self.advance

    def advance(self, *_: object) -> None:
        """One step is done."""
        if not self.shown and time.perf_counter() - self.began > 1:
            self.shown = True
            self.bar.render_progress()
        if self.shown:
            self.bar.update(1)
        else:
            self.bar.pos += 1

    def __exit__(self, *_: object) -> None:
        if self.shown:
            self.bar.render_finish()
