"""A function as a block, so that it can be run and checked like one."""

from __future__ import annotations

from upright_block.language import syntax, typed
from upright_block.language.types import BOOL, Elementary, Type


def as_block(unit: typed.Unit) -> typed.Unit:
    """``unit`` itself when it keeps data, else a block whose body calls the function once.

    It has the pins of the function, and its result as one more output of the function's name. What the
    function shares with its caller is private data of the block.
    """
    if unit.keeps_data:
        return unit
    own: dict[str, typed.Variable] = {}
    for v in unit.variables.values():
        if v.section in ("input", "output", "in_out"):
            section: typed.Section = "private" if v.section == "in_out" else v.section
            initial = typed.default_of(v.type) if v.section == "in_out" else v.initial
            own[v.key] = typed.Variable(v.name, section, v.type, False, initial, v.comment, v.start, v.end)
    at = unit.syntax
    pins = {section: unit.section(section) for section in ("input", "in_out", "output")}
    inputs = tuple(_load(own[v.key]) for v in pins["input"])
    shared = tuple(typed.whole(own[v.key]) for v in pins["in_out"])
    outputs = tuple((v, typed.Receiver(typed.whole(own[v.key]), v.type, None)) for v in pins["output"])
    type_: Type = BOOL if unit.result is None else unit.result.type
    call = typed.CallFunction(type_, unit, inputs, shared, outputs, at)
    body: typed.Statement = typed.Evaluate(syntax.NO_PLACE, call)
    if unit.result is not None:
        result = typed.Variable(
            unit.name, "output", type_, False, unit.result.initial, unit.comment, at.start, at.end
        )
        own[result.key] = result
        body = typed.Assign(syntax.NO_PLACE, typed.whole(result), call)
    return typed.Unit(
        "FUNCTION_BLOCK",
        unit.name,
        unit.source,
        at,
        unit.comment,
        own,
        body=(body,),
        uses={unit.key: unit},
        refers=unit.refers,
        wraps=unit,
        addressed=list(shared),
    )


def _load(variable: typed.Variable) -> typed.Load:
    type_ = variable.type
    return typed.Load(type_.base if isinstance(type_, Elementary) else type_, typed.whole(variable))
