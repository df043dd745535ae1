"""What is shown of a forced variable is what everything saw: rules, rigs, tags, references, other blocks."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import upright, write_files
from upright_block import open_library

LINE = {
    "blocks/sec.st": """FUNCTION_BLOCK Sec VAR_INPUT jam : BOOL; jam_time : TIME := T#5s; END_VAR VAR_OUTPUT late : BOOL; END_VAR
VAR t : TON; seen : TIME; END_VAR seen := jam_time; t(IN := jam, PT := jam_time, Q => late); END_FUNCTION_BLOCK""",
    "blocks/line.st": """FUNCTION_BLOCK Line VAR_INPUT jam : BOOL; END_VAR VAR_OUTPUT late : BOOL; END_VAR VAR sec : Sec; END_VAR
sec(jam := jam, jam_time := T#8s, late => late); END_FUNCTION_BLOCK""",
    "blocks/lamp.st": """FUNCTION_BLOCK Lamp VAR_INPUT key : BOOL; END_VAR VAR_OUTPUT lamp, copy : BOOL; END_VAR VAR n, back : INT; END_VAR
lamp := key; copy := lamp; n := n + 1; back := n; END_FUNCTION_BLOCK""",
}


def test_a_forced_setting_acts_though_it_is_wired(tmp_path: Path) -> None:
    library = write_files(tmp_path, LINE)
    call = ["run", "Line", "--library", library, "--set", "jam=1@0s", "--force", "sec.jam_time=2s", "--watch", "*"]
    result = upright(*call, "--until", "late", "--for", "20s")
    assert "late is TRUE at 2s" in result.output
    machine = open_library(library).machine("Line")
    machine.set("jam", True)
    machine.force("sec.jam_time", "2s")
    assert machine.run_until("late", within="20s") == 2_000_000_000
    assert machine.read("sec.seen") == 2_000_000_000


@pytest.mark.parametrize(
    ("more", "status"),
    [
        ('never = ["lamp"]', "failed"),
        ('always = ["lamp"]', "passed"),
        ('always = ["copy AND lamp"]', "passed"),
        ('timing = """\nfrom | to | count\nlamp rises | copy rises | 1\n"""', "passed"),
    ],
)
def test_rules_see_a_forced_output(tmp_path: Path, more: str, status: str) -> None:
    vectors = 'vectors = """\nforce lamp | copy\n1 | 1\n. | 1\n"""\n'
    case = f'block = "Lamp"\nscan = "1s"\n[[case]]\nname = "c"\n{vectors}{more}\n'
    library = open_library(write_files(tmp_path, LINE | {"cases/lamp.toml": case}))
    (verdict,) = library.run()
    assert verdict.status == status


def test_private_data_is_read_as_it_is_shown(tmp_path: Path) -> None:
    table = "force n | back n\n. | 1 1\n7 | 7 7\n. | 7 7\nrelease | 8 8"
    case = f'block = "Lamp"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\n{table}\n"""\n'
    (verdict,) = open_library(write_files(tmp_path, LINE | {"cases/lamp.toml": case})).run()
    assert verdict.status == "passed"


PLANT = {
    "tags/t.csv": "tag,point,type,sense,raw_low,raw_high,low,high\n"
    "key,%IX0.0,BOOL,NC,,,,\nair,%IW2,REAL,,0,1000,0,10\nlamp,%QX0.0,BOOL,,,,,\nlevel,%IW4,WORD,,,,,\n",
    "programs/p.st": """PROGRAM P VAR_OUTPUT seen : BOOL; warm : REAL; bits : WORD; END_VAR
seen := key; warm := air; bits := level; lamp := FALSE; END_PROGRAM
CONFIGURATION C RESOURCE R ON CPU TASK fast(INTERVAL := T#100ms); TASK slow(INTERVAL := T#1s); PROGRAM a WITH slow : P;
PROGRAM q WITH fast : Q; END_RESOURCE END_CONFIGURATION
PROGRAM Q VAR n : INT; END_VAR n := n + 1; END_PROGRAM""",
    "cases/rigs/r.st": "PROGRAM Mirror VAR_OUTPUT lit : BOOL; END_VAR lit := lamp; END_PROGRAM",
}


@pytest.mark.parametrize(
    "table",
    [
        "at | force key | a.seen key\n0s | 1 | 1 1\n1s | 0 | 0 0\n1.5s | 1 | 0 1\n2s | release | 1 1",
        "at | key | force key | a.seen\n0s | 0 | 1 | 1\n1s | 1 | 0 | 0\n2s | . | release | 1",
        "at | force air | a.warm\n0s | 3.25 | 3.25",
        "at | level | force level.0 | a.bits\n0s | 16#10 | 1 | 16#11\n1s | 16#20 | . | 16#21\n2s | . | release | 16#20",
        "at | force lamp | %QX0.0\n0s | 1 | 1\n1s | . | 1\n2s | release | 0",
    ],
)
def test_a_tag_and_its_point_are_held_together(tmp_path: Path, table: str) -> None:
    case = f'configuration = "C"\nscan = "100ms"\n[[case]]\nname = "c"\nvectors = """\n{table}\n"""\n'
    (verdict,) = open_library(write_files(tmp_path, PLANT | {"cases/c.toml": case})).run()
    assert verdict.status == "passed", verdict.misses


