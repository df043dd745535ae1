"""Statements that boxes of a ladder mean as somebody would write them: operators in place of functions, IF of EN."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from itertools import groupby
from typing import TypeVar

from upright_block.language import syntax
from upright_block.language.nodes import replaced

_Call = TypeVar("_Call", syntax.Call, syntax.BoxCall)

_OPERATORS = {
    "ADD": "+",
    "SUB": "-",
    "MUL": "*",
    "DIV": "/",
    "MOD": "MOD",
    "AND": "AND",
    "OR": "OR",
    "XOR": "XOR",
    "EQ": "=",
    "NE": "<>",
    "LT": "<",
    "GT": ">",
    "LE": "<=",
    "GE": ">=",
}


def plain(body: Iterable[syntax.Statement], own: Collection[str]) -> Iterator[syntax.Statement]:
    """Statements without functions that have a sign, and without EN; what one link leads to stands behind one IF.

    ``own`` are the names, in upper case, of units that have an EN of their own.
    """
    for link, nodes in groupby((_plain(node, own) for node in body), _link):
        if not link:
            yield from nodes
            continue
        found = [node for node in nodes if isinstance(node, syntax.If)]
        joined = tuple(inner for node in found for inner in node.branches[0].body)
        yield replaced(found[0], branches=(replaced(found[0].branches[0], body=joined),))


def _plain(node: syntax.Statement, own: Collection[str]) -> syntax.Statement:
    match node:
        case syntax.Assignment(target=target, value=syntax.Call(callee=syntax.Name(name=name)) as call):
            enable, call = _without_enable(call, name, own)
            done = syntax.Assignment(node.start, node.end, target, _value(call))
            return done if enable is None else _guarded(enable, done)
        case syntax.CallStatement(call=syntax.BoxCall(box=box) as call):
            enable, call = _without_enable(call, box.name, own)
            return node if enable is None else _guarded(enable, replaced(node, call=call))
        case syntax.If(branches=branches):
            inside = (replaced(branch, body=tuple(plain(branch.body, own))) for branch in branches)
            return replaced(node, branches=tuple(inside))
    return node


def _without_enable(call: _Call, name: str, own: Collection[str]) -> tuple[syntax.Expression | None, _Call]:
    """What a call is given as EN, and the call without it; None where it has none, or tells by ENO."""
    enables = [argument for argument in call.arguments if argument.name.upper() in ("EN", "ENO")]
    if len(enables) != 1 or enables[0].output or name.upper() in own:
        return None, call
    rest = tuple(argument for argument in call.arguments if argument is not enables[0])
    return enables[0].value, replaced(call, arguments=rest)


def _link(node: syntax.Statement) -> str:
    """The link that a statement waits for, where that is all that it does."""
    if isinstance(node, syntax.If) and len(node.branches) == 1 and node.otherwise is None:
        condition = node.branches[0].condition
        return condition.name if isinstance(condition, syntax.MadeName) else ""
    return ""


def _guarded(condition: syntax.Expression, done: syntax.Statement) -> syntax.Statement:
    branch = syntax.Branch(condition.start, condition.end, condition, (done,))
    return syntax.If(done.start, done.end, (branch,), None)


def _value(call: syntax.Call) -> syntax.Expression:
    """A call as an operation, where its function has a sign; MOVE as what it is given."""
    if not isinstance(call.callee, syntax.Name) or any(argument.output for argument in call.arguments):
        return call
    name, values = call.callee.name.upper(), [argument.value for argument in call.arguments]
    if name == "MOVE" and len(values) == 1:
        return values[0]
    if name in _OPERATORS and len(values) == 2 and not any(argument.name for argument in call.arguments):
        return syntax.Binary(call.start, call.end, _OPERATORS[name], values[0], values[1], call.start)
    return call
