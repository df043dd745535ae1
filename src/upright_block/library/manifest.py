"""The manifest ``upright.toml``: what the library is called and where its parts are."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from pathlib import Path

from upright_block.language.names import did_you_mean

FILE_NAME = "upright.toml"
_TEXTS = {"name": "library", "version": "0.0.0"}
_FOLDERS = {"blocks": "blocks", "cases": "cases"}
_CHOICES = {"overflow": ("wrap", "fault")}


class LibraryProblem(Exception):
    """The library cannot be used at all; the message says why, ``way_out`` what to do."""

    def __init__(self, message: str, way_out: str = "") -> None:
        super().__init__(message)
        self.way_out = way_out


@dataclass(frozen=True, slots=True)
class Manifest:
    """``blocks`` and ``cases`` are folders relative to the one that holds the manifest.

    ``overflow`` says what an integer does that leaves its type: ``wrap`` or ``fault``.
    """

    name: str
    version: str
    blocks: str
    cases: str
    overflow: str


def find_root(start: Path) -> Path:
    """The nearest folder, from ``start`` upwards, that holds a manifest.

    Raises:
        LibraryProblem: there is none.
    """
    folder = start.resolve()
    if not folder.is_dir():
        raise LibraryProblem(f"There is no folder {start}.", "Name the folder that holds upright.toml.")
    for candidate in (folder, *folder.parents):
        if (candidate / FILE_NAME).is_file():
            return candidate
    raise LibraryProblem(
        f"There is no {FILE_NAME} in {start if str(start) != '.' else 'this folder'} or above it.",
        "Start a library with: upright new DIR",
    )


def read_manifest(root: Path) -> Manifest:
    """Read the manifest of the library at ``root``.

    Raises:
        LibraryProblem: it cannot be read, or holds something that it should not.
    """
    path = root / FILE_NAME
    try:
        content = tomllib.loads(path.read_text(encoding="utf-8-sig"))
    except OSError as problem:
        raise LibraryProblem(f"{FILE_NAME} cannot be read: {problem.strerror}.") from None
    except UnicodeDecodeError:
        raise LibraryProblem(f"{FILE_NAME} is not UTF-8 text.", "Save it as UTF-8.") from None
    except tomllib.TOMLDecodeError as problem:
        raise LibraryProblem(f"{FILE_NAME} is not valid TOML: {problem}.") from None
    known = _TEXTS | _FOLDERS | {key: choices[0] for key, choices in _CHOICES.items()}
    for key, value in content.items():
        if key not in known:
            hint = did_you_mean(key, known) or f"Its keys are {', '.join(known)}."
            raise LibraryProblem(f"{FILE_NAME} has no key {key}.", hint)
        if not isinstance(value, str):
            raise LibraryProblem(f"{key} in {FILE_NAME} is not a text.", f'Write {key} = "...".')
        choices = _CHOICES.get(key)
        if choices and value not in choices:
            raise LibraryProblem(
                f"{key} in {FILE_NAME} is {value!r}.", f"Write {' or '.join(repr(c) for c in choices)}."
            )
    return Manifest(**(known | content))
