"""Workbooks (.xlsx, ISO/IEC 29500): their sheets as texts, with what a spreadsheet does to cells told and not
guessed.
"""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable, Iterable, Iterator
from datetime import date, datetime, time, timedelta
from typing import TYPE_CHECKING, Any
from xml.parsers import expat

from upright_block.language.field.tags import COLUMNS
from upright_block.language.limits import MOST_CELLS, MOST_SHEET_BYTES
from upright_block.language.literals import shown_duration
from upright_block.language.nodes import record
from upright_block.language.source import Sheet, column_letters, column_number
from upright_block.language.telling.findings import Findings, Words

if TYPE_CHECKING:
    from openpyxl.cell.cell import Cell as BookCell
    from openpyxl.worksheet.worksheet import Worksheet

_SECOND = 1_000_000_000
_SHEETS = "xl/worksheets/"
_PLACE = re.compile(r"\$?([A-Z]{1,3})\$?([0-9]{1,7})\Z")
_DAMAGED = (OSError, ValueError, KeyError, NotImplementedError, RuntimeError)
_REFUSED = {
    "xl/vbaProject.bin": ("holds macros", "Save it without them, as .xlsx."),
    "xl/externalLinks/": ("takes values from other files", "Put the values themselves into the cells."),
}


class NoWorkbook(Exception):
    """A file is no workbook that can be read."""

    def __init__(self, message: str, way_out: str) -> None:
        super().__init__(message)
        self.way_out = way_out


@record
class Book:
    """The sheets of a workbook that hold something, by their names."""

    path: str
    sheets: dict[str, Sheet]


def read_book(path: str, content: bytes, names: bool, findings: Findings) -> Book:
    """The sheets of a workbook; of formulas the values that were saved with them.

    With ``names`` its cells are names and numbers, so that a date in one is a slip of the spreadsheet.

    Raises:
        NoWorkbook: it is none, or one that is not read.
    """
    shown, written = opened(content)
    sheets: dict[str, Sheet] = {}
    exact: dict[str, dict[str, str]] = {}
    for worksheet in shown.worksheets:
        rows: list[list[str]] = []
        has_head = False
        for row in worksheet.iter_rows():  # the heads are names, whatever stands below them
            rows.append([cell_text(cell, names or not has_head) for cell in row])
            for cell in row:
                if isinstance(cell.value, (timedelta, time)):  # its reader has cut it to milliseconds
                    exact = exact or _numbers(content)
                    rows[-1][cell.column - 1] = _duration(
                        exact.get(worksheet.title, {}).get(cell.coordinate), cell.value
                    )
            has_head = has_head or any(rows[-1])
        _merge(worksheet, rows)
        while rows and not any(rows[-1]):
            rows.pop()
        width = max(
            (len(row) - next((i for i, t in enumerate(reversed(row)) if t), len(row)) for row in rows), default=0
        )
        if not width:
            continue
        sheet = Sheet(path, worksheet.title, [row[:width] for row in rows])
        sheets[worksheet.title] = sheet
        used = _used(rows, width, names)
        for row, column, said in _odd_cells(worksheet, written[worksheet.title], names):
            if row <= len(rows) and column in used:
                start = sheet.start(row, column)
                findings.add(said.told(sheet, start, start + max(len(rows[row - 1][column - 1]), 1)))
        hidden = hidden_cells(worksheet)
        if hidden:
            findings.add(_hidden_cells(hidden).told(sheet, 0, 1))
    if len(sheets) == 1:
        next(iter(sheets.values())).is_only = True
    return Book(path, sheets)


def opened(content: bytes) -> tuple[Any, Any]:
    """A workbook with the values that were saved, and with its formulas; the same one where it has none.

    Raises:
        NoWorkbook: it is none, or one that is not read.
    """
    has_formulas = _looked_at(content)
    shown = _loaded(content, data_only=True)
    return shown, _loaded(content, data_only=False) if has_formulas else shown


def _used(rows: list[list[str]], width: int, names: bool) -> set[int]:
    """The columns whose cells mean something, counted from 1: of a table of tags comments and what nobody knows do
    not.
    """
    heads = [head.lower() for head in next((row for row in rows if any(row)), [])]
    every = range(1, width + 1)
    if not names:
        return set(every)
    knows = set(COLUMNS) - {"comment"} if "tag" in heads else None
    return {
        n for n in every if n > len(heads) or (heads[n - 1] != "comment" and (knows is None or heads[n - 1] in knows))
    }


