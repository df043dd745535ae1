"""Writing texts of a library: inside of it alone, only over what was read, and all of them or none."""

from __future__ import annotations

from codecs import BOM_UTF8
from collections.abc import Iterable, Mapping
from pathlib import Path

from upright_block.errors import NotRunnable
from upright_block.language.telling.edits import Edit, laid
from upright_block.library import words
from upright_block.library.files import FileProblem, Files
from upright_block.whole import write_files

Changes = Mapping[Path, tuple[str, str]]
"""By path what a text was when it was read, empty where there is no such file, and what it is to become."""


def changes(files: Files, edits: Iterable[Edit]) -> dict[Path, tuple[str, str]]:
    """What edits make of texts of a library, by path with what each was and what it becomes."""
    return {files.root / path: (made.before, made.after) for path, made in laid(edits).items()}


def write_texts(files: Files, texts: Changes) -> None:
    """Write some texts of the library whose files are ``files``, all or none; a byte order mark that a file has is
    kept.

    Raises:
        NotRunnable: one leads out of the library, is not what it was any more, could not be read again, or cannot be
            written.
    """
    contents: dict[Path, bytes] = {}
    for path, (before, after) in texts.items():
        name = files.shown(path)
        try:
            real = files.inside(path, "written")
            old = files.content(path) if path.exists() else b""
            mark = BOM_UTF8 if old.startswith(BOM_UTF8) else b""
            now = files.read(path).text if old else ""
        except FileProblem as problem:
            raise refused(name, problem) from None
        if now != _read_again(before):
            raise NotRunnable(*words.has_changed(name))
        _must_be_readable(name, after)
        contents[real] = mark + after.encode()
    try:
        write_files(contents)
    except OSError as problem:
        name = files.shown(Path(problem.filename)) if problem.filename else "A file"
        raise NotRunnable(*words.cannot_be_written(name, problem.strerror)) from None


def refused(name: str, problem: FileProblem) -> NotRunnable:
    """That a file cannot be used, as a problem of the call."""
    said = str(problem)
    return NotRunnable(said if said.startswith(name) else f"{name}: {said}", problem.way_out)


def _read_again(text: str) -> str:
    """A text as `Files.read` gives it."""
    from upright_block.library.files import CARRIAGE_RETURN

    return CARRIAGE_RETURN.sub("\n", text) if "\r" in text else text


def _must_be_readable(name: str, text: str) -> None:
    """Refuse a text of TOML that is none."""
    if not name.lower().endswith(".toml"):
        return
    import tomllib

    try:
        tomllib.loads(text)
    except tomllib.TOMLDecodeError as problem:
        raise NotRunnable(*words.not_read_again(name, problem)) from None
