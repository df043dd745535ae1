"""What a scan did, read from the trail that it left: which statements ran, what they read, computed and wrote.

A trail is long where a plant is large, and few of its statements matter to who asks: only where units begin and end is
found out at once, what happened in one of them when it is looked at.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from heapq import merge

from upright_block.compiler.artifact import Held
from upright_block.compiler.code import Told
from upright_block.compiler.layout import DATA, decode
from upright_block.compiler.linking import Bodies, build_telling
from upright_block.compiler.program import Program
from upright_block.compiler.trails import CALLED, ENTERED, INSERTED, LEFT, RESUMED, TURNED
from upright_block.language import typed
from upright_block.language.literals import Value
from upright_block.language.nodes import Side, fresh, node, state
from upright_block.language.typed import closure
from upright_block.language.types import Elementary
from upright_block.language.walking import inner_bodies
from upright_block.machine.machine import Machine

_ENTRY = 16
"""Bytes of an entry: a number, what it is about, a value; see ``trail.wat``."""
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
    """Bytes that were written in a scan, at an entry of its trail; ``ran`` is the statement, None for what came from
    outside.
    """

    scan: Scan
    ran: Ran | None
    address: int
    after: bytes
    at: int

    @property
    def before(self) -> bytes:
        """What was there before."""
        return self.scan.part(self.address, self.address + len(self.after), self.at)


class Run:
    """One run of the body of a unit: in the instance at an ``address``. It goes from ``begin`` to ``end``, entries of
    the trail; ``around`` is the run that is open meanwhile, ``inner`` are those that are open in it.
    """

    __slots__ = (
        "_by_statement",
        "_called",
        "_path",
        "_statements",
        "address",
        "around",
        "begin",
        "end",
        "inner",
        "scan",
        "unit",
    )

    def __init__(self, scan: Scan, unit: typed.Unit, address: int, begin: int, end: int, around: Run | None) -> None:
        self.scan = scan
        self.unit = unit
        self.address = address
        self.begin = begin
        self.end = end
        self.around = around
        self.inner: list[Run] = []
        self._called: tuple[Ran | None, typed.Expression | None] = None, None
        self._statements: list[Ran] | None = None
        self._by_statement: dict[int, list[Ran]] = {}
        self._path: str | None = None

    @property
    def statements(self) -> list[Ran]:
        """The statements that ran in it, in their order."""
        if self._statements is None:
            self._statements = []
            self._read(self._statements)
        return self._statements

    @property
    def by_statement(self) -> Mapping[int, list[Ran]]:
        """The same by the identity of the statement."""
        return self._by_statement if self.statements else {}

    def before(self, statement: typed.Statement, at: int) -> Ran | None:
        """A statement as it was begun last before an entry of the trail."""
        found = self.by_statement.get(id(statement), ())
        number = bisect_left(found, at, key=lambda ran: ran.at)
        return found[number - 1] if number else None

    @property
    def caller(self) -> Ran | None:
        """The statement of the run around it that called it."""
        return self._called[0] if self.around is not None and self.around.statements else None

    @property
    def call(self) -> typed.Expression | None:
        """The expression of that statement that called it, where one did."""
        return self._called[1] if self.caller is not None else None

    @property
    def path(self) -> str:
        """The path of the instance; of a function that of its caller."""
        if self._path is None:
            self._path = self.scan.path_of(self)
        return self._path

    def _read(self, statements: list[Ran]) -> None:
        """Find out what happened between its begin and its end, but for what the runs in it did."""
        scan, ran_by, loops = self.scan, self._by_statement, loops_around(self.unit)
        told, numbers, abouts, values = scan.told, scan.numbers, scan.abouts, scan.values
        now: Ran | None = None
        called: tuple[Ran | None, typed.Expression | None] = None, None
        is_inserted = False
        at = self.begin + 1
        for inner in (*self.inner, None):
            end = self.end if inner is None else inner.begin
            while at < end:
                number = numbers[at]
                if number > 0:
                    own = told[number - 1]
                    key = id(own.statement)
                    if own.value is not None:
                        now = ran_by[key][-1]
                        now.values.append(Computed(own.value, abouts[at], values[at], at))
                    else:
                        assert own.statement is not None
                        around = loops.get(key)
                        turn = tuple([ran_by[id(loop)][-1].turns for loop in around]) if around else ()
                        now = Ran(own.statement, self, at, turn)
                        ran_by.setdefault(key, []).append(now)
                        statements.append(now)
                        is_inserted = False
                elif number >= -8:
                    ran = None if is_inserted else now
                    if ran is None and not is_inserted:  # what starts anew when a unit begins
                        ran = self.caller
                    scan.written(ran, at)
                elif number == INSERTED:
                    is_inserted = True
                else:
                    own = told[values[at] - 1]
                    now = ran_by[id(own.statement)][-1]
                    if number == TURNED:
                        now.turns += 1
                    elif number == CALLED:
                        called = now, own.value
                    else:
                        assert number == RESUMED
                at += 1
            if inner is not None:
                inner._called = called
                if called[0] is not None:
                    called[0].calls.append(inner)
                called = None, None
                at = inner.end + 1

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


class Scan:
    """A scan as it ran; ``runs`` are those of its units, in the order in which they began.

    ``before`` is the memory at its beginning. It is not ``is_whole`` where the trail had no room for the rest.
    ``told`` and ``units`` say what the numbers of the trail mean, ``held`` where instances lie.
    """

    def __init__(
        self,
        trail: bytes,
        is_whole: bool,
        before: bytes,
        told: Sequence[Told],
        units: Mapping[int, typed.Unit],
        held: Held,
    ) -> None:
        words = memoryview(trail)
        self.numbers: list[int] = words.cast("i")[::4].tolist()
        self.abouts = words.cast("I")[1::4]
        self.values = words.cast("q")[1::2]
        self.length = len(trail) // _ENTRY
        self.is_whole = is_whole
        self.before = before
        self.told = told
        self._units = units
        self._held = held
        self._written: dict[int, Write] = {}
        self.runs = self._runs()

    def _runs(self) -> list[Run]:
        """The runs of units, each in the one that is open when it begins."""
        found: list[Run] = []
        open_: list[Run] = []
        for at in self._marks:
            if self.numbers[at] == LEFT:
                open_.pop().end = at
            if self.numbers[at] != ENTERED:
                continue
            unit, around = self._units[self.values[at]], open_[-1] if open_ else None
            run = Run(self, unit, self.abouts[at], at, self.length, around)
            if around is not None:
                around.inner.append(run)
            open_.append(run)
            found.append(run)
        return found

    @cached_property
    def ran(self) -> tuple[Ran, ...]:
        """All statements in their order."""
        return tuple(sorted((ran for run in self.runs for ran in run.statements), key=lambda ran: ran.at))

    @cached_property
    def begun(self) -> list[int]:
        """The entries at which statements began."""
        return [at for at, number in enumerate(self.numbers) if number > 0 and self.told[number - 1].value is None]

    def ran_at(self, at: int) -> Ran:
        """The statement that began with an entry of the trail."""
        run, statement = self._run_at(at), self.told[self.numbers[at] - 1].statement
        assert run is not None
        assert statement is not None
        found = run.before(statement, at + 1)
        assert found is not None
        return found

    @cached_property
    def writes(self) -> tuple[Write, ...]:
        """All writes in their order."""
        return tuple(map(self._write, self._entries))

    @cached_property
    def _marks(self) -> list[int]:
        """The entries that are no statement and no value."""
        return [at for at, number in enumerate(self.numbers) if number < 0]

    @cached_property
    def _entries(self) -> list[int]:
        """The entries that are writes."""
        return [at for at in self._marks if self.numbers[at] >= -8]

    @cached_property
    def _by_block(self) -> Mapping[int, list[int]]:
        """The same by where they are, in blocks of the memory."""
        found: dict[int, list[int]] = {}
        for at in self._entries:
            address = self.abouts[at]
            first, last = address // _BLOCK, (address - self.numbers[at] - 1) // _BLOCK
            for block in (first,) if first == last else (first, last):
                found.setdefault(block, []).append(at)
        return found

    def _from_last(self, start: int, end: int, before: int) -> Iterator[int]:
        """The entries of writes that touch what lies between two addresses, from the last one before an entry on."""
        lists = [self._by_block.get(block, ()) for block in range(start // _BLOCK, (end - 1) // _BLOCK + 1)]
        parts = [_from_behind(own, before) for own in lists]
        last = -1
        for at in parts[0] if len(parts) == 1 else merge(*parts, reverse=True):
            address = self.abouts[at]
            if at != last and address < end and start < address - self.numbers[at]:
                yield at
            last = at

    def touching(self, start: int, end: int, before: int) -> Iterator[Write]:
        """The writes that touch what lies between two addresses, from the last one before an entry of the trail on."""
        return map(self._write, self._from_last(start, end, before))

    def part(self, start: int, end: int, at: int) -> bytes:
        """The bytes between two addresses as they were before an entry of the trail."""
        found = bytearray(self.before[start:end])
        missing = end - start
        seen = bytearray(missing)
        for entry in self._from_last(start, end, at):
            address = self.abouts[entry]
            content = self._content(entry)
            for place in range(max(address, start), min(address + len(content), end)):
                if not seen[place - start]:
                    seen[place - start] = 1
                    found[place - start] = content[place - address]
                    missing -= 1
            if not missing:
                break
        return bytes(found)

    def _content(self, entry: int) -> bytes:
        """What a write stored."""
        return (self.values[entry] & (1 << 64) - 1).to_bytes(8, "little")[: -self.numbers[entry]]

    def _write(self, at: int) -> Write:
        """The write at an entry of the trail."""
        if at not in self._written:
            run = self._run_at(at)
            if run is None or not run.statements or at not in self._written:
                self.written(None, at)
        return self._written[at]

    def written(self, ran: Ran | None, at: int) -> None:
        """Take in that a statement, or who is outside, wrote something at an entry of the trail."""
        write = self._written[at] = Write(self, ran, self.abouts[at], self._content(at), at)
        if ran is not None:
            ran.writes.append(write)

    def _run_at(self, at: int) -> Run | None:
        """The innermost run that is open at an entry of the trail."""
        number = bisect_right(self._begins, at) - 1
        run = self.runs[number] if number >= 0 else None
        while run is not None and run.end <= at:
            run = run.around
        return run

    @cached_property
    def _begins(self) -> list[int]:
        return [run.begin for run in self.runs]

    @cached_property
    def _numbers(self) -> dict[typed.Unit, int]:
        return {unit: number for number, unit in self._units.items()}

    def path_of(self, run: Run) -> str:
        """The path of the instance that a unit runs in; of a function that of its caller."""
        owner = run.unit.owner or run.unit
        number = self._numbers.get(owner) if owner.keeps_data else None
        path = self._held.path_to(run.address - DATA, number) if number is not None else None
        if path is None and run.around is not None:
            return run.around.path
        return path or ""


class Follower:
    """A machine whose scans leave trails, and what these mean."""

    def __init__(self, program: Program, bodies: Bodies | None = None) -> None:
        self.program = program
        artifact, self.told = build_telling(program, bodies)
        self._units = dict(enumerate(closure(program.root)))
        self.machine = Machine(artifact, find=program.slot)

    def scan(self, go: Callable[[], object]) -> Scan:
        """What the next scan does, which ``go`` runs on the machine."""
        machine = self.machine
        before = machine.image()
        go()
        return Scan(*machine.trail(), before, self.told, self._units, machine.artifact.held)


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


def _from_behind(entries: Sequence[int], before: int) -> Iterator[int]:
    """Those below one, from the last one on."""
    for number in range(bisect_left(entries, before) - 1, -1, -1):
        yield entries[number]


def _content(type_: Elementary, bits: int) -> Value:
    """A value from the 64 bits that a trail has of it."""
    return decode((bits & (1 << 64) - 1).to_bytes(8, "little"), 0, type_)
