"""Traces as files: written as VCD (IEEE 1364-2005, 18), and read back from VCD or CSV."""

from __future__ import annotations

import csv
import re
from collections.abc import Iterator, Mapping, Sequence
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Any

from upright_block.cases.cells import parse_span, parse_value
from upright_block.cases.watchlist import Row, Watched
from upright_block.compiler.layout import size_of
from upright_block.errors import BadValue
from upright_block.language.literals import LiteralProblem, Value, shown
from upright_block.language.signals import Signal
from upright_block.language.types import BOOL, Elementary, Enumeration, Type

if TYPE_CHECKING:
    from vcd.reader import Token

Series = dict[str, tuple[list[int], list[Value]]]
"""By path the times in ns from which on a signal has another value, and these values."""
_PARTS = re.compile(r"\[[^\]]*\]|[^.\[\]]+")
_SPACES = re.compile(r"[\s\\]")
_ESCAPED = re.compile(r"\\([0-7]{3})")
_FIRST, _LAST = 33, 126


# --- written ---


def vcd_text(watched: Watched, rows: Sequence[Row], library: str, version: str) -> str:
    """Rows as VCD: scopes are the library, the unit, and the instances; times are in ns, and the last is the end of the run.

    BOOL and bit strings are wires, integers and times integers of 64 bits, REAL and LREAL reals with 17 digits; texts and
    enumerations are the strings that viewers read, with white space as octal escapes. It has no date, so that the same run
    gives the same bytes.
    """
    timebase = watched.run.plan.timebase
    lines = [f"$version upright {version} $end", "$timescale 1 ns $end"]
    codes = [_code(number) for number in range(len(watched.signals))]
    lines += _declared([library, watched.run.unit.name], watched.signals, codes)
    lines += ["$enddefinitions $end"]
    before: tuple[Value, ...] = ()
    for row in rows:
        lines.append(f"#{timebase.time(row.scan)}")
        lines += ["$dumpvars"] if not before else []
        for number, value in enumerate(row.values):
            if not before or repr(value) != repr(before[number]):
                lines.append(_change(value, watched.signals[number].type, codes[number]))
        lines += ["$end"] if not before else []
        before = row.values
    return "\n".join([*lines, f"#{timebase.time(watched.scans)}", ""])


def _code(number: int) -> str:
    """The short name of a signal in the file."""
    span = _LAST - _FIRST + 1
    text = chr(_FIRST + number % span)
    while number >= span:
        number = number // span - 1
        text += chr(_FIRST + number % span)
    return text


def _declared(outer: Sequence[str], signals: Sequence[Signal], codes: Sequence[str]) -> Iterator[str]:
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


def _kind(type_: Type) -> str:
    if not isinstance(type_, Elementary) or isinstance(type_, Enumeration):
        return "string 1"
    if type_ is BOOL:
        return "wire 1"
    if type_.family == "bits":
        return f"wire {8 * size_of(type_)}"
    return "real 64" if type_.family == "real" else "string 1" if type_.family == "char" else "integer 64"


def _change(value: Value, type_: Type, code: str) -> str:
    kind = _kind(type_)
    if kind == "wire 1":
        return f"{int(bool(value))}{code}"
    if kind == "real 64":
        return f"r{value:.17g} {code}"
    if kind == "string 1":
        text = _SPACES.sub(lambda found: f"\\{ord(found[0]):03o}", shown(value, type_))
        return f"s{text} {code}"
    return f"b{int(value) & (1 << 64) - 1:b} {code}"


# --- read ---


def read_trace(file: Path, known: Mapping[str, Signal]) -> tuple[Series, int | None]:
    """The signals of a trace file that are among the known ones, by path, and the time of its end where it says one.

    Raises:
        BadValue: it is no trace, or a value in it does not fit its signal.
    """
    try:
        content = file.read_bytes()
        if file.suffix.lower() == ".vcd":
            return _read_vcd(content, known, file.name)
        return _read_csv(content.decode("utf-8-sig"), known, file.name), None
    except (OSError, UnicodeDecodeError) as problem:
        reason = problem.strerror if isinstance(problem, OSError) else "it is no text"
        raise BadValue(
            f"{file.name} cannot be read: {reason}.", "Name a .csv or .vcd file that upright run has written."
        ) from None


def _read_csv(text: str, known: Mapping[str, Signal], name: str) -> Series:
    heads, *rows = list(csv.reader(text.splitlines())) or [[]]
    if heads[:1] != ["at"]:
        raise BadValue(f"{name} is no trace: its first column is not at.", "Write it with upright run --trace.")
    by_key = {path.upper(): signal for path, signal in known.items()}
    found: Series = {}
    for column, head in enumerate(heads[1:], 1):
        signal = by_key.get(head.upper())
        if signal is None:
            continue
        times, values = found.setdefault(signal.path, ([], []))
        for number, row in enumerate(rows, 2):
            cell = row[column] if column < len(row) else ""
            if cell in ("", "."):
                continue
            try:
                _append(times, values, parse_span(row[0]), parse_value(cell, signal.type))
            except LiteralProblem as problem:
                raise BadValue(f"{name}:{number}, {head}: {problem}", problem.way_out) from None
    return found


def _append(times: list[int], values: list[Value], time: int, value: Value) -> None:
    if not values or repr(value) != repr(values[-1]):
        times.append(time)
        values.append(value)


def _read_vcd(content: bytes, known: Mapping[str, Signal], name: str) -> tuple[Series, int | None]:
    from vcd.reader import TokenKind, VCDParseError, tokenize

    by_key = {path.upper(): signal for path, signal in known.items()}
    scopes: list[str] = []
    codes: dict[str, Signal] = {}
    found: Series = {}
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
                signal = by_key.get(path.upper())
                if signal is not None:
                    codes[token.var.id_code] = signal
                    found[signal.path] = ([], [])
            elif token.kind is TokenKind.CHANGE_TIME:
                now = token.time_change * scale
            else:
                change = _changed(token)
                signal = codes.get(change[0]) if change else None
                if change is not None and signal is not None:
                    _append(*found[signal.path], now, _value(change[1], signal.type))
    except (VCDParseError, KeyError, IndexError, LiteralProblem, ValueError) as problem:
        raise BadValue(f"{name} is no VCD that can be read: {problem}", "Write it with upright run --trace.") from None
    return found, now


def _changed(token: Token) -> tuple[str, object] | None:
    """The code of a signal and its new value, where a token tells that."""
    data: Any = token.data
    return (data.id_code, data.value) if token.kind.name.startswith("CHANGE_") and hasattr(data, "id_code") else None


def _value(raw: object, type_: Type) -> Value:
    """A value of VCD as one of a type."""
    kind = _kind(type_)
    if kind == "string 1":
        text = _ESCAPED.sub(lambda found: chr(int(found[1], 8)), str(raw))
        return parse_value(text, type_)
    if kind == "real 64":
        return float(str(raw))
    number = raw if isinstance(raw, int) else int(str(raw), 2)
    if kind == "wire 1":
        return bool(number)
    is_signed = isinstance(type_, Elementary) and type_.is_signed
    return number - (1 << 64) if is_signed and number >> 63 else number
