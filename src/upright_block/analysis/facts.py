"""Facts of a whole library: who uses each variable, what each body does, what variables can hold, who calls whom."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cached_property

from upright_block.analysis.flow import Call, Flow
from upright_block.analysis.terms import Number, Ranges, Terms, united
from upright_block.analysis.walk import flow_of
from upright_block.language import syntax, typed
from upright_block.language.field.tags import Tag
from upright_block.language.nodes import fresh, node, state
from upright_block.language.scope import Scope
from upright_block.language.types import Array, Elementary, OpenArray, Type, is_real
from upright_block.language.views.states import StateMachine, state_machines
from upright_block.language.walking import Access, accesses, every_statement


@node
class Use:
    """That a body does something to what lies at the end of a ``path`` of variables."""

    kind: str
    unit: typed.Unit
    origin: syntax.Node
    path: tuple[typed.Variable, ...]


@state
class Uses:
    """All uses of a variable. ``values`` are the constants that it is given, None where it is given anything else.

    ``is_received`` says that it takes an output of a call, or counts a loop: there must be something that does.
    """

    reads: list[Use] = fresh(default_factory=list)
    writes: list[Use] = fresh(default_factory=list)
    calls: list[Use] = fresh(default_factory=list)
    values: set[Number] | None = fresh(default_factory=set)
    is_received: bool = False

    @property
    def is_read(self) -> bool:
        """Whether its value, or one in it, is read anywhere."""
        return bool(self.reads)


_NONE = Uses()
Given = dict[str, set[Number] | None]
"""Initial values that instances are given, by the names of the variables in upper case; None where they are no numbers.
"""


def is_understood(unit: typed.Unit) -> bool:
    """Whether all that a unit says is known: nothing in it, in its methods, or in what it extends is a mistake. What it
    uses may be one.
    """
    return not any(part.has_mistakes for above in unit.ancestors for part in (above, *above.methods.values()))


class Facts:
    """What is known of the units of a library, those of rigs and those with errors left out."""

    def __init__(self, scope: Scope, given: Given | None = None) -> None:
        """``given`` are the initial values that instances outside of the scope are given."""
        self.scope = scope
        self.terms = Terms()
        own = [u for u in scope.units.values() if not u.is_standard and u.source not in scope.rigs]
        self.units = sorted(own, key=lambda unit: (unit.source.path, unit.syntax.start))
        self.configurations = [u for u in scope.configurations.values() if u.source not in scope.rigs]
        self.is_whole = not any(unit.is_broken for unit in (*self.units, *self.configurations))
        self.tags: dict[typed.Variable, Tag] = {
            tag.variable: tag for tag in scope.tags.values() if tag.variable is not None
        }
        self._uses: dict[typed.Variable, Uses] = {}
        self._flows: dict[typed.Unit, Flow] = {}
        self._presets: dict[typed.Unit, set[typed.Variable]] = {}
        self._machines: dict[typed.Unit, list[StateMachine]] = {}
        for unit in (*self.units, *self.configurations):
            for part in parts_of(unit):
                self._gather(part)
        self.given = given_by((*self.units, *self.configurations))
        self.known = dict(self._known(merged(self.given, given or {})))

    # --- uses ---

    def uses(self, variable: typed.Variable) -> Uses:
        """All uses of a variable in the bodies of the library."""
        return self._uses.get(variable, _NONE)

    def _of(self, variable: typed.Variable) -> Uses:
        found = self._uses.get(variable)
        if found is None:
            found = self._uses[variable] = Uses()
        return found

    def _gather(self, unit: typed.Unit) -> None:
        for statement in every_statement(unit.body or ()):
            for access in accesses(statement):
                if access.place is not None:
                    self._take(unit, access, access.place, statement)
            if isinstance(statement, typed.CallInstance):
                path = _path(statement.instance)
                for pin, _ in statement.inputs:
                    self._of(pin).writes.append(Use("write", unit, statement.origin, (*path, pin)))
                for pin, _, _ in statement.outputs:
                    use = Use("read", unit, statement.origin, (*path, pin))
                    self._of(pin).reads.append(use)
                    self._of(statement.instance.root).reads.append(use)

    def _take(self, unit: typed.Unit, access: Access, place: typed.Place, statement: typed.Statement) -> None:
        path = _path(place)
        last = path[-1]
        use = Use(access.kind, unit, access.origin, path)
        for variable in path:
            uses = self._of(variable)
            if access.kind in ("read", "address"):
                uses.reads.append(use)
            if access.kind in ("write", "address"):
                uses.writes.append(use)
            if access.kind == "call":
                uses.calls.append(use)
        if access.kind == "write":
            uses = self._of(last)
            uses.is_received |= not isinstance(statement, (typed.Assign, typed.AssignPart)) or _takes(statement, access)
            value = statement.value if isinstance(statement, typed.Assign) and not place.steps else None
            number = _number(value)
            if number is None:
                uses.values = None
            elif uses.values is not None:
                uses.values.add(number)
        elif access.kind == "address":
            for variable in path:
                self._of(variable).values = None

    def _known(self, given: Given) -> Iterator[tuple[typed.Variable, Ranges]]:
        """The values that variables can have where nothing but constants is written to them."""
        for unit in self.units:
            for part in parts_of(unit):
                for variable in part.variables.values():
                    values = self.uses(variable).values
                    if variable.section not in ("private", "output") or not values or variable.constant:
                        continue
                    others = given.get(variable.key, set())
                    if others is None or not isinstance(variable.type, Elementary) or is_real(variable.type):
                        continue
                    initial = variable.type.default if variable.initial is None else variable.initial
                    if isinstance(initial, (int, float)):
                        yield variable, united({*values, initial, *others})

    # --- flows ---

    def flow(self, unit: typed.Unit) -> Flow:
        """What one call of a unit does."""
        found = self._flows.get(unit)
        if found is None:
            found = self._flows[unit] = flow_of(unit, self.terms, self.known)
        return found

    def machines(self, unit: typed.Unit) -> list[StateMachine]:
        """The state machines of a unit with its methods."""
        found = self._machines.get(unit)
        if found is None:
            found = self._machines[unit] = state_machines(unit)
        return found

    def bodies(self) -> Iterator[Flow]:
        """The flows of all bodies of the library, in the order of their places."""
        for unit in self.units:
            for part in parts_of(unit):
                if part.body is not None and is_understood(unit):
                    yield self.flow(part)

    @cached_property
    def _calls(self) -> dict[typed.Unit, list[tuple[Flow, Call]]]:
        found: dict[typed.Unit, list[tuple[Flow, Call]]] = {}
        for flow in self.bodies():
            for call in flow.calls:
                found.setdefault(call.unit, []).append((flow, call))
        return found

    def called_units(self) -> list[typed.Unit]:
        """The units of the library, and those of the standard that it calls."""
        return [*self.units, *(unit for unit in self._calls if unit.is_standard)]

    def presets(self, unit: typed.Unit) -> set[typed.Variable]:
        """The inputs of a block that go to the preset of a timer in it, or in a block inside it."""
        found = self._presets.get(unit)
        if found is None:
            found = self._presets[unit] = set()  # blocks do not contain themselves
            pins = {pin for pin in unit.variables.values() if pin.section == "input"}
            for call in self.flow(unit).calls if unit.body is not None and not unit.is_standard else ():
                timer = call.unit.is_standard and call.unit.key in ("TON", "TOF", "TP")
                inner = {call.unit.variables["PT"]} if timer else self.presets(call.unit)
                for pin, value in call.inputs.items():
                    if pin in inner and value.kind == "start" and value.key in pins:
                        found.add(value.key)
        return found

    def calls_of(self, unit: typed.Unit) -> list[tuple[Flow, Call]]:
        """Every call of a unit in the bodies of the library."""
        return self._calls.get(unit, [])


def _path(place: typed.Place) -> tuple[typed.Variable, ...]:
    """The variables that lead to a place."""
    root = place.root.shared or place.root
    path = (root, *(step.variable for step in place.steps if isinstance(step, typed.Member)))
    return path[1:] if root.section == "this" and len(path) > 1 else path


def held(type_: Type) -> tuple[typed.Unit | None, int]:
    """The block that a variable of a type holds, or an array of it, and how many instances; None where it holds
    none.
    """
    count = 1
    while isinstance(type_, (Array, OpenArray)):
        count *= type_.count if isinstance(type_, Array) else 1
        type_ = type_.element
    return (type_, count) if isinstance(type_, typed.Unit) else (None, 0)


def parts_of(unit: typed.Unit) -> tuple[typed.Unit, ...]:
    """A unit and its methods."""
    return (unit, *unit.methods.values())


def _takes(statement: typed.Assign | typed.AssignPart, access: Access) -> bool:
    """Whether a write is not that of an assignment itself, but of a function called in it."""
    return access.origin is not statement.place.origin


def _number(value: typed.Expression | None) -> Number | None:
    found: object = None
    if isinstance(value, typed.Constant):
        found = value.value
    elif isinstance(value, typed.ConstantUse) and value.variable.is_folded:
        found = value.variable.initial
    return found if isinstance(found, (bool, int)) else None


def given_by(units: Iterable[typed.Unit]) -> Given:
    """What the variables of some units give to the variables inside them."""
    found: Given = {}
    for unit in units:
        for variable in unit.variables.values():
            _take_initials({"": variable.initial} if isinstance(variable.initial, (dict, tuple)) else {}, found)
    return found


def merged(a: Given, b: Given) -> Given:
    """What either gives."""
    found = dict(a)
    for name, values in b.items():
        known = found.get(name, set())
        found[name] = None if known is None or values is None else known | values
    return found


def _take_initials(initial: dict[str, typed.Initial], given: Given) -> None:
    """Note what instances are given as initial values, by the names of the variables."""
    waiting: list[Iterable[tuple[str, typed.Initial]]] = [initial.items()]
    while waiting:
        for key, value in waiting.pop():
            if isinstance(value, dict):
                waiting.append(value.items())
            elif isinstance(value, tuple):
                waiting.append([(key, element) for element in value])
            elif isinstance(value, (int, float)) and given.get(key, set()) is not None:
                known = given.setdefault(key, set())
                assert known is not None
                known.add(value)
            else:
                given[key] = None
