"""An artifact and a plan are plain data: another process runs them to the same end."""

from __future__ import annotations

import json
import pickle
import re
import shutil
import subprocess
import sys
from io import BytesIO
from pathlib import Path

import pytest

from tests.helpers import EXAMPLES, checked
from upright_block.cases.suite import load_suite
from upright_block.compiler.linking import build_artifact
from upright_block.compiler.program import Mode, make_program
from upright_block.language.types import ELEMENTARY, Elementary
from upright_block.library import load_library
from upright_block.machine.machine import Machine
from upright_block.reports.verdicts import failure_lines, verdict_data
from upright_block.runs.runner import Shared, run_cases
from upright_block.runs.verdict import Verdict

ELSEWHERE = """
import pickle, sys
from upright_block.runs.runner import run_case
from upright_block.machine.machine import Machine
for case, artifact, noting, looked in pickle.load(sys.stdin.buffer):
    verdict = run_case(case, Machine(artifact), lambda: Machine(noting), looked)
    sys.stdout.buffer.write(pickle.dumps(verdict))
"""


def told(verdict: Verdict) -> str:
    """All that is said of a verdict, but for how long it took."""
    lines = failure_lines(verdict, 200)
    return f"{json.dumps(verdict_data(verdict), sort_keys=True)}\n{lines}\n{verdict.moments.after}\n{verdict.unarmed}"


def test_another_process_comes_to_the_same_verdicts(tmp_path: Path) -> None:
    shutil.copytree(EXAMPLES / "demo", tmp_path / "demo")
    for path in sorted((tmp_path / "demo" / "cases").glob("*.toml"))[:4]:  # so that there are breaks and misses too
        text = path.read_text("utf-8")
        text = re.sub(r"^(\d\S* .*)1$", r"\g<1>0", text, flags=re.MULTILINE)
        if path.name == "alarm.toml":
            text = text.replace("[[case]]", 'always = ["NOT horn"]\n\n[[case]]', 1)
        path.write_text(text, "utf-8")
    sent, wanted, seen = [], [], set()
    for bound in load_suite(load_library(tmp_path / "demo")).bound.values():
        shared = Shared([bound])
        made = [shared.artifact(Mode(notes_writers=notes))[1] for notes in (False, True)]
        sent.append((bound.case, *made, shared.of(bound)))
        (verdict,) = run_cases([bound])
        seen |= {verdict.status, *(found.kind for found in verdict.breaks)}
        wanted.append(told(verdict))
    call = [sys.executable, "-c", ELSEWHERE]
    run = subprocess.run(call, input=pickle.dumps(sent), capture_output=True, check=False)
    assert run.returncode == 0, run.stderr.decode()
    out = BytesIO(run.stdout)
    assert [told(pickle.load(out)) for _ in sent] == wanted
    assert seen >= {"passed", "failed", "broken"}
    assert len(set(wanted)) == len(sent) > 10


def test_a_fault_is_told_without_the_library() -> None:
    text = (
        "FUNCTION_BLOCK In VAR_INPUT n : INT; END_VAR VAR_OUTPUT y : INT; END_VAR\ny := 10 / n;\nEND_FUNCTION_BLOCK\n"
    )
    text += "FUNCTION_BLOCK B VAR many : ARRAY [1..2, 0..1] OF In; END_VAR\nmany[1,1](n := 1); many[2,0](n := 0);\nEND_FUNCTION_BLOCK"
    artifact = pickle.loads(pickle.dumps(build_artifact(make_program(checked(text)[0].units["B"]))))
    fault = Machine(artifact).run(1).fault
    assert fault is not None
    assert (fault.instance, fault.site.kind, fault.site.line) == ("many[2,0]", "division by zero", 2)


@pytest.mark.parametrize("type_", [ELEMENTARY["BOOL"], ELEMENTARY["DINT"], ELEMENTARY["TIME"]], ids=str)
def test_a_type_is_itself_wherever_it_comes_from(type_: Elementary) -> None:
    assert pickle.loads(pickle.dumps(type_)) is type_
