"""What a timing diagram shows: lanes of signals, measured times, rules and rows between two times, before anything is
drawn.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise
from math import ceil, log10
from typing import Literal

from upright_block.cases.cells import Check
from upright_block.language.literals import Value, shown, shown_duration
from upright_block.language.nodes import record, replaced
from upright_block.language.types import Elementary, Enumeration
from upright_block.reports.grid import grouped, owner_of
from upright_block.traces.tracks import Track

Kind = Literal["bool", "step", "number", "states"]
Span = tuple[int, int]
"""Two times in ns."""
_LONG = 0.6
"""The part of a diagram that a stretch must take to be cut."""
_FEWEST = 6
"""Moments that there must be, so that to cut makes something easier to see."""
_LONGER = 4
"""How many times as long as any other stretch those are that are cut together."""
_CUT_TO = 0.03
_FLATTEST = 0.1
"""Of a number without a range, what a change must be to fill the lane."""
_SEEN = 100
"""Parts of a lane that can be told apart."""
_MARGIN = 0.2


@record
class Mark:
    """What is expected of a signal from ``time`` up to ``until``, and whether that was right.

    ``level`` is the expected value where it is one number or BOOL, as the values of the lane; None in a lane of states.
    ``got`` is the first wrong value as text.
    """

    time: int
    until: int
    check: Check
    is_right: bool
    level: float | None
    got: str = ""


@record
class Lane:
    """A signal over time: ``starts`` in ns, and from each of them on one of ``values``.

    Numbers are floats, BOOLs 0.0 and 1.0; of states ``texts`` has what is shown. ``unit`` is that of a tag; with
    ``is_time`` values are ns. ``group`` is the instance that it belongs to, ``name`` the rest of its ``path``.
    ``wrong`` are the spans in which it is not as expected. ``low`` and ``high`` are what a lane of numbers reaches from
    and to: what its value can be where that is known, and not only what it was; see `_scaled`. ``others`` are drawn in
    the same lane.
    """

    path: str
    group: str
    name: str
    kind: Kind
    is_driven: bool
    is_time: bool
    unit: str
    starts: tuple[int, ...]
    values: tuple[float, ...]
    texts: tuple[str, ...]
    marks: tuple[Mark, ...]
    wrong: tuple[Span, ...]
    is_thinned: bool = False
    low: float = 0.0
    high: float = 1.0
    others: tuple[Lane, ...] = ()


@record
class Measured:
    """A time that was measured, from one event to another; ``text`` says how long, or what is wrong."""

    begin: int
    end: int
    is_right: bool
    text: str


@record
class Dimension:
    """A timing row: its name, its limits in words, what was measured, and the paths of the signals that it measures."""

    name: str
    limits: str
    spans: tuple[Measured, ...]
    paths: tuple[str, ...] = ()


@record
class Held:
    """A rule, and the time at which it broke, if it did."""

    text: str
    broken: int | None


@record
class Diagram:
    """Lanes between two times in ns. ``rows`` are the times of the rows of a table, ``idle`` the spans in which no scan
    ran.

    ``fault`` is when the run stopped at one, and what it was. ``cuts`` are long stretches in which nothing changes but
    times that run.
    """

    title: str
    begin: int
    end: int
    lanes: tuple[Lane, ...]
    dimensions: tuple[Dimension, ...]
    rules: tuple[Held, ...]
    rows: tuple[int, ...]
    idle: tuple[Span, ...]
    fault: tuple[int, str] | None
    cuts: tuple[Span, ...]


def diagram(
    title: str,
    tracks: Mapping[str, Track],
    span: Span,
    marks: Mapping[str, Sequence[Mark]],
    dimensions: Sequence[Dimension] = (),
    rules: Sequence[Held] = (),
    rows: Sequence[int] = (),
    idle: Sequence[Span] = (),
    fault: tuple[int, str] | None = None,
    cuts: bool = True,
    together: Sequence[Sequence[str]] = (),
) -> Diagram:
    """The diagram of some tracks in a span of time; neighbours of one instance stand together, the inputs first.

    With ``cuts`` long stretches in which nothing changes but times that run are cut. Numbers whose paths stand
    ``together`` share a lane.
    """
    ordered = _in_groups(list(tracks.values()))
    groups, names = grouped([track.path for track in ordered])
    made = [
        (_lane(track, group, name, marks.get(track.path, ()), *span), track)
        for track, group, name in zip(ordered, groups, names, strict=True)
    ]
    lanes = _joined(_scaled(made), together)
    inside = tuple(row for row in rows if span[0] <= row < span[1])
    found = Diagram(title, *span, lanes, tuple(dimensions), tuple(rules), inside, tuple(idle), fault, ())
    return replaced(found, cuts=tuple(_cuts(found))) if cuts else found


def _scaled(made: Sequence[tuple[Lane, Track]]) -> list[Lane]:
    """Lanes with what they reach from and to. Numbers of one unit that stand side by side share a scale, and so do
    times; what has no range of its own is not stretched so far that a little noise fills the lane.
    """
    shared: list[list[float]] = []  # by lane what it reaches, one list for those that share it
    kinds = [(lane.kind, lane.is_time, lane.unit) for lane, _ in made]
    for number, (lane, track) in enumerate(made):
        is_alike = number > 0 and kinds[number] == kinds[number - 1] and (lane.is_time or lane.unit != "")
        shared.append(shared[-1] if is_alike else [])
        shared[-1].extend(_ends(lane, track) if lane.kind == "number" else ())
    return [
        replaced(lane, low=min(ends), high=max(ends)) if ends else lane
        for (lane, _), ends in zip(made, shared, strict=True)
    ]


def _ends(lane: Lane, track: Track) -> list[float]:
    """What a lane has to reach by itself."""
    wanted = [mark.level for mark in lane.marks if not mark.is_right and mark.level is not None]
    ends = [*bounds(lane), *(level for level in wanted if level - level == 0)]
    if track.range is not None:
        return [*ends, *map(float, track.range)]
    low, high = min(ends), max(ends)
    least = 0.0 if lane.is_time or float(high - low).is_integer() else _FLATTEST * max(abs(low), abs(high))
    spare = max(least - (high - low), 0.0) / 2
    return [low - spare, high + spare]


def _joined(lanes: Sequence[Lane], together: Sequence[Sequence[str]]) -> tuple[Lane, ...]:
    """Lanes with those in one that stand together, at the place of the first of them."""
    owner = {path.upper(): group[0].upper() for group in together for path in group}
    found: dict[str, list[Lane]] = {}
    for lane in lanes:
        key = lane.path.upper()
        found.setdefault(owner.get(key, key), []).append(lane)
    made: list[Lane] = []
    for first, *others in found.values():
        if others:
            low, high = min(each.low for each in (first, *others)), max(each.high for each in (first, *others))
            others = [replaced(each, low=low, high=high) for each in others]
            first = replaced(first, low=low, high=high, others=tuple(others))
        made.append(first)
    return tuple(made)


def _in_groups(tracks: Sequence[Track]) -> list[Track]:
    """Tracks with the inputs first, those of one instance together, in their order otherwise."""
    first: dict[str, int] = {}
    for number, track in enumerate(tracks):
        first.setdefault(owner_of(track.path), number)
    return sorted(tracks, key=lambda track: (not track.is_driven, (owner := owner_of(track.path)) != "", first[owner]))


def _lane(track: Track, group: str, name: str, marks: Sequence[Mark], begin: int, end: int) -> Lane:
    first, last = max(bisect_right(track.times, begin) - 1, 0), bisect_left(track.times, end)
    kind, kept = _kind(track), track.plain[first:last]
    starts = tuple(max(int(time), begin) for time in track.times[first:last])
    inside = tuple(mark for mark in marks if mark.time < end and mark.until > begin)
    if kind == "states":  # a name has no height
        inside = tuple(replaced(mark, level=None) for mark in inside)
    inside = tuple(mark if mark.is_right else replaced(mark, got=_got(track, mark, starts, kept)) for mark in inside)
    return Lane(
        track.path,
        group,
        name,
        kind,
        track.is_driven,
        isinstance(track.type, Elementary) and track.type.family == "duration",
        track.unit,
        starts,
        () if kind == "states" else tuple(map(float, kept)),
        tuple(_text(track, value) for value in kept) if kind == "states" else (),
        inside,
        tuple(_wrong(inside, starts, kept, end)),
        track.is_thinned,
    )


def bounds(lane: Lane) -> tuple[float, float]:
    """The least and the greatest number of a lane; what is infinite, or no number, does not count."""
    finite = [value for value in lane.values if value - value == 0] or [0.0]
    return min(finite), max(finite)


def sides(lane: Lane) -> list[str]:
    """The least and the greatest number of a lane, as they stand at its side."""
    if lane.kind != "number" or not lane.starts:
        return []
    return list(dict.fromkeys(level_text(lane, level) for level in (lane.low, lane.high)))


def level_text(lane: Lane, value: float) -> str:
    """A number at the side of a lane, rounded to what can be seen there, with its unit; whole numbers in full."""
    if lane.is_time:
        return shown_duration(int(value))
    span = lane.high - lane.low
    if value.is_integer() and abs(value) < 1e16:
        text = f"{value:.0f}"
    elif 0 < span < 1e9 and abs(value) < 1e9:
        text = f"{value:.{max(0, min(9, ceil(-log10(span / _SEEN))))}f}"
        text = text.rstrip("0").rstrip(".") if "." in text else text
    else:
        text = f"{value:.4g}"
    return f"{text} {lane.unit}" if lane.unit else text


def _got(track: Track, mark: Mark, starts: Sequence[int], values: Sequence[Value]) -> str:
    """The first wrong value where something was expected."""
    first = max(bisect_right(starts, mark.time) - 1, 0)
    last = max(bisect_left(starts, mark.until), first + 1)
    found = next((value for value in values[first:last] if not mark.check.holds(value)), None)
    return "" if found is None else _text(track, found)


def _text(track: Track, value: Value) -> str:
    if track.names and isinstance(value, int) and value in track.names:
        return track.names[value]
    return str(value) if track.type is None else shown(value, track.type)


def _kind(track: Track) -> Kind:
    type_ = track.type
    if not isinstance(type_, Elementary) or isinstance(type_, Enumeration) or track.names:
        return "states"
    if type_.family == "bool":
        return "step" if track.is_step else "bool"
    return "number" if type_.family in ("signed", "unsigned", "real", "duration") else "states"


def _wrong(marks: Sequence[Mark], starts: Sequence[int], values: Sequence[Value], end: int) -> Iterator[Span]:
    """The spans in which a value is not as it is expected."""
    for mark in marks:
        if mark.is_right:
            continue
        inner = starts[bisect_right(starts, mark.time) : bisect_left(starts, mark.until)]
        for begin, until in pairwise([mark.time, *inner, min(mark.until, end)]):
            place = bisect_right(starts, begin) - 1
            if place >= 0 and not mark.check.holds(values[place]):
                yield begin, until


# --- stretches that are cut ---


def _cuts(shown_one: Diagram) -> list[Span]:
    """The stretches in which nothing changes but times that run: each that takes most of what the longer ones leave of
    a diagram, and several that are as long, where each is longer than all that happens together.
    """
    moments, rest = sorted(_moments(shown_one)), shown_one.end - shown_one.begin
    if len(moments) < _FEWEST:
        return []
    spans = sorted(((b - a, a) for a, b in pairwise(moments)), reverse=True)
    left, most = rest, 0
    for number, (length, _) in enumerate(spans, start=1):
        is_most = most == number - 1 and length > _LONG * left
        left -= length
        others = spans[number:]
        is_one_of_many = len(others) >= _FEWEST and length >= _LONGER * others[0][0] and length > left
        if left and (is_most or is_one_of_many):
            most, rest = number, left
    found = [(begin, begin + length) for length, begin in spans[:most]]
    margin = int(_MARGIN * rest)
    return sorted((begin + margin, end - margin) for begin, end in found if end - begin > 4 * margin)


def _moments(shown_one: Diagram) -> set[int]:
    """The times at which something happens; that a time runs on is nothing."""
    found = {shown_one.begin, shown_one.end, *shown_one.rows}
    for lane in shown_one.lanes:
        if lane.kind == "number" and lane.is_time:
            falls = [lane.starts[i] for i in range(1, len(lane.starts)) if lane.values[i] < lane.values[i - 1]]
            found |= {*falls, *lane.starts[:2], *lane.starts[-1:]}
        else:
            found.update(lane.starts)
    found |= {time for row in shown_one.dimensions for each in row.spans for time in (each.begin, each.end)}
    found |= {time for idle in shown_one.idle for time in idle}
    found |= {rule.broken for rule in shown_one.rules if rule.broken is not None}
    found |= {shown_one.fault[0]} if shown_one.fault else set()
    return {time for time in found if shown_one.begin <= time <= shown_one.end}


class Axis:
    """Where times lie across a diagram, from 0.0 to 1.0: evenly, but for the stretches that are cut, which are all as
    narrow.
    """

    def __init__(self, shown_one: Diagram) -> None:
        edges = [
            shown_one.begin,
            *(time for cut in shown_one.cuts for time in cut),
            max(shown_one.end, shown_one.begin + 1),
        ]
        cut = set(shown_one.cuts)
        spans = list(pairwise(edges))
        self.shown = sum(b - a for a, b in spans if (a, b) not in cut)
        room = 1 - _CUT_TO * len(cut)
        self._times, self._places, place = [edges[0]], [0.0], 0.0
        for a, b in spans:
            place += _CUT_TO if (a, b) in cut else room * (b - a) / self.shown
            self._times.append(b)
            self._places.append(place)
        self.open = [span for span in spans if span not in cut]

    def place(self, time: float) -> float:
        """Where a time lies."""
        number = min(max(bisect_right(self._times, time), 1), len(self._times) - 1)
        a, b = self._times[number - 1], self._times[number]
        low, high = self._places[number - 1], self._places[number]
        return low + (high - low) * (time - a) / (b - a)

    def widest(self, begin: int, end: int) -> tuple[float, float]:
        """Where the widest part of a span lies that no cut is in: a name stands there."""
        parts = [(max(begin, a), min(end, b)) for a, b in self.open if a < end and b > begin] or [(begin, end)]
        places = [(self.place(a), self.place(b)) for a, b in parts]
        return max(places, key=lambda part: part[1] - part[0])

    def time(self, place: float) -> int:
        """The time that lies at a place."""
        number = min(max(bisect_right(self._places, place), 1), len(self._places) - 1)
        low, high = self._places[number - 1], self._places[number]
        a, b = self._times[number - 1], self._times[number]
        return a + round((b - a) * (place - low) / (high - low))

    def edges(self, count: int) -> list[int]:
        """The times between so many spans of one width."""
        return [self.time(number / count) for number in range(count + 1)]

    def ticks(self, most: int) -> list[int]:
        """At most about so many round times, as far as they lie apart."""
        step = tick_step(self.shown, most)
        times = [time for a, b in self.open for time in range(-(-a // step) * step, b + 1, step)]
        found: list[int] = []
        for time in times:
            if not found or self.place(time) - self.place(found[-1]) > 0.5 / most:
                found.append(time)
        return found


def tick_step(span: int, most: int) -> int:
    """The least round time of which at most so many fit into a span."""
    steps = [n * 10**power for power in range(9) for n in (1, 2, 5)]
    steps += [n * 10**9 for n in (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 43200)]
    steps += [n * 86_400 * 10**9 for n in (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 50000)]
    return next((step for step in steps if span // step < most), 50_000 * 86_400 * 10**9)


def in_order(shown_one: Diagram) -> list[Lane | Dimension | Held]:
    """What stands below each other: each timing row under the last lane that it measures, the others and the rules
    behind all lanes.
    """
    below: dict[int, list[Dimension]] = {}
    for number, row in zip(places_below(shown_one), shown_one.dimensions, strict=True):
        below.setdefault(number, []).append(row)
    found: list[Lane | Dimension | Held] = []
    for number, lane in enumerate(shown_one.lanes):
        found += [lane, *below.get(number, ())]
    return [*found, *below.get(-1, ()), *shown_one.rules]


def places_below(shown_one: Diagram) -> list[int]:
    """The number of the lane below which each timing row stands, less than zero behind all of them."""
    last = {path.upper(): number for number, lane in enumerate(shown_one.lanes) for path in (lane.path, *_paths(lane))}
    return [
        max((last[path.upper()] for path in row.paths if path.upper() in last), default=-1)
        for row in shown_one.dimensions
    ]


def _paths(lane: Lane) -> list[str]:
    return [other.path for other in lane.others]


def short(text: str, most: int) -> str:
    """A name without its middle where it is too long: its ends tell it from others."""
    if len(text) <= most:
        return text
    behind = (most - 1) // 2
    return f"{text[: most - 1 - behind]}…{text[len(text) - behind :]}"


def binned(lane: Lane, edges: Sequence[int]) -> list[tuple[float, float] | None]:
    """The least and the greatest value of a lane between each two times; None where it has none yet."""
    found: list[tuple[float, float] | None] = []
    for low, high in pairwise(edges):
        first = bisect_right(lane.starts, low) - 1
        last = bisect_left(lane.starts, high)
        inside = lane.values[max(first, 0) : max(last, first + 1)]
        if any(value != value for value in inside):  # what is no number has no order
            inside = tuple(value for value in inside if value == value) or inside
        found.append((min(inside), max(inside)) if inside else None)
    return found
