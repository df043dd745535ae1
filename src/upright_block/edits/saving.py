"""A run by hand as a case: what was set becomes its columns, and what came its expectations."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from pathlib import PurePosixPath

from upright_block.cases.plan import BoundCase, Drive
from upright_block.edits.recording import escaped
from upright_block.edits.words import saving as words
from upright_block.errors import BadValue, NotRunnable
from upright_block.language.configured import configured
from upright_block.language.literals import Value, shown, shown_duration
from upright_block.language.signals import Signal, find_signal
from upright_block.language.source import Source
from upright_block.language.telling.edits import Edit
from upright_block.language.types import DT, Elementary
from upright_block.library.sheets import csv_lines
from upright_block.library.table import aligned
from upright_block.runs.watched import Row, Watched

MOST_INLINE = 50
"""Rows of a table in a case file; a longer one is a file beside it."""


def saved(
    watched: Watched, rows: Sequence[Row], left: Sequence[str], file: Source, name: str, known: Sequence[BoundCase]
) -> list[Edit]:
    """A case file with a run in it as one more case, of which ``known`` are those that it has; a long table becomes a
    file beside it, which comes first since the case needs it. Some paths are ``left`` out.

    Raises:
        NotRunnable: the run stopped with a fault, or the file is for something else.
        BadValue: there is a case of that name.
    """
    plan, before = watched.run.plan, file.text
    path = PurePosixPath(file.path)
    stem = path.stem
    if watched.fault is not None:
        raise NotRunnable(*words.run_with_fault_saved())
    if any(drive.freezes for drive in plan.drives):
        raise NotRunnable(*words.lost_in_a_case())
    unnamed = next((d.path for d in plan.drives if not d.is_force and d.path not in watched.run.written), None)
    if unnamed is not None:
        raise NotRunnable(*words.unnamed_drive(unnamed))
    if any(bound.case.name.lower() == name.lower() for bound in known):
        raise BadValue(*words.case_is_there(stem, name))
    head = _head(watched)
    if before.strip():
        _must_fit(head, before, known, stem)
    heads, lines = _table(watched, rows, left)
    made: list[Edit] = []
    if len(lines) > MOST_INLINE:
        table = f"{stem}_{''.join(letter if letter.isalnum() else '_' for letter in name)}.csv"
        content = csv_lines([heads, *(["" if cell == "." else cell for cell in line] for line in lines)])
        made.append(Edit(Source((path.parent / table).as_posix(), ""), 0, 0, content))
        vectors = f'vectors = "{table}"'
    else:
        vectors = 'vectors = """\n' + escaped("\n".join(aligned(_ruled([heads, *lines], watched)))) + '\n"""'
    given = ", ".join(f"{_quoted(path)} = {_quoted(text)}" for path, text in _given(watched))
    case = [
        "[[case]]",
        f"name    = {_quoted(name)}",
        *([f"given   = {{ {given} }}"] if given else []),
        *([f'clock   = "{shown(plan.clock, DT)}"'] if watched.run.has_clock else []),
        "hold    = true",
        f'run_for = "{shown_duration(plan.timebase.time(watched.scans))}"',
        vectors,
    ]
    end = len(before.rstrip("\n")) if before.strip() else 0
    start = "" if end else "\n".join(head)
    return [*made, Edit(file, end, len(before), start + "\n\n" + "\n".join(case) + "\n")]


def _head(watched: Watched) -> list[str]:
    """The first lines of a case file for the subject of a run."""
    unit, plan = watched.run.unit, watched.run.plan
    kind = {"PROGRAM": "program", "CONFIGURATION": "configuration"}.get(unit.kind, "block")
    lines = [f"{kind} = {_quoted((unit.wraps or unit).full_name)}"]
    rig = configured(unit).rig
    if rig is not None:
        lines.append(f"rig = {_quoted(rig.type.name)}")
    if unit.timebase is None:
        lines.append(f'scan = "{shown_duration(plan.timebase.period)}"')
    return lines


def _must_fit(head: Sequence[str], before: str, known: Sequence[BoundCase], stem: str) -> None:
    if not known:
        raise NotRunnable(*words.no_case_runs(stem))
    first = known[0]
    file = first.case.file
    own = [f"{file.subject.kind} = {_quoted(first.unit.full_name)}"]
    rig = configured(first.unit).rig
    own += [f"rig = {_quoted(rig.type.name)}"] if rig is not None else []
    own += [] if first.unit.timebase else [f'scan = "{shown_duration(first.case.plan.timebase.period)}"']
    if own != list(head):
        raise NotRunnable(*words.other_subject(stem, ", ".join(own), ", ".join(head)))


def _given(watched: Watched) -> list[tuple[str, str]]:
    """What was there before the first scan, as it is written."""
    run, found = watched.run, []
    for path, value in (*run.plan.constants, *run.plan.given):
        signal = run.written.get(path) or find_signal(run.unit, path)
        found.append((signal.path, shown(_meant(signal, path, value), signal.type)))
    return found


def _table(watched: Watched, rows: Sequence[Row], left: Sequence[str]) -> tuple[list[str], list[list[str]]]:
    """The columns and rows: what is driven where it changes, and what is expected in each row."""
    run = watched.run
    plan, timebase = run.plan, run.plan.timebase
    own = [drive for drive in plan.drives if drive.path in run.written]
    switched: list[tuple[str, dict[int, str]]] = [
        ("power", dict(plan.power)),
        ("clock", {scan: shown(moment, DT) for scan, moment in plan.clocks}),
    ]
    driven = [(_column(run.written[d.path], d), _cells(watched, run.written[d.path], d)) for d in own]
    columns = [column for column in (*switched, *driven) if column[1]]
    expected = [i for i, signal in enumerate(watched.signals) if not signal.is_driven and signal.path not in left]
    if left:  # and the rows in which only that changed
        seen = [repr([row.values[i] for i in expected]) for row in rows]
        rows = [row for n, row in enumerate(rows) if not n or seen[n] != seen[n - 1]]
    scans = sorted(
        {*(row.scan for row in rows), *(scan for _, cells in columns for scan in cells if scan < watched.scans)}
    )
    starts = [row.scan for row in rows]
    lines: list[list[str]] = []
    for scan in scans:
        row = rows[bisect_right(starts, scan) - 1]
        values = [shown(row.values[i], watched.signals[i].type) for i in expected]
        lines.append([shown_duration(timebase.time(scan)), *(cells.get(scan, ".") for _, cells in columns), *values])
    return ["at", *(head for head, _ in columns), *(watched.signals[i].path for i in expected)], lines


def _column(signal: Signal, drive: Drive) -> str:
    return f"force {signal.path}" if drive.is_force else signal.path if signal.is_driven else f"set {signal.path}"


def _cells(watched: Watched, signal: Signal, drive: Drive) -> dict[int, str]:
    cells: dict[int, str] = {}
    for scan, value in zip(drive.scans, drive.values, strict=True):
        if value is None:
            cells[scan] = "release" if drive.is_force else shown(_before(watched, signal, drive.path), signal.type)
        else:
            cells[scan] = shown(_meant(signal, drive.path, value), signal.type)
    return cells


def _before(watched: Watched, signal: Signal, path: str) -> Value:
    """What a signal had before the first scan: a given value, or its initial one."""
    given = dict(watched.run.plan.given)
    if path in given:
        return _meant(signal, path, given[path])
    slot = watched.machine.slot(signal)
    return slot.decode(watched.machine.artifact.initial, slot.offset)


def _meant(signal: Signal, path: str, value: Value) -> Value:
    """The value of a tag for what its point has."""
    tag = signal.tag
    is_whole = signal.shift is None and isinstance(signal.type, Elementary)
    if tag is None or tag.point is None or path == signal.path or not is_whole or not isinstance(value, int):
        return value
    return tag.meant(value)


def _ruled(lines: Sequence[Sequence[str]], watched: Watched) -> list[list[str]]:
    """Lines with rulers between the time, what is driven, and what is expected."""
    expected = sum(not signal.is_driven for signal in watched.signals)
    first = len(lines[0]) - expected
    return [[line[0], *(["|", *line[1:first]] if first > 1 else []), "|", *line[first:]] for line in lines]


def _quoted(text: str) -> str:
    """A basic string of TOML."""
    made = text.replace("\\", "\\\\").replace('"', '\\"')
    return '"' + "".join(letter if letter.isprintable() else f"\\U{ord(letter):08X}" for letter in made) + '"'
