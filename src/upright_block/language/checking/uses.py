"""Who uses whom: overrides, recursion, depth and size, and what a broken unit takes with it. IEC 61131-3:2013, 6.6.1.1."""

from __future__ import annotations

from collections.abc import Iterable

from upright_block.language import typed
from upright_block.language.checking.types import MOST_ELEMENTS, weight
from upright_block.language.findings import Finding, Findings
from upright_block.language.scope import Scope

_DEEPEST_USE = 100


def bind_overrides(units: Iterable[typed.Unit]) -> None:
    """Whoever calls a method or a block by the kind of the instance uses all that it may turn out to be."""
    real: dict[str, list[typed.Unit]] = {}
    bodies = [part for unit in units for part in (unit, *unit.methods.values())]
    for unit in units:
        for above in unit.ancestors[1:]:
            real.setdefault(above.key, []).append(unit)
        for key, method in unit.methods.items():
            for role in unit.roles[1:]:
                if key in role.methods:
                    real.setdefault(role.methods[key].key, []).append(method)
    for body in bodies:
        for key in body.virtual_uses:
            body.uses |= {method.key: method for method in real.get(key, ())}


def find_recursion(scope: Scope, findings: Findings) -> None:
    """Report each ring of units that use each other: the standard has no recursion (6.6.1.1)."""
    done: set[str] = set()
    depths: dict[str, int] = {}
    weights: dict[str, int] = {}
    for root in with_methods(scope):
        trail: list[typed.Unit] = []
        on_trail: set[str] = set()
        stack: list[tuple[typed.Unit, int]] = [(root, 0)]
        while stack:
            unit, leaving = stack.pop()
            if leaving:
                on_trail.discard(unit.key)
                trail.pop()
                done.add(unit.key)
                _check_extent(unit, depths, weights, findings)
                continue
            if unit.key in on_trail:
                ring = trail[trail.index(unit) :]
                for member in ring:
                    member.is_broken = True
                    member.body = None
                first = min(ring, key=lambda u: u.key)
                at = ring.index(first)
                names = " uses ".join(u.name for u in [*ring[at:], *ring[:at], first])
                findings.add(
                    Finding(
                        "recursion",
                        first.source,
                        first.syntax.start,
                        first.syntax.end,
                        f"{first.name} uses itself: {names}.",
                        "Break the ring: no unit may contain or call itself.",
                    )
                )
                continue
            if unit.key in done:
                continue
            trail.append(unit)
            on_trail.add(unit.key)
            stack.append((unit, 1))
            stack.extend((used, 0) for used in unit.uses.values())


def _check_extent(
    unit: typed.Unit, depths: dict[str, int], weights: dict[str, int], findings: Findings
) -> None:
    """Report a unit that stands on too many others, or has too much data, once those it uses are known."""
    depths[unit.key] = 1 + max((depths.get(key, 0) for key in unit.uses), default=0)
    weights[unit.key] = sum(weight(v.type, weights) for v in unit.variables.values() if v.section != "in_out")
    problem: tuple[str, str, str] | None = None
    if depths[unit.key] > _DEEPEST_USE:
        problem = "nested-too-deeply", f"{unit.name} uses units that use units, more than {_DEEPEST_USE} deep.", "Use fewer levels."  # fmt: skip
    elif weights[unit.key] > MOST_ELEMENTS:
        problem = "out-of-range", f"The data of {unit.name} is {weights[unit.key]:,} values.", f"{MOST_ELEMENTS:,} are the most."  # fmt: skip
    if problem is not None:
        depths[unit.key] = weights[unit.key] = 0
        unit.is_broken, unit.body = True, None
        name, message, way_out = problem
        findings.add(Finding(name, unit.source, unit.syntax.start, unit.syntax.end, message, way_out))


def spread_broken(scope: Scope) -> None:
    """Mark every unit that uses a broken one."""
    users: dict[str, list[typed.Unit]] = {}
    everything = with_methods(scope)
    for unit in everything:
        for used in (*unit.uses.values(), *unit.refers.values()):
            users.setdefault(used.key, []).append(unit)
        if unit.owner is not None:
            users.setdefault(unit.owner.key, []).append(unit)
    reached = [unit for unit in everything if unit.is_broken]
    while reached:
        for user in users.get(reached.pop().key, ()):
            if not user.is_broken:
                user.is_broken = True
                reached.append(user)


def with_methods(scope: Scope) -> list[typed.Unit]:
    return [part for unit in scope.units.values() for part in (unit, *unit.methods.values())]
