"""Stimuli, against the functions of time that they are."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import write_files
from upright_block import open_library
from upright_block.cases.plan import Common

BLOCK = "FUNCTION_BLOCK B VAR_INPUT x : BOOL; n : INT; r : REAL; t : TIME; s : STRING; END_VAR VAR_OUTPUT q : BOOL; m : INT; END_VAR q := x; m := n; END_FUNCTION_BLOCK"


def library_of(folder: Path, drive: str, more: str = "", **files: str) -> Any:
    case = f'block = "B"\nscan = "100ms"\n[[case]]\nname = "c"\nrun_for = "10s"\ndrive = """\npin | shape\n{drive}\n"""\n{more}\n'
    write_files(folder, {"upright.toml": "", "blocks/b.st": BLOCK, "cases/c.toml": case} | files)
    return open_library(folder)


def values_of(folder: Path, drive: str, **files: str) -> list[Any]:
    """The value of the only driven pin in each of a hundred scans."""
    library = library_of(folder, drive, **files)
    assert [f"{f}" for f in library.findings if f.name != "checks-nothing"] == []
    (found,) = library.cases[0].plan.drives
    changes = dict(zip(found.scans, found.values, strict=True))
    values, now = [], None
    for scan in range(100):
        now = changes.get(scan, now)
        values.append(now)
    return values


times = st.integers(0, 60).map(lambda tenths: tenths * 50)  # ms, also between scans


@settings(max_examples=60, deadline=None)
@given(at=times, width=st.integers(1, 60).map(lambda tenths: tenths * 50))
def test_a_pulse(at: int, width: int, tmp_path_factory: pytest.TempPathFactory) -> None:
    wanted = [at <= 100 * scan < at + width for scan in range(100)]
    drive = f"x | pulse at={at}ms width={width}ms"
    folder = tmp_path_factory.mktemp("pulse")
    if any(wanted):
        assert values_of(folder, drive) == wanted
    else:
        assert "given-unused" in [f.name for f in library_of(folder, drive).findings]


@settings(max_examples=60, deadline=None)
@given(at=times, period=st.integers(2, 30), high=st.integers(1, 30), until=st.integers(30, 120))
def test_a_square(at: int, period: int, high: int, until: int, tmp_path_factory: pytest.TempPathFactory) -> None:
    drive = f"n | square at={at}ms period={period * 100}ms high={high * 100}ms from=3 to=7 until={until * 100}ms"
    wanted = [
        7 if at <= 100 * scan < until * 100 and (100 * scan - at) % (period * 100) < high * 100 else 3
        for scan in range(100)
    ]
    if len(set(wanted)) > 1:
        assert values_of(tmp_path_factory.mktemp("square"), drive) == wanted


@settings(max_examples=60, deadline=None)
@given(at=times, low=st.integers(-300, 300), high=st.integers(-300, 300), span=st.integers(1, 80))
def test_a_ramp(at: int, low: int, high: int, span: int, tmp_path_factory: pytest.TempPathFactory) -> None:
    wanted = []
    for scan in range(100):
        passed = min(max(100 * scan - at, 0), span * 100)
        wanted.append(round(low + (high - low) * (passed / (span * 100))))
    if len(set(wanted)) > 1:
        drive = f"n | ramp at={at}ms from={low} to={high} in={span * 100}ms"
        assert values_of(tmp_path_factory.mktemp("ramp"), drive) == wanted


def test_a_bounce_is_itself_again_and_settles(tmp_path: Path) -> None:
    first = values_of(tmp_path / "a", "x | bounce at=1s to=1 for=3s every=1ms seed=7")
    assert first == values_of(tmp_path / "b", "x | bounce at=1s to=1 for=3s every=1ms seed=7")
    assert first != values_of(tmp_path / "c", "x | bounce at=1s to=1 for=3s every=1ms seed=8")
    assert first[:10] == [False] * 10
    assert first[40:] == [True] * 60
    assert set(first[10:40]) == {False, True}


def test_noise_stays_in_its_bounds_and_is_itself_again(tmp_path: Path) -> None:
    first = values_of(tmp_path / "a", "r | noise around=100 by=3 seed=4 until=8s")
    assert first == values_of(tmp_path / "b", "r | noise around=100 by=3 seed=4 until=8s")
    assert all(97 <= value <= 103 for value in first)
    assert len(set(first[:80])) > 70
    assert set(first[80:]) == {100.0}


def test_a_wave_has_the_values_of_a_file(tmp_path: Path) -> None:
    wave = "at,flow,other\n0s,5,1\n1.05s,6,1\n2s,,1\n3s,-4,1\n"
    values = values_of(tmp_path, 'n | wave file="meter.csv" column="flow"', **{"cases/meter.csv": wave})
    assert values == [5] * 11 + [6] * 19 + [-4] * 70


def test_a_stimulus_drives_a_point_in_the_sense_of_its_tag(tmp_path: Path) -> None:
    files = {
        "upright.toml": "",
        "tags/t.csv": "tag,point,sense,raw_low,raw_high,low,high\nshut,%IX0.0,NC,,,,\nair,%IW2,,0,1000,0,100\n",
        "programs/main.st": "PROGRAM Main VAR was : BOOL; warm : REAL; END_VAR was := shut; warm := air; END_PROGRAM",
        "cases/c.toml": 'scan = "100ms"\n[[case]]\nname = "c"\ndrive = """\npin | shape\nshut | pulse at=1s width=1s\n'
        'air | ramp at=0s from=0 to=50 in=5s\n"""\nvectors = """\nat | Main.was %IX0.0 Main.warm %IW2\n0.9s | 0 1 9 90\n1s | 1 0 10 100\n'
        '2s | 0 1 20 200\n6s | 0 1 50 500\n"""\n',
    }
    files["cases/c.toml"] = (
        files["cases/c.toml"].replace("%IX0.0 Main", "check %IX0.0 Main").replace("warm %IW2", "warm check %IW2")
    )
    write_files(tmp_path, files)
    library = open_library(tmp_path)
    assert [f"{f}" for f in library.findings] == []
    (verdict,) = library.run()
    assert (verdict.status, verdict.misses) == ("passed", ())


