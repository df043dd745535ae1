"""Slots: where values lie, told apart as far as the text tells.

A slot is a variable, or a tuple of it and what leads on: members, and numbers of elements. An index that is not known
before the run ends the slot at its array. What lies in a word, or at an address, ends in the bits that it is there: two
of these may overlap as memory does.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Mapping
from typing import NamedTuple

from upright_block.language import typed
from upright_block.language.field.addresses import WIDTHS
from upright_block.language.field.points import point_at
from upright_block.language.types import BOOL, Elementary

Slot = typed.Variable | tuple[Hashable, ...]


class Bits(NamedTuple):
    """Bits of a word or of an area from bit ``shift`` on, as the last part of a slot: a value of ``type``."""

    shift: int
    type: Elementary

    @property
    def end(self) -> int:
        """The bit behind its last."""
        return self.shift + (1 if self.type is BOOL else self.type.bits)

    def overlaps(self, other: Bits) -> bool:
        """Whether both have a bit."""
        return self.shift < other.end and other.shift < self.end

    def covers(self, other: Bits) -> bool:
        """Whether all bits of the other are its own."""
        return self.shift <= other.shift and other.end <= self.end


def root_of(slot: Slot) -> typed.Variable:
    """The variable that a slot begins with."""
    if isinstance(slot, tuple):
        root = slot[0]
        assert isinstance(root, typed.Variable)
        return root
    return slot


def slot_of(place: typed.Place) -> tuple[Slot, bool]:
    """The slot of a place, and whether it is that very place; else the place lies somewhere in it."""
    root = place.root.shared or place.root
    steps = place.steps
    if not steps:
        return root, True
    if root.is_area:
        point = point_at(place)
        if point is None or not isinstance(place.type, Elementary):
            return root, False
        return (root, Bits(point.start, place.type)), True
    found: list[Hashable] = [] if root.section == "this" else [root]
    for step in steps:
        if isinstance(step, typed.Member):
            found.append(step.variable)
        elif isinstance(step, typed.Element) and all(isinstance(index, typed.Constant) for index in step.indices):
            found += [index.value for index in step.indices if isinstance(index, typed.Constant)]
        else:
            return (_as_slot(found) if found else root), False
    return _as_slot(found), True


def part_of(slot: Slot, shift: int, type_: Elementary) -> Slot:
    """The slot of a part of the word in a slot."""
    *outer, last = members(slot)
    if isinstance(last, Bits):
        return (*outer, Bits(last.shift + shift, type_))
    return (*outer, last, Bits(shift, type_))


def around(slot: Slot) -> tuple[Slot, ...]:
    """The slots that a slot lies in, its variable first; not those that are bits."""
    if not isinstance(slot, tuple):
        return ()
    if len(slot) == _SHORT:
        return (root_of(slot),)
    return (root_of(slot), *(slot[:length] for length in range(_SHORT, len(slot))))


_SHORT = 2


def covers(outer: Slot, inner: Slot) -> bool:
    """Whether all of a slot lies in another, or is it."""
    if outer is inner:
        return True
    a, b = members(outer), members(inner)
    if isinstance(a[-1], Bits):
        return len(a) == len(b) and a[:-1] == b[:-1] and isinstance(b[-1], Bits) and a[-1].covers(b[-1])
    return b[: len(a)] == a


class SlotIndex:
    """Slots, found by the memory that they have in common."""

    def __init__(self, slots: Iterable[Slot] = ()) -> None:
        self._held: set[Slot] = set()
        self._inside: dict[Slot | tuple[Slot, int], dict[Slot, None]] = {}
        for slot in slots:
            self.add(slot)

    def add(self, slot: Slot) -> None:
        """Take a slot in."""
        self._held.add(slot)
        for outer in _keys(slot):
            self._inside.setdefault(outer, {})[slot] = None

    def remove(self, slot: Slot) -> None:
        """Leave a slot out, if it is held."""
        if slot in self._held:
            self._held.remove(slot)
            for outer in _keys(slot):
                del self._inside[outer][slot]

    def overlapping(self, slot: Slot) -> list[Slot]:
        """Those that have memory in common with a slot, itself among them."""
        found = [slot] if slot in self._held else []
        found += self._inside.get(slot, ())
        if not isinstance(slot, tuple):
            return found
        found += (outer for outer in around(slot) if outer in self._held)
        bits = slot[-1]
        if isinstance(bits, Bits):
            beside = dict.fromkeys(other for lane in _lanes(slot) for other in self._inside.get(lane, ()))
            found += (other for other in beside if other != slot and bits.overlaps(_bits_of(other)))
        return found


def mixed_slots(ways: Iterable[Mapping[Slot, object]], slots: Iterable[Slot]) -> set[Slot]:
    """Those of some slots that one of several ways changes only by what overlaps them; ``ways`` tell what each
    changes.
    """
    index = SlotIndex(slots)
    return {
        slot for changed in ways for other in changed for slot in index.overlapping(other) if changed.get(slot) is None
    }


def _keys(slot: Slot) -> tuple[Slot | tuple[Slot, int], ...]:
    """What a slot is found by: the slots around it, and the bytes that it has bits of."""
    return (*around(slot), *_lanes(slot)) if isinstance(slot, tuple) else ()


def _lanes(slot: Slot) -> list[tuple[Slot, int]]:
    """The bytes that a slot of bits has a part of."""
    last = members(slot)[-1]
    if not isinstance(last, Bits):
        return []
    return [(around(slot)[-1], byte) for byte in range(last.shift // 8, -(-last.end // 8))]


def _bits_of(slot: Slot) -> Bits:
    last = members(slot)[-1]
    assert isinstance(last, Bits)
    return last


def _as_slot(parts: list[Hashable]) -> Slot:
    if len(parts) == 1 and isinstance(parts[0], typed.Variable):
        return parts[0]
    return tuple(parts)


def members(slot: Slot) -> tuple[Hashable, ...]:
    """The parts of a slot."""
    return slot if isinstance(slot, tuple) else (slot,)


def last_variable(slot: Slot) -> typed.Variable:
    """The variable that a slot names last."""
    return next(part for part in reversed(members(slot)) if isinstance(part, typed.Variable))


def slot_name(slot: Slot) -> str:
    """A slot as a path, as people write it."""
    text = ""
    for part in members(slot):
        if isinstance(part, typed.Variable):
            text += f".{part.name}" if text else part.name
        elif isinstance(part, Bits):
            text += _bits_name(part, text.startswith("%"))
        else:
            text += f"[{part}]"
    return text


def _bits_name(part: Bits, is_area: bool) -> str:
    """Bits behind the name of what they are in: of an area by its bytes, however an address of it counts."""
    if part.type is BOOL:
        return f"X{part.shift // 8}.{part.shift % 8}" if is_area else f".{part.shift}"
    if is_area:
        last = (part.end - 1) // 8
        return f"B{part.shift // 8}" + (f" to B{last}" if last > part.shift // 8 else "")
    size = next(size for size, width in WIDTHS.items() if width == part.type.bits)
    return f".%{size}{part.shift // part.type.bits}"
