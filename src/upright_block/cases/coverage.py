"""What of the bodies of a library its cases reached: statements, and the ways of branches."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from upright_block.compiler.code import Point
from upright_block.compiler.image import Bodies, InUnit, build_image
from upright_block.compiler.program import Mode, as_block, make_program
from upright_block.language.nodes import record
from upright_block.language.source import Source
from upright_block.language.typed import Unit


@record
class Spot(InUnit):
    """A statement, or one way of a branch, at its place; ``way`` is empty for a statement."""

    way: str
    is_reached: bool


@record
class UnitCoverage:
    """The spots of a unit with its methods, in the order of the text, and how many cases reached one of them."""

    unit: Unit
    spots: tuple[Spot, ...]
    cases: int

    def counts(self, of_branches: bool) -> tuple[int, int]:
        """How many statements, or ways of branches, were reached, and how many there are."""
        own = [spot for spot in self.spots if bool(spot.way) is of_branches]
        return sum(spot.is_reached for spot in own), len(own)

    @property
    def missed(self) -> Iterator[Spot]:
        """What was not reached; of a statement in a way that was not, the way alone."""
        lines: set[int] = set()
        for spot in self.spots:
            if not spot.is_reached and spot.line not in lines:
                lines.add(spot.line)
                yield spot


_Key = tuple[str, int, str]


class Collector:
    """Gathers what programs have and what runs reached."""

    def __init__(self) -> None:
        self.known: dict[_Key, Point] = {}
        self.reached: dict[_Key, set[str]] = {}

    def has(self, points: Iterable[Point]) -> None:
        """Take in what a program has."""
        for point in points:
            if _is_written(point.unit):
                self.known.setdefault(_key(point), point)

    def saw(self, points: Iterable[Point], case: str) -> None:
        """Take in what a case reached."""
        for point in points:
            self.reached.setdefault(_key(point), set()).add(case)

    def of(self, units: Sequence[Unit], mode: Mode) -> list[UnitCoverage]:
        """The coverage of some units; what no case runs is compiled to know what it has."""
        bodies = Bodies()
        seen = {key[0] for key in self.known}
        for unit in units:
            if unit.key not in seen and not unit.is_broken and unit.kind in ("FUNCTION_BLOCK", "FUNCTION", "PROGRAM"):
                self.has(point for _, point in build_image(make_program(as_block(unit), mode=mode), bodies).points)
        own: dict[str, list[Spot]] = {unit.key: [] for unit in units}
        cases: dict[str, set[str]] = {unit.key: set() for unit in units}
        for key, point in self.known.items():
            holder = point.unit.owner or point.unit
            name = holder.wraps.key if holder.wraps else holder.key
            if name in own:
                found = self.reached.get(key, set())
                own[name].append(Spot(point.unit, point.origin.start, point.way, bool(found)))
                cases[name] |= found
        return [
            UnitCoverage(unit, tuple(sorted(own[unit.key], key=lambda s: (s.start, s.way))), len(cases[unit.key]))
            for unit in units
            if own[unit.key]
        ]


def _is_written(unit: Unit) -> bool:
    """Whether a unit stands in the library; rules are looked at by methods that nobody wrote there."""
    return unit.owner is None or unit.owner.methods.get(unit.name.upper()) is unit


def _key(point: Point) -> _Key:
    return point.unit.key, point.origin.start, point.way


def lcov(covered: Iterable[UnitCoverage]) -> str:
    """Coverage by lines and ways as a tracefile that servers and editors read; paths are from the library's folder."""
    by_source: dict[Source, list[Spot]] = {}
    for unit in covered:
        for spot in unit.spots:
            by_source.setdefault(spot.source, []).append(spot)
    lines: list[str] = []
    for source, spots in sorted(by_source.items(), key=lambda entry: entry[0].path):
        hit: dict[int, bool] = {}
        for spot in spots:
            hit[spot.line] = hit.get(spot.line, False) or (spot.is_reached and not spot.way)
        branches = [spot for spot in spots if spot.way]
        lines += ["TN:", f"SF:{source.path}"]
        numbers: dict[int, int] = {}
        for spot in branches:
            number = numbers[spot.start] = numbers.get(spot.start, -1) + 1
            lines.append(f"BRDA:{spot.line},{spot.start},{number},{int(spot.is_reached)}")
        lines += [f"BRF:{len(branches)}", f"BRH:{sum(spot.is_reached for spot in branches)}"]
        lines += [f"DA:{line},{int(hit[line])}" for line in sorted(hit)]
        lines += [f"LF:{len(hit)}", f"LH:{sum(hit.values())}", "end_of_record"]
    return "".join(line + "\n" for line in lines)
