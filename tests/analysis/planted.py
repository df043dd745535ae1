"""Mistakes planted by rule into the example library, and who sees them: the check, the cases, the mapping test, or
nobody.

``python -m tests.analysis.planted 500`` plants so many, spread evenly over all that the rules can make, and prints a
table.
"""

from __future__ import annotations

import random
import re
import shutil
import sys
import tempfile
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from itertools import pairwise
from pathlib import Path
from typing import NamedTuple

from tests.helpers import EXAMPLES

DEMO = EXAMPLES / "demo"
Files = dict[str, str]
SEERS = ("check", "verify", "walk", "nobody")


class Mistake(NamedTuple):
    """What was done to a file: by which rule, where, and the text of it then."""

    rule: str
    path: str
    line: int
    shown: str
    text: str


def sources() -> Files:
    """The sources and tables of the example, by path."""
    found = [
        *DEMO.glob("blocks/*.st"),
        *DEMO.glob("programs/*.st"),
        *DEMO.glob("wiring/*.csv"),
        *DEMO.glob("tags/*.csv"),
    ]
    return {path.relative_to(DEMO).as_posix(): path.read_text(encoding="utf-8") for path in sorted(found)}


def _body(text: str) -> tuple[int, int]:
    """Where the statements of the first unit of a source are."""
    begin = text.rfind("END_VAR") + len("END_VAR")
    return begin, text.find("END_FUNCTION_BLOCK", begin) if "FUNCTION_BLOCK" in text else len(text)


def _names(text: str, section: str, type_: str) -> list[str]:
    """The variables of one type in one kind of section."""
    found: list[str] = []
    for part in re.findall(rf"(?ms)^{section}$(.*?)^END_VAR", text):
        found += re.findall(rf"(?m)^ *(\w+) *: *{type_}\b", part)
    return found


def _swapped(path: str, rule: str, text: str, start: int, end: int, new: str) -> Mistake:
    changed = text[:start] + new + text[end:]
    line = text.count("\n", 0, start)
    return Mistake(rule, path, line + 1, changed.split("\n")[line].strip()[:90], changed)


def _matches(pattern: str, text: str) -> Iterator[re.Match[str]]:
    begin, end = _body(text)
    for match in re.finditer(pattern, text):
        line = text[text.rfind("\n", 0, match.start()) + 1 : match.start()]
        if begin <= match.start() < end and "//" not in line:
            yield match


def in_source(path: str, text: str) -> Iterator[Mistake]:
    """What can go wrong in a source."""
    flags = [*_names(text, "VAR_INPUT", "BOOL"), *_names(text, "VAR", "BOOL"), *_names(text, "VAR_OUTPUT", "BOOL")]
    for name in flags:
        for match in _matches(rf"(?:(NOT) )?(?<![\w.])({name})\b(?! *:=)(?! *=>)", text):
            new = name if match[1] else f"NOT {name}"
            yield _swapped(path, "invert a contact", text, match.start(), match.end(), new)
    for match in _matches(r"\b(AND|OR)\b", text):
        yield _swapped(path, "AND for OR", text, *match.span(), "OR" if match[1] == "AND" else "AND")
    for match in _matches(r"(?m)^( *)(\w+\([^;]*\);)", text):
        for flag in flags[:2]:
            new = f"{match[1]}IF {flag} THEN\n{match[1]}    {match[2]}\n{match[1]}END_IF"
            yield _swapped(path, "call in a branch", text, *match.span(), new)
        yield _swapped(path, "call left out", text, *match.span(), "")
        yield _swapped(path, "call twice", text, *match.span(), f"{match[0]}\n{match[0]}")
    for match in _matches(r"(?ms)^( *)ELSE\n(.*?)(?=^\1END_)", text):
        yield _swapped(path, "drop an ELSE", text, *match.span(), "")
    for match in _matches(r"(?m)^ *[\w.\[\]]+ := [^;]*;", text):
        yield _swapped(path, "statement left out", text, *match.span(), "")
        target = match[0].split(":=")[0].strip()
        if target in _names(text, "VAR_OUTPUT", "BOOL"):
            _, end = _body(text)
            other = next((flag for flag in flags if flag != target), "TRUE")
            yield _swapped(path, "duplicate a coil", text, end, end, f"{target} := {other};\n")
    for match in _matches(r"\b[A-Za-z_]\w{3,}\b(?=[.( ;)])", text):
        if match[0].upper() != match[0]:
            middle = len(match[0]) // 2
            yield _swapped(path, "misspell", text, *match.span(), match[0][:middle] + match[0][middle + 1 :])
    for match in _matches(r", PT := \w+", text):
        yield _swapped(path, "preset left out", text, *match.span(), "")
    for match in _matches(r"(?<=[<>] )(\w+)|([<>]) (?=\w)", text):
        if match[2]:
            yield _swapped(
                path, "comparison turned", text, match.start(2), match.end(2), "<" if match[2] == ">" else ">"
            )
    states = re.findall(r"(?m)^ *([A-Z]+) *: INT := ", text)
    for match in _matches(r"(?<=:= )[A-Z]{4,}(?=;)", text):
        for state in states:
            if match[0] in states and state != match[0]:
                yield _swapped(path, "another state", text, *match.span(), state)
    for match in _matches(r"(?m)^    [A-Z]+:\n(?:        .*\n)+", text):
        yield _swapped(path, "branch left out", text, *match.span(), "")
    instances = [*_names(text, "VAR", "TON"), *_names(text, "VAR", "R_TRIG"), *_names(text, "VAR", "TP")]
    kinds = {name: re.search(rf"\b{name} *: *(\w+)", text) for name in instances}
    for name in instances:
        for other in instances:
            one, two = kinds[name], kinds[other]
            if one and two and one[1] == two[1] and name != other:
                for match in _matches(rf"\b{name}\b", text):
                    yield _swapped(path, "reuse an instance", text, *match.span(), other)
    for match in _matches(r"\b([a-z_]+)([12])\b", text):
        other = match[1] + ("2" if match[2] == "1" else "1")
        if other in text:
            yield _swapped(path, "copying slip", text, *match.span(), other)
    for match in re.finditer(r"(?m)^    PROGRAM \w+ WITH \w+ : \w+;\n", text):
        yield _swapped(path, "program without a task", text, *match.span(), "")
    for match in _matches(r"\b(sun|north_status|south_status|north_actual|screen_draw|screen_pull)\b(?! *:=)", text):
        twin = {"north_status": "south_status", "south_status": "north_status", "screen_draw": "screen_pull"}.get(
            match[0]
        )
        if twin is not None:
            yield _swapped(path, "another tag", text, *match.span(), twin)


