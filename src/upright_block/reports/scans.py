"""A scan of an instance as its text, with what each statement did beside it; or all of a scan in the order of time."""

from __future__ import annotations

import csv
from collections.abc import Iterator, Sequence
from itertools import groupby
from typing import Any

from upright_block.language.literals import shown, shown_duration
from upright_block.language.source import Source
from upright_block.reasons.scans import Condition, Entry, Read, Statements, Written, shown_change
from upright_block.reports.styled import Line, Role
from upright_block.reports.verdicts import fault_data

MOST_LINES = 40
_LONGEST_TEXT = 72
_MOST_NOTES = 8
_MOST_OF_ROW = 3
_GAP: Line = [("  ", "")]


def scan_head(target: str, found: Statements, entries: Sequence[Entry]) -> Line:
    """Which scan it is, and of which unit the text."""
    at = f"{shown_duration(found.time)} (scan {found.number})"
    if not entries:
        return [(target, "strong"), (f"  {at}", "")]
    unit, instance = entries[0].unit, entries[0].instance
    kind = f"{instance}, a {unit.name}" if instance else unit.name
    ran = "" if any(entry.ran for entry in entries) else "  did not run in this scan"
    return [(kind, "strong"), (f"  {at}", ""), (ran, "warn"), (f"  {unit.source.name}", "dim")]


def scan_lines(entries: Sequence[Entry], width: int, show_all: bool) -> Iterator[Line]:
    """The text of a unit from its first statement to its last: a mark where a line ran, and what it did."""
    if entries:
        lines = _wanted(_by_line(entries), show_all)
        last = lines[0] - 1
        for line, shown_line in lines_as_run(entries, lines, width):
            if line > last + 1:
                yield [(f"{'':>{len(str(max(lines)))}}   …", "dim")]
            last = line
            yield shown_line


def lines_as_run(entries: Sequence[Entry], lines: Sequence[int], width: int) -> Iterator[tuple[int, Line]]:
    """Some lines of a unit, each with its number: a mark where it ran, and what it did, below it where there is no
    room beside it.
    """
    source, instance, by_line = entries[0].unit.source, entries[0].instance, _by_line(entries)
    texts = {line: _text_of(source, line) for line in lines}
    indent = min((len(text) - len(text.lstrip()) for text in texts.values() if text), default=0)
    noted = [len(texts[line]) - indent for line in lines if line in by_line]
    room = min(max(noted, default=0), _LONGEST_TEXT)
    number = len(str(max(lines)))
    for line in lines:
        own = by_line.get(line, [])
        did = any(entry.ran for entry, _ in own)
        text = texts[line][indent:]
        notes = [*_notes(own, instance)]
        role: Role = "" if did else "dim"
        head: Line = [(f"{line:>{number}} ", "dim"), ("> " if did else "  ", "good"), (text, role)]
        first = notes[0] if notes else []
        if notes and (len(text) > room or _length(first) > width - number - room - 6):
            yield line, head
            first = []
        else:
            yield line, [*head, (" " * (room - len(text) + 3), ""), *notes.pop(0)] if notes else head
        for note in notes:
            fits = _length(note) <= width - number - room - 6
            yield line, [(" " * (number + 3 + (room + 3 if fits else 4)), ""), *note]


def _text_of(source: Source, line: int) -> str:
    """A line of a text; of a table in CSV its cells that are not empty."""
    text = source.line_text(line).rstrip()
    if source.path.lower().endswith(".csv"):
        cells = next(csv.reader([text]), [])
        return "  ".join(cell.strip() for cell in cells if cell.strip())
    return text.replace("\t", "    ")


_Noted = tuple[Entry, Condition | None]
"""A statement on a line, or one of its conditions there."""


def _by_line(entries: Sequence[Entry]) -> dict[int, list[_Noted]]:
    """What stands on each line; a condition of an ELSIF on a line of its own, where it was computed."""
    found: dict[int, list[_Noted]] = {}
    for entry in entries:
        found.setdefault(entry.line, []).append((entry, None))
        for condition in entry.conditions:
            line = entry.unit.source.line(condition.start)
            if line != entry.line:
                found.setdefault(line, []).append((entry, condition))
    return found


def _wanted(by_line: dict[int, list[_Noted]], show_all: bool) -> list[int]:
    """The lines that are shown: all between the first statement and the last, or of many those around what ran."""
    lines = list(range(min(by_line), max(by_line) + 1))
    if show_all or len(lines) <= MOST_LINES:
        return lines
    ran = [line for line, own in by_line.items() if any(entry.ran for entry, _ in own)] or [lines[0]]
    near = sorted({at for line in ran for at in range(line - 1, line + 2) if lines[0] <= at <= lines[-1]})
    return near[:MOST_LINES]


def _notes(noted: Sequence[_Noted], instance: str) -> Iterator[Line]:
    """What the statements of a line did; of many turns, or of many calls of one row, the first and the last."""
    ran = [(entry, condition) for entry, condition in noted if entry.ran]
    inside = [each for each in ran if each[0].turn] or (ran if len(ran) > _MOST_OF_ROW else [])
    few = ran if len(inside) <= 2 else [*(each for each in ran if each not in inside), inside[0], inside[-1]]
    for each in few:
        entry, condition = each
        note = _note(entry, instance) if condition is None else _conditions([condition], instance)
        if entry.turn and note:
            note = [(f"turn {'.'.join(map(str, entry.turn))}: ", "dim"), *note]
        if note:
            yield note
        if len(inside) > 2 and each is inside[0]:
            yield [(f"{len(inside) - 2:,} more", "dim")]


