"""How the standard functions are written in WebAssembly."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from upright_block.compiler.instructions import is_signed, narrow, value_type
from upright_block.language import typed
from upright_block.language.types import Elementary

NOW = 8
"""Where in memory the start of this scan is: nanoseconds since the run began, an i64."""


class Emitter(Protocol):
    """The part of the body emitter that a function needs."""

    out: list[str]

    def expression(self, at: typed.Expression, clean: bool = True) -> None: ...
    def temporary(self, held: str) -> str: ...


def _abs(e: Emitter, at: typed.CallStandard) -> None:
    type_, held = at.type, value_type(at.type)
    e.expression(at.inputs[0])
    if type_.family == "real":
        e.out.append(f"{held}.abs")
    elif is_signed(type_):
        value = e.temporary(held)
        e.out.append(
            f"local.tee {value} {held}.const 0 {held}.lt_s if (result {held}) "
            f"{held}.const 0 local.get {value} {held}.sub{narrow(type_)} else local.get {value} end"
        )


def _sqrt(e: Emitter, at: typed.CallStandard) -> None:
    e.expression(at.inputs[0])
    e.out.append(f"{value_type(at.type)}.sqrt")


def _choose_between(e: Emitter, type_: Elementary, least: bool) -> None:
    """Of two values on the stack, leave the lesser or the greater."""
    held = value_type(type_)
    if type_.family == "real":
        e.out.append(f"{held}.{'min' if least else 'max'}")
        return
    a, b = e.temporary(held), e.temporary(held)
    compare = f"{held}.{'lt' if least else 'gt'}_{'s' if is_signed(type_) else 'u'}"
    e.out.append(f"local.set {b} local.tee {a} local.get {b} local.get {a} local.get {b} {compare} select")


def _least(e: Emitter, at: typed.CallStandard) -> None:
    _fold(e, at, True)


def _greatest(e: Emitter, at: typed.CallStandard) -> None:
    _fold(e, at, False)


def _fold(e: Emitter, at: typed.CallStandard, least: bool) -> None:
    e.expression(at.inputs[0])
    for value in at.inputs[1:]:
        e.expression(value)
        _choose_between(e, at.type, least)


def _limit(e: Emitter, at: typed.CallStandard) -> None:
    """MIN(MAX(IN, MN), MX), table 32."""
    low, value, high = at.inputs
    e.expression(value)
    e.expression(low)
    _choose_between(e, at.type, False)
    e.expression(high)
    _choose_between(e, at.type, True)


def _select(e: Emitter, at: typed.CallStandard) -> None:
    chooser, when_false, when_true = at.inputs
    e.expression(when_true)
    e.expression(when_false)
    e.expression(chooser)
    e.out.append("select")


def _scan_start(e: Emitter, at: typed.CallStandard) -> None:
    e.out.append(f"i32.const 0 i64.load offset={NOW}")


STANDARD_FUNCTIONS: dict[str, Callable[[Emitter, typed.CallStandard], None]] = {
    "ABS": _abs,
    "SQRT": _sqrt,
    "MIN": _least,
    "MAX": _greatest,
    "LIMIT": _limit,
    "SEL": _select,
    "SCAN_START": _scan_start,
}
