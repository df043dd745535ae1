"""Cases on tags and points: senses, ranges, aliases, words that are shared, and what is copied when."""

from __future__ import annotations

import struct
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import write_files
from upright_block import open_library
from upright_block.library import load_library

TAGS = """\
tag,      point,      type, sense, raw_low, raw_high, low, high, unit, stands_for, comment, initial
opened,   %IX0.0,     BOOL, NC,    ,        ,         ,    ,     ,     ,           ,
open_cmd, %QX0.0,     BOOL, NC,    ,        ,         ,    ,     ,     ,           ,
air,      %IW10,      REAL, ,      0,       32000,    -20, 60,   degC, ,           at plant height,
speed,    %QW4,       REAL, ,      0,       5000,     0,   50,   Hz,   ,           ,
hottest,  ,           ,     ,      ,        ,         ,    ,     ,     air,        ,
status,   %IW20,      WORD, ,      ,        ,         ,    ,     ,     ,           ,
ready,    ,           ,     ,      ,        ,         ,    ,     ,     status.3,   ,
fault,    %IX20.1,    BOOL, ,      ,        ,         ,    ,     ,     ,           ,
also,     ,           ,     ,      ,        ,         ,    ,     ,     ready,      ,
count,    %MW2,       INT,  ,      ,        ,         ,    ,     ,     ,           ,
seen,     %MX8.1,     BOOL, ,      ,        ,         ,    ,     ,     ,           ,
level,    %ID24,      REAL, ,      ,        ,         ,    ,     ,     ,           , 1.5
"""
MAIN = """
PROGRAM Main
open_cmd := NOT opened AND hottest > 20.0;
speed := air * 2.0;
IF ready THEN count := count + 1; END_IF
seen := fault OR seen OR level > 2.0;
END_PROGRAM
"""


def wrong(folder: Path, vectors: str, given_: str = "", **files: str) -> list[str]:
    """The cells of a table that came out wrong, as ``column: what came``."""
    cases = f'[[case]]\nname = "c"\n{given_}\nvectors = """\n{vectors}"""\n'
    write_files(folder, {"tags/air.csv": TAGS, "programs/main.st": MAIN, "cases/c.toml": cases} | files)
    library = open_library(folder)
    stopping = [f for f in library.findings if f.severity == "error"]
    assert not stopping, [f"{f}" for f in stopping]
    (verdict,) = library.run()
    assert verdict.fault is None
    return [f"{miss.slot.path}: {miss.got}" for miss in verdict.misses]


def test_columns_have_the_sense_and_the_unit_of_their_names(tmp_path: Path) -> None:
    table = """
    opened air  ready %IX20.1 | open_cmd %QX0.0 speed %QW4 count seen check %IX0.0
    0      20   0     0       | .        .      40    4000 0     0    1
    0      22.5 1     0       | 1        0      45    4500 1     0    1
    1      22.5 1     1       | 0        1      45    4500 2     1    0
    1      -20  0     0       | 0        1      -40   0    2     1    0
    """
    assert wrong(tmp_path, table) == []


def test_an_input_rests_as_its_sense_says_and_as_its_first_value(tmp_path: Path) -> None:
    assert wrong(tmp_path, "check opened check %IX0.0 check air check level\n0 1 -20 1.5\n") == []


def test_an_alias_drives_what_it_stands_for(tmp_path: Path) -> None:
    assert wrong(tmp_path, "hottest also | check air check status speed count\n25 1 | 25 8 50 1\n") == []


def test_a_word_and_its_bits_are_one(tmp_path: Path) -> None:
    table = "status | check ready check fault check %IX20.3 check %IB21\n16#0108 | 1 0 1 1\n16#0002 | 0 1 0 0\n"
    assert (
        wrong(tmp_path, table, **{"programs/all.st": "PROGRAM Look VAR w : WORD; END_VAR w := status; END_PROGRAM"})
        == []
    )


