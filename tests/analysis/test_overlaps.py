"""What the analysis says of words by parts, addresses, in-outs and references, against an evaluator that has memory."""

from __future__ import annotations

import os
from collections.abc import Iterable
from contextlib import suppress
from random import Random

import pytest

from tests.analysis.test_soundness import Unknown, Values, never
from tests.cases.test_coverage_of_programs import DEPTH, Evaluator, Left, Writer
from tests.helpers import checked
from upright_block.analysis.locations import Bits, Location, members
from upright_block.analysis.terms import Term, Terms
from upright_block.analysis.walk import flow_of
from upright_block.language import typed
from upright_block.language.types import BOOL, DINT, Array, Elementary, Reference, Type

ROUNDS = int(os.environ.get("UPRIGHT_OVERLAPS", "300"))
RUNS = 8
HEAD = """
VAR_GLOBAL g : DINT; h : Pair; END_VAR
TYPE Pair : STRUCT p, q : DINT; END_STRUCT; END_TYPE
FUNCTION Raised VAR_IN_OUT n : DINT; END_VAR VAR_EXTERNAL g : DINT; END_VAR n := n + 1; g := g - 1; END_FUNCTION
FUNCTION_BLOCK Far VAR_INPUT k : REF_TO DINT; e : DINT; END_VAR VAR_OUTPUT o : DINT; END_VAR
o := k^; k^ := e;
END_FUNCTION_BLOCK
"""
HEADS = """FUNCTION_BLOCK B
VAR_IN_OUT x, y : DINT; r : Pair; END_VAR
VAR_EXTERNAL g : DINT; h : Pair; END_VAR
VAR a, b, c, d, {counters} : DINT; s, t : Pair; l, m : ARRAY [0..2] OF DINT; w, v : WORD; z : REF_TO DINT; f : Far; END_VAR
z := REF(a);
"""
NUMBERS = [
    *"abcdxyg",
    "s.p",
    "s.q",
    "t.p",
    "t.q",
    "r.p",
    "r.q",
    "h.p",
    "h.q",
    *(f"{x}[{n}]" for x in "lm" for n in range(3)),
]
WORDS = ["w", "v", "%MW0", "%MW1", "%MW2"]
BYTES = [*(f"{word}.%B{n}" for word in "wv" for n in (0, 1)), "%MB0", "%MB1", "%MB2", "%MB3"]
BITS = [*(f"{word}.{n}" for word in "wv" for n in (0, 3, 7, 8, 12)), "%MX0.0", "%MX0.3", "%MX1.0", "%MX1.4", "%MX2.1"]
PAIRS, LISTS = ["s", "t", "r", "h"], ["l", "m"]


class Overlapping(Writer):
    """Writes what overlaps."""

    def pick(self, names: list[str]) -> str:
        return self.random.choice(names)

    def number(self) -> str:
        """A place of a number."""
        kind = self.random.random()
        if kind < 0.1:
            return f"{self.pick(LISTS)}[LIMIT(0, {self.pick(NUMBERS)}, 2)]"
        return "z^" if kind < 0.2 else self.pick(NUMBERS)

    def expression(self, depth: int = 0) -> str:
        kind = self.random.random()
        if depth > 1 or kind < 0.5:
            return self.pick([self.number(), f"({self.random.randint(-6, 6)})"])
        inner = [self.expression(depth + 1) for _ in range(3)]
        if kind < 0.65:
            return f"LIMIT({', '.join(inner)})"
        return f"({inner[0]} {self.pick(list('+-*'))} {inner[1]})"

    def condition(self, depth: int = 0) -> str:
        kind = self.random.random()
        if kind < 0.2:
            return self.pick(BITS)
        if kind < 0.3:
            return f"{self.pick(BYTES)} = {self.byte()}"
        if kind < 0.4:
            return f"{self.pick(WORDS)} <> {self.pick(WORDS)}"
        return super().condition(depth)

    def byte(self) -> str:
        return self.pick([*BYTES, "BYTE#16#00", "BYTE#16#0F", "BYTE#16#FF"])

    def plain(self) -> str:
        number, value = self.number(), self.expression()
        same = self.random.choice([PAIRS, LISTS])
        return self.pick(
            [
                f"{number} := {value};",
                f"{number} := {value};",
                f"{self.pick(BITS)} := {self.pick([self.condition(), 'TRUE', 'FALSE'])};",
                f"{self.pick(BYTES)} := {self.byte()};",
                f"{self.pick(WORDS)} := {self.pick([*WORDS, 'WORD#0', 'WORD#16#0FF0'])};",
                f"{self.pick(same)} := {self.pick(same)};",
                f"z := REF({self.pick(NUMBERS)});",
                f"Raised(n := {self.pick(NUMBERS)});",
                f"f(k := REF({self.pick(NUMBERS)}), e := {value}, o => {self.pick(NUMBERS)});",
                f"f(e := {value});" if self.random.random() < 0.5 else f"f(k := z, e := {value});",
            ]
        )


