"""What is seen of a desk, as styled lines: one moment, in as many columns and rows as there are."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.desk.desk import Desk
from upright_block.desk.lines import KEYS, WORDS
from upright_block.errors import UprightError
from upright_block.language.literals import shown_duration
from upright_block.reports import Line, clipped, diagram_lines, lines_as_run, rungs_by_line, trace_diagram

PANES = ("watch", "lanes", "log", "why", "help")
"""What can stand below the text."""
_MOST_PATH = 44
_KEYS = "gpnsbwtufr/olaq:?"


def status(desk: Desk, width: int) -> Line:
    """The moment, whether it goes on and how fast, what is forced, power, fault."""
    machine = desk.machine
    state = "GOING" if desk.is_going else "PAUSED"
    pace = "machine time" if not desk.pace else f"{desk.pace:g} x" if desk.pace != 1 else "real time"
    line: Line = [(f" {desk.target}  ", "strong"), (desk.moment, "strong"), (f"  {desk.place}  ", "")]
    line += [(state, "good" if desk.is_going else "warn"), (f"  {pace}", "")]
    if desk.behind:
        line += [(f", {shown_duration(desk.behind // 100_000_000 * 100_000_000)} behind", "bad")]
    forced = len(desk.forced)
    if forced:
        line += [("  ", ""), (f"{forced} FORCED", "bad")]
    if machine.powered != "on":
        line += [("  ", ""), (f"POWER {machine.powered.upper()}" if machine.powered == "off" else "STOPPED", "bad")]
    if desk.fault:
        line += [("  ", ""), ("FAULT", "bad")]
    return _cut(line, width)


def text(desk: Desk, width: int, height: int) -> list[tuple[int, Line]]:
    """The text of the instance at hand around the cursor, with what ran and what that did; each row with the number of
    its line, 0 for the head.
    """
    found = desk.text
    if not found.entries:
        return [(0, [(found.problem or "There is no text: open INSTANCE shows one.", "warn")])]
    source = found.entries[0].unit.source
    name = f"{found.instance}, a {found.name}" if found.instance else found.name
    head: Line = [(name, "strong"), (f"  {source.name}", "dim")]
    if not any(entry.ran for entry in found.entries):
        head += [("  has not run in this scan", "warn")]
    if desk.is_ladder:
        rows = rungs_by_line(found.entries)
    else:
        last = source.line(len(source.text))
        first = max(min(desk.line - (height - 1) // 2, last - height + 2), 1)
        rows = list(lines_as_run(found.entries, range(first, min(first + height - 1, last) + 1), width - 2))
    near = [number for number, (line, _) in enumerate(rows) if line <= desk.line]
    at = next((number for number in near if rows[number][0] == rows[near[-1]][0]), 0) if near else 0
    begin = max(min(at - (height - 2) // 2, len(rows) - height + 1), 0)
    made: list[tuple[int, Line]] = [(0, _cut(head, width))]
    before = 0
    for line, row in rows[begin : begin + height - 1]:
        is_first, before = line != before, line
        mark = "→" if line == found.next_line and is_first else "▸" if line == desk.line and is_first else " "
        made.append((line, _cut([(f"{mark} ", "warn" if mark == "→" else "strong"), *row], width)))
    return made


def watch(desk: Desk, width: int, height: int) -> list[Line]:
    """The watch list, each with its value; the one that the cursor is on has a mark."""
    forced = desk.forced
    at = desk.watch.index(desk.chosen) if desk.chosen in desk.watch else 0
    begin = max(min(at - height // 2, len(desk.watch) - height), 0)
    room = min(max(map(len, desk.watch), default=0), _MOST_PATH, max(width - 16, 8))
    lines: list[Line] = []
    for path in desk.watch[begin : begin + height]:
        mark = "▸ " if path == desk.chosen else "  "
        name = path if len(path) <= room else "…" + path[-room + 1 :]
        line: Line = [(mark, "strong"), (f"{name:<{room}}  ", "name"), (_value(desk, path), "")]
        if path in forced:
            line.append(("  FORCED", "bad"))
        lines.append(_cut(line, width))
    return lines or [[("Nothing is watched: / picks a signal.", "dim")]]


def _value(desk: Desk, path: str) -> str:
    return clipped(desk.told_value(path), 60)


def lower(
    desk: Desk, width: int, height: int, scrolled: int = 0, picked: Sequence[str] | None = None, is_beside: bool = False
) -> list[Line]:
    """What stands below the text, with its heads: the pane at hand, or what can be picked; ``is_beside`` says that the
    watch list stands elsewhere.
    """
    heads: Line = [("  ", "")]
    for pane in PANES[is_beside:]:
        heads += [(f"[{pane}]" if pane == desk.pane else f" {pane} ", "strong" if pane == desk.pane else "dim")]
    if picked is not None:
        heads = [(f"  {len(picked):,} signals; Enter takes the first", "strong")]
        lines = [_offered(desk, path) for path in picked[:height]]
    else:
        lines = _pane(desk, width, height - 1)
    most = max(len(lines) - (height - 1), 0)
    begin = most - min(scrolled, most) if desk.pane == "log" else min(scrolled, most)
    if most and picked is None:
        heads += [(f"   lines {begin + 1} to {begin + height - 1} of {len(lines)}", "dim")]
    return padded([_cut(heads, width), *(_cut(line, width) for line in lines[begin : begin + height - 1])], height)


def _offered(desk: Desk, path: str) -> Line:
    return [("  ", ""), (f"{path}  ", "name"), (_value(desk, path), "")]


def padded(lines: Sequence[Line], height: int) -> list[Line]:
    """Lines in so many rows."""
    return [*lines[:height], *([] for _ in range(height - len(lines)))]


def _pane(desk: Desk, width: int, height: int) -> list[Line]:
    match desk.pane:
        case "watch":
            return watch(desk, width, height)
        case "lanes":
            return lanes(desk, width)
        case "log":
            return desk.log
        case "help":
            return _help()
    if not desk.told:
        return [[("w tells why the signal on the cursor has its value.", "dim")]]
    old: list[Line] = [[("This was told at another moment; w tells it anew.", "warn")]]
    return [*(old if desk.proposed is None and desk.told_at != desk.place else []), *desk.told]


def lanes(desk: Desk, width: int) -> list[Line]:
    """What is watched over the last while."""
    machine = desk.machine
    if not machine.scans or not desk.watch:
        return [[("No scan is over.", "dim")]]
    begin = max(machine.timebase.time(machine.scans) - desk.span, 0)
    try:
        tracks = machine.trace(*desk.watch, begin=begin)
        drawn = diagram_lines(trace_diagram("", tracks, begin), width)
    except UprightError as problem:
        return [[(problem.message, "dim")]]
    return drawn[2:]


_MOVES = (
    "Up, Down move the cursor in the text; Left, Right among the signals of its line; [ and ] in the watch list.",
    "Tab shows another pane here, Page Up and Page Down move in it, z makes it larger.",
    ": types a line, Escape leaves it.",
)


def _help() -> list[Line]:
    """The lines that can be typed, with their keys."""
    lines: list[Line] = [[(text, "")] for text in _MOVES]
    for word in WORDS:
        form = f"{word.word} {word.form}"
        lines += [[(f"{word.key:<10}", "strong"), (f"{form:<32}", "name"), (word.does, "")]]
    return lines


def keys(width: int) -> Line:
    """The keys of one line, as many as there is room for."""
    shown_keys = [*_KEYS]
    while True:
        line: Line = []
        for key in shown_keys:
            line += [(f" {key} ", "strong"), (KEYS[key].word if key in KEYS else "line", "dim")]
        if len(shown_keys) < 2 or sum(len(part) for part, _ in line) <= width:
            return line
        del shown_keys[-3]  # how to type a line and how to get help stay


def cursor(desk: Desk, width: int) -> Line:
    """What the cursor is on, with its value, and the last that was said."""
    line: Line = [(" on no signal", "dim")]
    if desk.chosen is not None:
        line = [(" on ", "dim"), (desk.chosen, "name"), (f" {_value(desk, desk.chosen)}", "strong")]
    return _cut([*line, ("    ", ""), *(desk.log[-1] if desk.log else [])], width)


def _cut(line: Line, width: int) -> Line:
    """A line in so many columns."""
    made: Line = []
    left = width
    for part, role in line:
        if len(part) > left:
            made.append((part[: max(left - 1, 0)] + "…", role))
            break
        made.append((part, role))
        left -= len(part)
    return made


def side_by_side(left: Sequence[Line], right: Sequence[Line], room: int, height: int) -> list[Line]:
    """Two panes beside each other, the left one in so many columns."""
    made: list[Line] = []
    for own, other in zip(padded(left, height), padded(right, height), strict=True):
        pad = room - sum(len(part) for part, _ in own)
        made.append([*own, (" " * max(pad, 0), ""), ("│ ", "dim"), *other])
    return made
