"""Walks over the typed tree."""

from __future__ import annotations

from upright_block.language import typed


def inner_bodies(at: typed.Statement) -> tuple[tuple[typed.Statement, ...], ...]:
    """The bodies inside a statement."""
    match at:
        case typed.If(branches=branches, otherwise=otherwise):
            return (*(body for _, body in branches), otherwise)
        case typed.Case(arms=arms, otherwise=otherwise):
            return (*(body for _, body in arms), otherwise)
        case typed.For(body=body) | typed.While(body=body) | typed.Repeat(body=body):
            return (body,)
    return ()


def calls_function(at: typed.Expression) -> bool:
    """Whether a function of the library or of the block language is called within an expression."""
    waiting: list[typed.Expression] = [at]
    while waiting:
        match waiting.pop():
            case typed.CallFunction() | typed.Bare():  # what is bare may come to hold a call
                return True
            case typed.CallStandard(inputs=inputs):
                waiting += inputs
            case typed.Binary(left=left, right=right):
                waiting += (left, right)
            case (
                typed.Convert(operand=operand)
                | typed.Unary(operand=operand)
                | typed.Part(operand=operand)
                | typed.InRange(operand=operand)
            ):
                waiting.append(operand)
            case typed.Load(place=place) | typed.AddressOf(place=place):
                waiting += [
                    i for step in place.steps if isinstance(step, typed.Element) for i in step.indices
                ]
    return False
