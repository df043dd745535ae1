"""Wiring tables: what a row means, and that it means the same as text."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import write_files
from upright_block import Finding, open_library
from upright_block.language.printing import program_lines

BLOCKS = """
TYPE Mode : (off, hand, auto); END_TYPE
FUNCTION_BLOCK Lamp
VAR_INPUT on, off_ : BOOL; delay : TIME := T#1s; mode : Mode; level : REAL := 1.5; order : INT; END_VAR
VAR_OUTPUT lit : BOOL; count : INT; share : REAL; END_VAR
VAR timer : TON; was : BOOL; END_VAR
timer(IN := on AND NOT off_ AND mode <> Mode#off, PT := delay);
lit := timer.Q;
IF lit AND NOT was THEN count := count + 1 + order; END_IF
was := lit;
share := level / 2.0;
END_FUNCTION_BLOCK
FUNCTION Both : BOOL VAR_INPUT a, b : BOOL; END_VAR Both := a AND b; END_FUNCTION
"""
TAGS = "tag,point\nkey1,%IX0.0\nkey2,%IX0.1\nkey3,%IX0.2\nout1,%QX0.0\nout2,%QX0.1\nout3,%QX0.2\nallowed,%IX0.3\n"


def files(table: str) -> dict[str, str]:
    return {"blocks/b.st": BLOCKS, "tags/t.csv": TAGS, "wiring/row.csv": table}


def errors(folder: Path, table: str) -> list[str]:
    write_files(folder, files(table))
    found = open_library(folder).findings
    return [f"{f.line}:{f.column} {f.name}" for f in found if f.source.path == "wiring/row.csv"]


def text_of(folder: Path, table: str) -> list[str]:
    write_files(folder, files(table))
    library = open_library(folder)
    assert not [f for f in library.findings if f.severity == "error"], library.findings
    unit = library.find("row")
    assert unit is not None
    assert not isinstance(unit, str)
    return list(program_lines(unit))


def test_a_table_reads_as_text(tmp_path: Path) -> None:
    table = """\
order, instance,   block, on,                  delay, mode, lit,          pin order, a,     b, comment
20,    Lamp[1..2], Lamp,  "key{1..2} AND allowed", 5s,   hand, -> out{1..2}, 3,        ,      ,  a lamp
10,    ready,      Both,  ,                    ,      ,     ,              ,         key1,  NOT key3,
30,    Lamps[3],   Lamp,  ready,               ,      auto, -> out3,      ,         ,      ,
"""
    assert text_of(tmp_path, table) == [
        "PROGRAM row",
        "VAR",
        "    Lamp1 : Lamp; // a lamp",
        "    Lamp2 : Lamp; // a lamp",
        "    Lamps : ARRAY [3..3] OF Lamp;",
        "    ready : BOOL;",
        "END_VAR",
        "",
        "ready := Both(a := key1, b := NOT key3);",
        "Lamp1(on := key1 AND allowed, delay := T#5s, mode := hand, lit => out1, order := 3);",
        "Lamp2(on := key2 AND allowed, delay := T#5s, mode := hand, lit => out2, order := 3);",
        "Lamps[3](on := ready, mode := auto, lit => out3);",
        "END_PROGRAM",
    ]


@pytest.mark.parametrize(
    ("rows", "expected"),
    [
        ("A,Lamp,key1,", []),
        (",Lamp,key1,", ["2:2 missing-cell"]),
        ("A,,key1,", ["2:1 missing-cell"]),
        ("A 1,Lamp,key1,", ["2:1 bad-name"]),
        ("A,Lmap,key1,", ["2:3 unknown-name"]),
        ("A,Lamp,key9,", ["2:8 unknown-name"]),
        ("A,Lamp,key1 AND,", ["2:15 missing-value"]),
        ("A,Lamp,5,", ["2:8 out-of-range"]),
        ("A,Lamp,key1,out1", ["2:13 wrong-direction"]),
        ("A,Lamp,-> out1,", ["2:8 wrong-direction"]),
        ("A,Lamp,key1,-> out9", ["2:13 unknown-name"]),
        ("A,Lamp,key1,\na,Lamp,key2,", ["3:1 name-twice"]),
        ("A[1..3],Lamp,key{1..2},", ["2:14 unequal-ranges"]),
        ("A,Lamp,key{1..2},", ["2:8 unequal-ranges"]),
        ('A[1..3],Lamp,"{TRUE,FALSE}",', ["2:14 unequal-ranges"]),
        ('A,Lamp,"5,5",', ["2:8 bad-value"]),
        ("A[1..1000000000],Lamp,key1,", ["2:1 too-long"]),
        ("A[1],Lamp,key1,\nA[1],Lamp,key2,", ["3:1 name-twice"]),
        ("A[1],Lamp,key1,\nA[2],TON,key2,", ["3:6 type-mismatch"]),
    ],
)
def test_a_cell_that_cannot_be_used_is_told_at_its_place(rows: str, expected: list[str], tmp_path: Path) -> None:
    assert errors(tmp_path, f"instance,block,on,lit\n{rows}\n")[:1] == expected


def test_a_list_gives_each_instance_of_a_row_its_own(tmp_path: Path) -> None:
    table = (
        "# the lamps of the yard, from the gate\ninstance;block;on;delay;lit\n"
        'A[1..3];Lamp;{key1, NOT key2 ,};{5,8,5}s;\n  # "the last ones\n\nB[1..2];Lamp;key{1..2};{2s,};-> out{1..2}\n'
    )
    calls = [line for line in text_of(tmp_path, table) if "(" in line]
    assert calls == [
        "A1(on := key1, delay := T#5s);",
        "A2(on := NOT key2, delay := T#8s);",
        "A3(delay := T#5s);",
        "B1(on := key1, delay := T#2s, lit => out1);",
        "B2(on := key2, lit => out2);",
    ]


def test_rows_that_are_put_in_order_take_the_remarks_above_them_along(tmp_path: Path) -> None:
    table = '# all\ninstance,block,on\n# first, A\nA,Lamp,B.lit\n# then "B\nB,Lamp,key1\n# end\n'
    library = open_library(write_files(tmp_path, files(table)))
    ((_, after),) = library.put_in_order("row").values()
    assert after == '# all\ninstance,block,on\n# then "B\nB,Lamp,key1\n# first, A\nA,Lamp,B.lit\n# end\n'


@pytest.mark.parametrize(
    ("head", "expected"),
    [
        ("instance,on\nA,key1\n", ["1:1 missing-column"]),
        ("instance,block,on,On\nA,Lamp,key1,key2\n", ["1:19 column-twice"]),
        ("instance,block,\nA,Lamp,key1\n", ["2:1 uneven-row"]),
        ("instance,block,opne\nA,Lamp,key1\n", ["1:16 unknown-name"]),
        ("order,instance,block\n1,A,Lamp\n,B,Lamp\n", ["3:2 missing-order"]),
        ("order,instance,block\nfirst,A,Lamp\n", ["2:1 bad-value"]),
        ("", ["1:1 empty-table"]),
    ],
)
def test_a_column_is_used_or_told(head: str, expected: list[str], tmp_path: Path) -> None:
    assert errors(tmp_path, head) == expected


def test_what_is_used_before_it_ran_is_one_scan_late(tmp_path: Path) -> None:
    table = "instance,block,on,allow\nA,Lamp,B.lit,\nB,Lamp,key1,\nC,Lamp,A.lit,\n"
    assert errors(tmp_path, table) == ["2:8 one-scan-late"]
    assert errors(tmp_path, table.replace("B.lit,", "B.lit,one-scan-late: slow light")) == []
    in_order = "order,instance,block,on\n2,A,Lamp,B.lit\n1,B,Lamp,key1\n"
    assert errors(tmp_path, in_order) == []


def test_instances_that_feed_each_other_are_told_with_all_members(tmp_path: Path) -> None:
    write_files(tmp_path, files("instance,block,on\nA,Lamp,C.lit\nB,Lamp,A.lit\nC,Lamp,B.lit\nD,Lamp,D.lit\n"))
    messages = [f.message for f in open_library(tmp_path).findings if f.name == "one-scan-late"]
    assert "They are a circle: A reads C reads B reads A." in messages[0]
    assert messages[1] == "D reads what it made itself in the scan before."


def findings_in(folder: Path, table: str) -> list[Finding]:
    write_files(folder, files(table))
    return list(open_library(folder).findings)


def late(folder: Path, table: str) -> list[str]:
    """What is told of values that are one scan old."""
    return [f.message for f in findings_in(folder, table) if f.name == "one-scan-late"]


def test_a_value_in_a_tag_is_late_too_but_not_ones_own(tmp_path: Path) -> None:
    table = "instance,block,on,lit\nA,Lamp,out2,\nB,Lamp,key1 OR out2,-> out2\nC,Lamp,out2,\n"
    assert late(tmp_path, table) == ["B runs after A in a scan, so what A reads in out2 here is one scan old."]
    assert late(tmp_path, table + "D,Lamp,key2,-> out2\n") == []  # of two writers none is the one


def in_order(folder: Path) -> str:
    """The text of the table put in order."""
    ((_, after),) = open_library(folder).put_in_order("row").values()
    return after


def test_a_table_is_put_in_the_order_of_its_values(tmp_path: Path) -> None:
    head, a, b, c = "instance,block,on,lit\n", 'A,Lamp,"B.lit AND key1",\n', "B,Lamp,out3,\n", "C,Lamp,key2,-> out3"
    write_files(tmp_path, files(head + a + b + c))
    assert head + c + "\n" + b + a == in_order(tmp_path)
    numbered = "order,instance,block,on\n{},A,Lamp,B.lit\n{},B,Lamp,C.lit\n{},C,Lamp,\n"
    for before, after in (((1, 2.5, 3), (3, 2.5, 1)), ((5, 5, 5), (30, 20, 10)), ((3, 2, 1), (3, 2, 1))):
        write_files(tmp_path, files(numbered.format(*before)))
        assert numbered.format(*after) == in_order(tmp_path)


@st.composite
def tables(draw: st.DrawFn) -> str:
    """Rows of lamps and functions, wired to tags and to each other."""
    names = [f"n{number}" for number in range(draw(st.integers(1, 5)))]
    lamps: list[str] = [name for name in names if draw(st.booleans())] or names[:1]
    sources = [
        "key1",
        "key2",
        "allowed",
        "0",
        "TRUE",
        "NOT key3",
        "key1 AND (allowed OR key2)",
        *(f"{n}.lit" for n in lamps),
    ]
    orders = draw(st.permutations(list(range(len(names)))))
    lines = ["order,instance,block,on,off_,delay,mode,lit,a,b"]
    free = ["-> out1", "-> out2", "-> out3"]
    for order, name in zip(orders, names, strict=True):
        a, b = (draw(st.sampled_from(sources)) for _ in range(2))
        if name in lamps:
            is_out = draw(st.booleans())
            out = free.pop() if free and is_out else ""
            delay = draw(st.sampled_from(["", "0s", "200ms", "T#1s"]))
            lines.append(f"{order},{name},Lamp,{a},{b},{delay},{draw(st.sampled_from(['hand', 'off', '']))},{out},,")
        else:
            lines.append(f"{order},{name},Both,,,,,,{a},{b}")
    return "\n".join(lines) + "\n"


@settings(max_examples=40, deadline=None)
@given(table=tables(), is_numbered=st.booleans())
def test_in_the_order_of_values_only_circles_are_late(
    table: str, is_numbered: bool, tmp_path_factory: pytest.TempPathFactory
) -> None:
    folder = tmp_path_factory.mktemp("order")
    if not is_numbered:
        table = "".join(line.split(",", 1)[1] + "\n" for line in table.splitlines())
    late(folder, table)
    after = in_order(folder)
    told = [f for f in findings_in(folder, after) if f.name == "one-scan-late"]
    assert all("One of them must be late" in f.way_out or "itself" in f.message for f in told)
    assert len(after.splitlines()) == len(table.splitlines())
    assert after == in_order(folder)


@settings(max_examples=30, deadline=None)
@given(table=tables(), keys=st.lists(st.integers(0, 15), min_size=3, max_size=12))
def test_any_table_does_what_its_text_does(
    table: str, keys: list[int], tmp_path_factory: pytest.TempPathFactory
) -> None:
    """The table with its rows as loops, where they are alike."""
    folder = tmp_path_factory.mktemp("wiring")
    text = "\n".join(text_of(folder / "table", table))
    write_files(folder / "text", {"blocks/b.st": BLOCKS, "tags/t.csv": TAGS, "programs/row.st": text})
    with pytest.MonkeyPatch.context() as patch:
        machines = [open_library(folder / "text").machine("library")]
        for module in ("bodies", "rolling"):
            patch.setattr(f"upright_block.compiler.{module}.FEWEST", 2)
        machines.append(open_library(folder / "table").machine("library"))
    for pressed in keys:
        for machine in machines:
            machine.set("%IB0", pressed)
            machine.scan(3)
    one, other = ({path: str(changes) for path, changes in machine.trace("*").items()} for machine in machines)
    assert one
    assert one == other


@pytest.mark.parametrize(
    ("cell", "allow", "expected"),
    [
        ("hand", "", [("tag-or-value", "Mode#hand")]),
        ("Mode#hand", "", []),
        ("auto", "", []),
        ("hand", "tag-or-value: the mode comes from the panel", []),
    ],
)
def test_a_word_that_is_a_tag_and_a_value_is_the_tag_and_told(
    tmp_path: Path, cell: str, allow: str, expected: list[tuple[str, str]]
) -> None:
    table = f"instance,block,on,mode,lit,allow\nLamp1,Lamp,key1,{cell},-> out1,{allow}\n"
    made = files(table) | {"tags/t.csv": f"{TAGS}hand,%MB4\n"}
    made["blocks/b.st"] = BLOCKS.replace("(off, hand, auto)", "BYTE (off, hand, auto)")
    write_files(tmp_path, made)
    found = [f for f in open_library(tmp_path).findings if f.source.path == "wiring/row.csv"]
    assert [(f.name, name) for f in found for _, name in expected if name in f.way_out] == expected
    assert len([f for f in found if f.name == "tag-or-value"]) == len(expected)


ODD = "FUNCTION_BLOCK B VAR_INPUT a, b : BOOL; n : INT; END_VAR VAR_OUTPUT q : BOOL; END_VAR q := a AND b AND n > 0; END_FUNCTION_BLOCK"


def odd_ones(folder: Path, count: int, cell: Callable[[int], str], stands_for: Callable[[int], int]) -> list[str]:
    """Where something is the odd one out in a table of some instances, each with an eye and a bit of a word."""
    eyes = "".join(f"eye{n},%IX0.{n},,\nready{n},,,word.{stands_for(n)}\n" for n in range(1, count + 1))
    tags = f"tag,point,type,stands_for\nword,%IW10,WORD,\nlevels,%IW20,ARRAY [1..8] OF INT,\n{eyes}"
    rows = "".join(f"V{n},B,{cell(n)}\n" for n in range(1, count + 1))
    wiring = f"instance,block,a,b,n\n{rows}"
    write_files(folder, {"upright.toml": "", "blocks/b.st": ODD, "tags/t.csv": tags, "wiring/w.csv": wiring})
    found = open_library(folder).findings
    return [f"{f.source.path}:{f.line} {f.message.partition(';')[0]}" for f in found if f.name == "odd-one-out"]


def swapped(one: int, other: int) -> Callable[[int], int]:
    return lambda n: {one: other, other: one}.get(n, n)


@pytest.mark.parametrize(
    ("count", "cell", "stands_for", "expected"),
    [
        (6, lambda n: f"eye{n},ready{n},levels[{n}]", lambda n: n, []),
        (6, lambda n: f"eye{n},ready{n},levels[{3 if n == 4 else n}]", lambda n: n, ["w.csv:5 V4 has levels[3] here"]),
        (6, lambda n: f"eye{n},word.{3 if n == 4 else n},levels[{n}]", lambda n: n, ["w.csv:5 V4 has word.3 here"]),
        (6, lambda n: f"eye{n},ready{n},levels[{n}]", lambda n: 3 if n == 4 else n, ["t.csv:11 ready4 has word.3"]),
        (
            6,
            lambda n: f"eye{swapped(2, 5)(n)},ready{n},levels[{n}]",
            lambda n: n,
            ["w.csv:3 V2 has eye5 here, and V5 has eye2", "w.csv:6 V5 has eye2 here, and V2 has eye5"],
        ),
        (2, lambda n: f"eye{3 - n},ready{n},1", lambda n: n, ["w.csv:2 V1 has eye2", "w.csv:3 V2 has eye1"]),
        (2, lambda n: f"eye{n},eye{3 - n},1", lambda n: n, []),
        (3, lambda n: f"eye{n % 3 + 1},ready{n},1", lambda n: n, []),
        (4, lambda n: f"eye{n},ready{n},1", swapped(1, 2), ["t.csv:5 ready1 has word.2", "t.csv:7 ready2 has word.1"]),
    ],
)
def test_what_was_copied_or_crossed_is_told_by_its_numbers(
    count: int, cell: Callable[[int], str], stands_for: Callable[[int], int], expected: list[str], tmp_path: Path
) -> None:
    found = odd_ones(tmp_path, count, cell, stands_for)
    assert len(found) == len(expected), found
    assert all(wanted in told for wanted, told in zip(expected, found, strict=True)), found
