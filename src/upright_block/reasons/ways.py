"""The ways to a statement: which branches of what lies around it lead there."""

from __future__ import annotations

import re
from collections.abc import Iterable

from upright_block.compiler.artifact import joined
from upright_block.language import typed
from upright_block.language.nodes import Side, fresh, record
from upright_block.language.types import Array
from upright_block.language.walking import inner_bodies

_INDICES = re.compile(r"\[[^]]*\]")
Way = tuple[typed.Statement, int]
"""A statement with others in it, and the number of the branch, from 0; that of ELSE is the last."""


@record
class Ways:
    """By the identity of a statement what lies around it, outermost first; and the assignments by the path of what they
    write, in upper case, with empty brackets where an index is computed.
    """

    around: dict[int, tuple[Way, ...]] = fresh(default_factory=dict)
    writers: dict[str, list[typed.Statement]] = fresh(default_factory=dict)

    def to(self, statement: typed.Statement) -> tuple[Way, ...]:
        """What lies around a statement, outermost first."""
        return self.around.get(id(statement), ())

    def writing(self, name: str) -> list[typed.Statement]:
        """The assignments that may write what a path leads to; those that compute where it is stand last."""
        computed = _INDICES.sub("[]", name)
        return self.writers.get(name, []) + (self.writers.get(computed, []) if computed != name else [])


@Side
def ways_of(unit: typed.Unit) -> Ways:
    """The ways to the statements of a unit."""
    found = Ways()

    def walk(body: Iterable[typed.Statement], around: tuple[Way, ...]) -> None:
        for statement in body:
            found.around[id(statement)] = around
            if isinstance(statement, typed.Assign) and (path := _path_of(statement.place)):
                found.writers.setdefault(path, []).append(statement)
            for number, inner in enumerate(inner_bodies(statement)):
                walk(inner, (*around, (statement, number)))

    walk(unit.body or (), ())
    return found


def written_condition(node: typed.Branch | typed.Case | typed.While | typed.Repeat) -> tuple[int, int]:
    """Where the condition of a branch or a loop, or the selector of a CASE, begins and ends in the text."""
    origin = node.origin
    written = getattr(origin, "selector", None) or getattr(origin, "condition", None) or origin
    return written.start, written.end


def _path_of(place: typed.Place) -> str:
    """The path of a place that leads by members and elements alone; empty for another."""
    path = place.root.name
    for step in place.steps:
        match step:
            case typed.Member(variable=variable):
                path = joined(path, variable.name)
            case typed.Element(array=Array(), indices=indices):
                known = [str(index.value) for index in indices if isinstance(index, typed.Constant)]
                path += f"[{','.join(known) if len(known) == len(indices) else ''}]"
            case _:
                return ""
    return path.upper()
