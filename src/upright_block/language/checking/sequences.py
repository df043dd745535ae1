"""Sequences of steps as statements. IEC 61131-3:2013, 6.7.

Each scan first brings the elapsed times of active steps up to date, then clears transitions, all by the steps that
are active at that moment, then brings the control of each action up to date, then runs the actions. In the first scan
no transition is looked at, so that the initial step is active in it. A step is a structure with its flag X and its
elapsed time T; the control of an action is an instance of the standard's ACTION_CONTROL, called by the name of the
action.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from upright_block.language import syntax, typed
from upright_block.language.checking.types import TypeChecker
from upright_block.language.checking.words import sequences as words
from upright_block.language.checking.words.program import declared_twice
from upright_block.language.limits import MOST_LEAVING
from upright_block.language.nodes import replaced
from upright_block.language.telling.findings import Related, first_declared
from upright_block.language.types import BOOL, TIME, Type

_FIRST = "started:"
_MOST_MARKINGS = 2_000
_MOST_WORK = 2_000_000
_STEP_FIELDS = (
    ("X", BOOL, "the step is active"),
    ("T", TIME, "how long it has been"),
    ("began", TIME, "when it began to be"),
)


def declare_sequence(node: syntax.Sequence, unit: typed.Unit, checker: TypeChecker) -> None:
    """Declare the variables of a sequence: steps, transitions, controls of actions."""
    for step in node.steps:
        kind = typed.Structure("STEP", unit.source, step.comment)
        for name, type_, comment in _STEP_FIELDS:
            field = typed.Variable(name, "field", type_, type_.default, comment, step.start, step.end)
            kind.variables[field.key] = field
        initial: typed.Initial = {"X": True} if step.is_initial else None
        _declare(step.name, kind, initial, step, step.comment or "a step", unit, checker)
    control = checker.find_unit("ACTION_CONTROL")
    assert control is not None
    for name, first in _controlled(node).items():
        unit.use(control, first, 0)
        own = f"{name}:control" if name.upper() in unit.variables else name
        _declare(own, control, None, first, "control of an action", unit, checker)
    for number, transition in enumerate(node.transitions):
        _declare(f"transition:{number}", BOOL, initial=False, node=transition, comment="", unit=unit, checker=checker)
    _declare(_FIRST, BOOL, initial=False, node=node, comment="", unit=unit, checker=checker)


def _declare(
    name: str,
    type_: Type,
    initial: typed.Initial,
    node: syntax.Node,
    comment: str,
    unit: typed.Unit,
    checker: TypeChecker,
) -> None:
    key = name.upper()
    other = unit.variables.get(key)
    if other is not None:
        first = first_declared(unit.source, other, other.name)
        checker.report(node, declared_twice(name, unit), first)
        return
    unit.variables[key] = typed.Variable(name, "private", type_, initial, comment, node.start, node.end)


def _controlled(node: syntax.Sequence) -> dict[str, syntax.Association]:
    """The first association of each action, by the name of the action as it is written there."""
    found: dict[str, syntax.Association] = {}
    keys: set[str] = set()
    for step in node.steps:
        for association in step.associations:
            if association.name.upper() not in keys:
                keys.add(association.name.upper())
                found[association.name] = association
    return found


# --- what can be wrong ---


def check_sequence(node: syntax.Sequence, unit: typed.Unit, checker: TypeChecker) -> None:
    """Report steps that cannot be reached, names that are not known, actions that nothing runs."""
    steps = {step.name.upper(): step for step in node.steps}
    initial = [step for step in node.steps if step.is_initial]
    if len(initial) != 1:
        wrong = initial[1] if initial else syntax.Node(unit.syntax.start, unit.syntax.end)
        checker.report(wrong, words.initial_steps(unit, len(initial)))
    if not node.is_whole:
        unit.is_broken = True
        return
    all_known = True
    for transition in node.transitions:
        for named in (*transition.sources, *transition.targets):
            if named.name.upper() not in steps:
                all_known = False
                checker.unknown(
                    named.name,
                    named,
                    words.unknown_step(named.name, [s.name for s in node.steps]),
                    (s.name for s in node.steps),
                )
    actions = {action.name.upper(): action for action in node.actions}
    used = {a.name.upper() for step in node.steps for a in step.associations}
    for name, association in _controlled(node).items():
        key = name.upper()
        variable = unit.variables.get(key)
        is_flag = variable is not None and variable.type is BOOL
        if key not in actions and not is_flag:
            all_known = False
            known = [a.name for a in node.actions] + [v.name for v in unit.variables.values() if v.type is BOOL]
            checker.unknown(name, association, words.unknown_action(name), known)
    if not all_known:
        return
    for key, action in actions.items():
        if key not in used:
            checker.report(action, words.action_never_runs(action.name))
    if len(initial) == 1:
        _check_reach(node, steps, initial[0], checker)


def _check_reach(
    node: syntax.Sequence, steps: dict[str, syntax.Step], initial: syntax.Step, checker: TypeChecker
) -> None:
    """Report what no run can reach, whatever its conditions do."""
    reached, enabled = _reached(node, initial)
    leaving = _leaving(node)
    for key, step in steps.items():
        if key not in reached:
            checker.report(step, words.step_never_reached(step.name))
    for number, transition in enumerate(node.transitions):
        if _is_known(transition.condition, value=False):
            checker.report(transition.condition, words.condition_always_false())
            continue
        sources = _keys(transition.sources)
        if sources <= reached and number not in enabled:
            checker.report(transition, words.never_active_together([n.name for n in transition.sources]))
        before = _rivals(leaving, number, transition)
        rival = next((r for _, r in before if _keys(r.sources) <= sources and _is_known(r.condition, value=True)), None)
        if rival is not None:
            first = Related(checker.source, rival.start, rival.end, "this one always clears first")
            checker.report(transition, words.hidden_transition(), first)
    for step in node.steps:
        leaves = [t for _, t in leaving.get(step.name.upper(), ())]
        if len(leaves) > MOST_LEAVING:
            checker.report(step, words.too_many_leave(len(leaves), step.name))
        late = [a for a in step.associations if a.qualifier == "D"]
        if late and any(len(t.sources) == 1 and _is_known(t.condition, value=True) for t in leaves):
            checker.report(late[0], words.delay_never_over(late[0].name, step.name))


def _keys(names: Iterable[syntax.Name]) -> frozenset[str]:
    return frozenset(name.name.upper() for name in names)


_Leaving = dict[str, list[tuple[int, syntax.Transition]]]


def _leaving(node: syntax.Sequence) -> _Leaving:
    """The transitions that leave each step, with their numbers, in the order in which they are looked at."""
    found: _Leaving = {}
    for number, transition in _in_order(node):
        for key in _keys(transition.sources):
            found.setdefault(key, []).append((number, transition))
    return found


def _rivals(leaving: _Leaving, number: int, node: syntax.Transition) -> list[tuple[int, syntax.Transition]]:
    """The transitions that leave a step that this one leaves too, and are looked at before it."""
    found: dict[int, syntax.Transition] = {}
    for key in sorted(_keys(node.sources)):
        for other, transition in leaving.get(key, ()):
            if other == number:
                break
            found[other] = transition
    return list(found.items())


def active_together(node: syntax.Sequence) -> set[frozenset[str]]:
    """The sets of steps, by their names in upper case, that may be active at one time; none where there are too many to
    look at.
    """
    initial = [step for step in node.steps if step.is_initial]
    return (_markings(node, initial[0])[0] or set()) if len(initial) == 1 else set()


def _reached(node: syntax.Sequence, initial: syntax.Step) -> tuple[set[str], set[int]]:
    """The steps that may be active, and the transitions whose steps may be active together, whatever the conditions
    are.

    Where there are too many sets of active steps to look at, all may be.
    """
    markings, enabled = _markings(node, initial)
    if markings is None:
        return {s.name.upper() for s in node.steps}, set(range(len(node.transitions)))
    return {name for marking in markings for name in marking}, enabled


def _markings(node: syntax.Sequence, initial: syntax.Step) -> tuple[set[frozenset[str]] | None, set[int]]:
    """The sets of steps that may be active at one time, None where there are too many, and the transitions that leave
    them.
    """
    by_step: dict[str, list[tuple[int, frozenset[str], frozenset[str]]]] = {}
    for number, transition in enumerate(node.transitions):
        sources = _keys(transition.sources)
        if sources and not _is_known(transition.condition, value=False):
            by_step.setdefault(min(sources), []).append((number, sources, _keys(transition.targets)))
    first = frozenset({initial.name.upper()})
    found, waiting = {first}, [first]
    enabled = set[int]()
    work = 0
    while waiting:
        marking = waiting.pop()
        for step in marking:
            for number, sources, targets in by_step.get(step, ()):
                if sources <= marking:
                    work += len(marking)
                    enabled.add(number)
                    after = (marking - sources) | targets
                    if after not in found:
                        found.add(after)
                        waiting.append(after)
        if len(found) > _MOST_MARKINGS + len(node.steps) or work > _MOST_WORK:
            return None, enabled
    return found, enabled


def _is_known(condition: syntax.Expression, value: bool) -> bool:
    word = "TRUE" if value else "FALSE"
    return isinstance(condition, syntax.Literal) and condition.text.upper() in (word, f"BOOL#{word}", f"BOOL#{value:d}")


# --- what it does ---


def sequence_body(node: syntax.Sequence, unit: typed.Unit) -> tuple[syntax.Statement, ...]:
    """The statements that a sequence stands for."""
    order = _in_order(node)
    changes: list[syntax.Statement] = []
    leaving = _leaving(node)
    for number, transition in order:
        rivals = [other for other, _ in _rivals(leaving, number, transition)]
        changes.append(_clears(transition, number, rivals))
    for number, transition in order:
        changes.append(
            _when(
                transition,
                number,
                [_assign(n, _flag_of(n.name, n), _truth(value=False, node=n)) for n in transition.sources],
            )
        )
    for number, transition in order:
        begins = [s for n in transition.targets for s in _begins(n)]
        changes.append(_when(transition, number, begins))
    whole = syntax.Node(node.start, node.start)
    body: list[syntax.Statement] = [_if(step, _flag_of(step.name, step), [_elapsed(step)]) for step in node.steps]
    body += [
        _if(whole, _name(_FIRST, whole), changes),
        _assign(node, _name(_FIRST, whole), _truth(value=True, node=whole)),
    ]
    body += _controls(node, unit)
    body += _runs(node, unit)
    return tuple(body)


def _in_order(node: syntax.Sequence) -> list[tuple[int, syntax.Transition]]:
    """The transitions with their numbers in the order in which they are looked at (table 61)."""
    return sorted(enumerate(node.transitions), key=lambda pair: (pair[1].priority or 1 << 30, pair[0]))


def _name(name: str, node: syntax.Node) -> syntax.Name:
    return syntax.MadeName(node.start, node.end, name)


def _member(base: str, name: str, node: syntax.Node) -> syntax.Member:
    return syntax.MadeMember(node.start, node.end, _name(base, node), name, node.start)


def _flag_of(step: str, node: syntax.Node) -> syntax.Member:
    return _member(step, "X", node)


def _truth(value: bool, node: syntax.Node) -> syntax.Literal:
    return syntax.Literal(node.start, node.end, "bool", "TRUE" if value else "FALSE")


def _scan_start(node: syntax.Node) -> syntax.Call:
    return syntax.Call(node.start, node.end, _name("SCAN_START", node), ())


def _if(
    node: syntax.Node,
    condition: syntax.Expression,
    body: Iterable[syntax.Statement],
    otherwise: tuple[syntax.Statement, ...] | None = None,
) -> syntax.Made:
    branch = syntax.Branch(node.start, node.end, condition, tuple(body))
    return syntax.Made(node.start, node.end, syntax.If(node.start, node.end, (branch,), otherwise))


def _assign(node: syntax.Node, target: syntax.Expression, value: syntax.Expression) -> syntax.Made:
    return syntax.Made(node.start, node.end, syntax.Assignment(node.start, node.end, target, value))


def _joined(operator: str, parts: Iterable[syntax.Expression]) -> syntax.Expression:
    made: syntax.Expression | None = None
    for part in parts:
        made = part if made is None else syntax.Binary(made.start, part.end, operator, made, part, part.start)
    assert made is not None
    return made


def _clears(node: syntax.Transition, number: int, rivals: Iterable[int]) -> syntax.Statement:
    """Whether a transition clears: it is enabled, its condition holds, and none before it has cleared."""
    parts: list[syntax.Expression] = [_flag_of(n.name, n) for n in node.sources]
    parts += [syntax.Unary(node.start, node.end, "NOT", _name(f"transition:{rival}", node)) for rival in rivals]
    condition = node.condition
    first = _assign(condition, _name(f"transition:{number}", node), condition)
    stays = _assign(node, _name(f"transition:{number}", node), _truth(value=False, node=node))
    return _if(node, _joined("AND", parts), (first,), (stays,))


def _when(node: syntax.Transition, number: int, body: Iterable[syntax.Statement]) -> syntax.Statement:
    made = _if(node, _name(f"transition:{number}", node), body)
    return replaced(made, role="transition", name=transition_name(node))


def transition_name(node: syntax.Transition) -> str:
    """What a transition is called by: the steps that it leaves, and those that it leads to."""
    return " -> ".join(", ".join(name.name for name in names) for names in (node.sources, node.targets))


def _begins(node: syntax.Name) -> list[syntax.Statement]:
    """A step begins: its time counts from this scan."""
    nothing = syntax.Literal(node.start, node.end, "typed", "T#0s")
    flag = _assign(node, _flag_of(node.name, node), _truth(value=True, node=node))
    return [
        replaced(flag, role="step", name=node.name.upper()),
        _assign(node, _member(node.name, "began", node), _scan_start(node)),
        _assign(node, _member(node.name, "T", node), nothing),
    ]


def _elapsed(node: syntax.Step) -> syntax.Statement:
    began = _member(node.name, "began", node)
    since = syntax.Binary(node.start, node.end, "-", _scan_start(node), began, node.start)
    return _assign(node, _member(node.name, "T", node), since)


def _control(name: str, unit: typed.Unit) -> str:
    own = f"{name}:control"
    return own if own.upper() in unit.variables else name


def _controls(node: syntax.Sequence, unit: typed.Unit) -> Iterator[syntax.Statement]:
    """Each control with its qualifiers: for each, whether a step that has it is active (6.7.4.6)."""
    for name, first in _controlled(node).items():
        flags: dict[str, list[syntax.Expression]] = {}
        control = _control(name, unit)
        for step in node.steps:
            for association in step.associations:
                if association.name.upper() != name.upper():
                    continue
                flags.setdefault(association.qualifier, []).append(_flag_of(step.name, association))
                if association.time is not None:
                    time = _assign(association.time, _member(control, "T", association), association.time)
                    yield _if(association, _flag_of(step.name, association), [time])
        arguments = tuple(
            syntax.Argument(first.start, first.end, qualifier, _joined("OR", parts), output=False, negated=False)
            for qualifier, parts in flags.items()
        )
        call = syntax.Call(first.start, first.end, _name(control, first), arguments)
        yield syntax.Made(first.start, first.end, syntax.CallStatement(first.start, first.end, call))


def _runs(node: syntax.Sequence, unit: typed.Unit) -> Iterator[syntax.Statement]:
    """The actions whose control says so; a BOOL follows its control."""
    controlled = {name.upper(): name for name in _controlled(node)}
    for key, name in controlled.items():
        first = _controlled(node)[name]
        if key not in {a.name.upper() for a in node.actions}:
            yield _assign(first, _name(name, first), _member(_control(name, unit), "Q", first))
    for action in node.actions:
        if action.name.upper() in controlled:
            control = _control(controlled[action.name.upper()], unit)
            yield _if(action, _member(control, "A", action), action.body)
