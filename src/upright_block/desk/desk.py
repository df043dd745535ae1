"""What a desk holds and does: one machine, the text at hand, a watch list, a log; each line that is typed acts here.

It knows nothing of a terminal. Keys are short for lines, so all that can be done can be typed, and is logged as typed.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from difflib import unified_diff
from functools import cached_property
from pathlib import Path

from upright_block.cases.cells import duration, moment
from upright_block.desk import kept, words
from upright_block.desk.lines import KEYS, WORDS
from upright_block.errors import BadValue, NeverMet, NotRunnable, ScanFault, UnknownName, UprightError
from upright_block.face.opened import OpenLibrary
from upright_block.face.steered import Step
from upright_block.language.literals import Value, shown, shown_duration
from upright_block.language.names import did_you_mean
from upright_block.language.nodes import record
from upright_block.language.signals import Signal, every_signal, field_signal, find_signal
from upright_block.language.types import BOOL, Enumeration
from upright_block.language.views.states import names_of
from upright_block.library.writing import Changes
from upright_block.reasons.scans import Entry
from upright_block.reports import Line, Role, reference_lines, step_line, why_lines
from upright_block.runs.controller import Moment
from upright_block.runs.watched import chosen_by, pins_of

_WIDTH = 160
_MOST_LOG = 5_000
_MOST_LISTED = 200
_MOST_WATCHED = 200
_AT_ONCE = 0.03
"""Seconds for which scans are run before the screen is drawn again."""
_LONGEST_SCANS = 1 << 20
_LANES = 20_000_000_000
_ROLES: dict[str, Role] = {"+": "good", "-": "bad"}
Pane = str


@record
class Text:
    """The text at hand: the statements of an instance in the scan that is seen, with the line that comes next."""

    instance: str
    entries: tuple[Entry, ...]
    next_line: int | None
    problem: str = ""

    @property
    def name(self) -> str:
        """The name of its unit."""
        return self.entries[0].unit.name if self.entries else ""


class Desk:
    """A machine that stays, and what is looked at of it.

    ``pane`` is what stands below the text: ``watch``, ``lanes``, ``log``, ``why`` or ``help``. ``chosen`` is the path
    that the cursor is on, ``line`` the line of the text that it is in.
    """

    def __init__(
        self, library: OpenLibrary, target: str, given: dict[str, Value] | None = None, scan: str | None = None
    ) -> None:
        self.library = library
        self.pane: Pane = "watch"
        self.log: list[Line] = []
        self.told: list[Line] = []
        self.told_at = ""
        self.watch: list[str] = []
        self.chosen: str | None = None
        self.span = _LANES
        self.pace = 0.0
        self.is_left = False
        self.proposed: Changes | None = None
        self.offered = ""
        """A line that stands in the input for the user to send."""
        self._begin(target, given or {}, scan)

    def _begin(self, target: str, given: dict[str, Value], scan: str | None) -> None:
        machine = self.library.machine(target, scan, given)
        self.target, self.given, self.period = target, given, scan
        self.machine = machine
        self.is_going = False
        self._goal: tuple[str | None, int | None] = None, None
        self._owed = 0.0
        self.behind = 0
        self.fault: str | None = None
        self._left: list[Moment] = []
        self._known: tuple[object, Text] | None = None
        self.instance = ""
        self.line = 0
        self.__dict__.pop("signals", None)
        if not self.watch:
            pins = pins_of(machine.unit, self.signals)
            self.watch = [signal.path for signal in pins[:_MOST_WATCHED]]
        self.watch = [path for path in self.watch if self._is_there(path)]
        self.chosen = self.chosen if self.chosen and self._is_there(self.chosen) else next(iter(self.watch), None)
        self._show_first()

    def _show_first(self) -> None:
        """Show the text of the target, or of the first instance in it that has one."""
        self.instance = next(iter(self.machine.layout().written()), "")
        text = self.text
        self.line = text.entries[0].line if text.entries else 0

    @cached_property
    def signals(self) -> dict[str, Signal]:
        """All that can be watched, by path."""
        return every_signal(self.machine.unit)

    def _is_there(self, path: str) -> bool:
        try:
            self.machine.read(path)
        except UprightError:
            return False
        return True

    # --- lines ---

    def say(self, text: str) -> None:
        """Do what a line says; what goes wrong stands in the log."""
        text = text.strip()
        word, _, rest = text.partition(" ")
        rest = rest.strip()
        self.offered = ""
        self._note([(f"{text}", "strong")])
        try:
            do = self._doing.get(word.lower())
            if do is None:
                raise BadValue(*words.no_such_line(word, did_you_mean(word, self._doing)))
            do(rest)
        except ScanFault as problem:
            self._stop()
            self.fault = problem.message
            self._note([(problem.message, "bad")])
        except UprightError as problem:
            self._note([(problem.message, "bad"), (f" {problem.way_out}", "")])

    def press(self, key: str) -> bool:
        """Do what a key is short for; whether it is one, and needs nothing more."""
        word = KEYS.get(key)
        if word is None:
            return False
        if word.word == "force":
            path = self._on_cursor("force")
            self.offered = "" if path is None else f"force {path}={self.value_text(path)}"
        elif word.word == "toggle" and self.chosen is not None and self._signal(self.chosen).type is not BOOL:
            self.offered = f"set {self.chosen}={self.value_text(self.chosen)}"
        elif word.word == "pick":
            self.offered = "pick "
        else:
            self.say(word.word)
        return True

    def _on_cursor(self, word: str) -> str | None:
        if self.chosen is None:
            message, way_out = words.nothing_on_cursor(word)
            self._note([(message, "bad"), (f" {way_out}", "")])
        return self.chosen

    @cached_property
    def _doing(self) -> dict[str, Callable[[str], None]]:
        return {word.word: getattr(self, f"_do_{word.word}") for word in WORDS}

    def _note(self, line: Line) -> None:
        """Put a line into the log, with the moment at which it is."""
        self.log.append([(f"{self.moment:>12}  ", "dim"), *line])
        del self.log[:-_MOST_LOG]

    def _list(self, lines: Sequence[Line]) -> None:
        """Put lines into the log, as far as there is room for."""
        for line in lines[:_MOST_LISTED]:
            self._note(line)
        if len(lines) > _MOST_LISTED:
            self._note([(f"{len(lines) - _MOST_LISTED:,} more", "warn")])

    def _form(self, word: str) -> BadValue:
        return BadValue(*words.wrong_form(word, next(each.form for each in WORDS if each.word == word)))

    def _no_more(self, word: str, rest: str) -> None:
        if rest:
            raise self._form(word)

    def _path(self, word: str, rest: str) -> str:
        """The path that a line names, or that the cursor is on."""
        if rest:
            return self._signal(rest).path
        if self.chosen is None:
            raise BadValue(*words.nothing_on_cursor(word))
        return self.chosen

    def _signal(self, path: str) -> Signal:
        self.machine.read(path)  # which says what is wrong with it
        return find_signal(self.machine.unit, path)

    # --- the moment ---

    @property
    def moment(self) -> str:
        """When it is."""
        return shown_duration(self.machine.now)

    @property
    def place(self) -> str:
        """Where in time the machine stands: between two scans, or before a statement."""
        at = self.machine.at
        scans = self.machine.scans
        if at is not None:
            return f"in scan {scans}, before {at.file.rpartition('/')[2]}:{at.line}"
        return f"after scan {scans - 1}" if scans else "before the first scan"

    def value_text(self, path: str) -> str:
        """The value at a path, as it is shown."""
        value, signal = self.machine.read(path), self._signal(path)
        return _text(value, signal)

    def told_value(self, path: str) -> str:
        """The same, with the name of the state that it is."""
        value, signal = self.machine.read(path), self._signal(path)
        name = names_of(self.machine.unit, signal).get(value, "") if isinstance(value, int) else ""
        return f"{_text(value, signal)} {name}" if name else _text(value, signal)

    @property
    def text(self) -> Text:
        """The text at hand, as far as it has run."""
        machine = self.machine
        at = machine.at
        key = machine.scans, at and (at.line, at.instance, at.turn), self.instance, machine.acts
        if self._known is None or self._known[0] != key:
            next_line = at.line if at is not None and at.instance == self.instance else None
            try:
                found, before = machine.seen()
                made = Text(self.instance, tuple(found.of_instance(self.instance, before)), next_line)
            except UprightError as problem:
                made = Text(self.instance, (), None, problem.message)
            self._known = key, made
        return self._known[1]

    def on_line(self) -> list[str]:
        """The paths that the statements of the line read and write."""
        found: list[str] = []
        for entry in self.text.entries:
            if entry.line == self.line:
                found += [written.path for written in entry.writes]
                found += [read.path for read in entry.reads]
                found += [read.path for condition in entry.conditions for read in condition.reads]
        return [path for path in dict.fromkeys(found) if self._is_there(path)]

    def move(self, lines: int) -> None:
        """Move the cursor by some lines, and on to the first signal there."""
        text = self.text
        if text.entries:
            numbers = [entry.line for entry in text.entries]
            self.line = min(max(self.line + lines, min(numbers)), max(numbers))
            self.choose_next(0)

    def choose_next(self, by: int) -> None:
        """Put the cursor on another signal of its line."""
        found = self.on_line()
        if found:
            at = found.index(self.chosen) + by if self.chosen in found else 0
            self.chosen = found[at % len(found)]

    def choose_watched(self, by: int) -> None:
        """Put the cursor on another signal of the watch list."""
        if self.watch:
            at = self.watch.index(self.chosen) + by if self.chosen in self.watch else 0
            self.chosen = self.watch[at % len(self.watch)]

    def _follow(self) -> None:
        """Show the text where the machine stands."""
        at = self.machine.at
        if at is not None:
            self.instance, self.line = at.instance, at.line

    # --- time ---

    def tick(self, seconds: float) -> bool:
        """Let the machine go on for so long of the time of whoever watches; whether anything moved."""
        if not self.is_going:
            return False
        machine, began, first = self.machine, time.perf_counter(), self.machine.scans
        if self.pace:
            self._owed += seconds * self.pace * 1e9
            wanted = machine.timebase.scans_before(machine.now + int(self._owed))
        else:
            wanted = machine.scans + _LONGEST_SCANS
        chunk = 1
        while self.is_going and machine.scans < wanted and time.perf_counter() - began < _AT_ONCE:
            before = machine.now
            self._advance(min(chunk, wanted - machine.scans))
            self._owed -= machine.now - before
            chunk *= 2
        self.behind = max(int(self._owed - machine.timebase.period), 0) if self.pace else 0
        return machine.scans != first

    def _advance(self, scans: int) -> None:
        """Go on for some scans, up to the goal."""
        until, end = self._goal
        machine = self.machine
        scans = scans if end is None else min(scans, end - machine.scans)
        try:
            if until is None:
                self._run(scans)
            else:
                span = machine.timebase.time(machine.scans + scans) - machine.now
                machine.run_until(until, span)
                self._stop()
                self.pane = "lanes"
                self._note([(f"{until} is TRUE", "good")])
        except NeverMet:
            pass
        except ScanFault as problem:
            self._stop()
            self.fault = problem.message
            self._note([(problem.message, "bad")])
        if end is not None and machine.scans >= end:
            self._stop()

    def _run(self, scans: int) -> None:
        """Run scans; the last one can be seen."""
        if scans > 1:
            self.machine.scan(scans - 1)
        if scans > 0:
            try:
                self.machine.scan_seen()
            except BadValue:  # it does more than can be seen
                self.machine.scan()

    def _go(self, until: str | None, end: int | None) -> None:
        self._goal, self._owed = (until, end), 0.0
        self.is_going, self.fault = True, None

    def _stop(self) -> None:
        self.is_going, self.behind = False, 0

    def _do_go(self, rest: str) -> None:
        end = self.machine.timebase.scans_before(self.machine.now + duration(rest)) if rest else None
        self._go(None, end)

    def _do_until(self, rest: str) -> None:
        if not rest:
            raise self._form("until")
        self.machine.watching(rest)
        self._go(rest, None)

    def _do_pause(self, rest: str) -> None:
        self._no_more("pause", rest)
        self._stop()

    def _do_scan(self, rest: str) -> None:
        if rest and not (rest.isdigit() and 0 < int(rest) <= _LONGEST_SCANS):
            raise self._form("scan")
        self._stop()
        self._run(int(rest or 1))

    def _do_step(self, rest: str) -> None:
        self._no_more("step", rest)
        self._stepped(self.machine.step())

    def _do_over(self, rest: str) -> None:
        self._no_more("over", rest)
        self._stepped(self.machine.step(over=True))

    def _stepped(self, step: Step) -> None:
        self._stop()
        self._note(step_line(step.entry))
        self._follow()

    def _do_back(self, rest: str) -> None:
        if rest not in ("", "over"):
            raise self._form("back")
        self._leave(lambda: self._undone(self.machine.back(over=rest == "over")))

    def _do_wrote(self, rest: str) -> None:
        path = self._path("wrote", rest)
        self._leave(lambda: self._undone(self.machine.back(wrote=path)))

    def _do_to(self, rest: str) -> None:
        scan = self.machine.timebase.scans_before(moment(rest))
        self._leave(lambda: self.machine.to(scan))

    def go_to(self, at: str) -> None:
        """Go to the moment before the scan at a time, back or on.

        Raises:
            BadValue: it is no time.
            ScanFault: a scan on the way stopped.
        """
        self.machine.to(self.machine.timebase.scans_before(moment(at)))

    def _undone(self, step: Step) -> None:
        self._note([("back to  ", "dim"), *step_line(step.entry)])
        self.instance, self.line = step.instance, step.line
        self._follow()

    def _leave(self, go: Callable[[], None]) -> None:
        """Go back, and keep the moment that is left: later scans, and what was done in them, can be taken up again."""
        self._stop()
        here, acts = self.machine.snapshot(), self.machine.acts
        go()
        self.fault = None
        lost = acts[len(self.machine.acts) :]
        if lost:
            done = ", ".join(f"{act.kind} {act.path}" for act in lost[:4])
            more = f" and {len(lost) - 4} more" if len(lost) > 4 else ""
            self._note([(f"undone: {done}{more}; again takes it up", "warn")])
        if not self._left or lost or here.scan > self._left[-1].scan:
            self._left.append(here)
            del self._left[:-10]

    def _do_again(self, rest: str) -> None:
        self._no_more("again", rest)
        if not self._left:
            raise BadValue(*words.not_gone_back())
        self._stop()
        self.machine.restore(self._left.pop())
        self._follow()

    def _do_pace(self, rest: str) -> None:
        self.set_pace(rest)

    def set_pace(self, text: str) -> None:
        """Go as fast as the machine can, or by the clock, times a factor.

        Raises:
            BadValue: it is neither.
        """
        try:
            pace = 0.0 if text == "machine" else float(text)
        except ValueError:
            pace = -1.0
        if pace < 0 or (pace == 0 and text != "machine") or not pace < 1e6:
            raise BadValue(*words.no_pace(text))
        self.pace, self._owed = pace, 0.0

    # --- doing ---

    def _split(self, word: str, rest: str) -> tuple[str, str]:
        path, mark, value = rest.partition("=")
        if not mark or not path.strip():
            raise self._form(word)
        return self._signal(path.strip()).path, value.strip()

    def _do_set(self, rest: str) -> None:
        path, value = self._split("set", rest)
        self._changed(path, lambda: self.machine.set(path, value))

    def _do_toggle(self, rest: str) -> None:
        path = self._path("toggle", rest)
        if self._signal(path).type is not BOOL:
            raise BadValue(*words.no_bool_to_turn(path))
        self._changed(path, lambda: self.machine.set(path, not self.machine.read(path)))

    def _do_push(self, rest: str) -> None:
        first, _, last = rest.rpartition(" ")
        is_time = rest[:1].isdigit() or bool(first)
        path = self._path("push", first.strip() if is_time else rest)
        self._changed(path, lambda: self.machine.pulse(path, last if is_time else "500ms"))

    def _do_force(self, rest: str) -> None:
        path, value = self._split("force", rest)
        self._changed(path, lambda: self.machine.force(path, value))

    def _do_release(self, rest: str) -> None:
        if rest.lower() == "all":
            for path in self.forced:
                self.machine.release(path)
            return
        path = self._path("release", rest)
        self._changed(path, lambda: self.machine.release(path))

    def _changed(self, path: str, do: Callable[[], None]) -> None:
        """Do something to a signal, and say what that changed, or when it will."""
        before = self.value_text(path)
        do()
        after = self.value_text(path)
        self.chosen = path
        if before != after:
            self._note([(f"{path} {before} -> {after}", "name")])
        elif self.machine.at is not None:
            self._note([(f"{path} is {after}; what is done in the middle of a scan acts in the next", "dim")])

    @property
    def forced(self) -> dict[str, str]:
        """What is forced, by path; a point that is forced with its tag is not told besides."""
        unit, found = self.machine.unit, self.machine.forced
        signals = {path: find_signal(unit, path) for path in found}
        fields = {field.path for signal in signals.values() if (field := field_signal(unit, signal)) is not None}
        return {path: _text(found[path], signal) for path, signal in signals.items() if path not in fields}

    def _do_forces(self, rest: str) -> None:
        self._no_more("forces", rest)
        found = self.forced
        self._list([[(f"{path} is forced to {value}", "warn")] for path, value in found.items()])
        if found:
            self.offered = "release all"
        else:
            self._note([("Nothing is forced.", "")])
        self.pane = "log"

    def _do_power(self, rest: str) -> None:
        self.machine.power(rest)

    # --- looking ---

    def _do_why(self, rest: str) -> None:
        path = self._path("why", rest)
        self._stop()
        node = self.machine.why(path).node
        self.told = list(why_lines(node, self.machine.timebase, _WIDTH, show_all=True))
        self.chosen, self.pane = path, "why"
        self.told_at, self.proposed = self.place, None

    def picks(self, part: str) -> list[str]:
        """The paths that have a part in them: those first whose own name begins with it, then shorter ones."""
        wanted = part.strip().upper()
        found = [path for path in self.signals if wanted in path.upper()]
        found.sort(key=lambda path: (not path.upper().rpartition(".")[2].startswith(wanted), len(path)))
        return found

    def _do_pick(self, rest: str) -> None:
        exact = self.signals.get(rest)
        found = [exact.path] if exact is not None else self.picks(rest) if rest else []
        if not found and self._is_there(rest):
            found = [rest]  # a bit, a point
        if not found:
            raise UnknownName(*words.nothing_picked(rest))
        self.chosen = found[0]
        self._put_on_watch([found[0]])
        if len(found) > 1:
            self._note([(f"{found[0]}, and {len(found) - 1:,} more have it", "dim")])

    def watch_only(self, patterns: str) -> None:
        """Watch what some patterns choose.

        Raises:
            UnknownName: one of them chooses nothing.
        """
        self.watch = list(chosen_by(self.machine.unit, self.signals, [patterns]))[:_MOST_WATCHED]
        self.chosen = self.watch[0]

    def _put_on_watch(self, paths: Sequence[str]) -> None:
        self.watch = list(dict.fromkeys([*self.watch, *paths]))[:_MOST_WATCHED]

    def _do_watch(self, rest: str) -> None:
        paths = list(chosen_by(self.machine.unit, self.signals, [rest])) if rest else [self._path("watch", rest)]
        self._put_on_watch(paths)
        self.pane = "watch"

    def _do_unwatch(self, rest: str) -> None:
        gone = chosen_by(self.machine.unit, self.signals, [rest]) if rest else {self._path("unwatch", rest)}
        at = self.watch.index(self.chosen) if self.chosen in self.watch else 0
        self.watch = [path for path in self.watch if path not in gone]
        if self.chosen in gone and self.watch:
            self.chosen = self.watch[min(at, len(self.watch) - 1)]

    def _do_list(self, rest: str) -> None:
        patterns = kept.read_list(self.library, rest)
        self.watch = list(chosen_by(self.machine.unit, self.signals, patterns))[:_MOST_WATCHED] if patterns else []
        self.chosen = next(iter(self.watch), self.chosen)
        self.pane = "watch"

    def _do_lanes(self, rest: str) -> None:
        if rest:
            self.span = max(duration(rest), 1)
        self.pane = "lanes"

    def _do_changed(self, rest: str) -> None:
        known = chosen_by(self.machine.unit, self.signals, [rest]) if rest else self.signals
        lines: list[Line] = []
        for path, signal in known.items():
            if not signal.variable.is_code:
                value, begins = self.machine.read(path), self.machine.initial(path)
                if repr(value) != repr(begins):
                    texts = _text(value, signal), _text(begins, signal)
                    lines.append([(path, "name"), (f" {texts[0]}", ""), (f"   initial value {texts[1]}", "dim")])
        self._list(lines or [[("All has its initial value.", "")]])
        self.pane = "log"

    def _do_open(self, rest: str) -> None:
        if not rest:
            opens = [entry.opens for entry in self.text.entries if entry.line == self.line and entry.opens]
            if not opens:
                raise UnknownName(*words.nothing_called())
            rest = opens[0]
        known = self.machine.layout().instances
        self._show(next((path for path, of in known.items() if of.name.upper() == rest.upper()), rest))

    def _show(self, instance: str) -> None:
        """Show the text of an instance."""
        found, before = self.machine.seen()
        entries = found.of_instance(instance, before)
        self.instance, self.line = entries[0].instance, entries[0].line

    def _do_up(self, rest: str) -> None:
        self._no_more("up", rest)
        found = self.machine.layout()
        outer, written = self.instance, found.written()
        while outer:
            outer = outer.rpartition(".")[0]
            if outer in written:
                self._show(outer)
                return
        raise UnknownName(*words.is_outermost())

    def _do_writers(self, rest: str) -> None:
        self._uses(self._path("writers", rest), "written")

    def _do_readers(self, rest: str) -> None:
        self._uses(self._path("readers", rest), "read")

    def _uses(self, path: str, kind: str) -> None:
        """List the statements that write or read a signal, and show the first that stands in what holds it."""
        name, holder = self._declared(path)
        found = [reference for reference in self.library.references(name) if reference.kind == kind]
        self._list(reference_lines(found, _WIDTH) or [[(f"{path} is {kind} by no statement.", "")]])
        self.pane = "log"
        for reference in found:
            if holder is not None and self._holds(holder, reference.source.path):
                self.instance, self.line = holder, reference.source.line(reference.start)
                return

    def _holds(self, instance: str, file: str) -> bool:
        """Whether the text of an instance is that of a file."""
        found = self.machine.layout()
        unit = found.instances.get(instance)
        return unit is not None and unit.source.path == file and instance in found.written()

    def _declared(self, path: str) -> tuple[str, str | None]:
        """How a signal is called where it is declared, and the instance that holds it."""
        signal = find_signal(self.machine.unit, path)
        found = self.machine.layout()
        holders = [own for own in found.instances if not own or path.startswith(f"{own}.")]
        holder = max(holders, key=len, default="")
        unit = found.instances.get(holder)
        if unit is None or unit.kind == "CONFIGURATION" or signal.tag is not None:
            return signal.path.partition(".")[0], None
        return f"{unit.full_name}.{path.removeprefix(f'{holder}.') if holder else path}", holder

    # --- beginning anew, and what is kept ---

    def _do_start(self, rest: str) -> None:
        if not rest:
            raise self._form("start")
        target, at = rest, None
        if self.library.find(rest) is None and all(case.id != rest for case in self.library.cases):
            target, _, last = rest.rpartition(" ")
            at = moment(last) if target else None
            target = target or rest
        self._begin(target.strip(), {}, None)
        if at is not None:
            self.machine.scan(self.machine.timebase.scans_before(at))

    def _do_keep(self, rest: str) -> None:
        kind, _, what = rest.partition(" ")
        what = what.strip()
        if kind == "case" and what:
            stem, slash, name = what.rpartition("/")
            if not slash or not stem.strip("./") or not name.strip() or ".." in stem.split("/") or stem.startswith("/"):
                raise BadValue(*words.no_case_name(what))
            run = self.library.done(self.machine, self.watch)
            rows = [row for piece in run.pieces() for row in run.rows(piece)]
            self._propose(self.library.save_run(run, rows, stem.removesuffix(".toml"), name.strip()))
        elif kind == "initials" and what:
            run = self.library.done(self.machine)
            for _ in run.pieces():
                pass
            texts, left, findings = self.library.keep_run(run, [what])
            self._list([[(f"{path} is left out: it is no single value", "warn")] for path in left])
            if findings:
                raise NotRunnable(findings[0].message, findings[0].way_out)
            self._propose(texts)
        elif kind == "list" and what:
            path = kept.list_path(self.library.root, what)
            self._propose({path: (self.library.text_at(path), kept.list_text(self.watch))})
        else:
            raise self._form("keep")

    def _propose(self, texts: Changes) -> None:
        """Show what would change; it is written when somebody says so."""
        self.told = []
        for path, (before, after) in texts.items():
            name = Path(path).relative_to(self.library.root).as_posix()
            found = unified_diff(before.splitlines(), after.splitlines(), name, name, lineterm="", n=1)
            self.told += [
                [(line, "good" if line[:1] == "+" else "bad" if line[:1] == "-" else "dim")] for line in found
            ]
        self.proposed, self.told_at = texts if self.told else None, self.place
        self.told += [[("write writes it", "strong")]] if self.told else [[("Nothing changes.", "")]]
        self.pane = "why"

    def _do_write(self, rest: str) -> None:
        self._no_more("write", rest)
        if self.proposed is None:
            raise BadValue(*words.nothing_to_write())
        texts, self.proposed = self.proposed, None
        self.library.write_texts(texts)
        for path in texts:
            self._note([(f"{Path(path).relative_to(self.library.root).as_posix()} is written", "good")])
        self.pane = "log"

    def _do_help(self, rest: str) -> None:
        self._no_more("help", rest)
        self.pane = "help"

    def _do_quit(self, rest: str) -> None:
        self._no_more("quit", rest)
        self.is_left = True

    def session(self) -> kept.Session:
        """What was done, to do it again another time."""
        at = self.machine.snapshot()
        return kept.Session(
            self.target, self.given, self.period, self.machine.acts, at.scan, at.statement, tuple(self.watch), self.pace
        )

    def take_up(self, session: kept.Session) -> None:
        """Do again what was done in a session of this target.

        Raises:
            UnknownName: something of it is not there any more.
            ScanFault: a scan on the way stopped.
        """
        self.watch = [path for path in session.watch if self._is_there(path)]
        gone = len(session.watch) - len(self.watch)
        if gone:
            self._note([(f"{gone} watched paths are not there any more", "warn")])
        self.pace = session.pace
        self.machine.again(session.acts, session.scan, session.statement)
        self._follow()


def _text(value: Value, signal: Signal) -> str:
    """A value as cases have it; a machine gives an enumeration by its name already."""
    return value if isinstance(value, str) and isinstance(signal.type, Enumeration) else shown(value, signal.type)
