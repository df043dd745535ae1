"""What looks at a program from outside: the calls of its probes, each where it counts and by itself where it faults."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import reduce

from upright_block.language import syntax, typed
from upright_block.language.checking.observing import keepers
from upright_block.language.literals import Value
from upright_block.language.nodes import record
from upright_block.language.signals import find_signal
from upright_block.language.types import BOOL, DINT, Elementary, Type

BEFORE, RESTING, FIELD, LEFT = 1, 2, 3, 4
"""Phases of a program; see `program.Program`."""


@record
class Probe:
    """A function that is called after each scan, for the instance of its owner at ``path``.

    It is a hidden method of the unit that it looks at, see `observe`; the path is empty for the subject itself. What
    its in-outs keep from scan to scan lies beside its value. One that ``is_early`` has a value before the first scan
    too, and while no scan runs; another one ends with its first fault. Where the ``guard`` does not hold, it is not
    computed. One that ``is_apart`` is a call in any case, so that its parts can be followed.
    """

    method: typed.Unit
    path: str = ""
    is_early: bool = True
    guard: Guard | None = None
    is_apart: bool = False


@record
class Guard:
    """When a probe is computed: while ``during`` is TRUE, and from where ``after`` becomes TRUE on, up to ``until``."""

    during: Probe | None
    after: Probe | None
    until: Probe | None


class Looks:
    """The calls of probes, and the variables of the root that they need. The root is that of a `program.Program`."""

    def __init__(self, subject: typed.Unit, inside: typed.Variable) -> None:
        self.subject = subject
        self.inside = inside
        self.phase = held_by_root(":phase", DINT)
        self.group = held_by_root(":group", DINT)
        self.done = held_by_root(":done", DINT)
        self.seen: list[typed.Variable] = []
        self.kept: list[typed.Variable] = []
        self.steps: list[tuple[int, typed.Variable | None] | None] = []
        self.methods: list[typed.Unit] = []
        self.values: dict[int, typed.Variable] = {}

    @property
    def variables(self) -> list[typed.Variable]:
        """All of them."""
        return [*self.seen, *self.kept, self.phase, self.group, *([self.done] if self.steps else [])]

    def is_phase(self, *phases: int) -> typed.Expression:
        """Whether one of some phases is at hand."""
        return _any([_compared("=", self.phase, phase) for phase in phases])

    def only_in(self, phase: int, body: Sequence[typed.Statement]) -> typed.Statement:
        """Statements that run in one phase."""
        return _when(self.is_phase(phase), *body)

    def over(self) -> list[typed.Statement]:
        """What stands behind all of the probes."""
        return [_given(self.done, 0)] if self.steps else []

    def at(self, number: int, probe: Probe) -> list[typed.Statement]:
        """The statements that give a probe its value, and keep what it remembers."""
        method = probe.method
        assert method.result is not None
        value = self.values[id(probe)] = held_by_root(f":probe{number}", method.result.type)
        kept = [held_by_root(f":probe{number}{pin.name}", pin.type) for pin in method.section("in_out")]
        steps: tuple[typed.Step, ...] = ()
        if probe.path:
            signal = find_signal(self.subject, probe.path)
            steps = (typed.Member(self.subject, signal.root), *signal.steps)
        instance = typed.Place(self.inside, steps, method.owner or self.subject, syntax.NO_PLACE)
        before, after = keepers(method)
        self.methods += [*before, method, *after]

        def called(unit: typed.Unit) -> typed.CallFunction:
            inputs = (self.is_phase(BEFORE),) if unit.section("input") else ()
            type_ = BOOL if unit.result is None else unit.result.type
            return typed.CallFunction(type_, unit, inputs, tuple(map(typed.whole, kept)), (), syntax.NO_PLACE, instance)

        self.seen.append(value)
        self.kept += kept
        written = method.body[0] if method.body and len(method.body) == 1 else None
        is_plain = isinstance(written, typed.Assign) and not probe.is_apart
        plain = _seen_from(written.value, instance) if is_plain and isinstance(written, typed.Assign) else None
        if plain is not None:
            return [typed.Assign(syntax.NO_PLACE, typed.whole(value), plain)]
        return [
            *(self._step(None, typed.Evaluate(syntax.NO_PLACE, called(unit))) for unit in before),
            *self._computed(number, probe, typed.Assign(syntax.NO_PLACE, typed.whole(value), called(method))),
            *(self._step(None, typed.Evaluate(syntax.NO_PLACE, called(unit))) for unit in after),
        ]

    def _computed(self, number: int, probe: Probe, assign: typed.Statement) -> Iterator[typed.Statement]:
        """The statement that gives a probe its value, where and while it has one."""
        if probe.is_early:
            yield self._step((number, None), assign)
            return
        over = held_by_root(f":over{number}", BOOL)
        self.kept.append(over)
        conditions = [self.is_phase(0, LEFT), typed.Unary(BOOL, "NOT", _read(over), 0)]
        guard = probe.guard
        if guard is not None and guard.during is not None:
            conditions.append(_read(self.values[id(guard.during)]))
        if guard is not None and (guard.after is not None or guard.until is not None):
            armed, was = held_by_root(f":armed{number}", BOOL, guard.after is None), held_by_root(f":was{number}", BOOL)
            self.kept += [armed, was]
            change: list[typed.Statement] = []
            if guard.after is not None:
                now = _read(self.values[id(guard.after)])
                rises = typed.Binary(BOOL, "AND", now, typed.Unary(BOOL, "NOT", _read(was), 0), 0)
                change.append(_when(rises, _given(armed, value=True)))
            if guard.until is not None:
                change.append(_when(_read(self.values[id(guard.until)]), _given(armed, value=False)))
            yield _when(self.is_phase(0, LEFT), *change)
            if guard.after is not None:
                yield typed.Assign(syntax.NO_PLACE, typed.whole(was), _read(self.values[id(guard.after)]))
            conditions.append(_read(armed))
        yield self._step((number, over), assign, conditions)

    def _step(
        self,
        probe: tuple[int, typed.Variable | None] | None,
        statement: typed.Statement,
        conditions: Sequence[typed.Expression] = (),
    ) -> typed.Statement:
        """A statement that may fault: where it did, what is left begins behind it."""
        self.steps.append(probe)
        number = len(self.steps)
        is_left = _compared("<", self.done, number)
        return _when(
            is_left, _given(self.done, number), _when(_all(conditions), statement) if conditions else statement
        )


def _read(variable: typed.Variable) -> typed.Expression:
    assert isinstance(variable.type, Elementary)
    return typed.Load(variable.type, typed.whole(variable))


def _compared(operator: str, variable: typed.Variable, value: int) -> typed.Expression:
    return typed.Binary(BOOL, operator, _read(variable), typed.Constant(DINT, value), 0)


def _any(conditions: Sequence[typed.Expression]) -> typed.Expression:
    return reduce(lambda one, other: typed.Binary(BOOL, "OR", one, other, 0), conditions)


def _all(conditions: Sequence[typed.Expression]) -> typed.Expression:
    return reduce(lambda one, other: typed.Binary(BOOL, "AND", one, other, 0), conditions)


def _when(condition: typed.Expression, *body: typed.Statement) -> typed.Statement:
    return typed.If(syntax.NO_PLACE, (typed.Branch(syntax.NO_PLACE, condition, body),), ())


def _given(variable: typed.Variable, value: Value) -> typed.Statement:
    assert isinstance(variable.type, Elementary)
    return typed.Assign(syntax.NO_PLACE, typed.whole(variable), typed.Constant(variable.type, value))


_PLAIN = frozenset(["AND", "OR", "XOR", "=", "<>", "<", "<=", ">", ">="])
_MOST_PARTS = 40


def _seen_from(value: typed.Expression, instance: typed.Place, depth: int = 0) -> typed.Expression | None:
    """An expression on an instance as one of what holds the instance; None where it could fault, or is large.

    A fault would have its place in another text.
    """

    def part(inner: typed.Expression) -> typed.Expression | None:
        return _seen_from(inner, instance, depth + 1)

    if depth > _MOST_PARTS:
        return None
    match value:
        case typed.Constant() | typed.ConstantUse():
            return value
        case typed.Load(type=type_, place=place) if all(isinstance(step, typed.Member) for step in place.steps):
            if place.root.section == "global":
                return value
            if place.root.section != "this":
                return None
            steps = (*instance.steps, *place.steps)
            return typed.Load(type_, typed.Place(instance.root, steps, place.type, place.origin))
        case typed.Unary(type=type_, operator="NOT", operand=operand, start=start):
            inner = part(operand)
            return inner and typed.Unary(type_, "NOT", inner, start)
        case typed.Binary(type=type_, operator=operator, left=left, right=right, start=start) if operator in _PLAIN:
            first, second = part(left), part(right)
            return typed.Binary(type_, operator, first, second, start) if first and second else None
        case typed.Part(type=type_, operand=operand, shift=shift):
            inner = part(operand)
            return inner and typed.Part(type_, inner, shift)
    return None


def chosen(
    looked: Sequence[list[typed.Statement]], groups: Sequence[Sequence[int]], group: typed.Expression
) -> list[list[typed.Statement]]:
    """The looks of the group that is chosen, found by halves; in the order of their steps, whatever that of the group
    is.
    """
    if len(groups) == 1:
        return [looked[number] for number in sorted(groups[0])]

    def between(low: int, high: int) -> tuple[typed.Statement, ...]:
        if high - low == 1:
            return tuple(statement for number in sorted(groups[low]) for statement in looked[number])
        middle = (low + high) // 2
        is_low = typed.Binary(BOOL, "<", group, typed.Constant(DINT, middle), 0)
        branch = typed.Branch(syntax.NO_PLACE, is_low, between(low, middle))
        return (typed.If(syntax.NO_PLACE, (branch,), between(middle, high)),)

    return [list(between(0, len(groups)))]


def held_by_root(name: str, type_: Type, initial: Value | None = None) -> typed.Variable:
    return typed.Variable(name, "private", type_, typed.default_of(type_) if initial is None else initial)