def test_stimuli_go_with_rows_and_rules(tmp_path: Path) -> None:
    more = 'vectors = """\nat | n m q\n0s | 4 4 0\n1s | 5 5 1\n"""\nalways = ["q = x"]\n'
    (verdict,) = library_of(tmp_path, "x | pulse at=1s width=200ms", more).run()
    assert verdict.status == "passed"


@pytest.mark.parametrize(
    ("drive", "name", "marked"),
    [
        ("x | plse at=1s width=1s", "unknown-name", "plse"),
        ("y | pulse at=1s width=1s", "unknown-name", "y"),
        ("q | pulse at=1s width=1s", "wrong-kind", "q"),
        ("x | pulse at=1s", "missing-key", "pulse at=1s"),
        ("x | pulse at=1s width=1s widht=2s", "unknown-key", "widht"),
        ("x | pulse at=1s at=2s width=1s", "given-twice", "at"),
        ("x | pulse at=1s width=0s", "bad-value", "0s"),
        ("x | pulse at=1 width=1s", "bad-value", "1"),
        ("x | pulse soon", "bad-value", "soon"),
        ("n | pulse at=1s width=1s to=70000", "bad-value", "70000"),
        ("x | ramp at=1s from=0 to=1 in=1s", "type-mismatch", "ramp"),
        ("x | pulse at=1m width=1s", "given-unused", "pulse at=1m width=1s"),
        ("x | bounce at=1s for=1s every=1ms seed=x", "bad-value", "x"),
        ('n | wave file="none.csv" column="a"', "missing-file", 'wave file="none.csv" column="a"'),
        ("x | pulse at=1s width=1s\nx | pulse at=3s width=1s", "column-twice", "x"),
        ("x", "uneven-row", "x"),
    ],
)
def test_a_stimulus_that_cannot_be_is_told_at_its_place(tmp_path: Path, drive: str, name: str, marked: str) -> None:
    library = library_of(tmp_path, drive)
    found = [f for f in library.findings if f.name != "checks-nothing"]
    assert found[0].name == name
    assert found[0].source.text[found[0].start : found[0].end] == marked


