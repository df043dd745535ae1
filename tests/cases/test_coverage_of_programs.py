"""What random programs reach, against a slow evaluator over the typed tree."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from contextlib import suppress
from random import Random

import pytest

from tests.helpers import checked, machine_for
from upright_block.compiler.program import Mode
from upright_block.language import typed

pytestmark = pytest.mark.long

NAMES = ("a", "b", "c", "d")
DEPTH = 4
ROUNDS = int(os.environ.get("UPRIGHT_COVERED", "150"))


class Writer:
    """Writes a random body; loops at one depth have a counter of their own, so that each ends."""

    def __init__(self, seed: int) -> None:
        self.random = Random(seed)

    def expression(self, depth: int = 0) -> str:
        if depth > 1 or self.random.random() < 0.5:
            return self.random.choice([*NAMES, f"({self.random.randint(-6, 6)})"])
        return f"({self.expression(depth + 1)} {self.random.choice('+-*')} {self.expression(depth + 1)})"

    def condition(self, depth: int = 0) -> str:
        if depth > 1 or self.random.random() < 0.6:
            return f"{self.expression()} {self.random.choice(['<', '>', '=', '<>', '<=', '>='])} {self.expression()}"
        if self.random.random() < 0.3:
            return f"NOT ({self.condition(depth + 1)})"
        return (
            f"(({self.condition(depth + 1)}) {self.random.choice(['AND', 'OR', 'XOR'])} ({self.condition(depth + 1)}))"
        )

    def body(self, depth: int, in_loop: bool) -> list[str]:
        return [line for _ in range(self.random.randint(1, 3)) for line in self.statement(depth, in_loop)]

    def statement(self, depth: int, in_loop: bool) -> list[str]:
        kind = self.random.choice(
            ["set", "if", "case", "for", "while", "repeat", "leave"] if depth < DEPTH else ["set"]
        )
        match kind:
            case "if":
                found = [f"IF {self.condition()} THEN", *self.body(depth + 1, in_loop)]
                for _ in range(self.random.randint(0, 2)):
                    found += [f"ELSIF {self.condition()} THEN", *self.body(depth + 1, in_loop)]
                return [*found, *self.otherwise(depth, in_loop), "END_IF"]
            case "case":
                labels = self.random.sample(range(-3, 7), self.random.randint(1, 5))
                found = [f"CASE {self.expression()} OF"]
                for label in labels:
                    found += [f"{label}:", *self.body(depth + 1, in_loop)]
                return [*found, *self.otherwise(depth, in_loop), "END_CASE"]
            case "for":
                return [f"FOR i{depth} := 1 TO {self.expression()} MOD 4 DO", *self.body(depth + 1, True), "END_FOR"]
            case "while":
                head = f"WHILE w{depth} < 4 AND ({self.condition()}) DO"
                return [f"w{depth} := 0;", head, f"w{depth} := w{depth} + 1;", *self.body(depth + 1, True), "END_WHILE"]
            case "repeat":
                last = f"UNTIL w{depth} > 3 OR ({self.condition()}) END_REPEAT"
                return [f"w{depth} := 0;", "REPEAT", f"w{depth} := w{depth} + 1;", *self.body(depth + 1, True), last]
            case "leave" if self.random.random() < 0.3:
                return [self.random.choice(["EXIT;", "CONTINUE;"]) if in_loop else "RETURN;"]
        return [self.plain()]

    def plain(self) -> str:
        return f"{self.random.choice(NAMES)} := {self.expression()};"

    def otherwise(self, depth: int, in_loop: bool) -> list[str]:
        return ["ELSE", *self.body(depth + 1, in_loop)] if self.random.random() < 0.5 else []


class Left(Exception):
    """RETURN."""


class Over(Exception):
    """EXIT."""


class Next(Exception):
    """CONTINUE."""


class Evaluator:
    """Runs a body over the typed tree, and notes where it comes."""

    def __init__(self) -> None:
        self.values: dict[str, int] = {}
        self.seen: set[tuple[int, str, str]] = set()
        self.turns = 0

    def at(self, start: int, way: str = "") -> None:
        self.seen.add((start, "branch" if way else "statement", way))

    def value(self, node: typed.Expression) -> int:
        match node:
            case typed.Constant(value=value):
                return int(value)
            case typed.Load(place=place):
                return self.get(place)
            case typed.Unary(operator="NOT", operand=operand):
                return 1 - self.value(operand)
            case typed.Unary(operand=operand):
                return wrapped(-self.value(operand))
            case typed.Binary(operator=operator, left=left, right=right):
                return wrapped(int(OPERATORS[operator](self.value(left), self.value(right))))
        raise AssertionError(node)

    def get(self, place: typed.Place) -> int:
        return self.values.get(place.root.name, 0)

    def put(self, place: typed.Place, value: int) -> None:
        self.values[place.root.name] = value

    def body(self, body: Iterable[typed.Statement]) -> None:
        for node in body:
            self.at(node.origin.start)
            match node:
                case typed.Assign(place=place, value=value):
                    self.put(place, self.value(value))
                case typed.Return():
                    raise Left
                case typed.Exit():
                    raise Over
                case typed.Continue():
                    raise Next
                case typed.If(branches=branches, otherwise=otherwise):
                    for branch in branches:
                        is_met = bool(self.value(branch.condition))
                        self.at(branch.origin.start, "TRUE" if is_met else "FALSE")
                        if is_met:
                            self.body(branch.body)
                            break
                    else:
                        self.body(otherwise)
                case typed.Case():
                    self.case(node)
                case typed.For(place=place, first=first, last=last, body=inner):
                    number, end = self.value(first), self.value(last)
                    self.at(node.origin.start, "turn" if number <= end else "no turn")
                    self.put(place, number)
                    while self.get(place) <= end and self.turn(inner):
                        self.put(place, self.get(place) + 1)
                case typed.While(condition=condition, body=inner):
                    goes_on = True
                    while goes_on:
                        is_met = bool(self.value(condition))
                        self.at(node.origin.start, "TRUE" if is_met else "FALSE")
                        goes_on = is_met and self.turn(inner)
                case typed.Repeat(condition=condition, body=inner):
                    goes_on = True
                    while goes_on:
                        goes_on = self.turn(inner)
                        if goes_on:
                            is_over = bool(self.value(condition))
                            self.at(node.origin.start, "TRUE" if is_over else "FALSE")
                            goes_on = not is_over

    def turn(self, body: Iterable[typed.Statement]) -> bool:
        """A turn of a loop; whether it goes on."""
        with suppress(Next):
            try:
                self.body(body)
            except Over:
                return False
        return True

    def case(self, node: typed.Case) -> None:
        selector = self.value(node.selector)
        for arm in node.arms:
            for low, high in arm.ranges:
                if low <= selector <= high:
                    self.at(arm.origin.start, str(low))
                    self.body(arm.body)
                    return
        self.at(node.origin.start, "ELSE" if node.otherwise else "none fits")
        self.body(node.otherwise)


def wrapped(value: int) -> int:
    return (value + 2**31) % 2**32 - 2**31


def remainder(a: int, b: int) -> int:
    return abs(a) % abs(b) * (-1 if a < 0 else 1)


OPERATORS: dict[str, Callable[[int, int], int]] = {
    "+": lambda a, b: a + b,
    "-": lambda a, b: a - b,
    "*": lambda a, b: a * b,
    "MOD": remainder,
    "<": lambda a, b: a < b,
    ">": lambda a, b: a > b,
    "=": lambda a, b: a == b,
    "<>": lambda a, b: a != b,
    "<=": lambda a, b: a <= b,
    ">=": lambda a, b: a >= b,
    "AND": lambda a, b: a and b,
    "OR": lambda a, b: a or b,
    "XOR": lambda a, b: a != b,
}


@pytest.mark.parametrize("first", range(0, ROUNDS, 10))
def test_random_programs_reach_what_the_evaluator_reaches(first: int) -> None:
    for seed in range(first, first + 10):
        writer = Writer(seed)
        counters = ", ".join(f"{letter}{depth}" for letter in "iw" for depth in range(DEPTH))
        body = "\n".join(writer.body(0, False) + writer.body(0, False))
        source = f"FUNCTION_BLOCK B\nVAR {', '.join(NAMES)}, {counters} : DINT; END_VAR\n{body}\nEND_FUNCTION_BLOCK"
        scope, findings = checked(source)
        assert not [finding for finding in findings if finding.severity == "error"], (source, list(map(str, findings)))
        unit = scope.units["B"]
        machine = machine_for(unit, Mode(covers=True))
        evaluator = Evaluator()
        for name in NAMES:
            evaluator.values[name] = writer.random.randint(-9, 9)
            machine.write(name, evaluator.values[name])
        for _ in range(3):
            machine.run(1)
            with suppress(Left):
                evaluator.body(unit.body or ())
        assert {(p.start, p.kind, p.way) for p in machine.reached()} == evaluator.seen, source
        assert {name: machine.read(name) for name in NAMES} == {name: evaluator.values[name] for name in NAMES}, source
