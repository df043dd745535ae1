"""Files and folders that are written whole or not at all."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Mapping
from contextlib import ExitStack, contextmanager, suppress
from pathlib import Path
from typing import BinaryIO

_PART = ".upright-part-"
_unfinished: set[str] = set()


def write_file(path: Path, content: bytes, is_private: bool = False) -> None:
    """Write a file beside its place and move it there; one that is there keeps its rights, or is for its user alone.

    Raises:
        OSError: it could not be written; then nothing is left of it.
    """
    with file_written(path, is_private) as file:
        file.write(content)


def write_files(contents: Mapping[Path, bytes]) -> None:
    """Write some files, all of them or none; each moves to its place when all are there.

    Raises:
        OSError: one could not be written; then all are as they were.
    """
    with ExitStack() as stack:
        for path, content in contents.items():
            path.parent.mkdir(parents=True, exist_ok=True)
            before = path.read_bytes() if path.exists() else None
            stack.callback(_put_back, path, before)
            write_file(path, content)
        stack.pop_all()


def _put_back(path: Path, before: bytes | None) -> None:
    """Give a file the content that it had."""
    if before is None:
        path.unlink(missing_ok=True)
    elif path.read_bytes() != before:
        write_file(path, before)


@contextmanager
def file_written(path: Path, is_private: bool = False) -> Iterator[BinaryIO]:
    """A file to write into that is moved to its place in the end, as `write_file` does; not after an exception.

    Raises:
        OSError: it could not be written; then nothing is left of it.
    """
    from secrets import token_hex
    from shutil import copymode

    path = path.resolve()
    part = path.with_name(f"{_PART}{token_hex(8)}")
    _unfinished.add(str(part))
    try:
        with part.open("xb") as file:
            yield file
        if is_private:
            part.chmod(0o600)
        elif path.exists():
            copymode(path, part)
        part.replace(path)
    except BaseException:
        _remove(str(part))
        raise
    finally:
        _unfinished.discard(str(part))


def write_folder(folder: Path, fill: Callable[[Path], None]) -> None:
    """Make a folder by ``fill``, which is given an empty one to write into; ``folder`` is new or empty.

    Raises:
        OSError: it could not be written; then nothing is left of it.
    """
    import tempfile

    exists = folder.is_dir()
    if not exists:
        folder.parent.mkdir(parents=True, exist_ok=True)
    part = Path(tempfile.mkdtemp(dir=folder if exists else folder.parent, prefix=_PART))
    _unfinished.add(str(part))
    try:
        part.chmod(0o755)
        fill(part)
        if exists:
            # The folder may be the one that somebody stands in, so it stays, and what was made moves into it.
            for item in sorted(part.iterdir(), key=lambda entry: entry.is_file()):
                item.rename(folder / item.name)
            part.rmdir()
        else:
            part.rename(folder)
    except BaseException:
        _remove(str(part))
        raise
    finally:
        _unfinished.discard(str(part))


def is_empty(folder: Path) -> bool:
    """Whether a folder holds nothing but what an earlier call could not finish."""
    return all(item.name.startswith(_PART) for item in folder.iterdir())


def drop_unfinished() -> None:
    """Remove what is half written, before the program ends at once."""
    for name in list(_unfinished):
        _remove(name)


def _remove(name: str) -> None:
    with suppress(OSError):
        if os.path.isdir(name):
            import shutil

            shutil.rmtree(name, ignore_errors=True)
        else:
            os.unlink(name)
