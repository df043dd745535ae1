"""What can be named from anywhere: units of the library, standard blocks, standard functions."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence

from upright_block.language import syntax
from upright_block.language.field.points import Point, Points
from upright_block.language.field.tags import Tag
from upright_block.language.nodes import fresh, record, state
from upright_block.language.signatures import StandardFunction
from upright_block.language.source import Source
from upright_block.language.telling.allowing import Allowance
from upright_block.language.typed import Initial, Structure, Unit
from upright_block.language.types import Enumeration, Type

_UNITS = ("FUNCTION_BLOCK", "FUNCTION", "PROGRAM", "CLASS", "INTERFACE")


@record
class Dialect:
    """What the manifest says of the controllers that a library is for; 0, or no characters, where it says nothing.

    ``longest_time`` is that of a TIME in ns, ``longest_name`` the number of characters of a name. ``styles`` are the
    patterns that names follow, by the kind of what has them.
    """

    longest_time: int = 0
    longest_name: int = 0
    name_characters: frozenset[str] = frozenset()
    styles: Mapping[str, tuple[str, ...]] = fresh(default_factory=dict)


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

    source: Source
    enumeration: Enumeration
    namespace: str
    unit: Unit | None


@record
class Elsewhere:
    """A name that a source declares which is not read now: of a unit of a ``kind``, a ``TYPE``, a ``VALUE`` or a
    ``VARIABLE``.

    It is known for suggestions alone. What a rig declares rigs alone see.
    """

    full_name: str
    kind: str
    is_of_rig: bool


@state
class Missing:
    """A name that is used and not declared; ``type`` is that of the pin it stands on, where it stands on one."""

    name: str
    type: Type | None = None
    is_output: bool = False


def _none() -> Standard:
    """No units at all."""
    return Standard(lambda _: None, lambda _: None, frozenset())


@state
class Scope:
    """All names of the library ``name``, in upper case. Standard units appear as they are first used.

    ``values`` holds the enumerations that have a value of a name. ``rigs`` are the sources that are there for cases
    alone: what they declare is seen by each other and by nothing else, and they alone see the ``stand_ins``.
        ``missing`` are names that programs use and nobody declares. ``elsewhere`` are names of sources that are not
        read. ``outputs`` are the tags with a variable of their own at each byte of the outputs, and what programs have
        AT one, as tags without a variable. ``postponed`` is what is done once the pins of all blocks are known.
    """

    standard: Standard
    name: str = "library"
    stand_ins: Callable[[], Standard] = _none
    rigs: set[Source] = fresh(default_factory=set)
    units: dict[str, Unit] = fresh(default_factory=dict)
    types: dict[str, NamedType] = fresh(default_factory=dict)
    values: dict[str, list[NamedValues]] = fresh(default_factory=dict)
    configurations: dict[str, Unit] = fresh(default_factory=dict)
    points: Points = fresh(default_factory=Points)
    missing: dict[str, Missing] = fresh(default_factory=dict)
    allowances: list[Allowance] = fresh(default_factory=list)
    tags: dict[str, Tag] = fresh(default_factory=dict)
    outputs: dict[int, list[Tag]] = fresh(default_factory=dict)
    dialect: Dialect = Dialect()
    postponed: list[Callable[[], None]] = fresh(default_factory=list)
    elsewhere: Sequence[Elsewhere] = ()

    def enter_output(self, tag: Tag) -> None:
        """Note a variable at an output, so that the address of that output is told to be it."""
        if tag.point is not None and tag.point.area == "Q":
            for byte in tag.point.bytes:
                self.outputs.setdefault(byte, []).append(tag)

    def outputs_at(self, point: Point) -> Iterator[Tag]:
        """What is at an output, or has bits of it."""
        near = dict.fromkeys(tag for byte in point.bytes for tag in self.outputs.get(byte, ()))
        return (tag for tag in near if point.area == "Q" and tag.point is not None and tag.point.overlaps(point))

    @property
    def globals(self) -> Structure:
        """All global variables."""
        return self.points.globals

    def is_seen(self, home: Source | None, source: Source | None) -> bool:
        """Whether what ``home`` declares may be named in ``source``; without one, from outside."""
        return home not in self.rigs or source is None or source in self.rigs

    def names_elsewhere(self, source: Source | None, *kinds: str) -> Iterator[str]:
        """The names of some kinds that sources declare which are not read, as far as they may be used in ``source``."""
        sees_rigs = source is None or source in self.rigs
        return (each.full_name for each in self.elsewhere if each.kind in kinds and (sees_rigs or not each.is_of_rig))

    def known_names(self, source: Source | None = None) -> Iterator[str]:
        """Every name that a type or a callee may have in ``source``, for suggestions."""
        own = (unit for unit in self.units.values() if not unit.is_standard)
        yield from (unit.full_name for unit in own if self.is_seen(unit.source, source))
        types = (named for named in self.types.values() if self.is_seen(named.source, source))
        yield from (named.syntax.home.full(named.name) for named in types)
        yield from self.names_elsewhere(source, "TYPE", *_UNITS)
        yield from sorted(self.standard.names)
        if source in self.rigs:
            yield from sorted(self.stand_ins().names)
