"""Tables and TOML with their places."""

from __future__ import annotations

import io
import tomllib
from csv import QUOTE_ALL
from csv import writer as csv_writer
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.helpers import write_files
from upright_block import open_library
from upright_block.language.source import Source
from upright_block.library import Origin, Toml, TomlProblem, read_toml
from upright_block.library.table import Table, csv_table, inline_table


def texts(table: Table) -> list[list[str]]:
    """The heads, then the rows."""
    return [[h.text for h in table.heads], *map(list, zip(*table.columns, strict=True))]


def inline(text: str) -> Table:
    return inline_table(Source("t", text), text, lambda index: index)


def csv(text: str) -> Table:
    return csv_table(Source("t", text))


def flaws(table: Table) -> list[tuple[str, str]]:
    """What is wrong with a table: the name of the finding and what is marked."""
    return [(flaw.words.name, table.source.text[flaw.start : flaw.end]) for flaw in table.flaws]


def test_an_inline_table_splits_at_white_space_and_rulers_mean_nothing() -> None:
    table = inline("at | open  at_open|opening\n\n0s|0 .|  0\n# a comment\n  1s 1 16#FF | .\n")
    assert texts(table) == [["at", "open", "at_open", "opening"], ["0s", "0", "", "0"], ["1s", "1", "16#FF", ""]]


@pytest.mark.parametrize("blank", ["", " | ", "\t", "\x85", "\u2028", "\u00a0|\x1f", "\r"])
def test_a_line_without_cells_is_no_row(blank: str) -> None:
    assert texts(inline(f"a b\n{blank}\n1 2\n")) == [["a", "b"], ["1", "2"]]


def test_a_word_of_a_role_belongs_to_the_next_name() -> None:
    table = inline("at set state force  open pin set done\n0s 1 1 1 1\n")
    assert [h.text for h in table.heads] == ["at", "set state", "force open", "pin set", "done"]
    assert table.flaws == []


def test_quoted_cells_may_hold_spaces() -> None:
    assert texts(inline('a b\n\'x y\' "$"z"\n'))[1] == ["'x y'", '"$"z"']


def test_rows_of_another_length_are_told() -> None:
    table = inline("a b\n1 2\n1\n1 2 3\n")
    assert (table.rows, flaws(table)) == (1, [("uneven-row", "1"), ("uneven-row", "1 2 3")])


@pytest.mark.parametrize("delimiter", [",", ";", "\t"])
@pytest.mark.parametrize("end", ["\n", "\r\n"])
def test_csv_with_any_usual_delimiter_and_line_end(delimiter: str, end: str) -> None:
    rows = (["at", " open ", "done"], ["0s", "1", ""], ["", "", ""], ["1s", ".", "0"])
    table = csv(end.join(delimiter.join(row) for row in rows) + end)
    assert texts(table) == [["at", "open", "done"], ["0s", "1", ""], ["1s", "", "0"]]


def test_csv_with_quotes_and_spare_delimiters() -> None:
    table = csv('at,"set  x",y,,\n"0s","1",2,,\n1s,".",3\n')
    assert texts(table) == [["at", "set x", "y"], ["0s", "1", "2"], ["1s", "", "3"]]
    assert table.source.text[table.cell(1, 1).start : table.cell(1, 1).end] == '"."'


def test_the_delimiter_is_what_stands_between_the_heads_outside_of_brackets_and_quotes() -> None:
    assert texts(csv("a;m[3,1]\n1;2\n")) == [["a", "m[3,1]"], ["1", "2"]]
    assert texts(csv("a\tm[3,1]\n1\t2\n")) == [["a", "m[3,1]"], ["1", "2"]]
    assert texts(csv('a,"m[3,1]"\n1,2\n')) == [["a", "m[3,1]"], ["1", "2"]]


def test_a_blank_row_is_a_scan_where_no_column_gives_the_time() -> None:
    assert texts(csv("a,b\n1,2\n,\n3,4\n"))[2] == ["", ""]


