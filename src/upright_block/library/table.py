"""Tables by columns, from inline text or CSV; where a cell stands is found when somebody asks."""

from __future__ import annotations

import csv
import re
from array import array
from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import accumulate

from upright_block.errors import BadValue
from upright_block.language.limits import MOST_NESTED, MOST_REPEATED
from upright_block.language.names import counted
from upright_block.language.nodes import fresh, record
from upright_block.language.source import Cell, Sheet, Source
from upright_block.language.telling.findings import Words

TIME_HEADS = ("at", "after", "scan")
"""Names of the column that gives the time of a row."""
ROLES = ("set", "force", "check", "hold", "pin")
"""Words before the name of a column that say what it does; ``pin`` says that the next word is a name."""

_CELL = re.compile(r"""'(?:[^'$\n]|\$.)*'|"(?:[^"$\n]|\$.)*"|[^\s|]+""")
_QUOTED = re.compile(r'"(?:[^"]|"")*"?')
_BRACKETS = re.compile(r"\[[^\]\n]*\]")
_REMARK = "#"
"""Begins a line of a table of names that is for people."""
_BLANK_LINES = re.compile(r"(?:[^\S\n]*\n)*")
_BEFORE_HEADS = re.compile(rf"(?:[^\S\n]*(?:{_REMARK}[^\n]*)?\n)*")
_MOST_SHARED = 10_000
_MOST_LINES = 40
"""Lines over which a cell in quotes may go on."""
_BLOCK = 1 << 18


def aligned(rows: Sequence[Sequence[str]]) -> list[str]:
    """Rows of a table of text as lines whose columns stand below each other."""
    widths = [max(map(len, column)) for column in zip(*rows, strict=True)]
    return [" ".join(f"{cell:<{size}}" for cell, size in zip(row, widths, strict=True)).rstrip() for row in rows]


@record
class Flaw:
    """What is wrong with the form of a table."""

    words: Words
    start: int
    end: int


Split = Callable[[int], list[Cell]]


@record
class Table:
    """``columns`` has the texts of the rows for each of the ``heads``; an empty text says nothing.

    ``starts`` says where each row begins, ``split`` cuts the row that begins there into its cells.
    """

    source: Source
    heads: tuple[Cell, ...]
    columns: tuple[list[str], ...]
    starts: array[int]
    split: Split
    flaws: list[Flaw] = fresh(default_factory=list)

    @property
    def rows(self) -> int:
        """How many rows there are below the heads."""
        return len(self.starts)

    def take(self, column: int) -> list[str]:
        """The texts of a column, which are given away: a long table is not kept twice."""
        texts = list(self.columns[column])
        # A million rows are hundreds of megabytes as texts; whoever takes a column makes numbers of it and lets it go.
        self.columns[column].clear()
        return texts

    def cell(self, row: int, column: int) -> Cell:
        """A cell with its place; rows and columns count from 0."""
        return self.split(self.starts[row])[column]

    def without(self, column: int, rows: range) -> Table:
        """Some of the rows, without one of the columns."""

        heads = self.heads[:column] + self.heads[column + 1 :]
        columns = self.columns[:column] + self.columns[column + 1 :]
        cut = tuple(texts[rows.start : rows.stop] for texts in columns)
        return Table(self.source, heads, cut, self.starts[rows.start : rows.stop], _Without(self.split, column))


def spans(table: Table) -> list[tuple[int, int]]:
    """Where each row of a CSV file lies, from behind the one before, with the empty lines and remarks between; the
    first of them from behind the heads.
    """
    text = table.source.text
    start = _head_start(text, skips_remarks=True)
    last = min(_row_end(text, start, start) + 1, len(text))
    found: list[tuple[int, int]] = []
    for begin in table.starts:
        end = min(_row_end(text, begin, begin) + 1, len(text))
        found.append((last, end))
        last = end
    return found


def delimiter(table: Table) -> str:
    """What stands between the cells of a CSV file."""
    first = table.heads[0].start if table.heads else 0
    return delimiter_of(table.source.line_text(table.source.line(first)))


