"""Case files as they are written: TOML, with every value at its place."""

from __future__ import annotations

import math
import os
import re
from collections.abc import Iterator
from datetime import date
from itertools import pairwise, product
from pathlib import Path
from typing import TYPE_CHECKING

from upright_block.cases.cells import cell_text, parse_clock, parse_span
from upright_block.cases.sweeping import Swept
from upright_block.cases.words import casefile as words
from upright_block.language.literals import LiteralProblem
from upright_block.language.nodes import record
from upright_block.language.source import Cell, Sheet, Source
from upright_block.language.telling.catalogue import stops
from upright_block.language.telling.findings import Finding, Findings, Related, Words
from upright_block.library import FileProblem, Files, Origin, Toml, TomlProblem, read_toml
from upright_block.library.table import Table, csv_table, inline_table, sheet_table

if TYPE_CHECKING:
    from upright_block.cases.rulereader import RuleReader
    from upright_block.cases.rules import Phrase, Rule, TimingRow
    from upright_block.library.workbook import Book

SUBJECTS = ("block", "program", "configuration")
"""The keys that say what a case file is for."""
_FILE = re.compile(r'\bfile=(?:"([^"]*)"|(\S+))', re.IGNORECASE)
MOST_SWEPT = 10_000
"""Cases of one sweep."""
_WATCHED = ("always", "never", "timing")
_FILE_KEYS = (*SUBJECTS, "rig", "scan", "case", *_WATCHED)
_CASE_KEYS = ("name", "given", "vectors", "run_for", "hold", "clock", "drive", "sweep", "expect_fault", *_WATCHED)


@record
class Given:
    """A value that a case sets before the first scan: a dotted path, and a text or a list of them."""

    path: str
    value: Toml
    key: Toml


@record
class Driven:
    """A pin that a shape drives; ``table`` is that of the file which the shape names, where it does."""

    pin: Phrase
    shape: Phrase
    table: Table | None


@record
class Case:
    """One case. ``run_for`` is in ns, or None when the last row ends the case.

    ``clock`` is the wall clock at the start, in ns since 1970-01-01, or None where it does not matter.
    ``expect_fault`` is the kind of fault that must end it, empty for none. ``mistakes`` says that it has findings and
    cannot be run.
    """

    id: str
    name: str
    place: Toml
    given: tuple[Given, ...]
    vectors: Table | None
    run_for: int | None
    hold: bool
    clock: int | None
    rules: tuple[Rule, ...]
    timing: tuple[TimingRow, ...]
    stimuli: tuple[Driven, ...]
    expect_fault: str
    mistakes: tuple[Finding, ...]


@record
class Subject:
    """What the cases of a file are for; ``kind`` is one of `SUBJECTS`."""

    kind: str
    name: str
    place: Toml


@record
class CaseFile:
    """The cases of one subject. ``scan`` is in ns, or None where the tasks of a configuration say it; ``rig`` names
    what is around it.

    ``rules`` and ``timing`` hold in all of them; ``mistakes`` are those that keep all of its cases from running.
    """

    source: Source
    subject: Subject
    rig: Phrase | None
    scan: int | None
    scan_place: Toml
    cases: tuple[Case, ...]
    rules: tuple[Rule, ...]
    timing: tuple[TimingRow, ...]
    mistakes: tuple[Finding, ...]


@record
class RuleFile:
    """What holds for every instance of a block, in any case."""

    source: Source
    block: str
    place: Toml
    rules: tuple[Rule, ...]
    timing: tuple[TimingRow, ...]


