"""A scan statement by statement: what ran, what each statement read and wrote, which way it went."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property

from upright_block.compiler.artifact import joined
from upright_block.compiler.code import Told
from upright_block.compiler.program import Program
from upright_block.errors import UnknownName
from upright_block.language import syntax, typed
from upright_block.language.literals import Value, shown
from upright_block.language.names import did_you_mean
from upright_block.language.nodes import record, replaced
from upright_block.language.syntax import is_made
from upright_block.language.timebase import Timebase
from upright_block.language.types import Elementary, Type
from upright_block.language.walking import every_statement, expressions
from upright_block.machine.trace import Fault
from upright_block.reasons import words
from upright_block.reasons.ways import written_condition
from upright_block.reasons.where import Here, Where
from upright_block.runs.following import Followed
from upright_block.runs.trails import Computed, Ran, Run, Scan

_MOST_NAMED = 8
_MOST_CHANGED = 40
"""Values that one statement is shown to write, of what it copies whole."""


_Deciding = typed.Branch | typed.Case | typed.While | typed.Repeat


@record
class Read:
    """A variable as a statement read it."""

    path: str
    type: Type
    value: Value


@record
class Written:
    """A variable that a statement wrote."""

    path: str
    type: Type
    before: Value
    after: Value


@record
class Condition:
    """A condition, or the selector of a CASE, as a statement computed it: where it stands, and what it read."""

    start: int
    expression: str
    type: Type
    value: Value
    reads: tuple[Read, ...]


@record
class Entry:
    """A statement of a unit in an instance as it ran once in a scan, or as it did not.

    ``turn`` are the numbers of the turns of the loops around it, from 1; ``way`` is the branch that ran, from 1, None
    for none; ``turns`` are those of a loop; ``conditions`` are those that it computed, the last of which decided;
    ``opens`` is the instance that it calls.
    """

    unit: typed.Unit
    instance: str
    statement: typed.Statement
    kind: str
    ran: Ran | None
    turn: tuple[int, ...] = ()
    way: int | None = None
    turns: int | None = None
    conditions: tuple[Condition, ...] = ()
    reads: tuple[Read, ...] = ()
    writes: tuple[Written, ...] = ()
    opens: str | None = None

    @property
    def line(self) -> int:
        """The line that it begins in."""
        return self.unit.source.line(self.statement.origin.start)

    @property
    def text(self) -> str:
        """The statement as it is written; of one with others in it the line that it begins in."""
        source, origin = self.unit.source, self.statement.origin
        if isinstance(self.statement, (typed.If, typed.Case, typed.For, typed.While, typed.Repeat)):
            return source.line_text(self.line).strip()
        return " ".join(source.text[origin.start : origin.end].split())


class Instances:
    """The instances of a program."""

    def __init__(self, program: Program) -> None:
        self.program = program

    @cached_property
    def instances(self) -> dict[str, typed.Unit]:
        """The units of all instances, by path; that of the subject is empty."""
        return {path: unit for _, unit, path in self.program.instances()}

    def written(self) -> list[str]:
        """The instances whose statements somebody wrote, by path, outermost first."""
        found = [path for path, unit in self.instances.items() if _is_written(unit)]
        return sorted(found, key=lambda path: path.count(".") + bool(path))


class Statements(Instances):
    """The statements of a scan of a program, by its number; ``fault`` stopped it."""

    def __init__(self, program: Program, timebase: Timebase, number: int, scan: Scan, fault: Fault | None) -> None:
        super().__init__(program)
        self.number = number
        self.time = timebase.time(number)
        self.timebase = timebase
        self.unit = program.subject
        self.scan = scan
        self.fault = fault
        self.where = Where(program)

    @classmethod
    def of(cls, followed: Followed, number: int) -> Statements:
        """Those of a scan of a run.

        Raises:
            BadValue: the run had stopped before it.
        """
        return cls(followed.program, followed.plan.timebase, number, *followed.scan(number))

    def of_instance(self, path: str, before: int | None = None) -> list[Entry]:
        """The statements of the instance at a path, or of the subject, letter case ignored; ``path#2`` are those of its
        second call in the scan. ``NAME@file:line`` are those of a unit, such as a function, as it was called there.
        What happens from an entry of the trail on, where there is a ``before``, has not.

        Raises:
            UnknownName: there is no such instance or call, or it has no statements of its own.
        """
        name, _, which = path.partition("#")
        if "@" in name:
            return self._of_call(name, which, before)
        known = next((own for own in self.instances if own.upper() == name.upper()), None)
        if known is None:
            raise UnknownName(*words.no_instance(name, did_you_mean(name, filter(None, self.instances))))
        unit = self.instances[known]
        if not any(statement.origin is not syntax.NO_PLACE for statement in unit.body or ()):
            inside = [own for own, of in self.instances.items() if own.startswith(known) and _is_written(of)]
            inside = [own for own in inside if own.count(".") == min(other.count(".") for other in inside)]
            raise UnknownName(*words.no_statements(known or self.unit.name, inside[:_MOST_NAMED]))
        runs = [run for run in self.scan.runs if run.path == known and run.unit is unit]
        runs = [run for run in runs if before is None or run.begin < before]
        number = int(which) if which.isdigit() else 1
        if which and not 1 <= number <= len(runs):
            raise UnknownName(*words.no_such_call(name, len(runs)))
        if before is not None and not which:
            number = len(runs)
        return self.of_run(runs[number - 1], before) if runs else self.not_run(unit, known)

    def _of_call(self, named: str, which: str, before: int | None) -> list[Entry]:
        """The statements of a unit as it was called at a line of a file."""
        name, _, place = named.partition("@")
        file, _, line = place.rpartition(":")
        runs: list[Run] = []
        for run in self.scan.runs:
            caller = run.caller
            if caller is not None and run.unit.name.upper() == name.upper() and not run.unit.is_standard:
                source = caller.run.unit.source
                is_there = str(source.line(caller.statement.origin.start)) == line
                if is_there and f"/{source.path}".endswith(f"/{file}"):
                    runs.append(run)
        number = int(which) if which.isdigit() else 1
        if not 1 <= number <= len(runs):
            raise UnknownName(*words.no_such_call(named, len(runs)))
        return self.of_run(runs[number - 1], before)

    def calls(self, path: str) -> int:
        """How often the instance at a path ran."""
        return sum(run.path.upper() == path.upper() and run.unit is self.instances[run.path] for run in self.scan.runs)

    def of_run(self, run: Run, before: int | None = None) -> list[Entry]:
        """The statements of a run, in the order of the text; one that did not run stands there once."""
        found: list[Entry] = []
        for statement in every_statement(run.unit.body or ()):
            if statement.origin is not syntax.NO_PLACE:
                ran: Sequence[Ran] = run.by_statement.get(id(statement), ())
                if before is not None:
                    ran = [until(each, before) for each in ran if each.at < before]
                found += filter(_is_told, self._entries(run, statement, ran))
        return found

    def not_run(self, unit: typed.Unit, path: str) -> list[Entry]:
        """The statements of a unit that was not called."""
        return [
            Entry(unit, path, statement, kind_of(statement, unit), None)
            for statement in every_statement(unit.body or ())
            if statement.origin is not syntax.NO_PLACE
        ]

    def in_order(self) -> list[Entry]:
        """All statements that somebody wrote, in the order in which they ran."""
        return [
            self.entry(ran)
            for ran in self.scan.ran
            if ran.statement.origin is not syntax.NO_PLACE and not ran.run.unit.is_standard
        ]

    def steps(self) -> Steps:
        """The statements at which somebody who goes through the scan may stand."""
        scan, kinds = self.scan, [_is_seen(told) for told in self.scan.told]
        found: list[tuple[int, int]] = []
        for number, at in enumerate(scan.begun, 1):
            is_seen = kinds[scan.numbers[at] - 1]
            if is_seen or (is_seen is None and _is_told(self.entry(scan.ran_at(at)))):
                found.append((number, at))
        return Steps(scan, found)

    def _entries(self, run: Run, statement: typed.Statement, ran: Sequence[Ran]) -> Iterator[Entry]:
        if not ran:
            yield Entry(run.unit, run.path, statement, kind_of(statement, run.unit), None)
        yield from map(self.entry, ran)

    def entry(self, ran: Ran) -> Entry:
        """A statement as it ran."""
        run, statement = ran.run, ran.statement
        way, conditions = self._way(ran)
        if is_made(statement.origin):  # with what nobody wrote only what is read of what somebody did
            conditions = tuple(condition for condition in conditions if condition.reads)
        is_loop = isinstance(statement, (typed.For, typed.While, typed.Repeat))
        return Entry(
            run.unit,
            run.path,
            statement,
            kind_of(statement, run.unit),
            ran,
            ran.turn,
            way,
            ran.turns if is_loop and ran.turns >= 0 else None,
            conditions,
            tuple(self.reads(ran, ran.values)),
            tuple(self._written(ran)),
            next((called.path for called in ran.calls if called.unit.keeps_data and not called.unit.is_standard), None),
        )

    # --- what it read and wrote ---

    def reads(self, ran: Ran, values: Iterable[Computed]) -> Iterator[Read]:
        """The variables that were read for some values of a statement, each once."""
        seen: set[str] = set()
        for computed in values:
            if isinstance(computed.value, typed.Load):
                path, value = self.path_of(ran, computed), computed.content
                if value is None:
                    value = self._texts.get(computed.at)
                if value is not None and path not in seen and ":" not in path:
                    seen.add(path)
                    yield Read(path, computed.value.place.type, value)

    def path_of(self, ran: Ran, computed: Computed) -> str:
        """The path of what was read; a variable of a function has its own name."""
        assert isinstance(computed.value, typed.Load)
        here = self.where.at(computed.address or computed.bits)
        return here.path if here is not None else _name_of(ran, computed.value.place)

    def _written(self, ran: Ran) -> Iterator[Written]:
        """What a statement wrote; a block of the standard that it calls is not opened, so its outputs are among it."""
        is_call = isinstance(ran.statement, typed.CallInstance)
        for written in self._writes_of(ran):
            if not is_call or written.before != written.after:  # what a pin is given stands in what was read
                yield written
        for run in ran.calls:
            if run.unit.is_standard and run.unit.keeps_data:
                outputs = {joined(run.path, pin.name) for pin in run.unit.section("output")}
                found: dict[str, Written] = {}
                for inner in run.statements:
                    for written in self._writes_of(inner):
                        if written.path in outputs:
                            first = found.setdefault(written.path, written)
                            found[written.path] = replaced(written, before=first.before)
                yield from found.values()

    def _writes_of(self, ran: Ran) -> Sequence[Written]:
        """What a statement wrote, all of it or until some moment."""
        if "_writes" in self.__dict__ and id(ran) in self._writes:
            return self._writes[id(ran)]
        found: dict[str, Written] = {}
        for write in ran.writes:
            end = write.address + len(write.after)
            for here in self.where.between(write.address, end) if len(found) < _MOST_CHANGED else ():
                path = here.path
                if ":" in path and "transition:" not in path:  # nobody wrote it
                    continue
                if write.address <= here.address and here.end <= end:
                    at = here.address - write.address
                    before, after = here.slot.decode(write.before, at), here.slot.decode(write.after, at)
                elif id(ran) in self._writes:  # a part of a value: what the rest of it is, is found for all at once
                    return self._writes[id(ran)]
                else:
                    before, after = here.read(self.scan, write.at), here.read(self.scan, write.at + 1)
                first = found[path].before if path in found else before
                found[path] = Written(path.partition(":")[0], here.type, first, after)
        return tuple(found.values())

    @cached_property
    def _texts(self) -> dict[int, Value]:
        """The texts that were read, by the entry of the trail."""
        wanted = [
            computed
            for ran in self.scan.ran
            for computed in ran.values
            if isinstance(computed.value, typed.Load) and not isinstance(computed.value.type, Elementary)
        ]
        found: dict[int, Value] = {}
        memory, writes = bytearray(self.scan.before), iter(self.scan.writes)
        write = next(writes, None)
        for computed in sorted(wanted, key=lambda computed: computed.at):
            while write is not None and write.at < computed.at:
                memory[write.address : write.address + len(write.after)] = write.after
                write = next(writes, None)
            here = self.where.at(computed.bits)
            if here is not None and here.type is computed.value.type:
                found[computed.at] = here.value(memory)
        return found

    @cached_property
    def _writes(self) -> dict[int, tuple[Written, ...]]:
        """What each statement wrote, with what was there before its first write and after its last one."""
        found: dict[int, dict[str, tuple[Here, Value, Value]]] = {}
        memory = bytearray(self.scan.before)
        for write in self.scan.writes:
            own = found.setdefault(id(write.ran), {})
            end = write.address + len(write.after)
            places = [*self.where.between(write.address, end)] if len(own) < _MOST_CHANGED else []
            befores = [here.value(memory) for here in places]
            memory[write.address : end] = write.after
            for here, before in zip(places, befores, strict=True):
                first = own[here.path][1] if here.path in own else before
                own[here.path] = here, first, here.value(memory)
        return {
            number: tuple(
                Written(path.partition(":")[0], here.type, before, after)
                for path, (here, before, after) in own.items()
                if ":" not in path or "transition:" in path  # else nobody wrote it
            )
            for number, own in found.items()
        }

    # --- which way it went ---

    def _way(self, ran: Ran) -> tuple[int | None, tuple[Condition, ...]]:
        match ran.statement:
            case typed.If(branches=branches, otherwise=otherwise):
                found: list[Condition] = []
                for number, branch in enumerate(branches, start=1):
                    found.append(self._condition(ran, branch, branch.condition))
                    if found[-1].value:
                        return number, tuple(found)
                return len(branches) + 1 if otherwise else None, tuple(found)
            case typed.Case(selector=selector, arms=arms, otherwise=otherwise) as case:
                chosen = self._condition(ran, case, selector)
                held = int(chosen.value)
                fits = (n for n, arm in enumerate(arms, 1) if any(low <= held <= high for low, high in arm.ranges))
                return next(fits, len(arms) + 1 if otherwise else None), (chosen,)
            case typed.While(condition=condition) | typed.Repeat(condition=condition) as loop:
                return None, (self._condition(ran, loop, condition),)
        return None, ()

    def _condition(self, ran: Ran, node: _Deciding, value: typed.Expression) -> Condition:
        """A condition as it was computed last; FALSE where the scan stopped in it."""
        start, end = written_condition(node)
        text = " ".join(ran.run.unit.source.text[start:end].split())
        parts = set(map(id, expressions(value)))
        own = [computed for computed in ran.values if id(computed.value) in parts]
        found = value_of(ran, value)
        return Condition(start, text, value.type, False if found is None else found, tuple(self.reads(ran, own)))


def until(ran: Ran, before: int) -> Ran:
    """What a statement has done before an entry of the trail; the turns of a loop that goes on are not counted."""
    values = [value for value in ran.values if value.at < before]
    writes = [write for write in ran.writes if write.at < before]
    calls = [run for run in ran.calls if run.begin < before]
    is_over = len(values) == len(ran.values) and len(writes) == len(ran.writes) and len(calls) == len(ran.calls)
    return ran if is_over else Ran(ran.statement, ran.run, ran.at, ran.turn, -1, values, writes, calls)


def value_of(ran: Ran, value: typed.Expression) -> Value | None:
    """What an expression was when a statement computed it last; None where it did not."""
    if isinstance(value, typed.Constant):
        return value.value
    return next((computed.content for computed in reversed(ran.values) if computed.value is value), None)


class Steps:
    """Statements of a scan in the order in which they ran, each with its number among all that began, from 1."""

    def __init__(self, scan: Scan, found: Sequence[tuple[int, int]]) -> None:
        self._scan = scan
        self.numbers = [number for number, _ in found]
        self.entries = [at for _, at in found]

    def __len__(self) -> int:
        return len(self.entries)

    def __getitem__(self, number: int) -> Ran:
        return self._scan.ran_at(self.entries[number])

    def __contains__(self, at: int) -> bool:
        """Whether one of them began with an entry of the trail."""
        number = self.behind(at)
        return number < len(self.entries) and self.entries[number] == at

    def behind(self, at: int) -> int:
        """How many of them began before an entry of the trail."""
        return bisect_left(self.entries, at)


def _is_seen(told: Told) -> bool | None:
    """Whether a statement is one that somebody wrote into the library, and not one of the standard's blocks, or one
    that copies points and tags; None of those that were made for others and are seen where they do something.
    """
    unit, statement = told.unit, told.statement
    if statement is None or statement.origin is syntax.NO_PLACE or unit.is_standard or unit.name.startswith(":"):
        return False
    return None if is_made(statement.origin) else True


def _is_written(unit: typed.Unit) -> bool:
    """Whether somebody wrote statements of a unit, outside the standard."""
    return not unit.is_standard and any(each.origin is not syntax.NO_PLACE for each in unit.body or ())


def _is_told(entry: Entry) -> bool:
    """Whether a statement was written, or did something that can be seen."""
    return not is_made(entry.statement.origin) or bool(entry.conditions or entry.reads or entry.writes)


def kind_of(statement: typed.Statement, unit: typed.Unit) -> str:
    """What kind of statement of a unit it is."""
    origin = statement.origin
    if unit.name.startswith(":"):
        return "copy"
    if is_made(origin) and unit.syntax.sequence is not None:
        return "transition" if made_for(statement, unit) is not None else "action"
    return _KINDS[type(statement)]


def made_for(statement: typed.Statement, unit: typed.Unit) -> syntax.Transition | None:
    """The transition of a sequence that a statement was made for; None of what was made for a step or its actions."""
    sequence, origin = unit.syntax.sequence, statement.origin
    if sequence is None or not is_made(origin):
        return None
    heads = [*sequence.steps, *sequence.transitions, *sequence.actions]
    last = max((head for head in heads if head.start <= origin.start), key=lambda head: head.start, default=None)
    return last if isinstance(last, syntax.Transition) else None


def text_of(ran: Ran) -> str:
    """A statement as it is written; of one that was made for a transition the head of that."""
    origin, source = ran.statement.origin, ran.run.unit.source
    transition = made_for(ran.statement, ran.run.unit)
    if transition is not None and origin.start < transition.condition.start:
        head = source.text[transition.start : transition.condition.start]
        return " ".join(head.split()).removesuffix(":=").rstrip()
    text = source.text[origin.start : origin.end]
    return " ".join(text.split("\n", 1)[0].split() if isinstance(ran.statement, typed.For) else text.split())


_KINDS: dict[type, str] = {
    typed.Assign: "assignment",
    typed.AssignPart: "assignment",
    typed.Evaluate: "call",
    typed.CallInstance: "call",
    typed.If: "if",
    typed.Case: "case",
    typed.For: "for",
    typed.While: "while",
    typed.Repeat: "repeat",
    typed.Assert: "call",
    typed.Exit: "exit",
    typed.Continue: "continue",
    typed.Return: "return",
}


def _name_of(ran: Ran, place: typed.Place) -> str:
    origin = place.origin
    written = ran.run.unit.source.text[origin.start : origin.end]
    return written if written and origin is not syntax.NO_PLACE else place.root.name


def shown_change(written: Written) -> str:
    """``run 1 -> 0``; what stays as it was once."""
    before, after = shown(written.before, written.type), shown(written.after, written.type)
    return f"{written.path} {after}" if before == after else f"{written.path} {before} -> {after}"
