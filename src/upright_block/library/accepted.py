"""Findings that an old library is taken over with: ``accepted.toml`` beside the manifest.

A finding is known by its name, its file and the text of its line, so that lines may move. What is new is told.
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable

from upright_block.asking import asked
from upright_block.language.names import did_you_mean
from upright_block.language.nodes import record
from upright_block.language.source import Source
from upright_block.language.telling.allowing import Allowance
from upright_block.language.telling.catalogue import catalogue, stops
from upright_block.language.telling.findings import Finding
from upright_block.library import words
from upright_block.library.files import FileProblem, Files
from upright_block.library.manifest import LibraryProblem
from upright_block.library.toml import Toml, TomlProblem, read_toml

ACCEPTED = "accepted.toml"
_REASON = "was there before"
_HEAD = """\
# What was there when checks of this library began. upright check tells only what is new;
# upright check {accept_present} {write} takes over all that is found.
"""
_KEYS: dict[str, type] = {"name": str, "file": str, "line": str, "count": int}


@record
class Accepted:
    """The text of the file, empty where there is none, and what it allows."""

    text: str
    allowances: tuple[Allowance, ...]


def read_accepted(files: Files) -> Accepted:
    """Read the file of accepted findings.

    Raises:
        LibraryProblem: it cannot be read, or says something that it should not.
    """
    path = files.root / ACCEPTED
    if not path.exists():
        return Accepted("", ())
    try:
        source = files.read(path)
        content = read_toml(source.text).value
    except FileProblem as problem:
        raise LibraryProblem(f"{ACCEPTED}: {problem}", problem.way_out) from None
    except TomlProblem as problem:
        place = f"{ACCEPTED}:{source.line(problem.start)}"
        raise LibraryProblem(*words.accepted_no_toml(place, problem)) from None
    for key, entry in content.items():
        if key != "accepted" or not isinstance(entry.value, list):
            raise _problem(source, entry, f"There is no key {key}.", "Each entry begins with [[accepted]].")
    listed = content["accepted"].value if "accepted" in content else []
    return Accepted(source.text, tuple(_allowance(entry, source) for entry in listed))


def _allowance(entry: Toml, source: Source) -> Allowance:
    written: dict[str, Toml] = entry.value if isinstance(entry.value, dict) else {}
    for key, value in written.items():
        if key not in _KEYS:
            raise _problem(source, value, f"An entry has no key {key}.", f"Its keys are {', '.join(_KEYS)}.")
        if not isinstance(value.value, _KEYS[key]) or isinstance(value.value, bool):
            raise _problem(
                source, value, f"{key} is {value.value!r}.", f"Write {'a number' if key == 'count' else 'a text'}."
            )
    missing = next((key for key in ("name", "file", "line") if key not in written), None)
    if missing is not None:
        raise _problem(source, entry, f"An entry has no {missing}.", "Write name, file and line.")
    name = written["name"]
    if name.value not in catalogue():
        near = did_you_mean(name.value, catalogue()) or "upright explain lists all findings."
        raise _problem(source, name, f"There is no finding {name.value}.", near)
    most = written["count"].value if "count" in written else 1
    return Allowance(
        source,
        name.start,
        name.end,
        name.value,
        _REASON,
        path=written["file"].value,
        line=written["line"].value,
        most=most,
    )


def _problem(source: Source, entry: Toml, message: str, way_out: str) -> LibraryProblem:
    return LibraryProblem(f"{ACCEPTED}:{source.line(entry.key_start or entry.start)}: {message}", way_out)


def accepted_text(findings: Iterable[Finding]) -> str:
    """The file that accepts findings, those left out that what has them cannot be run with."""
    counted = Counter(
        (f.source.path, f.name, f.source.line_text(f.line).strip())
        for f in findings
        if not stops(f.name) and f.source.path != ACCEPTED
    )
    parts = [_HEAD.format(accept_present=asked("accept_present"), write=asked("write"))]
    for (path, name, line), count in sorted(counted.items()):
        entry = {"name": name, "file": path, "line": line} | ({"count": count} if count > 1 else {})
        parts.append("[[accepted]]\n" + "".join(f"{key} = {_shown(value)}\n" for key, value in entry.items()))
    return "\n".join(parts) if counted else ""


def _shown(value: object) -> str:
    """A text or a number as TOML, in ASCII."""
    text = json.dumps(value, ensure_ascii=False)
    return "".join(letter if " " <= letter <= "~" else f"\\U{ord(letter):08X}" for letter in text)