@record
class _Without:
    """Cuts a row as another does, and leaves one of the cells out."""

    split: Split
    column: int

    def __call__(self, start: int) -> list[Cell]:
        cells = self.split(start)
        return cells[: self.column] + cells[self.column + 1 :]


class _Builder:
    """Collects rows; cells that are written again and again are kept once."""

    def __init__(self, source: Source, heads: list[Cell], split: Split) -> None:
        columns: tuple[list[str], ...] = tuple([] for _ in heads)
        self.table = Table(source, tuple(heads), columns, array("q"), split)
        self.shared: dict[str, str] = {}

    def add(self, rows: Sequence[Sequence[str]], starts: Iterable[int]) -> None:
        """Rows that each have as many cells as there are heads."""
        shared = self.shared
        for column, written in zip(self.table.columns, zip(*rows, strict=True), strict=False):
            texts = list(map(str.strip, written))
            if len(shared) < _MOST_SHARED:
                shared.update(zip(texts, texts, strict=True))
                shared.update({"": "", ".": ""})
            column += map(shared.get, texts, texts)
        self.table.starts.extend(starts)

    def uneven(self, count: int, start: int, end: int) -> None:
        heads = self.table.heads
        wanted = len(heads)
        names = " ".join(head.text for head in heads[:12]) + (" …" if wanted > 12 else "")
        self.flaw(_uneven_row(count, wanted, names), start, end)

    def flaw(self, words: Words, start: int, end: int) -> None:
        self.table.flaws.append(Flaw(words, start, end))


def _lines(text: str) -> Iterator[tuple[int, str]]:
    """The lines of a text with their offsets, without their ends."""
    start = 0
    for line in text.split("\n"):
        yield start, line.removesuffix("\r")
        start += len(line) + 1


@record
class _InlineSplit:
    """Cuts a row of an inline table."""

    text: str
    origin: Callable[[int], int]

    def __call__(self, start: int) -> list[Cell]:
        end, origin = self.text.find("\n", start), self.origin
        found = _CELL.finditer(self.text, start, len(self.text) if end < 0 else end)
        return [Cell("" if m[0] == "." else m[0], origin(m.start()), origin(m.end())) for m in found]


def inline_table(source: Source, text: str, origin: Callable[[int], int]) -> Table:
    """A table in the text of a case file; ``origin`` says where in ``source`` a character of ``text`` stands.

    White space separates cells, ``|`` is a ruler, ``.`` is an empty cell; a line that begins with
    ``#`` is a comment. A word of `ROLES` belongs to the name that follows it. Rows between ``repeat 5`` and ``end``
    stand there so often.
    """
    split = _InlineSplit(text, origin)
    lines = [(start, line) for start, line in _lines(text) if line.replace("|", " ").strip()[:1] not in ("", "#")]
    if not lines:
        return Table(source, (), (), array("q"), split)
    builder = _Builder(source, _named(split(lines[0][0])), split)
    rows = [(_CELL.findall(line), start) for start, line in _repeated(lines[1:], builder, origin)]
    wanted = len(builder.table.heads)
    even = [row for row in rows if len(row[0]) == wanted]
    if even:
        builder.add([texts for texts, _ in even], [start for _, start in even])
    for texts, start in rows if len(even) < len(rows) else ():
        if len(texts) != wanted:
            cells = split(start)
            builder.uneven(len(texts), cells[0].start, cells[-1].end)
    return builder.table