class _Reader:
    """Reads one case file and reports what is wrong in it."""

    def __init__(self, source: Source, stem: str, folder: Path, files: Files, findings: Findings) -> None:
        self.source = source
        self.stem = stem
        self.folder = folder
        self.files = files
        self.findings = findings

    def report(self, place: Toml, said: Words, *, key: bool = False) -> None:
        start, end = (place.key_start, place.key_end) if key else (place.start, place.end)
        line_end = self.source.text.find("\n", start)
        self.findings.add(said.told(self.source, start, min(end, line_end) if line_end >= 0 else end))

    def _content(self) -> Toml | None:
        try:
            return read_toml(self.source.text)
        except TomlProblem as problem:
            self.findings.add(words.bad_toml(problem).told(self.source, problem.start, problem.start + 1))
            return None

    def read(self) -> CaseFile | None:
        content = self._content()
        if content is None:
            return None
        begun = len(self.findings.items)
        self._check_keys(content, _FILE_KEYS, "A case file")
        subject = self._subject(content)
        rig = self._rig(content, subject)
        scan = self._duration(content, "scan")
        if "scan" not in content.value and subject.kind not in ("configuration", "program"):
            self.report(content, words.no_scan())
        rules, timing = self._watched(content, Swept({}))
        mistakes = tuple(f for f in self.findings.items[begun:] if stops(f.name))
        listed = content.value.get("case", Toml([], 0, 0, 0, 0))
        if not isinstance(listed.value, list) or not all(isinstance(c.value, dict) for c in listed.value):
            self.report(listed, words.cases_not_tables())
            return None
        if not listed.value:
            self.report(content, words.no_cases())
        cases: list[Case] = []
        seen: set[str] = set()
        for index, case in enumerate(listed.value):
            cases += self._cases(case, index, seen)
        return CaseFile(
            self.source, subject, rig, scan, content.value.get("scan", content), tuple(cases), rules, timing, mistakes
        )

    def rule_file(self) -> RuleFile | None:
        content = self._content()
        if content is None:
            return None
        begun = len(self.findings.items)
        self._check_keys(content, ("block", *_WATCHED), "A file of rules")
        block = self._text(content, "block")
        if block is None:
            if "block" not in content.value:
                self.report(content, words.rules_without_block())
            return None
        rules, timing = self._watched(content, Swept({}))
        if not any(key in content.value for key in _WATCHED) and len(self.findings.items) == begun:
            self.report(content, words.file_without_rules())
        return RuleFile(self.source, block, content.value["block"], rules, timing)

    def _watched(self, content: Toml, swept: Swept) -> tuple[tuple[Rule, ...], tuple[TimingRow, ...]]:
        """The rules and the timing rows of a file or a case."""
        if not any(key in content.value for key in _WATCHED):
            return (), ()
        reader = self._reader(swept)
        written = content.value.get("timing")
        return tuple(reader.rules(content)), tuple(reader.timing(written)) if written is not None else ()

    def _subject(self, content: Toml) -> Subject:
        """What the file is for."""
        found = [key for key in content.value if key in SUBJECTS]
        if not found:
            return Subject("configuration", "", content)
        if len(found) > 1:
            self.report(content.value[found[1]], words.two_subjects(*found[:2]), key=True)
        return Subject(found[0], self._text(content, found[0]) or "", content.value[found[0]])

    def _rig(self, content: Toml, subject: Subject) -> Phrase | None:
        """The program that stands for the machine around a configuration."""
        name = self._text(content, "rig")
        if name is None:
            return None
        if subject.kind != "configuration":
            self.report(content.value["rig"], words.rig_without_configuration(name, subject.kind))
            return None
        from upright_block.cases.rules import Phrase

        written = content.value["rig"]
        return Phrase(name, self.source, written.start, written.end, is_as_written=False)

    def _check_keys(self, content: Toml, known: tuple[str, ...], what: str) -> None:
        for key, entry in content.value.items():
            if key in known:
                continue
            near = self.findings.did_you_mean(key, known)
            self.report(entry, words.unknown_key(what, key, known, near), key=True)

    def _text(self, content: Toml, key: str) -> str | None:
        entry = content.value.get(key)
        if entry is None:
            return None
        if not isinstance(entry.value, str) or not entry.value.strip():
            self.report(entry, words.not_a_name(key))
            return None
        return entry.value.strip()

    def _duration(self, content: Toml, key: str) -> int | None:
        """A duration above zero, in ns."""
        entry = content.value.get(key)
        if entry is None:
            return None
        if not isinstance(entry.value, str):
            self.report(entry, words.not_a_duration(key, entry.value))
            return None
        try:
            found = parse_span(entry.value)
        except LiteralProblem as problem:
            self.report(entry, words.bad_literal(problem))
            return None
        if found <= 0:
            self.report(entry, words.zero_duration("scan" if key == "scan" else "run"))
            return None
        return found

    def _clock(self, content: Toml) -> int | None:
        """The wall clock at the start of a case."""
        entry = content.value.get("clock")
        if entry is None:
            return None
        if not isinstance(entry.value, (str, date)):
            self.report(entry, words.not_a_clock())
            return None
        try:
            return parse_clock(str(entry.value))
        except LiteralProblem as problem:
            self.report(entry, Words("bad-literal", str(problem), problem.way_out))
            return None

    def _cases(self, content: Toml, index: int, seen: set[str]) -> Iterator[Case]:
        """A case, or those of its sweep."""
        begun = len(self.findings.items)
        self._check_keys(content, _CASE_KEYS, "A case")
        name = self._text(content, "name")
        if "name" not in content.value:
            self.report(content, words.case_without_name())
        run_for = self._duration(content, "run_for")
        hold = content.value.get("hold")
        if hold is not None and not isinstance(hold.value, bool):
            self.report(hold, words.hold_not_bool())
        fault = content.value.get("expect_fault")
        if fault is not None and (not isinstance(fault.value, str) or not fault.value.strip()):
            self.report(fault, words.fault_not_text())
        clock = self._clock(content)
        given = self._given(content.value["given"], "") if "given" in content.value else []
        vectors = self._vectors(content.value["vectors"]) if "vectors" in content.value else None
        parts = list(self._parts(vectors)) if vectors is not None else [("", None)]
        if not any(key in content.value for key in ("vectors", "run_for", *_WATCHED)):
            self.report(content, words.does_nothing())
        place = content.value.get("name", content)
        if name is not None and name.lower() in seen:
            self.report(place, words.case_twice(name))
        seen.add((name or "").lower())
        shown = name or f"case {index + 1}"
        met: set[str] = set()
        for (part, vectors), values in product(parts, self._sweep(content, len(parts))):
            swept = Swept(values)
            rules, timing = self._watched(content, swept)
            stimuli = tuple(self._driven(content.value["drive"], swept)) if "drive" in content.value else ()
            given_now = tuple(Given(g.path, swept.value(g.value), g.key) for g in given)
            table = vectors if vectors is None or not values else swept.table(vectors)
            met |= swept.met
            if len(met) < len(values):
                missing = next(key for key in values if key not in met)
                self.report(content.value["sweep"], words.sweep_unused(missing))
            own = ", ".join([*([part] if part else []), *(f"{key}={value}" for key, value in values.items())])
            variant = f"{shown} [{own}]" if own else shown
            yield Case(
                f"{self.stem}/{variant}",
                variant,
                place,
                given_now,
                table,
                run_for,
                hold is not None and hold.value is True,
                clock,
                rules,
                timing,
                stimuli,
                fault.value.strip().lower() if fault is not None and isinstance(fault.value, str) else "",
                tuple(f for f in self.findings.items[begun:] if stops(f.name)),
            )

    def _parts(self, table: Table) -> Iterator[tuple[str, Table | None]]:
        """The rows of each value of a column ``case``, which a row without one takes from the row above; or all
        rows.
        """
        column = next((i for i, head in enumerate(table.heads) if head.text.lower() == "case"), None)
        if column is None or not table.rows:
            yield "", table
            return
        texts = table.columns[column]
        begins = [row for row, text in enumerate(texts) if text and (not row or text.lower() != texts[row - 1].lower())]
        if begins[:1] != [0]:
            self.findings.add(words.row_of_no_case().told(table.source, *_marked(table.cell(0, column))))
            begins.insert(0, 0)
        if len(begins) > MOST_SWEPT:
            place = _marked(table.heads[column])
            self.findings.add(words.sweep_too_large(len(begins), MOST_SWEPT).told(table.source, *place))
            begins = begins[:1]
        seen: dict[str, int] = {}
        for begin, end in pairwise((*begins, table.rows)):
            first = seen.setdefault(texts[begin].lower(), begin)
            if first != begin:
                related = Related(table.source, *_marked(table.cell(first, column)), "The first rows begin here")
                said = words.case_apart(texts[begin])
                self.findings.add(said.told(table.source, *_marked(table.cell(begin, column)), related))
            yield texts[begin], table.without(column, range(begin, end))

    def _sweep(self, content: Toml, parts: int) -> Iterator[dict[str, str]]:
        """The values of each case of a sweep, by name; of a case without one no values, once."""
        written = content.value.get("sweep")
        if written is None:
            yield {}
            return
        entries = written.value.items() if isinstance(written.value, dict) else ()
        lists: list[list[str]] = []
        for _, entry in entries:
            values = entry.value if isinstance(entry.value, list) else []
            if not values or any(isinstance(value.value, (list, dict)) for value in values):
                self.report(entry, words.sweep_without_values())
            lists.append([cell_text(value.value) for value in values])
        if not lists:
            self.report(written, words.sweep_without_values())
        count = math.prod(map(len, lists)) if lists else 0
        if count * parts > MOST_SWEPT:
            self.report(written, words.sweep_too_large(count * parts, MOST_SWEPT))
            count = 0
        if not count:
            yield {}
            return
        for combination in product(*lists):
            yield dict(zip(written.value, combination, strict=True))

    def _reader(self, swept: Swept) -> RuleReader:
        from upright_block.cases.rulereader import RuleReader

        return RuleReader(self.source, self.findings, swept)

    def _driven(self, entry: Toml, swept: Swept) -> Iterator[Driven]:
        """The stimuli of a case, with the files that they name."""
        for pin, shape in self._reader(swept).stimuli(entry):
            named = _FILE.search(shape.text) if shape.text.lower().startswith("wave ") else None
            table = None
            if named is not None:
                place = Toml(None, shape.start, shape.end, shape.start, shape.end)
                table = self._vector_file(named[1] or named[2], place)
            yield Driven(pin, shape, table)

    def _given(self, content: Toml, path: str) -> list[Given]:
        """The values of a table; of a structure they stand in a table of their own."""
        if not isinstance(content.value, dict):
            self.report(content, words.given_not_table())
            return []
        found: list[Given] = []
        for key, entry in content.value.items():
            whole = f"{path}.{key}" if path else key
            if isinstance(entry.value, dict):
                found += self._given(entry, whole)
            else:
                found.append(Given(whole, entry, entry))
        return found

    def _vectors(self, entry: Toml) -> Table | None:
        if not isinstance(entry.value, str):
            self.report(entry, words.vectors_not_text())
            return None
        if "\n" in entry.value or "|" in entry.value or not entry.value.strip():
            return self._checked(inline_table(self.source, entry.value, Origin(self.source.text, entry)), entry)
        return self._vector_file(entry.value.strip(), entry)

    def _vector_file(self, name: str, place: Toml) -> Table | None:
        written, _, sheet = name.partition("#")
        suffix = Path(written).suffix.lower()
        if suffix in (".xls", ".ods", ".xlsm"):
            self.report(place, words.later_kind_of_file(suffix))
            return None
        if suffix not in (".csv", ".xlsx"):
            self.report(place, words.neither_table_nor_file(name))
            return None
        path = self.folder / written
        try:
            if suffix == ".csv":
                return self._checked(csv_table(self.files.read(self.folder / name)), place)
            found = self._sheet(self.files.book(path, names=False, findings=self.findings), sheet, place)
            return None if found is None else self._checked(sheet_table(found), place)
        except FileProblem as problem:
            if problem.name == "unreadable-file" and not os.path.exists(path):
                near = self.findings.did_you_mean(written, (p.name for p in self.folder.glob(f"*{suffix}")))
                self.report(place, words.missing_file(written, near))
            else:
                self.report(place, Words(problem.name, f"{name}: {problem}", problem.way_out))
            return None

    def _sheet(self, book: Book, name: str, place: Toml) -> Sheet | None:
        """The sheet of a workbook that is named, or the only one."""
        if not name and len(book.sheets) == 1:
            return next(iter(book.sheets.values()))
        found = next((sheet for title, sheet in book.sheets.items() if title.lower() == name.lower()), None)
        if found is None:
            near = self.findings.did_you_mean(name, book.sheets) if name else ""
            self.report(place, words.no_sheet(Path(book.path).name, name, list(book.sheets), near))
        return found

    def _checked(self, table: Table, place: Toml) -> Table:
        for flaw in table.flaws:
            self.findings.add(flaw.words.told(table.source, flaw.start, flaw.end))
        if not table.flaws and not table.heads:
            self.report(place, words.empty_table())
        elif not table.flaws and not table.rows:
            self.report(place, words.no_rows())
        return table


def _marked(cell: Cell) -> tuple[int, int]:
    return cell.start, max(cell.end, cell.start + 1)


def read_rule_file(source: Source, files: Files, findings: Findings) -> RuleFile | None:
    """Read the rules of a block; None, with findings, when nothing can be told of them."""
    return _Reader(source, "", files.root, files, findings).rule_file()


def read_case_file(source: Source, path: Path, stem: str, files: Files, findings: Findings) -> CaseFile | None:
    """Read a case file; None, with findings, when no case of it can be told from another.

    ``stem`` begins the names of its cases. A case with mistakes keeps its findings, so that it can be named.
    """
    return _Reader(source, stem, path.parent, files, findings).read()
