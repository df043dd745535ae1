"""Shapes that drive a pin over time: pulses, ramps, bounces, noise, recorded waves."""

from __future__ import annotations

import random
import re
from array import array
from collections.abc import Callable, Iterator, Mapping, Sequence

from upright_block.cases.cells import parse_span, parse_value
from upright_block.cases.plan import Common
from upright_block.cases.rules import Phrase
from upright_block.cases.words import stimuli as words
from upright_block.language.limits import MOST_VALUES
from upright_block.language.literals import LiteralProblem, Value
from upright_block.language.nodes import record
from upright_block.language.telling.findings import Words
from upright_block.language.timebase import Timebase
from upright_block.language.types import BOOL, Elementary, Type, in_group

_ENTRY = re.compile(r'([A-Za-z]+)=("[^"]*"|\S+)\s*')
_TIMES = frozenset(["at", "width", "period", "high", "until", "in", "for", "every"])


@record
class Shape:
    """What a stimulus needs: its keys with what stands there without them; ``must`` have no default."""

    must: tuple[str, ...]
    may: Mapping[str, str]


SHAPES: dict[str, Shape] = {
    "pulse": Shape(("at", "width"), {"from": "0", "to": "1"}),
    "square": Shape(("period", "high"), {"at": "0s", "until": "", "from": "0", "to": "1"}),
    "ramp": Shape(("at", "from", "to", "in"), {}),
    "bounce": Shape(("at", "for", "every"), {"from": "", "to": "1", "seed": "1"}),
    "noise": Shape(("around", "by"), {"seed": "1", "at": "0s", "until": ""}),
    "wave": Shape(("file", "column"), {}),
    "lost": Shape(("at",), {"for": "", "as": "frozen"}),
}
_LEFT = ("frozen", "zero")
_MOST_REAL, _MOST_LREAL = 3.4028234663852886e38, 1.7976931348623157e308
"""The greatest finite numbers of IEEE 754 in 32 and 64 bits."""
"""What a device leaves behind when it is lost."""


class NoShape(Exception):
    """A stimulus cannot be read; ``start`` is where in its text, ``end`` behind what."""

    def __init__(self, said: Words, start: int, end: int) -> None:
        super().__init__(said.message)
        self.words = said
        self.start = start
        self.end = end


