"""Rows of a table that are alike but for their numbers, and the cells of one that has the number of another."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence

from upright_block.language.checking.words import siblings as words
from upright_block.language.field.tags import Tag
from upright_block.language.nodes import record
from upright_block.language.parsing.wiring import WiringTable, first_of_range, range_length
from upright_block.language.source import Cell
from upright_block.language.telling.findings import Findings, Words

_FEWEST_SIBLINGS = 4
_MOST_ODD = 4
"""At most one row of so many may be odd; where more differ, that is how they are meant."""
_NAME = re.compile(r"(?<![\w#%.])[A-Za-z_]\w*(?:\[\d+(?:\s*,\s*\d+)*\]|\.%?\w+)*")
"""A path: the numbers of names in it, of elements and of bits count."""
_NUMBER = re.compile(r"\d+")
_NOT = re.compile(r"\bNOT\b\s*", re.IGNORECASE)


@record
class _Row:
    """The first instance of a row: its name, the numbers of that, and for how many instances it stands."""

    name: str
    numbers: tuple[int, ...]
    weight: int
    cells: Mapping[str, Cell]


@record
class _Used:
    """A cell: its text with a mark for each number of a name, and those numbers with their places in the text."""

    row: _Row
    cell: Cell
    text: str
    shape: str
    numbers: tuple[re.Match[str], ...]


def check_siblings(table: WiringTable, findings: Findings) -> None:
    """Report cells whose names have another number, or another sense, than those of the row's siblings."""
    families: dict[tuple[str, str], list[_Row]] = {}
    for row in _rows(table):
        families.setdefault((_shape(row.name), row.cells["block"].text.upper()), []).append(row)
    for family in families.values():
        columns = [*table.heads, "result"]
        groups = {column: list(_alike(family, column)) for column in columns}
        for column in columns:
            for used in groups[column]:
                others = {each.shape for other in columns if other != column for g in groups[other] for each in g}
                crossed = list(_crossed(used, others))
                found = [*_odd_numbers(used), *_odd_senses(used)] if _count(family) >= _FEWEST_SIBLINGS else []
                for cell, said in crossed or found:
                    findings.add(said.told(table.source, cell.start, cell.end))


def odd_aliases(tags: Iterable[Tag]) -> Iterator[tuple[Tag, Cell, Words]]:
    """Second names of tags that stand for something with another number than their siblings do, or for what another
    one should.
    """
    families: dict[tuple[str, str], list[_Row]] = {}
    known: dict[str, Tag] = {}
    for tag in tags:
        numbers = tuple(int(n) for n in _NUMBER.findall(tag.name))
        if "stands_for" in tag.cells and numbers:
            known[tag.name] = tag
            families.setdefault((_shape(tag.name), tag.source.name), []).append(_Row(tag.name, numbers, 1, tag.cells))
    for family in families.values():
        for used in _alike(family, "stands_for"):
            found = [*_odd_numbers(used)] if _count(family) >= _FEWEST_SIBLINGS else []
            owners = {id(each.cell): known[each.row.name] for each in used}
            for cell, said in [*_crossed(used, set())] or found:
                yield owners[id(cell)], cell, said


def _rows(table: WiringTable) -> Iterator[_Row]:
    for cells in table.rows:
        if "instance" in cells and "block" in cells:
            name = first_of_range(cells["instance"].text, is_name=True)
            numbers = tuple(int(n) for n in _NUMBER.findall(name))
            if numbers:
                yield _Row(name, numbers, range_length(cells["instance"].text), cells)


def _count(rows: Sequence[_Row]) -> int:
    return sum(row.weight for row in rows)


def _shape(text: str) -> str:
    return _NUMBER.sub("#", text).upper()


