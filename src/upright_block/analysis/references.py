"""Where a thing is declared, written, read and called."""

from __future__ import annotations

import re
from typing import Literal

from upright_block.analysis.facts import Facts, Use, held
from upright_block.language import typed
from upright_block.language.names import did_you_mean
from upright_block.language.nodes import record
from upright_block.language.signals import NoSignal, find_declared, named_in
from upright_block.language.source import Source

_FIRST = re.compile(r"\s*\w+")


@record
class Reference:
    """One place that a thing is named in: what is done to it there, and by which unit."""

    kind: Literal["declared", "written", "read", "called", "contained"]
    source: Source
    start: int
    end: int
    unit: str


class NoSuchThing(Exception):
    """Nothing has this name; ``way_out`` offers what has nearly the same."""

    def __init__(self, message: str, way_out: str) -> None:
        super().__init__(message)
        self.way_out = way_out


def references(facts: Facts, path: str) -> list[Reference]:
    """All references of a unit, or of a variable: ``VentDrive``, ``VentDrive.state``, ``VentDrive.running.Q``.

    Raises:
        NoSuchThing: there is nothing of this name.
    """
    units = {unit.key: unit for unit in (*facts.units, *facts.configurations)}
    named = named_in(path, lambda name: units.get(name.upper()))
    if named is None:
        shared = facts.scope.globals.variables.get(path.strip().upper())
        if shared is None:
            first = _FIRST.match(path)
            name = first[0] if first else path
            raise NoSuchThing(f"There is no unit {name}.", did_you_mean(name, [u.name for u in units.values()]))
        return _of_path((shared,), (), shared.source, facts)
    unit, rest = named
    if not rest:
        return _of_unit(unit, facts)
    try:
        signal = find_declared(unit, rest)
    except NoSignal as problem:
        said = problem.words()
        raise NoSuchThing(said.message, said.way_out) from None
    members = [step for step in signal.steps if isinstance(step, typed.Member)]
    way = (signal.root, *(step.variable for step in members))
    owners = (unit, *(step.owner for step in members))
    source = signal.root.source if signal.root.section == "global" else getattr(owners[-1], "source", None)
    return _of_path(way, owners, source, facts)


def _of_unit(unit: typed.Unit, facts: Facts) -> list[Reference]:
    found: list[Reference] = []
    if unit.is_written:
        found.append(Reference("declared", unit.source, unit.syntax.start, unit.syntax.end, ""))
    for other in (*facts.units, *facts.configurations):
        found += [
            Reference("contained", other.source, v.start, v.end, other.full_name)
            for v in other.variables.values()
            if held(v.type)[0] is unit and not v.is_hidden and v.section != "external" and v.end
        ]
    for flow, call in facts.calls_of(unit):
        origin = call.origin
        if origin.end:
            found.append(Reference("called", flow.unit.source, origin.start, origin.end, flow.unit.full_name))
    return list({(r.kind, r.source.path, r.start): r for r in found}.values())


def _of_path(
    path: tuple[typed.Variable, ...], owners: tuple[typed.Compound, ...], source: Source | None, facts: Facts
) -> list[Reference]:
    """The references of what lies at the end of a path: by the whole of it, or by its end in the units that lie on
    it.
    """
    variable = path[-1]
    uses = facts.uses(variable)
    found: dict[tuple[str, str, int], Reference] = {}
    if source is not None and variable.end:
        found["", "", 0] = Reference("declared", source, variable.start, variable.end, "")
    kinds: tuple[tuple[Literal["written", "read", "called"], list[Use]], ...] = (
        ("written", uses.writes),
        ("read", uses.reads),
        ("called", uses.calls),
    )
    for kind, listed_uses in kinds:
        for use in listed_uses:
            if _is_of(use, path, owners):
                key = (kind, use.unit.source.path, use.origin.start)
                place = (use.unit.source, use.origin.start, use.origin.end)
                found.setdefault(key, Reference(kind, *place, use.unit.full_name))
    return list(found.values())


def _is_of(use: Use, path: tuple[typed.Variable, ...], owners: tuple[typed.Compound, ...]) -> bool:
    """Whether a use is one of what lies at the end of a path, and not at that of another instance."""
    if path[-1] not in use.path or len(path) == 1:
        return path[-1] in use.path
    before = use.path[: use.path.index(path[-1]) + 1]
    if len(before) >= len(path):
        return before[-len(path) :] == path
    owner = owners[len(path) - len(before)]
    return before == path[-len(before) :] and isinstance(owner, typed.Unit) and (use.unit.owner or use.unit) is owner
