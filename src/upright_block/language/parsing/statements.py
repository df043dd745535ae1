"""Statements, with recovery to the next one. IEC 61131-3:2013, table 72."""

from __future__ import annotations

from collections.abc import Callable

from upright_block.language import syntax
from upright_block.language.names import did_you_mean, nearest
from upright_block.language.parsing.cursor import SyntaxProblem
from upright_block.language.parsing.expressions import ExpressionParser
from upright_block.language.parsing.words import statements as words
from upright_block.language.parsing.words.cursor import closes_nothing
from upright_block.language.parsing.words.ladder import mixed
from upright_block.language.telling.findings import Related

CLOSES = {
    "IF": "END_IF",
    "CASE": "END_CASE",
    "FOR": "END_FOR",
    "WHILE": "END_WHILE",
    "REPEAT": "END_REPEAT",
    "FUNCTION": "END_FUNCTION",
    "FUNCTION_BLOCK": "END_FUNCTION_BLOCK",
    "PROGRAM": "END_PROGRAM",
    "CLASS": "END_CLASS",
    "INTERFACE": "END_INTERFACE",
    "METHOD": "END_METHOD",
    "NAMESPACE": "END_NAMESPACE",
    "STEP": "END_STEP",
    "TRANSITION": "END_TRANSITION",
    "ACTION": "END_ACTION",
}
SECTIONS = frozenset(
    [
        "VAR",
        "VAR_INPUT",
        "VAR_OUTPUT",
        "VAR_IN_OUT",
        "VAR_TEMP",
        "VAR_EXTERNAL",
        "VAR_GLOBAL",
        "VAR_ACCESS",
        "VAR_CONFIG",
    ]
)
UNIT_STARTS = frozenset(
    ["FUNCTION", "FUNCTION_BLOCK", "PROGRAM", "CLASS", "INTERFACE", "TYPE", "CONFIGURATION", "NAMESPACE"]
)
_PARTS = frozenset(["METHOD", "INITIAL_STEP", "STEP", "TRANSITION", "ACTION"])
_ENDS = frozenset(CLOSES.values()) | frozenset(["END_VAR", "END_TYPE", "END_STRUCT"])
_NEVER_IN_BODY = _ENDS | UNIT_STARTS | SECTIONS | {"end", "ELSE", "ELSIF", "UNTIL"} | _PARTS
STATEMENT_STARTS = frozenset(["IF", "CASE", "FOR", "WHILE", "REPEAT", "EXIT", "CONTINUE", "RETURN"])
_RESUME = _NEVER_IN_BODY | STATEMENT_STARTS
_WORDS_THAT_START = [*sorted(STATEMENT_STARTS), "ELSE", "ELSIF", "UNTIL", *sorted(_ENDS)]


