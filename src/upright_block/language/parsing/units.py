"""Functions, function blocks, programs, types and globals of a file. IEC 61131-3:2013, 6.6."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from typing import TypeVar

from upright_block.language import syntax
from upright_block.language.lexer import tokenize
from upright_block.language.names import nearest
from upright_block.language.parsing.configurations import ConfigurationParser
from upright_block.language.parsing.cursor import SyntaxProblem
from upright_block.language.parsing.ladder import Hidden
from upright_block.language.parsing.ladders import read_alone, tokens_of
from upright_block.language.parsing.sequences import STARTS
from upright_block.language.parsing.slips import mend
from upright_block.language.parsing.statements import SECTIONS, UNIT_STARTS
from upright_block.language.parsing.words import units as words
from upright_block.language.parsing.words.ladder import edge_in
from upright_block.language.parsing.words.statements import misspelt_keyword
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings

_READ_NOW = ("FUNCTION_BLOCK", "FUNCTION", "PROGRAM", "CLASS", "INTERFACE")
_QUALIFIERS = ("ABSTRACT", "FINAL", "OVERRIDE", "PUBLIC", "PRIVATE", "PROTECTED", "INTERNAL")


class UnitParser(ConfigurationParser):
    """Reads all that a source declares."""

    def file(self) -> syntax.File:
        """All declarations, whatever is wrong between them."""
        self.opened = []
        self.hidden = Hidden()
        self.units: list[syntax.Unit] = []
        self.types: list[syntax.TypeDeclaration] = []
        self.shared: list[syntax.VariableSection] = []
        self.configurations: list[syntax.Configuration] = []
        self._declarations("end")
        return syntax.File(tuple(self.units), tuple(self.types), tuple(self.shared), tuple(self.configurations))

    def _declarations(self, stop: str) -> None:
        """Declarations up to a token of kind ``stop``."""
        while self.kinds[self.i] not in (stop, "end"):
            kind = self.kinds[self.i]
            if kind == "CONFIGURATION":
                self.configurations.append(self.configuration())
                self.shared += self.configurations[-1].globals
            elif kind in _READ_NOW:
                self.units.append(self.unit(kind))
            elif kind == "TYPE":
                self.types += self.type_section()
            elif kind == "VAR_GLOBAL":
                self.shared.append(self.section())
            elif kind == "NAMESPACE":
                self._namespace()
            elif kind == "USING":
                self.home = self._using()
            else:
                self._outside(kind)

    def _namespace(self) -> None:
        """``NAMESPACE A.B ... END_NAMESPACE`` (6.9.1)"""
        opened = self.starts[self.i]
        self.i += 1
        self.accept("INTERNAL")
        outer = self.home
        try:
            self.deeper()
            name = self.type_name().name
        except SyntaxProblem:
            self.depth -= 1
            self._over_namespace()
            return
        self.accept(";")
        self.home = syntax.Home(outer.full(name), outer.using)
        self._declarations("END_NAMESPACE")
        if not self.accept("END_NAMESPACE"):
            self.missing_end("NAMESPACE", opened)
        self.accept(";")
        self.home = outer
        self.depth -= 1

    def _over_namespace(self) -> None:
        """Step over what a namespace holds that cannot be read."""
        opened = 1
        while opened and self.kinds[self.i] != "end":
            opened += {"NAMESPACE": 1, "END_NAMESPACE": -1}.get(self.kinds[self.i], 0)
            self.i += 1

    def _using(self) -> syntax.Home:
        """``USING A.B, C;`` (6.9.4), which holds to the end of what it stands in."""
        self.i += 1
        found: list[str] = []
        with suppress(SyntaxProblem):
            found.append(self.type_name().name)
            while self.accept(","):
                found.append(self.type_name().name)
            self._semicolon()
        return syntax.Home(self.home.namespace, (*self.home.using, *found))

    def _outside(self, kind: str) -> None:
        """Report what belongs to no declaration, and step over it."""
        if kind in UNIT_STARTS:
            self.fail(words.later_unit(kind))
        elif kind == "name" and (meant := nearest(self.texts[self.i], _READ_NOW)):
            self.fail(misspelt_keyword(self.texts[self.i], meant))
        elif kind != "unknown":
            self.fail(words.outside_a_unit(self.shown(self.i)))
        self.i += 1
        while self.kinds[self.i] not in (*UNIT_STARTS, "VAR_GLOBAL", "USING", "END_NAMESPACE", "end"):
            self.i += 1

    def unit(self, kind: str) -> syntax.Unit:
        """One FUNCTION, FUNCTION_BLOCK or PROGRAM."""
        opened_at = self.starts[self.i]
        comment = self.comment_before(opened_at)
        self.i += 1
        qualifiers = self._qualifiers()
        name, start, end = "", opened_at, self.last_end
        if self.kinds[self.i] == "name" or self.keyword_as_name(*SECTIONS, "EXTENDS", "IMPLEMENTS"):
            name, start, end = self.texts[self.i], self.starts[self.i], self.end_of(self.i)
            self.i += 1
        else:
            self.fail(words.missing_name(kind, self.shown(self.i)))
        qualifiers += self._qualifiers()
        result = self._result(kind)
        bases = self._names("EXTENDS")
        interfaces = self._names("IMPLEMENTS")
        self.accept(";")
        outer, home = self.opened, self.home
        self.opened = [*outer, (kind, opened_at)]
        around, self.hidden = self.hidden, Hidden(name)
        while self.kinds[self.i] == "USING":
            self.home = self._using()
        sections: list[syntax.VariableSection] = []
        methods: list[syntax.Unit] = []
        while True:
            if self.kinds[self.i] in SECTIONS:
                sections.append(self.section())
            elif self.kinds[self.i] == "METHOD" and kind != "METHOD":
                methods.append(self.unit("METHOD"))
            elif self.kinds[self.i] == "END_VAR":
                self.skip_stray("END_VAR")
            else:
                break
        sequence = None
        if self.kinds[self.i] in STARTS and kind in ("FUNCTION_BLOCK", "PROGRAM"):
            sequence = self.sequence()
        body, written = self.body("END_" + kind)
        if sequence is not None and body:
            self.report(body[0].start, body[0].end, words.beside_steps())
        while self.kinds[self.i] == "METHOD" and kind not in ("METHOD", "FUNCTION"):
            methods.append(self.unit("METHOD"))
            self.statements("END_" + kind)
        if not self.accept("END_" + kind):
            self.missing_end(kind, opened_at)
        self.accept(";")
        self.opened = outer
        for kept in self.hidden.kept if kind in ("FUNCTION", "METHOD") else ():
            self.report(kept.start, kept.end, edge_in(kind))
        sections += self.hidden.sections()
        self.hidden = around
        here, self.home = self.home, home
        return syntax.Unit(
            start,
            end,
            kind,
            name,
            result,
            tuple(sections),
            body,
            comment,
            qualifiers,
            bases,
            interfaces,
            tuple(methods),
            sequence,
            here,
            written,
            syntax.Node(opened_at, max(self.last_end, end)),
        )

    def _qualifiers(self) -> tuple[str, ...]:
        found: list[str] = []
        while self.kinds[self.i] in _QUALIFIERS:
            found.append(self.kinds[self.i])
            self.i += 1
        return tuple(found)

    def _result(self, kind: str) -> syntax.TypeSpec | None:
        """The type after the colon; only functions and methods have one."""
        result: syntax.TypeSpec | None = None
        is_typed = kind in ("FUNCTION", "METHOD") and self.kinds[self.i] == "name"
        if is_typed and self.kinds[self.i + 1] in SECTIONS and not self.on_new_line(self.i):
            word = self.texts[self.i]
            self.fail(words.missing_colon(word, kind))
            with suppress(SyntaxProblem):
                result = self.type_spec()
        elif self.accept(":"):
            if kind not in ("FUNCTION", "METHOD"):
                self.fail(words.no_type_of_its_own(kind), self.i - 1)
            with suppress(SyntaxProblem):
                result = self.type_spec()
        return result

    def _names(self, keyword: str) -> tuple[syntax.TypeName, ...]:
        """The names after EXTENDS or IMPLEMENTS."""
        found: list[syntax.TypeName] = []
        if self.accept(keyword):
            with suppress(SyntaxProblem):
                found.append(self.type_name())
                while self.accept(","):
                    found.append(self.type_name())
        return tuple(found)


def parse_expression(
    source: Source, findings: Findings, text: str | None = None, start: int = 0
) -> syntax.Expression | None:
    """Read a text that is one expression; None, with findings, when it is none.

    Without a ``text`` it is all of the source; else one that stands at ``start`` in it.
    """
    return _alone(source, findings, text, start, UnitParser.expression)


def parse_type(source: Source, findings: Findings, text: str, start: int) -> syntax.TypeSpec | None:
    """Read a text that is one type, and stands at ``start`` in the source; None, with findings, when it is none."""
    return _alone(source, findings, text, start, UnitParser.type_spec)


def parse_initial(source: Source, findings: Findings, text: str, start: int) -> syntax.Expression | None:
    """Read a text that is one initial value, also of an array or a structure, and stands at ``start`` in the source;
    None, with findings, when it is none.
    """
    return _alone(source, findings, text, start, UnitParser.initial_value)


_Read = TypeVar("_Read")


def _alone(
    source: Source, findings: Findings, text: str | None, start: int, read_one: Callable[[UnitParser], _Read]
) -> _Read | None:
    tokens = tokenize(source, findings) if text is None else tokens_of(source, findings, text, start)
    return read_alone(UnitParser(tokens, findings), read_one)


def parse(source: Source, findings: Findings) -> syntax.File:
    """Read all that ``source`` declares. Never raises for anything that the text holds."""
    tokens = tokenize(source, findings)
    mend(tokens, findings)
    noted = Findings()
    file = UnitParser(tokens, noted).file()
    if any(f.name == "missing-end" for f in noted.items):
        by_indent = Findings()
        parser = UnitParser(tokens, by_indent)
        parser.by_indent = True
        again = parser.file()
        if by_indent.items and len(by_indent.items) <= len(noted.items):
            file, noted = again, by_indent
    for finding in noted.items:
        findings.add(finding)
    return file
