"""A walk as lines of text and as plain data."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from textwrap import wrap
from typing import Any

from upright_block.language.field.tags import Tag
from upright_block.mapping.judging import WRONG, Judged, Status
from upright_block.mapping.proposing import Proposal
from upright_block.reports.listing import column_lines
from upright_block.reports.styled import Line, Role

_ORDER: tuple[Status, ...] = (
    "copied",
    "crossed",
    "inverted",
    "elsewhere",
    "another",
    "nowhere",
    "changed",
    "gated",
    "right",
    "seen",
    "spare",
)
_ROLES: dict[str, Role] = {"right": "good", "seen": "", "gated": "warn", "spare": "dim"}


_MOST_PINS = 3


def walk_lines(found: Sequence[Judged], width: int, show_all: bool) -> list[Line]:
    """What is wrong first, each point with what it moved; then the points that are right, and how many of each there
    are.
    """
    wrong = sorted((e for e in found if e.status in WRONG or e.status == "gated"), key=lambda e: _ORDER.index(e.status))
    lines: list[Line] = []
    for entry in wrong:
        role = _ROLES.get(entry.status, "bad")
        lines.append(
            [
                (f"{entry.status:<9} ", role),
                (entry.tag.name, "strong"),
                (f"  {entry.tag.address}", "name"),
                (f"  {entry.tag.source.shown_line(entry.tag.start)}", "dim"),
            ]
        )
        if entry.pins:
            where = f"  {entry.where}" if entry.where else ""
            lines.append([("          ", ""), (_way(entry), "dim"), (_pins(entry), ""), (where, "dim")])
        lines.append([("          ", ""), (f"{entry.says}.", "")])
    others = [e for e in found if e.status not in WRONG and e.status != "gated"]
    if wrong and others and show_all:
        lines.append([])
    if show_all:
        rows = [(e.tag.address, e.tag.name, _way(e), _pins(e), _also(e)) for e in others]
        lines += column_lines(("point", "tag", "", "moves", ""), rows, width, ("name", "strong", "dim", "", "dim"))
    counts = Counter(entry.status for entry in found)
    inputs = sum(entry.is_input for entry in found)
    total = f"{inputs} inputs, {len(found) - inputs} outputs walked: "
    last: Line = [(total, "")]
    for status in (status for status in _ORDER if counts[status]):
        last += [(", " if len(last) > 1 else "", ""), (f"{counts[status]} {status}", _ROLES.get(status, "bad"))]
    last.append(("." if counts else "none.", ""))
    return [*lines, [], last] if lines else [last]


def _way(entry: Judged) -> str:
    return "→ " if entry.is_input else "← "


def _pins(entry: Judged) -> str:
    shown = ", ".join(entry.pins[:_MOST_PINS])
    more = len(entry.pins) - _MOST_PINS
    return f"{shown} and {more} more" if more > 0 else shown


def _also(entry: Judged) -> str:
    parts = [entry.says[:1].lower() + entry.says[1:]] if entry.says else []
    if entry.further:
        parts.append(f"and {entry.further} further on" if entry.pins else f"{entry.further} moved")
    return "; ".join(parts)


def proposal_lines(left: Sequence[Proposal], is_changed: bool, width: int) -> list[Line]:
    """Tags that want a look before a proposal is taken, with what could stand in ``reaches`` and why it wants one."""
    if not left:
        return [] if is_changed else [[("Every tag says what it reaches.", "good")]]
    lines: list[Line] = [[], [("These want a look:", "strong")]] if is_changed else []
    alike: dict[tuple[str, str], list[Tag]] = {}
    for each in left:
        says = each.says or "its row is in a workbook, or it is declared in a text: write it there"
        alike.setdefault((each.text, says), []).append(each.tag)
    for (text, says), tags in alike.items():
        place = f"  {tags[0].source.shown_line(tags[0].start)}"
        more = f" and {len(tags) - 1} more" if len(tags) > 1 else ""
        lines.append([(tags[0].name, "strong"), (more, ""), (f"  {text}" if text else "", "name"), (place, "dim")])
        lines += [[(f"    {line}", "")] for line in wrap(f"{says}.", max(width - 4, 20))]
    return lines


def walk_data(found: Sequence[Judged]) -> list[dict[str, Any]]:
    """A walk as plain data for JSON."""
    return [
        {
            "tag": entry.tag.name,
            "point": entry.tag.address,
            "way": "in" if entry.is_input else "out",
            "pins": list(entry.pins),
            "further": entry.further,
            "status": entry.status,
            "says": entry.says or None,
            "wired_at": entry.where or None,
            **entry.tag.source.place(entry.tag.start),
        }
        for entry in found
    ]
