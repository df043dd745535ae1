"""Bodies laid over those of some units while they are compiled, so that a unit can run otherwise and stays as it is written."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from upright_block.language.rewriting import Body
from upright_block.language.typed import Unit


class Overlay:
    """The bodies that are compiled, those of some units others than they have, and what was worked out from them."""

    def __init__(self, bodies: Mapping[Unit, Body] | None = None) -> None:
        self._bodies = bodies or {}
        self._kept: dict[Unit, dict[str, Any]] = {}

    def body(self, unit: Unit) -> Body:
        """The body of a unit."""
        return self._bodies.get(unit, unit.body or ())

    def kept(self, unit: Unit) -> dict[str, Any]:
        """What is known of the body of a unit, or of a call of it; what is known of units as they are written all programs share."""
        return self._kept.setdefault(unit, {}) if self._bodies else unit.kept


WRITTEN = Overlay()
"""The bodies as they are written."""
