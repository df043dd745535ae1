"""The reasons of a value as a tree."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from upright_block.asking import asked
from upright_block.language.literals import shown, shown_duration
from upright_block.language.timebase import Timebase
from upright_block.reasons.tree import Node, Place, Reason
from upright_block.reports.styled import Line

MOST_LINES = 20
_MOST_LEAVES = 4
_FROM_OUTSIDE = ("driven", "set", "forced", "given", "rest", "stimulus", "rig", "power", "clock")
_GIVEN_BY = {
    "driven": "driven",
    "set": "set by the call",
    "forced": "forced",
    "given": "given before the first scan",
    "initial": "initial value",
    "power": "the power was switched",
    "rig": "given by the rig",
    "stimulus": "a stimulus of the case",
    "rest": "an input that nothing drives",
    "expression": "",
    "written": "",
    "again": "told above",
    "before": "what it was before",
}


def why_lines(node: Node, timebase: Timebase, width: int, show_all: bool) -> Iterator[Line]:
    """The value and since when, what nobody in the library decides, then the tree."""
    head = f"{node.path} is {node.told}" if node.has_value else node.path
    yield [(head, "strong"), (f" at {_time(timebase, node.scan)} (scan {node.scan})", "")]
    since = "since the beginning" if node.since is None else f"since {_time(timebase, node.since)} (scan {node.since})"
    if node.has_value:
        yield [(since, "")]
    found = [leaf for leaf in node.leaves() if leaf is not node and leaf.kind in _FROM_OUTSIDE]
    leaves = list({(leaf.path, leaf.text): leaf for leaf in found}.values())
    for number, leaf in enumerate(leaves[:_MOST_LEAVES]):
        yield [
            ("decided by  " if not number else f"{'':12}", "dim"),
            (f"{leaf.path} {leaf.told}", "name"),
            *_source(leaf, timebase),
        ]
    if len(leaves) > _MOST_LEAVES:
        yield [(f"{'':12}and {len(leaves) - _MOST_LEAVES} more", "dim")]
    yield []
    lines = list(_node_lines(node, timebase, 0, node.scan))
    yield from lines if show_all else lines[:MOST_LINES]
    if len(lines) > MOST_LINES and not show_all:
        left = len(lines) - MOST_LINES
        yield [(f"{left} more line{'' if left == 1 else 's'}: {asked('show_all')} shows all.", "warn")]
    if any(leaf.kind == "rig" for leaf in node.leaves()):
        yield [(f"{asked('into_rig')} goes on into the rig.", "dim")]


def _source(node: Node, timebase: Timebase) -> Line:
    """What a leaf has its value from."""
    at = f" at {_time(timebase, node.wrote)}" if node.wrote is not None else ""
    place = f"   {_place(node.place)}" if node.place else ""
    return [(f"   {_GIVEN_BY[node.kind]}{at}{place}", "dim")]


def _passed_on(node: Node, scan: int) -> tuple[Node, list[Node]]:
    """The node that a value comes from, and those that only hand it on, in the scan at hand."""
    passing: list[Node] = []
    while (
        node.kind == "written"
        and len(node.reasons) == 1
        and node.reasons[0].is_passed
        and not (node.overwritten or node.late or node.is_cut)
        and node.wrote in (None, scan)
        and node.reasons[0].operands[0].text == node.text
    ):
        passing.append(node)
        node = node.reasons[0].operands[0]
    return node, passing


def _node_lines(node: Node, timebase: Timebase, depth: int, scan: int) -> Iterator[Line]:
    node, passing = _passed_on(node, scan)
    head: Line = [("  " * depth, "")]
    for each in passing:
        by = f" {_place(each.place)}" if each.place else ""
        head += [(_name(each), "name"), (f"{by} ← ", "dim")]
    head.append((f"{_name(node)} {node.told}", "name"))
    if node.kind == "written" and node.place is not None:
        at = f"  at {_time(timebase, node.wrote)}" if node.wrote is not None and node.wrote != scan else ""
        late = "  one scan late" if node.late else ""
        yield [*head, (f"   {node.statement}", ""), (f"   {_place(node.place)}", "dim"), (at, "warn"), (late, "warn")]
        for place, value in node.overwritten:
            yield [("  " * (depth + 1), ""), (f"overwrites {_shown(value, node.type)} of {_place(place)}", "warn")]
    elif not node.has_value:
        yield [*head, (f"  {node.statement}", ""), *_source(node, timebase)]
    else:
        yield [*head, *_source(node, timebase)]
    for reason in node.reasons:
        yield from _reason_lines(reason, node, timebase, depth + 1)
    if node.left_out:
        yield [("  " * (depth + 1), ""), (f"and {node.left_out} more that could have changed it", "dim")]
    if node.is_cut:
        yield [("  " * (depth + 1) + "…", "dim")]


def _reason_lines(reason: Reason, node: Node, timebase: Timebase, depth: int) -> Iterator[Line]:
    inner = depth
    pad = "  " * depth
    value = "" if reason.value is None or reason.type is None else _shown(reason.value, reason.type)
    names = ", ".join(operand.written_as or operand.path for operand in reason.operands)
    alone = f"  because of {len(reason.operands)}, all must change: {names}" if reason.alone else ""
    match reason.role:
        case "condition":
            if [operand.written_as for operand in reason.operands] != [reason.expression]:
                says = f"{reason.expression} is {value}" if value else reason.expression
                yield [(pad, ""), (says, "strong"), (alone, "dim")]
                inner += 1
        case "kept" | "step":
            yield [(pad, ""), (reason.says, "warn"), (f"   {_place(reason.place)}", "dim")]
            inner += 1
        case "block" | "call" | "task":
            yield [(pad, ""), (reason.says, "strong"), (f"   {_place(reason.place)}", "dim")]
            inner += reason.role != "block"
        case "index" if reason.says:
            yield [(pad, ""), (reason.says, "warn"), (f"   {_place(reason.place)}", "dim")]
            inner += 1
        case _ if alone:
            yield [(pad, ""), (alone.strip(), "dim")]
    for operand in reason.operands:
        yield from _node_lines(operand, timebase, inner, node.wrote if node.wrote is not None else node.scan)


def _name(node: Node) -> str:
    """The path of a node; the control of an action is told by the name of the action."""
    action, is_control, pin = node.path.partition(":control.")
    return f"{action} ({pin})" if is_control else node.path


def _shown(value: Any, type_: Any) -> str:
    return ("FALSE", "TRUE")[value] if isinstance(value, bool) else shown(value, type_)


def _place(place: Place) -> str:
    return place.source.shown_line(place.start)


def _time(timebase: Timebase, scan: int) -> str:
    return shown_duration(timebase.time(scan))


def why_data(node: Node, timebase: Timebase) -> dict[str, Any]:
    """A node as plain data."""
    return {
        "id": node.number,
        "path": node.path,
        "type": str(node.type),
        "value": node.value if node.has_value else None,
        "text": node.text,
        "as": node.written_as,
        "scan": node.scan,
        "time_ns": timebase.time(node.scan),
        "late": int(node.late),
        "since_scan": node.since,
        "since_ns": 0 if node.since is None else timebase.time(node.since),
        "kind": node.kind,
        **_place_data(node.place),
        "wrote_scan": node.wrote,
        "wrote_ns": None if node.wrote is None else timebase.time(node.wrote),
        "overwritten": [{**_place_data(place), "value": value} for place, value in node.overwritten],
        "same": node.same,
        "cut": node.is_cut,
        "reasons": [_reason_data(reason, timebase) for reason in node.reasons],
    }


def _reason_data(reason: Reason, timebase: Timebase) -> dict[str, Any]:
    return {
        "role": reason.role,
        **_place_data(reason.place),
        "expression": reason.expression,
        "value": reason.value,
        "wanted": reason.wanted,
        "alone": reason.alone,
        "operands": [why_data(operand, timebase) for operand in reason.operands],
        "says": reason.says,
    }


def _place_data(place: Place | None) -> dict[str, Any]:
    if place is None:
        return {"file": None, "line": None, "column": None, "instance": None}
    source = place.source
    return {
        "file": source.path,
        "line": source.line(place.start),
        "column": source.column(place.start),
        "instance": place.instance,
    }
