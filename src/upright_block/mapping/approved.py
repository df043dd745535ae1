"""The approved map of a library: a CSV file, one row a point."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

from upright_block.mapping.judging import Judged

FILE_NAME = "walk.csv"
_HEADS = ("point", "tag", "way", "pins", "comment")


def map_text(found: Sequence[Judged]) -> str:
    """The map of a walk as CSV, in the order of the points."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(_HEADS)
    for entry in sorted(found, key=lambda e: (e.tag.area or "", e.tag.point.start if e.tag.point else 0)):
        way = "in" if entry.is_input else "out"
        writer.writerow([entry.tag.address, entry.tag.name, way, "; ".join(entry.pins), entry.tag.text("comment")])
    return out.getvalue()


def read_map(text: str) -> dict[str, tuple[str, list[str]]]:
    """The point and the pins of each tag in a map, by the name of the tag in upper case.

    Raises:
        ValueError: it is no map.
    """
    rows = list(csv.DictReader(io.StringIO(text)))
    if rows and not {"tag", "point", "pins"} <= rows[0].keys():
        raise ValueError("it has no columns point, tag and pins")
    found: dict[str, tuple[str, list[str]]] = {}
    for row in rows:
        pins = [pin.strip() for pin in (row["pins"] or "").split(";") if pin.strip()]
        found[(row["tag"] or "").upper()] = (row["point"] or "").upper(), pins
    return found
