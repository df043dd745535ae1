"""A controller without hardware: a compiled module with memory and a clock."""

from __future__ import annotations

import ctypes
import struct
import time
from bisect import bisect_right
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from typing import TYPE_CHECKING, cast

import wasmtime

from upright_block.compiler import header
from upright_block.compiler.artifact import Artifact, Held, Reachable, Site, Slot
from upright_block.compiler.cache import compiled, engine
from upright_block.compiler.layout import DATA, code
from upright_block.compiler.looking import BEFORE, LEFT, RESTING
from upright_block.language.limits import MOST_TURNS
from upright_block.language.literals import Value
from upright_block.language.nodes import fresh, record
from upright_block.language.signals import NoSignal, Signal
from upright_block.language.timebase import Timebase
from upright_block.language.types import Elementary, String
from upright_block.machine.clock import CLOCK_START
from upright_block.machine.events import Event, align, force_event, store_events
from upright_block.machine.trace import Fault, Trace, Upset
from upright_block.machine.watching import Seen, Spans

if TYPE_CHECKING:
    import numpy as np

    from upright_block.compiler.linking import Bodies
    from upright_block.compiler.program import Program
    from upright_block.machine.events import Power

_PAGE = 65536
_TRAIL = 16 << 20
_LOG = 16 << 20
"""Bytes of changes that are logged before they are looked at."""
_MOST_AT_ONCE = 1 << 20
_MOST_IN_PIECE = 1 << 31
_SLICE = 4096
_LONG_SLICE = 0.05
"""Seconds after which a run comes back to Python for a moment, so that it can be interrupted."""


@record
class Snapshot:
    """All that a machine holds at a moment: its data with the clock and the forces, and whether it runs.

    ``held`` is what its outputs had when it stopped, or lost its power. ``looked`` is what the probes of the artifact
    ``of`` keep. ``clock`` is what the wall clock would have shown at scan 0, where it was set.
    """

    content: bytes
    forces: tuple[bytes, ...] = ()
    idle: int | None = None
    idled: int = 0
    is_stopped: bool = False
    held: list[bytes] = fresh(default_factory=list)
    looked: bytes = b""
    of: Artifact | None = None
    clock: int | None = None


@record
class Reached:
    """What a machine has reached: ``notes`` has a byte for each of the ``points`` of its artifact, 0 for what was
    not.
    """

    points: tuple[tuple[Reachable, str | None] | None, ...]
    notes: bytes

    def __iter__(self) -> Iterator[Reachable]:
        """The points that were reached in any instance, each once."""
        found = (known for known, is_reached in zip(self.points, self.notes, strict=True) if is_reached and known)
        return iter(dict.fromkeys(point for point, _ in found))


