"""Points that have no tag beside others that have one."""

from __future__ import annotations

from collections.abc import Iterable

from upright_block.language import syntax
from upright_block.language.field.points import Point, Points
from upright_block.language.field.tags import Tag


def spare_points(tags: Iterable[Tag], points: Points) -> list[tuple[str, str]]:
    """The bits without a tag in each byte, or tag of a bit string, of which some bits have one: address, and what it is
    in.
    """
    placed = [tag for tag in tags if tag.point is not None]
    by_name = {tag.key: tag for tag in placed}
    named = {tag.point for tag in placed if tag.point is not None and tag.point.width == 1}
    for tag in tags:
        meaning = tag.meaning
        if isinstance(meaning, syntax.Part) and meaning.size == "X" and isinstance(meaning.base, syntax.Name):
            whole = by_name.get(meaning.base.name.upper())
            if whole is not None and whole.point is not None:
                named.add(points.part(whole.point, meaning.number, 1))
    found: list[tuple[Point, str, str]] = []
    inside: set[tuple[str, int]] = set()
    for tag in placed:
        assert tag.point is not None
        if tag.point.width == 1:
            continue
        inside.update((tag.point.area, byte) for byte in tag.point.bytes)
        bits = [points.part(tag.point, number, 1) for number in range(tag.point.width)] if tag.is_bits else []
        if not named.isdisjoint(bits):
            spare = ((number, bit) for number, bit in enumerate(bits) if bit not in named)
            found += [(bit, f"{tag.address}.%X{number}", tag.name) for number, bit in spare]
    for area, byte in {(bit.area, bit.byte) for bit in named if (bit.area, bit.byte) not in inside}:
        bits = [Point(area, byte * 8 + number, 1) for number in range(8)]
        found += [(bit, points.shown(bit), f"byte {byte}") for bit in bits if bit not in named]
    found.sort(key=lambda entry: (entry[0].area, entry[0].start))
    return [(address, holder) for _, address, holder in found]
