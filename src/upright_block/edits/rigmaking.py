"""A rig for a block, written from the names of its pins: the block beside a stand-in, and a case to fill in."""

from __future__ import annotations

import re
from collections.abc import Container, Iterable, Sequence

from upright_block.asking import asked
from upright_block.edits.words import rigmaking as words
from upright_block.errors import NotRunnable, UnknownName
from upright_block.language.names import did_you_mean, listed
from upright_block.language.nodes import record
from upright_block.language.typed import Unit, Variable
from upright_block.language.types import BOOL, Elementary, Type
from upright_block.language.words import has_errors
from upright_block.library.table import aligned

_NAMES = {
    "forth": ("opening", "open", "forth", "forward", "up", "raise", "extend", "draw", "out"),
    "back": ("closing", "close", "shut", "back", "reverse", "down", "lower", "retract", "pull", "in"),
    "at_far": ("at_open", "opened", "is_open", "at_up", "at_top", "upper", "at_far", "drawn", "at_out", "at_end"),
    "at_near": (
        "at_shut",
        "at_close",
        "closed",
        "is_shut",
        "at_down",
        "at_bottom",
        "lower",
        "at_near",
        "at_in",
        "at_start",
    ),
    "coil": ("motor", "fan", "pump", "contactor", "run", "on", "start"),
    "feedback": ("feedback", "confirmed", "running", "runs", "is_on"),
    "control": ("control", "command", "control_word"),
    "status": ("status", "state", "status_word"),
    "set_point": ("set_point", "setpoint", "reference", "wanted"),
    "actual": ("actual", "speed", "measured"),
    "input": ("valve", "output", "power", "heat"),
    "value": ("value", "air", "actual", "temperature", "measured"),
    "inflow": ("inflow", "fill", "inlet", "pump"),
    "outflow": ("outflow", "drain", "outlet"),
    "level": ("level",),
    "low": ("low", "at_low", "not_empty"),
    "high": ("high", "at_high", "full"),
    "run": ("run", "belt", "conveyor"),
    "request": ("request", "ask", "trigger"),
    "done": ("done", "ready", "answered"),
    "number": ("number", "answer", "result"),
    "cue": ("lamp", "light", "signal"),
    "press": ("button", "key", "press", "acknowledge", "start"),
}
"""What the pins of blocks are often called that belong to a pin of a stand-in, or with what their names begin or end.
"""
_MOST_COLUMNS = 8


@record
class Rig:
    """A rig as it is written: the names and texts of its program and of its cases, and what is connected, pin to
    pin.
    """

    name: str
    program: str
    cases: str
    pairs: tuple[tuple[str, str], ...]


def rig_for(
    units: Sequence[Unit], stand_ins: Sequence[Unit], block: str, stand_in: str | None, taken: Container[str]
) -> Rig:
    """A rig for a block of a library by name, with a stand-in by name or the one that fits best.

    Raises:
        UnknownName: there is no such block or stand-in.
        NotRunnable: the block has errors.
    """
    blocks = {unit.key: unit for unit in units if unit.kind == "FUNCTION_BLOCK"}
    unit = blocks.get(block.upper())
    if unit is None:
        names = [known.name for known in blocks.values()]
        raise UnknownName(*words.no_such_block(block, did_you_mean(block, names) or f"There are {listed(names)}."))
    if unit.is_broken:
        raise NotRunnable(*has_errors(unit.name))
    chosen = next((u for u in stand_ins if stand_in is not None and u.key == stand_in.upper()), None)
    if stand_in is not None and chosen is None:
        names = [known.name for known in stand_ins]
        way_out = did_you_mean(stand_in, names) or f"There are {listed(names)}."
        raise UnknownName(*words.no_such_stand_in(stand_in, way_out))
    return made_rig(unit, chosen or best_stand_in(unit, stand_ins), taken)


def best_stand_in(unit: Unit, stand_ins: Sequence[Unit]) -> Unit:
    """The stand-in with which most pins of a block can be connected; the first of several."""
    return max(stand_ins, key=lambda stand_in: len(_pairs(unit, stand_in)))


