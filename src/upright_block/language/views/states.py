"""What units keep in states: variables that select a CASE and are assigned inside it, and timers."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from upright_block.language import syntax, typed
from upright_block.language.literals import shown
from upright_block.language.nodes import Side, fresh, record, state
from upright_block.language.signals import Signal
from upright_block.language.types import Elementary, Enumeration, Type, is_integer
from upright_block.language.walking import accesses, inner_bodies

ANY = "any"
"""Where an assignment outside of the CASE leads from."""
ELSE = "ELSE"

_Key = tuple[typed.Variable, ...]
_Body = tuple[typed.Statement, ...]
_Inside = Mapping[_Key, str]


Values = tuple[int, int]
"""The values that are one state, from and to."""


@record
class Assigned:
    """That a variable is given a constant, by a statement of a unit at ``start``, in the branch of a state:
    ``source``.
    """

    unit: typed.Unit
    start: int
    source: str
    target: Values


@record
class Label:
    """A label of a CASE in a unit, as it is written, at the ``start`` of its branch."""

    unit: typed.Unit
    start: int
    text: str
    values: Values


@state
class StateMachine:
    """A variable, by its ``path``, that selects a CASE and is assigned inside it.

    ``states`` has the names of all states by their values, ``initial`` is the first. ``labels`` are where they are met,
    ``assigned`` where they are entered, ``computed`` the starts of statements of which the target cannot be told.
    """

    path: str
    type: Elementary
    start: int
    initial: Values = (0, 0)
    states: dict[Values, str] = fresh(default_factory=dict)
    labels: list[Label] = fresh(default_factory=list)
    assigned: list[Assigned] = fresh(default_factory=list)
    computed: list[tuple[typed.Unit, int]] = fresh(default_factory=list)

    def state(self, value: int, name: str = "") -> Values:
        """The state that a value is; a new one of this name where no label has it."""
        known = next(((low, high) for low, high in self.states if low <= value <= high), None)
        if known is None:
            known = (value, value)
            self.states[known] = name or shown(value, self.type)
        return known


def state_machines(unit: typed.Unit) -> list[StateMachine]:
    """The state machines of a unit with its methods, in the order of their variables."""
    bodies = [(each, each.body) for each in (unit, *unit.methods.values()) if each.body is not None]
    found: dict[_Key, StateMachine] = {}
    for owner, body in bodies:
        for case, key in _cases(body):
            machine = found.setdefault(key, StateMachine(".".join(v.name for v in key), _type(key), key[0].start))
            for arm in case.arms:
                for values, text in zip(arm.ranges, label_texts(owner, arm, machine.type), strict=True):
                    machine.states.setdefault(values, text)
                    machine.labels.append(Label(owner, arm.origin.start, text, values))
    if not found:
        return []
    written = [found for owner, body in bodies for found in _written(owner, body, {})]
    inside = {key for key, where in written if where is not None}
    machines = {key: machine for key, machine in found.items() if key in inside}
    for key, machine in machines.items():
        if isinstance(machine.type, Enumeration):
            for name, value in machine.type.members.values():
                machine.state(value, name)
        initial = key[-1].initial if len(key) == 1 else None
        machine.initial = machine.state(initial if isinstance(initial, int) else int(machine.type.default))
    for owner, body in bodies:
        _assignments(owner, body, {}, machines)
    return sorted(machines.values(), key=lambda machine: (machine.start, machine.path))


def state_names(owner: Type, variable: typed.Variable) -> dict[int, str]:
    """The names of the values of a variable of a unit that is a state machine of its own, where constants name them."""
    if not isinstance(owner, typed.Unit) or isinstance(variable.type, Enumeration):
        return {}
    return _state_names(owner).get(variable, {})


def names_of(unit: typed.Unit, signal: Signal) -> dict[int, str]:
    """The names of the values of a signal of a unit that is the state of what holds it."""
    last = signal.steps[-1] if signal.steps else None
    owner = unit if last is None else last.owner if isinstance(last, typed.Member) else None
    return state_names(owner, signal.variable) if owner is not None else {}


@Side
def _state_names(owner: typed.Unit) -> dict[typed.Variable, dict[int, str]]:
    known: dict[typed.Variable, dict[int, str]] = {}
    for machine in state_machines(owner):
        if "." not in machine.path:
            names = {low: name for (low, high), name in machine.states.items() if low == high}
            known[owner.variables[machine.path.upper()]] = {v: n for v, n in names.items() if n.isidentifier()}
    return known


def _cases(body: Iterable[typed.Statement]) -> Iterator[tuple[typed.Case, _Key]]:
    """The CASEs of a body that a variable selects."""
    for statement in body:
        if isinstance(statement, typed.Case) and isinstance(statement.selector, typed.Load):
            key = _key(statement.selector.place)
            if key is not None:
                yield statement, key
        for inner in inner_bodies(statement):
            yield from _cases(inner)


def _key(place: typed.Place) -> _Key | None:
    """What is the same for all places of one variable, or one field; None for other places."""
    is_whole = isinstance(place.type, Enumeration) or (isinstance(place.type, Elementary) and is_integer(place.type))
    if not is_whole or place.root.is_code:
        return None
    fields = tuple(step.variable for step in place.steps if isinstance(step, typed.Member))
    if len(fields) < len(place.steps):
        return None
    return fields if place.root.section == "this" else (place.root, *fields)


def _type(key: _Key) -> Elementary:
    found = key[-1].type
    assert isinstance(found, Elementary)
    return found


def _branches(unit: typed.Unit, statement: typed.Statement, inside: _Inside) -> Iterator[tuple[_Body, _Inside]]:
    """The bodies in a statement, each with the states that it is the branch of, by the variable of these."""
    key = None
    if isinstance(statement, typed.Case) and isinstance(statement.selector, typed.Load):
        key = _key(statement.selector.place)
    if key is None or not isinstance(statement, typed.Case):
        for inner in inner_bodies(statement):
            yield inner, inside
        return
    for arm in statement.arms:
        yield arm.body, {**inside, key: ", ".join(label_texts(unit, arm, _type(key)))}
    yield statement.otherwise, {**inside, key: ELSE}


def _written(unit: typed.Unit, body: _Body, inside: _Inside) -> Iterator[tuple[_Key, str | None]]:
    """What is written in a body, and in which branch of a CASE of its own."""
    for statement in body:
        for key in _targets(statement):
            yield key, inside.get(key)
        for inner, known in _branches(unit, statement, inside):
            yield from _written(unit, inner, known)


def _targets(statement: typed.Statement) -> Iterator[_Key]:
    """The variables and fields that a statement writes, or hands on to somebody who may."""
    for access in accesses(statement):
        key = _key(access.place) if access.kind in ("write", "address") and access.place is not None else None
        if key is not None:
            yield key


def _assignments(unit: typed.Unit, body: _Body, inside: _Inside, machines: Mapping[_Key, StateMachine]) -> None:
    """Take in what gives variables of state machines a value."""
    for statement in body:
        for key in _targets(statement):
            machine = machines.get(key)
            if machine is not None:
                value, name = _constant(statement.value) if isinstance(statement, typed.Assign) else (None, "")
                if value is None:
                    machine.computed.append((unit, statement.origin.start))
                else:
                    source, target = inside.get(key, ANY), machine.state(value, name)
                    machine.assigned.append(Assigned(unit, statement.origin.start, source, target))
        for inner, known in _branches(unit, statement, inside):
            _assignments(unit, inner, known, machines)


def _constant(value: typed.Expression) -> tuple[int | None, str]:
    """The value of an expression that is a constant, and its name, where it has one."""
    found: object = None
    name = ""
    if isinstance(value, typed.Constant):
        found = value.value
    elif isinstance(value, typed.ConstantUse):
        found, name = value.variable.initial, value.variable.name
    return (found if isinstance(found, int) else None), name


def label_texts(unit: typed.Unit, arm: typed.Arm, type_: Elementary) -> list[str]:
    """The labels of a branch of a CASE, as they are written."""
    labels = arm.origin.labels if isinstance(arm.origin, syntax.Arm) else ()
    if len(labels) == len(arm.ranges):
        return [" ".join(unit.source.text[label.start : label.end].split()) for label in labels]
    texts = [(shown(low, type_), shown(high, type_)) for low, high in arm.ranges]
    return [low if low == high else f"{low}..{high}" for low, high in texts]


def is_timer(type_: Type) -> bool:
    """Whether a type is one of the timers of the standard (6.6.3.5.5)."""
    return isinstance(type_, typed.Unit) and type_.is_standard and type_.key in ("TON", "TOF", "TP")
