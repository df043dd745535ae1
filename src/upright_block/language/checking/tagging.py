"""What can be wrong with tags beyond their rows: who uses them, and names and rows that look like a slip of the
hand.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from itertools import pairwise

from upright_block.language import typed
from upright_block.language.checking.siblings import odd_aliases
from upright_block.language.checking.words import tagging as words
from upright_block.language.field.tag_uses import TagIndex, tag_uses
from upright_block.language.field.tags import Tag
from upright_block.language.scope import Scope
from upright_block.language.telling.findings import Finding, Findings, HasPlace, Related, Words

_NUMBER = re.compile(r"\d+")
_LETTERS = re.compile(r"([A-Za-z])\1+")
_LOOKALIKES = str.maketrans({"O": "0", "o": "0", "l": "1", "I": "1"})
_FEWEST_SIBLINGS = 3


def check_tags(units: Iterable[typed.Unit], scope: Scope, findings: Findings) -> None:
    """Report tags that are used wrongly, used by nobody, or look like a slip."""
    if not scope.tags:
        return
    tags = list(scope.tags.values())
    for finding in (*_used(tags, list(units), scope), *_hiding(scope), *_twins(tags), *_odd_ones(tags)):
        findings.add(finding)


def _at(tag: Tag, said: Words, cell: HasPlace | None = None, *related: Related) -> Finding:
    place = cell or tag
    return said.told(tag.source, place.start, place.end, *related)


def _used(tags: list[Tag], units: list[typed.Unit], scope: Scope) -> Iterator[Finding]:
    """Inputs that logic writes; outputs that nobody writes; inputs that nobody reads."""
    read: set[Tag] = set()
    written: set[Tag] = set()
    for use in tag_uses(tags, units):
        (read if use.kind == "read" else written).add(use.tag)
        if use.kind == "write" and use.tag.area == "I":
            first = Related(use.tag.source, use.tag.start, use.tag.end, f"{use.tag.name} is at {use.tag.address}")
            said = words.input_written(use.tag)
            yield said.told(use.unit.source, use.origin.start, use.origin.end, first)
    if any(unit.is_broken for unit in units):
        return  # what a body with errors uses is not known
    hidden = {key for unit in units if unit.kind == "PROGRAM" for key in unit.variables}
    index = TagIndex(tags)
    for tag in tags:
        inner = index.inside(tag)
        if tag.key in hidden or tag.is_spare:
            continue
        if tag.area == "Q" and written.isdisjoint(inner):
            yield _at(tag, words.output_not_written(tag))
        if tag.area == "I" and read.isdisjoint(inner) and written.isdisjoint(inner):
            yield _at(tag, words.input_not_read(tag))


def _hiding(scope: Scope) -> Iterator[Finding]:
    """Variables of programs that have the name of a tag, so that the program does not see the tag."""
    for unit in scope.units.values():
        for key, variable in unit.variables.items() if unit.kind == "PROGRAM" else ():
            tag = scope.tags.get(key)
            if tag is not None and variable.section != "external":
                first = Related(tag.source, tag.start, tag.end, f"the tag {tag.name}")
                yield words.hidden_tag(variable, unit).told(unit.source, variable.start, variable.end, first)


# --- names that look like a slip ---


def _twins(tags: list[Tag]) -> Iterator[Finding]:
    """Names that differ by characters that look alike, by a letter that is doubled, or by two letters exchanged."""
    by_look: dict[str, Tag] = {}
    by_name = {tag.key: tag for tag in tags}
    for tag in tags:
        look = _LETTERS.sub(r"\1", tag.name).translate(_LOOKALIKES).upper()
        other = by_look.setdefault(look, tag)
        if other is tag or other.key == tag.key:
            other = next((by_name[name] for name in _exchanged(tag.key) if name in by_name and name < tag.key), tag)
        if other is not tag:
            yield _at(
                tag, words.near_twins(tag, other), None, Related(other.source, other.start, other.end, other.name)
            )


def _exchanged(name: str) -> Iterator[str]:
    """The name with two neighbouring letters exchanged, in each way that there is."""
    for at, (a, b) in enumerate(pairwise(name)):
        if a != b and a.isalpha() and b.isalpha():
            yield f"{name[:at]}{b}{a}{name[at + 2 :]}"


def _odd_ones(tags: list[Tag]) -> Iterator[Finding]:
    """Tags that differ from all their siblings, and second names that stand for what another one should."""
    yield from _odd_kinds(tags)
    for tag, cell, said in odd_aliases(tags):
        yield _at(tag, said, cell)


def _odd_kinds(tags: list[Tag]) -> Iterator[Finding]:
    """A tag whose type, sense or range differs from those of all its siblings: the same name but for its numbers."""
    families: dict[str, list[Tag]] = {}
    for tag in tags:
        if tag.cells and "stands_for" not in tag.cells and _NUMBER.search(tag.name):
            families.setdefault(_NUMBER.sub("#", tag.key), []).append(tag)
    for family in families.values():
        if len(family) < _FEWEST_SIBLINGS:
            continue
        for column, value in _KINDS:
            counted = Counter(value(tag) for tag in family)
            odd = [tag for tag in family if counted[value(tag)] == 1]
            if len(counted) == 2 and len(odd) == 1:
                (tag,) = odd
                sibling = next(other for other in family if other is not tag)
                said = words.odd_one_out(tag, column, value(tag), value(sibling), len(family) - 1)
                yield _at(tag, said, tag.cells.get(column) or tag)


_KINDS: tuple[tuple[str, Callable[[Tag], str]], ...] = (
    ("type", lambda tag: str(tag.type)),
    ("sense", lambda tag: "NC" if tag.is_negated else "NO"),
    ("raw_low", lambda tag: f"{tag.scale.raw_low} to {tag.scale.raw_high}" if tag.scale else "none"),
    ("low", lambda tag: f"{tag.scale.low:g} to {tag.scale.high:g}" if tag.scale else "none"),
)
