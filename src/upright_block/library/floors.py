"""How much of the units of a library its cases must reach: the table ``coverage`` of the manifest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fnmatch import fnmatchcase

from upright_block.language.names import did_you_mean
from upright_block.language.nodes import record
from upright_block.library.toml import Toml

REACHED = ("statements", "branches", "states", "transitions", "timers", "faults")
"""What a floor may be of."""
_WAY_OUT = 'Write floors = { "*" = { statements = 90 } } below [coverage].'


@record
class Floor:
    """The least percentage of each kind that the cases must reach of the units whose name fits a pattern; ``start`` is
    its place.
    """

    pattern: str
    least: Mapping[str, float]
    start: int

    def fits(self, name: str) -> bool:
        """Whether it is for a unit of this name."""
        return fnmatchcase(name.upper(), self.pattern.upper())


class FloorProblem(Exception):
    """The table says something that it should not; ``place`` is where, ``said`` are what and the way out."""

    def __init__(self, place: Toml, said: tuple[str, str]) -> None:
        super().__init__(said[0])
        self.place = place
        self.said = said


def read_floors(written: Toml) -> tuple[Floor, ...]:
    """``[coverage]`` with ``floors = { "*" = { statements = 90 } }``

    Raises:
        FloorProblem: it is something else.
    """
    for key, entry in written.value.items() if isinstance(written.value, dict) else ():
        if key != "floors":
            raise FloorProblem(entry, (f"coverage has no key {key}.", did_you_mean(key, ["floors"]) or _WAY_OUT))
    floors = written.value.get("floors") if isinstance(written.value, dict) else None
    if floors is None or not isinstance(floors.value, dict):
        raise FloorProblem(written, ("coverage has no table of floors.", _WAY_OUT))
    return tuple(_floor(pattern, entry) for pattern, entry in floors.value.items())


def _floor(pattern: str, written: Toml) -> Floor:
    if not isinstance(written.value, dict) or not written.value:
        raise FloorProblem(written, (f"The floor of {pattern} is no table.", _WAY_OUT))
    for kind, entry in written.value.items():
        if kind not in REACHED:
            way_out = did_you_mean(kind, REACHED) or f"There are {', '.join(REACHED)}."
            raise FloorProblem(entry, (f"A floor is of no {kind}.", way_out))
        is_number = isinstance(entry.value, (int, float)) and not isinstance(entry.value, bool)
        if not is_number or not 0 <= entry.value <= 100:
            raise FloorProblem(entry, (f"{kind} is {entry.value!r}.", "Write a percentage from 0 to 100."))
    return Floor(pattern, {kind: float(entry.value) for kind, entry in written.value.items()}, written.key_start)


def floor_of(name: str, floors: Sequence[Floor]) -> Floor | None:
    """The floor for a unit: of those that fit that with the longest pattern; of two as long that with fewer marks."""

    def size(floor: Floor) -> tuple[int, int]:
        return len(floor.pattern), -sum(map(floor.pattern.count, "*?["))

    return max((floor for floor in floors if floor.fits(name)), key=size, default=None)
