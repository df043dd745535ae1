"""The examples of the documents do what the documents say."""

from __future__ import annotations

import re
import shlex
import shutil
from pathlib import Path
from typing import Any

import pytest

from tests.helpers import EXAMPLES, ROOT, upright
from upright_block import open_library

BLOCK = re.compile(r"```toml\n(.*?)```", re.DOTALL)
DOCUMENTS = "".join((ROOT / "docs" / name).read_text("utf-8") for name in ("cases.md", "stand-ins.md"))
CASES = [text for text in BLOCK.findall(DOCUMENTS) if "levels" not in text]


@pytest.mark.parametrize("number", range(len(CASES)))
def test_an_example_of_cases_is_good(tmp_path: Path, number: int) -> None:
    root = tmp_path / "glasshouse"
    shutil.copytree(EXAMPLES / "demo", root)
    text = CASES[number]
    if text.startswith("# rules/"):
        name = text.splitlines()[0].removeprefix("# ")
        (root / name).parent.mkdir(exist_ok=True)
        (root / name).write_text(text)
    else:
        for path in (root / "cases").glob("*.*"):
            path.unlink()
        head = "" if re.match("block|configuration|program", text) else 'block = "VentDrive"\nscan = "100ms"\n'
        (root / "cases" / "example.toml").write_text(head + text)
    library = open_library(root)
    assert [f"{f}" for f in library.findings if f.name != "unused-rig"] == []
    verdicts = library.run()
    assert verdicts
    assert [(v.case.name, v.status, v.breaks) for v in verdicts if v.status != "passed"] == []


CALLS = "".join((ROOT / "docs" / name).read_text("utf-8") for name in ("run.md", "reports.md", "checking.md"))


@pytest.mark.parametrize("line", re.findall(r"^    upright (.*)$", CALLS, re.MULTILINE))
def test_an_example_of_a_call_does_something(line: str, glasshouse: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(glasshouse)
    result = upright(*shlex.split(line, comments=True))
    assert result.exit_code == 0, result.output
    assert re.search(
        "scans, |is TRUE at|page in |┴|cases: 36 good|9 cases: 9 good|no findings|warning: |written  ", result.output
    ), result.output


def test_the_example_in_python_runs(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    shutil.copytree(EXAMPLES / "demo", tmp_path / "glasshouse")
    monkeypatch.chdir(tmp_path)
    text = (ROOT / "docs" / "python.md").read_text("utf-8")
    code = re.findall(r"```python\n(.*?)```", text, re.DOTALL)[0]
    names: dict[str, Any] = {}
    exec(code, names)
    assert [list(part) for part in names["vent"].trace("stuck")["stuck"]] == [[0, 5_100_000_000], [False, True]]
    assert names["vent"].now == 5_200_000_000
    assert names["plant"].read("bay1_vent_up") is False


def test_the_document_of_cases_has_examples() -> None:
    assert sum("timing" in text for text in CASES) >= 1
    assert sum("always" in text for text in CASES) >= 1
    assert len(CASES) >= 4
