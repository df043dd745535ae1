"""What a timing diagram shows: a lane for each signal, between two times, thinned to what can be seen."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Mapping, Sequence
from typing import Literal

from upright_block.cases.tracefile import Series
from upright_block.language.literals import Value, shown
from upright_block.language.nodes import record
from upright_block.language.signals import Signal
from upright_block.language.types import BOOL, Elementary, Enumeration, Type

Kind = Literal["bool", "number", "states"]


@record
class Mark:
    """A checked value: when, whether it was right, and what was expected."""

    time: int
    is_right: bool
    expected: str


@record
class Lane:
    """A signal over time: ``starts`` in ns, and from each of them on one of ``values``.

    Numbers are floats (durations in s), BOOLs 0.0 and 1.0; of states ``texts`` has what is shown. ``unit`` is that of a tag, or s.
    """

    path: str
    kind: Kind
    is_driven: bool
    unit: str
    starts: tuple[int, ...]
    values: tuple[float, ...]
    texts: tuple[str, ...]
    marks: tuple[Mark, ...]


@record
class Diagram:
    """Lanes between two times in ns. ``rows`` are the times of the rows of a table, ``idle`` the spans in which no scan ran."""

    title: str
    begin: int
    end: int
    lanes: tuple[Lane, ...]
    rows: tuple[int, ...]
    idle: tuple[tuple[int, int], ...]


def lanes(
    series: Series, signals: Mapping[str, Signal], marks: Mapping[str, Sequence[Mark]], begin: int, end: int
) -> tuple[Lane, ...]:
    """The lanes of some signals between two times, inputs first."""
    order = sorted(series, key=lambda path: not signals[path].is_driven)
    return tuple(_lane(signals[path], *series[path], marks.get(path, ()), begin, end) for path in order)


def _lane(
    signal: Signal, times: Sequence[int], values: Sequence[Value], marks: Sequence[Mark], begin: int, end: int
) -> Lane:
    first, last = max(bisect_right(times, begin) - 1, 0), bisect_left(times, end)
    starts: list[int] = []
    kept: list[Value] = []
    for time, value in zip(times[first:last], values[first:last], strict=True):
        if not kept or repr(value) != repr(kept[-1]):
            starts.append(max(time, begin))
            kept.append(value)
    kind = _kind(signal.type)
    is_time = isinstance(signal.type, Elementary) and signal.type.family == "duration"
    numbers = [float(v) / (1e9 if is_time else 1) if not isinstance(v, str) and kind != "states" else 0.0 for v in kept]
    texts = tuple(shown(value, signal.type) for value in kept) if kind == "states" else ()
    unit = "s" if is_time else signal.tag.text("unit") if signal.tag is not None else ""
    inside = tuple(mark for mark in marks if begin <= mark.time < end)
    return Lane(signal.path, kind, signal.is_driven, unit, tuple(starts), tuple(numbers), texts, inside)


def _kind(type_: Type) -> Kind:
    if type_ is BOOL:
        return "bool"
    if not isinstance(type_, Elementary) or isinstance(type_, Enumeration):
        return "states"
    return "number" if type_.family in ("signed", "unsigned", "real", "duration") else "states"


def binned(lane: Lane, begin: int, end: int, count: int) -> list[tuple[float, float] | None]:
    """The least and the greatest value of a lane in each of so many equal spans; None where it has none yet."""
    found: list[tuple[float, float] | None] = []
    span = max(end - begin, 1)
    place = -1
    for number in range(count):
        low_time, high_time = begin + span * number // count, begin + span * (number + 1) // count
        while place + 1 < len(lane.starts) and lane.starts[place + 1] <= low_time:
            place += 1
        inside = list(lane.values[max(place, 0) : place + 1]) if place >= 0 else []
        following = place + 1
        while following < len(lane.starts) and lane.starts[following] < high_time:
            inside.append(lane.values[following])
            following += 1
        found.append((min(inside), max(inside)) if inside else None)
    return found