def _conditions(conditions: Sequence[Condition], instance: str) -> Line:
    """What conditions were, with what they read."""
    line: Line = []
    for condition in conditions:
        is_bool = isinstance(condition.value, bool)
        value = ("TRUE" if condition.value else "FALSE") if is_bool else shown(condition.value, condition.type)
        reads = (
            [] if condition.expression in (read.path for read in condition.reads) else _reads(condition.reads, instance)
        )
        line = _beside(line, _beside([(value, "strong")], reads))
    return line


def _reads(reads: Sequence[Read], instance: str) -> Line:
    texts = [_short(f"{read.path} {shown(read.value, read.type)}", instance) for read in reads]
    more = f", {len(texts) - _MOST_NOTES} more" if len(texts) > _MOST_NOTES else ""
    return [(", ".join(texts[:_MOST_NOTES]) + more, "dim")] if texts else []


def _beside(line: Line, more: Line) -> Line:
    return [*line, *_GAP, *more] if line and more else [*line, *more]


def _note(entry: Entry, instance: str) -> Line:
    """What a statement did: where it went, what it wrote, what it read."""
    source = entry.unit.source
    line = _conditions([each for each in entry.conditions if source.line(each.start) == entry.line], instance)
    if entry.turns is not None:
        line = _beside(line, [(f"{entry.turns:,} turn{'' if entry.turns == 1 else 's'}", "strong")])
    changes = [_short(shown_change(written), instance) for written in entry.writes[:_MOST_NOTES]]
    if changes:
        more = f", {len(entry.writes) - _MOST_NOTES} more" if len(entry.writes) > _MOST_NOTES else ""
        line = _beside(line, [(", ".join(changes) + more, "name")])
    if not entry.conditions:
        own = {written.path for written in entry.writes}
        line = _beside(line, _reads([read for read in entry.reads if read.path not in own], instance))
    return line


def _short(text: str, instance: str) -> str:
    """A path inside the instance without its head."""
    return text.removeprefix(f"{instance}.") if instance else text


def _length(line: Line) -> int:
    return sum(len(text) for text, _ in line)


def order_lines(entries: Sequence[Entry]) -> Iterator[Line]:
    """All statements of a scan in the order in which they ran, by instance; of what copies points and tags only what
    changed.
    """
    for (instance, path, name), found in groupby(entries, lambda e: (e.instance, e.unit.source.path, _name(e))):
        own = list(found)
        yield [(instance if own[0].kind != "copy" and instance else name, "strong"), (f"  {path}", "dim")]
        if own[0].kind == "copy":
            changes = [shown_change(w) for e in own for w in e.writes if w.before != w.after and "%" not in w.path]
            yield [(f"{'':>7}{', '.join(dict.fromkeys(changes)) or 'nothing changed'}", "name" if changes else "dim")]
            continue
        for entry in own:
            text = entry.text if len(entry.text) <= _LONGEST_TEXT else entry.text[: _LONGEST_TEXT - 1] + "…"
            yield [(f"{entry.line:>5}  ", "dim"), (text, ""), ("   ", ""), *_note(entry, instance)]


def step_line(entry: Entry) -> Line:
    """A statement in one line: where it stands, its text, and what it did."""
    return [
        (f"{entry.unit.source.shown_line(entry.statement.origin.start)}  ", "dim"),
        (entry.text, ""),
        ("   ", ""),
        *_note(entry, ""),
    ]


def _name(entry: Entry) -> str:
    return "points and tags" if entry.kind == "copy" else entry.unit.name


def scan_data(target: str, found: Statements, instance: str, entries: Sequence[Entry]) -> dict[str, Any]:
    """A scan as plain data; see the documents."""
    fault = found.fault
    return {
        "target": target,
        "scan": found.number,
        "time_ns": found.time,
        "instance": instance,
        "unit": entries[0].unit.full_name if entries else None,
        "fault": None if fault is None else fault_data(fault, found.timebase),
        "left_out": [],
        "statements": [entry_data(entry) for entry in entries],
    }


def entry_data(entry: Entry) -> dict[str, Any]:
    """A statement as plain data."""
    source, start = entry.unit.source, entry.statement.origin.start
    last = entry.conditions[-1] if entry.conditions else None
    return {
        "file": source.path,
        "line": entry.line,
        "column": source.column(start),
        "instance": entry.instance,
        "kind": entry.kind,
        "text": entry.text,
        "ran": entry.ran is not None,
        "turn": list(entry.turn),
        "way": entry.way,
        "turns": entry.turns,
        "condition": None if last is None else {"expression": last.expression, "value": last.value},
        "reads": [_read_data(read) for read in entry.reads],
        "writes": [_written_data(written) for written in entry.writes],
        "opens": entry.opens,
    }


def _read_data(read: Read) -> dict[str, Any]:
    return {"path": read.path, "value": read.value, "text": shown(read.value, read.type)}


def _written_data(written: Written) -> dict[str, Any]:
    return {"path": written.path, "before": written.before, "after": written.after}