def test_stimuli_beyond_all_measure_are_refused(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("upright_block.cases.suite.Common", lambda missing: Common(missing, 250))
    case = '[[case]]\nname = "c@"\nrun_for = "10s"\ndrive = """\npin | shape\nr | noise around=1 by=1\n"""\n'
    cases = 'block = "B"\nscan = "100ms"\n' + "".join(case.replace("@", str(number)) for number in range(4))
    write_files(tmp_path, {"upright.toml": "", "blocks/b.st": BLOCK, "cases/c.toml": cases})
    library = open_library(tmp_path)
    assert [case.id for case in library.cases] == ["c/c0", "c/c1"]
    assert [f.name for f in library.findings if f.name != "checks-nothing"] == ["too-long"] * 2


# --- lost ---

PLANT = {
    "upright.toml": "",
    "programs/main.st": "PROGRAM Main out := raw; low := part; lit := lamp; END_PROGRAM",
    "tags/t.csv": "tag,point,type,sense,raw_low,raw_high,low,high\nraw,%IW2,INT,,,,,\npart,%IB3,,,,,,\nlamp,%IX0.4,BOOL,NC,,,,\n"
    "out,%QW2,INT,,,,,\nlow,%QB4,,,,,,\nlit,%QX0.0,BOOL,,,,,\n",
}


@settings(max_examples=60, deadline=None)
@given(
    values=st.lists(st.none() | st.tuples(st.integers(-300, 300), st.booleans()), min_size=2, max_size=20),
    begin=st.integers(0, 20),
    span=st.none() | st.integers(1, 10),
    is_frozen=st.booleans(),
    pins=st.sampled_from([("raw", "lamp"), ("%IW2", "%IX0.4"), ("%IB0..%IB3",), ("%IX0.0..%IX3.7",)]),
)
def test_what_is_lost_is_frozen_or_zero_and_comes_back_as_it_is_driven(
    values: list[tuple[int, bool] | None],
    begin: int,
    span: int | None,
    is_frozen: bool,
    pins: tuple[str, ...],
    tmp_path_factory: pytest.TempPathFactory,
) -> None:
    now: tuple[int, bool] = (0, False)
    kept, wanted = now, []
    for scan, value in enumerate(values):
        before, now = now, value or now
        is_lost = begin <= scan and (span is None or scan < begin + span)
        if scan == begin:
            kept = before if is_frozen else (0, True)  # an open contact that is wired normally closed reads TRUE
        wanted.append(kept if is_lost else now)
    rows = [
        f"{'.' if v is None else v[0]} {'.' if v is None else int(v[1])} {w[0]} {int(w[1])}"
        for v, w in zip(values, wanted, strict=True)
    ]
    shape = f"lost at={100 * begin}ms{f' for={100 * span}ms' if span else ''} as={'frozen' if is_frozen else 'zero'}"
    case = '[[case]]\nname = "c"\ndrive = """\npin | shape\n' + "".join(f"{pin} | {shape}\n" for pin in pins)
    case += '"""\nvectors = """\nraw lamp out lit\n' + "\n".join(rows) + '\n"""\n'
    folder = write_files(tmp_path_factory.mktemp("lost"), PLANT | {"cases/c.toml": case})
    library = open_library(folder)
    if begin >= len(values):
        assert "given-unused" in [f.name for f in library.findings]
        return
    (verdict,) = library.run()
    assert verdict.status == "passed", [(m.slot.path, m.scan, m.got) for m in verdict.misses]


def test_a_pin_of_a_block_can_be_lost_while_a_shape_drives_it(tmp_path: Path) -> None:
    drive = "n | ramp at=0s from=0 to=100 in=10s\nn | lost at=2s for=3s\nn | lost at=6s for=1s as=zero"
    rows = "at | m\n1s | 10\n2s | 19\n4900ms | 19\n5s | 50\n6s | 0\n7s | 70\n"
    (verdict,) = library_of(tmp_path, drive, f'vectors = """\n{rows}"""').run()
    assert (verdict.status, verdict.checked) == ("passed", 6)


@pytest.mark.parametrize(
    ("drive", "name"),
    [
        ("n | lost at=1s as=gone", "bad-value"),
        ("n | lost for=1s", "missing-key"),
        ("m | lost at=1s", "wrong-kind"),
        ("s | lost at=1s", "not-supported"),
        ("n | lost at=1s for=2s\nn | lost at=2s for=2s", "given-twice"),
        ("%IB0..%IW9 | lost at=1s", "bad-value"),
        ("%IB9..%IB0 | lost at=1s", "bad-value"),
        ("%IB0..%IB99 | lost at=1s", "bad-value"),
        ("n..m | lost at=1s", "bad-value"),
        ("x..y | pulse at=1s width=1s", "wrong-kind"),
        ("n | lost at=1010ms for=10ms", "given-unused"),
    ],
)
def test_what_cannot_be_lost_is_told(drive: str, name: str, tmp_path: Path) -> None:
    assert name in [f.name for f in library_of(tmp_path, drive).findings]


def test_a_stimulus_that_no_task_sees_is_told(tmp_path: Path) -> None:
    files = {
        "upright.toml": "",
        "programs/main.st": "PROGRAM Main lit := lamp; END_PROGRAM CONFIGURATION C TASK fast (INTERVAL := T#100ms); TASK slow (INTERVAL := T#1s); "
        "PROGRAM a WITH slow : Main; PROGRAM b WITH fast : Other; END_CONFIGURATION PROGRAM Other other := TRUE; END_PROGRAM",
        "tags/t.csv": "tag,point,type\nlamp,%IX0.4,BOOL\nlit,%QX0.0,BOOL\nother,%QX0.1,BOOL\n",
        "cases/c.toml": '[[case]]\nname = "c"\nrun_for = "5s"\ndrive = """\npin | shape\nlamp | pulse at=1100ms width=300ms\n"""\n',
    }
    assert "not-seen" in [f.name for f in open_library(write_files(tmp_path, files)).findings]


@pytest.mark.parametrize(
    ("type_", "shape", "says"),
    [
        ("SINT", "noise around=120 by=50 seed=1", ""),
        ("USINT", "noise around=3 by=50 seed=1", ""),
        ("REAL", "noise around=3E38 by=3E38 seed=1", ""),
        ("LINT", "ramp from=-9223372036854775808 to=9223372036854775807 at=0s in=5s", ""),
        ("TIME", "noise around=5s by=100s seed=1", ""),
        ("WORD", "noise around=16#FFF0 by=16#FF seed=1", ""),
        ("INT", "noise around=5 by=1 seed=1 at=5s until=3s", "bad-value"),
        ("INT", "square from=0 to=1 period=2s high=1s at=5s until=5s", "bad-value"),
        ("INT", "wave file=back.csv column=x", "bad-value"),
        ("INT", "wave file=early.csv column=x", "bad-value"),
        ("INT", "wave file=late.csv column=x", "given-unused"),
        ("INT", "wave file=good.csv column=x", ""),
    ],
)
def test_what_a_shape_makes_fits_its_type_and_its_times(tmp_path: Path, type_: str, shape: str, says: str) -> None:
    """What cannot be is told for its own case alone; all others run."""
    block = (
        f"FUNCTION_BLOCK B VAR_INPUT x : {type_}; END_VAR VAR_OUTPUT y : {type_}; END_VAR y := x; END_FUNCTION_BLOCK"
    )
    head = (
        'block = "B"\nscan = "1s"\n[[case]]\nname = "other"\nvectors = "x\\n1"\n'
        if type_ == "INT"
        else 'block = "B"\nscan = "1s"\n'
    )
    case = f'[[case]]\nname = "c"\nrun_for = "9s"\nalways = ["x = y"]\ndrive = """\npin | shape\nx | {shape}\n"""\n'
    tables = {"back": "5s,1\n2s,2\n", "early": "-1s,1\n2s,2\n", "late": "1s,1\n20s,2\n", "good": "0s,1\n8s,2\n"}
    files = {f"cases/{name}.csv": f"at,x\n{rows}" for name, rows in tables.items()}
    library = open_library(write_files(tmp_path, files | {"blocks/b.st": block, "cases/b.toml": head + case}))
    named = [f.name for f in library.findings if f.name not in ("unread-file", "checks-nothing")]
    assert named == ([says] if says else [])
    ran = [v.case.name for v in library.run() if v.status in ("passed", "checks nothing")]
    assert ("c" in ran) == (says != "bad-value")
    assert ("other" in ran) == (type_ == "INT")