class Memory(Evaluator):
    """Runs a body on bytes; ``places`` are where variables lie."""

    def __init__(self, unit: typed.Unit, left_out: Iterable[int] = ()) -> None:
        super().__init__()
        self.bytes = bytearray(8)
        self.places: dict[typed.Variable, int] = {}
        self.left_out = set(left_out)
        self.unit = unit

    def room(self, variable: typed.Variable) -> None:
        """A place for a variable, at its end one for what a reference may reach."""
        if variable not in self.places:
            self.places[variable] = len(self.bytes)
            self.bytes += bytes(16 if variable.is_area else size_of(variable.type))

    def address(self, place: typed.Place) -> int:
        at, type_ = self.places[place.root.shared or place.root], place.root.type
        for step in place.steps:
            match step:
                case typed.Member(owner=owner, variable=variable):
                    at += offset_of(owner, variable)
                    type_ = variable.type
                case typed.Element(array=Array(element=element, bounds=((low, _),)), indices=(index,)):
                    at += (self.value(index) - low) * size_of(element)
                    type_ = element
                case typed.Target():
                    assert isinstance(type_, Reference)
                    at = self.load(at, type_)
                    assert type_.target is not None
                    type_ = type_.target
                case _:
                    raise AssertionError(step)
        return at

    def load(self, at: int, type_: Type) -> int:
        is_signed = isinstance(type_, Elementary) and type_.low < 0
        return int.from_bytes(self.bytes[at : at + size_of(type_)], "little", signed=is_signed)

    def store(self, at: int, type_: Type, value: int) -> None:
        size = size_of(type_)
        self.bytes[at : at + size] = (value & (1 << 8 * size) - 1).to_bytes(size, "little")

    def get(self, place: typed.Place) -> int:
        return self.load(self.address(place), place.type)

    def put(self, place: typed.Place, value: int) -> None:
        self.store(self.address(place), place.type, value)

    def value(self, node: typed.Expression) -> int:
        match node:
            case typed.AddressOf(place=place):
                return self.address(place)
            case typed.Part(operand=operand, shift=shift, type=type_):
                return self.value(operand) >> shift & (1 << width_of(type_)) - 1
            case typed.Convert(operand=operand):
                return self.value(operand)
            case typed.CallStandard(name="LIMIT", inputs=(low, value, high)):
                return min(max(self.value(value), self.value(low)), self.value(high))
        return super().value(node)

    def body(self, body: Iterable[typed.Statement]) -> None:
        for node in body:
            if node.origin.start in self.left_out and isinstance(node, (typed.Assign, typed.AssignPart)):
                continue
            match node:
                case typed.AssignPart(place=place, type=type_, shift=shift, value=value):
                    self.at(node.origin.start)
                    mask, given = (1 << width_of(type_)) - 1 << shift, self.value(value) << shift
                    self.put(place, self.get(place) & ~mask | given & mask)
                case typed.Evaluate(call=call):
                    self.at(node.origin.start)
                    self.call(call.function, {"N": self.address(call.shared[0])})
                case typed.CallInstance(instance=instance, block=block, inputs=inputs, outputs=outputs):
                    self.at(node.origin.start)
                    base = self.address(instance)
                    for pin, given_value in [(pin, self.value(value)) for pin, value in inputs]:
                        self.store(base + offset_of(block, pin), pin.type, given_value)
                    self.call(block, {key: base + offset_of(block, v) for key, v in block.variables.items()})
                    for pin, receiver, _ in outputs:
                        self.put(receiver.place, self.load(base + offset_of(block, pin), pin.type))
                case _:
                    super().body((node,))

    def call(self, unit: typed.Unit, pins: dict[str, int]) -> None:
        """Run another unit, whose variables lie where ``pins`` say."""
        kept, seen = dict(self.places), set(self.seen)
        self.places |= {unit.variables[key]: at for key, at in pins.items()}
        self.body(unit.body or ())
        self.places, self.seen = kept, seen


def width_of(type_: Elementary) -> int:
    return 1 if type_ is BOOL else type_.bits


