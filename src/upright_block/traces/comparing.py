"""Two runs compared, signal by signal and scan by scan."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from heapq import merge
from itertools import takewhile

from upright_block.language.literals import Value
from upright_block.language.nodes import record
from upright_block.language.timebase import Timebase
from upright_block.traces.tracks import Track


@record
class Difference:
    """Where a signal is another one for the first time, what it is in both runs, and in how many scans they differ."""

    path: str
    scan: int
    here: Value
    there: Value
    scans: int


@record
class Comparison:
    """What both runs have in their first ``scans``: the ``differences`` in the order of time, and the signals that have
    values at no scan in both.
    """

    differences: tuple[Difference, ...]
    equal: tuple[str, ...]
    only_here: tuple[str, ...]
    scans: int


def compared(here: Mapping[str, Track], there: Mapping[str, Track], timebase: Timebase, scans: int) -> Comparison:
    """Compare two runs in their first scans."""
    differences: list[Difference] = []
    equal: list[str] = []
    for path, own in here.items():
        if path not in there:
            continue
        found, compared_scans = _difference(own, there[path], timebase, scans)
        if found is not None:
            differences.append(found)
        elif compared_scans:
            equal.append(path)
    differences.sort(key=lambda difference: difference.scan)
    told = {*equal, *(difference.path for difference in differences)}
    return Comparison(tuple(differences), tuple(equal), tuple(path for path in here if path not in told), scans)


def _difference(here: Track, there: Track, timebase: Timebase, scans: int) -> tuple[Difference | None, int]:
    """Where the values of two tracks differ, scan by scan, and in how many scans both have one."""
    first: tuple[int, Value, Value] | None = None
    count = both = 0
    begun, a, b = 0, None, None
    for scan, is_here, value in (*_in_order(here, there, timebase, scans), (scans, True, None)):
        if scan > begun and a is not None and b is not None:
            both += scan - begun
            if repr(a) != repr(b):
                first = first or (begun, a, b)
                count += scan - begun
        begun = scan
        a, b = (value, b) if is_here else (a, value)
    return None if first is None else Difference(here.path, *first, count), both


def _in_order(here: Track, there: Track, timebase: Timebase, scans: int) -> Iterator[tuple[int, bool, Value]]:
    """The changes of two tracks in the order of time: the scan, whether it is ``here``, and the value from then on."""

    def changes(track: Track) -> Iterator[tuple[int, bool, Value]]:
        for time, value in zip(track.times, track.plain, strict=True):
            yield timebase.scans_before(int(time)), track is here, value

    return takewhile(lambda step: step[0] < scans, merge(changes(here), changes(there), key=lambda step: step[0]))
