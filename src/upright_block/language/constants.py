"""The value of expressions that are decided before the run: initial values, CASE labels, folded literals."""

from __future__ import annotations

import math
from collections.abc import Callable

from upright_block.language import typed
from upright_block.language.literals import DAY, Number, Value, round_real
from upright_block.language.types import UNTYPED_INT, UNTYPED_REAL, Elementary, Type


class NotConstant(Exception):
    """The expression depends on the run, or has no value."""


def evaluate(expression: typed.Expression) -> Value:
    """The value of a constant expression, computed as the machine would.

    Named constants that take part are marked as folded.

    Raises:
        NotConstant: some part is no constant, or it divides by zero.
    """
    match expression:
        case typed.Constant(value=value):
            return value
        case typed.ConstantUse(variable=variable):
            variable.is_folded = True
            if not isinstance(variable.initial, (bool, int, float, str)):
                raise NotConstant
            return variable.initial
        case typed.Convert(type=target, operand=typed.CallFunction() as call) if target.bits == 32:
            # Rounded to a REAL, what this program and the machine compute is the same.
            near = nearly(call)
            if near is None or target.family != "real":
                raise NotConstant
            return _convert(near, target)
        case typed.Convert(type=target, operand=operand):
            return _convert(number(operand), target)
        case typed.InRange(type=type_, operand=operand):
            value = number(operand)
            if not type_.low <= value <= type_.high:
                raise NotConstant
            return value
        case typed.Part(type=type_, operand=operand, shift=shift):
            part = int(number(operand)) >> shift & type_.high
            return bool(part) if type_.family == "bool" else part
        case typed.Unary(operator=operator, operand=operand, type=type_):
            value = number(operand)
            if operator == "NOT":
                return not value if type_.family == "bool" else type_.wrap(~int(value))
            return -value if type_.family in ("real", "untyped") else type_.wrap(-int(value))
        case typed.Binary(type=type_, operator=operator, left=left, right=right):
            return apply(operator, type_, left.type, number(left), number(right))
        case typed.CallStandard(type=type_, name=name, inputs=inputs) if name in _EXACT:
            return _called(name, type_, [evaluate(value) for value in inputs])
    raise NotConstant


_EXACT: dict[str, Callable[..., Value]] = {
    "ABS": abs,
    "SQRT": math.sqrt,
    "MOVE": lambda value: value,
    "MIN": min,
    "MAX": max,
    "LIMIT": lambda low, value, high: min(max(value, low), high),
    "SEL": lambda chosen, no, yes: yes if chosen else no,
}
"""Standard functions that have one exact result, so that this program and the machine agree to the bit."""


_NEAR: dict[str, Callable[..., float]] = {
    "SIN": math.sin,
    "COS": math.cos,
    "TAN": math.tan,
    "ASIN": math.asin,
    "ACOS": math.acos,
    "ATAN": math.atan,
    "ATAN2": math.atan2,
    "EXP": math.exp,
    "LN": math.log,
    "LOG": math.log10,
    "EXPT": math.pow,
}


def nearly(expression: typed.Expression) -> float | None:
    """The value of a function of reals with known inputs, as near as this program knows it; else None."""
    while isinstance(expression, typed.Convert):
        expression = expression.operand
    if not isinstance(expression, typed.CallFunction) or expression.function.name not in _NEAR:
        return None
    try:
        return _NEAR[expression.function.name](*(float(number(value)) for value in expression.inputs))
    except (NotConstant, ValueError, OverflowError, TypeError):
        return None


def _called(name: str, type_: Type, inputs: list[Value]) -> Value:
    try:
        value = _EXACT[name](*inputs)
    except ValueError:
        raise NotConstant from None
    if not isinstance(type_, Elementary) or isinstance(value, str):
        return value
    if type_.family == "real":
        return round_real(float(value)) if type_.bits == 32 else float(value)
    return value if type_.family == "bool" else type_.wrap(int(value))


def number(expression: typed.Expression) -> Number:
    """The value of a constant expression that is no text.

    Raises:
        NotConstant: it is a text, or no constant.
    """
    value = evaluate(expression)
    if isinstance(value, str):
        raise NotConstant
    return value


def _convert(value: Number, target: Elementary) -> Number:
    if target.family == "real":
        return round_real(float(value)) if target.bits == 32 else float(value)
    if isinstance(value, float):
        raise NotConstant
    return target.wrap(int(value))


_COMPARE = {
    "=": lambda a, b: a == b,
    "<>": lambda a, b: a != b,
    "<": lambda a, b: a < b,
    ">": lambda a, b: a > b,
    "<=": lambda a, b: a <= b,
    ">=": lambda a, b: a >= b,
}


def apply(operator: str, type_: Elementary, operands: Type, a: Number, b: Number) -> Number:
    """``a operator b`` where both operands have type ``operands`` and the result has ``type_``.

    Untyped integers are exact; typed ones wrap; `/` rounds toward zero (6.6.2.5.4).

    Raises:
        NotConstant: there is no value, as in a division by zero.
    """
    if operator in _COMPARE:
        return bool(_COMPARE[operator](a, b))
    if operator in ("AND", "OR", "XOR"):
        x, y = int(a), int(b)
        bits = x & y if operator == "AND" else x | y if operator == "OR" else x ^ y
        return bool(bits) if type_.family == "bool" else bits
    try:
        result = _arithmetic(operator, a, b, type_.family == "real" or type_ is UNTYPED_REAL)
        if type_.family == "real" and type_.bits == 32:
            return round_real(float(result))
    except (OverflowError, ZeroDivisionError, ValueError):
        raise NotConstant from None
    if isinstance(result, float) and not math.isfinite(result):
        raise NotConstant
    if type_.family in ("real", "untyped"):
        return result
    if type_.family == "time of day":
        return int(result) % DAY
    return type_.wrap(int(result))


def _arithmetic(operator: str, a: Number, b: Number, real: bool) -> Number:
    match operator:
        case "+":
            return a + b
        case "-":
            return a - b
        case "*":
            return a * b
        case "/":
            return a / b if real else _quotient(int(a), b)
        case "MOD":
            return int(a) - int(b) * int(_quotient(int(a), int(b))) if b else 0
        case "**":
            if not real and (b < 0 or b > 64):
                raise NotConstant
            return math.pow(a, b) if real else int(pow(int(a), int(b)))
    raise NotConstant


def _quotient(a: int, b: Number) -> Number:
    if isinstance(b, float):
        return int(a / b)
    whole = abs(a) // abs(b)
    return whole if (a < 0) == (b < 0) else -whole


def fold(operator: str, left: typed.Constant, right: typed.Constant, result: Elementary) -> typed.Constant:
    """Two untyped literals and an operator, as one untyped literal.

    Raises:
        NotConstant: there is no value, as in a division by zero.
    """
    pair = UNTYPED_REAL if UNTYPED_REAL in (left.type, right.type) else UNTYPED_INT
    if operator == "MOD" and pair is UNTYPED_REAL:
        raise NotConstant
    return typed.Constant(result, apply(operator, result, pair, number(left), number(right)))
