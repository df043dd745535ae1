"""Random questions: each value in an answer is one that the run had, and what is called initial is so."""

from __future__ import annotations

import os
from collections.abc import Iterator
from random import Random

import pytest

from tests.helpers import EXAMPLES
from tests.oracle.compare import whole_of
from tests.oracle.programs import make_program as random_program
from upright_block import OpenLibrary, Wishes, open_library
from upright_block.compiler.program import make_program
from upright_block.language.nodes import replaced
from upright_block.language.signals import every_signal, signals
from upright_block.language.timebase import Timebase
from upright_block.language.typed import closure
from upright_block.machine.machine import Machine
from upright_block.reasons.scans import Statements
from upright_block.reasons.tree import Node
from upright_block.reasons.why import Asker
from upright_block.reports import order_lines, why_lines
from upright_block.runs.following import Followed
from upright_block.runs.session import Session, bare_plan

COUNT = int(os.environ.get("UPRIGHT_ASKED", "10"))


@pytest.fixture(scope="module")
def example() -> OpenLibrary:
    return open_library(EXAMPLES / "demo")


def nodes(node: Node) -> Iterator[Node]:
    yield node
    for reason in node.reasons:
        for operand in reason.operands:
            yield from nodes(operand)


def must_be_so(followed: Followed, node: Node, machine: Machine) -> None:
    """What an answer says of values, against a run to the moment that was asked for."""
    session = Session(followed.plan, machine)
    session.advance(node.scan + 1)
    slot = machine.slot(node.path)
    assert repr(machine.peek(slot)) == repr(node.value), node
    functions = {unit.name for unit in closure(followed.unit) if not unit.keeps_data}
    for each in nodes(node):
        assert each.since is None or each.since <= each.scan
        assert each.wrote is None or each.wrote <= each.scan
        is_local = each.path.partition(".")[0] in functions
        if each.kind in ("initial", "rest") and ":" not in each.path and not is_local and not followed.plan.given:
            own = machine.slot(each.path)
            begins = own.decode(machine.artifact.initial, own.offset)
            assert repr(begins) == repr(each.value), each
    assert list(why_lines(node, followed.plan.timebase, 120, show_all=True))


@pytest.mark.parametrize("seed", range(COUNT))
def test_answers_of_the_example_are_what_its_cases_did(seed: int, example: OpenLibrary) -> None:
    random = Random(seed)
    case = random.choice([case for case in example.cases if case.plan.scans < 20_000])
    at = random.randrange(case.plan.scans)
    followed, number = example.follow(case.id, Wishes(), case.plan.timebase.time(at))
    assert number == at
    machine = Machine.of(
        make_program(followed.unit, followed.program.constants, mode=replaced(followed.program.mode, trails=False))
    )
    asker = Asker(followed, case)
    known = [s for s in every_signal(followed.unit).values() if s.is_value and not s.variable.is_code]
    for signal in random.sample(known, min(6, len(known))):
        must_be_so(followed, asker.why(signal, number), machine)


@pytest.mark.parametrize("seed", range(COUNT))
def test_answers_of_random_programs_are_what_they_did(seed: int) -> None:
    random = Random(seed)
    whole = whole_of([random_program(random, number) for number in range(3)])
    plan = replaced(bare_plan(whole.key, Timebase(100_000_000)), scans=4)
    followed = Followed(whole, plan)
    machine, asker = Machine.of(make_program(whole)), Asker(followed, None)
    known = [signal for signal in signals(whole) if signal.is_value]
    for signal in random.sample(known, min(8, len(known))):
        must_be_so(followed, asker.why(signal, random.randrange(4)), machine)
    assert list(order_lines(Statements.of(followed, 2).in_order()))
