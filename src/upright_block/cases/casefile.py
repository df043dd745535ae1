"""Case files as they are written: TOML, with every value at its place."""

from __future__ import annotations

import os
import re
from datetime import date
from pathlib import Path

from upright_block.cases.cells import parse_span
from upright_block.cases.table import Table, csv_table, inline_table
from upright_block.language.findings import Finding, Findings
from upright_block.language.literals import LiteralProblem, parse_date_and_time
from upright_block.language.nodes import record
from upright_block.language.source import Source
from upright_block.library import FileProblem, Files, Origin, Toml, TomlProblem, read_toml

SUBJECTS = ("block", "program", "configuration")
"""The keys that say what a case file is for."""
_FILE_KEYS = (*SUBJECTS, "scan", "case")
_CASE_KEYS = ("name", "given", "vectors", "run_for", "hold", "clock")
_LATER = {"timing": "timing tables", "always": "rules that always hold", "never": "rules that never hold"}
_CLOCK_WAY_OUT = 'Write clock = "2026-03-29-06:00:00".'


@record
class Given:
    """A value that a case sets before the first scan: a dotted path, and a text or a list of them."""

    path: str
    value: Toml
    key: Toml


@record
class Case:
    """One case. ``run_for`` is in ns, or None when the last row ends the case.

    ``clock`` is the wall clock at the start, in ns since 1970-01-01, or None where it does not matter.
    ``mistakes`` says that it has findings and cannot be run.
    """

    id: str
    name: str
    place: Toml
    given: tuple[Given, ...]
    vectors: Table | None
    run_for: int | None
    hold: bool
    clock: int | None
    mistakes: tuple[Finding, ...]


@record
class Subject:
    """What the cases of a file are for; ``kind`` is one of `SUBJECTS`."""

    kind: str
    name: str
    place: Toml


@record
class CaseFile:
    """The cases of one subject. ``scan`` is in ns, or None where the tasks of a configuration say it.

    ``mistakes`` are those that keep all of its cases from running.
    """

    source: Source
    subject: Subject
    scan: int | None
    scan_place: Toml
    cases: tuple[Case, ...]
    mistakes: tuple[Finding, ...]


