"""Wiring tables: a row is an instance, a column a pin, a cell what is wired to it. A table becomes a program."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping

from upright_block.language import syntax
from upright_block.language.forms import IsFunction
from upright_block.language.lexer import KEYWORDS
from upright_block.language.limits import MOST_INSTANCES
from upright_block.language.nodes import fresh, record, state
from upright_block.language.parsing.ranges import Pattern, pattern
from upright_block.language.parsing.units import parse_expression
from upright_block.language.parsing.words import wiring as words
from upright_block.language.paths import names_in, relocated
from upright_block.language.source import Cell, Source
from upright_block.language.telling.allowing import Allowance
from upright_block.language.telling.findings import Findings, Words

OWN_COLUMNS = ("order", "instance", "block", "result", "comment", "allow")
"""The columns that are no pins."""
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*\Z")
_ELEMENT = re.compile(r"([A-Za-z_][A-Za-z0-9_]*)\[(\d{1,9})\]\Z")
_SPAN = re.compile(r"-?(\d+(\.\d+)?(d|h|ms|m|s|us|ns))+\Z", re.IGNORECASE)
_COMMA = re.compile(r"([A-Za-z]+#)?-?\d+,\d+[A-Za-z]*\Z")
_INTEGER = re.compile(r"\d{1,18}\Z")


@record
class WiringTable:
    """A table as it was read; a row has those cells that say something, by their columns in lower case.

    ``heads`` are the cells of the columns that are pins.
    """

    name: str
    source: Source
    heads: Mapping[str, Cell]
    rows: tuple[Mapping[str, Cell], ...]


@record
class _Row:
    """One instance: its cells, with any ranges taken out; ``is_one_of_many`` says that there were some."""

    order: float
    cells: Mapping[str, Cell]
    is_one_of_many: bool


@state
class _Array:
    """An array of instances, as far as rows have named its elements; `elements` gives the cell of each."""

    first: Cell
    block: str
    low: int
    high: int
    elements: dict[int, Cell] = fresh(default_factory=dict)


class _Wirer:
    def __init__(self, table: WiringTable, is_function: IsFunction, findings: Findings) -> None:
        self.is_function = is_function
        self.table = table
        self.source = table.source
        self.findings = findings
        self.instances: dict[str, syntax.Declaration] = {}
        self.arrays: dict[str, _Array] = {}
        self.body: list[tuple[float, syntax.Statement]] = []

    def report(self, cell: Cell, said: Words) -> None:
        self.findings.add(said.told(self.source, cell.start, max(cell.end, cell.start + 1)))

    # --- rows ---

    def rows(self) -> Iterator[_Row]:
        """The rows one instance each, in the order of the table."""
        ordered = [row for row in self.table.rows if "order" in row]
        if ordered and len(ordered) < len(self.table.rows):
            first = next(row for row in self.table.rows if "order" not in row)
            self.report(next(iter(first.values())), words.missing_order())
        patterns = [_patterns(row) for row in self.table.rows]
        lengths = [self.length(row, own) for row, own in zip(self.table.rows, patterns, strict=True)]
        if sum(lengths) > MOST_INSTANCES:
            longest = self.table.rows[lengths.index(max(lengths))]
            self.report(longest.get("instance") or next(iter(longest.values())), words.too_many_instances())
            return
        for number, (row, own, length) in enumerate(zip(self.table.rows, patterns, lengths, strict=True)):
            order = self.order(row.get("order"), number)
            if not any(found.shapes for found in own.values()):
                yield _Row(order, row, is_one_of_many=False)
                continue
            for index in range(length):
                cells = {
                    column: Cell(text, cell.start, cell.end)
                    for column, cell in row.items()
                    if (text := own[column].at(index))
                }
                yield _Row(order, cells, is_one_of_many=True)

    def order(self, cell: Cell | None, number: int) -> float:
        if cell is None:
            return number
        try:
            return float(cell.text)
        except ValueError:
            self.report(cell, words.bad_order(cell.text))
            return number

    def length(self, row: Mapping[str, Cell], patterns: Mapping[str, Pattern]) -> int:
        """How many instances a row makes; none where its ranges and lists are of different lengths."""
        found = [(len(shape), column) for column, own in patterns.items() for shape in own.shapes]
        if not found:
            return 1
        if "instance" in row and not patterns["instance"].shapes:
            self.report(row[found[0][1]], words.range_of_one(row["instance"].text, found[0][0]))
            return 0
        first = len(patterns["instance"].shapes[0]) if "instance" in row else found[0][0]
        other = next(((length, column) for length, column in found if length != first), None)
        if other is not None:
            self.report(row[other[1]], words.unequal_ranges(first, other[0]))
            return 0
        return first

    def allowances(self) -> Iterator[Allowance]:
        """What the rows allow: names of findings with a reason each, as in a comment."""
        for row in self.table.rows:
            cell = row.get("allow")
            for part in cell.text.split(";") if cell else ():
                assert cell is not None
                name, _, reason = (text.strip() for text in part.partition(":"))
                lines = frozenset({self.source.line(cell.start)})
                yield Allowance(self.source, cell.start, cell.end, name.lower(), reason, lines)

    # --- an instance ---

    def add(self, row: _Row) -> None:
        """Declare the instance of a row, and what its cells wire to it."""
        name, block = row.cells.get("instance"), row.cells.get("block")
        if name is None or block is None:
            cell = name or block or next(iter(row.cells.values()))
            self.report(cell, words.missing_cell("instance" if name is None else "block"))
            return
        element = _ELEMENT.match(name.text)
        stem = element[1] if element else name.text
        if not _NAME.match(stem) or stem.upper() in KEYWORDS:
            self.report(name, words.bad_instance(name.text))
            return
        callee: syntax.Expression = syntax.Name(name.start, name.end, stem)
        arguments = tuple(self.arguments(row))
        if self.is_function(block.text):
            call = syntax.Call(block.start, block.end, syntax.Name(block.start, block.end, block.text), arguments)
            spec = syntax.ResultOf(block.start, block.end, call)
            self.declare(name, stem, spec, row)
            target = syntax.Name(name.start, name.end, stem)
            self.body.append((row.order, syntax.Assignment(name.start, name.end, target, call)))
            self.result(row, stem)
            return
        if "result" in row.cells:
            self.report(row.cells["result"], words.result_of_block(block.text))
        if element:
            index = syntax.Literal(name.start, name.end, "int", element[2])
            callee = syntax.Index(name.start, name.end, callee, (index,))
            self.element(stem, int(element[2]), row)
        else:
            self.declare(name, stem, syntax.TypeName(block.start, block.end, block.text), row)
        called = syntax.Call(name.start, name.end, callee, arguments)
        self.body.append((row.order, syntax.CallStatement(name.start, name.end, called)))

    def result(self, row: _Row, name: str) -> None:
        """Where the result of a function goes besides, as ``-> tag``."""
        cell = row.cells.get("result")
        if cell is None:
            return
        if not cell.text.startswith("->"):
            self.report(cell, words.result_without_arrow(cell.text))
            return
        target = self.value(cell, cell.text[2:].strip(), row.is_one_of_many)
        if target is not None:
            at = cell.start, cell.end
            self.body.append((row.order, syntax.Assignment(*at, target, syntax.Name(*at, name))))

    def declare(self, name: Cell, stem: str, spec: syntax.TypeSpec, row: _Row) -> None:
        """Declare a name; one that is there already is left to the checker, which tells both places."""
        comment = row.cells["comment"].text if "comment" in row.cells else ""
        made = syntax.Declaration(name.start, name.end, stem, spec, None, comment, "", "")
        key = stem.upper()
        self.instances[key if key not in self.instances else f"{key} {len(self.instances)}"] = made

    def element(self, stem: str, number: int, row: _Row) -> None:
        """Declare the array that an instance is an element of, as large as its rows make it."""
        name, block = row.cells["instance"], row.cells["block"]
        array = self.arrays.setdefault(stem.upper(), _Array(name, block.text, number, number))
        if array.block.upper() != block.text.upper():
            self.report(block, words.other_block(stem, array.block))
        if number in array.elements:
            self.report(name, words.element_twice(array.elements[number].text))
        array.elements[number] = name
        array.low, array.high = min(array.low, number), max(array.high, number)
        at = array.first.start, array.first.end
        low, high = (syntax.Literal(*at, "int", str(end)) for end in (array.low, array.high))
        spec = syntax.ArraySpec(*at, ((low, high),), syntax.TypeName(*at, array.block))
        self.instances[stem.upper()] = syntax.Declaration(*at, stem, spec, None, "", "", "")

    def arguments(self, row: _Row) -> Iterator[syntax.Argument]:
        """What the cells of a row give to pins."""
        for column, cell in row.cells.items():
            head = self.table.heads.get(column)
            if head is None:
                continue
            name = head.text.removeprefix("pin ").strip()
            is_output = cell.text.startswith("->")
            if said := _comma(cell.text):
                self.report(cell, said)
                continue
            value = self.value(cell, cell.text[2:].strip() if is_output else cell.text, row.is_one_of_many)
            if value is not None:
                yield syntax.WiredArgument(
                    cell.start,
                    cell.end,
                    name,
                    value,
                    is_output,
                    negated=False,
                    head_start=head.start,
                    head_end=head.end,
                )

    def value(self, cell: Cell, text: str, is_one_of_many: bool) -> syntax.Expression | None:
        """What a cell says: a literal, also in its short form, a name, or an expression."""
        at = cell.start, cell.end
        if _NAME.match(text) and text.upper() not in KEYWORDS:
            return syntax.Name(*at, text)
        if _INTEGER.match(text):
            return syntax.Literal(*at, "int", text)
        if _SPAN.match(text):
            return syntax.Literal(*at, "typed", f"T#{text}")
        start = self.source.text.find(text, cell.start, cell.end)
        is_as_written = start >= 0 and not is_one_of_many
        noted = Findings()
        found = parse_expression(self.source, noted, text, start if is_as_written else cell.start)
        for finding in noted.items:
            if is_as_written:
                self.findings.add(finding)
            else:
                said = Words(finding.name, finding.message, finding.way_out)
                self.report(cell, said)
        if found is None or is_as_written:
            return found
        return relocated(found, *at)


def _comma(text: str) -> Words | None:
    """What is said of a number with a comma before its decimals."""
    found = _COMMA.match(text)
    return words.decimal_comma(text, text.replace(",", ".")) if found else None


def wire(table: WiringTable, is_function: IsFunction, findings: Findings) -> syntax.File:
    """The program that a table is: its rows in their order. What is wrong with a cell becomes a finding."""
    wirer = _Wirer(table, is_function, findings)
    for row in wirer.rows():
        wirer.add(row)
    wirer.body.sort(key=lambda entry: entry[0])
    declarations = tuple(_results_last(wirer.instances.values()))
    sections = (syntax.VariableSection(0, 0, "VAR", (), declarations),) if declarations else ()
    body = tuple(statement for _, statement in wirer.body)
    unit = syntax.Unit(0, 1, "PROGRAM", table.name, None, sections, body, "")
    return syntax.File((unit,), allowances=tuple(wirer.allowances()))


def _results_last(declarations: Iterable[syntax.Declaration]) -> Iterator[syntax.Declaration]:
    """Instances, then the results of functions: each behind those that its own function reads, as far as that goes."""
    results: dict[str, syntax.Declaration] = {}
    for made in declarations:
        if isinstance(made.type, syntax.ResultOf):
            results[made.name.upper()] = made
        else:
            yield made
    done: set[str] = set()
    for key in results:
        waiting = [key]
        seen: set[str] = set()
        while waiting:
            name = waiting[-1]
            spec = results[name].type
            assert isinstance(spec, syntax.ResultOf)
            before = [n for n in names_in(spec.value) if n in results and n not in done and n not in seen]
            seen.add(name)
            if before:
                waiting += before
                continue
            waiting.pop()
            if name not in done:
                done.add(name)
                yield results[name]


def first_of_range(text: str, is_name: bool = False) -> str:
    """A cell as it is for the first instance of its row."""
    return pattern(text, is_name).at(0)


def range_length(text: str) -> int:
    """How many instances the name of a row stands for."""
    found = pattern(text, is_name=True).shapes
    return len(found[0]) if found else 1


def instance_names(row: Mapping[str, Cell]) -> list[str]:
    """The names of the instances that a row makes."""
    cell = row.get("instance")
    if cell is None:
        return []
    found = pattern(cell.text, is_name=True)
    return [found.at(index) for index in range(len(found.shapes[0]) if found.shapes else 1)]


def cells_for(text: str, count: int) -> list[str]:
    """A cell as it is for each of the instances of its row."""
    found = pattern(text)
    return [found.at(index) for index in range(count)]


def _patterns(row: Mapping[str, Cell]) -> dict[str, Pattern]:
    return {column: pattern(cell.text, is_name=column == "instance") for column, cell in row.items()}
