"""What is stored into memory while a run goes on: driven values and forces, as the driver reads them."""

from __future__ import annotations

import struct
from typing import Literal

from upright_block.compiler.artifact import Slot
from upright_block.compiler.header import ADDRESSES
from upright_block.compiler.layout import DATA
from upright_block.language.nodes import node

Power = Literal["off", "on", "cold", "stop", "run"]
"""``off`` ends all, ``on`` begins again with what is retained, ``cold`` with nothing; after ``stop`` it goes on with
``run``.
"""
POWERED = {"off": "off", "on": "on", "cold": "on", "stop": "stop", "run": "on"}
"""The words that switch the power, and what is then."""
EVENT = struct.Struct("<qii8s")
_STORE, _FORCE, _RELEASE, _FREEZE = range(4)
_INPUT = 4
"""What an event does, and that it is about an input; see ``forces.wat``."""
BITS = 3
"""The length of a content that sets some bits of a byte: the byte, and the mask of the bits that count."""


@node
class Event:
    """The bytes of a value (1, 2, 4, 8, or `BITS`) that are stored at ``address`` before scan ``scan``, or what else is
    done with them.
    """

    scan: int
    address: int
    content: bytes
    action: int = _STORE

    @property
    def how(self) -> int:
        """The width of the value, and what is done with it."""
        return len(self.content) | self.action << 8

    def packed(self) -> bytes:
        """The event as the driver reads it."""
        return EVENT.pack(self.scan, self.address, self.how, self.content)


def store_events(target: Slot, scan: int, content: bytes) -> list[Event]:
    """Events that store a value before a scan; a text takes several."""
    address = DATA + target.offset
    return [Event(scan, address + i, content[i : i + 8]) for i in range(0, len(content), 8)]


def clock_event(scan: int, start: int) -> Event:
    """The event that sets the wall clock before a scan: ``start`` is what it would have shown at scan 0."""
    return Event(scan, ADDRESSES["clock"], start.to_bytes(8, "little", signed=True))


def force_event(target: Slot, scan: int, content: bytes | None, is_input: bool, freezes: bool = False) -> Event:
    """The event that holds ``target`` at a value from ``scan`` on, or at the one that it has where it ``freezes``; None
    releases it.

    An ``is_input`` that is released has at once what it was driven to meanwhile.
    """
    action = _RELEASE if content is None else _FREEZE if freezes else _FORCE
    bits = bytes(target.size) if target.bit is None else target.encode(value=False)
    return Event(scan, DATA + target.offset, bits if content is None else content, action | _INPUT * is_input)


def align(address: int) -> int:
    """The next multiple of 16."""
    return -(-address // 16) * 16
