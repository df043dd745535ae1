"""What the numbers of a list have before their decimals: a comma or a point."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from upright_block.errors import BadValue
from upright_block.lists import cells, words
from upright_block.lists.grid import Entry

_WHOLE = ("raw_low", "raw_high")


class Decimals:
    """Hears all numbers of a list, and then reads each.

    One that has groups of thousands and decimals tells what its sign means, and so does a whole number. ``1,250`` alone
    does not: then it is read as the others of the list, and where none tells the call has to.
    """

    def __init__(self, asked: str) -> None:
        self.asked = asked
        self.signs: set[str] = {asked} if asked else set()

    def hear(self, entries: Iterable[Entry], column: str) -> None:
        """Let the cells of a column say what they mean."""
        for entry in entries if not self.asked else ():
            found = cells.number(entry.text) if entry.kind == "text" else None
            if found is None:
                continue
            if found.sign is not None:
                self.signs.add(found.sign)
            elif found.is_open and column in _WHOLE:
                self.signs.add("," if found.written == "." else ".")

    def text(self, text: str, column: str, place: str, note: Callable[[str], None]) -> str | None:
        """A number as a tag table has it; None where the text is none.

        Raises:
            BadValue: it can be read in two ways.
        """
        found = cells.number(text)
        if found is None:
            return text if column == "initial" else None
        if self.asked and found.sign not in (None, self.asked):
            return None
        is_whole = column in _WHOLE and not self.asked
        is_grouped = is_whole or self.signs != {found.written}
        if found.is_open and not is_whole and len(self.signs) != 1:
            if self.signs or found.written == ",":
                ways = (found.text(is_grouped=is_it) for is_it in (False, True))
                raise BadValue(*words.undecided(place, text, *ways))
            is_grouped = False
            note(f"{text} is read with a point before its decimals")
        made = found.text(is_grouped=is_grouped)
        whole, _, decimals = made.partition(".")
        return whole if column in _WHOLE and decimals and not decimals.strip("0") else made
