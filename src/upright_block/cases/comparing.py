"""Two runs compared, signal by signal and scan by scan."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from heapq import merge
from itertools import takewhile

from upright_block.cases.tracks import Track
from upright_block.language.literals import Value
from upright_block.language.nodes import record
from upright_block.language.timebase import Timebase


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
    """What both runs have in their first ``scans``: the ``differences`` in the order of time, and the signals of one alone."""

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
        found = _difference(own, there[path], timebase, scans)
        if found is None:
            equal.append(path)
        else:
            differences.append(found)
    differences.sort(key=lambda difference: difference.scan)
    return Comparison(tuple(differences), tuple(equal), tuple(path for path in here if path not in there), scans)


def _difference(here: Track, there: Track, timebase: Timebase, scans: int) -> Difference | None:
    """Where the values of two tracks differ, scan by scan; where one of them has none yet they do not."""
    first: tuple[int, Value, Value] | None = None
    count = 0
    begun, a, b = 0, None, None
    for scan, is_here, value in (*_in_order(here, there, timebase, scans), (scans, True, None)):
        if scan > begun and a is not None and b is not None and repr(a) != repr(b):
            first = first or (begun, a, b)
            count += scan - begun
        begun = scan
        a, b = (value, b) if is_here else (a, value)
    return None if first is None else Difference(here.path, *first, count)


def _in_order(here: Track, there: Track, timebase: Timebase, scans: int) -> Iterator[tuple[int, bool, Value]]:
    """The changes of two tracks in the order of time: the scan, whether it is ``here``, and the value from then on."""

    def changes(track: Track) -> Iterator[tuple[int, bool, Value]]:
        for time, value in zip(track.times, track.plain, strict=True):
            yield timebase.scans_before(int(time)), track is here, value

    return takewhile(lambda step: step[0] < scans, merge(changes(here), changes(there), key=lambda step: step[0]))
