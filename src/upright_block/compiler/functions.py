"""How the standard functions are written in WebAssembly."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Protocol

from upright_block.compiler.code import Code
from upright_block.compiler.header import ADDRESSES
from upright_block.compiler.instructions import narrow, value_type
from upright_block.language import typed
from upright_block.language.types import Elementary, String
from upright_block.language.walking import calls_function

_NOW, _CLOCK, _IDLED = (ADDRESSES[field] for field in ("now", "clock", "idled"))


class Emitter(Protocol):
    """The part of the body emitter that a function needs."""

    out: list[str]

    code: Code

    def expression(self, node: typed.Expression, clean: bool = True) -> None: ...
    def temporary(self, held: str) -> str: ...
    def fault_if(self, start: int, kind: str) -> None: ...


def _held(node: typed.CallStandard) -> tuple[Elementary, str]:
    """The elementary type of a result, and the WebAssembly type that holds it."""
    assert isinstance(node.type, Elementary)
    return node.type, value_type(node.type)


def _abs(e: Emitter, node: typed.CallStandard) -> None:
    type_, held = _held(node)
    e.expression(node.inputs[0])
    if type_.family == "real":
        e.out.append(f"{held}.abs")
    elif type_.is_signed:
        value = e.temporary(held)
        e.out.append(
            f"local.tee {value} {held}.const 0 {held}.lt_s if (result {held}) "
            f"{held}.const 0 local.get {value} {held}.sub{narrow(type_)} else local.get {value} end"
        )


def _sqrt(e: Emitter, node: typed.CallStandard) -> None:
    e.expression(node.inputs[0])
    e.out.append(f"{_held(node)[1]}.sqrt")


def _choose_between(e: Emitter, type_: Elementary, least: bool) -> None:
    """Of two values on the stack, leave the lesser or the greater."""
    held = value_type(type_)
    if type_.family == "real":
        e.out.append(f"{held}.{'min' if least else 'max'}")
        return
    a, b = e.temporary(held), e.temporary(held)
    compare = f"{held}.{'lt' if least else 'gt'}_{'s' if type_.is_signed else 'u'}"
    e.out.append(f"local.set {b} local.tee {a} local.get {b} local.get {a} local.get {b} {compare} select")


def _least(e: Emitter, node: typed.CallStandard) -> None:
    _fold(e, node, least=True)


def _greatest(e: Emitter, node: typed.CallStandard) -> None:
    _fold(e, node, least=False)


def _fold(e: Emitter, node: typed.CallStandard, least: bool) -> None:
    e.expression(node.inputs[0])
    for value in node.inputs[1:]:
        e.expression(value)
        _choose_between(e, _held(node)[0], least)


def _in_any_order(e: Emitter, node: typed.CallStandard) -> list[Callable[[], None]]:
    """What puts each input on the stack, in any order.

    Inputs are computed from left to right; where one of them calls a function, which may change what the others
    read, that is done beforehand.
    """
    if not any(calls_function(value) for value in node.inputs):
        return [partial(e.expression, value) for value in node.inputs]
    pushes: list[Callable[[], None]] = []
    for value in node.inputs:
        name = e.temporary(value_type(value.type) if isinstance(value.type, Elementary) else "i32")
        e.expression(value)
        e.out.append(f"local.set {name}")
        pushes.append(partial(e.out.append, f"local.get {name}"))
    return pushes


def _limit(e: Emitter, node: typed.CallStandard) -> None:
    """MIN(MAX(IN, MN), MX), table 32."""
    low, value, high = _in_any_order(e, node)
    value()
    low()
    _choose_between(e, _held(node)[0], least=False)
    high()
    _choose_between(e, _held(node)[0], least=True)


def _select(e: Emitter, node: typed.CallStandard) -> None:
    chooser, when_false, when_true = _in_any_order(e, node)
    when_true()
    when_false()
    chooser()
    e.out.append("select")


def _clock_now(e: Emitter, node: typed.CallStandard) -> None:
    e.out.append(f"i32.const 0 i64.load offset={_NOW} i32.const 0 i64.load offset={_CLOCK} i64.add")


def _endian(e: Emitter, node: typed.CallStandard) -> None:
    """The bytes in the other order where the order asked for is not that of the machine, which is little-endian."""
    e.expression(node.inputs[0])
    type_, held = _held(node)
    if "LITTLE" in node.name or type_.bits == 8:
        return
    value = e.temporary(held)
    e.out.append(f"local.set {value}")
    count = type_.bits // 8
    for byte in range(count):
        e.out.append(
            f"local.get {value} {held}.const {8 * byte} {held}.shr_u {held}.const 255 {held}.and "
            f"{held}.const {8 * (count - 1 - byte)} {held}.shl" + (f" {held}.or" if byte else "")
        )
    e.out.append(narrow(type_))


def _move(e: Emitter, node: typed.CallStandard) -> None:
    e.expression(node.inputs[0])


def _multiplex(e: Emitter, node: typed.CallStandard) -> None:
    """The input that K chooses, counted from 0; another K is a fault (table 32)."""
    chooser, *values = _in_any_order(e, node)
    held = value_type(node.type) if isinstance(node.type, Elementary) else "i32"
    number = e.temporary("i64")
    chooser()
    e.out.append(f"local.tee {number} i64.const {len(values)} i64.ge_u")
    e.fault_if(node.start, f"choice outside 0..{len(values) - 1}")
    values[-1]()
    for index in range(len(values) - 2, -1, -1):
        kept = e.temporary(held)
        e.out.append(f"local.set {kept}")
        values[index]()
        e.out.append(f"local.get {kept} local.get {number} i64.const {index} i64.eq select")


def _shift(e: Emitter, node: typed.CallStandard) -> None:
    """SHL, SHR, ROL, ROR (table 30); bits beyond the width are lost by the first two. Below 0 is a fault."""
    type_, held = _held(node)
    count, value = e.temporary("i64"), e.temporary(held)
    e.expression(node.inputs[0])
    e.out.append(f"local.set {value}")
    e.expression(node.inputs[1])
    e.out.append(f"local.tee {count} i64.const 0 i64.lt_s")
    e.fault_if(node.start, "shift by less than 0")
    amount = f"local.get {count}" + ("" if held == "i64" else " i32.wrap_i64")
    if node.name in ("SHL", "SHR"):
        shifted = f"local.get {value} {amount} {held}.{'shl' if node.name == 'SHL' else 'shr_u'}{narrow(type_)}"
        e.out.append(f"{shifted} {held}.const 0 local.get {count} i64.const {type_.bits} i64.lt_u select")
    elif type_.bits >= 32:
        e.out.append(f"local.get {value} {amount} {held}.{'rotl' if node.name == 'ROL' else 'rotr'}")
    else:
        turn = e.temporary("i32")
        there, back = ("shl", "shr_u") if node.name == "ROL" else ("shr_u", "shl")
        e.out.append(
            f"local.get {count} i64.const {type_.bits} i64.rem_u i32.wrap_i64 local.set {turn} "
            f"local.get {value} local.get {turn} i32.{there} "
            f"local.get {value} i32.const {type_.bits} local.get {turn} i32.sub i32.{back} i32.or{narrow(type_)}"
        )


def _is_valid(e: Emitter, node: typed.CallStandard) -> None:
    """Whether a real is a number and finite: its difference from itself is zero (table 39)."""
    source = node.inputs[0].type
    assert isinstance(source, Elementary)
    held = value_type(source)
    value = e.temporary(held)
    e.expression(node.inputs[0])
    e.out.append(f"local.tee {value} local.get {value} {held}.sub {held}.const 0 {held}.eq")


# --- texts (table 34) ---


def _width(node: typed.CallStandard) -> int:
    type_ = node.inputs[0].type
    assert isinstance(type_, String)
    return type_.width


def _length(e: Emitter, node: typed.CallStandard) -> None:
    e.expression(node.inputs[0])
    e.out.append("i32.load")


def _find(e: Emitter, node: typed.CallStandard) -> None:
    e.expression(node.inputs[0])
    e.expression(node.inputs[1])
    e.out.append(f"i32.const {_width(node)} call $text_find")


_ALL = "i64.const 0x7fffffff"


def _text(e: Emitter, node: typed.CallStandard) -> None:
    """A text made of slices of others: each is (which text, first character from 0, how many)."""
    assert isinstance(node.type, String)
    names: list[str] = []
    for value in node.inputs:
        held = "i64" if isinstance(value.type, Elementary) else "i32"
        name = e.temporary(held)
        e.expression(value)
        e.out.append(f"local.set {name}")
        names.append(f"local.get {name}")
    room = e.code.room(node.type.size, 8)
    e.out.append(f"i32.const {room} i32.const 0 i32.store")
    for text, first, count in _slices(node.name, names):
        e.out.append(f"i32.const {room} {text} i32.const {node.type.width} {first} {count} call $text_append")
    e.out.append(f"i32.const {room}")


def _recode(e: Emitter, node: typed.CallStandard) -> None:
    """A text in characters of another width; what a STRING does not have becomes a question mark."""
    assert isinstance(node.type, String)
    room = e.code.room(node.type.size, 8)
    value = e.temporary("i32")
    e.expression(node.inputs[0])
    source = node.inputs[0].type
    if isinstance(source, String):
        e.out.append(
            f"local.set {value} i32.const {room} i32.const {node.type.width} local.get {value} "
            f"i32.const {source.width} call $text_recode"
        )
    else:
        e.out.append(
            f"local.set {value} i32.const {room} i32.const 1 i32.store "
            f"i32.const {room} local.get {value} i32.store16 offset=4"
        )
    e.out.append(f"i32.const {room}")


def _slices(name: str, given: list[str]) -> list[tuple[str, str, str]]:
    """The slices that a text function puts together; its own inputs are instructions in ``given``."""
    text, none = given[0], "i64.const 0"
    match name:
        case "LEFT":
            return [(text, none, given[1])]
        case "RIGHT":
            return [(text, f"{text} i64.load32_u {given[1]} i64.sub", given[1])]
        case "MID":
            return [(text, f"{given[2]} i64.const 1 i64.sub", given[1])]
        case "CONCAT":
            return [(part, none, _ALL) for part in given]
        case "INSERT":
            return [(text, none, given[2]), (given[1], none, _ALL), (text, given[2], _ALL)]
        case "DELETE":
            before = f"{given[2]} i64.const 1 i64.sub"
            return [(text, none, before), (text, f"{before} {given[1]} i64.add", _ALL)]
        case _:
            before = f"{given[3]} i64.const 1 i64.sub"
            return [(text, none, before), (given[1], none, _ALL), (text, f"{before} {given[2]} i64.add", _ALL)]


def _scan_start(e: Emitter, node: typed.CallStandard) -> None:
    e.out.append(f"i32.const 0 i64.load offset={_NOW}")


def _moment(e: Emitter, node: typed.CallStandard) -> None:
    """When the scan starts, with the time for which none ran; tasks keep to these moments."""
    e.out.append(f"i32.const 0 i64.load offset={_NOW} i32.const 0 i64.load offset={_IDLED} i64.add")


STANDARD_FUNCTIONS: dict[str, Callable[[Emitter, typed.CallStandard], None]] = {
    "ABS": _abs,
    "SQRT": _sqrt,
    "MIN": _least,
    "MAX": _greatest,
    "LIMIT": _limit,
    "SEL": _select,
    "SCAN_START": _scan_start,
    "MOMENT": _moment,
    "CLOCK_NOW": _clock_now,
    "NANOSECONDS": _move,
    **{f"{way}_{order}_ENDIAN": _endian for way in ("TO", "FROM") for order in ("BIG", "LITTLE")},
    "MOVE": _move,
    "MUX": _multiplex,
    **dict.fromkeys(("SHL", "SHR", "ROL", "ROR"), _shift),
    "IS_VALID": _is_valid,
    "LEN": _length,
    "FIND": _find,
    **dict.fromkeys(("STRING_TO_WSTRING", "WSTRING_TO_STRING", "CHAR_TO_STRING", "WCHAR_TO_WSTRING"), _recode),
    **dict.fromkeys(("LEFT", "RIGHT", "MID", "CONCAT", "INSERT", "DELETE", "REPLACE"), _text),
}
