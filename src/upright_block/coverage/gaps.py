"""What would have to differ for a gap in the coverage: the case that comes nearest to it, and what it meets there."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence

from upright_block.cases.plan import BoundCase, ReadyCase
from upright_block.coverage.collected import Spot, UnitCoverage
from upright_block.language import syntax, typed
from upright_block.language.checking.sequences import transition_name
from upright_block.language.literals import Value, shown
from upright_block.language.nodes import record, replaced
from upright_block.language.paths import paths_in
from upright_block.language.signals import NoSignal, find_signal
from upright_block.language.types import Array, Elementary
from upright_block.language.views.states import label_texts
from upright_block.language.walking import inner_bodies
from upright_block.traces.tracks import Track, Tracks

_MOST_VALUES = 4
_LEFT = "nothing may leave before it comes"
_MOST_NESTED = 12
Record = Callable[[ReadyCase, Sequence[str]], Tracks]
"""Runs a case, and tells what some paths did in it."""


@record
class Gap:
    """Something that no case reached: what would have to be, the id of the ``nearest`` case, and what it has there, by
    path.

    ``nearest`` is empty where no case runs the unit, or comes to the place. Timers of one line stand together in one.
    """

    spots: tuple[Spot, ...]
    says: str
    nearest: str
    values: tuple[tuple[str, str], ...]


_Way = tuple[str, int, str]
"""The key of a unit, the start of what decides, and the way that it leads."""
_Ways = tuple[_Way, ...]
"""Ways of which any leads to a place; none where everybody comes there."""


@record
class _Decision:
    """What leads a way: the text that must be, the paths in it, and the ways one of which was gone by those who came
    there.
    """

    says: str
    paths: tuple[str, ...]
    others: _Ways
    parents: _Ways


def gaps(unit: UnitCoverage, cases: Mapping[str, BoundCase], record_paths: Record) -> list[Gap]:
    """The gaps in the coverage of a unit; what lies in a way that no case goes is told with that way alone."""
    ways: dict[_Way, _Decision] = {}
    inside: dict[tuple[str, int], _Ways] = {}
    for each in (unit.unit, *unit.unit.methods.values()):
        _look(each, each.body or (), (), ways, inside)
    reached = {(spot.unit.key, spot.start, spot.way): spot.cases for spot in unit.spots if spot.kind == "branch"}
    if not unit.cases:
        return [Gap((spot,), "", "", ()) for spot in unit.missed[:1]]
    found: list[Gap] = []
    for spot in unit.missed:
        before = found[-1].spots[0] if found else None
        if before is not None and before.kind == spot.kind == "timer" and before.line == spot.line:
            found[-1] = replaced(found[-1], spots=(*found[-1].spots, spot))
            continue
        gap = _gap(unit, spot, ways, inside, reached, lambda near: _nearest(unit.unit, near, cases))
        if gap is not None:
            found.append(gap)
    return _with_values(found, unit.unit, cases, record_paths, ways)


def _gap(
    unit: UnitCoverage,
    spot: Spot,
    ways: Mapping[_Way, _Decision],
    inside: Mapping[tuple[str, int], _Ways],
    reached: Mapping[_Way, Sequence[str]],
    nearest: Callable[[Iterable[str]], str],
) -> Gap | None:
    """What is missing for one spot; None where something else that is told holds it back."""

    def is_gone(any_of: _Ways) -> bool:
        return not any_of or any(reached.get(way) for way in any_of)

    match spot.kind:
        case "branch":
            decision = ways.get((spot.unit.key, spot.start, spot.way))
            if decision is None:
                return Gap((spot,), f"{spot.way} would have to come", "", ())
            if not is_gone(decision.parents):
                return None
            near = [case for other in decision.others for case in reached.get(other, ())]
            return Gap((spot,), decision.says, nearest(near), ())
        case "statement":
            return None if not is_gone(inside.get((spot.unit.key, spot.start), ())) else Gap((spot,), _LEFT, "", ())
        case "timer":
            near = [case for each in unit.spots for case in each.cases]
            return Gap((spot,), f"the time of {spot.way} would have to run out", nearest(near), ())
        case "transition":
            transition = _transition(unit.unit, spot.way)
            if transition is None:
                return None  # the statement that makes it is told
            condition = _text(unit.unit, transition.condition)
            names = {name.name.upper() for name in transition.sources}
            before = [each.cases for each in unit.spots if each.kind == "state" and each.way.upper() in names]
            near = [case for case in (before[0] if before else ()) if all(case in cases for cases in before)]
            if not near:
                return None
            active = f"while {' and '.join(name.name for name in transition.sources)} is active"
            is_sure = condition.upper() in ("TRUE", "BOOL#TRUE", "1")
            says = (
                f"another scan would have to come {active}"
                if is_sure
                else f"{condition} would have to be TRUE {active}"
            )
            return Gap((spot,), says, nearest(near), ())
    # A state is entered by a transition, or met at a label, and these are told.
    is_told = any(other.start == spot.start and other.kind == "branch" and not other.is_reached for other in unit.spots)
    into = [other for other in unit.spots if other.kind == "transition" and other.way.endswith(f"-> {spot.way}")]
    return None if is_told or into else Gap((spot,), "nothing gives it this value", "", ())


def _nearest(unit: typed.Unit, near: Iterable[str], cases: Mapping[str, BoundCase]) -> str:
    """Of some cases one for the unit itself, and of these the shortest; empty where there is none."""
    known = [case for id_ in dict.fromkeys(near) if (case := cases.get(id_)) is not None]
    first = min(known, key=lambda bound: (_inside(bound.unit, unit) != "", bound.case.plan.scans), default=None)
    return first.case.id if first else ""


def _transition(unit: typed.Unit, name: str) -> syntax.Transition | None:
    """The transition of a sequence that has a name."""
    sequence = unit.syntax.sequence
    return next((each for each in sequence.transitions if transition_name(each) == name), None) if sequence else None


# --- what decides ---


def _look(
    unit: typed.Unit,
    body: Iterable[typed.Statement],
    parents: _Ways,
    ways: dict[_Way, _Decision],
    inside: dict[tuple[str, int], _Ways],
) -> None:
    """Take in what the statements of a body decide, and in which way each of them stands."""
    for statement in body:
        inside.setdefault((unit.key, statement.origin.start), parents)
        match statement:
            case typed.If(branches=branches, otherwise=otherwise):
                before = parents
                for branch in branches:
                    then, other = _two_ways(unit, branch.origin, before, ways)
                    _look(unit, branch.body, then, ways, inside)
                    before = other
                _look(unit, otherwise, before, ways, inside)
            case typed.Case():
                _look_at_case(unit, statement, parents, ways, inside)
            case typed.While(body=inner) | typed.Repeat(body=inner):
                then, _ = _two_ways(unit, statement.origin, parents, ways)
                _look(unit, inner, then if isinstance(statement, typed.While) else parents, ways, inside)
            case typed.For(body=inner, origin=syntax.For(first=first, last=last) as origin):
                turn, none = ((unit.key, origin.start, way) for way in ("turn", "no turn"))
                paths = (*_paths(unit, first), *_paths(unit, last))
                ways[turn] = _Decision("the loop would have to make a turn", paths, (none,), parents)
                ways[none] = _Decision("the loop would have to make no turn", paths, (turn,), parents)
                _look(unit, inner, (turn,), ways, inside)
            case _:
                for inner in inner_bodies(statement):
                    _look(unit, inner, parents, ways, inside)


def _two_ways(
    unit: typed.Unit, origin: syntax.Node, parents: _Ways, ways: dict[_Way, _Decision]
) -> tuple[_Ways, _Ways]:
    """Both ways of a condition; of what nobody wrote there are none, but for EN."""
    if isinstance(origin, syntax.Made) and origin.role not in ("enable", "disable"):
        return parents, parents
    word, text, paths = "EN ", "EN", tuple[str, ...]()
    if isinstance(origin, (syntax.Branch, syntax.While, syntax.Repeat)):
        word, text, paths = "", _text(unit, origin.condition), _paths(unit, origin.condition)
    then, other = ((unit.key, origin.start, f"{word}{value}") for value in ("TRUE", "FALSE"))
    ways[then] = _Decision(f"{text} would have to be TRUE", paths, (other,), parents)
    ways[other] = _Decision(f"{text} would have to be FALSE", paths, (then,), parents)
    is_turned = isinstance(origin, syntax.Made) and origin.role == "disable"
    return ((other,), (then,)) if is_turned else ((then,), (other,))


def _look_at_case(
    unit: typed.Unit,
    node: typed.Case,
    parents: _Ways,
    ways: dict[_Way, _Decision],
    inside: dict[tuple[str, int], _Ways],
) -> None:
    selector, type_ = node.origin.selector if isinstance(node.origin, syntax.Case) else None, node.selector.type
    assert isinstance(type_, Elementary)
    text = _text(unit, selector) if selector else "the selector"
    paths = _paths(unit, selector) if selector else ()
    last: _Way = (unit.key, node.origin.start, "ELSE" if node.otherwise else "none fits")
    own: list[_Way] = []
    for arm in node.arms:
        labels = tuple((unit.key, arm.origin.start, label) for label in label_texts(unit, arm, type_))
        own += labels
        _look(unit, arm.body, labels, ways, inside)
    for way in own:
        others = tuple(other for other in (*own, last) if other != way)
        ways[way] = _Decision(f"{text} would have to be {way[2]}", paths, others, parents)
    ways[last] = _Decision(f"{text} would have to be none of its labels", paths, tuple(own), parents)
    _look(unit, node.otherwise, (last,), ways, inside)


def _text(unit: typed.Unit, node: syntax.Node) -> str:
    return " ".join(unit.source.text[node.start : node.end].split())


def _paths(unit: typed.Unit, node: syntax.Node) -> tuple[str, ...]:
    return tuple(dict.fromkeys(_text(unit, path) for path in paths_in(node)))


# --- what the nearest case has there ---


def _with_values(
    found: Sequence[Gap],
    unit: typed.Unit,
    cases: Mapping[str, BoundCase],
    record_paths: Record,
    ways: Mapping[_Way, _Decision],
) -> list[Gap]:
    """Gaps with what the nearest case has at the paths of their conditions; each of these cases is run once."""
    wanted: dict[str, dict[str, str]] = {}
    named: list[list[tuple[str, str]]] = []
    for gap in found:
        case = cases.get(gap.nearest)
        paths = _paths_of(gap, unit, ways) if case else ()
        inner = _inside(case.unit, unit) if case and paths else None
        own = [
            (path, f"{inner}{path}")
            for path in paths
            if inner is not None and case and _is_value(case, f"{inner}{path}")
        ]
        named.append(own)
        wanted.setdefault(gap.nearest, {}).update({whole: "" for _, whole in own})
    tracks = {id_: record_paths(cases[id_].case, list(paths)) for id_, paths in wanted.items() if paths}
    return [
        replaced(gap, values=tuple((path, _summary(tracks[gap.nearest][whole])) for path, whole in own))
        for gap, own in zip(found, named, strict=True)
    ]


def _paths_of(gap: Gap, unit: typed.Unit, ways: Mapping[_Way, _Decision]) -> tuple[str, ...]:
    """The paths that decide about a gap."""
    spot = gap.spots[0]
    if spot.kind == "timer":
        return f"{spot.way}.IN", f"{spot.way}.ET", f"{spot.way}.PT"
    if spot.kind == "transition":
        transition = _transition(unit, spot.way)
        return _paths(unit, transition.condition) if transition else ()
    decision = ways.get((spot.unit.key, spot.start, spot.way))
    return decision.paths if decision and spot.unit.key == unit.key else ()


def _inside(holder: typed.Unit, wanted: typed.Unit, depth: int = 0) -> str | None:
    """What stands before the paths of a unit inside another: nothing for itself, else its first instance and a dot."""
    if holder is wanted or holder.wraps is wanted:
        return ""
    if depth < _MOST_NESTED:
        for variable in holder.variables.values():
            inner, index = variable.type, ""
            if isinstance(inner, Array):
                index = f"[{','.join(str(low) for low, _ in inner.bounds)}]"
                inner = inner.element
            if isinstance(inner, typed.Unit) and not variable.is_hidden:
                found = _inside(inner, wanted, depth + 1)
                if found is not None:
                    return f"{variable.name}{index}.{found}"
    return None


def _is_value(case: BoundCase, path: str) -> bool:
    try:
        signal = find_signal(case.unit, path)
    except NoSignal:
        return False
    return signal.is_value and not signal.variable.is_code


def _summary(track: Track) -> str:
    """What a signal was over a run, in few words."""
    values = list(dict.fromkeys(track.plain))
    texts = [_shown(track, value) for value in values]
    if len(values) == 1:
        return f"stays {texts[0]}"
    if len(values) <= _MOST_VALUES or isinstance(values[0], str):
        more = ", ..." if len(values) > _MOST_VALUES else ""
        return f"is {', '.join(texts[:_MOST_VALUES])}{more}"
    return f"goes from {_shown(track, min(values))} to {_shown(track, max(values))}"


def _shown(track: Track, value: Value) -> str:
    name = track.names.get(value) if isinstance(value, int) else None
    return name or (shown(value, track.type) if track.type else str(value))