class Machine:
    """One program in memory. Not for two threads at once.

    ``timebase`` says when scans start, ``clock_start`` is the wall clock at scan 0 in ns since 1970-01-01.
    """

    timebase = Timebase(100_000_000)
    clock_start = CLOCK_START

    def __init__(
        self,
        artifact: Artifact,
        module: wasmtime.Module | None = None,
        find: Callable[[Signal | str], Slot] | None = None,
    ) -> None:
        """``module`` is the compiled artifact where it is at hand; else it is compiled or taken from the cache.

        ``find`` knows the slots of all signals, as `Program.slot` does; without it there are those that the artifact
        has.
        """
        self.artifact = artifact
        self._find = find
        self._store = wasmtime.Store(engine(artifact.is_large))
        exports = wasmtime.Instance(self._store, module or compiled(artifact.text, artifact.is_large), []).exports(
            self._store
        )
        self._memory = cast("wasmtime.Memory", exports["memory"])
        self._run = cast("wasmtime.Func", exports["run"])
        self._event = cast("wasmtime.Func", exports["event"]) if artifact.forces else None
        self._look = cast("wasmtime.Func", exports["look"])
        self._map()
        self._trail = 0, 0
        self.reset()

    @classmethod
    def of(cls, program: Program, bodies: Bodies | None = None) -> Machine:
        """A machine for a program, which knows all of its signals."""
        from upright_block.compiler.linking import build_artifact

        return cls(build_artifact(program, bodies), find=program.slot)

    def _map(self) -> None:
        """Take hold of the module's memory; needed again whenever it has grown."""
        length = self._memory.data_len(self._store)
        address = ctypes.addressof(self._memory.data_ptr(self._store).contents)
        self._buffer = (ctypes.c_ubyte * length).from_address(address)
        self._bytes = memoryview(self._buffer).cast("B")

    def _reserve(self, end: int) -> None:
        missing = end - len(self._bytes)
        if missing > 0:
            self._bytes.release()
            try:
                self._memory.grow(self._store, -(-missing // _PAGE))
            except wasmtime.WasmtimeError:
                raise MemoryError from None
            self._map()

    @property
    def scan(self) -> int:
        """The number of the next scan; the first is 0."""
        return header.get(self._bytes, "scan")

    def reset(self) -> None:
        """Give every variable its initial value, release all forces and set the clock to zero, with the power on."""
        initial = self.artifact.initial
        self._bytes[DATA : DATA + len(initial)] = initial
        if self.artifact.writers:
            notes = self.artifact.writers + 4 * DATA
            self._bytes[notes : notes + 4 * len(initial)] = bytes(4 * len(initial))
        self._bytes[8:DATA] = bytes(DATA - 8)
        for span in self._of_forces():
            self._bytes[span] = bytes(span.stop - span.start)
        self._idle: int | None = None
        self._idled = 0
        self._clock: int | None = None
        self._is_stopped = False
        self._held: list[bytes] = []

    def snapshot(self) -> Snapshot:
        """What the machine holds now, to come back to with `restore`."""
        artifact = self.artifact
        own, end = DATA + artifact.own, DATA + len(artifact.initial)
        forces = tuple(bytes(self._bytes[span]) for span in self._of_forces())
        idle = self._idle, self._idled, self._is_stopped, self._held
        return Snapshot(bytes(self._bytes[8:own]), forces, *idle, bytes(self._bytes[own:end]), artifact, self._clock)

    def restore(self, snapshot: Snapshot) -> None:
        """Come back to a snapshot, which may be that of another machine with the same subject.

        What keeps values for probes begins anew where other ones look at it.
        """
        self._bytes[8 : 8 + len(snapshot.content)] = snapshot.content
        for number, span in enumerate(self._of_forces()):
            self._bytes[span] = snapshot.forces[number] if snapshot.forces else bytes(span.stop - span.start)
        self._idle, self._idled = snapshot.idle, snapshot.idled
        self._is_stopped, self._held = snapshot.is_stopped, snapshot.held
        self._clock = snapshot.clock
        if snapshot.of is self.artifact:
            own = DATA + self.artifact.own
            self._bytes[own : own + len(snapshot.looked)] = snapshot.looked
        else:
            self.look()

    # --- memory ---

    def slot(self, named: Signal | str) -> Slot:
        """The slot of a signal, or of a path.

        Raises:
            KeyError: the path leads to no single value.
        """
        path = named if isinstance(named, str) else named.path
        slot = self.artifact.slots.get(path) if isinstance(named, str) or self._find is None else None
        if slot is None and self._find is not None:
            with suppress(NoSignal):
                slot = self._find(named)
        if slot is None or not isinstance(slot.type, (Elementary, String)):
            raise KeyError(path)
        return slot

    def read(self, path: str) -> Value:
        """The value at a path: bool, int, float or str; durations in nanoseconds."""
        return self.peek(self.slot(path))

    def write(self, path: str, value: Value) -> None:
        """Store a value at a path."""
        slot = self.slot(path)
        self.poke(slot, slot.encode(value))

    def peek(self, slot: Slot) -> Value:
        """The value of a slot."""
        return slot.decode(self._bytes, DATA + slot.offset)

    def writer(self, slot: Slot) -> Site | None:
        """The statement that wrote a slot last, where the artifact notes it and it was a statement of the library."""
        if not self.artifact.writers:
            return None
        (site,) = struct.unpack_from("<i", self._bytes, self.artifact.writers + 4 * (DATA + slot.offset))
        found = self.artifact.sites[site - 1] if site > 0 else None
        return None if found is None or found.unit.is_standard else found

    def take_notes(self) -> bytes:
        """For each byte of data four that are not 0 where something was written from it on; then they are 0 again."""
        start = self.artifact.writers + 4 * DATA
        end = start + 4 * len(self.artifact.initial)
        notes = bytes(self._bytes[start:end])
        self._bytes[start:end] = bytes(end - start)
        return notes

    def reached(self) -> Reached:
        """The statements and branches that were reached since the machine was made, or forgot them, where the artifact
        notes it.
        """
        start, points = self.artifact.reached, self.artifact.points
        return Reached(points, bytes(self._bytes[start : start + len(points)]))

    def image(self) -> bytes:
        """All of the memory that the program uses, by address."""
        return bytes(self._bytes[: self.artifact.end])

    def trail(self) -> tuple[bytes, bool]:
        """What the scans since the last call of `pieces` left, as ``trail.wat`` has it, and whether that is all."""
        at, size = self._trail
        end = header.get(self._bytes, "trail")
        return bytes(self._bytes[at:end]), end < at + size

    def forget(self) -> None:
        """Forget what was reached."""
        start, count = self.artifact.reached, len(self.artifact.points)
        self._bytes[start : start + count] = bytes(count)

    def poke(self, slot: Slot, content: bytes) -> None:
        """Store the bytes of a value, as `Slot.encode` gives them, in its slot; what is forced there stays, and has
        them when it is released.
        """
        address = DATA + slot.offset
        if self._event is not None:
            for event in store_events(slot, 0, content):
                self._do(event)
        elif slot.bit is not None:
            bits, mask = content[:2]
            self._bytes[address] = self._bytes[address] & ~mask | bits & mask
        else:
            self._bytes[address : address + len(content)] = content

    def data(self) -> bytes:
        """All of the data as it is now."""
        return bytes(self._bytes[DATA : DATA + len(self.artifact.initial)])

    def view(self, path: str) -> np.ndarray:
        """The memory at a path as an array of one element, which changes as the machine runs.

        It holds until the memory grows, that is until the next `run`.
        """
        import numpy as np

        slot = self.slot(path)
        assert isinstance(slot.type, Elementary)
        return np.frombuffer(self._bytes, np.dtype(code(slot.type)), 1, DATA + slot.offset)

    # --- forces ---

    def force(self, slot: Slot, content: bytes) -> None:
        """Hold a slot at a value, against whatever writes it, until it is released; the mode of the artifact has to be
        one with forces.
        """
        self._do(force_event(slot, 0, content, slot.is_driven))

    def release(self, slot: Slot) -> None:
        """End the force on a slot, if there is one. It has what is written next; an input has at once what it was
        driven to.
        """
        if self._event is not None:
            self._do(force_event(slot, 0, None, slot.is_driven))

    def _do(self, event: Event) -> None:
        assert self._event is not None
        self._event(
            self._store,
            event.address,
            event.how,
            int.from_bytes(event.content, "little", signed=len(event.content) == 8),
        )

    def _of_forces(self) -> list[slice]:
        """Where the forces on the data lie: which of its bits are forced, at what, and what inputs have beneath."""
        at, size = self.artifact.forces, DATA + self.artifact.own
        return (
            [slice(at + number * self.artifact.below, at + number * self.artifact.below + size) for number in range(3)]
            if at
            else []
        )

    def _hold(self) -> None:
        """Give what is forced its values again, after all of the data was changed from outside."""
        if not self.artifact.forces:
            return
        mask, held, _ = (int.from_bytes(self._bytes[span], "little") for span in self._of_forces())
        size = DATA + self.artifact.own
        now = int.from_bytes(self._bytes[:size], "little")
        self._bytes[:size] = (now ^ (now ^ held) & mask).to_bytes(size, "little")

    # --- time ---

    def look(self) -> None:
        """Give every probe that is early its value for what the machine holds now, without a scan: what they keep
        begins here.

        One that faults has none yet.
        """
        if not self.artifact.probes:
            return
        phase = self.artifact.phase
        assert phase is not None
        self.poke(phase, phase.encode(BEFORE))
        while True:
            try:
                self._look(self._store)
                break
            except (wasmtime.Trap, wasmtime.WasmtimeError) as trap:
                if self._upset(trap) is None:
                    raise
        self.poke(phase, phase.encode(0))

    def _upset(self, trap: Exception) -> Upset | None:
        """The fault of a probe, or of what keeps values for one; None where another fault stopped the scan."""
        artifact = self.artifact
        done = int(self.peek(artifact.done)) if artifact.done is not None else 0
        if done == 0:
            return None
        step = artifact.steps[done - 1]
        # A rule that faulted says so itself from now on: it is over, and the rest of the scan is looked at without it.
        if step is not None and step[1] is not None:
            self.poke(step[1], step[1].encode(value=True))
        return Upset(None if step is None else step[0], self.scan, self._fault(trap))

    @property
    def powered(self) -> str:
        """Whether it is ``on``, ``off``, or holds its data at ``stop``."""
        return "on" if self._idle is None else "stop" if self._is_stopped else "off"

    def switch(self, power: Power) -> None:
        """Take the power away or bring it back, before the next scan; what of the data is left is `Remains`.

        While it is off or stopped no scan runs, though their moments pass, and the scan clock stands still. Forces on
        outputs rest meanwhile.
        """
        left, data = self.artifact.remains, self._bytes[DATA : DATA + len(self.artifact.initial)]
        if power in ("off", "stop"):
            if self._idle is None:
                self._held, self._idle = (
                    [bytes(data[start : start + len(rest)]) for start, rest in left.rests],
                    self.scan,
                )
            self._is_stopped = power == "stop"
            for start, rest in left.rests:
                data[start : start + len(rest)] = rest
            return
        if self._idle is not None:
            self._idled += self.timebase.time(self.scan) - self.timebase.time(self._idle)
            self._idle = None
        for (start, _), content in zip(left.rests, self._held, strict=False):
            data[start : start + len(content)] = content
        self._held = []
        if power == "run":
            self._hold()
            return
        # What comes from outside is there whatever the controller lost; RETAIN survives the power, but not a cold
        # start.
        spans = (*left.outside, *(left.retained if power == "on" else ()))
        kept = [(start, bytes(data[start:end])) for start, end in spans]
        data[:] = self.artifact.initial
        for start, content in kept:
            data[start : start + len(content)] = content
        self._hold()

    def choose(self, group: int) -> None:
        """Say which group of probes is looked at, by its number."""
        slot = self.artifact.group
        assert slot is not None
        self.poke(slot, slot.encode(group))

    def run(
        self, scans: int, events: Iterable[Event] = (), watched: Iterable[Slot] | None = None, until: Slot | None = None
    ) -> Trace:
        """Run scans ``self.scan`` to ``self.scan + scans - 1`` and keep all that is recorded; see `pieces`.

        All of the data is watched by default.
        """
        first = self.scan
        spans = Spans([(0, len(self.artifact.initial))]) if watched is None else Spans.of(watched)
        packed = b"".join([event.packed() for event in events])
        parts = list(self.pieces(scans, packed, spans, until=until, counts_from=first))
        start, last = (parts[0].start, parts[-1]) if parts else (Seen(Spans(), b""), None)
        log = b"".join([part.log for part in parts])
        fault, stopped = (last.fault, last.is_met) if last else (None, False)
        return Trace(first, self.scan - first, first, first, start, log, fault, stopped)

    def pieces(
        self,
        scans: int,
        events: bytes = b"",
        spans: Spans | None = None,
        ends: Sequence[int] = (),
        until: Slot | None = None,
        counts_from: int | None = None,
        power: Mapping[int, Power] | None = None,
        inserts: Mapping[int, bytes] | None = None,
    ) -> Iterator[Trace]:
        """Run scans ``self.scan`` to ``self.scan + scans - 1`` and give what changed piece by piece.

        A run of any length takes the memory of one piece. ``events`` are packed, in
        the order of their scans. ``spans`` are the parts of the data to watch.
        A piece ends before each scan of ``ends``, which are in order, and where its log is full. A fault ends the
        run early and stands in the last piece, as does that of ``until`` itself, and so does a scan after which
        ``until``, a BOOL, is TRUE. A run that is left in the middle, by whatever exception, goes on with the next one.
        The log counts its scans from ``counts_from``, or for each piece from its first. ``power`` says before which
        scans what is switched, see `switch`. ``inserts`` are, by scan, packed events that are stored in the middle of
        it, each before the statement whose number, from 1, stands for its scan: on a machine that leaves trails.
        """
        power, inserts = power or {}, inserts or {}
        assert self.artifact.has_trail or not inserts
        if power or inserts:
            ends = sorted({*ends, *power, *inserts, *(scan + 1 for scan in inserts)})
        spans = spans or Spans()
        watched, size = spans.words, spans.size
        span_at = align(self.artifact.end)
        copy_at = align(span_at + 16 * len(watched))
        event_at = copy_at + 2 * size
        clock = self.clock_start if self._clock is None else self._clock
        base = self.timebase
        start_at = align(event_at + len(events))
        table = b"" if base.is_even else struct.pack(f"<{len(base.starts)}q", *base.starts)
        log_at = align(start_at + len(table))
        room = min(_LOG, align(2 * scans * size)) + 2 * size
        self._trail = align(log_at + room), _TRAIL if self.artifact.has_trail else 0
        insert_at = sum(self._trail)
        self._reserve(insert_at + max(map(len, inserts.values()), default=0))
        # Words are compared with a copy of theirs, through a mask.
        memory = self._bytes
        if watched:
            memory[copy_at + size : event_at] = spans.mask
            memory[span_at : span_at + 16 * len(watched)] = spans.table(copy_at)
            memory[copy_at : copy_at + size] = spans.content(memory)
        if events:
            memory[event_at : event_at + len(events)] = events
        if table:
            memory[start_at : start_at + len(table)] = table
        begun = first = self.scan
        end, next_event = begun + scans, event_at
        condition = 0 if until is None else DATA + until.offset
        fault: Fault | None = None
        is_met = False
        phase = 0 if self.artifact.phase is None else DATA + self.artifact.phase.offset
        while first < end and fault is None and not is_met:
            wanted = bisect_right(ends, first)
            stop = ends[wanted] if wanted < len(ends) else end
            stop = min(stop, end, first + (_MOST_IN_PIECE if watched else end))
            memory = self._bytes  # whoever took the last piece may have made it grow
            counted = first if counts_from is None else counts_from
            if first in power:
                self.switch(power[first])
            inserted = inserts.get(first, b"")
            if inserted:
                memory[insert_at : insert_at + len(inserted)] = inserted
            start = Seen(spans, bytes(memory[copy_at : copy_at + size]))
            header.fill(
                memory,
                now=base.time(first if self._idle is None else self._idle) - self._idled,
                scan=first,
                turns=MOST_TURNS,
                interval=base.period,
                stop=stop,
                clock=clock + self._idled,
                event=next_event,
                events_end=event_at + len(events),
                condition=condition,
                spans=span_at,
                spans_end=span_at + 16 * len(watched),
                log=log_at,
                log_end=log_at + room - 2 * size,
                base=counted,
                starts=start_at if table else 0,
                starts_count=len(base.starts),
                period=base.period,
                idled=self._idled,
                is_idle=int(self._idle is not None),
                phase=phase,
                has_rig=int(self.artifact.has_rig),
                trail=self._trail[0],
                trail_end=sum(self._trail),
                insert=insert_at,
                inserts_end=insert_at + len(inserted),
            )
            upsets: list[Upset] = []
            fault = self._run_until(stop, log_at + room - 2 * size, upsets, until)
            reached, next_event, met, shown_clock, log_end = header.after(memory)
            is_met = bool(met)
            clock = self._clock = shown_clock - self._idled  # an event may have set it
            log = bytes(memory[log_at:log_end])
            last = Seen(spans, bytes(memory[copy_at : copy_at + size]))
            yield Trace(first, reached - first, begun, counted, start, log, fault, is_met, tuple(upsets), last)
            first = reached

    def _run_until(self, stop: int, log_end: int, upsets: list[Upset], until: Slot | None) -> Fault | None:
        """Run until the scan ``stop``, a full log, a met condition or a fault, and come back now and then on the way.

        A probe that faults is noted, and the run goes on behind it; the condition is one that ends it.
        """
        size = _SLICE
        while True:
            if stop - self.scan > size:
                header.put(self._bytes, "stop", self.scan + size)
            else:
                header.put(self._bytes, "stop", stop)
            began = time.perf_counter()
            try:
                self._run(self._store)
            except (wasmtime.Trap, wasmtime.WasmtimeError) as trap:
                upset = self._upset(trap)
                if upset is None:
                    return self._fault(trap)
                if until is not None and self._is_probe(upset, until):
                    return upset.fault
                upsets += [upset] if upset.probe is not None else []
                header.put(self._bytes, "left", LEFT if self._idle is None else RESTING)
                continue
            took = time.perf_counter() - began
            scan, _, is_met, _, logged = header.after(self._bytes)
            if is_met or logged > log_end or scan >= stop:
                return None
            size = 2 * size if took < _LONG_SLICE / 2 else max(1, size // 2) if took > _LONG_SLICE else size

    def _is_probe(self, upset: Upset, until: Slot) -> bool:
        return upset.probe is not None and self.artifact.probes[upset.probe].offset == until.offset

    def _fault(self, trap: Exception) -> Fault:
        site, address = header.get(self._bytes, "site"), header.get(self._bytes, "instance")
        artifact = self.artifact
        if not site:
            if "stack" not in str(trap):
                raise trap
            return Fault(artifact.begin, self.scan, "")
        place = artifact.sites[site - 1]
        caller = header.get(self._bytes, "caller")
        if place.unit.is_standard and not place.unit.keeps_data and caller:
            called = artifact.sites[caller - 1]
            place = Site(called.unit, called.start, place.kind)
        path = artifact.held.path_to(address - DATA, place.unit.number)
        if path is None:
            path = _deepest(artifact.held, address - DATA)
        return Fault(place, self.scan, path)


def _deepest(held: Held, offset: int) -> str:
    """The innermost instance that begins at ``offset``: a function faulted in a call from there."""
    paths = (held.path_to(offset, unit) for unit in held.units())
    return max((p for p in paths if p is not None), key=lambda p: (p.count("."), len(p)), default="")
