"""What can be named from anywhere: units of the library, standard blocks, standard functions."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from upright_block.language import syntax
from upright_block.language.nodes import fresh, record, state
from upright_block.language.signatures import StandardFunction
from upright_block.language.source import Source
from upright_block.language.typed import Initial, Structure, Unit
from upright_block.language.types import Enumeration, Type


@record
class Standard:
    """The standard's own blocks and functions, as the layer that holds them offers them.

    ``source`` gives the text of a unit written in the block language, ``function`` a function that
    the compiler knows; both take a name in upper case and return None for one they do not have. ``names`` are
    those that a library may use; what is not among them are helpers of the others.
    """

    source: Callable[[str], Source | None]
    function: Callable[[str], StandardFunction | None]
    names: frozenset[str]


@state
class NamedType:
    """A type of the library. ``type`` is None until it is looked at; ``initial`` is None where none is written.

    While it is read, ``opened_at`` is the number of REF_TO that it was reached through.
    """

    name: str
    source: Source
    syntax: syntax.TypeDeclaration
    type: Type | None = None
    initial: Initial = None
    opened_at: int | None = None


@state
class NamedValues:
    """An enumeration, and where its bare names are known: in a namespace, or in the unit that it is written in."""

    enumeration: Enumeration
    namespace: str
    unit: Unit | None


@state
class Scope:
    """All names of the library, in upper case. Standard units appear as they are first used.

    ``values`` holds the enumerations that have a value of a name.
    """

    standard: Standard
    units: dict[str, Unit] = fresh(default_factory=dict)
    types: dict[str, NamedType] = fresh(default_factory=dict)
    values: dict[str, list[NamedValues]] = fresh(default_factory=dict)
    configurations: dict[str, Unit] = fresh(default_factory=dict)
    globals: Structure = fresh(default_factory=lambda: Structure("global variables", Source("", ""), is_globals=True))

    def known_names(self) -> Iterator[str]:
        """Every name that a type or a callee may have, for suggestions."""
        yield from (unit.full_name for unit in self.units.values() if not unit.is_standard)
        yield from (named.syntax.home.full(named.name) for named in self.types.values())
        yield from sorted(self.standard.names)