def test_given_sets_the_point_of_a_tag(tmp_path: Path) -> None:
    given_ = "given = { opened = 1, air = 30, count = 7, also = 1 }"
    assert wrong(tmp_path, "open_cmd speed count check opened\n0 60 8 1\n", given_) == []


def test_a_forced_tag_forces_its_point_and_an_input_comes_back_when_it_is_released(tmp_path: Path) -> None:
    table = """
    opened  force opened force open_cmd | check opened open_cmd %QX0.0
    0       1            .              | 1            0        1
    0       .            1              | 1            1        0
    0       release      release        | 0            0        1
    """
    assert wrong(tmp_path, table) == []


@pytest.mark.parametrize(
    ("column", "cell", "name", "says"),
    [
        ("air", "75.5", "bad-value", "75.5 is 38200 at %IW10, which holds -32768 to 32767."),
        ("air %IW10", "1 2", "column-twice", "%IW10 writes what another column writes too."),
        ("ready %IX20.3", "1 1", "column-twice", "writes what another column writes too."),
        ("status fault", "1 1", "column-twice", "fault writes what another column writes too."),
        ("%IX90.0", "1", "no-such-point", "is at %IX90.0"),
        ("%IW10.3", "1", "no-such-point", ""),
    ],
)
def test_a_column_that_means_nothing_or_two_things_is_told(
    column: str, cell: str, name: str, says: str, tmp_path: Path
) -> None:
    cases = f'[[case]]\nname = "c"\nvectors = """\n{column} | speed\n{cell} | .\n"""\n'
    write_files(tmp_path, {"tags/air.csv": TAGS, "programs/main.st": MAIN, "cases/c.toml": cases})
    findings = [f for f in open_library(tmp_path).findings if f.severity == "error"]
    assert [f.name for f in findings] == [name]
    assert says in findings[0].message


def test_an_output_beyond_its_range_is_clamped_or_a_fault(tmp_path: Path) -> None:
    assert wrong(tmp_path / "clamp", "air | speed %QW4\n60 | 120 5000\n") == []
    files = {
        "upright.toml": '[points]\nout_of_range = "fault"\n',
        "tags/air.csv": TAGS,
        "programs/main.st": MAIN,
        "cases/c.toml": '[[case]]\nname = "c"\nvectors = """\nair | speed\n20 | .\n60 | .\n"""\n',
    }
    write_files(tmp_path / "fault", files)
    (verdict,) = open_library(tmp_path / "fault").run()
    assert verdict.fault is not None
    site = verdict.fault.site
    assert (verdict.fault.scan, site.unit.source.shown_line(site.start)) == (1, "tags/air.csv:5")
    assert "beyond the range" in site.kind


def test_a_tag_is_refreshed_at_the_scans_of_the_tasks_that_use_it(tmp_path: Path) -> None:
    plant = """
    PROGRAM Fast VAR n : INT; END_VAR n := n + 1; quick := opened; END_PROGRAM
    PROGRAM Slow hot := air > 20.0; END_PROGRAM
    CONFIGURATION Plant
    TASK fast (INTERVAL := T#100ms, PRIORITY := 1);
    TASK slow (INTERVAL := T#300ms, PRIORITY := 2);
    PROGRAM f WITH fast : Fast;
    PROGRAM s WITH slow : Slow;
    END_CONFIGURATION
    """
    tags = (
        "tag,point,type,raw_low,raw_high,low,high\nopened,%IX0.0,,,,,\nquick,%QX0.0,,,,,\nhot,%QX0.1,,,,,\n"
        "air,%IW2,REAL,0,100,0,100\n"
    )
    table = """
    opened air | quick hot check air %QX0.1 f.n
    0      0   | 0     0   0         0      1
    1      30  | 1     0   0         0      2
    1      30  | 1     0   0         0      3
    1      30  | 1     1   30        1      4
    """
    assert wrong(tmp_path, table, **{"tags/air.csv": tags, "programs/main.st": plant}) == []


