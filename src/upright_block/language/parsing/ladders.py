"""Bodies that are statements or ladders: the lines of rungs, and the labels between them."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language import syntax
from upright_block.language.parsing.ladder import Hidden, Label, Line, Read, read_condition, read_ladder
from upright_block.language.parsing.statements import StatementParser
from upright_block.language.parsing.words import ladder as words
from upright_block.language.telling.findings import Words


class LadderParser(StatementParser):
    """Reads a body in the form that its first line has. ``hidden`` are variables that rungs of the unit need besides
    those that are declared.
    """

    hidden: Hidden

    def read_expression(self, text: str, start: int) -> syntax.Expression | None:
        """Read a text of a rung that is an expression, at its place; None, with findings, where it is none."""
        raise NotImplementedError

    def read_statements(self, text: str, start: int) -> Sequence[syntax.Statement]:
        """Read a text of a rung that is statements, at its place."""
        raise NotImplementedError

    @property
    def _read(self) -> Read:
        return Read(self.read_expression, self.read_statements)

    def body(self, *stops: str) -> tuple[syntax.Statement, ...]:
        """Statements, or the rungs of a ladder, up to one of the keywords ``stops``."""
        is_ladder = self.kinds[self.i] == "rung" or self.kinds[self.i : self.i + 3] == ["name", ":", "rung"]
        return self._rungs(*stops) if is_ladder else self.statements(*stops)

    def rung_condition(self, name: str) -> syntax.Expression | None:
        """The condition that the rung at hand means, of a transition; None, with a finding, where it is none."""
        lines: list[Line] = []
        while self.kinds[self.i] == "rung":
            start = self.starts[self.i]
            lines.append(Line(self.texts[self.i], start, self.source.column(start) - 1))
            self.i += 1
        return read_condition(lines, name, self._read, self._told)

    def _told(self, said: Words, start: int, end: int) -> None:
        self.report(start, end, said)

    def _rungs(self, *stops: str) -> tuple[syntax.Statement, ...]:
        rungs: list[list[Line]] = []
        labels: list[Label] = []
        last = -1
        while self.kinds[self.i] == "rung" or self.kinds[self.i : self.i + 2] == ["name", ":"]:
            start = self.starts[self.i]
            if self.kinds[self.i] != "rung":
                labels.append(Label(self.texts[self.i], len(rungs), start))
                self.i += 2
                last = -1
                continue
            number = self.source.line(start)
            if number != last + 1:
                rungs.append([])
            rungs[-1].append(Line(self.texts[self.i], start, self.source.column(start) - 1))
            last = number
            self.i += 1
        if self.kinds[self.i] not in (*stops, "end", "METHOD"):
            self.fail(words.mixed_ladder(self.shown(self.i)))
            while self.kinds[self.i] not in (*stops, "end", "METHOD"):
                self.i += 1
        return read_ladder(rungs, labels, self._read, self._told, self.hidden)
