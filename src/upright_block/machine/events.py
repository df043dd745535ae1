"""What is stored into memory while a run goes on: driven values and forces, as the driver reads them."""

from __future__ import annotations

import struct

from upright_block.compiler.image import DATA
from upright_block.compiler.layout import Slot, layout_of
from upright_block.language.nodes import node
from upright_block.language.typed import Unit

FORCE_SIZE = 16
_EVENT = struct.Struct("<iiii8s")


@node
class Event:
    """The bytes of a value (at most 8) that are stored at ``address`` before scan ``scan``."""

    scan: int
    address: int
    content: bytes

    def packed(self) -> bytes:
        """The event as the driver reads it."""
        return _EVENT.pack(self.scan, self.address, len(self.content), 0, self.content)


def force_events(root: Unit, number: int, target: Slot, scan: int, content: bytes | None) -> list[Event]:
    """Events that hold ``target`` at a value from ``scan`` on, or release it when ``content`` is None.

    ``number`` counts the forces of a run from 0. A forced value is stored before each scan and again
    after it.
    """
    at = force_table(root) + number * FORCE_SIZE
    width = len(content) if content else 0
    switch = Event(scan, at, struct.pack("<ii", DATA + target.offset, width))
    return [switch] if content is None else [Event(scan, at + 8, content.ljust(8, b"\0")), switch]


def force_table(root: Unit) -> int:
    """The address of the forces of a run: right after the instance of ``root``."""
    return align(DATA + layout_of(root).size)


def align(address: int) -> int:
    """The next multiple of 16."""
    return -(-address // 16) * 16
