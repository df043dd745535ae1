"""A force is a value that no write changes: random programs with random forces, against a slow evaluator."""

from __future__ import annotations

import os
from collections.abc import Callable
from random import Random

import pytest

from tests.helpers import SECOND, checked
from upright_block.compiler.artifact import Slot
from upright_block.compiler.looking import Probe
from upright_block.compiler.program import Mode, make_program
from upright_block.language.checking import observe
from upright_block.language.telling.findings import Findings
from upright_block.language.timebase import Timebase
from upright_block.machine.events import Event, force_event, store_events
from upright_block.machine.machine import Machine

ROUNDS = int(os.environ.get("UPRIGHT_FORCED", "120"))
SCANS = 8
HEAD = """
VAR_GLOBAL g : DINT; END_VAR
TYPE Pair : STRUCT p, q : DINT; END_STRUCT; END_TYPE
FUNCTION Raised VAR_IN_OUT x : DINT; END_VAR VAR_INPUT plus : DINT; END_VAR x := x + plus; END_FUNCTION
FUNCTION_BLOCK Leaf VAR_INPUT i : DINT; END_VAR VAR_OUTPUT o : DINT; END_VAR VAR n : DINT; END_VAR
n := n + i; o := n - i; n := n + o;
END_FUNCTION_BLOCK
FUNCTION_BLOCK Nest VAR_INPUT i : DINT; END_VAR VAR_OUTPUT o : DINT; END_VAR VAR leaf : Leaf; END_VAR VAR_EXTERNAL g : DINT; END_VAR
METHOD PUBLIC Bump : DINT VAR_INPUT plus : DINT; END_VAR o := o + plus; Bump := o + leaf.o; END_METHOD
leaf(i := i, o => o); g := g + leaf.o;
END_FUNCTION_BLOCK
"""
NUMBERS = [
    *"abcdeig",
    "r.p",
    "r.q",
    "t.p",
    "t.q",
    *(f"{x}[{n}]" for x in "lm" for n in range(3)),
    "s.i",
    "s.o",
    "n.i",
    "n.o",
]
INSIDE = ("s.n", "n.leaf.i", "n.leaf.o", "n.leaf.n")
FLAGS = ("x", "y")
WIDTHS = dict.fromkeys((*NUMBERS, *INSIDE), 32) | dict.fromkeys(FLAGS, 8) | {"w": 16, "v": 16}
WRITTEN = ("a", "b", "c", "e", "g", "r.p", "r.q", "t.p", "t.q", "l[0]", "l[1]", "m[2]")
Step = Callable[["Memory"], None]
Value = Callable[["Memory"], int]


class Memory:
    """Variables as bits; what is forced of them, and what the input has beneath its force."""

    def __init__(self) -> None:
        self.bits = dict.fromkeys(WIDTHS, 0)
        self.mask = dict.fromkeys(WIDTHS, 0)
        self.held = dict.fromkeys(WIDTHS, 0)
        self.driven = 0
        self.reference = "a"

    def __getitem__(self, name: str) -> int:
        bits, width = self.bits[name], WIDTHS[name]
        return bits - (1 << width) if width == 32 and bits >> 31 else bits

    def __setitem__(self, name: str, value: int) -> None:
        mask = self.mask[name]
        self.bits[name] = (value & (1 << WIDTHS[name]) - 1) & ~mask | self.held[name] & mask


def run(steps: list[Step], memory: Memory) -> None:
    for step in steps:
        step(memory)


def storing(name: str, value: Value) -> Step:
    def store(memory: Memory) -> None:
        memory[name] = value(memory)

    return store


def leaf(memory: Memory, path: str, value: int) -> None:
    memory[f"{path}.i"] = value
    memory[f"{path}.n"] = memory[f"{path}.n"] + memory[f"{path}.i"]
    memory[f"{path}.o"] = memory[f"{path}.n"] - memory[f"{path}.i"]
    memory[f"{path}.n"] = memory[f"{path}.n"] + memory[f"{path}.o"]


