"""A function as a block, so that it can be run and checked like one."""

from __future__ import annotations

from upright_block.language import typed
from upright_block.language.types import Elementary


def as_block(unit: typed.Unit) -> typed.Unit:
    """``unit`` itself when it is a block, else a block whose body calls the function once.

    It has the pins of the function, and its result as one more output of the function's name.
    """
    if unit.kind == "FUNCTION_BLOCK" or unit.result is None:
        return unit
    pins = [v for v in unit.variables.values() if v.section in ("input", "output")]
    result = typed.Variable(
        unit.name,
        "output",
        unit.result.type,
        False,
        unit.result.initial,
        unit.comment,
        unit.syntax.start,
        unit.syntax.end,
    )
    own = {
        v.key: typed.Variable(v.name, v.section, v.type, False, v.initial, v.comment, v.start, v.end)
        for v in pins
    }
    own[result.key] = result
    block = typed.Unit("FUNCTION_BLOCK", unit.name, unit.source, unit.syntax, unit.comment, own, wraps=unit)
    inputs = tuple(_load(own[v.key]) for v in pins if v.section == "input")
    outputs = tuple((v, _place(own[v.key])) for v in pins if v.section == "output")
    assert isinstance(result.type, Elementary)
    call = typed.CallFunction(result.type, unit, inputs, outputs, unit.syntax.start)
    block.body = (typed.Assign(_place(result), call),)
    block.uses = {unit.key: unit}
    return block


def _place(variable: typed.Variable) -> typed.Place:
    assert isinstance(variable.type, Elementary)
    return typed.Place((variable,), variable.type)


def _load(variable: typed.Variable) -> typed.Load:
    place = _place(variable)
    return typed.Load(place.type, place)
