"""An artifact and a plan are plain data: another process runs them to the same end."""

from __future__ import annotations

import pickle
import subprocess
import sys

import pytest

from tests.helpers import EXAMPLES, checked
from upright_block import open_library
from upright_block.cases.session import Session
from upright_block.compiler.linking import build_artifact
from upright_block.compiler.program import Mode, make_program
from upright_block.language.types import ELEMENTARY, Elementary
from upright_block.machine.machine import Machine

ELSEWHERE = """
import pickle, sys
from upright_block.cases.session import Session
from upright_block.machine.machine import Machine
for artifact, plan in pickle.load(sys.stdin.buffer):
    pieces = Session(plan, Machine(artifact)).pieces(artifact.slots.values())
    print([(p.first, p.scans, p.start, p.log) for p in pieces])
"""


def test_another_process_runs_the_cases_of_the_example_to_the_byte() -> None:
    sent, wanted = [], []
    for case in open_library(EXAMPLES / "demo").cases:
        program = make_program(case.unit, mode=Mode(forces=case.plan.forces))
        named = [signal for signal in case.signals.values() if not signal.variable.is_code]
        artifact = build_artifact(program, named=named)
        sent.append((artifact, case.plan))
        pieces = Session(case.plan, Machine(artifact, find=program.slot)).pieces(artifact.slots.values())
        wanted.append(str([(p.first, p.scans, p.start, p.log) for p in pieces]))
    call = [sys.executable, "-c", ELSEWHERE]
    made = subprocess.run(call, input=pickle.dumps(sent), capture_output=True, check=False)
    assert made.returncode == 0, made.stderr.decode()
    assert made.stdout.decode().splitlines() == wanted
    assert len(set(wanted)) > 10


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
