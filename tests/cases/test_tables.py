"""Tables and TOML with their places."""

from __future__ import annotations

import tomllib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from upright_block.cases.table import Table, csv_table, inline_table
from upright_block.cases.toml_places import content_start, toml_places
from upright_block.language.source import Source


def texts(table: Table) -> list[list[str]]:
    return [[c.text for c in line] for line in (table.heads, *table.rows)]


def test_an_inline_table_splits_at_white_space_and_rulers_mean_nothing() -> None:
    text = "at | open  at_open|opening\n\n0s|0 .|  0\n# a comment\n  1s 1 16#FF | .\n"
    table = inline_table(Source("t", text), text, 0)
    assert texts(table) == [
        ["at", "open", "at_open", "opening"],
        ["0s", "0", "", "0"],
        ["1s", "1", "16#FF", ""],
    ]


def test_set_and_force_belong_to_the_next_name() -> None:
    text = "at set state force  open done\n0s 1 1 1\n"
    table = inline_table(Source("t", text), text, 0)
    assert [h.text for h in table.heads] == ["at", "set state", "force open", "done"]
    assert table.uneven == ()


def test_quoted_cells_may_hold_spaces() -> None:
    text = 'a b\n\'x y\' "$"z"\n'
    assert texts(inline_table(Source("t", text), text, 0))[1] == ["'x y'", '"$"z"']


def test_rows_of_another_length_stand_apart() -> None:
    text = "a b\n1 2\n1\n1 2 3\n"
    table = inline_table(Source("t", text), text, 0)
    assert (len(table.rows), [len(row) for row in table.uneven]) == (1, [1, 3])


@pytest.mark.parametrize("delimiter", [",", ";", "\t"])
@pytest.mark.parametrize("end", ["\n", "\r\n"])
def test_csv_with_any_usual_delimiter_and_line_end(delimiter: str, end: str) -> None:
    text = (
        end.join(
            delimiter.join(row)
            for row in (["at", " open ", "done"], ["0s", "1", ""], ["", "", ""], ["1s", ".", "0"])
        )
        + end
    )
    assert texts(csv_table(Source("t", text))) == [["at", "open", "done"], ["0s", "1", ""], ["1s", "", "0"]]


def test_csv_with_quotes_and_spare_delimiters() -> None:
    text = 'at,"set  x",y,,\n"0s","1",2,,\n1s,3\n'
    assert texts(csv_table(Source("t", text))) == [["at", "set x", "y"], ["0s", "1", "2"], ["1s", "3", ""]]


CELLS = st.lists(st.text("abc019.:_", min_size=1, max_size=5), min_size=2, max_size=4)


@given(st.lists(CELLS, min_size=1, max_size=5))
def test_every_cell_stands_where_it_was_written(rows: list[list[str]]) -> None:
    for text, table in (
        (t := "\n".join(" | ".join(row) for row in rows), inline_table(Source("t", t), t, 0)),
        (c := "\n".join(" , ".join(row) for row in rows), csv_table(Source("t", c))),
    ):
        for line in (table.heads, *table.rows, *table.uneven):
            for cell in line:
                assert text[cell.start : cell.end] in (cell.text, ".")


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


def test_places_of_toml_keys_and_values() -> None:
    tomllib.loads(TOML)
    places = toml_places(TOML)

    def written(*path: str | int) -> str:
        return TOML[places[path].start : places[path].end]

    assert written("block") == '"B"'
    assert written("scan") == "'100ms'"
    assert written("case", 0, "given", "a") == "1"
    assert written("case", 0, "given", "b.c") == '"5s"'
    assert written("case", 0, "given", "d", "e") == "true"
    assert written("case", 1, "name") == '"two"'
    assert written("case", 1, "hold") == "true"
    assert written("case", 1, "list", 2, "x") == "3"
    vectors = places["case", 0, "vectors"]
    assert TOML[content_start(TOML, vectors) :].startswith("a = b")
    assert TOML[vectors.key_start : vectors.key_end] == "vectors"