def in_table(path: str, text: str) -> Iterator[Mistake]:
    """What can go wrong in a table of tags or of instances."""
    is_tags = path.startswith("tags/")
    for match in re.finditer(r"%([IQ])([XW])(\d+)(\.\d)?", text):
        if is_tags:
            number = int(match[3]) + 2
            new = f"%{match[1]}{match[2]}{number}{match[4] or ''}"
            yield _swapped(path, "point off by one", text, *match.span(), new)
    for match in re.finditer(r",NC,", text):
        yield _swapped(path, "contact read as NO", text, *match.span(), ",,")
    for match in re.finditer(r"(?m)^(\w+)(?=,%)", text):
        if is_tags:
            yield _swapped(path, "misspell a tag", text, *match.span(), match[0][:-2] + match[0][-1])
    if is_tags:
        return
    for match in re.finditer(r"\{(\d+)\.\.12\}", text):
        low, width = int(match[1]), len(match[1])
        yield _swapped(path, "copying slip", text, *match.span(), f"{{{low + 1:0{width}}..13}}")
    for match in re.finditer(r"(?<=,)(NOT )?((?:bay\{1\.\.12\}|Wish|Warm|Dry)[\w.{}]+)(?=[, ])", text):
        new = match[2] if match[1] else f"NOT {match[2]}"
        yield _swapped(path, "invert a contact", text, *match.span(), new)
    for line in re.finditer(r"(?m)^\d+,.*$", text):
        yield _swapped(path, "row left out", text, line.start(), line.end() + 1, "")
        cells = line[0].split(",")
        filled = [n for n, cell in enumerate(cells) if n > 2 and cell and n < len(cells) - 1]
        for a, b in pairwise(filled) if cells[2] not in ("OR", "AND") else ():  # which any order does not change
            turned = list(cells)
            turned[a], turned[b] = cells[b], cells[a]
            yield _swapped(path, "cells exchanged", text, *line.span(), ",".join(turned))
        for n in filled:
            emptied = [*cells[:n], "", *cells[n + 1 :]]
            yield _swapped(path, "cell left empty", text, *line.span(), ",".join(emptied))


def mistakes() -> list[Mistake]:
    """All that the rules can make, each once."""
    found: dict[tuple[str, str], Mistake] = {}
    for path, text in sources().items():
        make: Callable[[str, str], Iterator[Mistake]] = in_source if path.endswith(".st") else in_table
        for mistake in make(path, text):
            if mistake.text != text:
                found.setdefault((path, mistake.text), mistake)
    return list(found.values())


def chosen(count: int, seed: int = 1) -> list[Mistake]:
    """So many of them: of each rule in turn, until there are no more."""
    by_rule: dict[str, list[Mistake]] = {}
    for mistake in mistakes():
        by_rule.setdefault(mistake.rule, []).append(mistake)
    picked: list[Mistake] = []
    draw = random.Random(seed)
    for listed in by_rule.values():
        draw.shuffle(listed)
    while len(picked) < count and any(by_rule.values()):
        picked += [listed.pop() for listed in by_rule.values() if listed]
    return picked[:count]


def seen_by(mistake: Mistake) -> tuple[str, str]:
    """Who sees a mistake first, and what the check says where it is that."""
    from upright_block import open_library

    with tempfile.TemporaryDirectory() as place:
        root = Path(place) / "demo"
        shutil.copytree(DEMO, root)
        (root / mistake.path).write_text(mistake.text, encoding="utf-8")
        library = open_library(root)
        found = library.check().findings
        if found:
            return "check", found[0].name
        if any(verdict.status in ("failed", "fault") for verdict in library.run(jobs=1)) or library.not_run:
            return "verify", ""
        return ("walk", "") if library.is_wrong(library.walk()) else ("nobody", "")


def main(count: int) -> None:
    """Plant so many mistakes and print who saw them."""
    picked = chosen(count)
    with ProcessPoolExecutor() as pool:
        answers = list(pool.map(seen_by, picked, chunksize=4))
    table: dict[str, Counter[str]] = {}
    for mistake, (seer, _) in zip(picked, answers, strict=True):
        table.setdefault(mistake.rule, Counter())[seer] += 1
    print(f"{'rule':<24}" + "".join(f"{seer:>8}" for seer in SEERS))
    for rule, counts in sorted(table.items()):
        print(f"{rule:<24}" + "".join(f"{counts[seer] or '':>8}" for seer in SEERS))
    whole = Counter(seer for seer, _ in answers)
    print(f"{'all ' + str(len(picked)):<24}" + "".join(f"{whole[seer]:>8}" for seer in SEERS))
    for mistake, (seer, _) in zip(picked, answers, strict=True):
        if seer == "nobody":
            print(f"{mistake.path}:{mistake.line}  {mistake.rule}: {mistake.shown}")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 500)
