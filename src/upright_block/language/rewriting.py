"""Typed bodies made anew from others: nothing that is there changes, and what stays is shared."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from upright_block.language import typed
from upright_block.language.nodes import replaced

Body = tuple[typed.Statement, ...]


def rewritten(body: Body, change: Callable[[typed.Statement], Iterable[typed.Statement]]) -> Body:
    """A body in which ``change`` says what stands in the place of each statement; it is given those whose inner bodies
    are rewritten.
    """
    return tuple(made for statement in body for made in change(_inside(statement, change)))


def _inside(
    statement: typed.Statement, change: Callable[[typed.Statement], Iterable[typed.Statement]]
) -> typed.Statement:
    """A statement with the bodies in it rewritten, in the order in which they are written."""
    match statement:
        case typed.If(branches=branches, otherwise=otherwise):
            ways = tuple(replaced(branch, body=rewritten(branch.body, change)) for branch in branches)
            return replaced(statement, branches=ways, otherwise=rewritten(otherwise, change))
        case typed.Case(arms=arms, otherwise=otherwise):
            chosen = tuple(replaced(arm, body=rewritten(arm.body, change)) for arm in arms)
            return replaced(statement, arms=chosen, otherwise=rewritten(otherwise, change))
        case typed.For(body=body) | typed.While(body=body) | typed.Repeat(body=body):
            return replaced(statement, body=rewritten(body, change))
    return statement