CSV_FLAWS = {
    "fewer cells": ("a,b\n1\n", [("uneven-row", "1")]),
    "more cells": ("a,b\n1,2,3\n", [("uneven-row", "1,2,3")]),
    "fewer cells with a time": ("at,b\n1s\n", [("uneven-row", "1s")]),
    "a quote that is not closed": ('a,b\n"1,2\n3,4\n"5,6\n', [("open-quote", '"1,2'), ("open-quote", '"5,6')]),
    "text behind a quote": ('a,b\n"1"x,2\n', [("open-quote", '"1"x,2')]),
    "a blank line where each row is a scan": ("a,b\n1,2\n\n3,4\n", [("blank-line", "\n")]),
    "a name that is cut at the comma": ("a,m[3,1]\n1,2\n", [("cut-name", "m[3")]),
    "a quote in the heads that is not closed": ('a,"b\n1,2\n', [("open-quote", '"b')]),
    "a cell beyond all measure": (f'a,b\n"{"x" * 140_000}",2\n', [("long-cell", '"')]),
}


@pytest.mark.parametrize(("text", "found"), CSV_FLAWS.values(), ids=CSV_FLAWS)
def test_no_row_of_a_csv_file_is_lost_in_silence(text: str, found: list[tuple[str, str]]) -> None:
    assert flaws(csv(text)) == found


CELLS = st.lists(st.text("abc019.:_", min_size=1, max_size=5), min_size=2, max_size=4)


@given(st.lists(CELLS, min_size=1, max_size=5))
def test_every_cell_stands_where_it_was_written(rows: list[list[str]]) -> None:
    rows = [
        ["at", "x", "y", "z"][: len(rows[0])],
        *(row for row in rows if len(row) == len(rows[0]) and set(row) != {"."}),
    ]
    for table in (inline("\n".join(" | ".join(row) for row in rows)), csv("\n".join(" , ".join(row) for row in rows))):
        text = table.source.text
        placed = [*table.heads, *(table.cell(r, c) for r in range(table.rows) for c in range(len(table.heads)))]
        assert [text[cell.start : cell.end] for cell in placed] == [cell for row in rows for cell in row]


@given(
    st.lists(st.lists(st.text('ab,; "\t.', max_size=5), min_size=3, max_size=3), min_size=1, max_size=5),
    st.sampled_from(",;\t"),
)
def test_what_a_csv_writer_writes_is_read_again(rows: list[list[str]], delimiter: str) -> None:
    out = io.StringIO()
    csv_writer(out, delimiter=delimiter, lineterminator="\n", quoting=QUOTE_ALL).writerows([["x", "y", "z"], *rows])
    wanted = [["" if cell.strip() == "." else cell.strip() for cell in row] for row in rows]
    assert texts(csv(out.getvalue()))[1:] == wanted


TOML = '''# a comment = 1
block = "B"   # after
scan  = '100ms'

[[case]]
name  = "one [x] = 2"
given = { a = 1, "b.c" = "5s", d.e = true }
vectors = """
a = b
"""
[[case]]
name = "two"
hold = true
list = [1, [2, "]"], { x = 3 }]
'''


def at(toml: Toml, *path: str | int) -> Toml:
    for key in path:
        toml = toml.value[key]
    return toml


def values(toml: Toml) -> object:
    """The plain values, as the standard reader gives them."""
    if isinstance(toml.value, dict):
        return {key: values(entry) for key, entry in toml.value.items()}
    return [values(entry) for entry in toml.value] if isinstance(toml.value, list) else toml.value


def test_places_of_toml_keys_and_values() -> None:
    content = read_toml(TOML)

    def written(*path: str | int) -> str:
        return TOML[at(content, *path).start : at(content, *path).end]

    assert written("block") == '"B"'
    assert written("scan") == "'100ms'"
    assert written("case", 0, "given", "a") == "1"
    assert written("case", 0, "given", "b.c") == '"5s"'
    assert written("case", 0, "given", "d", "e") == "true"
    assert written("case", 1, "name") == '"two"'
    assert written("case", 1, "list", 2, "x") == "3"
    vectors = at(content, "case", 0, "vectors")
    assert TOML[Origin(TOML, vectors)(0) :].startswith("a = b")
    assert TOML[vectors.key_start : vectors.key_end] == "vectors"


