"""Tags as a list, and the way of one of them from its point to the pins."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from upright_block.language.field.points import AREAS
from upright_block.language.field.standing import Standing
from upright_block.language.field.tag_uses import TagUse
from upright_block.language.field.tags import Tag
from upright_block.language.literals import shown
from upright_block.language.paths import root_of
from upright_block.language.printing import expression_text
from upright_block.language.syntax import Name
from upright_block.language.types import Elementary
from upright_block.reports.listing import column_lines
from upright_block.reports.styled import Line

_NEGATED = "normally closed: 1 at the point is 0 here"
_HEADS = ("tag", "point", "type", "sense", "range", "unit", "stands for", "area", "comment")


def tag_list(tags: Sequence[Tag], width: int) -> list[Line]:
    """A line for each tag."""
    return column_lines(
        _HEADS, [_row(tag) for tag in tags], width, ("name", "strong", "", "warn", "", "", "name", "", "dim")
    )


def _row(tag: Tag) -> tuple[str, ...]:
    return (
        tag.name,
        tag.address,
        type_name(tag),
        "NC" if tag.is_negated else "",
        _range(tag),
        tag.text("unit"),
        _stands_for(tag),
        tag.text("area"),
        _comment(tag),
    )


def _comment(tag: Tag) -> str:
    """What a table, or else a declaration, says of a tag, in one line."""
    return tag.text("comment") or " ".join(tag.variable.comment.split() if tag.variable else ())


def type_name(tag: Tag) -> str:
    """The type of a tag; empty for one that stands for another."""
    type_ = tag.type
    return type_.name if type_ else ""


def _range(tag: Tag) -> str:
    return f"{tag.scale.low:g}..{tag.scale.high:g}" if tag.scale else ""


def _stands_for(tag: Tag) -> str:
    return expression_text(tag.meaning) if tag.meaning and "stands_for" in tag.cells else ""


def _named(tag: Tag) -> str:
    """The name in upper case that what a tag stands for begins with."""
    root = root_of(tag.meaning) if tag.meaning is not None and "stands_for" in tag.cells else None
    return root.name.upper() if isinstance(root, Name) else ""


def tag_lines(tag: Tag, tags: Sequence[Tag], uses: Sequence[TagUse], standing: Standing | None = None) -> list[Line]:
    """The whole way of a tag: its point, its sense and range, its other names, and all that reads or writes it. A
    second name is ``standing`` for something, and has the way of that.
    """
    target = standing.tag if standing else None
    point_area = target.area if target else tag.area
    type_ = standing.type if standing else tag.type
    what = f"{AREAS[point_area] if point_area else ''} {type_ or ''}".strip()
    where = tag.source.shown_line(tag.start)
    lines: list[Line] = [[(tag.name, "strong"), (f"   {what}" if what else "", ""), (f", {where}", "dim")]]
    comment = _comment(tag)
    if comment:
        lines.append([(comment, "")])
    lines.append([])
    steps = list(_steps(tag))
    if standing is not None and standing.address:
        steps.insert(1, ("point", standing.address))
    if target is not None and target.is_negated:
        steps.insert(2, ("sense", _NEGATED))
    width = max((len(title) for title, _ in steps), default=0)
    lines += [[(f"  {title:<{width}}  ", "dim"), (text, "")] for title, text in steps]
    others = [other for other in tags if other is not tag and _named(other) == tag.key]
    if others:
        lines += [[], [("Other names", "strong")]]
        lines += [[(f"  {o.name}", "name"), (f"  {_stands_for(o)}", ""), (f"  {_place(o)}", "dim")] for o in others]
    for kind, title in (("write", "Written by"), ("read", "Read by")):
        found = [use for use in uses if use.kind == kind]
        if not found and ((point_area == "I") == (kind == "write") or tag.inside is not None):
            continue
        nothing = f" nothing by this name: upright show {target.name}" if target else " nothing"
        lines += [[], [(title, "strong"), ("" if found else nothing, "warn")]]
        longest = max((len(use.shown) for use in found), default=0)
        for use in found:
            at = use.unit.source.shown_line(use.origin.start)
            lines.append([(f"  {use.shown:<{longest}}", "name"), (f"  {at}", "dim")])
    return lines


def _place(tag: Tag) -> str:
    return tag.source.shown_line(tag.start)


def _steps(tag: Tag) -> list[tuple[str, str]]:
    """What lies between the point and the name."""
    found: list[tuple[str, str]] = []
    if _stands_for(tag):
        found.append(("stands for", _stands_for(tag)))
    if tag.address:
        found.append(("point", tag.address))
    if tag.is_negated:
        found.append(("sense", _NEGATED))
    if tag.scale is not None and tag.raw is not None:
        scale, unit = tag.scale, tag.text("unit")
        step = abs(scale.high - scale.low) / abs(scale.raw_high - scale.raw_low)
        found.append(("scale", f"{scale.raw_low}..{scale.raw_high} is {scale.low:g}..{scale.high:g} {unit}".rstrip()))
        found.append(("one step", f"{step:.4g} {unit}".rstrip()))
    type_ = tag.type
    if (
        tag.variable is not None
        and tag.inside is None
        and isinstance(type_, Elementary)
        and isinstance(tag.variable.initial, (bool, int, float))
    ):
        found.append(("at the start", f"{shown(tag.variable.initial, type_)} {tag.text('unit')}".rstrip()))
    if tag.text("reaches"):
        found.append(("reaches", tag.text("reaches")))
    return found


def tag_data(tag: Tag, standing: Standing | None = None) -> dict[str, Any]:
    """A tag as plain data for JSON; a second name with the point and the type of what it is ``standing`` for."""
    scale = tag.scale
    address, type_ = (standing.address, standing.type) if standing else (tag.address, tag.type)
    return {
        "tag": tag.name,
        "point": address or None,
        "type": type_.name if type_ else None,
        "sense": "NC" if tag.is_negated else None,
        "raw_low": scale.raw_low if scale else None,
        "raw_high": scale.raw_high if scale else None,
        "low": scale.low if scale else None,
        "high": scale.high if scale else None,
        "unit": tag.text("unit") or None,
        "stands_for": _stands_for(tag) or None,
        "area": tag.text("area") or None,
        "comment": _comment(tag) or None,
        **tag.source.place(tag.start),
    }


def use_data(use: TagUse) -> dict[str, Any]:
    """A use of a tag as plain data for JSON."""
    return {"kind": use.kind, "by": use.shown, **use.unit.source.place(use.origin.start)}
