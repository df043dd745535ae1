"""What a second name of a tag stands for: the tag, its point, its type."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from upright_block.language import syntax
from upright_block.language.field.addresses import WIDTHS
from upright_block.language.field.points import TYPES, Points
from upright_block.language.field.tag_uses import TagUse
from upright_block.language.field.tags import Tag
from upright_block.language.nodes import record
from upright_block.language.paths import root_of
from upright_block.language.types import Type


@record
class Standing:
    """Where a name leads: the tag that it is another name for, or for a part of; without one, to what lies in memory or
    in a program. ``address`` is empty where there is no point.
    """

    tag: Tag | None
    address: str
    type: Type | None

    @property
    def is_input(self) -> bool:
        """Whether its value comes from outside."""
        return self.tag is not None and self.tag.area == "I"


def standing_of(tag: Tag, tags: Mapping[str, Tag], points: Points) -> Standing:
    """Where a name leads that stands for something."""
    meaning = tag.meaning
    if tag.inside is not None:
        return Standing(None, "", tag.inside.type)
    if isinstance(meaning, syntax.DirectAddress):
        return Standing(None, str(meaning.address), meaning.held if isinstance(meaning.held, Type) else None)
    root = root_of(meaning) if meaning is not None else None
    target = tags.get(root.name.upper()) if isinstance(root, syntax.Name) else None
    if target is None:
        return Standing(None, "", None)
    if isinstance(meaning, syntax.Name):
        return Standing(target, target.address, target.type)
    if isinstance(meaning, syntax.Part) and isinstance(meaning.base, syntax.Name) and target.point is not None:
        width = WIDTHS[meaning.size]
        part = points.part(target.point, meaning.number * width, width)
        return Standing(target, points.shown(part), TYPES[width])
    return Standing(target, "", None)


def uses_by(tag: Tag, standing: Standing, uses: Iterable[TagUse]) -> list[TagUse]:
    """Where a second name is read and written: of the uses of what it stands for those that call it so."""
    if standing.tag is None:
        return [use for use in uses if use.tag is tag]
    named = ((use, use.unit.source.text[use.origin.start : use.origin.end]) for use in uses if use.tag is standing.tag)
    return [use for use, text in named if text.upper() == tag.key]