class _Reader:
    """Reads one case file and reports what is wrong in it."""

    def __init__(self, source: Source, stem: str, folder: Path, files: Files, findings: Findings) -> None:
        self.source = source
        self.stem = stem
        self.folder = folder
        self.files = files
        self.findings = findings

    def report(self, name: str, place: Toml, message: str, way_out: str, *, key: bool = False) -> None:
        start, end = (place.key_start, place.key_end) if key else (place.start, place.end)
        line_end = self.source.text.find("\n", start)
        self.findings.add(
            Finding(name, self.source, start, min(end, line_end) if line_end >= 0 else end, message, way_out)
        )

    def read(self) -> CaseFile | None:
        try:
            content = read_toml(self.source.text)
        except TomlProblem as problem:
            self.findings.add(
                Finding(
                    "bad-toml",
                    self.source,
                    problem.start,
                    problem.start + 1,
                    f"The file is not valid TOML: {problem}.",
                    'Texts stand in quotes, tables of rows between """ and """.',
                )
            )
            return None
        begun = len(self.findings.items)
        self._check_keys(content, _FILE_KEYS, "A case file")
        subject = self._subject(content)
        scan = self._duration(content, "scan")
        if "scan" not in content.value and subject.kind != "configuration":
            self.report(
                "missing-key",
                content,
                "The case file does not say how long a scan is.",
                'Write scan = "100ms" before the first [[case]].',
            )
        mistakes = tuple(self.findings.items[begun:])
        listed = content.value.get("case", Toml([], 0, 0, 0, 0))
        if not isinstance(listed.value, list) or not all(isinstance(c.value, dict) for c in listed.value):
            self.report("wrong-kind", listed, "Cases are written as tables.", "Begin each with a line [[case]].")
            return None
        if not listed.value:
            self.report("no-cases", content, "The file holds no case.", "Begin one with a line [[case]].")
        cases: list[Case] = []
        seen: set[str] = set()
        for index, case in enumerate(listed.value):
            cases.append(self._case(case, index, seen))
        return CaseFile(self.source, subject, scan, content.value.get("scan", content), tuple(cases), mistakes)

    def _subject(self, content: Toml) -> Subject:
        """What the file is for."""
        found = [key for key in content.value if key in SUBJECTS]
        if not found:
            self.report(
                "missing-key",
                content,
                "The case file does not name its block.",
                'Write block = "Name" in its first line.',
            )
            return Subject("block", "", content)
        if len(found) > 1:
            self.report(
                "two-subjects",
                content.value[found[1]],
                f"The case file is for a {found[0]} and for a {found[1]}.",
                "Keep one of the two; write a file for the other.",
                key=True,
            )
        return Subject(found[0], self._text(content, found[0]) or "", content.value[found[0]])

    def _check_keys(self, content: Toml, known: tuple[str, ...], what: str) -> None:
        for key, entry in content.value.items():
            if key in known:
                continue
            if key in _LATER:
                self.report(
                    "not-supported",
                    entry,
                    f"{key}: {_LATER[key]} are not read by this version.",
                    "Remove it, or check with vectors.",
                    key=True,
                )
            else:
                hint = self.findings.did_you_mean(key, known) or f"Its keys are {', '.join(known)}."
                self.report("unknown-key", entry, f"{what} has no key {key}.", hint, key=True)

    def _text(self, content: Toml, key: str) -> str | None:
        entry = content.value.get(key)
        if entry is None:
            return None
        if not isinstance(entry.value, str) or not entry.value.strip():
            self.report("wrong-kind", entry, f"{key} is not a name.", f'Write {key} = "...".')
            return None
        return entry.value.strip()

    def _duration(self, content: Toml, key: str) -> int | None:
        """A duration above zero, in ns."""
        entry = content.value.get(key)
        if entry is None:
            return None
        if not isinstance(entry.value, str):
            number = entry.value if isinstance(entry.value, (int, float)) and not isinstance(entry.value, bool) else 1
            example = f"{number}ms" if key == "scan" else f"{number}s"
            self.report(
                "wrong-kind",
                entry,
                f"{key} is a duration in quotes, with its unit.",
                f'Write {key} = "{example}", or another unit.',
            )
            return None
        try:
            found = parse_span(entry.value)
        except LiteralProblem as problem:
            self.report("bad-literal", entry, str(problem), problem.way_out)
            return None
        if found <= 0:
            what = "A scan takes" if key == "scan" else "A run takes"
            self.report("out-of-range", entry, f"{what} longer than nothing.", 'Write a duration such as "100ms".')
            return None
        return found

    def _clock(self, content: Toml) -> int | None:
        """The wall clock at the start of a case."""
        entry = content.value.get("clock")
        if entry is None:
            return None
        if not isinstance(entry.value, (str, date)):
            self.report("wrong-kind", entry, "clock is a date and time.", _CLOCK_WAY_OUT)
            return None
        prefix, mark, rest = str(entry.value).rpartition("#")
        if mark and prefix.upper() not in ("DT", "DATE_AND_TIME", "LDT", "LDATE_AND_TIME", "D", "DATE", "LD", "LDATE"):
            self.report("bad-literal", entry, f"{entry.value} is no date and time.", _CLOCK_WAY_OUT)
            return None
        try:
            moment = re.sub(r"(?<=\d)[T ](?=\d)", "-", rest)
            return parse_date_and_time(moment if ":" in moment else f"{moment}-00:00:00")
        except LiteralProblem as problem:
            self.report("bad-literal", entry, str(problem), problem.way_out)
            return None

    def _case(self, content: Toml, index: int, seen: set[str]) -> Case:
        begun = len(self.findings.items)
        self._check_keys(content, _CASE_KEYS, "A case")
        name = self._text(content, "name")
        if "name" not in content.value:
            self.report("missing-key", content, "This case has no name.", 'Write name = "what it shows".')
        run_for = self._duration(content, "run_for")
        hold = content.value.get("hold")
        if hold is not None and not isinstance(hold.value, bool):
            self.report("wrong-kind", hold, "hold is true or false.", "Write hold = true.")
        clock = self._clock(content)
        given = self._given(content.value["given"], "") if "given" in content.value else []
        vectors = self._vectors(content.value["vectors"]) if "vectors" in content.value else None
        if not any(key in content.value for key in ("vectors", "run_for", *_LATER)):
            self.report(
                "missing-key",
                content,
                "This case does nothing: it has neither vectors nor run_for.",
                'Write vectors = """ ... """ below its name.',
            )
        place = content.value.get("name", content)
        if name is not None and name.lower() in seen:
            self.report("name-twice", place, f'Two cases are called "{name}".', "Give each case a name of its own.")
        seen.add((name or "").lower())
        mistakes = tuple(self.findings.items[begun:])
        shown = name or f"case {index + 1}"
        return Case(
            f"{self.stem}/{shown}",
            shown,
            place,
            tuple(given),
            vectors,
            run_for,
            hold is not None and hold.value is True,
            clock,
            mistakes,
        )

    def _given(self, content: Toml, path: str) -> list[Given]:
        """The values of a table; of a structure they stand in a table of their own."""
        if not isinstance(content.value, dict):
            self.report("wrong-kind", content, "given is a table of values.", 'Write given = { pin = "value" }.')
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
            self.report(
                "wrong-kind",
                entry,
                "vectors is a table in quotes, or the name of a file.",
                'Write vectors = """ ... """.',
            )
            return None
        if "\n" in entry.value or "|" in entry.value or not entry.value.strip():
            return self._checked(inline_table(self.source, entry.value, Origin(self.source.text, entry)), entry)
        return self._vector_file(entry.value.strip(), entry)

    def _vector_file(self, name: str, place: Toml) -> Table | None:
        suffix = Path(name).suffix.lower()
        if suffix in (".xlsx", ".xls", ".ods"):
            self.report(
                "not-supported",
                place,
                f"{suffix} files are not read by this version.",
                "Save the sheet as CSV, and name that file.",
            )
            return None
        if suffix != ".csv":
            self.report(
                "wrong-kind",
                place,
                f"{name} is neither a table of several lines nor the name of a CSV file.",
                'Write the table between """ and """, or name a .csv file.',
            )
            return None
        path = self.folder / name
        try:
            source = self.files.read(path)
        except FileProblem as problem:
            if problem.name == "unreadable-file" and not os.path.exists(path):
                near = self.findings.did_you_mean(name, (p.name for p in self.folder.glob("*.csv")))
                self.report(
                    "missing-file",
                    place,
                    f"There is no file {name} beside the case file.",
                    near or "Correct the name, or write the file.",
                )
            else:
                self.report(problem.name, place, f"{name}: {problem}", problem.way_out)
            return None
        return self._checked(csv_table(source), place)

    def _checked(self, table: Table, place: Toml) -> Table:
        for flaw in table.flaws:
            self.findings.add(Finding(flaw.name, table.source, flaw.start, flaw.end, flaw.message, flaw.way_out))
        if not table.flaws and not table.heads:
            self.report(
                "empty-table", place, "The table is empty.", "Write a line of column names, then a line for each row."
            )
        elif not table.flaws and not table.rows:
            self.report(
                "empty-table", place, "The table has no rows.", "Write a line for each row below the column names."
            )
        return table


def read_case_file(source: Source, path: Path, stem: str, files: Files, findings: Findings) -> CaseFile | None:
    """Read a case file; None, with findings, when no case of it can be told from another.

    ``stem`` begins the names of its cases. A case with mistakes keeps its findings, so that it can be named.
    """
    return _Reader(source, stem, path.parent, files, findings).read()
