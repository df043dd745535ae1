"""What was done to a machine from outside: values that were set, forces, the power."""

from __future__ import annotations

from bisect import bisect_right, insort
from collections.abc import Iterable

from upright_block.cases.plan import Insert
from upright_block.language.literals import Value
from upright_block.language.nodes import record


@record
class Act:
    """What was done from outside before a scan: a value that was ``set``, a ``force`` (None ends it), or ``power``,
    with its word for the path.

    One that acts in the middle of the scan does so before the ``statement`` with that number, from 1; 0 is before all.
    It was ``made`` at such a moment too, which may be earlier.
    """

    scan: int
    kind: str
    path: str
    value: Value | None
    statement: int = 0
    made: tuple[int, int] = 0, 0


class Acts(list[Act]):
    """Acts in the order in which they were made; those that act later, or in the middle of a scan, are found by it, so
    that a long run does not go through all of them before each scan.
    """

    def __init__(self, acts: Iterable[Act] = ()) -> None:
        super().__init__()
        self._later: dict[int, list[Act]] = {}
        self._scans: list[int] = []
        self.extend(acts)

    def append(self, act: Act) -> None:
        """Add one."""
        super().append(act)
        if act.statement or act.made < (act.scan, 0):
            if act.scan not in self._later:
                insort(self._scans, act.scan)
            self._later.setdefault(act.scan, []).append(act)

    def extend(self, acts: Iterable[Act]) -> None:
        """Add some."""
        for act in acts:
            self.append(act)

    def later_at(self, scan: int) -> list[Act]:
        """Those that act in a scan, or before it, and were not done when they were made."""
        return self._later.get(scan, [])

    def next_after(self, scan: int) -> int | None:
        """The next scan behind one for which there are some."""
        at = bisect_right(self._scans, scan)
        return self._scans[at] if at < len(self._scans) else None


def inserts_of(acts: Iterable[Act]) -> list[Insert]:
    """What was stored in the middle of scans."""
    return [
        Insert(act.scan, act.statement, act.path, act.value) for act in acts if act.statement and act.value is not None
    ]