def made_rig(unit: Unit, stand_in: Unit, taken: Container[str]) -> Rig:
    """A rig for a block with a stand-in; pins that nothing fits are pins of the rig, whose names are not among the
    ``taken`` keys.
    """
    pairs = _pairs(unit, stand_in)
    name = f"{unit.name}Rig"
    given = {own: f"machine.{other}" for own, other in pairs if unit.variables[own.upper()].section == "input"}
    driven = {other: f"unit.{own}" for own, other in pairs if own not in given}
    shared = unit.section("in_out")
    names = {pin.name: f"{pin.name}_pin" if pin.key in taken else pin.name for pin in (*unit.section("input"), *shared)}
    open_pins = [pin for pin in unit.section("input") if pin.name not in given and not pin.has_initial]
    called = [
        f"{pin.name} := {given.get(pin.name, names[pin.name])}"
        for pin in (*unit.section("input"), *shared)
        if not pin.has_initial
    ]
    declared = [f"{names[pin.name]} : {pin.type};" for pin in open_pins]
    held = [f"{names[pin.name]} : {pin.type};" for pin in shared]
    first = f"machine({', '.join(f'{pin} := {source}' for pin, source in driven.items())});"
    program = "\n".join(
        [
            f"// {unit.name} beside {stand_in.name}, which stands in for its machine.",
            f"PROGRAM {name}",
            *(["VAR_INPUT", *(f"    {line}" for line in declared), "END_VAR"] if declared else []),
            "VAR",
            f"    machine : {stand_in.name};",
            f"    unit    : {unit.full_name};",
            *(f"    {line}" for line in held),
            "END_VAR",
            "",
            *([] if driven else [f"// connect the pins of machine: upright show {stand_in.name} lists them"]),
            f"{first}     // first: it moves by what the block gave before",
            *_wrapped("unit(", called),
            "END_PROGRAM",
            "",
        ]
    )
    return Rig(name, program, _cases(name, unit, stand_in, [(names[pin.name], pin) for pin in open_pins]), tuple(pairs))


def _wrapped(head: str, parts: Sequence[str]) -> list[str]:
    """A call over as many lines as it needs."""
    lines = [head]
    for number, part in enumerate(parts):
        text = part + (", " if number < len(parts) - 1 else "")
        if len(lines[-1]) + len(text) > 100:
            lines[-1] = lines[-1].rstrip()
            lines.append(" " * len(head))
        lines[-1] += text
    lines[-1] += ");"
    return lines


def _pairs(unit: Unit, stand_in: Unit) -> list[tuple[str, str]]:
    """The pins of a block and of a stand-in that fit by type, direction and name, each once."""
    found: list[tuple[str, str]] = []
    taken: set[str] = set()
    for other in (*stand_in.section("input"), *stand_in.section("output")):
        pins = unit.section("output" if other.section == "input" else "input")
        fits = [p for p in pins if p.name not in taken and p.type is other.type and not p.has_initial]
        best = max(fits, key=lambda pin: _likeness(pin.name, other.name), default=None)
        if best is not None and _likeness(best.name, other.name):
            found.append((best.name, other.name))
            taken.add(best.name)
    return found


def _likeness(own: str, other: str) -> int:
    """How much the name of a pin says that it belongs to a pin of a stand-in."""
    name = re.sub(r"(?<=[a-z])(?=[A-Z])", "_", own).lower()
    if name == other:
        return 100
    known = _NAMES.get(other, ())
    fits = (word for word in known if f"_{name}_".startswith(f"_{word}_") or f"_{name}_".endswith(f"_{word}_"))
    return max((len(known) - known.index(word) + 50 * (word == name) for word in fits), default=0)


def _cases(name: str, unit: Unit, stand_in: Unit, pins: Sequence[tuple[str, Variable]]) -> str:
    columns = [(own, pin) for own, pin in pins if isinstance(pin.type, Elementary)][:_MOST_COLUMNS]
    driven = [pin for _, pin in columns]
    looked = [f"unit.{pin.name}" for pin in _values(unit.section("output"))]
    looked += [f"machine.{pin.name}" for pin in _values(stand_in.section("output"))]
    looked = looked[:_MOST_COLUMNS]
    heads = ["at", "|", *(own for own, _ in columns), "|", *looked]
    first = next((pin for pin in driven if pin.type is BOOL), None)
    times = ["0s", "1s", "5s", "30s"]
    rows = [
        [time, "|", *_driven(driven, first, number), "|", *("." for _ in looked)] for number, time in enumerate(times)
    ]
    table = "\n".join(aligned([heads, *rows]))
    return (
        f"# upright verify {asked('record')} {name} fills in the expected cells from a run, to be looked at and "
        f"taken over with {asked('write')}.\n"
        f'program = "{name}"\nscan    = "100ms"\n\n[[case]]\nname    = "what the machine does"\n'
        f'vectors = """\n{table}\n"""\n'
    )


def _driven(pins: Iterable[Variable], first: Variable | None, row: int) -> list[str]:
    if row == 0:
        return [_zero(pin.type) for pin in pins]
    return ["1" if pin is first and row == 1 else "." for pin in pins]


def _zero(type_: Type) -> str:
    family = type_.family if isinstance(type_, Elementary) else ""
    return {"duration": "0s", "date": "1970-01-01", "time of day": "00:00:00"}.get(
        family, "." if family == "date and time" else "0"
    )


def _values(pins: Iterable[Variable]) -> list[Variable]:
    return [pin for pin in pins if isinstance(pin.type, Elementary)]