def _alike(family: Sequence[_Row], column: str) -> Iterator[list[_Used]]:
    """The cells of a column, in groups of those that are the same but for numbers and senses."""
    groups: dict[str, list[_Used]] = {}
    for row in family:
        cell = row.cells.get(column)
        if cell is None:
            continue
        text = first_of_range(cell.text)
        names = [m for name in _NAME.finditer(text) for m in _NUMBER.finditer(text, name.start(), name.end())]
        shape = _NAME.sub(lambda m: _shape(m[0]), text)
        if names:
            groups.setdefault(_NOT.sub("", shape), []).append(_Used(row, cell, text, shape, tuple(names)))
    yield from groups.values()


def _odd(found: Sequence[_Used], values: Sequence[object]) -> list[int]:
    """Which of some cells have another value than the most of them; none where too many do."""
    weights: Counter[object] = Counter()
    for used, value in zip(found, values, strict=True):
        weights[value] += used.row.weight
    total = sum(weights.values())
    usual, count = weights.most_common(1)[0]
    if total < _FEWEST_SIBLINGS or (total - count) * _MOST_ODD > total:
        return []
    return [index for index, value in enumerate(values) if value != usual]


def _odd_numbers(found: Sequence[_Used]) -> Iterator[tuple[Cell, Words]]:
    """Cells in which a number stands in another relation to those of the row's own name."""
    own = min(len(used.row.numbers) for used in found)
    siblings = _count([used.row for used in found]) - 1
    for place in range(min(len(used.numbers) for used in found)):
        numbers = [int(used.numbers[place][0]) for used in found]
        ways = [[n - used.row.numbers[k] for used, n in zip(found, numbers, strict=True)] for k in range(own)]
        if any(len(set(steps)) == 1 for steps in (numbers, *ways)):
            continue
        some: list[tuple[list[int], int]] = [(odd, k) for k, steps in enumerate(ways) if (odd := _odd(found, steps))]
        odd, k = min(some, key=lambda entry: len(entry[0]), default=([], 0))
        usual = next(step for index, step in enumerate(ways[k]) if index not in odd)
        names = [used.row.numbers[k] for used in found]
        for index in odd:
            if usual and names[index] in (min(names), max(names)):
                continue  # the first and the last one of a chain have no neighbour
            used, number = found[index], found[index].numbers[place]
            wanted = str(names[index] + usual).zfill(len(number[0]))
            better = f"{used.text[: number.start()]}{wanted}{used.text[number.end() :]}"
            is_range = used.text != used.cell.text
            yield used.cell, words.odd_number(used.row.name, used.text, better, is_range, siblings)


def _crossed(found: Sequence[_Used], elsewhere: set[str]) -> Iterator[tuple[Cell, Words]]:
    """Two cells each of which has the number of the other's row, while all others have that of their own.

    Of two rows alone it is told only where no other column has such names (``elsewhere``): what is meant for a
    neighbour has its own row's name there.
    """
    if len(found) < 2 or any(len(used.row.numbers) != 1 or len(used.numbers) != 1 for used in found):
        return
    by_name = {used.row.numbers[0]: used for used in found if used.row.weight == 1}
    number_of = {used.row.numbers[0]: int(used.numbers[0][0]) for used in found}
    steps = Counter(number - name for name, number in number_of.items())
    step = steps.most_common(1)[0][0] if len(found) > 2 else 0
    odd = [name for name, number in number_of.items() if number != name + step]
    is_pair = len(odd) == 2 and all(name in by_name for name in odd) and len(number_of) == len(found)
    if not is_pair or (len(found) == 2 and found[0].shape in elsewhere):
        return
    first, second = odd
    if number_of[first] == second + step and number_of[second] == first + step:
        for name, other in ((first, second), (second, first)):
            used, partner = by_name[name], by_name[other]
            yield used.cell, words.crossed(used.row.name, used.text, partner.row.name, partner.text)


def _odd_senses(found: Sequence[_Used]) -> Iterator[tuple[Cell, Words]]:
    """Cells with a NOT where their siblings have none, or the other way about."""
    for index in _odd(found, [used.shape for used in found]):
        used = found[index]
        usual = next(other.shape for other in found if other.shape != used.shape)
        yield used.cell, words.odd_sense(used.row.name, used.text, "NOT" in usual, _count([u.row for u in found]) - 1)
