"""What of the bodies of a library its cases reached: statements, ways of branches, states, transitions, ends of timers,
faults.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from typing import Literal

from upright_block.compiler.artifact import Artifact, InUnit, Reachable, Site
from upright_block.compiler.linking import Bodies, build_artifact, name_of
from upright_block.compiler.program import Mode, as_block, make_program
from upright_block.language.nodes import record
from upright_block.language.source import Source
from upright_block.language.typed import Unit
from upright_block.language.types import Array
from upright_block.language.views.states import StateMachine, is_timer, state_machines
from upright_block.library.floors import REACHED, Floor, floor_of
from upright_block.runs.verdict import Verdict

Kind = Literal["statement", "branch", "state", "transition", "timer", "fault"]
KINDS: tuple[Kind, ...] = ("statement", "branch", "state", "transition", "timer", "fault")
"""The kinds, in the order of their names in `REACHED`."""
_ENDLESS = "endless loop"


@record
class Spot(InUnit):
    """Something that a run can reach, at its place; ``cases`` are the ids of those that did, in their order.

    ``way`` is what leads this way, the state, the transition, the timer or the fault; it is empty for a statement.
    """

    kind: Kind
    way: str
    cases: tuple[str, ...]

    @property
    def is_reached(self) -> bool:
        """Whether any case reached it."""
        return bool(self.cases)


@record
class InstanceCoverage:
    """What cases for ``subject`` reached in the instance of a unit at ``path``: of statements and of branches how many,
    and how many there are.
    """

    subject: str
    path: str
    statements: tuple[int, int]
    branches: tuple[int, int]


@record
class UnitCoverage:
    """The spots of a unit with its methods, in the order of the text, and how many cases reached one of them.

    ``computed`` are the places at which a state machine is given a value that cannot be told, ``instances`` those in
    programs and configurations that cases ran.
    """

    unit: Unit
    spots: tuple[Spot, ...]
    cases: int
    computed: tuple[InUnit, ...]
    instances: tuple[InstanceCoverage, ...] = ()

    def counts(self, kind: Kind) -> tuple[int, int]:
        """How many spots of a kind were reached, and how many there are."""
        own = [spot for spot in self.spots if spot.kind == kind]
        return sum(spot.is_reached for spot in own), len(own)

    @property
    def missed(self) -> list[Spot]:
        """What was not reached; faults are not among it."""
        return [spot for spot in self.spots if not spot.is_reached and spot.kind != "fault"]


@record
class Shortfall:
    """A unit of which the cases reach less of a kind than a floor asks for; or a floor that fits no unit: then there is
    none.
    """

    unit: UnitCoverage | None
    kind: str
    floor: Floor


def shortfalls(covered: Sequence[UnitCoverage], floors: Sequence[Floor]) -> list[Shortfall]:
    """What is below the floors; a unit without anything of a kind is not."""
    found: list[Shortfall] = []
    for unit in covered:
        floor = floor_of(unit.unit.full_name, floors)
        for name, least in floor.least.items() if floor else ():
            reached, known = unit.counts(KINDS[REACHED.index(name)])
            if floor is not None and 100 * reached < least * known:
                found.append(Shortfall(unit, name, floor))
    names = [unit.unit.full_name for unit in covered]
    return found + [Shortfall(None, "", floor) for floor in floors if not any(map(floor.fits, names))]


_Key = tuple[str, int, str, str]


class _Runs:
    """The runs of one program: of each the id of its case, and what it reached, a byte for each of the points of the
    program.
    """

    def __init__(self, artifact: Artifact) -> None:
        self.subject = artifact.subject
        self.points = artifact.points
        self.ids: list[str] = []
        self.notes: list[bytes] = []

    @cached_property
    def places(self) -> dict[_Key, list[int]]:
        """The numbers of the bytes of each point, of which there is one for each instance."""
        found: dict[_Key, list[int]] = {}
        for number, known in enumerate(self.points):
            if known is not None and known[0].unit.is_written:
                found.setdefault(_key(known[0]), []).append(number)
        return found

    @cached_property
    def _joined(self) -> bytes:
        return b"".join(self.notes)

    def cases(self, key: _Key) -> list[str]:
        """The cases that reached a point in any instance."""
        # Every len(points)-th byte of all notes together is what each case says of one point. As one large number the
        # instances are joined by one OR, and no case is looked at by itself.
        reached = 0
        for number in self.places.get(key, ()):
            reached |= int.from_bytes(self._joined[number :: len(self.points)], "little")
        return (
            [self.ids[n] for n, is_on in enumerate(reached.to_bytes(len(self.ids), "little")) if is_on]
            if reached
            else []
        )

    @property
    def any(self) -> bytes:
        """What any run reached, a byte for each point."""
        reached = 0
        for notes in self.notes:
            reached |= int.from_bytes(notes, "little")
        return reached.to_bytes(len(self.points), "little")


class Collector:
    """Gathers what programs have and what runs reached."""

    def __init__(self) -> None:
        self.known: dict[_Key, Reachable] = {}
        self.faults: dict[_Key, Site] = {}
        self.stopped: dict[_Key, list[str]] = {}
        self.runs: dict[int, _Runs] = {}

    def has(self, artifact: Artifact) -> None:
        """Take in what a program has."""
        self.runs.setdefault(id(artifact.points), _Runs(artifact))
        for point, _ in filter(None, artifact.points):
            if point.unit.is_written:
                self.known.setdefault(_key(point), point)
        for site in artifact.sites:
            if not site.unit.is_standard and site.unit.is_written and site.kind != _ENDLESS:
                self.faults.setdefault(_fault_key(site), site)

    def saw(self, verdict: Verdict) -> None:
        """Take in what a case reached, in a program that was taken in."""
        if verdict.reached is not None:
            runs = self.runs[id(verdict.reached.points)]
            runs.ids.append(verdict.case.id)
            runs.notes.append(verdict.reached.notes)
        if verdict.fault is not None:
            self.stopped.setdefault(_fault_key(verdict.fault.site), []).append(verdict.case.id)

    def of(self, units: Sequence[Unit], mode: Mode) -> list[UnitCoverage]:
        """The coverage of some units; what no case runs is compiled to know what it has."""
        bodies = Bodies()
        seen = {key[0] for key in self.known}
        for unit in units:
            if unit.key not in seen and not unit.is_broken and unit.kind in ("FUNCTION_BLOCK", "FUNCTION", "PROGRAM"):
                self.has(build_artifact(make_program(as_block(unit), mode=mode), bodies))
        own: dict[str, list[Spot]] = {unit.key: [] for unit in units}
        for key, point in self.known.items():
            if point.kind not in ("state", "timer") and point.unit.holder in own:
                own[point.unit.holder].append(Spot(point.unit, point.start, point.kind, point.way, self._cases(key)))
        for key, site in self.faults.items():
            if site.unit.holder in own:
                own[site.unit.holder].append(
                    Spot(site.unit, site.start, "fault", site.kind, tuple(self.stopped.get(key, ())))
                )
        return [self._unit(unit, own[unit.key]) for unit in units if own[unit.key]]

    def _cases(self, key: _Key) -> tuple[str, ...]:
        return tuple(case for runs in self.runs.values() for case in runs.cases(key))

    def _unit(self, unit: Unit, spots: list[Spot]) -> UnitCoverage:
        """The coverage of a unit with these spots, and its states and timers besides."""
        cases = tuple(dict.fromkeys(case for spot in spots if spot.kind != "fault" for case in spot.cases))
        machines = state_machines(unit)
        for machine in machines:
            prefix = f"{machine.path} " if len(machines) > 1 else ""
            spots += self._states(unit, machine, prefix, cases)
            spots += self._moves(unit, machine, prefix)
        sequence = unit.syntax.sequence
        for step in sequence.steps if sequence else ():
            began = self._began(unit, step.name.upper())
            spots.append(Spot(name_of(unit), step.start, "state", step.name, cases if step.is_initial else began))
        for variable in unit.variables.values():
            inner = variable.type.element if isinstance(variable.type, Array) else variable.type
            if is_timer(inner) and not variable.is_hidden and variable.section not in ("in_out", "external"):
                reached = self._cases((unit.key, variable.start, "timer", variable.name))
                spots.append(Spot(name_of(unit), variable.start, "timer", variable.name, reached))
        ordered = tuple(sorted(spots, key=lambda spot: (spot.start, KINDS.index(spot.kind), spot.way)))
        computed = tuple(InUnit(name_of(owner), start) for machine in machines for owner, start in machine.computed)
        return UnitCoverage(unit, ordered, len(cases), computed, tuple(self._by_unit.get(unit.key, ())))

    @cached_property
    def _by_unit(self) -> dict[str, list[InstanceCoverage]]:
        """What was reached in each instance in a program or a configuration, by the key of its unit."""
        noted: dict[tuple[str, str, str], dict[_Key, bool]] = {}
        for runs in self.runs.values():
            if runs.subject.kind in ("PROGRAM", "CONFIGURATION") and runs.ids:
                for known, is_reached in zip(runs.points, runs.any, strict=True):
                    if known is not None and known[1] and known[0].unit.is_written:
                        own = noted.setdefault((known[0].unit.holder, runs.subject.name, known[1]), {})
                        key = _key(known[0])
                        own[key] = own.get(key, False) or bool(is_reached)
        found: dict[str, list[InstanceCoverage]] = {}
        for (unit, subject, path), own in noted.items():
            by_kind = [[is_on for key, is_on in own.items() if key[2] == kind] for kind in KINDS[:2]]
            statements, branches = ((sum(reached), len(reached)) for reached in by_kind)
            found.setdefault(unit, []).append(InstanceCoverage(subject, path, statements, branches))
        return found

    def _states(self, unit: Unit, machine: StateMachine, prefix: str, cases: tuple[str, ...]) -> Iterator[Spot]:
        """The states of a variable: one is visited where its label is met, or where it is given that value."""
        for values, name in machine.states.items():
            labels = [label for label in machine.labels if label.values == values]
            found = dict.fromkeys(cases if values == machine.initial else ())
            for label in labels:
                found |= dict.fromkeys(self._cases((label.unit.key, label.start, "branch", label.text)))
            for each in machine.assigned:
                if each.target == values:
                    found |= dict.fromkeys(self._cases((each.unit.key, each.start, "statement", "")))
            first = next((label.start for label in labels if label.unit is unit), machine.start)
            yield Spot(name_of(unit), first, "state", prefix + name, tuple(found))

    def _moves(self, unit: Unit, machine: StateMachine, prefix: str) -> Iterator[Spot]:
        """The transitions of a variable: from the label of a branch to each value that it is given there."""
        moves: dict[tuple[str, str], tuple[Unit, int, dict[str, None]]] = {}
        for each in machine.assigned:
            _, _, found = moves.setdefault((each.source, machine.states[each.target]), (each.unit, each.start, {}))
            found |= dict.fromkeys(self._cases((each.unit.key, each.start, "statement", "")))
        for (source, target), (owner, start, found) in moves.items():
            yield Spot(name_of(owner), start, "transition", f"{prefix}{source} -> {target}", tuple(found))

    def _began(self, unit: Unit, step: str) -> tuple[str, ...]:
        """The cases in which a step began to be active."""
        keys = [key for key, p in self.known.items() if key[0] == unit.key and p.kind == "state" and p.way == step]
        return tuple(dict.fromkeys(case for key in keys for case in self._cases(key)))


def _key(point: Reachable) -> _Key:
    return point.unit.key, point.start, point.kind, point.way


def _fault_key(site: Site) -> _Key:
    return site.unit.key, site.start, "fault", site.kind


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
            if spot.kind in ("statement", "branch"):
                hit[spot.line] = hit.get(spot.line, False) or spot.is_reached
        branches = [spot for spot in spots if spot.kind == "branch"]
        lines += ["TN:", f"SF:{source.path}"]
        numbers: dict[int, int] = {}
        for spot in branches:
            number = numbers[spot.start] = numbers.get(spot.start, -1) + 1
            lines.append(f"BRDA:{spot.line},{spot.start},{number},{int(spot.is_reached)}")
        lines += [f"BRF:{len(branches)}", f"BRH:{sum(spot.is_reached for spot in branches)}"]
        lines += [f"DA:{line},{int(hit[line])}" for line in sorted(hit)]
        lines += [f"LF:{len(hit)}", f"LH:{sum(hit.values())}", "end_of_record"]
    return "".join(line + "\n" for line in lines)
