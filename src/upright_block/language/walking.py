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


def inner_bodies(at: typed.Statement) -> tuple[tuple[typed.Statement, ...], ...]:
    """The bodies inside a statement."""
    match at:
        case typed.If(branches=branches, otherwise=otherwise):
            return (*(branch.body for branch in branches), otherwise)
        case typed.Case(arms=arms, otherwise=otherwise):
            return (*(arm.body for arm in arms), otherwise)
        case typed.For(body=body) | typed.While(body=body) | typed.Repeat(body=body):
            return (body,)
    return ()


def every_statement(body: Iterable[typed.Statement]) -> Iterator[typed.Statement]:
    """The statements of a body and of all bodies inside it, as they are written."""
    for at in body:
        yield at
        for inner in inner_bodies(at):
            yield from every_statement(inner)


def parts(at: typed.Statement | typed.Expression) -> Iterable[Part]:
    """What a node consists of and does, in the order of evaluation; without the bodies inside a statement."""
    known = _PARTS.get(type(at))
    return known(at) if known else ()


def accesses(at: typed.Statement | typed.Expression) -> Iterator[Access]:
    """All that a node does, in the order of evaluation; without the bodies inside a statement."""
    waiting: list[Part] = [*parts(at)][::-1]
    while waiting:
        part = waiting.pop()
        if isinstance(part, Access):
            yield part
        else:
            waiting += [*parts(part)][::-1]


def calls_function(at: typed.Expression) -> bool:
    """Whether a function of the library or of the block language is called within an expression."""
    waiting: list[Part] = [at]
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
    for number, step in enumerate(place.steps):
        if isinstance(step, typed.Element):
            found += step.indices
        elif isinstance(step, typed.Target):
            before = place.steps[:number]
            type_ = before[-1].variable.type if before and isinstance(before[-1], typed.Member) else place.root.type  # fmt: skip
            found.append(Access("read", typed.Place(place.root, before, type_, place.origin), place.origin))
    return found


def _used(kind: Literal["read", "write", "address"], place: typed.Place) -> list[Part]:
    return [*_on_the_way(place), Access(kind, place, place.origin)]


def _received(receiver: typed.Receiver) -> list[Part]:
    """An output that is taken: a part of a bit string leaves the other bits as they were."""
    place = receiver.place
    read: list[Part] = [Access("read", place, place.origin)] if receiver.shift is not None else []
    return [*_on_the_way(place), *read, Access("write", place, place.origin)]


def _call_function(at: typed.CallFunction) -> list[Part]:
    call = Access("call", at.instance, at.origin, at.function, at.is_virtual)
    return [
        *(_on_the_way(at.instance) if at.instance else ()),
        *at.inputs,
        *(part for place in at.shared for part in _used("address", place)),
        call,
        *(part for _, receiver in at.outputs for part in _received(receiver)),
    ]


def _call_instance(at: typed.CallInstance) -> list[Part]:
    return [
        *_on_the_way(at.instance),
        *(value for _, value in at.inputs),
        *(part for _, place in at.shared for part in _used("address", place)),
        Access("call", at.instance, at.origin, at.block, at.is_virtual),
        *(part for _, receiver, _ in at.outputs for part in _received(receiver)),
    ]


def _assign(at: typed.Assign) -> list[Part]:
    place = at.place
    if not place.steps:
        return [at.value, Access("write", place, place.origin)]
    return [*_on_the_way(place), at.value, Access("write", place, place.origin)]


def _assign_part(at: typed.AssignPart) -> list[Part]:
    return [*_used("read", at.place), at.value, Access("write", at.place, at.place.origin)]


_PARTS: dict[type, Callable[[Any], Iterable[Part]]] = {
    typed.Load: lambda at: _used("read", at.place),
    typed.AddressOf: lambda at: _used("address", at.place),
    typed.Part: lambda at: (at.operand,),
    typed.InRange: lambda at: (at.operand,),
    typed.Convert: lambda at: (at.operand,),
    typed.Unary: lambda at: (at.operand,),
    typed.Binary: lambda at: (at.left, at.right),
    typed.CallFunction: _call_function,
    typed.CallStandard: lambda at: at.inputs,
    typed.Assign: _assign,
    typed.AssignPart: _assign_part,
    typed.Evaluate: lambda at: (at.call,),
    typed.CallInstance: _call_instance,
    typed.If: lambda at: [branch.condition for branch in at.branches],
    typed.Case: lambda at: (at.selector,),
    typed.For: lambda at: (at.first, at.last, at.step, *_used("write", at.place)),
    typed.While: lambda at: (at.condition,),
    typed.Repeat: lambda at: (at.condition,),
    typed.Assert: lambda at: (at.condition,),
}