class StatementParser(ExpressionParser):
    """Reads lists of statements.

    ``opened`` holds the constructs that are open, as (keyword, offset). With ``by_indent`` a closing
    keyword that stands at the indentation of an outer construct is taken to close that one: a second
    reading uses this when the first found an END missing, to blame the construct that lacks it.
    """

    opened: list[tuple[str, int]]
    by_indent: bool = False

    def statements(self, *stops: str) -> tuple[syntax.Statement, ...]:
        """Statements up to, not including, one of the keywords ``stops``."""
        found: list[syntax.Statement] = []
        kinds = self.kinds
        while True:
            kind = kinds[self.i]
            if kind == ";":
                self.i += 1
            elif kind == "rung":
                self.fail(mixed())
                while kinds[self.i] == "rung":
                    self.i += 1
            elif kind in _NEVER_IN_BODY:
                if kind in stops or not self._is_stray(kind):
                    return tuple(found)
                self.skip_stray(kind)
            elif self._label_of_outer_case():
                return tuple(found)
            elif not self._takes_bare_end():
                self._guarded(lambda: found.append(self.statement()))

    def _guarded(self, read: Callable[[], None]) -> None:
        """Read something; when it is given up, go on with the next statement."""
        begun, depth, opened = self.i, self.depth, len(self.opened)
        try:
            read()
        except SyntaxProblem:
            self.depth = depth
            del self.opened[opened:]
            if self.i == begun:
                self.i += 1
            self.recover(begun)

    def _is_stray(self, kind: str) -> bool:
        """Whether a closing keyword has nothing open that it could close."""
        if kind == "end" or kind in UNIT_STARTS or kind in SECTIONS or kind in _PARTS:
            return kind in SECTIONS
        if kind in ("ELSE", "ELSIF"):
            return not any(opener in ("IF", "CASE") for opener, _ in self.opened)
        if kind == "UNTIL":
            return not any(opener == "REPEAT" for opener, _ in self.opened)
        return not any(CLOSES[opener] == kind for opener, _ in self.opened)

    def _takes_bare_end(self) -> bool:
        """Report ``END;``, and take it for the END of what was opened last."""
        if self.texts[self.i].upper() != "END" or self.kinds[self.i + 1] != ";" or not self.opened:
            return False
        closer = CLOSES[self.opened[-1][0]]
        self.fail(words.end_of_what(closer))
        self.kinds[self.i] = closer
        return True

    def skip_stray(self, kind: str) -> None:
        """Report a keyword that closes nothing, or a section within a body, and step over it."""
        start, end = self.starts[self.i], self.end_of(self.i)
        if kind in SECTIONS:
            self.report(start, end, words.late_declaration(kind))
            while self.kinds[self.i] not in ("END_VAR", "end") and self.kinds[self.i] not in UNIT_STARTS:
                self.i += 1
            self.accept("END_VAR")
            return
        opener = next(
            (o for o, c in CLOSES.items() if c == kind),
            {"ELSE": "IF", "ELSIF": "IF", "UNTIL": "REPEAT"}.get(kind, "VAR"),
        )
        self.report(start, end, words.stray_end(kind, opener))
        self.i += 1
        self.accept(";")

    def recover(self, since: int) -> None:
        """Step to where the next statement can begin: after a semicolon, or at a keyword that starts or ends one."""
        while True:
            kind = self.kinds[self.i]
            if kind == ";":
                self.i += 1
                return
            if kind in _RESUME and self.i > since:
                return
            if (
                kind == "name"
                and self.i > since
                and self.on_new_line(self.i)
                and self.kinds[self.i + 1] in (":=", "(", ".", "[", "^")
            ):
                return
            self.i += 1

    def statement(self) -> syntax.Statement:
        """One statement with its semicolon, which may be left out after END_IF and its kin."""
        self._mend_misspelt_start()
        kind = self.kinds[self.i]
        if kind in STATEMENT_STARTS:
            self.deeper()
            made: syntax.Statement = getattr(self, "_" + kind.lower())()
            self.depth -= 1
            if kind in CLOSES:
                self.accept(";")
                return made
        elif kind in ("name", "THIS", "SUPER", "address"):
            made = self._assignment_or_call()
        else:
            raise self.fail(words.no_statement(self.shown(self.i)))
        self._semicolon()
        return made

    def _mend_misspelt_start(self) -> None:
        """A name that is followed by another operand is a keyword gone wrong: reported and taken for it."""
        if self.kinds[self.i] != "name" or self.on_new_line(self.i + 1):
            return
        if self.kinds[self.i + 1] in ("name", "int", "NOT", "TRUE", "FALSE"):
            word = self.texts[self.i]
            meant = nearest(word, STATEMENT_STARTS)
            if meant:
                self.fail(words.misspelt_keyword(word, meant))
                self.kinds[self.i] = meant

    def _semicolon(self) -> None:
        if self.accept(";"):
            return
        after = self.i - 1
        if self.on_new_line(self.i) or self.kinds[self.i] in _RESUME:
            cut_off = self.kinds[self.i] == "end" and self.tokens.unclosed_comment
            if self.kinds[after] != "broken" and not cut_off:
                self.report(self.starts[after], self.end_of(after), words.missing_semicolon(self.texts[after]))
            return
        if self.kinds[after : self.i + 2] == ["int", ",", "int"]:
            start, end = self.starts[after], self.end_of(self.i + 1)
            written = self.source.text[start:end]
            meant = f"{self.texts[after]}.{self.texts[self.i + 1]}"
            self.report(start, end, words.decimal_comma(written, meant))
            self.i += 2
            self.accept(";")
            return
        if self.kinds[self.i] == ")":
            raise self.fail(closes_nothing())
        raise self.fail(words.goes_on(self.shown(self.i)))

    def _assignment_or_call(self) -> syntax.Statement:
        start = self.starts[self.i]
        word = self.texts[self.i]
        target = self.operand()
        kind = self.kinds[self.i]
        if self.assigns("Assign with :=."):
            value = self.expression()
            if self.kinds[self.i] == ":=":
                raise self.fail(words.second_assignment())
            return syntax.Assignment(start, value.end, target, value)
        if isinstance(target, syntax.Call):
            return syntax.CallStatement(start, target.end, target)
        if kind == ":" and self.kinds[self.i + 1] == "=":
            raise self.fail(words.split_sign())
        shown = self.source.text[target.start : target.end]
        self._foreign_assignment(target, shown)
        if word.upper() in ("GOTO", "JMP", "JMPC", "JMPCN"):
            raise self.fail(words.jump(word), self.i - 1)
        hint = did_you_mean(word, _WORDS_THAT_START) if isinstance(target, syntax.Name) else ""
        self.report(target.start, target.end, words.does_nothing(shown, hint))
        raise SyntaxProblem

    def _foreign_assignment(self, target: syntax.Expression, shown: str) -> None:
        """Report ``n += 1``, ``n++`` and ``a ?= b``."""
        sign, following = self.kinds[self.i], self.kinds[self.i + 1]
        end = self.end_of(self.i + 1)
        if sign == "?=":
            raise self.fail(words.assignment_attempt())
        if (
            sign in ("+", "-", "*", "/")
            and following in ("=", ":=", sign)
            and self.starts[self.i + 1] == self.end_of(self.i)
        ):
            written = self.source.text[target.start : end]
            by = "1" if following == sign else "..."
            self.report(self.starts[self.i], end, words.unknown_assignment(written, f"{shown} := {shown} {sign} {by};"))
            raise SyntaxProblem

    def assigns(self, way_out: str) -> bool:
        """Step over ``:=`` if it is next, or over ``=`` in its place, which is reported."""
        if self.kinds[self.i] == "=":
            self.report(self.starts[self.i], self.end_of(self.i), words.comparison_as_assignment(way_out))
        elif self.kinds[self.i] != ":=":
            return False
        self.i += 1
        return True

    # --- selection ---

    def _if(self) -> syntax.Statement:
        start = self.starts[self.i]
        self.opened.append(("IF", start))
        branches: list[syntax.Branch] = []
        otherwise: tuple[syntax.Statement, ...] | None = None
        while not branches or self._continues("ELSIF"):
            branch_start = self.starts[self.i]
            self.i += 1
            condition = self._condition_before("THEN", "ELSIF" if branches else "IF")
            body = self.statements("ELSIF", "ELSE", "END_IF")
            branches.append(syntax.Branch(branch_start, condition.end, condition, body))
        if self._continues("ELSE"):
            self.i += 1
            otherwise = self.statements("END_IF")
        self._close("IF", start)
        return syntax.If(start, self.last_end, tuple(branches), otherwise)

    def _condition_before(self, keyword: str, opener: str) -> syntax.Expression:
        """A condition and the keyword that follows it; a broken condition does not lose the body."""
        begun, depth = self.i, self.depth
        try:
            condition = self.condition()
            self.expect(keyword, f"after the condition of {opener}")
            return condition
        except SyntaxProblem:
            self.depth = depth
            i = max(self.i, begun)
            while self.kinds[i] not in (keyword, ";", "end") and self.kinds[i] not in _RESUME:
                if i > begun and self.on_new_line(i):
                    break
                i += 1
            self.i = i
            self.accept(keyword)
            return syntax.Literal(self.starts[begun], self.end_of(begun), "broken", "")

    def _case(self) -> syntax.Statement:
        start = self.starts[self.i]
        self.opened.append(("CASE", start))
        self.i += 1
        selector = self._condition_before("OF", "CASE")
        arms: list[syntax.Arm] = []
        otherwise: tuple[syntax.Statement, ...] | None = None
        while self.kinds[self.i] not in _NEVER_IN_BODY:
            self._guarded(lambda: arms.append(self._arm()))
        if self._continues("ELSE"):
            self.i += 1
            self.accept(":")
            otherwise = self.statements("END_CASE")
        self._close("CASE", start)
        return syntax.Case(start, self.last_end, selector, tuple(arms), otherwise)

    def _arm(self) -> syntax.Arm:
        start = self.starts[self.i]
        labels: list[syntax.Label] = []
        while True:
            low = self.expression()
            high = self.expression() if self.accept("..") else None
            labels.append(syntax.Label(low.start, (high or low).end, low, high))
            if not self.accept(","):
                break
        if self.kinds[self.i] != ":":
            raise self.fail(words.missing_colon(self.shown(self.i)))
        self.i += 1
        return syntax.Arm(start, self.last_end, tuple(labels), self._arm_body())

    def _arm_body(self) -> tuple[syntax.Statement, ...]:
        found: list[syntax.Statement] = []
        while True:
            kind = self.kinds[self.i]
            if kind == ";":
                self.i += 1
            elif kind in ("ELSE", "END_CASE") or self._label_is_next():
                return tuple(found)
            elif kind in _NEVER_IN_BODY:
                if not self._is_stray(kind):
                    return tuple(found)
                self.skip_stray(kind)
            elif not self._takes_bare_end():
                self._guarded(lambda: found.append(self.statement()))

    def _label_of_outer_case(self) -> bool:
        """Whether a label of a CASE is next although something inside its branch is still open."""
        return self.on_new_line(self.i) and any(opener == "CASE" for opener, _ in self.opened) and self._label_is_next()

    def _label_is_next(self) -> bool:
        """Whether the tokens from here to a colon are labels: literals, names, commas and ranges."""
        i = self.i
        if self.kinds[i] not in ("int", "typed", "name", "-", "+", "TRUE", "FALSE", "string", "("):
            return False
        while True:
            kind = self.kinds[i]
            if kind == ":":
                return self.kinds[i + 1] != "="
            if kind not in ("int", "typed", "name", "-", "+", "..", ",", ".", "*", "TRUE", "FALSE", "string"):
                return False
            if i > self.i and kind in ("name", "int") and self.kinds[i - 1] in ("name", "int"):
                return False
            i += 1

    # --- iteration ---

    def _for(self) -> syntax.Statement:
        start = self.starts[self.i]
        self.opened.append(("FOR", start))
        self.i += 1
        begun, depth = self.i, self.depth
        step: syntax.Expression | None = None
        try:
            variable = self.operand()
            if not self.assigns("Assign with :=."):
                self.expect(":=", "after the variable of FOR")
            first = self.expression()
            self.expect("TO", "after the first value of FOR")
            last = self.expression()
            if self.accept("BY"):
                step = self.expression()
            self.expect("DO", "after the last value of FOR")
        except SyntaxProblem:
            self.depth = depth
            while self.kinds[self.i] not in ("DO", ";") and self.kinds[self.i] not in _RESUME:
                self.i += 1
            self.accept("DO")
            variable = first = last = syntax.Literal(self.starts[begun], self.end_of(begun), "broken", "")
        body = self.statements("END_FOR")
        self._close("FOR", start)
        return syntax.For(start, self.last_end, variable, first, last, step, body)

    def _while(self) -> syntax.Statement:
        start = self.starts[self.i]
        self.opened.append(("WHILE", start))
        self.i += 1
        condition = self._condition_before("DO", "WHILE")
        body = self.statements("END_WHILE")
        self._close("WHILE", start)
        return syntax.While(start, self.last_end, condition, body)

    def _repeat(self) -> syntax.Statement:
        start = self.starts[self.i]
        self.opened.append(("REPEAT", start))
        self.i += 1
        body = self.statements("UNTIL", "END_REPEAT")
        if not self._continues("UNTIL"):
            if self.kinds[self.i] == "END_REPEAT":
                self.fail(words.missing_until())
            self._close("REPEAT", start)
            return syntax.Repeat(start, self.last_end, body, syntax.Literal(start, start + 6, "broken", ""))
        self.i += 1
        condition = self.condition()
        self.accept(";")
        self._close("REPEAT", start)
        return syntax.Repeat(start, self.last_end, body, condition)

    def _exit(self) -> syntax.Statement:
        self.i += 1
        return syntax.Exit(self.starts[self.i - 1], self.last_end)

    def _continue(self) -> syntax.Statement:
        self.i += 1
        return syntax.Continue(self.starts[self.i - 1], self.last_end)

    def _return(self) -> syntax.Statement:
        self.i += 1
        return syntax.Return(self.starts[self.i - 1], self.last_end)

    # --- what is open, and what closes it ---

    def _continues(self, keyword: str) -> bool:
        """Whether ``keyword`` is next and belongs to the construct opened last."""
        return self.kinds[self.i] == keyword and not self._belongs_outside(keyword)

    def _belongs_outside(self, keyword: str) -> bool:
        if not self.by_indent or not self.on_new_line(self.i):
            return False
        mine = self._indent(self.opened[-1][1])
        here = self._indent(self.starts[self.i])
        outer = [o for o, offset in self.opened[:-1] if self._indent(offset) == here]
        return here < mine and any(CLOSES[o] == keyword or keyword in ("ELSE", "ELSIF", "UNTIL") for o in outer)

    def _indent(self, offset: int) -> int:
        line = self.source.line_text(self.source.line(offset))
        return len(line) - len(line.lstrip())

    def _close(self, opener: str, start: int) -> None:
        """Step over the END of a construct, or say that it is missing and where the construct begins."""
        keyword = CLOSES[opener]
        if self._continues(keyword):
            self.i += 1
        else:
            self.missing_end(opener, start)
        self.opened.pop()

    def missing_end(self, opener: str, start: int) -> None:
        """Say that what ``opener`` opens at ``start`` is never closed."""
        if self.tokens.unclosed_comment and self.kinds[self.i] == "end":
            return
        here = self.i
        closer = "END_VAR" if opener in SECTIONS else f"END_{opener.removeprefix('INITIAL_')}"
        place = Related(
            self.source,
            self.starts[here],
            max(self.end_of(here), self.starts[here] + 1),
            f"{closer} was expected before {self.shown(here)}",
        )
        self.report(
            start,
            start + len(opener),
            words.not_closed(opener, closer, self.shown(here), self.source.line(self.starts[here])),
            place,
        )