class Stimulus:
    """A stimulus of a pin of some type, read from its text.

    Raises:
        NoShape: something of it cannot be.
    """

    def __init__(self, written: Phrase, type_: Type, near: Callable[[str, Sequence[str]], str]) -> None:
        self.shape_at = written
        self.text = written.text
        self.type = type_
        self.kind, _, rest = self.text.partition(" ")
        self.kind = self.kind.lower()
        self.given: dict[str, tuple[str, int, int]] = {}
        shape = SHAPES.get(self.kind)
        if shape is None:
            raise NoShape(words.no_shape(self.kind, near(self.kind, list(SHAPES))), 0, len(self.kind))
        self.shape = shape
        keys = (*self.shape.must, *self.shape.may)
        end = len(self.text) - len(rest)
        while end < len(self.text):
            found = _ENTRY.match(self.text, end)
            if found is None:
                raise NoShape(words.no_entry(self.text[end:].split()[0], self.kind, keys), end, len(self.text))
            key = found[1].lower()
            if key not in keys:
                raise NoShape(
                    words.unknown_entry(self.kind, found[1], keys, near(key, keys)), found.start(1), found.end(1)
                )
            if key in self.given:
                raise NoShape(words.entry_twice(found[1]), found.start(1), found.end(1))
            self.given[key] = (found[2].strip('"'), found.start(2), found.end(2))
            end = found.end()
        for key in self.shape.must:
            if key not in self.given:
                raise NoShape(words.missing_entry(self.kind, key), 0, len(self.text))
        self.times = {key: self._time(key) for key in keys if key in _TIMES}
        self.values = {key: self._value(key) for key in ("from", "to", "around", "by") if key in keys}
        for key in ("period", "width", "for", "every", "in"):
            if self.times.get(key) == 0:
                _, start, stop = self.given[key]
                raise NoShape(words.zero_time(key), start, stop)
        if self.kind == "lost" and self.written("as").lower() not in _LEFT:
            _, start, stop = self.given["as"]
            raise NoShape(words.left_behind(self.written("as"), near(self.written("as"), _LEFT)), start, stop)
        if self.kind in ("ramp", "noise") and not self._is_number:
            raise NoShape(words.needs_number(self.kind, str(type_)), 0, len(self.kind))

        begin, until = self.times.get("at") or 0, self.times.get("until")
        if until is not None and until <= begin:
            _, start, stop = self.given["until"]
            raise NoShape(words.over_before(self.written("until"), self.written("at")), start, stop)

    @property
    def _is_number(self) -> bool:
        is_number = isinstance(self.type, Elementary) and in_group(self.type, "ANY_NUM")
        return is_number or (isinstance(self.type, Elementary) and self.type.family in ("duration", "bits"))

    def written(self, key: str) -> str:
        """What stands behind a key, or would without it."""
        return self.given[key][0] if key in self.given else self.shape.may.get(key, "")

    def _time(self, key: str) -> int | None:
        text = self.written(key)
        if not text:
            return None
        try:
            found = parse_span(text)
        except LiteralProblem as problem:
            _, start, end = self.given[key]
            raise NoShape(Words("bad-value", str(problem), problem.way_out), start, end) from None
        if found < 0:
            _, start, end = self.given[key]
            raise NoShape(words.negative_time(text), start, end)
        return found

    def _value(self, key: str) -> Value | None:
        text = self.written(key)
        if not text:
            return None
        try:
            return parse_value(text, self.type)
        except LiteralProblem as problem:
            _, start, end = self.given.get(key, ("", 0, len(self.text)))
            raise NoShape(Words("bad-value", f"{key}: {problem}", problem.way_out), start, end) from None

    def number(self, key: str) -> int:
        """A whole number behind a key."""
        text = self.written(key)
        if not re.fullmatch("[0-9]{1,18}", text):
            _, start, end = self.given[key]
            raise NoShape(words.no_seed(text), start, end)
        return int(text)

    @property
    def is_frozen(self) -> bool:
        """Whether what is lost keeps the last value; else it is zero."""
        return self.written("as").lower() == "frozen"

    def gone(self, timebase: Timebase) -> tuple[int, int | None]:
        """The scan from which on something is lost, and that from which on it is back, if it ever is."""
        at, span = self.times["at"] or 0, self.times["for"]
        return timebase.scans_before(at), None if span is None else timebase.scans_before(at + span)

    # --- values ---

    def drive(
        self, timebase: Timebase, scans: int, wave: Sequence[tuple[int, Value]], common: Common
    ) -> tuple[array[int], list[Value | None]]:
        """The scans before which the pin gets another value, with these values; ``wave`` are those of a file, by
        time.
        """
        times, values = array("q"), list[Value | None]()
        for scan, value in self._changes(timebase, scans, wave):
            if scan >= scans:
                break
            common.room -= 1
            if common.room < 0:
                raise NoShape(words.too_many_values(MOST_VALUES), 0, len(self.text))
            if times and times[-1] == scan:  # gone again before any scan
                times.pop()
                values.pop()
            if not values or value != values[-1]:
                times.append(scan)
                values.append(value)
        return times, values

    def _changes(
        self, timebase: Timebase, scans: int, wave: Sequence[tuple[int, Value]]
    ) -> Iterator[tuple[int, Value]]:
        low, high = self.values.get("from"), self.values.get("to")
        at = self.times.get("at") or 0
        first = timebase.scans_before(at)
        match self.kind:
            case "pulse":
                assert low is not None
                assert high is not None
                yield 0, low
                yield first, high
                yield timebase.scans_before(at + (self.times["width"] or 0)), low
            case "square":
                assert low is not None
                assert high is not None
                yield from self._square(timebase, scans, at, low, high)
            case "ramp":
                yield from self._ramp(timebase, scans, at)
            case "bounce":
                yield from self._bounce(timebase, scans, at)
            case "noise":
                yield from self._noise(timebase, scans, first)
            case "wave":
                for time, value in wave:
                    yield timebase.scans_before(time), value

    def _square(self, timebase: Timebase, scans: int, at: int, low: Value, high: Value) -> Iterator[tuple[int, Value]]:
        period, width = self.times["period"] or 1, self.times["high"] or 0
        end = timebase.time(scans)
        until = end if self.times["until"] is None else min(self.times["until"], end)
        yield 0, low
        for begun in range(at, until, period):
            yield timebase.scans_before(begun), high
            if width < period:
                yield timebase.scans_before(min(begun + width, until)), low
        yield timebase.scans_before(until), low

    def _ramp(self, timebase: Timebase, scans: int, at: int) -> Iterator[tuple[int, Value]]:
        low, high, span = float(self.values["from"] or 0), float(self.values["to"] or 0), self.times["in"] or 1
        yield 0, self._rounded(low)
        for scan in range(timebase.scans_before(at), scans):
            passed = min(timebase.time(scan) - at, span)
            yield scan, self._rounded(high if passed == span else low + (high - low) * (passed / span))
            if passed == span:
                return

    def _rounded(self, value: float) -> Value:
        """A number as the type has it: the nearest one that it holds."""
        assert isinstance(self.type, Elementary)
        if self.type.family == "real":
            most = _MOST_REAL if self.type.bits == 32 else _MOST_LREAL
            return min(max(value, -most), most)
        return min(max(round(value), int(self.type.low)), int(self.type.high))

    def _bounce(self, timebase: Timebase, scans: int, at: int) -> Iterator[tuple[int, Value]]:
        high = self.values["to"]
        assert high is not None
        low = self.values["from"]
        if low is None:
            low = not high if self.type is BOOL else parse_value("0", self.type)
        span, every, seed = self.times["for"] or 1, self.times["every"] or 1, self.number("seed")
        yield 0, low
        for scan in range(timebase.scans_before(at), scans):
            passed = timebase.time(scan) - at
            if passed >= span:
                yield scan, high
                return
            yield scan, random.Random(f"{seed}:{passed // every}").choice((low, high))

    def _noise(self, timebase: Timebase, scans: int, first: int) -> Iterator[tuple[int, Value]]:
        middle, by, until = float(self.values["around"] or 0), float(self.values["by"] or 0), self.times["until"]
        chance = random.Random(self.number("seed"))
        yield 0, self._rounded(middle)
        for scan in range(first, scans):
            if until is not None and timebase.time(scan) >= until:
                yield scan, self._rounded(middle)
                return
            yield scan, self._rounded(middle + by * (2 * chance.random() - 1))
