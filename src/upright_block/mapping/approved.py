"""The approved map of a library: a CSV file, one row a point."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from upright_block.language.field.tags import Tag
from upright_block.language.nodes import record
from upright_block.language.source import Cell, Source
from upright_block.library.sheets import Rows
from upright_block.library.table import table_of

FILE_NAME = "walk.csv"
_HEADS = ("point", "tag", "way", "sense", "range", "pins", "comment")
_NEEDED = ("point", "tag", "pins")


@record
class Approved:
    """A row of the map: the name of the tag with its place, and what is approved of it, by column."""

    source: Source
    tag: Cell
    texts: Mapping[str, str]

    @property
    def pins(self) -> tuple[str, ...]:
        """The pins that it reaches."""
        return tuple(pin.strip() for pin in self.texts["pins"].split(";") if pin.strip())

    def differences(self, tag: Tag) -> list[str]:
        """What is otherwise in the table of tags now; a column that the map does not have says nothing."""
        now = _row_of(tag)
        return [
            f"{_SAYS[column]} {now[column] or 'none'}, approved is {self.texts[column] or 'none'}"
            for column in ("point", "sense", "range")
            if column in self.texts and self.texts[column].upper() != now[column].upper()
        ]


_SAYS = {"point": "It is at", "sense": "Its sense is", "range": "Its range is"}


def _row_of(tag: Tag) -> dict[str, str]:
    """What the map says of a tag without what it reaches."""
    scale = tag.scale
    range_ = f"{scale.raw_low}..{scale.raw_high} is {scale.low:g}..{scale.high:g} {tag.text('unit')}" if scale else ""
    return {
        "point": tag.address,
        "tag": tag.name,
        "way": "in" if tag.area == "I" else "out",
        "sense": "NC" if tag.is_negated else "",
        "range": range_.strip(),
        "comment": tag.text("comment"),
    }


def map_rows(reached: Iterable[tuple[Tag, Sequence[str]]]) -> Rows:
    """The map of tags with the pins that their points reach, in the order of the points."""
    placed = [(tag.area or "", tag.point.start, tag, pins) for tag, pins in reached if tag.point]
    placed.sort(key=lambda entry: entry[:2])
    return Rows("walk", _HEADS, [_row_of(tag) | {"pins": "; ".join(pins)} for *_, tag, pins in placed])


def read_map(source: Source) -> dict[str, Approved]:
    """The rows of a map, by the names of the tags in upper case.

    Raises:
        ValueError: it is no map.
    """
    table = table_of(source, skips_blank=True)
    heads = [head.text.lower() for head in table.heads]
    if not set(_NEEDED) <= set(heads):
        raise ValueError("it has no columns point, tag and pins")
    if table.flaws:
        flaw = table.flaws[0]
        raise ValueError(f"line {source.line(flaw.start)}: {flaw.words.message.rstrip('.')}")
    found: dict[str, Approved] = {}
    for start in table.starts:
        cells = dict(zip(heads, table.split(start), strict=False))
        key = cells["tag"].text.upper()
        if key in found:
            raise ValueError(f"line {source.line(cells['tag'].start)}: {cells['tag'].text} has a row already")
        found[key] = Approved(source, cells["tag"], {head: cells[head].text for head in cells})
    return found
