"""Traces as files: written as VCD (IEEE 1364-2005, 18), and read back from VCD or CSV."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from heapq import merge
from io import BytesIO
from itertools import groupby
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol, cast

from upright_block.cases.cells import parse_value
from upright_block.compiler.layout import size_of
from upright_block.errors import BadValue
from upright_block.language.literals import LiteralProblem, Value, shown, shown_duration
from upright_block.language.types import BOOL, LINT, LREAL, Elementary, Enumeration, Type
from upright_block.library.sheets import csv_lines
from upright_block.traces import words
from upright_block.traces.tracetable import read_table
from upright_block.traces.tracks import Track, Tracks
from upright_block.whole import file_written

if TYPE_CHECKING:
    from vcd.reader import Token

_PARTS = re.compile(r"\[[^\]]*\]|[^.\[\]]+")
_SPACES = re.compile(r"[\s\\]")
_ESCAPED = re.compile(r"\\([0-7]{3})")
_UNIT = re.compile(r"#\s*unit:\s*(\w+)\s*\r?\n")
_FIRST, _LAST = 33, 126
_NO_NUMBERS = ("nan", "inf", "-inf")


class Named(Protocol):
    """What has a column in a trace: a signal, or a track."""

    @property
    def path(self) -> str: ...
    @property
    def type(self) -> Type | None: ...


Moment = tuple[int, Sequence[Value | None]]
"""A time in ns, and the values of all signals from it on."""


# --- written ---


class CsvFile:
    """A trace as CSV that a case reads again as its vectors: ``at``, and a column for each signal."""

    def __init__(self, write: Callable[[bytes], object], signals: Sequence[Named]) -> None:
        self._write = write
        self._signals = signals
        self._write(csv_lines([["at", *(signal.path for signal in signals)]]).encode())

    def take(self, moments: Iterable[Moment]) -> None:
        """Write some moments."""
        texts = (
            [shown_duration(time), *(_text(value, s.type) for value, s in zip(values, self._signals, strict=True))]
            for time, values in moments
        )
        self._write(csv_lines(texts).encode())

    def finish(self, end: int) -> None:
        """The run is over; a table does not say when."""


class VcdFile:
    """A trace as VCD: scopes are the library, the unit, and the instances; times are in ns, and the last is the end of
    the run.

    BOOL and bit strings are wires, integers and times integers of 64 bits, REAL and LREAL reals with 17 digits; texts
    and enumerations are the strings that viewers read, with white space as octal escapes. It has no date, so that the
    same run gives the same bytes.
    """

    def __init__(
        self, write: Callable[[bytes], object], signals: Sequence[Named], outer: Sequence[str], version: str
    ) -> None:
        self._write = write
        self._types = [signal.type for signal in signals]
        self._codes = [_code(number) for number in range(len(signals))]
        self._before: list[Value | None] = []
        heads = [f"$version upright {version} $end", "$timescale 1 ns $end"]
        self._lines([*heads, *_declared(outer, signals, self._codes), "$enddefinitions $end"])

    def _lines(self, lines: Sequence[str]) -> None:
        self._write("".join(line + "\n" for line in lines).encode())

    def take(self, moments: Iterable[Moment]) -> None:
        """Write what changes in some moments."""
        lines: list[str] = []
        for time, values in moments:
            changes = [
                _change(value, self._types[number], self._codes[number])
                for number, value in enumerate(values)
                if value is not None and (not self._before or repr(value) != repr(self._before[number]))
            ]
            if changes:
                lines += [f"#{time}"]
                lines += changes if self._before else ["$dumpvars", *changes, "$end"]
            self._before = list(values)
        self._lines(lines)

    def finish(self, end: int) -> None:
        """The run is over at a time."""
        self._lines([f"#{end}"])


def _text(value: Value | None, type_: Type | None) -> str:
    return "" if value is None else str(value) if type_ is None else shown(value, type_)


def trace_writer(
    file: Path, write: Callable[[bytes], object], signals: Sequence[Named], outer: Sequence[str], version: str
) -> CsvFile | VcdFile:
    """What writes a trace of the kind that the name of its file says; ``outer`` are the scopes around the signals.

    Raises:
        BadValue: it is neither a ``.csv`` nor a ``.vcd`` file.
    """
    match file.suffix.lower():
        case ".csv":
            return CsvFile(write, signals)
        case ".vcd":
            return VcdFile(write, signals, outer, version)
    raise BadValue(*words.no_trace_suffix(file.name))


def write_tracks(file: Path, tracks: Tracks, version: str) -> None:
    """Write tracks as a trace file; the suffix of its name says of which kind.

    Raises:
        BadValue: it is neither a ``.csv`` nor a ``.vcd`` file, or a track is thinned.
        OSError: it cannot be written.
    """
    thinned = next((track.path for track in tracks.values() if track.is_thinned), None)
    if thinned is not None:
        raise BadValue(*words.thinned(thinned))
    signals = list(tracks.values())
    with file_written(file) as out:
        made = trace_writer(file, out.write, signals, ["library", tracks.unit or "run"], version)
        made.take(_moments(signals))
        made.finish(tracks.end)


def _moments(tracks: Sequence[Track]) -> Iterator[Moment]:
    """The times at which one of some tracks has another value, with the values of all; None before the first."""
    values: list[Value | None] = [None] * len(tracks)
    changes = merge(*(_changes(number, track) for number, track in enumerate(tracks)), key=lambda change: change[0])
    for time, found in groupby(changes, key=lambda change: change[0]):
        for _, number, value in found:
            values[number] = value
        yield time, list(values)


def _changes(number: int, track: Track) -> Iterator[tuple[int, int, Value]]:
    return ((int(time), number, value) for time, value in zip(track.times, track.plain, strict=True))


def _code(number: int) -> str:
    """The short name of a signal in the file."""
    span = _LAST - _FIRST + 1
    text = chr(_FIRST + number % span)
    while number >= span:
        number = number // span - 1
        text += chr(_FIRST + number % span)
    return text


def _declared(outer: Sequence[str], signals: Sequence[Named], codes: Sequence[str]) -> Iterator[str]:
    """The declarations of signals in their scopes; neighbours in one scope stand in it together."""
    opened: list[str] = []
    for signal, code in zip(signals, codes, strict=True):
        *scopes, name = [*outer, *_parts(signal.path)]
        shared = next(
            (i for i, (a, b) in enumerate(zip(opened, scopes, strict=False)) if a != b), min(len(opened), len(scopes))
        )
        yield from ["$upscope $end"] * (len(opened) - shared)
        yield from (f"$scope module {_plain(scope)} $end" for scope in scopes[shared:])
        opened = scopes
        yield f"$var {_kind(signal.type)} {code} {_plain(name)} $end"
    yield from ["$upscope $end"] * len(opened)


def _parts(path: str) -> list[str]:
    return [path] if path.startswith("%") else _PARTS.findall(path)


def _plain(name: str) -> str:
    return re.sub(r"\s", "_", name) or "_"


def _kind(type_: Type | None) -> str:
    if not isinstance(type_, Elementary) or isinstance(type_, Enumeration):
        return "string 1"
    if type_ is BOOL:
        return "wire 1"
    if type_.family == "bits":
        return f"wire {8 * size_of(type_)}"
    return "real 64" if type_.family == "real" else "string 1" if type_.family == "char" else "integer 64"


def _change(value: Value, type_: Type | None, code: str) -> str:
    kind = _kind(type_)
    if kind == "wire 1":
        return f"{int(bool(value))}{code}"
    if kind == "real 64":
        return f"r{value:.17g} {code}"
    if kind == "string 1":
        text = _SPACES.sub(lambda found: f"\\{ord(found[0]):03o}", _text(value, type_))
        return f"s{text} {code}"
    return f"b{int(value) & (1 << 64) - 1:b} {code}"


# --- read ---


def read_trace(file: Path, types: Callable[[str], Mapping[str, Type] | None]) -> tuple[list[Track], int | None]:
    """The tracks of a trace file, and the time of its end where it says one.

    ``types`` has the types of signals by path, for the name of a unit, which is empty where the file tells none: a VCD
    does, and a CSV whose first line is a comment, ``# unit: NAME``. A signal that is not among them, or where it gives
    None, has the type that its values look like.

    Raises:
        BadValue: it is no trace, or a value in it does not fit its signal.
    """
    try:
        content = file.read_bytes()
        if file.suffix.lower() == ".vcd":
            return _read_vcd(content, types, file.name)
        text = content.decode("utf-8-sig")
        named = _UNIT.match(text)
        known = _by_key(types(named[1] if named else ""))
        return read_table(text[named.end() if named else 0 :], known, file.name), None
    except (OSError, UnicodeDecodeError) as problem:
        reason = problem.strerror if isinstance(problem, OSError) else "it is no text"
        raise BadValue(*words.trace_unreadable(file.name, reason)) from None


def _by_key(types: Mapping[str, Type] | None) -> dict[str, tuple[str, Type]]:
    return {path.upper(): (path, type_) for path, type_ in (types or {}).items()}


def _append(track: Track, time: int, value: Value) -> None:
    times, values = cast("list[int]", track.times), cast("list[Value]", track.values)
    if not values or repr(value) != repr(values[-1]):
        times.append(time)
        values.append(value)


def _read_vcd(
    content: bytes, types: Callable[[str], Mapping[str, Type] | None], name: str
) -> tuple[list[Track], int | None]:
    from vcd.reader import TokenKind, VCDParseError, tokenize

    scopes: list[str] = []
    codes: dict[str, Track] = {}
    known: dict[str, dict[str, tuple[str, Type]]] = {}
    now, scale = 0, 1
    try:
        for token in tokenize(BytesIO(content)):
            if token.kind is TokenKind.SCOPE:
                scopes.append(token.scope.ident)
            elif token.kind is TokenKind.UPSCOPE:
                scopes.pop()
            elif token.kind is TokenKind.TIMESCALE:
                scale = round(
                    int(token.timescale.magnitude)
                    * {"s": 1e9, "ms": 1e6, "us": 1e3, "ns": 1}[token.timescale.unit.value]
                )
            elif token.kind is TokenKind.VAR:
                path = "".join(
                    part if part.startswith("[") else f".{part}" for part in (*scopes[2:], token.var.ref_str)
                ).removeprefix(".")
                unit = scopes[1] if len(scopes) > 1 else ""
                if unit not in known:
                    known[unit] = _by_key(types(unit))
                looks = _VCD_TYPES.get(token.var.type_.value, LINT if token.var.size > 1 else BOOL)
                path, type_ = known[unit].get(path.upper()) or (path, looks)
                codes[token.var.id_code] = Track(path, type_, [], [])
            elif token.kind is TokenKind.CHANGE_TIME:
                if token.time_change * scale < now:
                    raise ValueError(f"time goes back to #{token.time_change}")
                now = token.time_change * scale
            else:
                change = _changed(token)
                track = codes.get(change[0]) if change else None
                if change is not None and track is not None:
                    _append(track, now, _value(change[1], track.type))
    except (VCDParseError, KeyError, IndexError, LiteralProblem, ValueError) as problem:
        raise BadValue(*words.no_vcd(name, problem)) from None
    return list(codes.values()), now


_VCD_TYPES: dict[str, Type | None] = {"string": None, "real": LREAL, "integer": LINT}


def _changed(token: Token) -> tuple[str, object] | None:
    """The code of a signal and its new value, where a token tells that."""
    data: Any = token.data
    return (data.id_code, data.value) if token.kind.name.startswith("CHANGE_") and hasattr(data, "id_code") else None


def _value(raw: object, type_: Type | None) -> Value:
    """A value of VCD as one of a type; as a text where none is known."""
    kind = _kind(type_)
    if kind == "string 1":
        text = _ESCAPED.sub(lambda found: chr(int(found[1], 8)), str(raw))
        return parse_value(text, type_) if type_ else text
    if kind == "real 64":
        return float(str(raw))
    if not isinstance(raw, int) and set(str(raw)) - {"0", "1"}:
        raise ValueError(f"{raw} has digits other than 0 and 1")
    number = raw if isinstance(raw, int) else int(str(raw), 2)
    if kind == "wire 1":
        return bool(number)
    is_signed = isinstance(type_, Elementary) and type_.is_signed
    return number - (1 << 64) if is_signed and number >> 63 else number
