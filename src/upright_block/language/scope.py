"""What can be named from anywhere: units of the library, standard blocks, standard functions."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from upright_block.language.signatures import StandardFunction
from upright_block.language.source import Source
from upright_block.language.typed import Unit


@dataclass(frozen=True, slots=True)
class Standard:
    """The standard's own blocks and functions, as the layer that holds them offers them.

    ``source`` gives the text of a unit written in the block language, ``function`` a function that
    the compiler knows; both take a name in upper case and return None for one they do not have.
    """

    source: Callable[[str], Source | None]
    function: Callable[[str], StandardFunction | None]
    names: Iterable[str]


@dataclass(slots=True)
class Scope:
    """All units by their name in upper case. Standard units appear as they are first used."""

    standard: Standard
    units: dict[str, Unit] = field(default_factory=dict)

    def known_names(self) -> list[str]:
        """Every name that a type or a callee may have, for suggestions."""
        return [unit.name for unit in self.units.values()] + list(self.standard.names)
