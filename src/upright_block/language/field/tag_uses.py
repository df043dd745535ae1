"""Where tags are read and written."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Literal, cast

from upright_block.language import syntax, typed
from upright_block.language.field.points import Point, point_at, points_of
from upright_block.language.field.tags import Tag
from upright_block.language.nodes import record, replaced
from upright_block.language.printing import expression_text
from upright_block.language.walking import Access, accesses, every_statement, parts


@record
class TagUse:
    """That a body reads a tag, or writes it, at a place in the source of its unit.

    ``pin`` is the pin of an instance that it is wired to, or the variable that its value goes into, where that is so;
    ``is_pin`` tells these apart.
    """

    tag: Tag
    kind: Literal["read", "write"]
    unit: typed.Unit
    origin: syntax.Node
    pin: str = ""
    is_pin: bool = False

    @property
    def shown(self) -> str:
        """Who uses it: a unit, or a pin of an instance in it."""
        return f"{self.unit.full_name}.{self.pin}" if self.pin else self.unit.full_name


class TagIndex:
    """Finds the tags that a place belongs to: by their variable, or by the bits of a point."""

    def __init__(self, tags: Iterable[Tag]) -> None:
        self.by_variable = {tag.variable: tag for tag in tags if tag.variable is not None}
        self.by_byte: dict[tuple[str, int], list[Tag]] = {}
        for tag in tags:
            if tag.point is not None:
                for byte in tag.point.bytes:
                    self.by_byte.setdefault((tag.point.area, byte), []).append(tag)

    def inside(self, tag: Tag) -> set[Tag]:
        """The tag, and those that have bits of its point."""
        return {tag, *(self._at(tag.point) if tag.point is not None else ())}

    def tags_at(self, place: typed.Place) -> Iterable[Tag]:
        """The tags whose values a place is, or is a part of; of a byte whose bits are taken all that lie in it."""
        if place.root in self.by_variable:
            return (self.by_variable[place.root],)
        point = point_at(place)
        return self._at(point) if point is not None else ()

    def _at(self, point: Point) -> dict[Tag, None]:
        """The tags that have bits of a point."""
        near = (tag for byte in point.bytes for tag in self.by_byte.get((point.area, byte), ()))
        return dict.fromkeys(tag for tag in near if tag.point is not None and tag.point.overlaps(point))


def tag_uses(tags: Iterable[Tag], units: Iterable[typed.Unit]) -> list[TagUse]:
    """Every use of a tag in the bodies of units and of their methods, in the order of these."""
    index = TagIndex(list(tags))
    found: list[TagUse] = []
    for unit in units:
        for part in (unit, *unit.methods.values()):
            if part.shares is not None:
                for statement in every_statement(part.body or ()):
                    found += _in_statement(statement, part, index)
    return found


def _in_statement(statement: typed.Statement, unit: typed.Unit, index: TagIndex) -> Iterator[TagUse]:
    """The uses in one statement; of the call of an instance with their pins."""
    pins: dict[syntax.Node, str] = {}
    if isinstance(statement, typed.CallInstance):
        written = statement.origin
        name = expression_text(written.call.callee) if isinstance(written, syntax.CallStatement) else ""
        for pin, value in statement.inputs if name else ():
            for access in accesses(value):
                pins[access.origin] = f"{name}.{pin.name}"
        for pin, receiver, _ in statement.outputs if name else ():
            pins[receiver.place.origin] = f"{name}.{pin.name}"
        for pin, place in statement.shared if name else ():
            pins[place.origin] = f"{name}.{pin.name}"
    target = ""
    if isinstance(statement.origin, syntax.Assignment):
        target = expression_text(statement.origin.target)
    done = list(accesses(statement))
    stored = {id(access.place) for access in done if access.kind == "write"}
    for access in done:
        if access.kind == "read" and id(access.place) in stored:
            continue  # of what gets a bit the others are read, to be kept
        for use in _uses(access, unit, index):
            wired = pins.get(access.origin, "")
            yield replaced(use, pin=wired or (target if use.kind == "read" else ""), is_pin=bool(wired))


def _uses(access: Access, unit: typed.Unit, index: TagIndex) -> Iterator[TagUse]:
    place = access.place
    if place is None or place.root.section != "global" or access.kind == "call":
        return
    tags = index.tags_at(place)
    points = points_of(unit.shares)
    if isinstance(access.origin, syntax.DirectAddress) and points is not None:
        point = points.point(access.origin.address)
        tags = (tag for tag in tags if tag.point is None or tag.point.overlaps(point))
    for tag in tags:
        if access.kind in ("read", "address"):
            yield TagUse(tag, "read", unit, access.origin)
        if access.kind in ("write", "address"):
            yield TagUse(tag, "write", unit, access.origin)


def tagged_statements(tags: Iterable[Tag], unit: typed.Unit) -> Iterator[tuple[typed.Statement, set[Tag]]]:
    """The statements of a body that read tags, with these."""
    index = TagIndex(list(tags))
    for statement in every_statement(unit.body or ()) if unit.shares else ():
        places = [access.place for access in accesses(statement) if access.kind == "read" and access.place]
        found = {tag for place in places if place.root.section == "global" for tag in index.tags_at(place)}
        if found:
            yield statement, found


def numbers_in(statement: typed.Statement) -> Iterator[float]:
    """The numbers that a statement names, labels of CASE among them."""
    if isinstance(statement, typed.Case):
        for arm in statement.arms:
            yield from (end for label in arm.ranges for end in label)
    waiting: list[object] = list(parts(statement))
    while waiting:
        part = waiting.pop()
        if isinstance(part, typed.Constant) and isinstance(part.value, (int, float)):
            yield part.value
        elif not isinstance(part, Access):
            waiting += parts(cast("typed.Expression", part))
