"""What a scan did, read from the trail that it left: which statements ran, what they read, computed and wrote."""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterable, Mapping, Sequence

from upright_block.compiler.artifact import Held
from upright_block.compiler.code import Told
from upright_block.compiler.layout import DATA, decode
from upright_block.compiler.linking import Bodies, build_telling
from upright_block.compiler.program import Program
from upright_block.compiler.trails import CALLED, ENTERED, INSERTED, LEFT, RESUMED, TURNED
from upright_block.language import typed
from upright_block.language.literals import Value
from upright_block.language.nodes import Side, fresh, node, record, state
from upright_block.language.typed import closure
from upright_block.language.types import Elementary
from upright_block.language.walking import inner_bodies
from upright_block.machine.machine import Machine

_ENTRY = struct.Struct("<iIq")
_BLOCK = 64
Loop = typed.For | typed.While | typed.Repeat


@node
class Computed:
    """A value as the module had it, at an entry of the trail; ``bits`` are those of an elementary one, else its
    address.

    ``address`` is where a variable was read, 0 for what was computed.
    """

    value: typed.Expression
    address: int
    bits: int
    at: int

    @property
    def content(self) -> Value | None:
        """The value; None where it is not elementary."""
        type_ = self.value.type
        return _content(type_.base, self.bits) if isinstance(type_, Elementary) else None


@node
class Write:
    """Bytes that were written, at an entry of the trail; ``ran`` is the statement, None for what came from outside."""

    ran: Ran | None
    address: int
    before: bytes
    after: bytes
    at: int


@state
class Run:
    """One run of the body of a unit: in the instance at an ``address``, called by a statement of another run, in an
    expression of it where ``call`` is one. It goes from ``begin`` to ``end``, entries of the trail. ``around`` is the
    run that is open meanwhile, ``loops`` are those around statements of the unit.
    """

    unit: typed.Unit
    place: Callable[[Run], str]
    address: int
    caller: Ran | None
    call: typed.Expression | None
    begin: int
    end: int
    around: Run | None
    loops: Mapping[int, tuple[Loop, ...]]
    statements: list[Ran] = fresh(default_factory=list)
    latest: dict[int, Ran] = fresh(default_factory=dict)
    known: str | None = None

    @property
    def path(self) -> str:
        """The path of the instance; of a function that of its caller."""
        if self.known is None:
            self.known = self.place(self)
        return self.known

    def __repr__(self) -> str:
        return f"Run({self.unit.name!r}, {self.path!r})"


@state
class Ran:
    """A statement as it ran once: begun with an entry of the trail, in the turns of the loops around it, outermost
    first, from 1.
    """

    statement: typed.Statement
    run: Run
    at: int
    turn: tuple[int, ...]
    turns: int = 0
    values: list[Computed] = fresh(default_factory=list)
    writes: list[Write] = fresh(default_factory=list)
    calls: list[Run] = fresh(default_factory=list)

    def __repr__(self) -> str:
        return f"Ran({type(self.statement).__name__} of {self.run!r} at {self.at})"


