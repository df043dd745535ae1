"""Walks over the typed tree: what lies inside a node, and what it does to variables."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any, Literal

from upright_block.language import syntax, typed
from upright_block.language.nodes import node


@node
class Access:
    """What a statement or an expression does.

    ``read`` and ``write`` are of the value at ``place``; ``address`` hands the place on to somebody who may do
    both; ``call`` runs ``unit``: a function, where ``place`` is None, a method of the instance there, or its body.
    """

    kind: Literal["read", "write", "address", "call"]
    place: typed.Place | None
    origin: syntax.Node
    unit: typed.Unit | None = None
    is_virtual: bool = False


Part = typed.Expression | Access


def inner_bodies(node: typed.Statement) -> tuple[tuple[typed.Statement, ...], ...]:
    """The bodies inside a statement."""
    match node:
        case typed.If(branches=branches, otherwise=otherwise):
            return (*(branch.body for branch in branches), otherwise)
        case typed.Case(arms=arms, otherwise=otherwise):
            return (*(arm.body for arm in arms), otherwise)
        case typed.For(body=body) | typed.While(body=body) | typed.Repeat(body=body):
            return (body,)
    return ()


def every_statement(body: Iterable[typed.Statement]) -> Iterator[typed.Statement]:
    """The statements of a body and of all bodies inside it, as they are written."""
    for statement in body:
        yield statement
        for inner in inner_bodies(statement):
            yield from every_statement(inner)


def parts(node: typed.Statement | typed.Expression) -> Iterable[Part]:
    """What a node consists of and does, in the order of evaluation; without the bodies inside a statement."""
    known = _PARTS.get(type(node))
    return known(node) if known else ()


def accesses(node: typed.Statement | typed.Expression) -> Iterator[Access]:
    """All that a node does, in the order of evaluation; without the bodies inside a statement."""
    waiting: list[Part] = list(parts(node))
    waiting.reverse()
    while waiting:
        part = waiting.pop()
        if type(part) is Access:
            yield part
        elif (known := _PARTS.get(type(part))) is not None:
            inner = list(known(part))
            inner.reverse()
            waiting += inner


def expressions(node: typed.Expression) -> Iterator[typed.Expression]:
    """An expression and all that it consists of."""
    waiting: list[Part] = [node]
    while waiting:
        part = waiting.pop()
        if not isinstance(part, Access):
            yield part
            waiting += parts(part)


def calls_function(node: typed.Expression) -> bool:
    """Whether a function of the library or of the block language is called within an expression."""
    waiting: list[Part] = [node]
    while waiting:
        part = waiting.pop()
        if isinstance(part, (typed.CallFunction, typed.Bare)):  # what is bare may come to hold a call
            return True
        if not isinstance(part, Access):
            waiting += parts(part)
    return False


def _on_the_way(place: typed.Place) -> list[Part]:
    """What is evaluated to reach a place: indices, and references that are followed."""
    found: list[Part] = []
    if not place.steps:
        return found
    for number, step in enumerate(place.steps):
        if isinstance(step, typed.Element):
            found += step.indices
        elif isinstance(step, typed.Target):
            before = place.steps[:number]
            type_ = before[-1].variable.type if before and isinstance(before[-1], typed.Member) else place.root.type
            found.append(Access("read", typed.Place(place.root, before, type_, place.origin), place.origin))
    return found


def _used(kind: Literal["read", "write", "address"], place: typed.Place) -> list[Part]:
    if not place.steps:
        return [Access(kind, place, place.origin)]
    return [*_on_the_way(place), Access(kind, place, place.origin)]


def _received(receiver: typed.Receiver) -> list[Part]:
    """An output that is taken: a part of a bit string leaves the other bits as they were."""
    place = receiver.place
    read: list[Part] = [Access("read", place, place.origin)] if receiver.shift is not None else []
    return [*_on_the_way(place), *read, Access("write", place, place.origin)]


def _call_function(node: typed.CallFunction) -> list[Part]:
    call = Access("call", node.instance, node.origin, node.function, node.is_virtual)
    return [
        *(_on_the_way(node.instance) if node.instance else ()),
        *node.inputs,
        *(part for place in node.shared for part in _used("address", place)),
        call,
        *(part for _, receiver in node.outputs for part in _received(receiver)),
    ]


def _call_instance(node: typed.CallInstance) -> list[Part]:
    return [
        *_on_the_way(node.instance),
        *(value for _, value in node.inputs),
        *(part for _, place in node.shared for part in _used("address", place)),
        Access("call", node.instance, node.origin, node.block, node.is_virtual),
        *(part for _, receiver, _ in node.outputs for part in _received(receiver)),
    ]


def _assign(node: typed.Assign) -> list[Part]:
    place = node.place
    if not place.steps:
        return [node.value, Access("write", place, place.origin)]
    return [*_on_the_way(place), node.value, Access("write", place, place.origin)]


def _assign_part(node: typed.AssignPart) -> list[Part]:
    return [*_used("read", node.place), node.value, Access("write", node.place, node.place.origin)]


_PARTS: dict[type, Callable[[Any], Iterable[Part]]] = {
    typed.Load: lambda node: _used("read", node.place),
    typed.AddressOf: lambda node: _used("address", node.place),
    typed.Part: lambda node: (node.operand,),
    typed.InRange: lambda node: (node.operand,),
    typed.Convert: lambda node: (node.operand,),
    typed.Unary: lambda node: (node.operand,),
    typed.Binary: lambda node: (node.left, node.right),
    typed.CallFunction: _call_function,
    typed.CallStandard: lambda node: node.inputs,
    typed.Assign: _assign,
    typed.AssignPart: _assign_part,
    typed.Evaluate: lambda node: (node.call,),
    typed.CallInstance: _call_instance,
    typed.If: lambda node: [branch.condition for branch in node.branches],
    typed.Case: lambda node: (node.selector,),
    typed.For: lambda node: (node.first, node.last, node.step, *_used("write", node.place)),
    typed.While: lambda node: (node.condition,),
    typed.Repeat: lambda node: (node.condition,),
    typed.Assert: lambda node: (node.condition,),
}
