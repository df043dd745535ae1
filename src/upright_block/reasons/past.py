"""What is known of the past of a run: what its scans did, and when values changed and were written."""

from __future__ import annotations

from bisect import bisect_right
from contextlib import suppress
from functools import cached_property

from upright_block.compiler.layout import DATA, layout_of
from upright_block.errors import BadValue
from upright_block.language import typed
from upright_block.language.literals import shown_duration
from upright_block.language.signals import NoSignal, find_signal
from upright_block.reasons import words
from upright_block.reasons.where import Here, Where
from upright_block.reasons.writes import last_write_in
from upright_block.runs.following import Followed
from upright_block.runs.trails import Run, Scan, Write

_MOST_TRIED = 50
_MOST_AROUND = 100


class Past:
    """The past of a run."""

    def __init__(self, followed: Followed) -> None:
        self.followed = followed
        self.where = Where(followed.program)

    def look_at(self, here: Here) -> None:
        """Go through the run to find out when a value changed, with those that it most likely comes from: what the
        statements that wrote it in the first scan had read, and so on.
        """
        found = [here]
        known = {here.path}
        trail, _ = self.followed.scan(0)
        for each in found:
            write = last_write_in(trail, each, trail.length)
            ran = write.ran if write is not None else None
            near = [] if ran is None else [ran, *(inner for run in ran.calls for inner in run.statements)]
            reads = (self.where.at(c.address) for own in near for c in own.values if c.address)
            for read in reads if len(found) < _MOST_AROUND else ():
                if read is not None and read.path not in known:
                    known.add(read.path)
                    found.append(read)
        self.followed.look_at(each.slot for each in found)

    @cached_property
    def instances(self) -> dict[str, tuple[typed.Unit, int]]:
        """The units and the addresses of all instances, by path."""
        return {path: (unit, DATA + offset) for offset, unit, path in self.followed.program.instances()}

    def run_of(self, path: str, scan: int, before: int | None = None) -> Run | None:
        """The last run of the instance at a path in a scan, one that was over before an entry of its trail."""
        unit, address = self.instances.get(path, (None, 0))
        runs = (run for run in reversed(self.trail(scan).runs) if run.unit is unit and run.address == address)
        return next((run for run in runs if before is None or run.end < before), None)

    def trail(self, number: int) -> Scan:
        """What a scan did, all of it."""
        trail, _ = self.followed.scan(number)
        if not trail.is_whole:
            raise BadValue(*words.too_much(shown_duration(self.followed.plan.timebase.time(number))))
        return trail

    def since(self, here: Here, scan: int, at: int) -> int | None:
        """The scan that gave a value that it has before an entry of the trail of a scan."""
        trail = self.trail(scan)
        if here.content(trail, at) != here.content(trail, 0):
            return scan
        changes = self.followed.changes(here.slot)
        before = bisect_right(changes, scan - 1)
        return changes[before - 1] if before else None

    def differs_later(self, here: Here, scan: int, at: int) -> bool:
        """Whether a value is another at the end of a scan than before an entry of its trail."""
        trail = self.trail(scan)
        return here.content(trail, at) != here.content(trail, trail.length)

    def last_write(self, here: Here, scan: int, at: int, since: int | None, is_older: bool) -> tuple[int, Write] | None:
        """The scan and the entry that wrote a value last; of a node's own older value that which began it."""
        trail = self.trail(scan)
        found = last_write_in(trail, here, at)
        if found is not None:
            return scan, found
        number = since if is_older else self.followed.last_write(here.slot, scan)
        for _ in range(_MOST_TRIED):
            if number is None or (since is not None and since > number):
                number = since  # it was driven, or given back after a restart
            if number is None or number >= scan:
                return None
            trail = self.trail(number)
            found = last_write_in(trail, here, trail.length)
            if found is not None or number == since:
                return None if found is None else (number, found)
            number = self.followed.last_write(here.slot, number)  # what was written there were other bits
        return None

    def run_of_standard(self, here: Here, scan: int, at: int) -> tuple[int, Run] | None:
        """The last run of the block of the standard that a value is an output of, with its scan: this one, or the one
        before.
        """
        holder = here.path.rpartition(".")[0]
        unit, address = self.instances.get(holder, (self.followed.unit, 0))
        if not unit.is_of_the_standard or not _is_output(unit, here.address - address):
            return None
        run = self.run_of(holder, scan, at)
        if run is not None or not scan:
            return None if run is None else (scan, run)
        run = self.run_of(holder, scan - 1)
        return None if run is None else (scan - 1, run)

    def not_run(self, holder: str, scan: int) -> tuple[str, str]:
        """Why an instance did not run in a scan: the task of its program was not due, or nothing called it."""
        program = holder.partition(".")[0]
        if self.followed.unit.kind != "CONFIGURATION" or any(run.path == program for run in self.trail(scan).runs):
            return "call", f"{holder} is not called"
        earlier = range(scan - 1, max(scan - _MOST_TRIED, -1) - 1, -1)
        last = next((n for n in earlier if any(run.path == program for run in self.trail(n).runs)), None)
        ran = "" if last is None else f", it ran last at {shown_duration(self.followed.plan.timebase.time(last))}"
        return "task", f"the task of {program} is not due{ran}"

    def is_step(self, path: str) -> bool:
        """Whether a path leads to the flag of a step."""
        with suppress(NoSignal):
            return find_signal(self.followed.unit, path).is_step
        return False


def _is_output(unit: typed.Unit, offset: int) -> bool:
    """Whether an output of a unit lies at an offset from the beginning of its instance."""
    return any(layout_of(unit).offsets[pin] == offset for pin in unit.section("output"))