@record
class Scan:
    """A scan as it ran: all statements in their order, all writes, what was driven before it; ``runs`` begin with that
    of the root.

    ``before`` is the memory at its beginning; ``by_block`` has the writes by where they are, in blocks of the memory.
    It is not ``whole`` where the trail had no room for the rest.
    """

    before: bytes
    ran: tuple[Ran, ...]
    writes: tuple[Write, ...]
    runs: tuple[Run, ...]
    length: int
    is_whole: bool
    by_block: Mapping[int, list[Write]]

    def touching(self, start: int, end: int) -> list[Write]:
        """The writes that touch what lies between two addresses, in their order."""
        blocks = range(start // _BLOCK, (end - 1) // _BLOCK + 1)
        found = {write.at: write for block in blocks for write in self.by_block.get(block, ())}
        reached = (
            write for write in found.values() if write.address < end and start < write.address + len(write.after)
        )
        return sorted(reached, key=lambda write: write.at)

    def part(self, start: int, end: int, at: int) -> bytes:
        """The bytes between two addresses as they were before an entry of the trail."""
        found = bytearray(self.before[start:end])
        for write in self.touching(start, end):
            if write.at >= at:
                break
            first, last = max(write.address, start), min(write.address + len(write.after), end)
            if first < last:
                found[first - start : last - start] = write.after[first - write.address : last - write.address]
        return bytes(found)

    def memory(self, at: int) -> bytearray:
        """The memory as it was before an entry of the trail."""
        memory = bytearray(self.before)
        for write in self.writes:
            if write.at >= at:
                break
            memory[write.address : write.address + len(write.after)] = write.after
        return memory


def read_trail(
    trail: bytes, is_whole: bool, before: bytes, told: Sequence[Told], units: Sequence[typed.Unit], held: Held
) -> Scan:
    """Read the trail of a scan; ``told`` and ``units`` say what its numbers mean, ``held`` where instances lie."""
    reader = _Reader(bytearray(before), told, units, held)
    reader.read(trail)
    length = len(trail) // _ENTRY.size
    return Scan(before, tuple(reader.ran), tuple(reader.writes), tuple(reader.runs), length, is_whole, reader.by_block)


class Follower:
    """A machine whose scans leave trails, and what these mean."""

    def __init__(self, program: Program, bodies: Bodies | None = None) -> None:
        self.program = program
        artifact, self.told = build_telling(program, bodies)
        self.units = closure(program.root)
        self.machine = Machine(artifact, find=program.slot)

    def scan(self, go: Callable[[], object]) -> Scan:
        """What the next scan does, which ``go`` runs on the machine."""
        machine = self.machine
        before = machine.image()
        go()
        return read_trail(*machine.trail(), before, self.told, self.units, machine.artifact.held)


class _Reader:
    def __init__(self, memory: bytearray, told: Sequence[Told], units: Sequence[typed.Unit], held: Held) -> None:
        self.memory = memory
        self.told = told
        self.units = units
        self.numbers = {unit: number for number, unit in enumerate(units)}
        self.held = held
        self.open: list[Run] = []
        self.now: list[Ran | None] = [None]
        self.ran: list[Ran] = []
        self.writes: list[Write] = []
        self.by_block: dict[int, list[Write]] = {}
        self.runs: list[Run] = []
        self.called: tuple[Ran | None, typed.Expression | None] = None, None
        self.is_inserted = False

    def read(self, trail: bytes) -> None:
        """Read all entries."""
        told, now = self.told, self.now
        for at, (number, about, value) in enumerate(_ENTRY.iter_unpack(trail)):
            if number > 0:
                own = told[number - 1]
                if own.value is None:
                    self._begin(at, own.statement)
                else:
                    ran = now[-1] = self.open[-1].latest[id(own.statement)]
                    ran.values.append(Computed(own.value, about, value, at))
            elif number >= -8:
                self._write(at, -number, about, value)
            else:
                self._take(at, number, about, value)

    def _take(self, at: int, number: int, about: int, value: int) -> None:
        """Take in an entry that is no statement, value or write."""
        if number == ENTERED:
            self._enter(at, about, self.units[value])
        elif number == LEFT:
            self.open.pop().end = at
            self.now.pop()
        elif number == INSERTED:
            self.is_inserted = True
        else:
            told = self.told[value - 1]
            ran = self.open[-1].latest[id(told.statement)]
            if number == TURNED:
                ran.turns += 1
            elif number == RESUMED:
                self.now[-1] = ran
            else:
                assert number == CALLED
                self.called = ran, told.value

    def _begin(self, at: int, statement: typed.Statement | None) -> None:
        assert statement is not None
        run, key = self.open[-1], id(statement)
        around = run.loops.get(key)
        turn = tuple([run.latest[id(loop)].turns for loop in around]) if around else ()
        self.is_inserted = False
        ran = Ran(statement, run, at, turn)
        run.latest[key] = self.now[-1] = ran
        run.statements.append(ran)
        self.ran.append(ran)

    def _enter(self, at: int, address: int, unit: typed.Unit) -> None:
        caller, call = self.called
        outer = self.open[-1] if self.open else None
        run = Run(unit, self._path, address, caller, call, at, at, outer, loops_around(unit))
        if caller is not None:
            caller.calls.append(run)
        self.called = None, None
        self.runs.append(run)
        self.open.append(run)
        self.now.append(None)

    def _path(self, run: Run) -> str:
        """The path of the instance that a unit runs in; of a function that of its caller."""
        owner = run.unit.owner or run.unit
        number = self.numbers.get(owner) if owner.keeps_data else None
        path = self.held.path_to(run.address - DATA, number) if number is not None else None
        if path is None and run.around is not None:
            return run.around.path
        return path or ""

    def _write(self, at: int, size: int, address: int, value: int) -> None:
        after = (value & (1 << 64) - 1).to_bytes(8, "little")[:size]
        ran = None if self.is_inserted else self.now[-1]
        if ran is None and not self.is_inserted and len(self.now) > 1:  # what starts anew when a unit begins
            ran = self.open[-1].caller
        write = Write(ran, address, bytes(self.memory[address : address + size]), after, at)
        self.memory[address : address + size] = after
        self.writes.append(write)
        for block in {address // _BLOCK, (address + size - 1) // _BLOCK}:
            self.by_block.setdefault(block, []).append(write)
        if ran is not None:
            ran.writes.append(write)


@Side
def loops_around(unit: typed.Unit) -> dict[int, tuple[Loop, ...]]:
    """The loops around each statement of a unit that is in one, outermost first."""
    found: dict[int, tuple[Loop, ...]] = {}

    def walk(body: Iterable[typed.Statement], loops: tuple[Loop, ...]) -> None:
        for statement in body:
            if loops:
                found[id(statement)] = loops
            inner = (*loops, statement) if isinstance(statement, Loop) else loops
            for part in inner_bodies(statement):
                walk(part, inner)

    walk(unit.body or (), ())
    return found


def _content(type_: Elementary, bits: int) -> Value:
    """A value from the 64 bits that a trail has of it."""
    return decode((bits & (1 << 64) - 1).to_bytes(8, "little"), 0, type_)