def _repeated(
    lines: Sequence[tuple[int, str]], builder: _Builder, origin: Callable[[int], int]
) -> list[tuple[int, str]]:
    """The lines with those between ``repeat 5`` and ``end`` so often, also inside each other."""
    if not any(line.lstrip()[:6].lower() == "repeat" or line.strip().lower() == "end" for _, line in lines):
        return list(lines)
    opened: list[tuple[int, int, list[tuple[int, str]]]] = [(1, 0, [])]

    def flaw(words: Words, start: int, line: str) -> None:
        lead = len(line) - len(line.lstrip())
        builder.flaw(words, origin(start + lead), origin(start + len(line.rstrip())))

    for start, line in lines:
        first, *rest = line.replace("|", " ").split()
        if first.lower() == "repeat":
            is_number = len(rest) == 1 and re.fullmatch("[1-9][0-9]{0,8}", rest[0]) is not None
            if not is_number:
                flaw(_bad_repeat(), start, line)
            elif any(head.text.lower() in ("at", "scan") for head in builder.table.heads):
                flaw(_repeat_with_times(), start, line)
            elif len(opened) > MOST_NESTED:
                flaw(_too_many_repeats(), start, line)
            opened.append((int(rest[0]) if is_number else 1, start, []))
        elif first.lower() == "end" and not rest:
            if len(opened) == 1:
                flaw(_end_without_repeat(), start, line)
                continue
            count, _, inner = opened.pop()
            if len(opened[-1][2]) + count * len(inner) > MOST_REPEATED:
                flaw(_too_many_repeats(), start, line)
                count = 1
            opened[-1][2].extend(inner * count)
        else:
            opened[-1][2].append((start, line))
    for _, start, inner in opened[1:]:
        line = next(line for begun, line in lines if begun == start)
        flaw(_repeat_without_end(), start, line)
        opened[0][2].extend(inner)
    return opened[0][2]


def _named(cells: list[Cell]) -> list[Cell]:
    """Column heads: a word that says a role goes with the name after it."""
    heads: list[Cell] = []
    for cell in cells:
        if heads and heads[-1].text.lower() in ROLES:
            first = heads.pop()
            cell = Cell(f"{first.text.lower()} {cell.text}", first.start, cell.end)
        heads.append(cell)
    return heads


def table_of(source: Source, skips_blank: bool = False) -> Table:
    """The table of a CSV file, or of a sheet."""
    return sheet_table(source, skips_blank) if isinstance(source, Sheet) else csv_table(source, skips_blank)


def whole_table(source: Source) -> Table:
    """A table of names, with remarks and empty lines, of which no row is lost.

    Raises:
        BadValue: a row does not fit the columns.
    """
    table = table_of(source, skips_blank=True)
    if table.flaws:
        said, where = table.flaws[0].words, source.shown_line(table.flaws[0].start)
        raise BadValue(f"{where}: {said.message}", said.way_out)
    return table


@record
class _SheetSplit:
    """Cuts a row of a sheet."""

    source: Sheet

    def __call__(self, start: int) -> list[Cell]:
        cells: list[Cell] = []
        text = self.source.text
        for written in text[start : _line_end(text, start)].split("\t"):
            cells.append(Cell("" if written.strip() == "." else written.strip(), start, start + len(written)))
            start += len(written) + 1
        return cells


def sheet_table(source: Sheet, skips_blank: bool = False) -> Table:
    """The table of a sheet: its first row that is not empty has the heads; rows are as in `csv_table`."""
    text, split = source.text, _SheetSplit(source)
    start = _head_start(text, skips_blank)
    heads = [Cell(" ".join(head.text.split()), head.start, head.end) for head in split(start)]
    builder = _Builder(source, heads, split)
    timed = skips_blank or any(head.text.lower() in TIME_HEADS for head in heads)
    begin = _line_end(text, start) + 1
    for line in text[begin:].split("\n") if begin <= len(text) else ():
        if skips_blank and line.lstrip().startswith(_REMARK):
            pass
        elif line.strip():
            builder.add([line.split("\t")], [begin])
        elif not timed:
            builder.flaw(_blank_line(), begin, begin + 1)
        begin += len(line) + 1
    return builder.table


@record
class _CsvSplit:
    """Cuts a row of a CSV file."""

    source: Source
    delimiter: str

    def __call__(self, start: int) -> list[Cell]:
        text = self.source.text
        return _places(text[start : _row_end(text, start, start)].removesuffix("\r"), start, self.delimiter)


