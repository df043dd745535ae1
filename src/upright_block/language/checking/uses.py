"""Who uses whom: overrides, recursion, depth and size, and what a broken unit takes with it. IEC 61131-3:2013,
6.6.1.1.
"""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise

from upright_block.language import typed
from upright_block.language.checking.types import weight
from upright_block.language.checking.words import uses as words
from upright_block.language.limits import MOST_ELEMENTS, MOST_NESTED, MOST_TURNS
from upright_block.language.scope import Scope
from upright_block.language.telling.findings import Finding, Findings, Related
from upright_block.language.walking import accesses, every_statement


def note_accesses(unit: typed.Unit, body: Iterable[typed.Statement], shared: typed.Structure) -> None:
    """Note what a body calls, which places it hands on, and whether it names ``shared``, the global variables."""
    for statement in every_statement(body):
        for access in accesses(statement):
            place = access.place
            if place is not None and place.root.section == "global" and not place.root.is_code:
                unit.shares = shared
            if access.kind == "address" and place is not None:
                unit.addressed.append(place)
            elif access.kind == "call":
                assert access.unit is not None
                unit.use(access.unit, access.origin)
                unit.works_on_itself |= place is not None and place.root.section == "this"
                if access.is_virtual:
                    unit.virtual_uses[access.unit.key] = None


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
                findings.add(_recursion(ring))
                continue
            if unit.key in done:
                continue
            trail.append(unit)
            on_trail.add(unit.key)
            stack.append((unit, 1))
            stack.extend((used, 0) for used in unit.uses.values())


def _recursion(ring: list[typed.Unit]) -> Finding:
    """A ring of units, at the place where one of them uses the next."""
    begin = ring.index(min(ring, key=lambda u: u.key))
    ring = [*ring[begin:], *ring[:begin]]
    links = [(unit, used, _use(unit, used)) for unit, used in pairwise([*ring, ring[0]])]
    first, _, place = links[0]
    others = tuple(
        Related(unit.source, use.start, use.end, f"{unit.name} uses {used.name}")
        for unit, used, use in links[1 : words.MOST_NAMED]
    )
    return words.recursion([unit.name for unit in ring]).told(first.source, place.start, place.end, *others)


def _use(unit: typed.Unit, used: typed.Unit) -> typed.UnitUse:
    """Where a unit uses another; what may run in place of a method is not written anywhere."""
    return unit.used.get(used.key) or typed.UnitUse(unit.syntax.start, unit.syntax.end, 1)


def _check_extent(unit: typed.Unit, depths: dict[str, int], weights: dict[str, int], findings: Findings) -> None:
    """Report a unit that stands on too many others, or has too much data, once those it uses are known."""
    depths[unit.key] = 1 + max((depths.get(key, 0) for key in unit.uses), default=0)
    weights[unit.key] = sum(weight(v.type, weights) for v in unit.variables.values() if v.section != "in_out")
    unit.cost = 1 + sum(
        used.cost * (unit.used[key].calls if key in unit.used else 1) for key, used in unit.uses.items()
    )
    problem = None
    if unit.cost > MOST_TURNS:
        problem = words.too_many_calls(unit)
        unit.cost = 1
    elif depths[unit.key] > MOST_NESTED:
        problem = words.uses_too_deep(unit)
    elif weights[unit.key] > MOST_ELEMENTS:
        problem = words.too_much_data(unit, weights[unit.key])
    if problem is not None:
        depths[unit.key] = weights[unit.key] = 0
        unit.is_broken, unit.body = True, None
        findings.add(problem.told(unit.source, unit.syntax.start, unit.syntax.end))


def spread_broken(scope: Scope) -> None:
    """Mark every unit that uses a broken one; until then the broken ones are those with mistakes of their own."""
    users: dict[str, list[typed.Unit]] = {}
    everything = with_methods(scope)
    for unit in everything:
        unit.has_mistakes = unit.is_broken
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
