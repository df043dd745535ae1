"""Paths in the syntax tree: a name with what is taken of it, such as ``bays[2].vent.status.3``."""

from __future__ import annotations

from collections.abc import Collection
from typing import cast

from upright_block.language.nodes import replaced
from upright_block.language.syntax import Call, Expression, Index, Member, Name, Node, Part


def root_of(path: Expression) -> Expression:
    """What a path begins with."""
    while isinstance(path, (Member, Index, Part)):
        path = path.base
    return path


def with_root(path: Expression, root: Expression) -> Expression:
    """A path that begins with something else, at the same place."""
    if isinstance(path, (Member, Index, Part)):
        return replaced(path, base=with_root(path.base, root))
    return replaced(root, start=path.start, end=path.end)


def without_head(path: Expression, heads: Collection[str]) -> Expression:
    """A path that begins with one of some names, in upper case, from what is behind it on."""
    if isinstance(path, Member) and isinstance(path.base, Name) and path.base.name.upper() in heads:
        return Name(path.name_start, path.end, path.name)
    if isinstance(path, (Member, Index, Part)):
        return replaced(path, base=without_head(path.base, heads))
    return path


def names_in(node: Node) -> list[str]:
    """The names that an expression begins paths with, in upper case."""
    return [root.name.upper() for path in paths_in(node) if isinstance(root := root_of(path), Name)]


def paths_in(node: Node) -> list[Expression]:
    """The paths that an expression names: names with all that is taken of them, in the order of the text."""
    found: list[Expression] = []
    waiting: list[object] = [node]
    while waiting:
        part = waiting.pop()
        if isinstance(part, (Name, Member, Index, Part)) and isinstance(root_of(part), Name):
            found.append(part)
            inner: Expression = part
            while isinstance(inner, (Member, Index, Part)):
                waiting += inner.indices if isinstance(inner, Index) else ()
                inner = inner.base
        elif isinstance(part, Call):
            waiting += part.arguments[::-1]
        elif isinstance(part, Node):
            waiting += [getattr(part, field) for field in reversed(type(part).__match_args__)]
        elif isinstance(part, tuple):
            waiting += part[::-1]
    return found


def relocated(expression: Expression, start: int, end: int) -> Expression:
    """An expression all of whose parts stand at one place."""

    def changed(value: object, field: str) -> object:
        if isinstance(value, Node):
            fields = {name: changed(getattr(value, name), name) for name in type(value).__match_args__}
            return replaced(value, **fields)
        if isinstance(value, tuple):
            return tuple(changed(item, "") for item in value)
        if field == "end" or field.endswith("_end"):
            return end
        return start if field == "start" or field.endswith("_start") else value

    return cast("Expression", changed(expression, ""))


def moved(path: Expression, start: int, end: int) -> Expression:
    """A path as if it stood at another place."""
    changes: dict[str, object] = {"start": start, "end": end}
    if isinstance(path, (Member, Index, Part)):
        changes["base"] = moved(path.base, start, end)
    if isinstance(path, Member):
        changes["name_start"] = start
    if isinstance(path, Part):
        changes["part_start"] = start
    return replaced(path, **changes)