class Writer:
    """Writes random statements, each as text and as a step of the evaluator."""

    def __init__(self, random: Random) -> None:
        self.random = random
        self.kinds = [self.number, self.flag, self.bit, self.word, self.choice, self.loop, self.leaf, self.nest]
        self.kinds += [self.method, self.shared, self.copy, self.reference, self.through, self.received]

    def value(self, depth: int = 0) -> tuple[str, Value]:
        if depth > 1 or self.random.random() < 0.5:
            if self.random.random() < 0.3:
                number = self.random.randint(0, 9)
                return str(number), lambda memory: number
            name = self.random.choice(NUMBERS)
            return name, lambda memory: memory[name]
        (left, a), (right, b) = self.value(depth + 1), self.value(depth + 1)
        if self.random.random() < 0.5:
            return f"({left} + {right})", lambda memory: a(memory) + b(memory)
        return f"({left} - {right})", lambda memory: a(memory) - b(memory)

    def condition(self) -> tuple[str, Value]:
        kind, (text, value) = self.random.randrange(3), self.value(2)
        name, bit = self.random.choice(FLAGS), self.random.randrange(16)
        if kind == 0:
            return f"{text} > 3", lambda memory: value(memory) > 3
        if kind == 1:
            return f"w.{bit}", lambda memory: memory["w"] >> bit & 1
        return f"NOT {name}", lambda memory: not memory[name]

    def body(self, depth: int = 0) -> tuple[str, list[Step]]:
        made = [self.random.choice(self.kinds)(depth) for _ in range(self.random.randint(1, 5))]
        return "\n".join(text for text, _ in made), [step for _, step in made]

    def number(self, depth: int) -> tuple[str, Step]:
        name, (text, value) = self.random.choice(WRITTEN), self.value()
        return f"{name} := {text};", storing(name, value)

    def flag(self, depth: int) -> tuple[str, Step]:
        name, (text, value) = self.random.choice(FLAGS), self.condition()
        return f"{name} := {text};", storing(name, value)

    def bit(self, depth: int) -> tuple[str, Step]:
        number, (text, value) = self.random.randrange(16), self.condition()
        return f"w.{number} := {text};", storing("w", lambda m: m["w"] & ~(1 << number) | bool(value(m)) << number)

    def word(self, depth: int) -> tuple[str, Step]:
        to, source = self.random.choice([("w", "v"), ("v", "w")])
        return f"{to} := {source} XOR 16#0F30;", storing(to, lambda memory: memory[source] ^ 0x0F30)

    def choice(self, depth: int) -> tuple[str, Step]:
        if depth > 2:
            return self.number(depth)
        (text, value), (yes, first), (no, second) = self.condition(), self.body(depth + 1), self.body(depth + 1)
        return f"IF {text} THEN {yes} ELSE {no} END_IF", lambda m: run(first if value(m) else second, m)

    def loop(self, depth: int) -> tuple[str, Step]:
        """A loop counts by itself, whatever its variable is forced to."""
        if depth:
            return self.number(depth)
        text, steps = self.body(3)
        last = self.random.randint(0, 3)

        def turn(memory: Memory) -> None:
            for number in range(last + 1):
                memory["i"] = number
                run(steps, memory)
            memory["i"] = last + 1

        return f"FOR i := 0 TO {last} DO {text} END_FOR", turn

    def leaf(self, depth: int) -> tuple[str, Step]:
        text, value = self.value()
        return f"s(i := {text});", lambda memory: leaf(memory, "s", value(memory))

    def received(self, depth: int) -> tuple[str, Step]:
        """An output that goes to a variable."""
        name, (text, value) = self.random.choice(WRITTEN), self.value()

        def call(memory: Memory) -> None:
            leaf(memory, "s", value(memory))
            memory[name] = memory["s.o"]

        return f"s(i := {text}, o => {name});", call

    def nest(self, depth: int) -> tuple[str, Step]:
        text, value = self.value()

        def call(memory: Memory) -> None:
            memory["n.i"] = value(memory)
            leaf(memory, "n.leaf", memory["n.i"])
            memory["n.o"] = memory["n.leaf.o"]
            memory["g"] = memory["g"] + memory["n.leaf.o"]

        return f"n(i := {text});", call

    def method(self, depth: int) -> tuple[str, Step]:
        text, value = self.value()

        def call(memory: Memory) -> None:
            memory["n.o"] = memory["n.o"] + value(memory)
            memory["b"] = memory["n.o"] + memory["n.leaf.o"]

        return f"b := n.Bump(plus := {text});", call

    def shared(self, depth: int) -> tuple[str, Step]:
        name, (text, value) = self.random.choice(WRITTEN), self.value()
        return f"Raised(x := {name}, plus := {text});", storing(name, lambda memory: memory[name] + value(memory))

    def copy(self, depth: int) -> tuple[str, Step]:
        to, source, parts = self.random.choice([("r", "t", (".p", ".q")), ("l", "m", ("[0]", "[1]", "[2]"))])
        to, source = (to, source) if self.random.random() < 0.5 else (source, to)

        def call(memory: Memory) -> None:
            for part in parts:
                memory[to + part] = memory[source + part]

        return f"{to} := {source};", call

    def reference(self, depth: int) -> tuple[str, Step]:
        name = self.random.choice(WRITTEN)

        def call(memory: Memory) -> None:
            memory.reference = name

        return f"z := REF({name});", call

    def through(self, depth: int) -> tuple[str, Step]:
        text, value = self.value()

        def call(memory: Memory) -> None:
            memory[memory.reference] = value(memory)

        return f"z^ := {text};", call