@pytest.mark.parametrize(("last", "names"), [(3, ["not-seen"]), (4, [])])
def test_a_value_that_no_task_sees_is_told(last: int, names: list[str], tmp_path: Path) -> None:
    plant = """
    PROGRAM Slow hot := opened; END_PROGRAM
    PROGRAM Fast quick := TRUE; END_PROGRAM
    CONFIGURATION Plant
    TASK fast (INTERVAL := T#100ms, PRIORITY := 1);
    TASK slow (INTERVAL := T#300ms, PRIORITY := 2);
    PROGRAM f WITH fast : Fast;
    PROGRAM s WITH slow : Slow;
    END_CONFIGURATION
    """
    table = f"scan | opened | hot\n0 | 0 | 0\n1 | 1 | .\n{last} | 0 | .\n6 | . | 0\n"
    cases = f'[[case]]\nname = "c"\nvectors = """\n{table}"""\n'
    tags = "tag,point\nopened,%IX0.0\nquick,%QX0.0\nhot,%QX0.1\n"
    write_files(tmp_path, {"tags/t.csv": tags, "programs/p.st": plant, "cases/c.toml": cases})
    assert [f.name for f in open_library(tmp_path).findings] == names


def test_a_program_alone_has_its_points_too(tmp_path: Path) -> None:
    cases = 'program = "Main"\n[[case]]\nname = "c"\nvectors = """\nopened air | open_cmd %QX0.0\n0 30 | 1 0\n"""\n'
    write_files(tmp_path, {"tags/air.csv": TAGS, "programs/main.st": MAIN, "cases/c.toml": cases})
    assert [v.status for v in open_library(tmp_path).run()] == ["passed"]


# --- images of random tables, against a model ---

WIDTHS = {"BOOL": 1, "BYTE": 8, "SINT": 8, "USINT": 8, "WORD": 16, "INT": 16, "UINT": 16, "DINT": 32, "LINT": 64}
FORMATS = {"REAL": "f", "LREAL": "d"}
SIZES = {1: "X", 8: "B", 16: "W", 32: "D", 64: "L"}


