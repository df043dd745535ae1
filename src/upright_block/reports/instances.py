"""Instances as a list and as plain data."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from upright_block.compiler.layout import size_of
from upright_block.language.literals import shown
from upright_block.language.views.instances import Instance
from upright_block.library.sheets import Rows
from upright_block.reports.listing import column_lines
from upright_block.reports.styled import Line, Role
from upright_block.runs.retained import Retained

_HEADS = ("instance", "block", "where", "bytes", "settings", "wired")


def instance_list(found: Sequence[Instance], width: int) -> list[Line]:
    """A line for each instance."""
    roles: tuple[Role, ...] = ("name", "strong", "dim", "", "", "")
    return column_lines(_HEADS, [_row(instance) for instance in found], width, roles)


def instance_rows(found: Sequence[Instance]) -> Rows:
    """Instances for a spreadsheet."""
    return Rows("instances", _HEADS, [dict(zip(_HEADS, _row(instance), strict=True)) for instance in found])


def _row(instance: Instance) -> tuple[str, ...]:
    wired = [f"{pin} := {text}" for pin, text in instance.inputs.items()]
    wired += [f"{pin} => {text}" for pin, text in instance.outputs.items()]
    source, start = instance.where
    return (
        instance.path,
        instance.unit.name,
        source.shown_line(start),
        "" if instance.unit.is_broken else str(size_of(instance.unit)),
        ", ".join(f"{pin} := {text}" for pin, text in instance.settings.items()),
        ", ".join(wired),
    )


def instance_data(instance: Instance) -> dict[str, Any]:
    """An instance as plain data for JSON."""
    source, start = instance.where
    return {
        "path": instance.path,
        "block": instance.unit.name,
        "settings": dict(instance.settings),
        "inputs": dict(instance.inputs),
        "outputs": dict(instance.outputs),
        "bytes": None if instance.unit.is_broken else size_of(instance.unit),
        "comment": instance.comment or None,
        **source.place(start),
    }


_KEPT = ("value", "type", "bytes", "at the start", "comment")


def retained_list(found: Sequence[Retained], width: int) -> list[Line]:
    """A line for each value that is kept over a loss of power."""
    return column_lines(_KEPT, list(map(_kept, found)), width, ("name", "", "", "", "dim"))


def retained_rows(found: Sequence[Retained]) -> Rows:
    """The same for a spreadsheet."""
    return Rows("retained", _KEPT, [dict(zip(_KEPT, _kept(each), strict=True)) for each in found])


def _kept(each: Retained) -> tuple[str, ...]:
    signal = each.signal
    comment = " ".join(signal.variable.comment.split())
    initial = "" if each.initial is None else shown(each.initial, signal.type)
    return signal.path, str(signal.type), str(each.size), initial, comment


def retained_data(each: Retained) -> dict[str, Any]:
    """The same as plain data for JSON."""
    path, type_, _, initial, comment = _kept(each)
    return {"path": path, "type": type_, "bytes": each.size, "initial": initial, "comment": comment or None}
