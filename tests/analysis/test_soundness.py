"""What the analysis says of random programs against a slow evaluator: values, conditions, writes that nobody sees."""

from __future__ import annotations

import os
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path
from random import Random

import pytest

from tests.cases.test_coverage_of_programs import NAMES, OPERATORS, Evaluator, Left, Writer, wrapped
from tests.helpers import EXAMPLES, ROOT, checked
from upright_block import Collector, open_library
from upright_block.analysis.conditions import can_hold
from upright_block.analysis.facts import Facts
from upright_block.analysis.flow import Flow
from upright_block.analysis.locations import Location
from upright_block.analysis.terms import Term, Terms
from upright_block.analysis.walk import flow_of
from upright_block.language import typed
from upright_block.language.types import Type
from upright_block.library import load_library

ROUNDS = int(os.environ.get("UPRIGHT_SOUND", "250"))
RUNS = 12
LOCALS = [*(f"i{n}" for n in range(5)), *(f"w{n}" for n in range(5))]


class Unknown(Exception):
    """A term of which the analysis does not know the value."""


class Values:
    """The values of terms, where variables begin with these."""

    def __init__(self, begin: dict[str, int]) -> None:
        self.begin = begin
        self.known: dict[Term, int] = {}

    def of(self, term: Term) -> int:
        if term not in self.known:
            self.known[term] = self._of(term)
        return self.known[term]

    def start(self, location: Location) -> int:
        assert isinstance(location, typed.Variable)
        return self.begin[location.name]

    def made(self, how: object, type_: Type, args: tuple[Term, ...]) -> int:
        values = [self.of(arg) for arg in args]
        if how == ("standard", "LIMIT"):
            return min(max(values[1], values[0]), values[2])
        if isinstance(how, str) and how in OPERATORS and len(values) == 2:
            return wrapped(int(OPERATORS[how](*values)))
        if how == "-":
            return wrapped(-values[0])
        raise Unknown

    def _of(self, term: Term) -> int:
        args = [self.of(arg) for arg in term.args] if term.kind not in ("if", "made") else []
        match term.kind:
            case "constant":
                return int(term.low) if term.low is not None else int(term.key)
            case "start":
                return self.start(term.key)
            case "not":
                return 1 - args[0]
            case "and" | "or" | "xor":
                return int(bool(OPERATORS[term.kind.upper()](args[0], args[1])))
            case "within":
                return int(any(low <= args[0] <= high for low, high in term.key))
            case "less":
                return int(args[0] < args[1])
            case "same":
                return int(args[0] == args[1])
            case "if":
                condition, a, b = term.args
                return self.of(a if self.of(condition) else b)
            case "made":
                how, type_ = term.key
                return self.made(how, type_, term.args)
        raise Unknown


class Skipping(Evaluator):
    """Leaves some assignments out."""

    def __init__(self, left_out: Iterable[int] = ()) -> None:
        super().__init__()
        self.left_out = set(left_out)

    def body(self, body: Iterable[typed.Statement]) -> None:
        super().body(s for s in body if not isinstance(s, typed.Assign) or s.origin.start not in self.left_out)


def run(body: tuple[typed.Statement, ...], start: dict[str, int], left_out: Iterable[int] = ()) -> Skipping:
    """One scan from these values."""
    evaluator = Skipping(left_out)
    evaluator.values = dict(start)
    with suppress(Left):
        evaluator.body(body)
    return evaluator


def make(seed: int) -> typed.Unit:
    lines = Writer(seed).body(0, False)
    declared = ", ".join([*NAMES, *LOCALS])
    text = f"FUNCTION_BLOCK B VAR {declared} : DINT; END_VAR\n" + "\n".join(lines) + "\nEND_FUNCTION_BLOCK"
    scope, findings = checked(text)
    assert not [f for f in findings if f.severity == "error"], (text, [str(f) for f in findings])
    return scope.units["B"]


def starts(seed: int) -> list[dict[str, int]]:
    draw = Random(seed)
    return [{name: draw.randint(-7, 7) for name in (*NAMES, *LOCALS)} for _ in range(RUNS)]


def never(flow: Flow) -> set[tuple[int, str, str]]:
    """What the analysis says that no run does: ways of branches, and statements behind one that leaves."""
    found: set[tuple[int, str, str]] = set()
    for decision in flow.decisions:
        if isinstance(decision.statement, typed.If):
            for wanted in (True, False):
                if can_hold([(decision.condition, True), (decision.value, wanted)]) == "no":
                    found.add((decision.origin.start, "branch", "TRUE" if wanted else "FALSE"))
        elif isinstance(decision.statement, typed.Case):
            arm = decision.statement.arms[decision.index]
            if can_hold([(decision.condition, True), (decision.value, True)]) == "no":
                found |= {(arm.origin.start, "branch", str(low)) for low, _ in arm.ranges}
    return found | {(unreached.origin.start, "statement", "") for unreached in flow.unreached}


@pytest.mark.long
@pytest.mark.parametrize("part", range(10))
def test_values_conditions_and_unseen_writes_are_those_of_the_evaluator(part: int) -> None:
    told = values = dead = 0
    for seed in range(part * ROUNDS // 10, (part + 1) * ROUNDS // 10):
        unit = make(seed)
        body = unit.body
        assert body is not None
        flow = flow_of(unit, Terms(), {})
        said = never(flow)
        told += len(said)
        unseen = {w.statement.origin.start for w in flow.writes if not w.is_seen and w.statement is not None}
        dead += len(unseen)
        for start in starts(seed):
            ran = run(body, start)
            assert said.isdisjoint(ran.seen), seed
            assert run(body, start, unseen).values == ran.values, seed
            begun = Values(start)
            for location, term in flow.final.items():
                assert isinstance(location, typed.Variable)
                with suppress(Unknown):
                    assert begun.of(term) == ran.values[location.name], (seed, location.name, term)
                    values += 1
    assert told
    assert values > 50
    assert dead


LIBRARIES = [EXAMPLES / "demo", EXAMPLES / "start", ROOT / "src" / "upright_block" / "stand_ins"]


@pytest.mark.parametrize("root", LIBRARIES, ids=lambda root: root.name)
def test_what_cases_reach_is_never_called_unreachable(root: Path) -> None:
    library = open_library(root)
    collector = Collector()
    library.run(collector=collector)
    facts = Facts(load_library(root).scope)
    flows = {(flow.unit.source.path, flow.unit.key): flow for flow in facts.bodies()}
    checked_ways = 0
    for covered in library.coverage(collector):
        flow = flows.get((covered.unit.source.path, covered.unit.key))
        said = never(flow) if flow is not None else set()
        reached = {(spot.start, spot.kind, spot.way) for spot in covered.spots if spot.is_reached}
        assert said.isdisjoint(reached)
        checked_ways += len(reached)
    assert checked_ways
