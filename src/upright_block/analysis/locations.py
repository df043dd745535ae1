"""Locations: where values lie, told apart as far as the text tells.

A location is a variable, or a tuple of it and what leads on: members, and numbers of elements. An index that is not
known before the run ends the location at its array. What lies in a word, or at an address, ends in the bits that it is
there: two of these may overlap as memory does.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Mapping
from typing import NamedTuple

from upright_block.language import typed
from upright_block.language.field.addresses import WIDTHS
from upright_block.language.field.points import point_at
from upright_block.language.types import BOOL, Elementary

Location = typed.Variable | tuple[Hashable, ...]


class Bits(NamedTuple):
    """Bits of a word or of an area from bit ``shift`` on, as the last part of a location: a value of ``type``."""

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


def root_of(location: Location) -> typed.Variable:
    """The variable that a location begins with."""
    if isinstance(location, tuple):
        root = location[0]
        assert isinstance(root, typed.Variable)
        return root
    return location


def location_of(place: typed.Place) -> tuple[Location, bool]:
    """The location of a place, and whether it is that very place; else the place lies somewhere in it."""
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
            return (_as_location(found) if found else root), False
    return _as_location(found), True


def part_of(location: Location, shift: int, type_: Elementary) -> Location:
    """The location of a part of the word in a location."""
    *outer, last = members(location)
    if isinstance(last, Bits):
        return (*outer, Bits(last.shift + shift, type_))
    return (*outer, last, Bits(shift, type_))


def around(location: Location) -> tuple[Location, ...]:
    """The locations that a location lies in, its variable first; not those that are bits."""
    if not isinstance(location, tuple):
        return ()
    if len(location) == _SHORT:
        return (root_of(location),)
    return (root_of(location), *(location[:length] for length in range(_SHORT, len(location))))


_SHORT = 2


def covers(outer: Location, inner: Location) -> bool:
    """Whether all of a location lies in another, or is it."""
    if outer is inner:
        return True
    a, b = members(outer), members(inner)
    if isinstance(a[-1], Bits):
        return len(a) == len(b) and a[:-1] == b[:-1] and isinstance(b[-1], Bits) and a[-1].covers(b[-1])
    return b[: len(a)] == a


class LocationIndex:
    """Locations, found by the memory that they have in common."""

    def __init__(self, locations: Iterable[Location] = ()) -> None:
        self._held: set[Location] = set()
        self._inside: dict[Location | tuple[Location, int], dict[Location, None]] = {}
        for location in locations:
            self.add(location)

    def add(self, location: Location) -> None:
        """Take a location in."""
        self._held.add(location)
        for outer in _keys(location):
            self._inside.setdefault(outer, {})[location] = None

    def remove(self, location: Location) -> None:
        """Leave a location out, if it is held."""
        if location in self._held:
            self._held.remove(location)
            for outer in _keys(location):
                del self._inside[outer][location]

    def overlapping(self, location: Location) -> list[Location]:
        """Those that have memory in common with a location, itself among them."""
        found = [location] if location in self._held else []
        found += self._inside.get(location, ())
        if not isinstance(location, tuple):
            return found
        found += (outer for outer in around(location) if outer in self._held)
        bits = location[-1]
        if isinstance(bits, Bits):
            beside = dict.fromkeys(other for lane in _lanes(location) for other in self._inside.get(lane, ()))
            found += (other for other in beside if other != location and bits.overlaps(_bits_of(other)))
        return found


def mixed_locations(ways: Iterable[Mapping[Location, object]], locations: Iterable[Location]) -> set[Location]:
    """Those of some locations that one of several ways changes only by what overlaps them; ``ways`` tell what each
    changes.
    """
    index = LocationIndex(locations)
    return {
        location
        for changed in ways
        for other in changed
        for location in index.overlapping(other)
        if changed.get(location) is None
    }


def _keys(location: Location) -> tuple[Location | tuple[Location, int], ...]:
    """What a location is found by: the locations around it, and the bytes that it has bits of."""
    return (*around(location), *_lanes(location)) if isinstance(location, tuple) else ()


def _lanes(location: Location) -> list[tuple[Location, int]]:
    """The bytes that a location of bits has a part of."""
    last = members(location)[-1]
    if not isinstance(last, Bits):
        return []
    return [(around(location)[-1], byte) for byte in range(last.shift // 8, -(-last.end // 8))]


def _bits_of(location: Location) -> Bits:
    last = members(location)[-1]
    assert isinstance(last, Bits)
    return last


def _as_location(parts: list[Hashable]) -> Location:
    if len(parts) == 1 and isinstance(parts[0], typed.Variable):
        return parts[0]
    return tuple(parts)


def members(location: Location) -> tuple[Hashable, ...]:
    """The parts of a location."""
    return location if isinstance(location, tuple) else (location,)


def last_variable(location: Location) -> typed.Variable:
    """The variable that a location names last."""
    return next(part for part in reversed(members(location)) if isinstance(part, typed.Variable))


def location_name(location: Location) -> str:
    """A location as a path, as people write it."""
    text = ""
    for part in members(location):
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
