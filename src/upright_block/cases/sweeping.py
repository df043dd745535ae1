"""The values of a sweep, put where a case names them."""

from __future__ import annotations

import re
from collections.abc import Mapping

from upright_block.language.nodes import replaced
from upright_block.library import Toml
from upright_block.library.table import Table

_PLACE = re.compile(r"\{([A-Za-z_][A-Za-z0-9_]*)\}")


class Swept:
    """The values of one case of a sweep, by their names, and which of the names were met."""

    def __init__(self, values: Mapping[str, str]) -> None:
        self.values = values
        self.met: set[str] = set()

    def text(self, text: str) -> str:
        """A text with the values in place of ``{name}``."""
        return _PLACE.sub(self._place, text) if self.values and "{" in text else text

    def _place(self, found: re.Match[str]) -> str:
        if found[1] not in self.values:
            return found[0]
        self.met.add(found[1])
        return self.values[found[1]]

    def value(self, written: Toml) -> Toml:
        """A value of TOML with the values in its texts."""
        made: object = written.value
        match written.value:
            case str(text):
                made = self.text(text)
            case list(items):
                made = [self.value(item) for item in items]
            case dict(entries):
                made = {key: self.value(entry) for key, entry in entries.items()}
        return Toml(made, written.key_start, written.key_end, written.start, written.end)

    def table(self, written: Table) -> Table:
        """A table with the values in its cells."""
        columns = tuple([self.text(text) for text in column] for column in written.columns)
        return replaced(written, columns=columns)
