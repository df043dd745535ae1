"""Which parts of the data are watched, and what they were at a moment."""

from __future__ import annotations

import struct
from bisect import bisect_right
from collections.abc import Iterable, Iterator
from functools import cached_property

from upright_block.compiler.artifact import Slot
from upright_block.compiler.layout import DATA

_ROW = struct.Struct("<iiii")


class Spans:
    """Parts of the data, as whole words of memory (address, end), each word once.

    A word may hold bytes that nobody watches: the ``mask``, as long as all the words, says which count.
    """

    def __init__(self, parts: Iterable[tuple[int, int]] = ()) -> None:
        """``parts`` are offsets in the data and lengths."""
        parts = sorted(set(parts))
        self.words = _words(parts)
        self.size = sum(end - start for start, end in self.words)
        self.table_at = -1
        self._table = b""
        before = 0
        leads: list[int] = []
        for start, end in self.words:
            leads.append(before - start)
            before += end - start
        starts = [start for start, _ in self.words]
        mask = bytearray(self.size)
        for offset, length in parts:
            at = DATA + offset + leads[bisect_right(starts, DATA + offset) - 1]
            mask[at : at + length] = b"\xff" * length
        self.mask = bytes(mask)

    @classmethod
    def of(cls, slots: Iterable[Slot]) -> Spans:
        """The parts that hold some slots."""
        return cls((slot.offset, slot.size) for slot in slots)

    def table(self, copy_at: int) -> bytes:
        """The words, with the addresses of the copies of them and of their masks, which follow each other from
        ``copy_at`` on.
        """
        if self.table_at != copy_at:
            rows: list[bytes] = []
            copies = copy_at
            for start, end in self.words:
                rows.append(_ROW.pack(start, end, copies, copies + self.size))
                copies += end - start
            self.table_at, self._table = copy_at, b"".join(rows)
        return self._table

    def content(self, memory: memoryview) -> bytes:
        """What the words are now."""
        return b"".join([bytes(memory[start:end]) for start, end in self.words])


class Seen:
    """What watched words were at a moment."""

    def __init__(self, spans: Spans, content: bytes) -> None:
        self.spans = spans
        self.content = content

    @cached_property
    def numbers(self) -> dict[int, int]:
        """The words by their address."""
        values = struct.unpack(f"<{len(self.content) // 8}Q", self.content)
        return dict(zip(self.addresses(), values, strict=True))

    def addresses(self) -> Iterator[int]:
        """Where the words are."""
        for start, end in self.spans.words:
            yield from range(start, end, 8)

    def differing(self, other: Seen) -> list[tuple[int, int]]:
        """The words, by address, that another moment has otherwise, as that has them."""
        if self.content == other.content:
            return []
        return [(address, value) for address, value in other.numbers.items() if self.numbers[address] != value]


def _words(parts: Iterable[tuple[int, int]]) -> tuple[tuple[int, int], ...]:
    found: list[tuple[int, int]] = []
    for offset, length in parts:
        start, end = DATA + offset & -8, DATA + offset + length + 7 & -8
        if found and start <= found[-1][1]:
            found[-1] = (found[-1][0], max(end, found[-1][1]))
        elif length:
            found.append((start, end))
    return tuple(found)