@st.composite
def drawn_tags(draw: st.DrawFn) -> list[dict[str, str]]:
    """Tags of an input area one behind the other, with bits of bit strings that have names of their own."""
    rows: list[dict[str, str]] = []
    byte = 0
    for number in range(draw(st.integers(1, 6))):
        kind = draw(st.sampled_from([*WIDTHS, *FORMATS, "scaled"]))
        width = 16 if kind == "scaled" else WIDTHS.get(kind) or (32 if kind == "REAL" else 64)
        point = f"%IX{byte}.{draw(st.integers(0, 7))}" if width == 1 else f"%I{SIZES[width]}{byte}"
        row = {"tag": f"t{number}", "point": point, "type": "REAL" if kind == "scaled" else kind}
        if kind == "BOOL":
            row["sense"] = draw(st.sampled_from(["", "NO", "NC"]))
        if kind == "scaled":
            low = draw(st.integers(-1000, 1000))
            row |= {"raw_low": "0", "raw_high": str(draw(st.sampled_from([100, 27648, 32000]))), "low": str(low)}
            row["high"] = str(low + draw(st.integers(1, 500)))
        rows.append(row)
        if kind in ("BYTE", "WORD") and draw(st.booleans()):
            bit = draw(st.integers(0, width - 1))
            rows.append({"tag": f"b{number}", "point": f"{point}.%X{bit}", "type": "BOOL", "sense": "NC"})
        byte += max(width // 8, 1) + draw(st.integers(0, 2))
    return rows


def modelled(row: dict[str, str], image: bytes, is_big: bool) -> float | int | bool:
    """What a tag means of an image, from the definition alone."""
    place, _, part = row["point"].partition(".%X")
    size, numbers = place[2], place[3:].split(".")
    if size == "X":
        bit = bool(image[int(numbers[0])] >> int(numbers[1]) & 1)
        return bit != (row["sense"] == "NC")
    count = {"B": 1, "W": 2, "D": 4, "L": 8}[size]
    content = image[int(numbers[0]) : int(numbers[0]) + count]
    whole = int.from_bytes(content, "big" if is_big else "little")
    if part:
        return not whole >> int(part) & 1
    if "raw_low" in row:
        raw = struct.unpack(">h" if is_big else "<h", content)[0]
        low, high, raw_high = float(row["low"]), float(row["high"]), int(row["raw_high"])
        value = (raw - 0) * (high - low) / raw_high + low
        return float(struct.unpack("<f", struct.pack("<f", value))[0])
    if row["type"] in FORMATS:
        return float(struct.unpack((">" if is_big else "<") + FORMATS[row["type"]], content)[0])
    signed = row["type"] in ("SINT", "INT", "DINT", "LINT")
    return int.from_bytes(content, "big" if is_big else "little", signed=signed)


@settings(max_examples=40, deadline=None)
@given(
    rows=drawn_tags(), is_big=st.booleans(), seed=st.binary(min_size=80, max_size=80), fewest=st.sampled_from([2, 600])
)
def test_random_tables_read_as_the_model_does(
    rows: list[dict[str, str]], is_big: bool, seed: bytes, fewest: int, tmp_path_factory: pytest.TempPathFactory
) -> None:
    """Also where copies of one kind become a loop."""
    folder = tmp_path_factory.mktemp("tags")
    columns = ["tag", "point", "type", "sense", "raw_low", "raw_high", "low", "high"]
    table = "\n".join(",".join(row.get(column, "") for column in columns) for row in rows)
    copies = "".join(f"c_{row['tag']} : {row['type']};" for row in rows)
    body = "".join(f"c_{row['tag']} := {row['tag']};\n" for row in rows)
    write_files(
        folder,
        {
            "upright.toml": f'[points]\norder = "{"big" if is_big else "little"}"\n',
            "tags/t.csv": f"{','.join(columns)}\n{table}\n",
            "programs/p.st": f"PROGRAM P VAR {copies} END_VAR\n{body}END_PROGRAM\n",
        },
    )
    library = open_library(folder)
    assert not [f for f in library.findings if f.severity == "error"], library.findings
    with pytest.MonkeyPatch.context() as patch:
        for module in ("bodies", "rolling"):
            patch.setattr(f"upright_block.compiler.{module}.FEWEST", fewest)
        machine = library.machine("P")
    size = load_library(folder).scope.points.sizes["I"]
    for byte in range(size):
        machine.set(f"%IB{byte}", seed[byte])
    machine.scan()
    for row in rows:
        came, wanted = machine.read(f"c_{row['tag']}"), modelled(row, seed[:size], is_big)
        assert came == wanted or (came != came and wanted != wanted), row


INSIDE = {
    "tags/air.csv": "tag,point,stands_for\ngo,%IX0.0,\nlamp,%QX0.0,\nready,,main.d.ready\nbit,,main.d.word.3\ncount,,main.d.hidden\n"
    "also,,ready\nasked,,main.d.go\n",
    "blocks/drive.st": """
FUNCTION_BLOCK Drive
VAR_INPUT go : BOOL; END_VAR
VAR_OUTPUT ready : BOOL; word : WORD; END_VAR
VAR hidden : INT; END_VAR
ready := go; hidden := hidden + 1; word.3 := go;
END_FUNCTION_BLOCK
""",
    "programs/main.st": """
PROGRAM Main VAR d : Drive; END_VAR d(go := go); END_PROGRAM
PROGRAM Before VAR n : INT; END_VAR IF also AND bit THEN n := n + 1; END_IF END_PROGRAM
PROGRAM After VAR n : INT; END_VAR IF ready THEN n := n + count; END_IF lamp := ready; END_PROGRAM
CONFIGURATION Plant
  TASK t (INTERVAL := T#100ms);
  PROGRAM before WITH t : Before;
  PROGRAM main WITH t : Main;
  PROGRAM after WITH t : After;
END_CONFIGURATION
""",
}


def test_an_alias_follows_data_of_a_program_wherever_it_is_read(tmp_path: Path) -> None:
    table = """
    go | ready bit count check asked lamp before.n after.n
    0  | 0     0   1     0           0    0        0
    1  | 1     1   2     1           1    0        2
    1  | 1     1   3     1           1    1        5
    0  | 0     0   4     0           0    2        5
    """
    assert wrong(tmp_path, table, **INSIDE) == []


def test_a_program_by_itself_is_given_what_an_alias_follows(tmp_path: Path) -> None:
    files = INSIDE | {
        "cases/c.toml": 'program = "After"\n[[case]]\nname = "c"\nvectors = """\nset ready | n\n1 | 7\n"""\n'
    }
    write_files(
        tmp_path, files | {"cases/c.toml": files["cases/c.toml"].replace('c"\n', 'c"\ngiven = { count = 7 }\n')}
    )
    (verdict,) = open_library(tmp_path).run()
    assert verdict.status == "passed"


@pytest.mark.parametrize(
    ("name", "old", "new", "finding"),
    [
        ("tags/air.csv", "main.d.ready", "main.d.redy", "unknown-name"),
        ("tags/air.csv", "main.d.ready", "mian.d.ready", "unknown-name"),
        ("tags/air.csv", "main.d.ready", "main.d", "no-value"),
        ("tags/air.csv", "main.d.word.3", "main.d.word.16", "out-of-range"),
        ("programs/main.st", "d(go := go);", "d(go := go AND NOT bit);", "alias-of-own-data"),
        ("programs/main.st", "lamp := ready;", "lamp := ready; ready := FALSE;", "constant-assigned"),
        (
            "programs/main.st",
            "END_CONFIGURATION",
            "VAR_ACCESS a : main.d.redy : BOOL; END_VAR END_CONFIGURATION",
            "unknown-name",
        ),
        (
            "programs/main.st",
            "END_CONFIGURATION",
            "VAR_ACCESS a : main.d.go : INT; END_VAR END_CONFIGURATION",
            "type-mismatch",
        ),
        ("programs/main.st", "END_CONFIGURATION", "VAR_ACCESS a : 3 : INT; END_VAR END_CONFIGURATION", "bad-value"),
    ],
)
def test_an_alias_or_a_path_of_data_that_cannot_be_is_told(
    tmp_path: Path, name: str, old: str, new: str, finding: str
) -> None:
    write_files(tmp_path, INSIDE | {name: INSIDE[name].replace(old, new, 1)})
    stopping = [f for f in open_library(tmp_path).findings if f.severity == "error"]
    assert [f.name for f in stopping] == [finding], [str(f) for f in stopping]


def test_an_alias_of_data_is_not_driven(tmp_path: Path) -> None:
    files = INSIDE | {"cases/c.toml": '[[case]]\nname = "c"\nvectors = """\nset count | set asked\n1 | 1\n"""\n'}
    write_files(tmp_path, files)
    (finding,) = [f for f in open_library(tmp_path).findings if f.severity == "error"]
    assert finding.name == "read-only"
    assert "use the path" in finding.way_out


def test_the_type_of_an_alias_is_that_of_what_it_stands_for(tmp_path: Path) -> None:
    write_files(
        tmp_path, {"tags/t.csv": "tag,point,type,stands_for\na,%IW0,INT,\nb,,INT,a\nc,,WORD,a\n", "programs/p.st": ""}
    )
    found = [f for f in open_library(tmp_path).findings if f.name == "type-mismatch"]
    assert [(f.source.line(f.start), f.way_out) for f in found] == [(4, "Write INT, or leave the cell empty.")]


OUTPUTS = "tag,point,type,sense,raw_low,raw_high,low,high\nkey,%IX0.0,BOOL,,,,,\nlamp,%QX0.0,BOOL,,,,,\nonly,%QX0.1,BOOL,,,,,\nword,%QW2,WORD,,,,,\n"
OUTPUTS += "speed,%QW4,INT,,,,,\nvalve,%QX0.2,BOOL,NC,,,,\nflow,%QW6,REAL,,0,1000,0,10\n"


@pytest.mark.parametrize("more", ["", '[points]\norder = "big"\n'])
def test_an_output_and_its_address_are_one(tmp_path: Path, more: str) -> None:
    body = "lamp := key; %QX0.0 := FALSE; seen := %QX0.0; %QX0.1 := key; other := only; word := 16#00F0; bit := %QW2 = 16#00F0;\nTake(x := %QW2);"
    program = f"FUNCTION Take VAR_IN_OUT x : WORD; END_VAR x := x OR 16#1; END_FUNCTION\nPROGRAM P VAR seen, other, bit : BOOL; END_VAR {body} END_PROGRAM"
    table = "key | check lamp %QX0.0 p.seen only p.other %QX0.1 p.bit word\n1 | 0 0 0 1 1 1 1 16#00F1\n0 | 0 0 0 0 0 0 1 16#00F1"
    case = f'configuration = "l"\nscan = "100ms"\n[[case]]\nname = "c"\nvectors = """\n{table}\n"""\n'
    files = {
        "upright.toml": f'name = "l"\n{more}',
        "tags/t.csv": OUTPUTS,
        "programs/p.st": program,
        "cases/c.toml": case,
    }
    library = open_library(write_files(tmp_path, files))
    assert not [str(f) for f in library.findings if f.severity == "error"]
    (verdict,) = library.run()
    assert verdict.status == "passed", [(m.slot.path, m.scan, m.got) for m in verdict.misses]


@pytest.mark.parametrize(
    "body",
    [
        "%QW4 := 16#1;",
        "%QX0.2 := key;",
        "n := %QX0.2;",
        "%QW6 := 16#1;",
        "%QB4 := 16#1;",
        "%QB0 := 16#1;",
        "%QD2 := 16#1;",
    ],
)
def test_an_address_that_cannot_be_the_tag_there_is_told(tmp_path: Path, body: str) -> None:
    program = f"PROGRAM P VAR n : BOOL; END_VAR {body} END_PROGRAM"
    library = open_library(write_files(tmp_path, {"tags/t.csv": OUTPUTS, "programs/p.st": program}))
    assert [f.name for f in library.findings if f.severity == "error"] == ["point-has-tag"]


LOCATED = "PROGRAM Main VAR key AT %IX0.0 : BOOL; lamp AT %QX0.0 : BOOL; horn AT %QX0.1 : BOOL; word AT %QW2 : WORD; END_VAR\n"


@pytest.mark.parametrize(
    ("body", "values"),
    [
        ("lamp := key; %QX0.0 := FALSE;", (False, False, 0)),
        ("lamp := key; horn := NOT %QX0.0; word.3 := %QX0.0;", (True, False, 8)),
        ("word := WORD#16#FF; %QB3 := BYTE#1; %QX2.0 := NOT key;", (False, False, 0x1FE)),
    ],
)
def test_an_output_address_is_what_the_program_has_there(tmp_path: Path, body: str, values: tuple[int, ...]) -> None:
    files = {"programs/main.st": f"{LOCATED}{body} END_PROGRAM"}
    library = open_library(write_files(tmp_path, files))
    assert [str(f) for f in library.findings if f.severity == "error"] == []
    machine = library.machine("Main", scan="10ms")
    machine.set("%IX0.0", True)
    machine.scan()
    assert (machine.read("lamp"), machine.read("horn"), machine.read("word")) == values
    assert (machine.read("%QX0.0"), machine.read("%QX0.1"), machine.read("%QW2")) == values


@pytest.mark.parametrize(
    "other",
    [
        "PROGRAM Other %QX0.0 := TRUE; END_PROGRAM",
        "PROGRAM Other %QB2 := BYTE#1; END_PROGRAM",
        "FUNCTION_BLOCK Other VAR n : BOOL; END_VAR n := %QX0.1; END_FUNCTION_BLOCK",
        "PROGRAM Open VAR a AT %Q* : BOOL; END_VAR a := TRUE; %QX4.0 := FALSE; END_PROGRAM\n"
        "CONFIGURATION Plant TASK T(INTERVAL := T#10ms, PRIORITY := 1); PROGRAM o WITH T : Open; PROGRAM m WITH T : Main; "
        "VAR_CONFIG o.a AT %QX4.0 : BOOL; END_VAR END_CONFIGURATION",
    ],
)
def test_an_output_address_elsewhere_of_what_a_program_has_there_is_told(tmp_path: Path, other: str) -> None:
    files = {"programs/main.st": f"{LOCATED}lamp := key; END_PROGRAM", "programs/other.st": other}
    library = open_library(write_files(tmp_path, files))
    assert [f.name for f in library.findings if f.severity == "error"] == ["point-has-tag"]


def test_an_address_of_what_a_program_has_as_a_number_says_its_name(tmp_path: Path) -> None:
    program = "PROGRAM Main VAR n AT %QW0 : INT; END_VAR n := 1; %QW0 := WORD#2; END_PROGRAM"
    (finding,) = open_library(write_files(tmp_path, {"programs/main.st": program})).findings
    assert (finding.name, finding.way_out) == ("point-has-tag", "Write n.")


@pytest.mark.parametrize(
    "other",
    [
        {"programs/o.st": "PROGRAM Other VAR a AT %QX0.0 : BOOL; END_VAR a := TRUE; END_PROGRAM"},
        {"programs/o.st": "PROGRAM Other VAR a AT %QB3 : BYTE; END_VAR a := BYTE#1; END_PROGRAM"},
        {"tags/t.csv": "tag,point\nred,%QX0.1\n"},
    ],
)
def test_an_output_of_two_variables_is_told(tmp_path: Path, other: dict[str, str]) -> None:
    files = {"programs/main.st": f"{LOCATED}lamp := key; END_PROGRAM", **other}
    library = open_library(write_files(tmp_path, files))
    assert [f.name for f in library.findings if f.severity == "error"] == ["point-twice"]


def test_a_bit_is_shown_with_those_that_use_it_alone(tmp_path: Path) -> None:
    tags = "tag,point,type\na,%MX0.0,BOOL\nb,%MX0.1,BOOL\nc,%IX0.0,BOOL\nd,%IX0.1,BOOL\n"
    program = "PROGRAM P a := c; END_PROGRAM\nPROGRAM Q VAR n : BOOL; END_VAR b := d; n := %IX0.1; END_PROGRAM"
    library = open_library(write_files(tmp_path, {"tags/t.csv": tags, "programs/p.st": program}))
    found = {(use.tag.name, use.kind, use.unit.name) for use in library.tag_uses}
    assert found == {("a", "write", "P"), ("c", "read", "P"), ("b", "write", "Q"), ("d", "read", "Q")}


def test_a_word_may_go_beyond_the_last_byte_that_is_named(tmp_path: Path) -> None:
    """A column drives and checks it; one that begins behind all that is named is told."""
    files = {"upright.toml": 'name = "l"\n', "tags/t.csv": "tag,point,type\nkey,%IX4.0,BOOL\nlamp,%QX0.0,BOOL\n"}
    files["programs/p.st"] = "PROGRAM P lamp := key; END_PROGRAM"
    for head, is_told in (("%IW4 | %QW0", False), ("%IL4 | %QL0", False), ("%IW5 | %QW0", True), ("%IW4 | %QB1", True)):
        case = f'configuration = "l"\nscan = "100ms"\n[[case]]\nname = "c"\nvectors = """\n{head}\n16#1 | 16#1\n0 | 0\n"""\n'
        library = open_library(write_files(tmp_path, files | {"cases/c.toml": case}))
        assert [f.name for f in library.findings] == (["no-such-point"] if is_told else [])
        assert [v.status for v in library.run()] == ([] if is_told else ["passed"])
