"""The standard's blocks speak for themselves."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import upright, write_files

BLOCK = """FUNCTION_BLOCK B VAR_INPUT a, b : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR
VAR up : CTU; down : CTD; both : CTUD; l : SR; m : RS; rise : R_TRIG; fall : F_TRIG;
    on : TON; off : TOF; pulse : TP; END_VAR
up(CU := a, R := b, PV := 3);
down(CD := a, LD := b, PV := 3);
both(CU := a, CD := b, PV := 2);
l(S1 := a, R := b);
m(S := a, R1 := b);
rise(CLK := a);
fall(CLK := a);
on(IN := a, PT := T#1s);
off(IN := a, PT := T#1s);
pulse(IN := a, PT := T#1s);
END_FUNCTION_BLOCK
"""


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_files(tmp_path_factory.mktemp("words"), {"upright.toml": 'name = "w"\n', "blocks/b.st": BLOCK})


@pytest.mark.parametrize(
    ("signal", "at", "wanted"),
    [
        ("up.Q", "2.5s", "CV is 2 of PV 3, CU rose last at 2s"),
        ("up.Q", "500ms", "CV is 0 of PV 3, CU never rose"),
        ("up.Q", "3.1s", "CV is 0 of PV 3, R is 1, CU rose last at 2s"),
        ("down.Q", "3.1s", "CV is 3 of PV 3, LD is 1, CD rose last at 2s"),
        ("both.QU", "3.1s", "CV is 1 of PV 2, CU rose last at 2s, CD rose last at 3s"),
        ("l.Q1", "1.1s", "S1 is 1 since 1s and wins"),
        ("l.Q1", "2.5s", "neither is 1, so it stays: S1 fell last at 2.3s, R never fell"),
        ("l.Q1", "3.1s", "R is 1 since 3s, S1 is 0"),
        ("m.Q1", "3.1s", "R1 is 1 since 3s and wins"),
        ("m.Q1", "2.1s", "S is 1 since 2s, R1 is 0"),
        ("rise.Q", "2.5s", "CLK is 0, CLK rose last at 2s"),
        ("fall.Q", "2.1s", "CLK is 1, CLK fell last at 1.3s"),
        ("on.Q", "2.1s", "IN is 1 since 2s, ET is 100ms of PT 1s, due at 3s"),
        ("on.Q", "2.8s", "IN is 0 since 2.3s, ET is 0s of PT 1s"),
        ("off.Q", "2.8s", "IN is 0 since 2.3s, ET is 500ms of PT 1s, due at 3.3s"),
        ("pulse.Q", "2.5s", "IN rose last at 2s, ET is 500ms of PT 1s, due at 3s"),
        ("pulse.Q", "2s", "IN is 1 since 2s, ET is 0s of PT 1s"),
    ],
)
def test_a_block_says_how_it_stands(signal: str, at: str, wanted: str, folder: Path) -> None:
    pulses = ("--pulse", "a@1s:300ms", "--pulse", "a@2s:300ms", "--pulse", "b@3s:500ms")
    said = upright("why", "B", signal, *pulses, "--at", at, "--library", folder).output
    assert f"{wanted}   blocks/b.st:" in said


def test_options_behind_the_moment_do_not_matter_yet(folder: Path) -> None:
    for command in (("why", "B", "l.Q1"), ("scan", "B")):
        result = upright(*command, "--set", "a=1@1s", "--pulse", "b@3s:500ms", "--at", "2s", "--library", folder)
        assert (result.exit_code, result.output.rstrip().endswith("b@3s:500ms: does not matter yet.")) == (0, True)