def csv_table(source: Source, skips_blank: bool = False) -> Table:
    """A table from CSV text (RFC 4180) with commas, semicolons or tabs; a cell in quotes may go on over some lines.

    Lines without any cell at the end of the file are passed over, and so are those of a table that has a
    column for the time; without one, each row is a scan. With ``skips_blank`` all of them are, and
    so are lines that begin with ``#``.
    """
    text = source.text
    start = _head_start(text, skips_blank)
    end = _line_end(text, len(text.rstrip()))
    head_end = _row_end(text, start, start) if start < end else start
    first = text[start:head_end].removesuffix("\r")
    delimiter = delimiter_of(first)
    split = _CsvSplit(source, delimiter)
    heads = split(start) if first else []
    while heads and not heads[-1].text:
        heads.pop()
    heads = [Cell(" ".join(h.text.split()), h.start, h.end) for h in heads]
    builder = _Builder(source, heads, split)
    if _texts(first, delimiter) is None:
        _unclosed(builder, start, first)
    elif (cut := next((i for i, h in enumerate(heads) if h.text.count("[") > h.text.count("]")), None)) is not None:
        whole = delimiter.join(h.text for h in heads[cut : cut + 2])
        builder.flaw(_cut_name(heads[cut].text, whole), heads[cut].start, heads[cut].end)
    else:
        timed = skips_blank or any(head.text.lower() in TIME_HEADS for head in heads)
        for block_start, block in _blocks(text, head_end + 1, end):
            _add_block(builder, block_start, block.split("\n"), delimiter, timed, _REMARK if skips_blank else "")
    return builder.table


def _head_start(text: str, skips_remarks: bool) -> int:
    """Where the line of the heads begins: the first that is not empty, and no remark."""
    found = (_BEFORE_HEADS if skips_remarks else _BLANK_LINES).match(text)
    return found.end() if found else 0


def _first_in_line(text: str, start: int) -> int:
    """The first character of a line that is no blank."""
    while text.startswith((" ", "\t"), start):
        start += 1
    return start


def _line_end(text: str, offset: int) -> int:
    end = text.find("\n", offset)
    return len(text) if end < 0 else end


def _row_end(text: str, start: int, offset: int) -> int:
    """The end of the line at ``offset``, or of a later one where a cell with quotes goes on there: what begins at
    ``start`` has its quotes in pairs up to it. A quote that stays open for too long is a mistake of its line alone.
    """
    first = end = _line_end(text, offset)
    for _ in range(_MOST_LINES):
        if text.count('"', start, end) % 2 == 0 or end >= len(text):
            break
        end = _line_end(text, end + 1)
    is_whole = text.count('"', start, end) % 2 == 0
    if end > first and start == offset:  # one row: its quotes must stand around cells
        is_whole &= any(_texts(text[start:end], delimiter) is not None for delimiter in ",;\t")
    return end if is_whole else first


def _blocks(text: str, start: int, end: int) -> Iterator[tuple[int, str]]:
    """Whole lines of a text, many at a time, with their offset."""
    while start < end:
        cut = end if start + _BLOCK >= end else _row_end(text, start, start + _BLOCK)
        yield start, text[start:cut]
        start = cut + 1


def _add_block(builder: _Builder, start: int, lines: list[str], delimiter: str, timed: bool, remark: str) -> None:
    """The rows of some lines; where nothing is out of the way they are taken together. Lines that begin with
    ``remark``, where there is one, are passed over.
    """
    wanted = len(builder.table.heads)
    blank = delimiter + " \t\r"
    if not any('"' in line or (not line.strip(blank)) or (remark and remark in line) for line in lines):
        rows = [line.split(delimiter) for line in lines]
        if all(len(row) == wanted for row in rows):
            builder.add(rows, accumulate((len(line) + 1 for line in lines[:-1]), initial=start))
            return
    block, offset = "\n".join(lines), 0
    while offset <= len(block):
        if remark and _line_end(block, offset) > offset and block.startswith(remark, _first_in_line(block, offset)):
            offset = _line_end(block, offset) + 1
            continue
        end = _row_end(block, offset, offset)
        _add_line(builder, start + offset, block[offset:end].removesuffix("\r"), delimiter, timed)
        offset = end + 1


