"""Values that are used before their block has run in this scan."""

from __future__ import annotations

from upright_block.language import typed
from upright_block.language.checking.words import order as words
from upright_block.language.findings import Findings, Related
from upright_block.language.nodes import record
from upright_block.language.walking import Access, accesses

_Instance = tuple[typed.Variable, int | None]
"""An instance of a program, or with a number the element of an array of them."""


@record
class _Late:
    """That the instance ``user`` reads what the instance ``used`` has from the scan before."""

    user: _Instance
    used: _Instance
    access: Access


def check_order(unit: typed.Unit, findings: Findings) -> None:
    """Report values of instances that the body of a unit reads before it has run them, so that they are one scan old.

    Only statements of the body itself count; of instances that feed each other the members are told.
    """
    body = unit.body or ()
    runs: dict[_Instance, int] = {}
    for number, statement in enumerate(body):
        made = _made_by(statement)
        if made is not None:
            runs.setdefault(made, number)
    late: list[_Late] = []
    feeds: dict[_Instance, set[_Instance]] = {}
    for number, statement in enumerate(body):
        user = _made_by(statement)
        for access in accesses(statement) if user is not None else ():
            used = _instance(access.place) if access.kind == "read" and access.place else None
            if user is not None and used is not None and used in runs and access.place is not None:
                feeds.setdefault(user, set()).add(used)
                if runs[used] >= number and _is_made(access.place):
                    late.append(_Late(user, used, access))
    for found in late:
        start = found.used[0].start
        first = Related(unit.source, start, found.used[0].end, f"{shown(found.used)} is here")
        circle = _way(found.used, found.user, feeds)
        said = words.one_scan_late(shown(found.user), shown(found.used), [shown(i) for i in circle])
        findings.add(said.told(unit.source, found.access.origin.start, found.access.origin.end, first))


def _made_by(statement: typed.Statement) -> _Instance | None:
    """The instance that a statement runs, or the variable that it computes."""
    if isinstance(statement, typed.CallInstance):
        return _instance(statement.instance)
    if isinstance(statement, typed.Assign) and not statement.place.steps and statement.place.root.section == "private":
        return statement.place.root, None
    return None


def _instance(place: typed.Place) -> _Instance | None:
    """The instance of the unit that a place begins with."""
    if place.root.section != "private":
        return None
    step = place.steps[0] if place.steps else None
    if isinstance(step, typed.Element) and len(step.indices) == 1 and isinstance(step.indices[0], typed.Constant):
        return place.root, int(step.indices[0].value)
    return place.root, None


def _is_made(place: typed.Place) -> bool:
    """Whether a place is something that a run gives a value, and not an input that stays as it was given."""
    last = place.steps[-1] if place.steps else None
    return not isinstance(last, typed.Member) or last.variable.section != "input"


def _way(start: _Instance, end: _Instance, feeds: dict[_Instance, set[_Instance]]) -> list[_Instance]:
    """The instances from one that reads another, and so on, until one reads the last; nothing where there are none."""
    came: dict[_Instance, _Instance | None] = {start: None}
    waiting = [start]
    while waiting:
        instance = waiting.pop(0)
        if instance == end:
            found = [instance]
            while (before := came[found[-1]]) is not None:
                found.append(before)
            return found[::-1]
        for used in sorted(feeds.get(instance, ()), key=shown):
            if used not in came:
                came[used] = instance
                waiting.append(used)
    return []


def shown(instance: _Instance) -> str:
    """An instance as a path."""
    variable, number = instance
    return variable.name if number is None else f"{variable.name}[{number}]"
