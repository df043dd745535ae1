"""What signals did over time: a track each, gathered while a run goes on, in bounded memory where that is asked for."""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Iterator, Mapping, Sequence
from datetime import timedelta
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

from upright_block.cases.cells import duration
from upright_block.compiler.layout import code
from upright_block.errors import BadValue, NotRunnable
from upright_block.language.limits import MOST_ROWS
from upright_block.language.literals import Value, shown
from upright_block.language.nodes import fresh, record
from upright_block.language.signals import Signal
from upright_block.language.timebase import Timebase
from upright_block.language.typed import Unit
from upright_block.language.types import Elementary, Enumeration, Subrange, Type
from upright_block.language.views.states import names_of
from upright_block.machine.trace import Trace
from upright_block.traces import words

if TYPE_CHECKING:
    import numpy as np

    from upright_block.compiler.artifact import Slot


_BRACKETS = re.compile(r"\[([^\[\]]{1,12})\]")


@record
class Track:
    """A signal over time: ``times`` in ns, and from each of them on the one of ``values`` at its place.

    One that ``is_thinned`` had too many changes to be kept: of those within an equal span of time it has the first, the
    least, the greatest and the last. ``unit`` is that of a tag, or stands in brackets in the comment of a variable
    (``[degC]``); ``range`` is what the value can be, of a tag with a scale and of a subrange. ``names`` has those of
    values that are states, ``is_step`` says that it is the flag of a step; of a file there may be no ``type``. It
    unpacks into two arrays of shape ``(changes,)``, times and values.
    """

    path: str
    type: Type | None
    times: Sequence[int]
    values: Sequence[Value]
    is_driven: bool = False
    unit: str = ""
    is_step: bool = False
    is_thinned: bool = False
    names: Mapping[int, str] = fresh(default_factory=dict)
    range: tuple[float, float] | None = None

    @property
    def plain(self) -> list[Value]:
        """Its values as a list of bool, int, float or str."""
        return self.values if isinstance(self.values, list) else cast("np.ndarray", self.values).tolist()

    def __iter__(self) -> Iterator[np.ndarray]:
        import numpy as np

        yield np.asarray(self.times, np.int64)
        presented = [shown(value, self.type) for value in self.values] if isinstance(self.type, Enumeration) else None
        yield np.asarray(self.values if presented is None else presented, _dtype(self.type))


