"""What an answer names suffices, and matters: random blocks are run for every life of their inputs."""

from __future__ import annotations

import os
from itertools import product
from random import Random

from tests.helpers import checked
from upright_block.compiler.program import Mode
from upright_block.face.steered import Steered
from upright_block.language.signals import find_signal
from upright_block.language.timebase import Timebase
from upright_block.reasons.tree import Node
from upright_block.reasons.why import Asker
from upright_block.runs.controller import Moment

COUNT = int(os.environ.get("UPRIGHT_SUFFICIENT", "25"))
INPUTS = "abcdef"


def expression(random: Random, names: str, depth: int = 2) -> str:
    if depth == 0 or random.random() < 0.2:
        return random.choice(["", "NOT "]) + random.choice(names)
    one, other = (expression(random, names, depth - 1) for _ in range(2))
    shape = random.choice(["{0} AND {1}", "{0} OR {1}", "{0} XOR {1}", "NOT ({0} AND {1})", "SEL({2}, {0}, {1})"])
    return f"({shape.format(one, other, random.choice(names))})"


def written(random: Random, name: str, names: str) -> str:
    """Statements that give a variable a value out of others."""

    def some() -> str:
        return expression(random, names)

    match random.randrange(9):
        case 0 | 1:
            return f"IF {some()} THEN {name} := {some()}; ELSE {name} := {some()}; END_IF;"
        case 2:
            return f"{name} := {some()}; IF {some()} THEN {name} := {some()}; END_IF;"
        case 3:
            return f"{name} := {random.choice(['Pick', 'Mix'])}({some()}, {some()}, {some()});"
        case 4:
            one, other = random.choice(names), random.choice(names)
            return f"IF {some()} THEN r := REF({one}); ELSE r := REF({other}); END_IF; {name} := r^;"
        case 5:
            wanted, changed = random.choice(["g[i]", some()]), random.choice(["g[i]", some()])
            turns = f"FOR i := 0 TO 1 DO IF {wanted} THEN {name} := {changed}; END_IF; END_FOR;"
            return f"g[0] := {some()}; g[1] := {some()}; {name} := {some()}; {turns}"
        case 6:
            bits = random.sample(range(8), 2)
            packed = " ".join(f"m.{bit} := {some()};" for bit in bits)
            mask = sum(1 << bit for bit in random.sample([*bits, 5], 2))
            return f"m := 0; {packed} {name} := (m AND 16#{mask:02X}) <> 0;"
        case 7:
            turns = f"WHILE i < 2 DO IF {some()} THEN {name} := g[i]; END_IF; i := i + 1; END_WHILE;"
            return f"i := 0; g[0] := {some()}; g[1] := {some()}; {name} := {some()}; {turns}"
    return f"{name} := {some()};"


def function(random: Random, name: str) -> str:
    """A function of three BOOLs."""
    lines = [
        f"own := {expression(random, 'pqt')};",
        f"{name} := {expression(random, 'pqt')};",
        f"IF {expression(random, 'pqt')} THEN {name} := own; END_IF;",
    ]
    head = f"FUNCTION {name} : BOOL VAR_INPUT p, q, t : BOOL; END_VAR VAR own : BOOL; END_VAR "
    return head + " ".join(lines) + " END_FUNCTION\n"


def block(random: Random) -> str:
    """A block in which each variable is a function of the inputs."""
    names, lines = INPUTS, []
    for name in "uvwxyz":
        lines.append(written(random, name, names))
        names += name
    pins = f"VAR_INPUT {', '.join(INPUTS)} : BOOL; END_VAR VAR_OUTPUT u, v, w, x, y, z : BOOL; END_VAR"
    own = "VAR r : REF_TO BOOL; i : INT; g : ARRAY [0..1] OF BOOL; m : BYTE; END_VAR"
    functions = function(random, "Pick") + function(random, "Mix")
    return f"{functions}FUNCTION_BLOCK B {pins} {own}\n" + "\n".join(lines) + "\nEND_FUNCTION_BLOCK\n"


def leaves(node: Node, nodes: dict[int, Node]) -> set[str]:
    """The inputs below a node, also below what was told before."""
    if node.same is not None:
        return leaves(nodes[node.same], nodes)
    if not node.reasons:
        assert not node.is_cut
        return {node.path}
    return {leaf for reason in node.reasons for operand in reason.operands for leaf in leaves(operand, nodes)}


def numbered(node: Node) -> dict[int, Node]:
    found = {} if node.same is not None else {node.number: node}
    for reason in node.reasons:
        for operand in reason.operands:
            found |= numbered(operand)
    return found


def test_leaves_suffice_and_matter() -> None:
    matter = asked = 0
    for seed in range(COUNT):
        random = Random(seed)
        scope, findings = checked(block(random))
        assert not [finding for finding in findings if finding.severity == "error"]
        machine = Steered(scope.units["B"], scope, Timebase(100_000_000), {}, Mode(), ["z"])
        begin = machine.snapshot()

        def live(life: tuple[bool, ...], machine: Steered = machine, begin: Moment = begin) -> None:
            machine.restore(begin)
            for name, value in zip(INPUTS, life, strict=True):
                machine.set(name, value)
            machine.scan()

        values: dict[tuple[bool, ...], dict[str, bool]] = {}
        for life in product((False, True), repeat=len(INPUTS)):
            live(life)
            values[life] = {name: machine.read(name) is True for name in "uvwxyz"}
        for signal in random.sample("vwxyz", 2):
            life = random.choice(list(values))
            live(life)
            asker = Asker(machine.followed(), None, levels=1000)
            node = asker.why(find_signal(machine.unit, signal), 0)
            named = {INPUTS.index(leaf) for leaf in leaves(node, numbered(node)) if leaf in INPUTS}
            alike = [other for other in values if all(other[number] == life[number] for number in named)]
            assert {values[other][signal] for other in alike} == {values[life][signal]}, (seed, signal, life)
            if len({each[signal] for each in values.values()}) == 2:  # else no life changes it
                apart = [other for other in values if all(other[n] == life[n] for n in range(6) if n not in named)]
                matter += len({values[other][signal] for other in apart})  # 2 where they change it by themselves
                asked += 2
    # What a SEL did not choose is not named, though it would have to change too for another result.
    assert matter > 0.95 * asked
