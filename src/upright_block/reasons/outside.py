"""What nobody in the library decides: what drives a value, holds it, or is its beginning."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from contextlib import suppress

from upright_block.cases.plan import Drive, Insert, ReadyCase
from upright_block.language import typed
from upright_block.language.configured import configured
from upright_block.language.signals import NoSignal, field_signal, find_signal
from upright_block.reasons.past import Past
from upright_block.reasons.tree import Node, Place
from upright_block.reasons.where import Here
from upright_block.reasons.writes import touches
from upright_block.runs.trails import Ran, Write


class Outside:
    """What is outside of a run, of a case where it is one; a rig is, unless somebody goes ``into_rig``."""

    def __init__(self, past: Past, case: ReadyCase | None, *, into_rig: bool) -> None:
        self.past = past
        self.unit, self.plan = past.followed.unit, past.followed.plan
        self.case = case
        self.into_rig = into_rig

    def holds(self, node: Node, here: Here, scan: int) -> bool:
        """Whether a force holds a value, or no scan runs."""
        drive, number = _driving([drive for drive in self.plan.drives if drive.is_force], self._paths(here), scan)
        if drive is not None:
            node.kind, node.wrote = "stimulus" if drive.is_lost else "forced", drive.scans[number]
            is_of_case = self.case is not None and drive in self.case.plan.drives and not drive.is_lost
            node.place = self._row(drive.scans[number]) if is_of_case else None
            return True
        if self.plan.is_idle(scan):
            switched = max(at for at, _ in self.plan.power if at <= scan)
            node.kind, node.wrote, node.place = "power", switched, self._row(switched)
            return True
        return False

    def write_of_rig(self, here: Here, scan: int) -> Write | None:
        """What the rig wrote to give a tag its value in the field, in a scan."""
        trail = self.past.trail(scan)
        writes = (w for w in trail.touching(here.address, here.end, trail.length) if touches(w, here))
        return next((write for write in writes if write.ran is not None and self.is_of_rig(write.ran)), None)

    def is_of_rig(self, ran: Ran) -> bool:
        """Whether a statement is one of the rig around the target, or of what the rig holds."""
        rig = configured(self.unit).rig
        return rig is not None and (ran.run.path == rig.name or ran.run.path.startswith(f"{rig.name}."))

    def _paths(self, here: Here) -> set[str]:
        """The paths by which something may be driven: its own, that of its point, that of what it is a bit of."""
        whole, _, bit = here.path.rpartition(".")
        found = {here.path, *([whole] if here.bit is not None and bit.isdigit() else [])}
        with suppress(NoSignal):
            unit = self.unit
            field = field_signal(unit, find_signal(unit, here.path))
            found |= {field.path} if field is not None else set()
        return found

    def is_from_the_field(self, here: Here) -> bool:
        """Whether a tag has its value from a point of input."""
        with suppress(NoSignal):
            tag = find_signal(self.unit, here.path).tag
            return tag is not None and tag.area == "I"
        return False

    def leaf(self, node: Node, here: Here, scan: int, at: int) -> None:
        """Say what gave a value that no statement wrote."""
        unit, plan = self.unit, self.plan
        try:
            signal = find_signal(unit, here.path)
        except NoSignal:
            node.kind = "initial"
            return
        paths = self._paths(here)
        drive, number = _driving([drive for drive in plan.drives if not drive.is_force], paths, scan)
        inserted = [
            insert.scan for insert in plan.inserts if insert.path in paths and self._is_before(insert, scan, at)
        ]
        if inserted and (drive is None or drive.scans[number] <= inserted[-1]):
            node.kind, node.wrote = "set", inserted[-1]
            return
        if drive is not None:
            node.wrote = drive.scans[number]
            is_of_case = self.case is not None and drive in self.case.plan.drives
            node.place = self._row(drive.scans[number]) if is_of_case else None
            node.kind = "driven" if node.place else "stimulus" if is_of_case else "set"
            return
        variable = signal.variable
        owners = [step.owner for step in signal.steps if isinstance(step, typed.Member)]
        owner = owners[-1] if owners else unit
        source = variable.source or (owner.source if isinstance(owner, (typed.Unit, typed.Structure)) else None)
        node.place = Place(source, variable.start, "") if source is not None and not variable.is_hidden else None
        if any(path in paths for path, _ in plan.given):
            node.kind, node.place = "given", None
        elif (signal.is_driven and signal.tag is None) or (signal.tag is not None and signal.tag.area == "I"):
            node.kind = "rest"
        else:
            node.kind = "initial"
        if signal.tag is not None and signal.tag.source is not None:
            node.place = Place(signal.tag.source, signal.tag.start, "")

    def _is_before(self, insert: Insert, scan: int, at: int) -> bool:
        """Whether something was stored in the middle of a scan before an entry of the trail of a scan."""
        if insert.scan != scan:
            return insert.scan < scan
        return self.past.trail(scan).begun[insert.statement - 1] <= at

    def _row(self, scan: int) -> Place | None:
        """The row of the case that a scan begins with."""
        case = self.case
        if case is None or case.written.vectors is None:
            return None
        rows = case.plan.row_scans
        number = bisect_right(rows, scan) - 1
        if number < 0 or rows[number] != scan:
            return None
        table = case.written.vectors
        return Place(table.source, table.cell(number, 0).start, "")


def _driving(drives: Sequence[Drive], paths: set[str], scan: int) -> tuple[Drive | None, int]:
    """What drives one of some paths in a scan, the last of several, with the number of its value; None also where a
    force was released.
    """
    found: list[tuple[int, Drive, int]] = []
    for drive in drives:
        number = bisect_right(drive.scans, scan) - 1
        if drive.path in paths and number >= 0:
            found.append((drive.scans[number], drive, number))
    _, last, number = max(reversed(found), key=lambda one: one[0], default=(0, None, 0))
    is_free = last is not None and last.is_force and last.values[number] is None
    return None if is_free else last, number
