"""The manifest ``upright.toml``: what the library is called and where its parts are."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from upright_block.errors import UprightError
from upright_block.language.field.points import PointRules
from upright_block.language.literals import LiteralProblem, parse_duration
from upright_block.language.names import did_you_mean
from upright_block.language.nodes import record
from upright_block.language.scope import Dialect
from upright_block.language.source import Source
from upright_block.language.telling.allowing import Allowance, Policy
from upright_block.language.telling.catalogue import Level, catalogue
from upright_block.library import words
from upright_block.library.files import FileProblem, Files
from upright_block.library.toml import Toml, TomlProblem, read_toml

if TYPE_CHECKING:
    from upright_block.library.floors import Floor

FILE_NAME = "upright.toml"
_SCAN = 100_000_000
_TEXTS = {"name": "library", "version": "0.0.0"}
_FOLDERS = ("blocks", "programs", "tags", "wiring", "cases", "rules")
_CHOICES = {"overflow": ("wrap", "fault")}


class LibraryProblem(UprightError):
    """The library cannot be used at all."""


@record
class Manifest:
    """``folders`` are those of each part of a library, relative to the one that holds the manifest.

    ``overflow`` says what an integer does that leaves its type: ``wrap`` or ``fault``. ``policy`` is what it says of
    findings, ``points`` of how points are counted, ``dialect`` of what controllers have, ``floors`` of what cases must
    reach; ``scan`` is the time in ns of a scan that nothing else says.
    """

    name: str
    version: str
    folders: Mapping[str, tuple[str, ...]]
    overflow: str
    policy: Policy
    points: PointRules
    scan: int
    dialect: Dialect
    floors: tuple[Floor, ...]
    source: Source


def find_root(start: Path) -> Path:
    """The nearest folder, from ``start`` upwards, that holds a manifest.

    Raises:
        LibraryProblem: there is none.
    """
    try:
        folder = start.resolve()
        if not folder.is_dir():
            raise LibraryProblem(*words.no_such_start(start))
        for candidate in (folder, *folder.parents):
            if (candidate / FILE_NAME).is_file():
                return candidate
    except (OSError, RuntimeError, ValueError) as problem:
        raise LibraryProblem(*words.start_unreadable(start, problem)) from None
    raise LibraryProblem(*words.no_manifest(FILE_NAME, start if str(start) != "." else "this folder"))


def read_manifest(files: Files) -> Manifest:
    """Read the manifest of a library.

    Raises:
        LibraryProblem: it cannot be read, or holds something that it should not.
    """
    try:
        source = files.read(files.root / FILE_NAME)
        content = read_toml(source.text).value
    except FileProblem as problem:
        raise LibraryProblem(f"{FILE_NAME}: {problem}", problem.way_out) from None
    except TomlProblem as problem:
        place = f"{FILE_NAME}:{source.line(problem.start)}"
        raise LibraryProblem(*words.manifest_no_toml(place, problem)) from None
    known = _TEXTS | {key: choices[0] for key, choices in _CHOICES.items()}
    values: dict[str, str] = {}
    points, scan = PointRules(), _SCAN
    floors: tuple[Floor, ...] = ()
    limits: dict[str, Any] = {}
    folders: dict[str, tuple[str, ...]] = {part: (part,) for part in _FOLDERS}
    reader = _PolicyReader(source)
    for key, entry in content.items():
        place = f"{FILE_NAME}:{source.line(entry.key_start)}"
        if key == "levels":
            reader.levels(entry)
            continue
        if key == "allow":
            reader.allow(entry)
            continue
        if key == "scan":
            scan = _span(key, entry, place)
            continue
        if key in _LIMITS:
            limits[key] = _LIMITS[key](key, entry, place)
            continue
        if key == "names":
            limits["styles"] = _styles(entry, source)
            continue
        if key == "points":
            points = _point_rules(entry, source)
            continue
        if key == "coverage":
            floors = _floors(entry, source)
            continue
        if key in _FOLDERS:
            folders[key] = _folders(key, entry, files, place)
            continue
        if key not in known:
            keys = (*known, *_FOLDERS, "levels", "allow", "points", "names", "scan", "coverage", *_LIMITS)
            hint = did_you_mean(key, keys) or f"Its keys are {', '.join(keys)}."
            raise LibraryProblem(*words.unknown_key(place, key, hint))
        if not isinstance(entry.value, str):
            raise LibraryProblem(*words.no_text(key, place))
        choices = _CHOICES.get(key)
        if choices and entry.value not in choices:
            hint = f"Write {' or '.join(repr(c) for c in choices)}."
            raise LibraryProblem(*words.no_choice(key, place, entry.value, hint))
        values[key] = entry.value
    return Manifest(
        **(known | values),
        folders=folders,
        policy=reader.policy(),
        points=points,
        scan=scan,
        dialect=Dialect(**limits),
        floors=floors,
        source=source,
    )


def _floors(entry: Toml, source: Source) -> tuple[Floor, ...]:
    from upright_block.library.floors import FloorProblem, read_floors

    try:
        return read_floors(entry)
    except FloorProblem as problem:
        place = f"{FILE_NAME}:{source.line(problem.place.key_start)}"
        message, way_out = problem.said
        raise LibraryProblem(f"{place}: {message}", way_out) from None


def _folders(key: str, entry: Toml, files: Files, place: str) -> tuple[str, ...]:
    """``tags = "points"`` or ``tags = ["points", "drives"]``"""
    listed = [item.value for item in entry.value] if isinstance(entry.value, list) else [entry.value]
    if not listed or not all(isinstance(folder, str) for folder in listed):
        raise LibraryProblem(*words.no_folder_named(key, place))
    for folder in listed:
        if not (files.root / folder).is_dir():
            raise LibraryProblem(*words.no_such_folder(place, folder))
    return tuple(listed)


def _span(key: str, entry: Toml, place: str) -> int:
    """``scan = "100ms"``, ``longest_time = "7d"``"""
    try:
        found = parse_duration(entry.value) if isinstance(entry.value, str) else 0
    except LiteralProblem as problem:
        raise LibraryProblem(f"{key} in {place}: {problem}", problem.way_out) from None
    if found <= 0:
        raise LibraryProblem(*words.no_time(key, place))
    return found


def _length(key: str, entry: Toml, place: str) -> int:
    """``longest_name = 24``"""
    if not isinstance(entry.value, int) or isinstance(entry.value, bool) or entry.value < 1:
        raise LibraryProblem(*words.no_number(key, place))
    return entry.value


def _characters(key: str, entry: Toml, place: str) -> frozenset[str]:
    """``name_characters = "a-z0-9_"``"""
    if not isinstance(entry.value, str) or not entry.value:
        raise LibraryProblem(*words.no_characters(key, place))
    found: set[str] = set()
    for single, low, high in re.findall(r"((.)-(.)|.)", entry.value, re.DOTALL):
        if low > high:
            raise LibraryProblem(*words.no_range(key, place, single, high, low))
        found.update(map(chr, range(ord(low), ord(high) + 1)) if low else single)
    return frozenset(found)


_LIMITS: dict[str, Callable[[str, Toml, str], object]] = {
    "longest_time": _span,
    "longest_name": _length,
    "name_characters": _characters,
}


_POINTS = {"counts": ("bytes", "elements"), "order": ("little", "big"), "out_of_range": ("clamp", "fault")}
"""What the table ``points`` may say; the first of each is meant where nothing is said."""


def _point_rules(written: Toml, source: Source) -> PointRules:
    """``[points]`` with ``counts``, ``order`` and ``out_of_range``."""
    place = f"{FILE_NAME}:{source.line(written.key_start)}"
    if not isinstance(written.value, dict):
        raise LibraryProblem(*words.points_no_table(place))
    said: dict[str, str] = {}
    for key, entry in written.value.items():
        place = f"{FILE_NAME}:{source.line(entry.key_start)}"
        if key not in _POINTS:
            hint = did_you_mean(key, _POINTS) or f"Its keys are {', '.join(_POINTS)}."
            raise LibraryProblem(*words.unknown_key_of_points(place, key, hint))
        if entry.value not in _POINTS[key]:
            ways = " or ".join(f'"{choice}"' for choice in _POINTS[key])
            raise LibraryProblem(*words.no_way_of_points(place, key, entry.value, ways))
        said[key] = entry.value
    return PointRules(said.get("counts") == "elements", said.get("order") == "big", said.get("out_of_range") == "fault")


def _styles(written: Toml, source: Source) -> dict[str, tuple[str, ...]]:
    """``[names]`` with ``block = "CamelCase"``, ``input = ["lower_case", "x_*"]``"""
    from upright_block.language.checking.dialect import KINDS, STYLES

    place = f"{FILE_NAME}:{source.line(written.key_start)}"
    if not isinstance(written.value, dict):
        raise LibraryProblem(*words.names_no_table(place))
    found: dict[str, tuple[str, ...]] = {}
    for kind, entry in written.value.items():
        place = f"{FILE_NAME}:{source.line(entry.key_start)}"
        if kind not in KINDS:
            hint = did_you_mean(kind, KINDS) or f"Kinds are {', '.join(KINDS)}."
            raise LibraryProblem(*words.no_kind_of_names(place, kind, hint))
        listed = [item.value for item in entry.value] if isinstance(entry.value, list) else [entry.value]
        if not listed or not all(isinstance(pattern, str) and pattern for pattern in listed):
            raise LibraryProblem(*words.no_pattern_of(place, kind, next(iter(STYLES))))
        for pattern in listed:
            near = did_you_mean(pattern, STYLES) if pattern not in STYLES and not set(pattern) & set("*?[") else ""
            if near or (pattern not in STYLES and not set(pattern) & set("*?[")):
                hint = near or f"Write {', '.join(STYLES)}, or a pattern with * for any characters."
                raise LibraryProblem(*words.no_pattern(place, pattern, hint))
        found[kind] = tuple(listed)
    return found


class _PolicyReader:
    """Reads ``levels`` and ``[[allow]]``."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.found: dict[str, Level] = {}
        self.allowances: list[Allowance] = []

    def policy(self) -> Policy:
        """What was read."""
        return Policy(self.found, tuple(self.allowances))

    def levels(self, written: Toml) -> None:
        """``levels = { label-twice = "error" }``"""
        if not isinstance(written.value, dict):
            raise self._problem(written, "levels is not a table.", 'Write levels = { label-twice = "error" }.')
        for name, entry in written.value.items():
            self._known(name, entry)
            if entry.value not in ("error", "warning"):
                raise self._problem(entry, f"The level of {name} is {entry.value!r}.", 'Write "error" or "warning".')
            self.found[name] = "error" if entry.value == "error" else "warning"

    def allow(self, written: Toml) -> None:
        """``[[allow]]`` with ``name``, ``path`` and ``reason``."""
        listed = written.value if isinstance(written.value, list) else [written]
        for entry in listed:
            texts = entry.value if isinstance(entry.value, dict) else {}
            parts = [texts.get(key) for key in ("name", "path", "reason")]
            if len(texts) != len(parts) or not all(
                part and isinstance(part.value, str) and part.value.strip() for part in parts
            ):
                raise self._problem(
                    written,
                    "An [[allow]] says what, where and why.",
                    'Write name = "no-task", path = "blocks/*.st", reason = "...".',
                )
            name, path, reason = (part.value.strip() for part in parts if part)
            self._known(name, texts["name"])
            place = texts["name"]
            self.allowances.append(Allowance(self.source, place.start, place.end, name, reason, path=path))

    def _known(self, name: str, entry: Toml) -> None:
        if name not in catalogue():
            raise self._problem(
                entry,
                f"There is no finding {name}.",
                did_you_mean(name, catalogue()) or "upright explain lists all findings.",
            )

    def _problem(self, entry: Toml, message: str, way_out: str) -> LibraryProblem:
        return LibraryProblem(f"{FILE_NAME}:{self.source.line(entry.key_start)}: {message}", way_out)
