"""Reads rules, timing rows and stimuli; needed only by files that have some."""

from __future__ import annotations

import re
from collections.abc import Iterator

from upright_block.cases.cells import Check, parse_check, parse_span
from upright_block.cases.rules import Allowed, Occurrence, Phrase, Rule, TimingRow
from upright_block.cases.sweeping import Swept
from upright_block.cases.words import rules as words
from upright_block.cases.words import stimuli
from upright_block.language.literals import LiteralProblem
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings, Words
from upright_block.language.types import UDINT
from upright_block.library import Origin, Toml

_TABLE_KEYS = ("expr", "while", "after", "until")
_COLUMNS = ("name", "from", "to", "min", "max", "count", "after", "until")
_EVENT = re.compile(r"(.*\S)\s+(rises|falls|changes)\Z", re.IGNORECASE | re.DOTALL)
_ALLOWED = re.compile(r"(?:(.*?)(?:(?<=\S)\s*([+-])\s*))?(\d{1,6})\s*scans?\Z", re.IGNORECASE)


class RuleReader:
    """Reads the rules, the timing rows and the stimuli of a table of TOML, with the values of a sweep."""

    def __init__(self, source: Source, findings: Findings, swept: Swept) -> None:
        self.source = source
        self.findings = findings
        self.swept = swept

    def report(self, place: Phrase | Toml, said: Words) -> None:
        self.findings.add(said.told(self.source, place.start, max(place.end, place.start + 1)))

    def rules(self, content: Toml) -> list[Rule]:
        """The rules of a file or a case."""
        found: list[Rule] = []
        for kind in ("always", "never"):
            written = content.value.get(kind)
            if written is None:
                continue
            entries = written.value if isinstance(written.value, list) else [written]
            if not entries:
                self.report(written, words.no_rules(kind))
            for entry in entries:
                rule = self._rule(kind, entry)
                if rule is not None:
                    found.append(rule)
        return found

    def _rule(self, kind: str, entry: Toml) -> Rule | None:
        if isinstance(entry.value, str):
            expression = self._phrase(entry)
            return Rule(kind, expression, None, None, None) if expression else None
        if not isinstance(entry.value, dict) or "expr" not in entry.value:
            self.report(entry, words.no_rule(kind))
            return None
        parts: dict[str, Phrase | None] = {}
        for key, value in entry.value.items():
            if key not in _TABLE_KEYS:
                near = self.findings.did_you_mean(key, _TABLE_KEYS)
                place = Phrase(key, self.source, value.key_start, value.key_end, is_as_written=True)
                self.report(place, words.unknown_key_of_rule(key, near))
            elif not isinstance(value.value, str):
                self.report(value, words.no_expression(key))
                return None
            else:
                parts[key] = self._phrase(value)
                if parts[key] is None:
                    return None
        expression = parts["expr"]
        assert expression is not None
        return Rule(kind, expression, parts.get("while"), parts.get("after"), parts.get("until"))

    def _phrase(self, entry: Toml) -> Phrase | None:
        text = str(entry.value).strip()
        if not text:
            self.report(entry, words.empty_expression())
            return None
        begin = str(entry.value).index(text)
        return self._at(text, Origin(self.source.text, entry), begin)

    def _at(self, text: str, origin: Origin, begin: int) -> Phrase:
        """A part of a text of TOML."""
        start, end = origin(begin), origin(begin + len(text))
        made = self.swept.text(text)
        is_as_written = made == text and self.source.text.startswith(text, start)
        return Phrase(made, self.source, start, end, is_as_written)

    # --- timing ---

    def timing(self, entry: Toml) -> list[TimingRow]:
        """The rows of a table in which ``|`` separates the cells."""
        if not isinstance(entry.value, str):
            self.report(entry, words.timing_not_text())
            return []
        lines = list(self._lines(entry))
        if len(lines) < 2:
            self.report(entry, words.timing_without_rows())
            return []
        heads, *rows = lines
        names: list[str] = []
        begun = len(self.findings.items)
        for head in heads:
            name = head.text.lower()
            if name not in _COLUMNS:
                self.report(head, words.unknown_timing_column(head.text, self.findings.did_you_mean(name, _COLUMNS)))
            elif name in names:
                self.report(head, words.timing_column_twice(head.text))
            names.append(name)
        if "from" not in names and len(self.findings.items) == begun:
            self.report(heads[0], words.timing_without_from())
        if len(self.findings.items) > begun:
            return []
        found: list[TimingRow] = []
        seen: dict[str, Phrase] = {}
        for cells in rows:
            if len(cells) != len(names):
                self.report(cells[0], words.uneven_timing_row(len(cells), len(names)))
                continue
            row = self._row(dict(zip(names, cells, strict=True)))
            if row is None:
                continue
            if row.name.text.lower() in seen:
                self.report(row.name, words.timing_name_twice(row.name.text))
            seen[row.name.text.lower()] = row.name
            found.append(row)
        return found

    def stimuli(self, entry: Toml) -> list[tuple[Phrase, Phrase]]:
        """The pins and shapes of a table ``drive``."""
        if not isinstance(entry.value, str):
            self.report(entry, stimuli.drive_not_text())
            return []
        lines = list(self._lines(entry))
        if len(lines) < 2:
            self.report(entry, stimuli.drive_without_rows())
            return []
        heads, *rows = lines
        if [head.text.lower() for head in heads] != ["pin", "shape"]:
            self.report(heads[0], stimuli.drive_heads())
            return []
        found: list[tuple[Phrase, Phrase]] = []
        for cells in rows:
            if len(cells) != len(heads) or not all(cell.text for cell in cells):
                self.report(cells[0], stimuli.uneven_drive_row(len(cells)))
            else:
                found.append((cells[0], cells[1]))
        return found

    def _lines(self, entry: Toml) -> Iterator[list[Phrase]]:
        """The cells of each line that is neither empty nor a comment; one that is ``.`` is empty."""
        origin = Origin(self.source.text, entry)
        begin = 0
        for line in entry.value.split("\n"):
            if line.strip() and not line.strip().startswith("#"):
                cells: list[Phrase] = []
                start = begin
                for part in line.rstrip("\r").split("|"):
                    text = part.strip()
                    lead = len(part) - len(part.lstrip()) if text else 0
                    cells.append(self._at("" if text == "." else text, origin, start + lead))
                    start += len(part) + 1
                yield cells
            begin += len(line) + 1

    def _row(self, cells: dict[str, Phrase]) -> TimingRow | None:
        given = {name: cell for name, cell in cells.items() if cell.text}
        if "from" not in given:
            self.report(cells["from"], words.row_without_from())
            return None
        begin = self._event(given["from"])
        end = self._event(given["to"]) if "to" in given else None
        least, most = (self._allowed(given[name]) if name in given else None for name in ("min", "max"))
        count = self._count(given["count"]) if "count" in given else None
        if begin is None or any(
            name in given and made is None
            for name, made in (("to", end), ("min", least), ("max", most), ("count", count))
        ):
            return None
        if end is None and (least or most):
            self.report(given["min" if least else "max"], words.time_without_to())
            return None
        if end is None and count is None:
            self.report(given["from"], words.row_checks_nothing())
            return None
        if least and most and least.scans == most.scans and least.time > most.time:
            self.report(given["min"], words.min_above_max(least.text, most.text))
            return None
        name = given.get("name") or self._named(given)
        return TimingRow(name, begin, end, least, most, count, given.get("after"), given.get("until"))

    @staticmethod
    def _named(given: dict[str, Phrase]) -> Phrase:
        """A row without a name is called by its events."""
        first = given["from"]
        text = " to ".join(given[name].text for name in ("from", "to") if name in given)
        return Phrase(text, first.source, first.start, first.end, is_as_written=False)

    def _event(self, cell: Phrase) -> Occurrence | None:
        found = _EVENT.match(cell.text)
        if found is None:
            self.report(cell, words.no_event(cell.text))
            return None
        text = found[1]
        phrase = Phrase(text, cell.source, cell.start, cell.start + len(text), cell.is_as_written)
        edge = found[2].lower()
        return Occurrence(phrase, "rises" if edge == "rises" else "falls" if edge == "falls" else "changes")

    def _allowed(self, cell: Phrase) -> Allowed | None:
        """``5s``, ``5s+1scan``, ``500ms-1scan``, ``2scans``."""
        text, scans = cell.text, 0
        found = _ALLOWED.match(text)
        if found is not None:
            text = found[1] or "0"
            scans = int(found[3]) * (-1 if found[2] == "-" else 1)
        try:
            time = parse_span(text)
        except LiteralProblem as problem:
            self.report(cell, words.bad_time(problem))
            return None
        if time < 0:
            self.report(cell, words.time_below_zero(cell.text))
            return None
        return Allowed(time, scans, cell.text)

    def _count(self, cell: Phrase) -> Check | None:
        try:
            return parse_check(cell.text, UDINT)
        except LiteralProblem as problem:
            self.report(cell, words.bad_time(problem))
            return None
