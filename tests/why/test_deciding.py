"""With the operands held that are said to decide, nothing else changes the value of an expression: tried by running."""

from __future__ import annotations

from random import Random

import pytest

from tests.helpers import checked
from upright_block.compiler.program import Mode, make_program
from upright_block.language import typed
from upright_block.reasons.deciding import Deciding, deciding
from upright_block.reasons.where import Where
from upright_block.runs.trails import Follower

BOOLS = "abcdef"
WORDS = "uvw"


def condition(random: Random, depth: int) -> str:
    """A BOOL expression."""
    if depth == 0 or random.random() < 0.15:
        leaves: list[str] = [*BOOLS, "TRUE", "FALSE"]
        return random.choice(leaves[: 6 if random.random() < 0.9 else 8])

    def inner() -> str:
        return condition(random, depth - 1)

    match random.randrange(8):
        case 0 | 1:
            return f"({' AND '.join(inner() for _ in range(random.randint(2, 4)))})"
        case 2 | 3:
            return f"({' OR '.join(inner() for _ in range(random.randint(2, 4)))})"
        case 4:
            return f"NOT {inner()}"
        case 5:
            return f"({inner()} XOR {inner()})"
        case 6:
            return f"SEL({inner()}, {inner()}, {inner()})"
        case _:
            return f"({number(random)} {random.choice(['>', '=', '<=', '<>'])} {number(random)})"


def number(random: Random) -> str:
    """An INT expression."""
    match random.randrange(5):
        case 0:
            return f"SEL({random.choice(BOOLS)}, {random.choice(WORDS)}, {random.choice(WORDS)})"
        case 1:
            return f"({random.choice(WORDS)} + {random.choice(WORDS)})"
        case 2:
            return f"MUX({random.choice(WORDS)} MOD 2, u, v)"
        case _:
            leaves: list[str] = [*WORDS, "1", "2"]
            return random.choice(leaves)


class Tried:
    """A block with one expression, run with inputs."""

    def __init__(self, expression: str) -> None:
        pins = f"VAR_INPUT {', '.join(BOOLS)} : BOOL; {', '.join(WORDS)} : INT; END_VAR VAR_OUTPUT q : BOOL; END_VAR"
        scope, findings = checked(f"FUNCTION_BLOCK B {pins} q := {expression}; END_FUNCTION_BLOCK\n")
        assert [str(finding) for finding in findings if finding.severity == "error"] == [], expression
        program = make_program(scope.units["B"], mode=Mode(trails=True))
        self.where = Where(program)
        self.follower = Follower(program)

    def run(self, inputs: dict[str, int]) -> tuple[bool, Deciding, set[str]]:
        """What comes, what is said to decide it, and the inputs that this names."""
        machine = self.follower.machine
        for name, value in inputs.items():
            machine.write(name, bool(value) if name in BOOLS else value)
        scan = self.follower.scan(lambda: machine.run(1, watched=[]))
        ran = next(ran for ran in scan.ran if ran.run.unit.name == "B")
        assert isinstance(ran.statement, typed.Assign)
        found = deciding(ran, ran.statement.value)
        named = {here.path for operand in found.operands if (here := self.where.at(operand.address))}
        return bool(machine.read("q")), found, named


def some(random: Random) -> dict[str, int]:
    return {**{name: random.randrange(2) for name in BOOLS}, **{name: random.randint(0, 2) for name in WORDS}}


@pytest.mark.parametrize("seed", range(60))
def test_the_operands_that_are_named_suffice(seed: int) -> None:
    random = Random(seed)
    expression = condition(random, 3)
    tried = Tried(expression)
    for _ in range(3):
        inputs = some(random)
        result, found, named = tried.run(inputs)
        held = [{name: inputs[name] for name in named}]
        if found.ways:
            tops = [{here.path for operand in part if (here := tried.where.at(operand.address))} for part in found.ways]
            held += [{name: inputs[name] for name in top} for top in tops]
        for kept in held:
            for _ in range(8):
                other = some(random) | kept
                again, _, _ = tried.run(other)
                assert again == result, (expression, inputs, kept, other)


def test_no_more_are_named_than_decide() -> None:
    tried = Tried("(a AND b AND NOT c) OR (d AND SEL(e, f, a))")
    zero = dict.fromkeys(BOOLS, 0) | dict.fromkeys(WORDS, 0)
    assert tried.run(zero)[2] == {"a", "b", "d", "e", "f"}
    assert tried.run(zero | {"a": 1, "b": 1, "d": 1, "f": 1})[2] == {"a", "b", "c", "d", "e", "f"}
    assert tried.run(zero | {"a": 1, "b": 1})[2] == {"a", "b", "c"}
    result, found, named = Tried("a OR b OR c").run(zero | {"a": 1, "c": 1})
    assert (result, found.alone, named) == (True, True, {"a", "c"})
