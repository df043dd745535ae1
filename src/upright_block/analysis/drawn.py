"""Graphs that people look at: which unit has and calls which, states with what leads from one to another, steps."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from upright_block.analysis.facts import held
from upright_block.language import syntax, typed
from upright_block.language.nodes import record
from upright_block.language.source import Source
from upright_block.language.views.states import ANY, ELSE, StateMachine, state_machines


@record
class Vertex:
    """Something that is drawn as a box: ``name`` tells it from others, ``text`` stands below it."""

    name: str
    text: str = ""
    is_first: bool = False


@record
class Arrow:
    """What leads from one vertex to another, and under which condition; ``line`` is where it is written, 0 where
    nowhere.
    """

    start: str
    end: str
    label: str = ""
    line: int = 0


@record
class Graph:
    """``title`` says what of: its vertices in the order of the text, and its arrows."""

    title: str
    vertices: tuple[Vertex, ...]
    arrows: tuple[Arrow, ...]


def call_graph(units: Iterable[typed.Unit], root: typed.Unit | None = None) -> Graph:
    """Who has instances of whom, or calls whom; all units, or those that ``root`` comes to. Standard blocks are left
    out.
    """
    chosen = [u for u in (typed.closure(root) if root else units) if not u.is_standard]
    chosen = [u for u in chosen if not u.name.startswith(":")]
    inside = set(chosen)
    vertices, arrows = [], []
    for unit in chosen:
        counts = _contained(unit)
        for used in unit.uses.values():
            owner = used.owner or used
            if owner in inside and owner is not unit:
                count = counts.get(owner, 0)
                arrows.append(Arrow(unit.full_name, owner.full_name, f"{count} x" if count > 1 else ""))
        vertices.append(Vertex(unit.full_name, unit.kind.replace("_", " ").lower(), unit is root))
    title = f"What {root.full_name} uses" if root else "What uses what"
    return Graph(title, tuple(vertices), tuple(dict.fromkeys(arrows)))


def _contained(unit: typed.Unit) -> dict[typed.Unit, int]:
    """How many instances of each block a unit has."""
    counts: dict[typed.Unit, int] = {}
    for variable in unit.variables.values():
        block, count = held(variable.type)
        if block is not None and variable.section not in ("in_out", "external"):
            counts[block] = counts.get(block, 0) + count
    return counts


def state_graphs(unit: typed.Unit) -> list[Graph]:
    """The state machines of a unit, with the conditions as they are written."""
    if unit.is_broken:
        return []
    return [_states(machine, unit) for machine in state_machines(unit)]


def _states(machine: StateMachine, unit: typed.Unit) -> Graph:
    names = dict(machine.states)
    vertices = [Vertex(name, "", values == machine.initial) for values, name in names.items()]
    arrows: dict[Arrow, None] = {}
    special: set[str] = set()
    for assigned in machine.assigned:
        line = assigned.unit.source.line(assigned.start)
        conditions = _conditions(assigned.unit.syntax.body, assigned.start, assigned.unit.source)
        sources = [s.strip() for s in assigned.source.split(",")]
        for begin in sources:
            if begin in (ANY, ELSE):
                special.add(begin)
            arrows[Arrow(begin, names[assigned.target], " AND ".join(conditions), line)] = None
    extra = [Vertex(name, "outside of the CASE" if name == ANY else "any other value") for name in sorted(special)]
    return Graph(f"{unit.full_name}.{machine.path}", (*vertices, *extra), tuple(arrows))


def _conditions(body: Sequence[syntax.Statement], start: int, source: Source) -> list[str]:
    """The conditions of the IFs around a statement, inside the innermost CASE that holds it."""
    found: list[str] = []
    statements: Sequence[syntax.Statement] = body
    while True:
        inner = next((s for s in statements if s.start <= start < s.end), None)
        match inner:
            case syntax.If(branches=branches, otherwise=otherwise):
                branch = next((b for b in branches if any(s.start <= start < s.end for s in b.body)), None)
                if branch is not None:
                    found.append(_text(branch.condition, source))
                    statements = branch.body
                else:
                    found.append("ELSE")
                    statements = otherwise or ()
            case syntax.Case(arms=arms, otherwise=otherwise):
                found = []
                holding = (arm.body for arm in arms if any(s.start <= start < s.end for s in arm.body))
                statements = next(holding, otherwise or ())
            case syntax.For(body=inside) | syntax.While(body=inside) | syntax.Repeat(body=inside):
                statements = inside
            case _:
                return found


def _text(node: syntax.Expression, source: Source) -> str:
    """A condition as it is written, on one line."""
    return " ".join(source.text[node.start : node.end].split())


def step_graph(unit: typed.Unit) -> Graph | None:
    """The steps of a sequence with their actions and transitions."""
    sequence = unit.syntax.sequence
    if sequence is None:
        return None
    source = unit.source
    vertices = tuple(Vertex(step.name, ", ".join(_actions(step)), step.is_initial) for step in sequence.steps)
    arrows = tuple(arrow for transition in sequence.transitions for arrow in _transition(transition, source))
    return Graph(f"{unit.full_name}, its steps", vertices, arrows)


def _actions(step: syntax.Step) -> Iterator[str]:
    for association in step.associations:
        yield f"{association.name} {association.qualifier}".strip()


def _transition(node: syntax.Transition, source: Source) -> Iterator[Arrow]:
    label, line = _text(node.condition, source), source.line(node.start)
    for begin in node.sources:
        for end in node.targets:
            yield Arrow(begin.name, end.name, label, line)
