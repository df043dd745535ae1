"""What a desk leaves behind: its session, in the user's cache, and watch lists, in the library."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from upright_block.cached import cache_folder, is_ours
from upright_block.desk import words
from upright_block.errors import BadValue, UnknownName
from upright_block.face.opened import OpenLibrary
from upright_block.language.literals import Value
from upright_block.language.names import did_you_mean
from upright_block.language.nodes import record
from upright_block.runs.acts import Act
from upright_block.whole import write_file

_FORM = 1
_NAME = re.compile(r"[A-Za-z0-9_-]{1,40}")
_MOST = 8 << 20
"""Bytes of a session that are read."""


@record
class Session:
    """What was done at a desk, so that it can be done again: at which target, with what, until which statement."""

    target: str
    given: dict[str, Value]
    period: str | None
    acts: tuple[Act, ...]
    scan: int
    statement: int
    watch: tuple[str, ...]
    pace: float


def _folder() -> Path:
    return cache_folder().parent / "desk" if cache_folder().name == "modules" else cache_folder() / "desk"


def write_session(name: str, session: Session) -> None:
    """Keep a session under a name.

    Raises:
        OSError: it cannot be written.
    """
    folder = _folder()
    folder.mkdir(parents=True, exist_ok=True)
    acts = [[act.scan, act.kind, act.path, act.value, act.statement, *act.made] for act in session.acts]
    data = {
        "form": _FORM,
        "target": session.target,
        "given": session.given,
        "scan": session.period,
        "acts": acts,
        "at": [session.scan, session.statement],
        "watch": list(session.watch),
        "pace": session.pace,
    }
    write_file(folder / f"{name}.json", json.dumps(data).encode(), is_private=True)


def read_session(name: str) -> Session:
    """The session of a name.

    Raises:
        UnknownName: there is none.
        BadValue: it cannot be read.
    """
    path = _folder() / f"{name}.json"
    if not _NAME.fullmatch(name) or not path.exists():
        raise UnknownName(*words.no_session(name))
    try:
        if not is_ours(path) or path.stat().st_size > _MOST:
            raise ValueError
        return _session(json.loads(path.read_bytes()))
    except (OSError, ValueError, KeyError, TypeError):
        raise BadValue(*words.session_unread(name)) from None


def _session(data: Any) -> Session:
    if data["form"] != _FORM:
        raise ValueError
    acts = tuple(
        Act(int(scan), str(kind), str(path), value, int(statement), (int(made), int(at)))
        for scan, kind, path, value, statement, made, at in data["acts"]
    )
    scan, statement = data["at"]
    watch = tuple(map(str, data["watch"]))
    return Session(
        str(data["target"]), dict(data["given"]), data["scan"], acts, scan, statement, watch, float(data["pace"])
    )


def free_name(target: str) -> str:
    """A name for a new session of a target."""
    stem = re.sub(r"[^A-Za-z0-9]+", "-", target).strip("-").lower()[:24] or "desk"
    number = 1
    while (_folder() / f"{stem}-{number}.json").exists():
        number += 1
    return f"{stem}-{number}"


# --- watch lists ---


def list_path(root: Path, name: str) -> Path:
    """Where the watch list of a name lies.

    Raises:
        BadValue: it is no name.
    """
    if not _NAME.fullmatch(name):
        raise BadValue(*words.no_list_name(name))
    return root / "desk" / f"{name}.txt"


def read_list(library: OpenLibrary, name: str) -> list[str]:
    """The patterns of a watch list: a line each, what follows # is a comment.

    Raises:
        BadValue: it is no name.
        UnknownName: there is no such list.
        NotRunnable: it leads out of the library, or cannot be read.
    """
    path = list_path(library.root, name)
    if not path.exists():
        near = did_you_mean(name, [other.stem for other in path.parent.glob("*.txt")])
        raise UnknownName(*words.no_list(name, near))
    lines = (line.partition("#")[0].strip() for line in library.text_at(path).splitlines())
    return [line for line in lines if line]


def list_text(paths: Sequence[str]) -> str:
    """The text of a watch list."""
    return "".join(f"{path}\n" for path in paths)
