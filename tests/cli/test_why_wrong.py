"""``upright why`` of a case that is wrong, and of expressions."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.helpers import upright, write_files

LIBRARY = {
    "upright.toml": 'name = "small"\n',
    "blocks/b.st": """FUNCTION_BLOCK B VAR_INPUT a, b : BOOL; part : INT := 2; END_VAR
VAR_OUTPUT q, late : BOOL; n : INT; END_VAR
VAR t : TON; END_VAR
q := a AND NOT b;
t(IN := a, PT := T#3s);
late := t.Q;
n := 10 / (part - 1);
END_FUNCTION_BLOCK
""",
    "cases/b.toml": """block = "B"
scan = "100ms"
[[case]]
name = "value"
vectors = '''
at | a b | q late
0s | 0 0 | 0 0
1s | 1 1 | 1 0
2s | 0 0 | 0 1
'''
[[case]]
name = "rule"
run_for = "2s"
never = ["a AND n > 5"]
vectors = '''
at | a
0s | 0
1s | 1
'''
[[case]]
name = "timing"
run_for = "4s"
vectors = '''
at | a
0s | 0
1s | 1
'''
timing = '''
name | from | to | max
on   | a rises | late rises | 2s
'''
[[case]]
name = "fault"
run_for = "2s"
vectors = '''
at | part
0s | 2
1s | 1
'''
[[case]]
name = "good"
vectors = '''
at | a | q
0s | 1 | 1
'''
[[case]]
name = "broken"
vectors = '''
at | nothing | q
0s | 1 | 1
'''
""",
}


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_files(tmp_path_factory.mktemp("small"), LIBRARY)


@pytest.mark.parametrize(
    ("asked", "wanted"),
    [
        (["b/value"], ["expected 1   cases/b.toml:8", "q is 0 at 1s (scan 10)", "b 1   driven at 1s"]),
        (["b/value", "late"], ["expected 1   cases/b.toml:9", "late is 0 at 2s", "IN is 0 since 2s"]),
        (["b/value", "a"], ["a is 0 at 2s (scan 20)"]),
        (["b/rule"], ["It breaks never a AND n > 5.", "a AND n > 5 is 1 at 1s (scan 10)", "n 10   n := 10 / (part"]),
        (["b/timing"], ["it has not come within 2s", "late is 0 at 3s", "ET is 2s of PT 3s, due at 4s"]),
        (["b/fault"], ["division by zero at 1s (scan 10)\n", "part 1   driven at 1s   cases/b.toml:38"]),
        (["B", "a AND NOT b", "--set", "b=1"], ["a AND NOT b is 0 at 9.9s", "because of 2, all must change: a, b"]),
        (["B", "t.ET > T#1s", "--set", "a=1@1s"], ["t.ET > T#1s is 1", "since 2.1s (scan 21)"]),
        (["B", "n / (part - 2)"], ["n / (part - 2) has no value at 9.9s", "Ask for what it names."]),
        (["B", "a +"], ["a +: A value is missing"]),
        (["B", "qq"], ["B has no qq.", "Did you mean q?"]),
        (["B"], ["B is no case, so nothing of it is wrong by itself."]),
        (["b/good"], ["Nothing is wrong in b/good.", "why CASE SIGNAL --at TIME"]),
        (["b/broken"], ["b/broken cannot be run: ", "upright check lists what is wrong with it."]),
        (["nothing"], ["There is no block nothing."]),
    ],
    ids=str,
)
def test_what_is_wrong_first_is_explained(asked: list[str], wanted: list[str], folder: Path) -> None:
    result = upright("why", *asked, "--library", folder)
    assert "Traceback" not in result.output
    for text in wanted:
        assert text in result.output


def test_the_call_that_verify_prints_explains_it(folder: Path) -> None:
    said = upright("verify", "--library", folder).output
    for case in ("value", "rule", "timing", "fault"):
        assert f"upright why b/{case} --library {folder}" in said
    assert "upright why b/good" not in said


def test_json_has_what_is_wrong_as_verify_has_it(folder: Path) -> None:
    verdicts = {
        each["name"]: each for each in json.loads(upright("verify", "--json", "--library", folder).stdout)["cases"]
    }
    found = {
        name: json.loads(upright("why", f"b/{name}", "--json", "--library", folder).stdout)
        for name in ("value", "rule", "timing", "fault")
    }
    assert found["value"]["wrong"] == verdicts["value"]["wrong"][0]
    assert found["rule"]["wrong"] == verdicts["rule"]["broken"][0]
    assert found["timing"]["wrong"] == verdicts["timing"]["broken"][0]
    assert found["fault"]["wrong"] == found["fault"]["fault"] == verdicts["fault"]["fault"]
    assert found["value"]["signal"] is None
    assert (found["fault"]["tree"]["value"], found["fault"]["tree"]["kind"]) == (None, "expression")
    assert found["rule"]["tree"]["path"] == "a AND n > 5"
