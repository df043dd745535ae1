"""Bodies that are statements or ladders: the lines of rungs, and the labels between them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import suppress
from typing import Self, TypeVar

from upright_block.language import syntax
from upright_block.language.lexer import Tokens, tokenize
from upright_block.language.nodes import replaced
from upright_block.language.parsing.cursor import Cursor, SyntaxProblem
from upright_block.language.parsing.ladder import Hidden, Label, Line, Read, read_condition, read_ladder
from upright_block.language.parsing.statements import StatementParser
from upright_block.language.parsing.words import ladder as words
from upright_block.language.parsing.words.units import goes_on
from upright_block.language.source import Source
from upright_block.language.telling.edits import Edit
from upright_block.language.telling.findings import Findings, Words


class LadderParser(StatementParser):
    """Reads a body in the form that its first line has. ``hidden`` are variables that rungs of the unit need besides
    those that are declared.
    """

    hidden: Hidden

    @property
    def _read(self) -> Read:
        return Read(self._expression_in, self._statements_in)

    def _inside(self, text: str, start: int) -> Self:
        """A reader of a text that stands at a place in the source."""
        return type(self)(tokens_of(self.source, self.findings, text, start), self.findings)

    def _expression_in(self, text: str, start: int) -> syntax.Expression | None:
        return read_alone(self._inside(text, start), lambda parser: parser.expression())

    def _statements_in(self, lines: Sequence[tuple[str, int]]) -> Sequence[syntax.Statement]:
        if not lines:
            return ()
        parser = type(self)(_together([tokens_of(self.source, self.findings, *line) for line in lines]), self.findings)
        parser.opened = []
        return read_alone(parser, lambda parser: parser.statements("end")) or ()

    def body(self, *stops: str) -> tuple[tuple[syntax.Statement, ...], syntax.Span]:
        """Statements, or the rungs of a ladder, up to one of the keywords ``stops``, and where they stand."""
        begin = self.last_end
        is_ladder = self.kinds[self.i] == "rung" or self.kinds[self.i : self.i + 3] == ["name", ":", "rung"]
        body = self._rungs(*stops) if is_ladder else self.statements(*stops)
        end = self.last_end if self.kinds[self.i] == "METHOD" else self.starts[self.i]
        return body, syntax.Span(begin, max(begin, end), is_ladder)

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


def tokens_of(source: Source, findings: Findings, text: str, start: int) -> Tokens:
    """The tokens of a text that stands at ``start`` in a source; what is wrong with them is told at its place there."""
    flaws = Findings()
    read = tokenize(Source(source.path, text), flaws)
    for finding in flaws.items:
        edit = finding.edit
        if edit is not None:
            edit = Edit(source, edit.start + start, edit.end + start, edit.text)
        place = {"source": source, "start": finding.start + start, "end": finding.end + start}
        findings.add(replaced(finding, **place, edit=edit))
    return replaced(read, source=source, starts=[offset + start for offset in read.starts])


def _together(lines: Sequence[Tokens]) -> Tokens:
    """The tokens of lines as those of one text."""
    last = lines[-1]
    kinds = [kind for line in lines for kind in line.kinds[:-1]] + last.kinds[-1:]
    texts = [text for line in lines for text in line.texts[:-1]] + last.texts[-1:]
    starts = [start for line in lines for start in line.starts[:-1]] + last.starts[-1:]
    return replaced(last, kinds=kinds, texts=texts, starts=starts)


_Parser = TypeVar("_Parser", bound=Cursor)
_Made = TypeVar("_Made")


def read_alone(parser: _Parser, read_one: Callable[[_Parser], _Made]) -> _Made | None:
    """What a parser reads of all that is before it; None, with findings, where that is wrong or goes on."""
    begun = len(parser.findings.items)
    with suppress(SyntaxProblem):
        found = read_one(parser)
        if parser.kinds[parser.i] == "end":
            return found if len(parser.findings.items) == begun else None
        parser.fail(goes_on(parser.shown(parser.i)))
    return None