def _add_line(builder: _Builder, start: int, line: str, delimiter: str, timed: bool) -> None:
    wanted = len(builder.table.heads)
    if not line.strip(" ") or (not line.strip() and wanted == 1):
        if not timed:
            builder.flaw(_blank_line(), start, start + max(len(line), 1))
        return
    texts = line.split(delimiter) if '"' not in line else _texts(line, delimiter)
    if texts is None:
        _unclosed(builder, start, line)
        return
    while len(texts) > wanted and not texts[-1].strip():
        texts.pop()
    if timed and not any(map(str.strip, texts)):
        return
    if len(texts) == wanted:
        builder.add([texts], [start])
    else:
        builder.uneven(len(texts), start, start + len(line))


def delimiter_of(head: str) -> str:
    """What separates the names of the columns, outside of quotes and brackets."""
    bare = _BRACKETS.sub("", _QUOTED.sub("", head))
    return max("\t;,", key=bare.count) if any(d in bare for d in "\t;,") else ","


def _texts(line: str, delimiter: str) -> list[str] | None:
    """The cells of a line with quotes; None where a quote is not closed or stands in the middle of a cell."""
    try:
        return next(csv.reader([line], delimiter=delimiter, strict=True, skipinitialspace=True), [])
    except csv.Error:
        return None


def _unclosed(builder: _Builder, start: int, line: str) -> None:
    quote = start + line.index('"')
    if len(line) > csv.field_size_limit():
        builder.flaw(_long_cell(), quote, quote + 1)
    else:
        builder.flaw(_open_quote(), quote, start + len(line))


def _places(line: str, start: int, delimiter: str) -> list[Cell]:
    """The cells of a line with their offsets."""
    cells: list[Cell] = []
    offset = 0
    while offset <= len(line):
        begin = offset
        while begin < len(line) and line[begin] in " \t" and line[begin] != delimiter:
            begin += 1
        quoted = _QUOTED.match(line, begin) if line[begin : begin + 1] == '"' else None
        end = line.find(delimiter, quoted.end() if quoted else offset)
        end = len(line) if end < 0 else end
        written = line[begin:end].strip()
        text = written[1:-1].replace('""', '"').strip() if quoted else written
        cells.append(Cell("" if text == "." else text, start + begin, start + begin + len(written)))
        offset = end + 1
    return cells


# --- what is said ---


def _uneven_row(count: int, wanted: int, names: str) -> Words:
    than = f"{'more' if count > wanted else 'fewer'} than the {wanted} columns ({names})"
    return Words(
        "uneven-row",
        f"The row has {counted(count, 'cell')}, {than}.",
        "Write . for an empty cell." if count < wanted else "Remove a cell, or name its column.",
    )


def _bad_repeat() -> Words:
    return Words("bad-value", "repeat takes a number above zero.", "Write repeat 5, the rows below it, and end.")


def _repeat_with_times() -> Words:
    return Words(
        "time-goes-back",
        "Rows that are repeated have the same times again.",
        "Count with after in place of at or scan.",
    )


def _end_without_repeat() -> Words:
    return Words("missing-end", "end closes no repeat.", "Remove it, or write repeat 5 above the rows.")


def _repeat_without_end() -> Words:
    return Words("missing-end", "repeat is not closed.", "Write end below the rows that are repeated.")


def _too_many_repeats() -> Words:
    return Words("too-long", f"The rows repeat to more than {MOST_REPEATED:,}.", "Repeat them less often.")


def _cut_name(name: str, whole: str) -> Words:
    return Words("cut-name", f"{name} is cut off at the delimiter of the file.", f'Write "{whole}", in quotes.')


def _blank_line() -> Words:
    return Words(
        "blank-line", "The line is blank, and each row is a scan.", "Remove the line, or write . in its cells."
    )


def _long_cell() -> Words:
    return Words(
        "long-cell", f"A cell in quotes is longer than {csv.field_size_limit():,} characters.", "Write a shorter one."
    )


def _open_quote() -> Words:
    return Words(
        "open-quote",
        "A quote is not closed in its line, or stands beside other text.",
        'A cell in quotes begins and ends with "; write "" for a quote inside it.',
    )
