"""Sweeps: one case for each combination of values."""

from __future__ import annotations

from itertools import product
from pathlib import Path
from typing import Any

import pytest

from tests.helpers import upright, write_files
from upright_block import open_library

BLOCK = """
FUNCTION_BLOCK Delay VAR_INPUT on : BOOL; delay : TIME; level : INT; END_VAR VAR_OUTPUT late : BOOL; twice : INT; END_VAR
VAR t : TON; END_VAR
t(IN := on, PT := delay); late := t.Q; twice := 2 * level;
END_FUNCTION_BLOCK
"""


def library_of(folder: Path, body: str) -> Any:
    case = f'block = "Delay"\nscan = "100ms"\n[[case]]\nname = "c"\n{body}\n'
    write_files(folder, {"upright.toml": "", "blocks/b.st": BLOCK, "cases/c.toml": case})
    return open_library(folder)


SWEEP = """
sweep = { delay = ["1s", "2.5s"], level = [3, -4], doubled = [6, -8] }
given = { delay = "{delay}" }
run_for = "5s"
drive = \"\"\"
pin | shape
on  | pulse at=1s width={delay}
\"\"\"
vectors = \"\"\"
at | level   | twice
0s | {level} | {doubled}
\"\"\"
never = ["late AND delay <> T#{delay}"]
timing = \"\"\"
from     | to        | min     | max     | count
on rises | on falls  | {delay} | {delay} | 1
\"\"\"
"""


def test_each_combination_is_a_case_of_its_own(tmp_path: Path) -> None:
    library = library_of(tmp_path, SWEEP)
    assert [f"{f}" for f in library.findings] == []
    verdicts = library.run()
    names = [f"c [delay={d}, level={n}, doubled={m}]" for d, n, m in product(("1s", "2.5s"), (3, -4), (6, -8))]
    assert [v.case.name for v in verdicts] == names
    good = [2 * n == m for _, n, m in product("12", (3, -4), (6, -8))]
    assert [v.status == "passed" for v in verdicts] == good
    assert [v.measures[0].least for v in verdicts] == [10**9] * 4 + [25 * 10**8] * 4


@pytest.mark.parametrize(
    ("body", "name"),
    [
        ('sweep = { delay = "5s" }\nrun_for = "1s"', "wrong-kind"),
        ('sweep = ["5s"]\nrun_for = "1s"', "wrong-kind"),
        ('sweep = { delay = [] }\nrun_for = "1s"', "wrong-kind"),
        ('sweep = { delay = ["5s"] }\nrun_for = "1s"\nalways = ["NOT late"]', "given-unused"),
        (
            'sweep = { delay = ["soon"] }\ngiven = { delay = "{delay}" }\nrun_for = "1s"\nalways = ["NOT late"]',
            "bad-value",
        ),
        ("sweep = { a = [1, 2] }\ngiven = { level = '{b}' }\nrun_for = '1s'", "given-unused"),
        (f"sweep = {{ a = {list(range(101))}, b = {list(range(100))} }}\nrun_for = '1s'", "too-long"),
    ],
)
def test_a_sweep_that_cannot_be_is_told(tmp_path: Path, body: str, name: str) -> None:
    assert name in [f.name for f in library_of(tmp_path, body).findings]


def test_a_case_of_a_sweep_is_chosen_by_its_values(tmp_path: Path) -> None:
    library_of(tmp_path, SWEEP)
    for name, count in (
        ("c [delay=1s, level=3, doubled=6]", 1),
        ("[delay=1s, level=3, doubled=6", 1),
        ("c [delay=*=3*=6]", 2),
    ):
        shown = upright("verify", name, "--library", tmp_path)
        assert (shown.exit_code, f"{count} good" in shown.output) == (0, True), shown.output
