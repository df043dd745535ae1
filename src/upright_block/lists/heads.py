"""Which rows of a list are its heads, and which columns of a tag table they name."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence

from upright_block.errors import BadValue
from upright_block.language.field.tags import COLUMNS
from upright_block.language.names import did_you_mean
from upright_block.language.nodes import record
from upright_block.language.source import column_letters
from upright_block.library.heads import folded, meant
from upright_block.lists import words
from upright_block.lists.grid import Grid, Row

_PLACES = frozenset({"card", "slot", "rack", "module", "channel", "ch", "terminal", "byte", "bit", "node"})
"""Heads of columns that together say where a point is, in place of an address."""


@record
class Head:
    """The heads of a list: ``columns`` says by its column of a tag table which column of the list is taken for it, and
    ``kept`` has the name under which any other column stays.

    Columns of the list count from 0. ``texts`` are the heads as they stand there.
    """

    rows: tuple[Row, ...]
    texts: Sequence[str]
    columns: Mapping[str, int]
    kept: Mapping[int, str]

    def repeats(self, row: Row) -> bool:
        """Whether a row below has the heads again, as on each page of a print."""
        named = self.columns.values()
        return any(
            sum(bool(head.text(n)) for n in named) > 1
            and all(folded(row.text(n)) == folded(head.text(n)) for n in named)
            for head in self.rows
        )


def find_head(grid: Grid, asked: Mapping[str, str], number: int | None) -> Head | None:
    """The heads of a grid: the row, or the two rows, that name most columns of a tag table; of equal ones the first.

    ``asked`` says which head is to be taken for a column, and an empty one that none is; ``number`` is the row of the
    heads where somebody said it.

    Raises:
        BadValue: two columns are called the same, and both could be the names or the points; or points are given by
            card and channel.
    """
    best: tuple[int, tuple[Row, ...], list[str]] | None = None
    for rows in _candidates(grid, number):
        texts = _texts(rows)
        named = set(_named(texts, asked).values())
        score = len(named)
        is_head = "tag" in named and (score > 1 or number is not None or "tag" in map(str.lower, texts))
        if is_head and (best is None or score > best[0]):
            best = score, rows, texts
    return None if best is None else _head(grid, best[1], best[2], asked)


def _candidates(grid: Grid, number: int | None) -> Iterator[tuple[Row, ...]]:
    """Single rows, and each with the one below."""
    rows = grid.rows
    for index, row in enumerate(rows):
        if number is None or row.number == number:
            yield (row,)
            if index + 1 < len(rows):
                yield row, rows[index + 1]


def _texts(rows: Sequence[Row]) -> list[str]:
    """The heads of one row, or of two: there what stands above several columns belongs to each of them."""
    width = max(len(row.entries) for row in rows)
    lowest = [" ".join(rows[-1].text(n).split()) for n in range(width)]
    if len(rows) == 1:
        return lowest
    found: list[str] = []
    above = ""
    for n, below in enumerate(lowest):
        own = " ".join(rows[0].text(n).split())
        above = own or (above if below else "")
        found.append(below if own == below or not above else f"{above} {below}".strip())
    return found


def _named(texts: Sequence[str], asked: Mapping[str, str]) -> dict[int, str]:
    """The columns of a tag table that heads name, by the columns of the list; of several for one the best named."""
    found: dict[str, tuple[int, int]] = {}
    wanted = {folded(head): column for column, head in asked.items() if head}
    for n, text in enumerate(texts):
        own = wanted.get(folded(text)) if text else None
        column, rank = (own, -1) if own else (meant(text) or ("", 0)) if text else ("", 0)
        if column and (own or column not in asked) and (column not in found or rank < found[column][0]):
            found[column] = rank, n
    return {n: column for column, (_, n) in found.items()}


def _head(grid: Grid, rows: tuple[Row, ...], texts: list[str], asked: Mapping[str, str]) -> Head:
    named = _named(texts, asked)
    for n, text in enumerate(texts):
        column, rank = (meant(text) if text else None) or ("", 0)
        other = next((own for own in named if named[own] == column), n)
        if column in ("tag", "point") and other != n and column not in asked and not _is_better(texts[other], rank):
            raise BadValue(*words.two_columns(grid.place(rows[-1]), column, texts[other], text))
    if "point" not in named.values() and "point" not in asked:
        cards = [text for text in texts if set(folded(text).split()) & _PLACES]
        if len(cards) > 1:
            raise BadValue(*words.by_card(grid.place(rows[-1]), cards))
    columns = {column: n for n, column in named.items()}
    return Head(rows, texts, columns, dict(_kept(texts, named, grid)))


def _is_better(text: str, rank: int) -> bool:
    found = meant(text)
    return found is not None and found[1] == 0 and rank > 0


def _kept(texts: Sequence[str], named: Mapping[int, str], grid: Grid) -> Iterable[tuple[int, str]]:
    """The columns that nothing is taken for, with names that no two of them share and no column of a tag table has."""
    taken = {*COLUMNS}
    width = max(len(row.entries) for row in grid.rows)
    for n in range(width):
        text = texts[n] if n < len(texts) else ""
        if n in named or (not text and not any(row.text(n) for row in grid.rows)):
            continue
        name = text or f"column_{column_letters(n + 1)}"
        name = f"{name}_as_listed" if name.lower() in COLUMNS else name
        tries, own = 1, name
        while own.lower() in taken:
            tries += 1
            own = f"{name}_{tries}"
        taken.add(own.lower())
        yield n, own


def check_columns(asked: Mapping[str, str]) -> None:
    """Refuse columns that a tag table does not have.

    Raises:
        BadValue: there is one.
    """
    for column in asked:
        if column not in COLUMNS:
            raise BadValue(*words.no_column(column, did_you_mean(column, COLUMNS)))


def check_heads(file: str, texts: Sequence[str], asked: Mapping[str, str]) -> None:
    """Refuse heads that a list does not have.

    Raises:
        BadValue: there is one.
    """
    for head in asked.values():
        if head and not any(folded(text) == folded(head) for text in texts):
            raise BadValue(*words.no_head(file, head, did_you_mean(head, texts), texts))