TOMLS = [
    TOML,
    TOML.replace("\n", "\r\n"),
    "[[case]]\nname = 'a'\n[case.given]\nx = 1\n\"q\\u0041.b\" = 2\n[case.given.deep]\ny = 3\n[[case]]\nname = 'b'\n",
    "a.b.c = 1\na.d = [\n  1, # one\n  [2, 3],\n]\n[t.u]\nv = {}\nw = []\n[[t.list]]\nx = 1\n[[t.list]]\nx = 2\n",
    'q = "one\\ttwo"\nr = \'raw\\t\'\nm = """\nx"""\nn = """a""b"""\no = """end\\\n   joined"""\np = """quoted"""""\ne = ""\n',
    "d = 2026-03-29T06:00:00Z\nf = 1_000.5e3\nh = 0xFF\ni = -inf\nt = true\n",
]


@pytest.mark.parametrize("text", TOMLS, ids=range(len(TOMLS)))
def test_values_are_those_of_the_standard_reader(text: str) -> None:
    assert values(read_toml(text)) == tomllib.loads(text)


@given(st.text('ab|"\n\r\t\\ é\u2028', max_size=30), st.sampled_from(["\n", "\r\n"]))
def test_every_character_of_a_string_has_its_place(value: str, end: str) -> None:
    escapes = {"\\": "\\\\", '"': '\\"', "\r": "\\r", "\n": end}
    text = 'v = """' + end + "".join(escapes.get(c, c) for c in value) + '"""'
    string = read_toml(text).value["v"]
    origin = Origin(text, string)
    assert string.value == value
    for index, character in enumerate(value):
        assert text[origin(index) :].startswith(escapes.get(character, character))


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("a = [" + "[" * 5000 + "]" * 5000 + "]", "nested too deep"),
        ("a = " + "[" * 150 + "]" * 150, "nested too deep"),
        ("a = " + "{b=" * 150 + "1" + "}" * 150, "nested too deep"),
        (".".join("a" * 150) + " = 1", "nested too deep"),
        ("a = " + "1" * 5000, "too many digits"),
        ("a = 'x\n", "the file ends"),
        ("a = 1\na = 2", "overwrite"),
    ],
)
def test_what_is_no_toml_is_told(text: str, says: str) -> None:
    with pytest.raises(TomlProblem, match=says) as told:
        read_toml(text)
    assert 0 <= told.value.start <= len(text)


PULSES = "FUNCTION_BLOCK B VAR_INPUT a : BOOL; END_VAR VAR_OUTPUT n : INT; END_VAR VAR e : R_TRIG; END_VAR e(CLK := a); IF e.Q THEN n := n + 1; END_IF END_FUNCTION_BLOCK"


def repeated(folder: Path, table: str) -> Any:
    case = f'block = "B"\nscan = "100ms"\n[[case]]\nname = "c"\nvectors = """\n{table}\n"""\n'
    write_files(folder, {"upright.toml": "", "blocks/b.st": PULSES, "cases/c.toml": case})
    return open_library(folder)


@pytest.mark.parametrize(
    ("table", "scans", "count"),
    [
        ("after | a\n0s | 0\nrepeat 5\n500ms | 1\n500ms | 0\nend", 51, 5),
        ("a\nrepeat 3\n1\nrepeat 2\n0\n1\nend\nend\n0", 16, 7),
        ("a\nrepeat 1\n1\nend", 1, 1),
        ("a\nREPEAT 2 |\n1\n0\nEnd", 4, 2),
    ],
)
def test_rows_are_repeated(tmp_path: Path, table: str, scans: int, count: int) -> None:
    library = repeated(tmp_path, table)
    assert [f.name for f in library.findings] == ["checks-nothing"]
    (case,) = library.cases
    assert case.plan.scans == scans
    machine = library.machine("B")
    changes = dict(zip(case.plan.drives[0].scans, case.plan.drives[0].values, strict=True))
    for scan in range(scans):
        if scan in changes:
            machine.set("a", changes[scan])
        machine.scan()
    assert machine.read("n") == count


