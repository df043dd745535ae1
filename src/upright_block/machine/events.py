"""What is stored into memory while a run goes on: driven values and forces, as the driver reads them."""

from __future__ import annotations

import struct

from upright_block.compiler.layout import DATA, FORCES
from upright_block.compiler.program import Slot
from upright_block.language.nodes import node

FORCE_SIZE = 16
POWERED = {"off": "off", "on": "on", "cold": "on", "stop": "stop", "run": "on"}
"""The words that switch the power, and what is then."""
CLOCK = 56
"""Where the header has the wall clock at the start; see ``driver.wat``."""
MOST_FORCES = (DATA - FORCES) // FORCE_SIZE
EVENT = struct.Struct("<qii8s")
_COPY = 5
"""The length of a content that is an address: 8 bytes from there are stored."""
BITS = 3
"""The length of a content that sets some bits of a byte: the byte, and the mask of the bits that count."""


@node
class Event:
    """The bytes of a value (1, 2, 4, 8, or `BITS`) that are stored at ``address`` before scan ``scan``."""

    scan: int
    address: int
    content: bytes

    def packed(self) -> bytes:
        """The event as the driver reads it."""
        return EVENT.pack(self.scan, self.address, len(self.content), self.content)


def store_events(target: Slot, scan: int, content: bytes) -> list[Event]:
    """Events that store a value before a scan; a text takes several."""
    address = DATA + target.offset
    return [Event(scan, address + i, content[i : i + 8]) for i in range(0, len(content), 8)]


def clock_event(scan: int, start: int) -> Event:
    """The event that sets the wall clock before a scan: ``start`` is what it would have shown at scan 0."""
    return Event(scan, CLOCK, start.to_bytes(8, "little", signed=True))


def force_events(number: int, target: Slot, scan: int, content: bytes | None) -> list[Event]:
    """Events that hold ``target`` at a value from ``scan`` on, or release it when ``content`` is None.

    ``number`` is that of the force, see `Machine.force_number`. A forced value is stored before each
    scan and again after it.
    """
    entry = FORCES + number * FORCE_SIZE
    width = len(content) if content else 0
    switch = Event(scan, entry, struct.pack("<ii", DATA + target.offset, width))
    return [switch] if content is None else [Event(scan, entry + 8, content.ljust(8, b"\0")), switch]


def freeze_events(number: int, target: Slot, scan: int) -> list[Event]:
    """Events that hold ``target`` at the value that it has before scan ``scan``, as a force."""
    entry, address = FORCES + number * FORCE_SIZE, DATA + target.offset
    copied = Event(scan, entry + 8, address.to_bytes(_COPY, "little"))
    if target.bit is None:
        return [copied, Event(scan, entry, struct.pack("<ii", address, target.size))]
    mask = Event(scan, entry + 9, bytes([1 << target.bit]))
    return [copied, mask, Event(scan, entry, struct.pack("<ii", address, BITS))]


def align(address: int) -> int:
    """The next multiple of 16."""
    return -(-address // 16) * 16