def _looked_at(content: bytes) -> bool:
    """Whether a workbook has formulas.

    Raises:
        NoWorkbook: it is too large when it is unpacked, or holds what is not read.
    """
    if content[:4] == b"\xd0\xcf\x11\xe0":
        raise NoWorkbook("The file has a password, or is of an old kind.", "Save it as .xlsx without a password.")
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            members = archive.infolist()
            if sum(member.file_size for member in members) > MOST_SHEET_BYTES:
                most = f"{MOST_SHEET_BYTES >> 20} MB"
                raise NoWorkbook(f"The workbook is more than {most} when it is unpacked.", "Save the table as CSV.")
            for part, (what, way_out) in _REFUSED.items():
                if any(member.filename.startswith(part) for member in members):
                    raise NoWorkbook(f"The workbook {what}.", way_out)
            if any(not target.startswith(_SHEETS) for target in _targets(archive)):
                raise NoWorkbook("The workbook has its sheets in an unusual place.", "Save it as .xlsx again.")
            room, has_formulas = MOST_CELLS, False
            for member in members:
                if member.filename.startswith(_SHEETS):
                    cells, own = _extent(archive.read(member), room)
                    room, has_formulas = room - cells, has_formulas or own
            return has_formulas
    except (zipfile.BadZipFile, expat.ExpatError, *_DAMAGED) as problem:
        raise NoWorkbook(f"The file is no workbook: {problem}.", "Save it as .xlsx again.") from None


def _targets(archive: zipfile.ZipFile) -> list[str]:
    """Where the sheets are in the archive."""
    found: list[str] = []

    def begun(name: str, attributes: dict[str, str]) -> None:
        if name.rpartition(":")[2] == "Relationship" and attributes.get("Type", "").endswith("/worksheet"):
            target = attributes.get("Target", "")
            found.append(target.removeprefix("/") if target.startswith("/") else f"xl/{target}")

    _parse(archive.read("xl/_rels/workbook.xml.rels"), begun)
    return found


def _extent(content: bytes, room: int) -> tuple[int, bool]:
    """Look at a sheet before it is unfolded to a cell for each place: how many these are, and whether it has formulas.

    Raises:
        NoWorkbook: it would have too many cells.
    """
    row = column = bottom = right = merged = 0
    has_formulas = False

    def begun(name: str, attributes: dict[str, str]) -> None:
        nonlocal row, column, bottom, right, merged, has_formulas
        match name.rpartition(":")[2]:
            case "row":
                row, column = int(attributes.get("r", row + 1)), 0
            case "c":
                if found := _PLACE.match(attributes.get("r", "")):
                    row, column = int(found[2]), column_number(found[1])
                else:
                    column += 1
                bottom, right = max(bottom, row), max(right, column)
            case "f":
                has_formulas = True
            case "mergeCell":
                ends = [_PLACE.match(part) for part in attributes.get("ref", "").split(":")]
                rows = [int(end[2]) for end in ends if end]
                columns = [column_number(end[1]) for end in ends if end]
                if rows:
                    merged += (max(rows) - min(rows) + 1) * (max(columns) - min(columns) + 1)
                    bottom, right = max(bottom, *rows), max(right, *columns)

    _parse(content, begun)
    if max(bottom * right, merged) > room:
        more = "" if room == MOST_CELLS else " in all sheets together"
        raise NoWorkbook(
            f"A sheet reaches to row {bottom:,} and column {column_letters(right)}, more than "
            f"{MOST_CELLS:,} cells{more}.",
            "Delete what stands or is merged far below or right of the table, or save the table as CSV.",
        )
    return max(bottom * right, merged), has_formulas


def _parse(content: bytes, begun: Callable[[str, dict[str, str]], None]) -> None:
    parser = expat.ParserCreate()
    parser.StartElementHandler = begun
    parser.Parse(content, True)  # noqa: FBT003 - it takes no keyword


def _loaded(content: bytes, data_only: bool) -> Any:
    from openpyxl import load_workbook

    try:
        return load_workbook(io.BytesIO(content), data_only=data_only, keep_links=False)
    except Exception as problem:  # noqa: BLE001 - whatever a damaged file makes of its reader
        text = str(problem).split("\n")[0] or type(problem).__name__
        raise NoWorkbook(
            f"The workbook cannot be read: {text}.", "Open it in a spreadsheet and save it again."
        ) from None