@pytest.mark.parametrize(
    ("table", "name", "marked"),
    [
        ("a\nrepeat\n1\nend", "bad-value", "repeat"),
        ("a\nrepeat 0\n1\nend", "bad-value", "repeat 0"),
        ("a\nrepeat x\n1\nend", "bad-value", "repeat x"),
        ("a\nrepeat 3\n1", "missing-end", "repeat 3"),
        ("a\n1\nend", "missing-end", "end"),
        ("at | a\n0s | 1\nrepeat 2\n1s | 0\nend", "time-goes-back", "repeat 2"),
        ("a\nrepeat 999999999\n1\nend", "too-long", "end"),
        ("a\n" + "repeat 600000\n1\nend\n" * 3, "too-long", "end"),
        ("a\n" + "repeat 1000\n" * 5 + "1\n" + "end\n" * 5, "too-long", "end"),
        ("a\nrepeat " + "9" * 5000 + "\n1\nend", "bad-value", "repeat " + "9" * 5000),
    ],
)
def test_a_repeat_that_cannot_be_is_told(tmp_path: Path, table: str, name: str, marked: str) -> None:
    found = [f for f in repeated(tmp_path, table).findings if f.severity == "error"]
    assert (found[0].name, found[0].source.text[found[0].start : found[0].end]) == (name, marked)


def test_a_column_case_makes_a_case_for_each_of_its_values(tmp_path: Path) -> None:
    table = "case,at,x,q\nshort,0s,1,1\n,100ms,0,0\nlong one,0s,1,1\nLong one,200ms,0,1\n"
    case = 'block = "B"\nscan = "100ms"\n[[case]]\nname = "c"\nvectors = "t.csv"\n'
    block = "FUNCTION_BLOCK B VAR_INPUT x : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR q := x; END_FUNCTION_BLOCK"
    files = {"upright.toml": "", "blocks/b.st": block, "cases/c.toml": case, "cases/t.csv": table}
    library = open_library(write_files(tmp_path, files))
    assert library.findings == ()
    verdicts = library.run()
    assert [(v.case.id, v.status, v.case.plan.scans) for v in verdicts] == [
        ("c/c [short]", "passed", 2),
        ("c/c [long one]", "failed", 3),
    ]
    (miss,) = verdicts[1].misses
    assert verdicts[1].case.written.vectors is not None
    cell = verdicts[1].case.written.vectors.cell(miss.row, miss.column)
    assert verdicts[1].case.written.vectors.source.line(cell.start) == 5


@pytest.mark.parametrize(
    ("table", "name"),
    [
        ("case,x\n,1\na,1\n", "bad-value"),
        ("case,x\na,1\nb,1\na,0\n", "name-twice"),
        ("case,x,case\na,1,b\n", "unknown-name"),
        ("case,x\n" + "".join(f"c{n},1\n" for n in range(10_001)), "too-long"),
    ],
)
def test_rows_of_no_case_or_of_one_that_was_over_are_told(table: str, name: str, tmp_path: Path) -> None:
    case = 'block = "B"\nscan = "100ms"\n[[case]]\nname = "c"\nvectors = "t.csv"\n'
    block = "FUNCTION_BLOCK B VAR_INPUT x : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR q := x; END_FUNCTION_BLOCK"
    files = {"upright.toml": "", "blocks/b.st": block, "cases/c.toml": case, "cases/t.csv": table}
    assert name in [f.name for f in open_library(write_files(tmp_path, files)).findings]


def test_a_cell_in_quotes_may_go_on_over_lines(tmp_path: Path) -> None:
    """Also with the line ends of another system; a quote that is never closed is told at its own line."""
    block = "FUNCTION_BLOCK B VAR_INPUT n : INT; END_VAR VAR_OUTPUT m : INT; END_VAR m := n; END_FUNCTION_BLOCK"
    tags = 'tag,point,comment,type\r\nkey,%IX0.0,"first\r\nand, second ""line""",BOOL\r\nlamp,%QX0.0,,BOOL\r\n'
    library = write_files(tmp_path, {"blocks/b.st": block, "tags/t.csv": ""})
    (library / "tags/t.csv").write_bytes(tags.encode())
    read = open_library(library)
    assert [(tag.name, tag.text("type")) for tag in read.tags] == [("key", "BOOL"), ("lamp", "BOOL")]
    assert "second" in read.tags[0].text("comment")
    assert not [f for f in read.findings if f.severity == "error"]
    broken = 'tag,point,comment,type\nkey,%IX0.0,"open,BOOL\n' + "".join(f"t{n},%MX{n}.0,,BOOL\n" for n in range(99))
    (library / "tags/t.csv").write_bytes(broken.encode())
    assert [(f.name, f.line) for f in open_library(library).findings if f.severity == "error"] == [("open-quote", 2)]
