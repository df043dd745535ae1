"""Case files as they are written: TOML, with every value at its place."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any

from upright_block.cases.table import Table, csv_table, inline_table
from upright_block.cases.toml_places import Path as TomlPath
from upright_block.cases.toml_places import Place, content_start, toml_places
from upright_block.language.findings import Finding, Findings
from upright_block.language.literals import LiteralProblem, parse_date_and_time, parse_duration
from upright_block.language.names import did_you_mean
from upright_block.language.source import Source
from upright_block.library import read_source

_FILE_KEYS = ("block", "scan", "case")
_CASE_KEYS = ("name", "given", "vectors", "run_for", "hold", "clock")
_LATER = {
    "program": "cases of programs",
    "configuration": "cases of configurations",
    "timing": "timing tables",
    "always": "rules that always hold",
    "never": "rules that never hold",
}
_POSITION = re.compile(r"\s*\(at line (\d+), column (\d+)\)")


@dataclass(frozen=True, slots=True)
class Given:
    """A value that a case sets before the first scan: a dotted path, and the text of the value."""

    path: str
    text: str
    place: Place


@dataclass(frozen=True, slots=True)
class Case:
    """One case. ``run_for`` is in ns, or None when the last row ends the case.

    ``clock`` is the wall clock at the start, in ns since 1970-01-01, or None where it does not matter.
    """

    name: str
    place: Place
    given: tuple[Given, ...]
    vectors: Table | None
    run_for: int | None
    hold: bool
    clock: int | None


@dataclass(frozen=True, slots=True)
class CaseFile:
    """The cases of one unit. ``scan`` is in ns; ``unusable`` counts the cases left out for their mistakes."""

    source: Source
    stem: str
    block: str
    block_place: Place
    scan: int
    cases: tuple[Case, ...]
    unusable: int


class _Reader:
    """Reads one case file and reports what is wrong in it."""

    def __init__(self, source: Source, folder: Path, root: Path, findings: Findings) -> None:
        self.source = source
        self.folder = folder
        self.root = root
        self.findings = findings
        self.places: dict[TomlPath, Place] = {}

    def report(self, name: str, place: Place, message: str, way_out: str = "", *, key: bool = False) -> None:
        start, end = (place.key_start, place.key_end) if key else (place.start, place.end)
        line_end = self.source.text.find("\n", start)
        self.findings.add(
            Finding(name, self.source, start, min(end, line_end) if line_end >= 0 else end, message, way_out)
        )

    def read(self) -> CaseFile | None:
        try:
            content = tomllib.loads(self.source.text)
        except tomllib.TOMLDecodeError as problem:
            self._bad_toml(problem)
            return None
        self.places = toml_places(self.source.text)
        self._check_keys(content, (), _FILE_KEYS, "A case file")
        whole = Place(0, 0, 0, 0)
        block = self._text(content, ("block",), "block", whole)
        scan = self._duration(content, ("scan",), "scan") if "scan" in content else None
        if "scan" not in content:
            self.report(
                "missing-key",
                whole,
                "The case file does not say how long a scan is.",
                'Write scan = "100ms" before the first [[case]].',
            )
        elif scan is not None and scan <= 0:
            self.report(
                "out-of-range",
                self.places[("scan",)],
                "A scan takes longer than nothing.",
                'Write a duration such as "100ms".',
            )
            scan = None
        if "block" not in content and not any(later in content for later in _LATER):
            self.report(
                "missing-key",
                whole,
                "The case file does not name its block.",
                'Write block = "Name" in its first line.',
            )
        cases = content.get("case", [])
        if not isinstance(cases, list) or not all(isinstance(c, dict) for c in cases):
            self.report(
                "wrong-kind",
                self.places.get(("case",), whole),
                "Cases are written as tables.",
                "Begin each with a line [[case]].",
            )
            return None
        if not cases:
            self.report("no-cases", whole, "The file holds no case.", "Begin one with a line [[case]].")
        if block is None or scan is None:
            return None
        read = [self._case(case, index) for index, case in enumerate(cases)]
        self._check_names([case for case in read if case])
        place = self.places.get(("block",), whole)
        return CaseFile(
            self.source,
            Path(self.source.path).stem,
            block,
            place,
            scan,
            tuple(c for c in read if c),
            read.count(None),
        )

    def _bad_toml(self, problem: tomllib.TOMLDecodeError) -> None:
        text = str(problem)
        position = _POSITION.search(text)
        at = max(len(self.source.text.rstrip()) - 1, 0)
        if position:
            at = self.source.line_start(int(position[1])) + int(position[2]) - 1
        message = _POSITION.sub("", text).replace(" (at end of document)", ", and the file ends")
        self.findings.add(
            Finding(
                "bad-toml",
                self.source,
                at,
                at + 1,
                f"The file is not valid TOML: {message}.",
                'Texts stand in quotes, tables of rows between """ and """.',
            )
        )

    def _check_keys(
        self, content: Mapping[str, Any], path: TomlPath, known: tuple[str, ...], what: str
    ) -> None:
        for key in content:
            place = self.places.get((*path, key), Place(0, 0, 0, 0))
            if key in known:
                continue
            if key in _LATER:
                self.report(
                    "not-supported",
                    place,
                    f"{key}: {_LATER[key]} are not read by this version.",
                    "Remove it, or check with vectors.",
                    key=True,
                )
            else:
                hint = did_you_mean(key, known) or f"Its keys are {', '.join(known)}."
                self.report("unknown-key", place, f"{what} has no key {key}.", hint, key=True)

    def _check_names(self, cases: list[Case]) -> None:
        seen: set[str] = set()
        for case in cases:
            if case.name.lower() in seen:
                self.report(
                    "name-twice",
                    case.place,
                    f'Two cases are called "{case.name}".',
                    "Give each case a name of its own.",
                )
            seen.add(case.name.lower())

    def _text(self, content: Mapping[str, Any], path: TomlPath, what: str, default: Place) -> str | None:
        value = content.get(str(path[-1]))
        if value is None:
            return None
        if not isinstance(value, str) or not value.strip():
            self.report(
                "wrong-kind",
                self.places.get(path, default),
                f"{what} is not a name.",
                f'Write {path[-1]} = "...".',
            )
            return None
        return value.strip()

    def _duration(self, content: Mapping[str, Any], path: TomlPath, what: str) -> int | None:
        value = content[str(path[-1])]
        place = self.places[path]
        if not isinstance(value, str):
            self.report(
                "wrong-kind",
                place,
                f"{what} is a duration in quotes.",
                f'Write {path[-1]} = "{value}s" or another unit.',
            )
            return None
        try:
            return parse_duration(value.strip().partition("#")[2] or value.strip())
        except LiteralProblem as problem:
            self.report("bad-literal", place, str(problem), problem.way_out)
            return None

    def _clock(self, content: Mapping[str, Any], path: TomlPath) -> int | None:
        """The wall clock at the start of a case."""
        value, place = content["clock"], self.places[path]
        if not isinstance(value, (str, date)):
            self.report(
                "wrong-kind", place, "clock is a date and time.", 'Write clock = "2026-03-29-06:00:00".'
            )
            return None
        try:
            moment = re.sub(r"(?<=\d)[T ](?=\d)", "-", str(value)).rpartition("#")[2]
            return parse_date_and_time(moment if ":" in moment else f"{moment}-00:00:00")
        except LiteralProblem as problem:
            self.report("bad-literal", place, str(problem), problem.way_out)
            return None

    def _case(self, content: Mapping[str, Any], index: int) -> Case | None:
        path: TomlPath = ("case", index)
        place = self.places[path]
        before = len(self.findings.items)
        self._check_keys(content, path, _CASE_KEYS, "A case")
        name = self._text(content, (*path, "name"), "name", place)
        if "name" not in content:
            self.report("missing-key", place, "This case has no name.", 'Write name = "what it shows".')
        run_for = self._duration(content, (*path, "run_for"), "run_for") if "run_for" in content else None
        hold = content.get("hold", False)
        if not isinstance(hold, bool):
            self.report(
                "wrong-kind", self.places[(*path, "hold")], "hold is true or false.", "Write hold = true."
            )
        clock = self._clock(content, (*path, "clock")) if "clock" in content else None
        given = self._given(content.get("given", {}), (*path, "given"))
        vectors = self._vectors(content["vectors"], (*path, "vectors")) if "vectors" in content else None
        if "vectors" not in content and "run_for" not in content and not any(k in content for k in _LATER):
            self.report(
                "missing-key",
                place,
                "This case does nothing: it has neither vectors nor run_for.",
                "Give it vectors.",
            )
        if name is None or any(f.severity == "error" for f in self.findings.items[before:]):
            return None
        name_place = self.places[(*path, "name")]
        return Case(name, name_place, given, vectors, run_for, hold is True, clock)

    def _given(self, content: Any, path: TomlPath) -> tuple[Given, ...]:
        if not isinstance(content, dict):
            self.report(
                "wrong-kind",
                self.places[path],
                "given is a table of values.",
                'Write given = { pin = "value" }.',
            )
            return ()
        found: list[Given] = []
        for key, value in content.items():
            if isinstance(value, dict):
                found += [Given(f"{key}.{g.path}", g.text, g.place) for g in self._given(value, (*path, key))]
                continue
            place = self.places[(*path, key)]
            if isinstance(value, (bool, int, float, str)):
                found.append(
                    Given(key, str(value).upper() if isinstance(value, bool) else str(value).strip(), place)
                )
            else:
                self.report("wrong-kind", place, f"{key} takes one value.", f'Write {key} = "value".')
        return tuple(found)

    def _vectors(self, value: Any, path: TomlPath) -> Table | None:
        place = self.places[path]
        if not isinstance(value, str):
            self.report(
                "wrong-kind",
                place,
                "vectors is a table in quotes, or the name of a file.",
                'Write vectors = """ ... """.',
            )
            return None
        if "\n" in value or "|" in value or not value.strip():
            raw = self.source.text[content_start(self.source.text, place) : place.end].rstrip("\"'")
            return self._checked(
                inline_table(self.source, raw, content_start(self.source.text, place)), place
            )
        return self._vector_file(value.strip(), place)

    def _vector_file(self, name: str, place: Place) -> Table | None:
        path = self.folder / name
        suffix = path.suffix.lower()
        if suffix in (".xlsx", ".xls", ".ods"):
            self.report(
                "not-supported",
                place,
                f"{suffix} files are not read by this version.",
                "Save the sheet as CSV.",
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
        if not path.is_file():
            near = did_you_mean(name, [p.name for p in self.folder.glob("*.csv")])
            self.report(
                "missing-file",
                place,
                f"There is no file {name} beside the case file.",
                near or "Correct the name, or write the file.",
            )
            return None
        source = read_source(path, self.root, self.findings)
        return None if source is None else self._checked(csv_table(source), place)

    def _checked(self, table: Table, place: Place) -> Table | None:
        if not table.heads:
            self.report(
                "empty-table",
                place,
                "The table is empty.",
                "Write a line of column names, then a line for each row.",
            )
            return None
        for row in table.uneven:
            count, wanted = len(row), len(table.heads)
            more = "more" if count > wanted else "fewer"
            self.findings.add(
                Finding(
                    "uneven-row",
                    table.source,
                    row[0].start,
                    row[-1].end,
                    f"The row has {count} cells, {more} than the {wanted} columns ({' '.join(h.text for h in table.heads)}).",
                    "Write . for an empty cell." if count < wanted else "Remove a cell, or name its column.",
                )
            )
        if not table.rows and not table.uneven:
            self.report(
                "empty-table", place, "The table has column names and no rows.", "Write a line for each row."
            )
        return None if table.uneven or not table.rows else table


def read_case_file(path: Path, root: Path, findings: Findings) -> CaseFile | None:
    """Read a case file; None when too little of it can be used. All mistakes become findings.

    Cases with mistakes are left out of the result.
    """
    source = read_source(path, root, findings)
    return None if source is None else _Reader(source, path.parent, root, findings).read()