def cell_text(cell: BookCell, names: bool) -> str:
    """A cell as it would be typed into a text: times as durations, dates as the language writes them.

    Tabs and line ends inside of it are blanks among names, and elsewhere what a text of the language has for them
    (table 6).
    """
    value: Any = cell.value
    if value is None:
        return ""
    if isinstance(value, bool):
        return str(value).upper()
    if isinstance(value, float):
        return repr(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    if isinstance(value, (timedelta, time)):
        return _duration(None, value)
    if isinstance(value, datetime):
        return value.strftime("%Y-%m-%d-%H:%M:%S") if value.time() != time() else value.strftime("%Y-%m-%d")
    if isinstance(value, date):
        return value.strftime("%Y-%m-%d")
    text = str(value).strip()
    return _BREAK.sub(" " if names else lambda found: _ESCAPES[found[0]], text)


def _duration(days: str | None, value: timedelta | time) -> str:
    """A time of a cell as a duration, to the microsecond where the number of its days is at hand."""
    if isinstance(value, time):
        value = timedelta(hours=value.hour, minutes=value.minute, seconds=value.second, microseconds=value.microsecond)
    found = round(value.total_seconds() * _SECOND)
    if days is not None:
        exact = round(float(days) * _DAY / 1_000) * 1_000
        found = exact if abs(exact - found) < _SECOND // 1_000 else found
    return shown_duration(found) if found else "0s"


def _numbers(content: bytes) -> dict[str, dict[str, str]]:
    """The numbers of cells as they are written, by the title of their sheet and their place."""
    targets: dict[str, str] = {}
    titles: dict[str, str] = {}

    def related(name: str, attributes: dict[str, str]) -> None:
        target = attributes.get("Target", "")
        targets[attributes.get("Id", "")] = target.removeprefix("/") if target.startswith("/") else f"xl/{target}"

    def listed(name: str, attributes: dict[str, str]) -> None:
        if name.rpartition(":")[2] == "sheet":
            own = next((text for key, text in attributes.items() if key.endswith(":id")), "")
            titles[attributes.get("name", "")] = own

    found: dict[str, dict[str, str]] = {}
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        _parse(archive.read("xl/_rels/workbook.xml.rels"), related)
        _parse(archive.read("xl/workbook.xml"), listed)
        for title, own in titles.items():
            text = archive.read(targets[own]).decode("utf-8", "replace") if own in targets else ""
            found[title] = dict(_NUMBER.findall(text))
    return found


_NUMBER = re.compile(r'<(?:\w+:)?c r="([A-Z]+[0-9]+)"[^>]*><(?:\w+:)?v>([0-9.eE+-]+)</')
_DAY = 86_400_000_000_000
_BREAK = re.compile(r"[\t\r\n\v\f]")
_ESCAPES = {"\t": "$T", "\n": "$L", "\r": "$R", "\v": "$0B", "\f": "$P"}


def _merge(worksheet: Worksheet, rows: list[list[str]]) -> None:
    """The value of merged cells stands in each of them."""
    for area in worksheet.merged_cells.ranges:
        value = rows[area.min_row - 1][area.min_col - 1]
        for row in rows[area.min_row - 1 : area.max_row]:
            row[area.min_col - 1 : area.max_col] = [value] * (area.max_col - area.min_col + 1)


def _odd_cells(shown: Worksheet, written: Worksheet, names: bool) -> Iterator[tuple[int, int, Words]]:
    """Cells that a spreadsheet made something else of than what was typed."""
    for number, row in enumerate(written.iter_rows(), start=1):
        for column, cell in enumerate(row, start=1):
            value = shown.cell(number, column).value if cell.value is not None else None
            if cell.data_type == "f" and value is None:
                yield number, column, _no_saved_value()
            elif (shown is written and cell.data_type == "e") or (cell.data_type == "f" and str(value).startswith("#")):
                yield number, column, _error_value(str(value))
            elif names and isinstance(value, (date, time)):
                yield number, column, _turned("a date")
            elif names and isinstance(value, (int, float)) and "E+" in cell.number_format.upper():
                yield number, column, _turned("a power of ten")


def hidden_cells(worksheet: Worksheet) -> str:
    """The hidden rows and columns of a sheet."""
    rows = [str(number) for number, found in worksheet.row_dimensions.items() if found.hidden]
    columns = [letters for letters, found in worksheet.column_dimensions.items() if found.hidden]
    parts = [f"row{'s' if len(rows) > 1 else ''} {_first(rows)}"] if rows else []
    parts += [f"column{'s' if len(columns) > 1 else ''} {_first(columns)}"] if columns else []
    return " and ".join(parts)


def _first(names: Iterable[str]) -> str:
    listed = list(names)
    return ", ".join(listed[:6]) + (", …" if len(listed) > 6 else "")


# --- what is said ---


def _no_saved_value() -> Words:
    return Words(
        "formula-without-value",
        "The cell has a formula, and no value was saved with it.",
        "Open the workbook in a spreadsheet and save it, or write the value itself.",
    )


def _error_value(text: str) -> Words:
    return Words("bad-value", f"The formula of the cell gives {text}.", "Mend the formula, or write the value itself.")


def _turned(what: str) -> Words:
    return Words(
        "cell-turned",
        f"The spreadsheet made {what} of what was typed here.",
        "Format the cell as text and type it again.",
    )


def _hidden_cells(which: str) -> Words:
    return Words("hidden-cells", f"The sheet has hidden cells, which count: {which}.", "Show them, or remove them.")