def events_of(random: Random, slots: dict[str, Slot]) -> tuple[list[Event], list[list[Step]]]:
    """Random forces, releases and driven values, as events and as what the evaluator does before each scan."""
    events: list[Event] = []
    steps: list[list[Step]] = [[] for _ in range(SCANS)]
    places = [*WIDTHS, *(f"{word}.{bit}" for word in "wv" for bit in range(16))]
    for scan in range(SCANS):
        for _ in range(random.randrange(4)):
            path = random.choice(["d", *random.sample(places, 3)])
            slot, action = slots[path], random.choice(["force", "force", "release", "store"])
            name, _, bit = path.partition(".") if path[0] in "wv" else (path, "", "")
            whole = (1 << WIDTHS[name]) - 1
            mask = 1 << int(bit) if bit else whole
            value = random.getrandbits(1) if bit or name in FLAGS else random.getrandbits(WIDTHS[name])
            bits = value << int(bit) if bit else value
            signed = value - (1 << 32) if WIDTHS[name] == 32 and value >> 31 else value
            content = slot.encode(signed)
            if action == "store":
                events += store_events(slot, scan, content)
                steps[scan].append(stored(name, mask, bits))
            else:
                found = content if action == "force" else None
                events.append(force_event(slot, scan, found, name == "d"))
                steps[scan].append(forced(name, mask, bits if found else None))
    return events, steps


def stored(name: str, mask: int, bits: int) -> Step:
    def store(memory: Memory) -> None:
        memory[name] = memory.bits[name] & ~mask | bits
        if name == "d":
            memory.driven = bits

    return store


def forced(name: str, mask: int, bits: int | None) -> Step:
    def force(memory: Memory) -> None:
        if bits is None:
            was_forced = memory.mask[name] & mask
            memory.mask[name] &= ~mask
            if name == "d" and was_forced:
                memory[name] = memory.driven
            return
        if name == "d" and not memory.mask[name]:
            memory.driven = memory.bits[name]
        memory.mask[name] |= mask
        memory.held[name] = memory.held[name] & ~mask | bits
        memory[name] = memory.bits[name]

    return force


@pytest.mark.parametrize(
    "mode", [Mode(forces=True), Mode(forces=True, notes_writers=True), Mode(forces=True, covers=True)], ids=str
)
@pytest.mark.parametrize("first", range(0, ROUNDS, 40))
def test_random_programs_with_random_forces_agree_with_the_evaluator(first: int, mode: Mode) -> None:
    """Also what a rule sees of them, after each scan."""
    for seed in range(first, first + 40):
        random = Random(seed)
        text, steps = Writer(random).body()
        source = HEAD + (
            "FUNCTION_BLOCK B VAR_INPUT d : DINT; END_VAR VAR_OUTPUT e : DINT; x : BOOL; END_VAR VAR_EXTERNAL g : DINT; END_VAR\n"
            "VAR a, b, c, i : DINT; r, t : Pair; l, m : ARRAY [0..2] OF DINT; s : Leaf; n : Nest; y : BOOL; w, v : WORD; "
            f"z : REF_TO DINT; END_VAR\nz := REF(a);\n{text}\nEND_FUNCTION_BLOCK\n"
        )
        scope, findings = checked(source)
        assert not [f for f in findings if f.severity == "error"], (source, list(map(str, findings)))
        unit = scope.units["B"]
        seen = [observe(name, unit, scope, Findings()) for name in ("a", "e", "x", "n.leaf.n", "w")]
        machine = Machine.of(make_program(unit, probes=[Probe(method) for method in seen if method], mode=mode))
        machine.timebase = Timebase(SECOND)
        slots = {path: machine.slot(path) for path in WIDTHS}
        slots |= {f"{word}.{bit}": machine.slot(f"{word}.{bit}") for word in "wv" for bit in range(16)}
        events, before = events_of(random, slots)
        trace = machine.run(SCANS, sorted(events, key=lambda event: event.scan))
        assert trace.fault is None
        memory = Memory()
        for scan in range(SCANS):
            run(before[scan], memory)
            memory.reference = "a"
            run(steps, memory)
            came = {name: int(trace.column(slots[name])[scan]) for name in WIDTHS}
            assert came == {name: memory[name] for name in WIDTHS}, (seed, scan, source)
            probed = [int(trace.column(slot)[scan]) for slot in machine.artifact.probes]
            assert probed == [memory[name] for name in ("a", "e", "x", "n.leaf.n", "w")]
