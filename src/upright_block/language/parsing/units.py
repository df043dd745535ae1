"""Functions and function blocks: head, variable sections, body. IEC 61131-3:2013, 6.5 and 6.6."""

from __future__ import annotations

from bisect import bisect_left
from contextlib import suppress

from upright_block.language import syntax
from upright_block.language.findings import Findings
from upright_block.language.lexer import Comment, tokenize
from upright_block.language.names import did_you_mean
from upright_block.language.parsing.cursor import SyntaxProblem
from upright_block.language.parsing.statements import UNIT_STARTS, StatementParser
from upright_block.language.source import Source

_READ_NOW = ("FUNCTION_BLOCK", "FUNCTION")
_SECTIONS = ("VAR_INPUT", "VAR_OUTPUT", "VAR")
_LATER_SECTIONS = ("VAR_IN_OUT", "VAR_TEMP", "VAR_EXTERNAL", "VAR_GLOBAL", "VAR_ACCESS", "VAR_CONFIG")
_QUALIFIERS = ("CONSTANT", "RETAIN", "NON_RETAIN", "PUBLIC", "PRIVATE", "PROTECTED", "INTERNAL")


class UnitParser(StatementParser):
    """Reads the units of a source."""

    def units(self) -> tuple[syntax.Unit, ...]:
        """All units, whatever is wrong between them."""
        found: list[syntax.Unit] = []
        self.opened = []
        while self.kinds[self.i] != "end":
            kind = self.kinds[self.i]
            if kind in _READ_NOW:
                found.append(self.unit(kind))
                continue
            if kind in UNIT_STARTS:
                self.fail(
                    "not-supported",
                    f"{kind} is not read by this version.",
                    "Blocks are written as FUNCTION_BLOCK, functions as FUNCTION.",
                )
            elif kind == "name" and (hint := did_you_mean(self.texts[self.i], _READ_NOW)):
                self.fail("misspelt-keyword", f"{self.texts[self.i]} is no keyword.", hint)
            elif kind != "unknown":
                self.fail(
                    "outside-a-unit",
                    f"{self.shown(self.i)} stands outside any FUNCTION_BLOCK or FUNCTION.",
                    "Put it inside one, or remove it.",
                )
            self.i += 1
            while self.kinds[self.i] not in UNIT_STARTS and self.kinds[self.i] != "end":
                self.i += 1
        return tuple(found)

    def unit(self, kind: str) -> syntax.Unit:
        opened_at = self.starts[self.i]
        comment = self._comment_before(opened_at)
        self.i += 1
        name, start, end = "", opened_at, self.last_end
        result: syntax.TypeName | None = None
        if self.kinds[self.i] == "name":
            name, start, end = self.texts[self.i], self.starts[self.i], self.end_of(self.i)
            self.i += 1
        else:
            self.fail(
                "missing-name",
                f"{kind} has no name: {self.shown(self.i)} stands in its place.",
                "A name begins with a letter and is no keyword.",
            )
        if self.accept(":"):
            if kind == "FUNCTION_BLOCK":
                self.fail(
                    "unexpected",
                    "A FUNCTION_BLOCK has no type of its own.",
                    "Remove the type, or write FUNCTION.",
                    self.i - 1,
                )
            with suppress(SyntaxProblem):
                result = self._type_name()
        elif kind == "FUNCTION" and name:
            self.report(
                "missing-type",
                start,
                end,
                f"The function {name} has no result type.",
                f"Write FUNCTION {name} : INT, or another type.",
            )
        self.accept(";")
        self.opened = [(kind, opened_at)]
        sections: list[syntax.VariableSection] = []
        while self.kinds[self.i] in _SECTIONS or self.kinds[self.i] in _LATER_SECTIONS:
            sections.append(self.section())
        body = self.statements("END_" + kind)
        if not self.accept("END_" + kind):
            self.missing_end(kind, opened_at)
        self.accept(";")
        self.opened = []
        return syntax.Unit(start, end, kind, name, result, tuple(sections), body, comment)

    def section(self) -> syntax.VariableSection:
        start, keyword = self.starts[self.i], self.kinds[self.i]
        if keyword in _LATER_SECTIONS:
            self.fail(
                "not-supported",
                f"{keyword} is not read by this version.",
                "Use VAR_INPUT, VAR_OUTPUT or VAR.",
            )
        self.i += 1
        qualifiers: list[str] = []
        while self.kinds[self.i] in _QUALIFIERS:
            qualifiers.append(self.kinds[self.i])
            self.i += 1
        declarations: list[syntax.Declaration] = []
        while self.kinds[self.i] != "END_VAR":
            if self.kinds[self.i] in ("end", *UNIT_STARTS, *_SECTIONS) or self._body_begins():
                if not (self.kinds[self.i] == "end" and self.tokens.unclosed_comment):
                    self.report(
                        "missing-end",
                        start,
                        start + len(keyword),
                        f"{keyword} is not closed: END_VAR is missing.",
                        f"Write END_VAR before {self.shown(self.i)} in line {self.source.line(self.starts[self.i])}.",
                    )
                return syntax.VariableSection(
                    start, self.last_end, keyword, tuple(qualifiers), tuple(declarations)
                )
            at = self.i
            try:
                declarations.extend(self.declaration())
            except SyntaxProblem:
                self._recover_declaration(at)
        self.i += 1
        self.accept(";")
        return syntax.VariableSection(start, self.last_end, keyword, tuple(qualifiers), tuple(declarations))

    def _body_begins(self) -> bool:
        """Whether what is next belongs to the body, since an END_VAR was left out."""
        kind = self.kinds[self.i]
        of_body = kind in ("IF", "CASE", "FOR", "WHILE", "REPEAT", "RETURN") or kind.startswith("END_")
        if not of_body and (kind != "name" or self.kinds[self.i + 1] not in (":=", "(", ".")):
            return False
        ahead = self.i
        while self.kinds[ahead] not in ("END_VAR", "END_FUNCTION", "END_FUNCTION_BLOCK", "end", *_SECTIONS):
            ahead += 1
        return self.kinds[ahead] != "END_VAR"

    def _recover_declaration(self, since: int) -> None:
        while self.kinds[self.i] not in ("END_VAR", "end", *UNIT_STARTS, *_SECTIONS):
            if self.kinds[self.i] == ";":
                self.i += 1
                return
            if (
                self.i > since
                and self.on_new_line(self.i)
                and self.kinds[self.i] == "name"
                and self.kinds[self.i + 1] in (":", ",")
            ):
                return
            if self.i > since and self._body_begins() and self.on_new_line(self.i):
                return
            self.i += 1

    def declaration(self) -> list[syntax.Declaration]:
        """``a, b : TYPE := value;`` as one declaration a name."""
        names: list[int] = []
        while True:
            if self.kinds[self.i] != "name":
                what = (
                    f"the keyword {self.texts[self.i]}"
                    if self.texts[self.i][:1].isalpha()
                    else self.shown(self.i)
                )
                raise self.fail(
                    "missing-name",
                    f"The name of a variable is missing: {what} stands in its place.",
                    "A name begins with a letter and is no keyword.",
                )
            names.append(self.i)
            self.i += 1
            if not self.accept(","):
                break
        if self.kinds[self.i] == ":=":
            name = self.texts[names[0]]
            self.fail(
                "missing-type",
                f"{name} has no type: its initial value stands in place of it.",
                f"Write {name} : TYPE := value;",
            )
            type_name = syntax.TypeName(self.last_end, self.last_end, "")
        else:
            type_name = self._declared_type()
        initial: syntax.Expression | None = None
        if self.kinds[self.i] == "=":
            self.report(
                "comparison-as-assignment",
                self.starts[self.i],
                self.end_of(self.i),
                "= compares and does not assign.",
                "Give an initial value with :=.",
            )
            self.i += 1
            initial = self.expression()
        elif self.accept(":="):
            initial = self.expression()
        end = self.last_end
        if not self.accept(";"):
            if self.on_new_line(self.i) or self.kinds[self.i] in ("END_VAR", "end"):
                self.report(
                    "missing-semicolon",
                    self.starts[self.i - 1],
                    end,
                    f"The declaration ends without a semicolon after {self.texts[self.i - 1]}.",
                    "Write ; here.",
                )
            else:
                raise self.fail(
                    "unexpected", f"The declaration should end before {self.shown(self.i)}.", "Write ; here."
                )
        comment = self._comment_after(end)
        return [
            syntax.Declaration(self.starts[n], self.end_of(n), self.texts[n], type_name, initial, comment)
            for n in names
        ]

    def _declared_type(self) -> syntax.TypeName:
        """The colon and the type of a declaration."""
        if not self.accept(":"):
            problem = self.fail(
                "missing-colon",
                f"A colon is missing after {self.texts[self.i - 1]}: {self.shown(self.i)} stands in its place.",
                "Write name : TYPE;",
            )
            if self.kinds[self.i] != "name":
                raise problem
        return self._type_name()

    def _type_name(self) -> syntax.TypeName:
        if self.kinds[self.i] in ("ARRAY", "STRUCT", "REF_TO"):
            raise self.fail(
                "not-supported",
                f"{self.kinds[self.i]} is not read by this version.",
                "Use an elementary type or a function block.",
            )
        if self.kinds[self.i] != "name":
            raise self.fail(
                "missing-type",
                f"A type is missing: {self.shown(self.i)} stands in its place.",
                "Write a type such as BOOL, INT or TIME.",
            )
        self.i += 1
        return syntax.TypeName(self.starts[self.i - 1], self.last_end, self.texts[self.i - 1])

    # --- comments that describe ---

    def _comment_after(self, offset: int) -> str:
        """The comment that follows on the same line."""
        comment = self._comment_from(offset)
        if comment is None or "\n" in self.source.text[offset : comment.start]:
            return ""
        between = self.source.text[offset : comment.start].strip()
        return comment.text if between in ("", ";") else ""

    def _comment_before(self, offset: int) -> str:
        """The comments that stand right before, with no blank line between, as one text."""
        comments = self.tokens.comments
        at = self._first_comment_from(offset) - 1
        parts: list[str] = []
        while at >= 0:
            between = self.source.text[comments[at].end : offset]
            if between.strip() or between.count("\n") > 1:
                break
            parts.append(comments[at].text)
            offset = comments[at].start
            at -= 1
        return " ".join(reversed(parts))

    def _comment_from(self, offset: int) -> Comment | None:
        at = self._first_comment_from(offset)
        return self.tokens.comments[at] if at < len(self.tokens.comments) else None

    def _first_comment_from(self, offset: int) -> int:
        return bisect_left(self.tokens.comments, offset, key=lambda comment: comment.start)


def parse(source: Source, findings: Findings) -> tuple[syntax.Unit, ...]:
    """Read all units of ``source``. Never raises for anything that the text holds."""
    tokens = tokenize(source, findings)
    noted = Findings()
    units = UnitParser(tokens, noted).units()
    if any(f.name == "missing-end" for f in noted.items):
        by_indent = Findings()
        parser = UnitParser(tokens, by_indent)
        parser.by_indent = True
        again = parser.units()
        if by_indent.items and len(by_indent.items) <= len(noted.items):
            units, noted = again, by_indent
    for finding in noted.items:
        findings.add(finding)
    return units
