"""What lists of points call the columns of a tag table."""

from __future__ import annotations

import re

_CALLED: dict[str, tuple[str, ...]] = {
    "tag": ("tag", "tag name", "tagname", "name", "signal", "signal name", "symbol", "symbol name", "variable"),
    "point": ("point", "address", "io address", "i o address", "io point", "i o point", "direct address", "addr"),
    "type": ("type", "data type", "datatype"),
    "sense": ("sense", "contact", "contact type", "contact sense", "nc no", "no nc", "n c n o", "n o n c"),
    "unit": ("unit", "units", "eng unit", "engineering unit", "engineering units"),
    "stands_for": ("stands for",),
    "comment": ("comment", "comments", "description", "remark", "remarks", "text", "note", "notes"),
    "area": ("area", "plant area", "plant section", "section", "zone"),
    "reaches": ("reaches",),
    "initial": ("initial", "initial value", "start value"),
    "retain": ("retain", "retained", "retentive"),
}
"""By column what it is called, the best name first."""
_RANKS = {name: (column, rank) for column, names in _CALLED.items() for rank, name in enumerate(names)}
_RAW = frozenset({"raw", "count", "counts", "digits"})
_LOW = frozenset({"low", "lo", "lower", "min", "minimum", "from"})
_HIGH = frozenset({"high", "hi", "upper", "max", "maximum", "to"})
_BESIDE = frozenset({"range", "value", "scale", "scaled", "end", "eng", "engineering", "measuring", "of"})
_BRACKETS = re.compile(r"\([^)]*\)|\[[^\]]*\]")
_BETWEEN = re.compile(r"[^a-z0-9]+")


def folded(head: str) -> str:
    """The words of a head in lower case, without what stands in brackets."""
    return _BETWEEN.sub(" ", _BRACKETS.sub(" ", head.lower())).strip()


def meant(head: str) -> tuple[str, int] | None:
    """The column of a tag table that a head names, and how far its name is from the best one; None for any other."""
    found = folded(head)
    return _RANKS.get(found) or _end_of_range(found)


def _end_of_range(head: str) -> tuple[str, int] | None:
    """An end of a range: ``raw low``, ``range from``, ``max``."""
    words = set(head.split())
    is_raw, low, high = bool(words & _RAW), words & _LOW, words & _HIGH
    if not words or words - _RAW - _LOW - _HIGH - _BESIDE or len(low) + len(high) != 1:
        return None
    column = ("raw_" if is_raw else "") + ("low" if low else "high")
    return column, int(head.replace(" ", "_") != column)
