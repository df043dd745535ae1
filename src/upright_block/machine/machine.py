"""A controller without hardware: a compiled module with memory and a clock."""

from __future__ import annotations

import ctypes
import struct
from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING, cast

import wasmtime

from upright_block.compiler.cache import compiled, engine
from upright_block.compiler.image import Image, Site
from upright_block.compiler.layout import (
    DATA,
    FORCES,
    Slot,
    closure,
    code,
    decode,
    encode,
    find_slot,
    instance_at,
)
from upright_block.language.limits import MOST_TURNS
from upright_block.language.literals import Value
from upright_block.language.types import Elementary
from upright_block.machine.clock import CLOCK_START
from upright_block.machine.events import FORCE_SIZE, Event, align
from upright_block.machine.trace import Fault, Trace

if TYPE_CHECKING:
    import numpy as np

_PAGE = 65536
_LOG = 16 << 20
"""Bytes of changes that are logged before they are looked at."""
_MOST_AT_ONCE = 1 << 20
_HEADER = struct.Struct("<q i i i 4x q i i i i i i i i i i q")


class Machine:
    """One program in memory. Not for two threads at once."""

    def __init__(self, image: Image, module: wasmtime.Module | None = None) -> None:
        """``module`` is the compiled image where it is at hand; else it is compiled or taken from the cache."""
        self.image = image
        self._store = wasmtime.Store(engine(image.is_large))
        exports = wasmtime.Instance(self._store, module or compiled(image.text, image.is_large), []).exports(
            self._store
        )
        self._memory = cast("wasmtime.Memory", exports["memory"])
        self._run = cast("wasmtime.Func", exports["run"])
        self._map()
        self.reset()

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

    def reset(self) -> None:
        """Give every variable its initial value and set the clock to zero."""
        initial = self.image.initial
        self._bytes[DATA : DATA + len(initial)] = initial
        if self.image.writers:
            at = self.image.writers + 4 * DATA
            self._bytes[at : at + 4 * len(initial)] = bytes(4 * len(initial))
        self.scan = 0

    # --- memory, by path ---

    def slot(self, path: str) -> Slot:
        """The slot of a dotted path.

        Raises:
            KeyError: the path leads to no elementary variable.
        """
        found = find_slot(self.image.root, path)
        if found is None:
            raise KeyError(path)
        return found

    def read(self, path: str) -> Value:
        """The value at a path: bool, int, float or str; durations in nanoseconds."""
        return self.peek(self.slot(path))

    def write(self, path: str, value: Value) -> None:
        """Store a value at a dotted path."""
        slot = self.slot(path)
        self.poke(slot, encode(value, slot.type))

    def peek(self, slot: Slot) -> Value:
        """The value of a slot."""
        return decode(self._bytes, DATA + slot.offset, slot.type)

    def writer(self, slot: Slot) -> Site | None:
        """The statement that wrote a slot last, where the image notes it and it was a statement of the library."""
        if not self.image.writers:
            return None
        site = self._int(self.image.writers + 4 * (DATA + slot.offset))
        found = self.image.sites[site - 1] if site else None
        return None if found is None or found.unit.is_standard else found

    def poke(self, slot: Slot, content: bytes) -> None:
        """Store the bytes of a value in its slot."""
        at = DATA + slot.offset
        self._bytes[at : at + len(content)] = content

    def view(self, path: str) -> np.ndarray:
        """The memory at a dotted path as an array of one element, which changes as the machine runs.

        It holds until the memory grows, that is until the next `run`.
        """
        import numpy as np

        slot = self.slot(path)
        assert isinstance(slot.type, Elementary)
        return np.frombuffer(self._bytes, np.dtype(code(slot.type)), 1, DATA + slot.offset)

    # --- time ---

    def run(
        self,
        scans: int,
        interval: int,
        events: Iterable[Event] = (),
        forces: int = 0,
        spans: Iterable[tuple[int, int]] | None = None,
        clock_start: int = CLOCK_START,
    ) -> Trace:
        """Run scans ``self.scan`` to ``self.scan + scans - 1`` and keep all that is recorded; see `pieces`.

        ``spans`` is all of the data by default.
        """
        first = self.scan
        recorded = [(0, len(self.image.initial))] if spans is None else list(spans)
        packed = b"".join([event.packed() for event in events])
        parts = list(self.pieces(scans, interval, packed, forces, recorded, clock_start))
        start, fault = (parts[0].start, parts[-1].fault) if parts else ({}, None)
        log = b"".join([part.log for part in parts])
        return Trace(first, self.scan - first, first, interval, start, log, fault)

    def pieces(
        self,
        scans: int,
        interval: int,
        events: bytes = b"",
        forces: int = 0,
        spans: Sequence[tuple[int, int]] = (),
        clock_start: int = CLOCK_START,
        ends: Sequence[int] = (),
    ) -> Iterator[Trace]:
        """Run scans ``self.scan`` to ``self.scan + scans - 1`` and give what changed piece by piece.

        A run of any length takes the memory of one piece. ``interval`` is the scan time in ns; scan k starts at
        k * interval. ``events`` are packed, in the order of their scans. ``forces`` is the number of force
        slots, which events switch (see `events.force_events`). ``spans`` are the parts (offset, length) of the
        data to watch. ``clock_start`` is the wall clock at scan 0, in ns since 1970-01-01.
        A piece ends before each scan of ``ends``, which are in order, and where its log is full. A fault ends the
        run early and stands in the last piece.
        """
        watched = _words(spans)
        size = sum(end - start for start, end in watched)
        force_end = FORCES + forces * FORCE_SIZE
        span_at = align(self.image.end)
        copy_at = align(span_at + 16 * len(watched))
        event_at = copy_at + 2 * size
        log_at = align(event_at + len(events))
        room = min(_LOG, align(2 * scans * size)) + 2 * size
        self._reserve(log_at + room)
        self._bytes[FORCES:force_end] = bytes(force_end - FORCES)
        at, masks = copy_at, []
        self._bytes[copy_at + size : event_at] = bytes(size)
        for number, (start, end) in enumerate(watched):
            struct.pack_into("<iiii", self._bytes, span_at + 16 * number, start, end, at, at + size)
            self._bytes[at : at + end - start] = self._bytes[start:end]
            masks.append(at + size - start)
            at += end - start
        starts = [start for start, _ in watched]
        for offset, length in spans:
            mask = DATA + offset + masks[bisect_right(starts, DATA + offset) - 1]
            self._bytes[mask : mask + length] = b"\xff" * length
        self._bytes[event_at : event_at + len(events)] = events
        first, done, next_event, fault = self.scan, 0, event_at, None
        while done < scans and fault is None:
            wanted = bisect_right(ends, first + done)
            stop = min([scans, done + _MOST_AT_ONCE, *(end - first for end in ends[wanted : wanted + 1])])
            start_words = self._copied(watched, copy_at)
            _HEADER.pack_into(
                self._bytes, 8, first * interval, first + done, 0, 0, interval, first + stop, next_event,
                event_at + len(events), FORCES, force_end, span_at, span_at + 16 * len(watched), log_at, MOST_TURNS,
                log_at + room - 2 * size, clock_start,
            )  # fmt: skip
            try:
                self._run(self._store)
            except (wasmtime.Trap, wasmtime.WasmtimeError) as trap:
                fault = self._fault(trap)
            reached, next_event = self._int(16) - first, self._int(44)
            log = bytes(self._bytes[log_at : self._int(68)])
            self.scan = first + reached
            yield Trace(first + done, reached - done, first, interval, start_words, log, fault)
            done = reached

    def _copied(self, watched: Sequence[tuple[int, int]], at: int) -> dict[int, int]:
        """The watched words as they were last looked at, by their address."""
        found: dict[int, int] = {}
        for start, end in watched:
            words = struct.unpack_from(f"<{(end - start) // 8}Q", self._bytes, at)
            found.update(zip(range(start, end, 8), words, strict=True))
            at += end - start
        return found

    def _int(self, at: int) -> int:
        value: int = struct.unpack_from("<i", self._bytes, at)[0]
        return value

    def _fault(self, trap: Exception) -> Fault:
        site, address = self._int(20), self._int(24)
        if not site:
            if "stack" not in str(trap):
                raise trap
            root = self.image.root
            return Fault(Site(root, root.syntax.start, "body too large to run"), self._int(16), "")
        place = self.image.sites[site - 1]
        caller = self._int(28)
        if place.unit.is_standard and not place.unit.keeps_data and caller:
            called = self.image.sites[caller - 1]
            place = Site(called.unit, called.start, place.kind)
        path = instance_at(self.image.root, address - DATA, place.unit)
        if path is None:
            path = _deepest(self.image, address - DATA)
        return Fault(place, self._int(16), path)


def _deepest(image: Image, offset: int) -> str:
    """The innermost instance that begins at ``offset``: a function faulted in a call from there."""
    paths = (instance_at(image.root, offset, unit) for unit in closure(image.root) if unit.keeps_data)
    return max((p for p in paths if p is not None), key=lambda p: (p.count("."), len(p)), default="")


def _words(spans: Iterable[tuple[int, int]]) -> list[tuple[int, int]]:
    """Spans (offset, length) of the data as whole words of memory (address, end), each word once."""
    found: list[tuple[int, int]] = []
    for offset, length in sorted(spans):
        start, end = DATA + offset & -8, DATA + offset + length + 7 & -8
        if found and start <= found[-1][1]:
            found[-1] = (found[-1][0], max(end, found[-1][1]))
        elif length:
            found.append((start, end))
    return found
