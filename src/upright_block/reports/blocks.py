"""A block drawn as a box with its pins, and listed with their comments."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from typing import Any

from upright_block.language.literals import shown
from upright_block.language.printing import program_lines
from upright_block.language.signatures import StandardFunction
from upright_block.language.typed import Section, Unit, Variable
from upright_block.reports.styled import Line

_TITLES: tuple[tuple[Section, str], ...] = (
    ("input", "Inputs"),
    ("in_out", "In-outs"),
    ("output", "Outputs"),
    ("private", "Private data"),
    ("temp", "Temporary data"),
    ("external", "Global variables"),
)
_SIGNS = frozenset(["+", "-", "*", "/", "**", "MOD", "AND", "OR", "XOR", ">", ">=", "=", "<=", "<", "<>"])
_WIDEST_TEXT = 100


def block_lines(unit: Unit, width: int) -> list[Line]:
    """The name and comment of a unit, its box, and its variables with types, initial values and comments."""
    lines: list[Line] = [
        [(unit.name, "strong"), (f"   {_kind(unit)}, {unit.source.shown_line(unit.syntax.start)}", "dim")]
    ]
    lines += [[(part, "")] for part in _wrapped(unit.comment, min(width, _WIDEST_TEXT))]
    lines += [[], *_box(unit), []]
    rows = [
        (title, variable)
        for section, title in _TITLES
        for variable in unit.section(section)
        if not variable.is_hidden and (unit.keeps_data or section in ("input", "in_out", "output"))
    ]
    rows.sort(key=lambda row: row[1].constant)
    rows = [("Constants" if variable.constant else title, variable) for title, variable in rows]
    names = max((len(v.name) for _, v in rows), default=0)
    types = max((len(_kept_type(v)) for _, v in rows), default=0)
    last = ""
    for title, variable in rows:
        if title != last:
            lines.append([(title, "strong")])
            last = title
        lead = 2 + names + 2 + types + 2
        comment = _wrapped(variable.comment, max(20, width - lead)) or [""]
        lines.append(
            [(f"  {variable.name:<{names}}  ", "name"), (f"{_kept_type(variable):<{types}}  ", ""), (comment[0], "dim")]
        )
        lines += [[(" " * lead + part, "dim")] for part in comment[1:]]
    return lines


def _wrapped(comment: str, width: int) -> list[str]:
    """The lines of a comment, those that are too long in parts."""
    return [part for line in comment.splitlines() for part in textwrap.wrap(line, width)]


def text_lines(unit: Unit) -> list[Line]:
    """A wiring table as the Structured Text that it means."""
    return [[(line, "")] for line in program_lines(unit)]


def _kind(unit: Unit) -> str:
    kind = unit.kind.lower().replace("_", " ")
    return "stand-in" if unit.is_stand_in else f"standard {kind}" if unit.is_standard else kind


def _type(variable: Variable) -> str:
    """The type, and the value of a constant, or the initial value where it is not that of the type."""
    initial = _initial(variable)
    return f"{variable.type.name} := {initial}" if initial else variable.type.name


def _kept_type(variable: Variable) -> str:
    """The type, with the word that says whether the value is kept over a loss of power."""
    kept = {True: " RETAIN", False: " NON_RETAIN", None: ""}[variable.retain]
    return f"{_type(variable)}{kept}"


def _initial(variable: Variable) -> str:
    """The initial value of a variable with a single value where it is not that of the type."""
    initial = variable.initial
    if not isinstance(initial, (bool, int, float, str)):
        return ""
    return shown(initial, variable.type) if initial or variable.constant else ""


def _box(unit: Unit) -> list[Line]:
    left = [(v.name, _type(v).replace(" :=", "")) for v in (*unit.section("input"), *unit.section("in_out"))]
    right = [(v.name, _type(v).replace(" :=", "")) for v in unit.section("output")]
    if unit.result is not None:
        right.insert(0, ("", _type(unit.result).replace(" :=", "")))
    return _drawn(unit.name, left, right)


def function_lines(function: StandardFunction) -> list[Line]:
    """The name of a standard function and its box; ``T`` stands for one type of all pins that have it."""
    data = function_data(function)
    left = [(pin["name"], pin["type"]) for pin in data["variables"]]
    lines: list[Line] = [[(function.name, "strong"), ("   standard function", "dim")], []]
    lines += _drawn(function.name, left, [("", data["result"])])
    if function.operator in _SIGNS:
        lines += [[], [(f"The same as the operator {function.operator} between its inputs.", "dim")]]
    elif any(type_ == "T" for _, type_ in (*left, ("", data["result"]))):
        lines += [[], [(f"T is one type of {function.group}, the same for all.", "dim")]]
    if function.extensible:
        lines += [[], [("More inputs may follow.", "dim")]]
    return lines


def function_data(function: StandardFunction) -> dict[str, Any]:
    """The interface of a standard function as plain data for JSON."""
    names = [(pin.name, pin.type.name if pin.type else pin.group or "T") for pin in function.pins]
    result = "STRING" if function.form in ("text", "to text", "recode") else "T"
    if function.form == "convert":
        result = function.name.removeprefix("TO_")
    return {
        "name": function.name,
        "kind": "FUNCTION",
        "result": function.result.name if function.result else result,
        "variables": [{"name": name, "section": "input", "type": type_} for name, type_ in names],
    }


def _drawn(name_: str, left: Sequence[tuple[str, str]], right: Sequence[tuple[str, str]]) -> list[Line]:
    """A box with the names of pins inside and their types outside."""
    outside = max((len(text) for _, text in left), default=0)
    inside_left = max((len(name) for name, _ in left), default=0)
    inside_right = max((len(name) for name, _ in right), default=0)
    inner = max(inside_left + inside_right + 6, len(name_) + 4)
    pad = " " * (outside + 4)
    lines: list[Line] = [
        [(f"{pad}┌{'─' * inner}┐", "dim")],
        [(f"{pad}│", "dim"), (f"{name_:^{inner}}", "strong"), ("│", "dim")],
        [(f"{pad}│{' ' * inner}│", "dim")],
    ]
    for row in range(max(len(left), len(right))):
        line: Line = []
        if row < len(left):
            name, type_ = left[row]
            line += [(f"  {type_:>{outside}} ", ""), ("─┤", "dim"), (f" {name:<{inner - inside_right - 2}}", "name")]
        else:
            line += [(f"{pad}│", "dim"), (" " * (inner - inside_right - 1), "")]
        if row < len(right):
            name, type_ = right[row]
            line += [(f"{name:>{inside_right}} ", "name"), ("├─", "dim"), (f" {type_}", "")]
        else:
            line += [(" " * (inside_right + 1), ""), ("│", "dim")]
        lines.append(line)
    return [*lines, [(f"{pad}└{'─' * inner}┘", "dim")]]


def block_data(unit: Unit) -> dict[str, Any]:
    """The interface of a unit as plain data for JSON."""
    return {
        "name": unit.name,
        "kind": unit.kind,
        "file": unit.source.path,
        "line": unit.source.line(unit.syntax.start),
        "comment": unit.comment,
        "result": None if unit.result is None else _type(unit.result),
        "variables": [
            {
                "name": v.name,
                "section": v.section,
                "type": v.type.name,
                "constant": v.constant,
                "initial": shown(v.initial, v.type) if isinstance(v.initial, (bool, int, float, str)) else None,
                "comment": v.comment,
            }
            for v in unit.variables.values()
            if not v.is_hidden
        ],
    }
