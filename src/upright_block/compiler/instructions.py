"""The WebAssembly instructions for operators and conversions, by type.

Integers narrower than 32 bits live in an i32, sign- or zero-extended to it; `narrow` brings the
result of an operation back to that form, which is what makes it wrap at its width.
"""

from __future__ import annotations

from upright_block.language.literals import Value
from upright_block.language.types import Elementary


def value_type(type_: Elementary) -> str:
    """The WebAssembly type that holds a value."""
    if type_.family == "real":
        return "f32" if type_.bits == 32 else "f64"
    return "i64" if type_.bits == 64 else "i32"


def constant(value: Value, type_: Elementary) -> str:
    """An instruction that puts a constant on the stack."""
    held = value_type(type_)
    if type_.family == "real":
        number = float(value)
        text = "nan" if number != number else number.hex().replace("inf", "inf")
        return f"{held}.const {text}"
    return f"{held}.const {int(value)}"


def load(type_: Elementary) -> str:
    """The load instruction of a type."""
    held = value_type(type_)
    if held in ("f32", "f64") or type_.bits >= 32:
        return f"{held}.load"
    return f"i32.load{type_.bits}_{'s' if type_.is_signed else 'u'}"


def store(type_: Elementary) -> str:
    """The store instruction of a type."""
    held = value_type(type_)
    if held in ("f32", "f64") or type_.bits >= 32:
        return f"{held}.store"
    return f"i32.store{type_.bits}"


def narrow(type_: Elementary) -> str:
    """What wraps an i32 at the width of ``type_``; empty when nothing is needed."""
    if type_.family == "real" or type_.bits >= 32:
        return ""
    if type_.is_signed:
        return f" i32.extend{type_.bits}_s"
    return f" i32.const {1 if type_.family == 'bool' else (1 << type_.bits) - 1} i32.and"


_ARITHMETIC = {"+": "add", "-": "sub", "*": "mul"}
_COMPARE = {"=": "eq", "<>": "ne", "<": "lt", ">": "gt", "<=": "le", ">=": "ge"}
_LOGIC = {"AND": "and", "OR": "or", "XOR": "xor"}


def operation(operator: str, operands: Elementary) -> str:
    """The instruction of an operator that cannot fault, without narrowing of its result."""
    held = value_type(operands)
    if operator in _LOGIC:
        return f"{held}.{_LOGIC[operator]}"
    if operator in _ARITHMETIC:
        return f"{held}.{_ARITHMETIC[operator]}"
    name = _COMPARE[operator]
    if operands.family == "real" or name in ("eq", "ne"):
        return f"{held}.{name}"
    return f"{held}.{name}_{'s' if operands.is_signed else 'u'}"


def conversion(source: Elementary, target: Elementary) -> str:
    """The instructions that turn one type into another without a check; real to integer is not among them."""
    a, b = value_type(source), value_type(target)
    if target.family == "bool":
        if source.family == "bits":
            return ("i32.wrap_i64 " if a == "i64" else "") + "i32.const 1 i32.and"
        return f"{a}.const 0 {a}.ne"
    if source.family == "real":
        if target.family == "real":
            return "" if a == b else "f64.promote_f32" if b == "f64" else "f32.demote_f64"
        return f"{b}.reinterpret_{a}"
    if target.family == "real":
        if source.family == "bits":
            return f"{b}.reinterpret_{a}"
        return f"{b}.convert_{a}_{'s' if source.is_signed else 'u'}"
    if a == "i32" and b == "i64":
        return f"i64.extend_i32_{'s' if source.is_signed else 'u'}"
    if a == "i64" and b == "i32":
        return "i32.wrap_i64" + narrow(target)
    fits = b == "i64" or (target.low <= source.low and source.high <= target.high)
    return "" if fits else narrow(target).strip()
