"""When scans start: the moments at which something may be due."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from math import gcd, lcm
from typing import TYPE_CHECKING

from upright_block.language.limits import MOST_MOMENTS
from upright_block.language.nodes import record

if TYPE_CHECKING:
    import numpy as np


@record
class Timebase:
    """The starts of the scans of a run, all in ns. Scan 0 starts at 0; after each ``period`` the same ``starts`` come
    again.
    """

    period: int
    starts: tuple[int, ...] = (0,)

    @property
    def is_even(self) -> bool:
        """Whether every scan is as long as any other, ``period``."""
        return len(self.starts) == 1

    def time(self, scan: int) -> int:
        """The start of a scan."""
        turns, place = divmod(scan, len(self.starts))
        return turns * self.period + self.starts[place]

    def times(self, scans: np.ndarray) -> np.ndarray:
        """The starts of many scans."""
        import numpy as np

        turns, places = np.divmod(scans, len(self.starts))
        found: np.ndarray = turns * self.period + np.asarray(self.starts, np.int64)[places]
        return found

    def scans_before(self, time: int) -> int:
        """How many scans start before a time; the number of the first that does not."""
        turns, rest = divmod(time, self.period)
        return turns * len(self.starts) + bisect_left(self.starts, rest)

    def at(self, time: int) -> int | None:
        """The scan that starts at a time, if there is one."""
        scan = self.scans_before(time)
        return scan if self.time(scan) == time else None

    def most_within(self, span: int) -> int:
        """How many scans start within a span at the most, wherever it begins."""
        if self.is_even:
            return -(-span // self.period)
        return max(self.scans_before(start + span) - scan for scan, start in enumerate(self.starts))


def merged(intervals: Sequence[int]) -> Timebase:
    """The moments at which one of several intervals, at least one, begins anew.

    Raises:
        ValueError: there are more than `MOST_MOMENTS` before all begin together again.
    """
    step, period = gcd(*intervals), lcm(*intervals)
    if step in intervals:
        return Timebase(step)
    if sum(period // interval for interval in set(intervals)) > MOST_MOMENTS:
        raise ValueError
    return Timebase(period, tuple(sorted({start for each in intervals for start in range(0, period, each)})))
