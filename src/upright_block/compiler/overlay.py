"""Bodies laid over those of some units while they are compiled, so that a unit can run otherwise and stays as it is
written.
"""

from __future__ import annotations

from collections.abc import Mapping

from upright_block.language.nodes import Side, fresh, record, state
from upright_block.language.rewriting import Body
from upright_block.language.typed import Unit, Variable


@record
class Usage:
    """``needed`` are the variables whose value before the body matters: they are read before they are
    assigned, or not assigned on every way to its end. ``seldom`` are those that it names so rarely
    that they are best left in memory.
    """

    needed: frozenset[Variable]
    seldom: frozenset[Variable]


@state
class BodyFacts:
    """What was found out about a body, or a call of it, as far as somebody asked; see `flow`."""

    inside: dict[tuple[tuple[Variable, ...], frozenset[Variable]], Usage] = fresh(default_factory=dict)
    length: int | None = None
    has_loops: bool | None = None
    changes_others: bool | None = None


@Side
def _written_facts(_: Unit) -> BodyFacts:
    return BodyFacts()


class Overlay:
    """The bodies that are compiled, those of some units others than they have, and what was worked out from them."""

    def __init__(self, bodies: Mapping[Unit, Body] | None = None) -> None:
        self._bodies = bodies or {}
        self._facts: dict[Unit, BodyFacts] = {}

    def body(self, unit: Unit) -> Body:
        """The body of a unit."""
        return self._bodies.get(unit, unit.body or ())

    def facts(self, unit: Unit) -> BodyFacts:
        """What is known of the body of a unit; what is known of units as they are written all programs share."""
        if not self._bodies:
            return _written_facts(unit)
        found = self._facts.get(unit)
        if found is None:
            found = self._facts[unit] = BodyFacts()
        return found


WRITTEN = Overlay()
"""The bodies as they are written."""
