"""Configurations: resources, tasks and the programs in them. IEC 61131-3:2013, 6.8."""

from __future__ import annotations

from upright_block.language import syntax
from upright_block.language.parsing.cursor import SyntaxProblem
from upright_block.language.parsing.sequences import SequenceParser
from upright_block.language.parsing.words import configurations as words
from upright_block.language.parsing.words.declarations import LATER_SECTIONS

_ENDS = ("END_CONFIGURATION", "END_RESOURCE")


class ConfigurationParser(SequenceParser):
    """Reads a CONFIGURATION."""

    def configuration(self) -> syntax.Configuration:
        """``CONFIGURATION name ... END_CONFIGURATION``; RESOURCE may be left out."""
        opened = self.starts[self.i]
        self.i += 1
        name = self.texts[self.i - 1] if self.accept("name") else ""
        if not name:
            self.fail(words.no_name())
        tasks: list[syntax.Task] = []
        programs: list[syntax.ProgramInstance] = []
        shared: list[syntax.VariableSection] = []
        resources: list[int] = []
        while self.kinds[self.i] not in ("END_CONFIGURATION", "end"):
            begun, depth = self.i, self.depth
            try:
                self._part_of_configuration(tasks, programs, shared, resources)
            except SyntaxProblem:
                self.depth = depth
                self._next_part(begun)
        for start in resources:
            self.missing_end("RESOURCE", start)
        if not self.accept("END_CONFIGURATION"):
            self.missing_end("CONFIGURATION", opened)
        self.accept(";")
        return syntax.Configuration(opened, self.last_end, name, tuple(tasks), tuple(programs), tuple(shared))

    def _part_of_configuration(
        self,
        tasks: list[syntax.Task],
        programs: list[syntax.ProgramInstance],
        shared: list[syntax.VariableSection],
        resources: list[int],
    ) -> None:
        kind = self.kinds[self.i]
        if kind == "RESOURCE":
            resources.append(self.starts[self.i])
            self.i += 1
            self._named("a resource")
            if self.texts[self.i].upper() == "ON":
                self.i += 1
                self._named("a type of resource")
        elif kind == "END_RESOURCE" and resources:
            resources.pop()
            self.i += 1
            self.accept(";")
        elif kind == "VAR_GLOBAL":
            shared.append(self.section())
        elif kind == "TASK":
            tasks.append(self._task())
        elif kind == "PROGRAM":
            programs.append(self._program())
        elif kind in LATER_SECTIONS:
            self.section()
        else:
            raise self.fail(words.no_place(self.shown(self.i)))

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
        interval: syntax.Expression | None = None
        single: syntax.Expression | None = None
        priority: syntax.Expression | None = None
        self.expect("(", "after the name of a task")
        while True:
            word = self._named("a property of a task")
            self.expect(":=", f"after {word.name}")
            value = self.expression()
            match word.name.upper():
                case "INTERVAL":
                    interval = value
                case "SINGLE":
                    single = value
                case "PRIORITY":
                    priority = value
                case _:
                    self.report(word.start, word.end, words.unknown_key_of_task(word.name))
            if not self.accept(","):
                break
        self.expect(")", "after the properties of a task")
        self._semicolon()
        return syntax.Task(name.start, name.end, name.name, interval, single, priority)

    def _program(self) -> syntax.ProgramInstance:
        """``PROGRAM name WITH task : Type (pin := x, ...);``"""
        self.i += 1
        name = self._named("a program")
        task = self._named("a task") if self.accept("WITH") else None
        self.expect(":", "before the type of a program")
        type_name = self.type_name()
        if self.kinds[self.i] == "(":
            raise self.fail(words.pins_of_program())
        self._semicolon()
        return syntax.ProgramInstance(name.start, name.end, name.name, task, type_name)