def size_of(type_: Type) -> int:
    match type_:
        case Elementary():
            return max(type_.bits // 8, 1)
        case Array(element=element, bounds=((low, high),)):
            return (high - low + 1) * size_of(element)
        case typed.Compound():
            return sum(size_of(variable.type) for variable in type_.variables.values())
    raise AssertionError(type_)


def offset_of(owner: typed.Compound, wanted: typed.Variable) -> int:
    at = 0
    for variable in owner.variables.values():
        if variable is wanted:
            return at
        at += size_of(variable.type)
    raise AssertionError(wanted)


def make(seed: int) -> tuple[str, typed.Unit]:
    lines = "\n".join(Overlapping(seed).body(0, False))
    counters = ", ".join(f"{letter}{depth}" for letter in "iw" for depth in range(DEPTH + 1))
    text = HEAD + HEADS.format(counters=counters) + lines + "\nEND_FUNCTION_BLOCK\n"
    scope, findings = checked(text)
    assert not [f for f in findings if f.severity == "error"], (text, [str(f) for f in findings])
    return text, scope.units["B"]


def begin(unit: typed.Unit, seed: int) -> Memory:
    """Memory with any content, and in-outs that may be one variable or lie in one."""
    random = Random(seed)
    memory = Memory(unit)
    used = [v.shared or v for v in unit.variables.values()]
    areas = [v for v in (unit.shares.variables.values() if unit.shares else ()) if v.is_area]
    for variable in [*(v for v in used if v.section != "in_out"), *areas]:
        memory.room(variable)
    memory.bytes += bytes(8)
    shared = {v.name: memory.places[v] for v in memory.places if v.name in ("g", "h")}
    pairs = [shared["h"], len(memory.bytes) - 8]
    numbers = [shared["g"], *(pair + n for pair in pairs for n in (0, 4))]
    for name, choices in (("X", numbers), ("Y", numbers), ("R", pairs)):
        memory.places[unit.variables[name]] = random.choice(choices)
    for at in range(8, len(memory.bytes), 4):
        memory.bytes[at : at + 4] = random.choice([random.randint(-7, 7), random.getrandbits(31)]).to_bytes(
            4, "little", signed=True
        )
    for variable, at in list(memory.places.items()):
        if variable.name in ("z", "f"):
            memory.store(at, DINT, memory.places[unit.variables["A"]])
            memory.store(at + 4, DINT, 0)
    return memory


def run(start: Memory, left_out: Iterable[int] = ()) -> Memory:
    """One scan from this memory."""
    memory = Memory(start.unit, left_out)
    memory.bytes, memory.places = bytearray(start.bytes), start.places
    with suppress(Left):
        memory.body(start.unit.body or ())
    return memory


def held_at(memory: Memory, location: Location) -> int:
    """Where a location lies."""
    root, *rest = members(location)
    assert isinstance(root, typed.Variable)
    at, type_ = memory.places[root], root.type
    for step in rest:
        if isinstance(step, typed.Variable):
            assert isinstance(type_, typed.Compound)
            at, type_ = at + offset_of(type_, step), step.type
        elif isinstance(step, Bits):
            at += step.shift // 8
        else:
            assert isinstance(type_, Array)
            assert isinstance(step, int)
            at, type_ = at + step * size_of(type_.element), type_.element
    return at


def content(memory: Memory, location: Location) -> int:
    last = members(location)[-1]
    if isinstance(last, Bits):
        return (
            memory.load(held_at(memory, location), last.type) >> (last.shift % 8 if last.type is BOOL else 0)
            & (1 << width_of(last.type)) - 1
        )
    type_ = last.type if isinstance(last, typed.Variable) else DINT
    if not isinstance(type_, Elementary):
        raise Unknown
    return memory.load(held_at(memory, location), type_)


class Held(Values):
    """The values of terms, where the memory begins so."""

    def __init__(self, memory: Memory) -> None:
        super().__init__({})
        self.memory = memory

    def start(self, location: Location) -> int:
        return content(self.memory, location)

    def made(self, how: object, type_: Type, args: tuple[Term, ...]) -> int:
        name, *more = how if isinstance(how, tuple) else (how,)
        if name == "of" and args[0].kind == "start":
            return self.start((*members(args[0].key), *more[0]))
        if name == "part":
            assert isinstance(type_, Elementary)
            return self.of(args[0]) >> int(more[0]) & (1 << width_of(type_)) - 1
        return super().made(how, type_, args)


@pytest.mark.long
@pytest.mark.parametrize("part", range(10))
def test_what_overlaps_is_told_as_it_runs(part: int) -> None:
    told = values = dead = 0
    for seed in range(part * ROUNDS // 10, (part + 1) * ROUNDS // 10):
        text, unit = make(seed)
        flow = flow_of(unit, Terms(), {})
        said = never(flow)
        told += len(said)
        unseen = {w.statement.origin.start for w in flow.writes if not w.is_seen and w.statement is not None}
        dead += len(unseen)
        for number in range(RUNS):
            start = begin(unit, seed * RUNS + number)
            ran = run(start)
            assert said.isdisjoint(ran.seen), (seed, text)
            assert run(start, unseen).bytes == ran.bytes, (seed, text)
            held = Held(start)
            for location, term in flow.final.items():
                with suppress(Unknown):
                    assert held.of(term) == content(ran, location), (seed, location, term, text)
                    values += 1
    assert told
    assert values
    assert dead
