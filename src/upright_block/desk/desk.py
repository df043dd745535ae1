"""The lines that can be typed at a desk, each a method here.

Keys are short for lines, so all that can be done can be typed, and is logged as typed. No terminal is known here.
"""

from __future__ import annotations

from collections.abc import Callable
from difflib import unified_diff
from functools import cached_property
from pathlib import Path

from upright_block.cases.cells import duration, moment
from upright_block.desk import kept, words
from upright_block.desk.held import LONGEST_SCANS, Held, shown_value
from upright_block.desk.lines import KEYS, WORDS
from upright_block.errors import BadValue, NotRunnable, ScanFault, UnknownName, UprightError
from upright_block.face.steered import Step
from upright_block.language.names import did_you_mean
from upright_block.language.signals import find_signal
from upright_block.language.types import BOOL
from upright_block.library.writing import Changes
from upright_block.reports import Line, Role, reference_lines, step_line, why_lines
from upright_block.runs.watched import chosen_by

_WIDTH = 160
_ROLES: dict[str, Role] = {"+": "good", "-": "bad"}


class Desk(Held):
    """A desk: what it holds, and what can be done at it, line by line."""

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
        if rest and not (rest.isdigit() and 0 < int(rest) <= LONGEST_SCANS):
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

    def _do_why(self, rest: str) -> None:
        path = self._path("why", rest)
        self._stop()
        node = self.machine.why(path).node
        self.told = list(why_lines(node, self.machine.timebase, _WIDTH, show_all=True))
        self.chosen, self.pane = path, "why"
        self.told_at, self.proposed = self.place, None

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
        self.watch_only(patterns)
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
                    texts = shown_value(value, signal), shown_value(begins, signal)
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

    def _do_ladder(self, rest: str) -> None:
        self._no_more("ladder", rest)
        self.is_ladder = not self.is_ladder

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
            run = self.library.done(self.machine, self.watch)
            rows = [row for piece in run.pieces() for row in run.rows(piece)]
            texts, left = self.library.save_run(run, rows, what)
            self._list([[(f"{path} is left out: it only runs on", "warn")] for path in left])
            self._propose(texts)
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