class Tracks(dict[str, Track]):
    """Tracks by path, in the order in which they were asked for; ``end`` is that of the run, in ns, ``unit`` the name
    of what ran.
    """

    def __init__(self, tracks: Sequence[Track], end: int, unit: str = "") -> None:
        super().__init__((track.path, track) for track in tracks)
        self.end = end
        self.unit = unit

    def write(self, file: Path | str) -> None:
        """Write a trace file: ``.csv``, which a case reads again as its vectors, or ``.vcd`` for waveform viewers.

        Raises:
            BadValue: the file is neither, or a track is thinned.
            NotRunnable: it cannot be written.
        """
        from upright_block.traces.tracefile import write_tracks
        from upright_block.version import VERSION

        try:
            write_tracks(Path(file), self, VERSION)
        except OSError as problem:
            raise NotRunnable(*words.trace_not_written(file, problem.strerror)) from None

    def frame(self, every: str | int | timedelta | None = None) -> Any:
        """A pandas frame: a column each, a row for each time at which one of them has another value; with ``every``, a
        duration such as ``"1s"``, an int in ns or a timedelta, a row for each multiple of it before the end.

        Its index are the times as timedeltas; before its first value a track has none there.

        Raises:
            NotRunnable: pandas is not installed.
            BadValue: ``every`` is no duration, or the frame would have more than 10,000,000 rows.
        """
        try:
            pandas: Any = import_module("pandas")
        except ImportError:
            raise NotRunnable(*words.no_pandas()) from None
        columns = {}
        for track in self.values():
            times, values = track
            columns[track.path] = pandas.Series(values, pandas.to_timedelta(times, unit="ns"))
        frame = pandas.DataFrame(columns).ffill()
        if every is not None:
            frame = frame.reindex(pandas.to_timedelta(self._moments(duration(every)), unit="ns"), method="ffill")
        return frame.astype({path: s.dtype for path, s in columns.items() if not frame[path].isna().any()})

    def _moments(self, period: int) -> np.ndarray:
        import numpy as np

        count = -(-self.end // period)
        if count > MOST_ROWS:
            raise BadValue(*words.too_many_rows(count, MOST_ROWS))
        return np.arange(count, dtype=np.int64) * period


class Gatherer:
    """Takes the pieces of a run of a unit, and has the tracks of some signals from them, between two scans.

    Of a signal with more than ``most`` changes as few are kept, so that memory is bounded, see `Track`.
    """

    def __init__(
        self,
        unit: Unit,
        signals: Sequence[Signal],
        slots: Sequence[Slot],
        timebase: Timebase,
        most: int | None = None,
        begin: int = 0,
        end: int | None = None,
    ) -> None:
        self._timebase = timebase
        self._begin = begin
        self._end = end
        self._unit = unit
        self._grown = [_Grown(signal, slot, most) for signal, slot in zip(signals, slots, strict=True)]

    @property
    def slots(self) -> list[Slot]:
        """What must be watched."""
        return [grown.slot for grown in self._grown]

    def take(self, piece: Trace, end: int | None = None) -> None:
        """Take in a piece, or its scans before ``end``."""
        first = max(piece.first, self._begin)
        last = min(limit for limit in (piece.end, self._end, end) if limit is not None)
        if first < last:
            for grown in self._grown:
                grown.add(*piece.history(grown.slot), first, last)

    @property
    def most(self) -> int:
        """How many changes the signal has of which most are kept."""
        return max((grown.count for grown in self._grown), default=0)

    def tracks(self, end: int) -> Tracks:
        """What was gathered until now, of a run that ended at ``end``, in ns."""
        return Tracks([grown.track(self._timebase, self._unit) for grown in self._grown], end, self._unit.name)


class _Grown:
    """What a signal did until now: its scans and values in parts, lists or arrays as a trace gives them."""

    def __init__(self, signal: Signal, slot: Slot, most: int | None) -> None:
        self.signal = signal
        self.slot = slot
        self.most = most
        self.parts: list[tuple[Any, Any]] = []
        self.count = 0
        self.width = 1

    def add(self, scans: Any, values: Any, first: int, last: int) -> None:
        """The values in some scans, of a history."""
        begin = bisect_right(scans, first)
        end = bisect_left(scans, last)
        before = values[begin - 1]
        if not self.parts or not _is_same(self.parts[-1][1][-1], before):
            self.parts.append(([first], [before if isinstance(values, list) else before.item()]))
            self.count += 1
        if end > begin:
            self.parts.append((scans[begin:end], values[begin:end]))
            self.count += end - begin
        if self.most is not None and self.count > self.most:
            self._thin(self.most)

    def _thin(self, most: int) -> None:
        """Keep less, so that at most half of what may be kept is."""
        import numpy as np

        scans = np.concatenate([np.asarray(part, np.int64) for part, _ in self.parts])
        values = np.concatenate([np.asarray(part, _dtype(self.slot.type)) for _, part in self.parts])
        while True:
            bins = scans // self.width
            spans = 1 + int(np.count_nonzero(bins[1:] != bins[:-1]))
            if 4 * spans <= most // 2:  # at most four of each span are kept
                break
            self.width *= 2
        scans, values = _thinned(scans, values, self.width)
        self.parts = [(scans, values)]
        self.count = len(scans)

    def track(self, timebase: Timebase, unit: Unit) -> Track:
        """The track of it, in a run of a unit."""
        signal = self.signal
        if all(isinstance(scans, list) for scans, _ in self.parts):
            times: Any = [timebase.time(scan) for scans, _ in self.parts for scan in scans]
            values: Any = [value for _, part in self.parts for value in part]
        else:
            import numpy as np

            scans = np.concatenate([np.asarray(part, np.int64) for part, _ in self.parts])
            times = timebase.times(scans)
            values = np.concatenate([np.asarray(part, _dtype(signal.type)) for _, part in self.parts])
        is_thinned, names = self.width > 1, names_of(unit, signal)
        return Track(
            signal.path,
            signal.type,
            times,
            values,
            signal.is_driven,
            _unit(signal),
            signal.is_step,
            is_thinned,
            names,
            _range(signal),
        )


def _unit(signal: Signal) -> str:
    """The unit of a tag, or what stands in brackets in the comment of a variable."""
    if signal.tag is not None and signal.tag.text("unit"):
        return signal.tag.text("unit")
    found = _BRACKETS.search(signal.variable.comment)
    return found[1].strip() if found and signal.type is signal.variable.type else ""


def _range(signal: Signal) -> tuple[float, float] | None:
    """What a value can be, where that is less than its type says."""
    if signal.tag is not None and signal.tag.scale is not None and not signal.steps:
        return min(signal.tag.scale.low, signal.tag.scale.high), max(signal.tag.scale.low, signal.tag.scale.high)
    return (signal.type.low, signal.type.high) if isinstance(signal.type, Subrange) else None


def _is_same(a: Any, b: Any) -> bool:
    """Whether two values are one; also two that are no number, but not the two zeros."""
    return repr(a.item() if hasattr(a, "item") else a) == repr(b.item() if hasattr(b, "item") else b)


def _dtype(type_: Type | None) -> Any:
    """The type of the elements of an array of values; texts, and the names of enumerations, are objects."""
    import numpy as np

    if not isinstance(type_, Elementary) or isinstance(type_, Enumeration) or type_.family == "char":
        return np.dtype(object)
    return np.dtype(code(type_))


def _thinned(scans: np.ndarray, values: np.ndarray, width: int) -> tuple[np.ndarray, np.ndarray]:
    """Of the values within each ``width`` scans the first, the least, the greatest and the last."""
    import numpy as np

    bins = scans // width
    starts = np.flatnonzero(np.concatenate([[True], bins[1:] != bins[:-1]]))
    ends = np.concatenate([starts[1:], [len(bins)]])
    kept = [starts, ends - 1]
    if values.dtype != object:
        whole = values.view(np.uint8) if values.dtype == bool else values
        for extreme in (np.fmin, np.fmax):
            found = np.repeat(extreme.reduceat(whole, starts), ends - starts)
            places = np.flatnonzero(whole == found)
            kept.append(
                places[np.concatenate([[True], bins[places[1:]] != bins[places[:-1]]])] if len(places) else places
            )
    is_kept = np.zeros(len(scans), bool)
    is_kept[np.concatenate(kept)] = True
    return scans[is_kept], values[is_kept]