def test_a_rig_sees_a_forced_output_in_the_field(tmp_path: Path) -> None:
    table = "at | force lamp | Mirror.lit\n0s | 1 | 1\n1s | . | 1\n2s | release | 1\n2.1s | . | 0"
    case = f'configuration = "C"\nrig = "Mirror"\nscan = "100ms"\n[[case]]\nname = "c"\nvectors = """\n{table}\n"""\n'
    (verdict,) = open_library(write_files(tmp_path, PLANT | {"cases/c.toml": case})).run()
    assert verdict.status == "passed", verdict.misses


def test_the_power_takes_forced_outputs_down_and_brings_them_back(tmp_path: Path) -> None:
    rows = [
        "at | power | force lamp | lamp copy n",
        "0s | . | 1 | 1 1 1",
        "1s | off | . | 0 0 .",
        "2s | on | . | 1 1 1",
    ]
    case = 'block = "Lamp"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\n' + "\n".join(rows) + '\n"""\n'
    (verdict,) = open_library(write_files(tmp_path, LINE | {"cases/lamp.toml": case})).run()
    assert verdict.status == "passed", verdict.misses


def test_an_input_is_released_to_what_it_was_set_to_by_hand(tmp_path: Path) -> None:
    machine = open_library(write_files(tmp_path, LINE)).machine("Lamp")
    machine.set("key", True)
    machine.scan()
    machine.force("key", False)
    machine.scan()
    assert (machine.read("key"), machine.read("copy"), machine.read("n")) == (False, False, 2)
    machine.set("key", True)
    assert machine.read("key") is False
    machine.release("key")
    assert machine.read("key") is True


def test_a_force_of_a_case_is_released_by_a_call(tmp_path: Path) -> None:
    case = 'block = "Lamp"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\nat | force key | copy\n0s | 1 | 1\n5s | . | 1\n"""\n'
    library = write_files(tmp_path, LINE | {"cases/lamp.toml": case})
    result = upright("run", "lamp/c", "--library", library, "--release", "key@3s", "--watch", "key,copy")
    rows = [line.split() for line in result.output.splitlines()]
    assert ["0", "0s", "│", "1", "│", "1"] in rows
    assert ["3", "3s", "│", "0", "│", "0"] in rows


@pytest.mark.parametrize(
    ("path", "says"),
    [
        ("sec.jam_time", "the pin is wired: blocks/line.st:2"),
        ("sec.seen", "each scan writes it first: blocks/sec.st:2"),
        ("sec.t.PT", "the pin is wired: blocks/sec.st:2"),
        ("sec.late", "each scan writes it first: blocks/sec.st:2"),
        ("sec.t.ET", "each scan writes it first: TON"),
        ("sec.t.running", ""),
    ],
)
def test_a_value_that_is_overwritten_before_it_is_read_is_told(tmp_path: Path, path: str, says: str) -> None:
    """Of a set in a case and by hand, and of a given value; nothing is said of what something may read."""
    value = "2s" if path in ("sec.jam_time", "sec.seen", "sec.t.PT", "sec.t.ET") else "1"
    for more in (
        f'vectors = """\nset {path} | late\n{value} | 0\n"""',
        f'given = {{ "{path}" = "{value}" }}\nvectors = "late\\n0"',
    ):
        case = f'block = "Line"\nscan = "1s"\n[[case]]\nname = "c"\n{more}\n'
        library = write_files(tmp_path, LINE | {"cases/line.toml": case})
        found = [f.message for f in open_library(library).findings if f.name == "given-unused"]
        assert len(found) == bool(says), found
        assert says in "".join(found)
    result = upright("run", "Line", "--library", library, "--set", f"{path}={value}", "--for", "1s")
    assert ("given-unused" in result.output) == bool(says)
    assert says in result.output


def test_what_is_read_before_it_is_written_may_be_set(tmp_path: Path) -> None:
    """A pin that one call leaves open, one that the caller reads, a block that a function gets, and one that extends
    another.
    """
    blocks = {
        "one": "VAR sec : Sec; END_VAR IF go THEN sec(jam_time := T#1s); ELSE sec(); END_IF",
        "two": "VAR sec : Sec; t : TIME; END_VAR t := sec.jam_time; sec(jam_time := T#1s);",
        "three": "VAR sec : Sec; END_VAR sec(jam_time := T#1s); Call(s := sec);",
        "four": "VAR sec : Wide; END_VAR sec(jam_time := T#1s);",
    }
    text = "FUNCTION Call VAR_IN_OUT s : Sec; END_VAR s(); END_FUNCTION\n"
    text += (
        "FUNCTION_BLOCK Wide EXTENDS Sec METHOD PUBLIC M : TIME M := jam_time; END_METHOD SUPER(); END_FUNCTION_BLOCK\n"
    )
    text += "".join(
        f"FUNCTION_BLOCK {n} VAR_INPUT go : BOOL; END_VAR {b} END_FUNCTION_BLOCK\n" for n, b in blocks.items()
    )
    library = write_files(tmp_path, LINE | {"blocks/more.st": text})
    for name in blocks:
        result = upright("run", name, "--library", library, "--set", "sec.jam_time=2s", "--for", "1s")
        assert "given-unused" not in result.output, name


def test_a_wired_pin_is_not_kept(tmp_path: Path) -> None:
    library = write_files(tmp_path, LINE)
    before = {path: path.read_bytes() for path in library.rglob("*.st")}
    call = ["run", "Line", "--library", library, "--force", "sec.jam_time=2s", "--for", "1s"]
    result = upright(*call, "--keep", "sec.jam_time", "--write")
    assert "sec.jam_time would not begin with it; the pin is wired: blocks/line.st:2." in result.output
    assert {path: path.read_bytes() for path in library.rglob("*.st")} == before
