"""Configurations: resources, tasks and the programs in them. IEC 61131-3:2013, 6.8."""

from __future__ import annotations

from collections.abc import Callable

from upright_block.language import syntax
from upright_block.language.nodes import fresh, state
from upright_block.language.parsing.cursor import SyntaxProblem
from upright_block.language.parsing.sequences import SequenceParser
from upright_block.language.parsing.words import configurations as words

_PROPERTIES = ("INTERVAL", "SINGLE", "PRIORITY")
_ENDS = ("END_CONFIGURATION", "END_RESOURCE")


@state
class _Parts:
    """What was read of a configuration; ``opened`` are the places of its open resources."""

    tasks: list[syntax.Task] = fresh(default_factory=list)
    programs: list[syntax.ProgramInstance] = fresh(default_factory=list)
    globals: list[syntax.VariableSection] = fresh(default_factory=list)
    resources: list[str] = fresh(default_factory=list)
    settings: list[syntax.InstanceSetting] = fresh(default_factory=list)
    accesses: list[syntax.AccessPath] = fresh(default_factory=list)
    opened: list[int] = fresh(default_factory=list)
    is_whole: bool = True


class ConfigurationParser(SequenceParser):
    """Reads a CONFIGURATION."""

    def configuration(self) -> syntax.Configuration:
        """``CONFIGURATION name ... END_CONFIGURATION``; RESOURCE may be left out."""
        opened = self.starts[self.i]
        self.i += 1
        name = self.texts[self.i - 1] if self.accept("name") else ""
        if not name:
            self.fail(words.no_name())
        made = _Parts()
        while self.kinds[self.i] not in ("END_CONFIGURATION", "end"):
            begun, depth = self.i, self.depth
            try:
                self._part_of_configuration(made)
            except SyntaxProblem:
                self.depth = depth
                made.is_whole = False
                self._next_part(begun)
        for start in made.opened:
            made.is_whole = False
            self.missing_end("RESOURCE", start)
        if not self.accept("END_CONFIGURATION"):
            made.is_whole = False
            self.missing_end("CONFIGURATION", opened)
        self.accept(";")
        return syntax.Configuration(
            opened,
            self.last_end,
            name,
            tuple(made.tasks),
            tuple(made.programs),
            tuple(made.globals),
            tuple(made.resources),
            tuple(made.settings),
            tuple(made.accesses),
            made.is_whole,
        )

    def _part_of_configuration(self, made: _Parts) -> None:
        kind = self.kinds[self.i]
        if kind == "RESOURCE":
            made.opened.append(self.starts[self.i])
            self.i += 1
            made.resources.append(self._named("a resource").name)
            if self.texts[self.i].upper() == "ON":
                self.i += 1
                self._named("a type of resource")
        elif kind == "END_RESOURCE" and made.opened:
            made.opened.pop()
            self.i += 1
            self.accept(";")
        elif kind == "VAR_GLOBAL":
            made.globals.append(self.section())
        elif kind == "TASK":
            made.tasks.append(self._task())
        elif kind == "PROGRAM":
            made.programs.append(self._program())
        elif kind == "VAR_CONFIG":
            self._entries(lambda: made.settings.append(self._setting()))
        elif kind == "VAR_ACCESS":
            self._entries(lambda: made.accesses.append(self._access()))
        else:
            raise self.fail(words.no_place(self.shown(self.i)))

    def _entries(self, read: Callable[[], None]) -> None:
        """The entries of VAR_CONFIG or VAR_ACCESS."""
        start, keyword = self.starts[self.i], self.kinds[self.i]
        self.i += 1
        while self.kinds[self.i] == "name":
            read()
        if not self.accept("END_VAR"):
            self.missing_end(keyword, start)
        self.accept(";")

    def _setting(self) -> syntax.InstanceSetting:
        """``resource.main.vent.travel : TIME := T#5s;`` or ``main.limit AT %IX0.3 : BOOL;``"""
        path = [self._named("an instance")]
        while self.accept("."):
            path.append(self._named("a variable"))
        address = self._address()
        self.expect(":", "before the type of a variable")
        spec = self.type_spec()
        initial = self.initial_value() if self.accept(":=") else None
        self._semicolon()
        return syntax.InstanceSetting(path[0].start, path[-1].end, tuple(path), address, spec, initial)

    def _access(self) -> syntax.AccessPath:
        """``name : main.vent.travel : TIME READ_WRITE;``"""
        name = self._named("an access path")
        self.expect(":", "after the name of an access path")
        path = self.expression()
        self.expect(":", "before the type of a variable")
        spec = self.type_spec()
        word = self.texts[self.i].upper()
        if word in ("READ_ONLY", "READ_WRITE"):
            self.i += 1
        self._semicolon()
        return syntax.AccessPath(name.start, name.end, name.name, path, spec, word == "READ_WRITE")

    def _next_part(self, since: int) -> None:
        self.i = max(self.i, since)
        while self.kinds[self.i] != "end":
            kind = self.kinds[self.i]
            if self.i > since and kind in ("RESOURCE", "TASK", "PROGRAM", "VAR_GLOBAL", *_ENDS):
                return
            self.i += 1
            if kind in (";", "END_VAR") and self.kinds[self.i] != "name":
                return

    def _task(self) -> syntax.Task:
        """``TASK name (INTERVAL := T#10ms, PRIORITY := 1);``"""
        self.i += 1
        name = self._named("a task")
        given: dict[str, syntax.Expression] = {}
        self.expect("(", "after the name of a task")
        while True:
            word = self._named("a property of a task")
            self.expect(":=", f"after {word.name}")
            value = self.expression()
            if word.name.upper() not in _PROPERTIES:
                self.report(word.start, word.end, words.unknown_key_of_task(word.name))
            elif word.name.upper() in given:
                self.report(word.start, word.end, words.key_of_task_twice(word.name))
            given.setdefault(word.name.upper(), value)
            if not self.accept(","):
                break
        self.expect(")", "after the properties of a task")
        self._semicolon()
        return syntax.Task(name.start, name.end, name.name, *map(given.get, _PROPERTIES))

    def _program(self) -> syntax.ProgramInstance:
        """``PROGRAM RETAIN name WITH task : Type (pin := x, ...);``"""
        self.i += 1
        retain = self.kinds[self.i] if self.kinds[self.i] in ("RETAIN", "NON_RETAIN") else ""
        self.i += bool(retain)
        name = self._named("a program")
        task = self._named("a task") if self.accept("WITH") else None
        self.expect(":", "before the type of a program")
        type_name = self.type_name()
        arguments: tuple[syntax.Argument, ...] = ()
        if self.kinds[self.i] == "(":
            called = self.call(syntax.Name(name.start, name.end, name.name))
            arguments = called.arguments if isinstance(called, syntax.Call) else ()
        self._semicolon()
        return syntax.ProgramInstance(name.start, name.end, name.name, task, type_name, arguments, retain)
