"""What a run left behind: the changes of what was watched."""

from __future__ import annotations

import struct
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Any

from upright_block.compiler.artifact import Site, Slot
from upright_block.compiler.layout import DATA, code
from upright_block.language.literals import Value
from upright_block.language.nodes import fresh, record, replaced
from upright_block.language.types import Elementary, Type
from upright_block.machine.watching import Seen

if TYPE_CHECKING:
    import numpy as np

_ENTRY = struct.Struct("<IIQ")
_MANY = 200_000

Word = tuple[list[int], list[int]]
"""Scans, and the value of a word from each of them on."""
History = tuple[Any, Any]
"""Scans, and the value of a slot from each of them on: lists, or arrays."""


@record
class Fault:
    """Why a scan stopped. ``instance`` is the dotted path, empty for the unit itself."""

    site: Site
    scan: int
    instance: str


@record
class Upset:
    """The fault of a probe in a scan, by the number of the probe; None where it is in what keeps a value for one."""

    probe: int | None
    scan: int
    fault: Fault


@record
class Trace:
    """The scans ``first`` to ``first + scans - 1`` of a run that began with the scan ``begun``.

    ``start`` are the watched words before the first of these scans, ``last`` those after the last one; ``log`` has the
    changes of them in the order of time, as the driver writes them: scans since ``base``, address, value. ``fault``
    stopped the scan after the last one; ``is_met`` says that the last one met the condition that the run waited for.
    ``upsets`` are the faults of what only looked.
    """

    first: int
    scans: int
    begun: int
    base: int
    start: Seen
    log: bytes | memoryview
    fault: Fault | None
    is_met: bool = False
    upsets: tuple[Upset, ...] = ()
    last: Seen | None = None
    _words: dict[int, Word] = fresh(default_factory=dict)
    _histories: dict[tuple[int, int | None, Type], History] = fresh(default_factory=dict)
    _sorted: list[tuple[int, np.ndarray, np.ndarray, np.ndarray]] = fresh(default_factory=list)

    @property
    def end(self) -> int:
        """The scan after the last one."""
        return self.first + self.scans

    @property
    def is_long(self) -> bool:
        """Whether there are so many changes that they are looked at as arrays."""
        return len(self.log) > _MANY * _ENTRY.size

    def with_log(self, log: bytes | memoryview) -> Trace:
        """The same with a log that lies elsewhere, and with nothing of it looked up."""
        return replaced(self, log=log, _words={}, _histories={}, _sorted=[])

    def joined(self, later: Trace, most: int) -> Trace | None:
        """This trace and the one of the scans behind it as one, where both are plain and their logs have at most so
        many bytes; what changed between them changed in the first scan of the later one.
        """
        if self.last is None or later.first != self.end or later.start.spans is not self.start.spans:
            return None
        if self.fault or self.upsets or later.fault or later.upsets or len(self.log) + len(later.log) > most:
            return None
        between = self.last.differing(later.start)
        log = self.log
        if between or later.log:
            entries = list(_ENTRY.iter_unpack(later.log))
            known = {address for scan, address, _ in entries if later.base + scan == later.first} if between else set()
            behind, moved = later.first - self.base, later.base - self.base
            more = [_ENTRY.pack(behind, address, value) for address, value in between if address not in known]
            more += [_ENTRY.pack(scan + moved, address, value) for scan, address, value in entries]
            log = b"".join([log, *more])
            if len(log) > most:
                return None
        return Trace(self.first, later.end - self.first, self.begun, self.base, self.start, log, None, last=later.last)

    def _word(self, address: int) -> Word:
        """The changes of one word, with what it was before; a word that was not watched is a KeyError."""
        if not self._words:
            self._words.update({word: ([self.first - 1], [value]) for word, value in self.start.numbers.items()})
            for scan, word, value in () if self.is_long else _ENTRY.iter_unpack(self.log):
                scans, values = self._words[word]
                scans.append(self.base + scan)
                values.append(value)
        return self._words[address]

    def history(self, slot: Slot) -> History:
        """The scans from which on a slot has another value than before, and these values.

        The first stands for all scans before. They are lists, or arrays where there are very many.

        Raises:
            KeyError: the slot was not watched.
        """
        key = (slot.offset, slot.bit, slot.type)
        known = self._histories.get(key)
        if known is None:
            is_number = isinstance(slot.type, Elementary) and slot.bit is None
            known = self._long_history(slot) if is_number and self.is_long else self._short_history(slot)
            self._histories[key] = known
        return known

    def _short_history(self, slot: Slot) -> History:
        size, start = slot.size, DATA + slot.offset
        lead = start & 7
        words = [self._word(address) for address in range(start & -8, start + size, 8)]
        if self.is_long:
            words = [self._long_word(address) for address in range(start & -8, start + size, 8)]
        scans = words[0][0] if len(words) == 1 else sorted({scan for own, _ in words for scan in own})
        found: tuple[list[int], list[Value]] = ([], [])
        before: bytes | None = None
        known: dict[bytes, Value] = {}
        places = [0] * len(words)
        for scan in scans:
            content = b""
            for number, (own, values) in enumerate(words):
                if places[number] + 1 < len(own) and own[places[number] + 1] <= scan:
                    places[number] += 1
                content += values[places[number]].to_bytes(8, "little")
            content = content[lead : lead + size]
            if content == before:
                continue
            value = known.get(content)
            if value is None:
                value = known[content] = slot.decode(content, 0)
            if before is None or (isinstance(slot.type, Elementary) and slot.bit is None) or value != found[1][-1]:
                found[0].append(scan)
                found[1].append(value)
            before = content
        return found

    def _long_word(self, address: int) -> Word:
        """The changes of one word of a long log."""
        scans, values = self._changed(address)
        return scans.tolist(), values.tolist()

    def _changed(self, address: int) -> tuple[np.ndarray, np.ndarray]:
        """The scans from which on a word of a long log has another value, and these; the first stands for all
        before.
        """
        import numpy as np

        before = self._word(address)
        if not self._sorted:
            log = np.frombuffer(self.log, [("scan", "<u4"), ("at", "<u4"), ("value", "<u8")])
            watched = self.start.spans.words
            lowest = watched[0][0]
            few = watched[-1][1] - lowest < 8 << 16
            words = ((log["at"] - lowest) >> 3).astype(np.uint16 if few else np.uint32)  # the short ones sort by digits
            order = np.argsort(words, kind="stable")
            scans = log["scan"][order].astype(np.int64) + self.base
            self._sorted.append((lowest, words[order], scans, log["value"][order]))
        ((lowest, words, scans, values),) = self._sorted
        word = words.dtype.type((address - lowest) >> 3)
        begin, end = np.searchsorted(words, word, "left"), np.searchsorted(words, word, "right")
        since, first = np.array(before[0], np.int64), np.array(before[1], "<u8")
        return np.concatenate([since, scans[begin:end]]), np.concatenate([first, values[begin:end]])

    def _long_history(self, slot: Slot) -> History:
        import numpy as np

        assert isinstance(slot.type, Elementary)
        start = DATA + slot.offset
        address, lead, size = start & -8, start & 7, slot.size
        scans, words = self._changed(address)
        raw = np.ascontiguousarray(words.view(np.uint8).reshape(-1, 8)[:, lead : lead + size])
        whole = raw.view(f"<u{size}").reshape(-1)
        kept = np.concatenate([[True], whole[1:] != whole[:-1]])
        return scans[kept], raw.view(np.dtype(code(slot.type))).reshape(-1)[kept]

    def still(self, slot: Slot) -> Value | None:
        """The value of a slot within one word, where that word does not change in these scans, which is told fast."""
        if self.is_long:
            return None
        start = DATA + slot.offset
        lead = start & 7
        scans, values = self._word(start - lead)
        if len(scans) > 1 or lead + slot.size > 8:
            return None
        return slot.decode(values[0].to_bytes(8, "little"), lead)

    def values(self, slot: Slot, scans: Sequence[int]) -> list[Value]:
        """The values of a slot after some scans.

        Raises:
            KeyError: the slot was not watched.
        """
        since, values = self.history(slot)
        if not isinstance(values, list):
            import numpy as np

            found: list[Value] = values[np.searchsorted(since, np.asarray(scans, np.int64), "right") - 1].tolist()
            return found
        return [values[bisect_right(since, scan) - 1] for scan in scans]

    def value(self, slot: Slot, scan: int) -> Value:
        """The value of a slot after a scan."""
        return self.values(slot, [scan])[0]

    def column(self, slot: Slot) -> np.ndarray:
        """The values of a slot after each scan, of shape ``(scans,)``."""
        import numpy as np

        dtype = np.dtype(code(slot.type)) if isinstance(slot.type, Elementary) else object
        return np.array(self.values(slot, range(self.first, self.end)), dtype)

    def changes(self, slot: Slot) -> Sequence[int]:
        """The scans that gave a slot another value than it had after the scan before, in order; the first of the run is
        none.
        """
        since, _ = self.history(slot)
        found: Sequence[int] = since[max(bisect_right(since, self.begun), 1) :]
        return found

    def turns(self, slot: Slot) -> Iterator[tuple[int, Value]]:
        """The scans of this trace that gave a slot another value than before, with that value; also the first of the
        run.

        Raises:
            KeyError: the slot was not watched.
        """
        scans, values = self.history(slot)
        begin = bisect_right(scans, self.first - 1)
        return ((int(scan), value) for scan, value in zip(scans[begin:], values[begin:], strict=True))

    def since(self, slot: Slot, scan: int) -> int | None:
        """The scan that gave the slot the value it has after ``scan``; None when it never had another."""
        changes = self.changes(slot)
        before = bisect_right(changes, scan)
        return int(changes[before - 1]) if before else None
