"""Expressions, by precedence climbing. IEC 61131-3:2013, table 71."""

from __future__ import annotations

import re

from upright_block.language import syntax
from upright_block.language.lexer import KEYWORDS
from upright_block.language.parsing.cursor import Cursor

PRECEDENCE = {
    "OR": 1,
    "XOR": 2,
    "AND": 3,
    "=": 4,
    "<>": 4,
    "<": 5,
    ">": 5,
    "<=": 5,
    ">=": 5,
    "+": 6,
    "-": 6,
    "*": 7,
    "/": 7,
    "MOD": 7,
    "**": 8,
}
_PART = re.compile(r"(?:%([XBWDLxbwdl]))?([0-9]{1,3})")
_ADDRESSED = {"X": "BOOL", "B": "BYTE", "W": "WORD", "D": "DWORD", "L": "LWORD"}
_CALLABLE = (syntax.Name, syntax.Member, syntax.Index, syntax.Dereference)
_UNARY = frozenset({"-", "+", "NOT"})
_LONGEST_PATH = 300
"""How many tokens may follow a name as its members, indices and calls."""
_OPERATOR_FUNCTIONS = frozenset({"AND", "OR", "XOR", "MOD"})
_LITERALS = {
    "int": "int",
    "real": "real",
    "typed": "typed",
    "string": "string",
    "broken": "broken",
    "TRUE": "bool",
    "FALSE": "bool",
    "NULL": "null",
}
_BASED = re.compile(r"[bB]([01]+)|[xX]([0-9A-Fa-f]+)")
_TIME_UNITS = frozenset({"d", "h", "m", "s", "ms", "us", "ns"})
_FOREIGN_WORDS = {"AND_THEN": "AND", "OR_ELSE": "OR"}
_FOREIGN_OPERATORS = {
    ("=", "="): "Write one = to compare.",
    ("=", ">"): "Write >= for greater or equal.",
    ("=", "<"): "Write <= for less or equal.",
    (">", "<"): "Write <> for not equal.",
    ("AND", "AND"): "Write AND, or & once.",
}


class ExpressionParser(Cursor):
    """Reads one expression at a time."""

    def expression(self, lowest: int = 1) -> syntax.Expression:
        """An expression whose operators bind at least as tightly as ``lowest``."""
        start = self.starts[self.i]
        left = self.operand()
        while True:
            operator = self.kinds[self.i]
            if operator == "name":
                operator = self._foreign_word()
            precedence = PRECEDENCE.get(operator, 0)
            if precedence < lowest:
                return left
            operator_start = self.starts[self.i]
            self.i += 1
            way_out = _FOREIGN_OPERATORS.get((operator, self.kinds[self.i]))
            if way_out and self.starts[self.i] == self.last_end:
                end = self.end_of(self.i)
                self.report(
                    "unknown-operator",
                    operator_start,
                    end,
                    f"{self.source.text[operator_start:end]} is no operator.",
                    way_out,
                )
                self.i += 1
            right = self.expression(precedence + 1)
            left = syntax.Binary(start, self.last_end, operator, left, right, operator_start)

    def _foreign_word(self) -> str:
        """The operator that a word of other languages stands for, reported; or nothing."""
        word = self.texts[self.i]
        operator = _FOREIGN_WORDS.get(word.upper(), "")
        if operator:
            self.fail(
                "unknown-operator",
                f"{word} is no operator: {operator} computes both of its operands.",
                f"Write {operator}, or an IF inside an IF where the second may not be computed.",
            )
        return operator

    def condition(self) -> syntax.Expression:
        """An expression that decides; ``:=`` in its place is reported and read as ``=``."""
        left = self.expression()
        if self.kinds[self.i] != ":=":
            return left
        token = self.i
        self.i += 1
        return self._assigned_condition(left, token, self.expression())

    def _assigned_condition(self, left: syntax.Expression, token: int, right: syntax.Expression) -> syntax.Expression:
        self.fail("assignment-in-condition", ":= assigns and cannot decide.", "Compare with =.", token)
        return syntax.Binary(left.start, right.end, "=", left, right, self.starts[token])

    def _fields_or_condition(self) -> syntax.Expression:
        """``(x := 1, y := 2)``, which is no condition and has a value only where it is an initial one."""
        token = self.i + 2
        found = self.initial_value()
        if not isinstance(found, syntax.StructureValue) or len(found.fields) > 1:
            return found
        field = found.fields[0]
        return self._assigned_condition(syntax.Name(field.start, field.end, field.name), token, field.value)

    def operand(self) -> syntax.Expression:
        kind = self.kinds[self.i]
        start = self.starts[self.i]
        if kind in ("name", "THIS", "SUPER"):
            self.i += 1
            return self.selectors(syntax.Name(start, self.end_of(self.i - 1), self.texts[self.i - 1]))
        if kind in _OPERATOR_FUNCTIONS and self.kinds[self.i + 1] == "(":
            self.i += 1
            return self.selectors(syntax.Name(start, self.end_of(self.i - 1), kind))
        if kind in _LITERALS:
            self.i += 1
            if kind == "string":
                self._doubled_quote()
            elif kind in ("int", "real") and self.starts[self.i] == self.last_end:
                self._glued()
            return syntax.Literal(start, self.end_of(self.i - 1), _LITERALS[kind], self.texts[self.i - 1])
        if kind in _UNARY:
            self.i += 1
            self.deeper()
            operand = self.operand()
            self.depth -= 1
            return syntax.Unary(start, self.last_end, kind, operand)
        if kind == "(" and self.kinds[self.i + 1 : self.i + 3] == ["name", ":="]:
            return self._fields_or_condition()
        if kind == "(":
            self.i += 1
            self.deeper()
            inner = self.condition()
            self.depth -= 1
            if not self.accept(")"):
                raise self.fail(
                    "missing-parenthesis",
                    f"The parenthesis is not closed: {self.shown(self.i)} stands in place of ).",
                    f"Write ) to match the ( in column {self.source.column(start)} of line {self.source.line(start)}.",
                )
            return self.selectors(inner)
        if kind in ("address", "."):
            return self._misplaced_sign(kind)
        if kind == "[":
            return self.initial_value()
        if kind in KEYWORDS:
            raise self.fail(
                "missing-value",
                f"A value is missing: the keyword {self.texts[self.i]} stands in its place.",
                "Write a value, or choose another name if this was meant as one.",
            )
        raise self.fail(
            "missing-value",
            f"A value is missing: {self.shown(self.i)} stands in its place.",
            "Write a literal, a name or an expression.",
        )

    def _glued(self) -> None:
        """Report ``0xFF`` and ``5s``, and read on behind them."""
        number, rest = self.texts[self.i - 1], self.texts[self.i]
        based = _BASED.fullmatch(rest) if number == "0" else None
        if self.kinds[self.i] != "name" or not (based or rest.lower() in _TIME_UNITS):
            return
        way_out = f"Write {2 if based[1] else 16}#{based[1] or based[2]}." if based else f"Write T#{number}{rest}."
        start, end = self.starts[self.i - 1], self.end_of(self.i)
        self.report("bad-literal", start, end, f"{number}{rest} is no number.", way_out)
        self.i += 1

    def _doubled_quote(self) -> None:
        """Report ``'it''s'``, and read on as if the quote had its ``$``."""
        quote = self.texts[self.i - 1][0]
        while self.kinds[self.i] == "string" and self.starts[self.i] == self.last_end:
            self.report(
                "doubled-quote",
                self.last_end - 1,
                self.last_end + 1,
                f"A {quote} inside a text is not written twice.",
                f"Write ${quote}.",
            )
            self.i += 1

    def _misplaced_sign(self, kind: str) -> syntax.Expression:
        """Report ``%IX0.3`` or ``.5`` where a value belongs."""
        token, start = self.i, self.starts[self.i]
        self.i += 1
        if kind == "address":
            word = self.texts[token]
            self.fail(
                "direct-address",
                f"{word} is an address; a body uses the variable that is declared at it.",
                f"Declare one (VAR my_point AT {word} : {_ADDRESSED.get(word[2:3].upper(), 'BOOL')}; END_VAR) and use its name.",
                token,
            )
        elif not self.accept("int"):
            raise self.fail(
                "missing-value",
                "A value is missing: . stands in its place.",
                "Write a literal, a name or an expression.",
                token,
            )
        else:
            digits = self.texts[token + 1]
            self.report("bad-literal", start, self.last_end, "A number begins with a digit.", f"Write 0.{digits}.")
        return syntax.Literal(start, self.last_end, "broken", "")

    def initial_value(self) -> syntax.Expression:
        """An initial value, which may be a list."""
        raise NotImplementedError

    def selectors(self, base: syntax.Expression) -> syntax.Expression:
        """What follows a name: members, indices, calls."""
        opened = self.i
        while True:
            kind = self.kinds[self.i]
            if self.i - opened > _LONGEST_PATH:
                raise self.fail("nested-too-deep", "This path is too long to follow.", "Go by way of a variable.")
            if kind == ".":
                self.i += 1
                token = self.i
                if self.kinds[token] in ("int", "address"):
                    base = self._part(base)
                    continue
                if self.kinds[token] != "name" and self.kinds[token] not in KEYWORDS:
                    raise self.fail(
                        "missing-name",
                        f"A name is missing after the point: {self.shown(token)} stands there.",
                        "Write the name of a pin.",
                    )
                self.i += 1
                base = syntax.Member(base.start, self.end_of(token), base, self.texts[token], self.starts[token])
            elif kind == "(" and isinstance(base, _CALLABLE):
                base = self.call(base)
            elif kind == "[":
                base = self._index(base)
            elif kind == "^":
                self.i += 1
                base = syntax.Dereference(base.start, self.last_end, base)
            else:
                return base

    def _index(self, base: syntax.Expression) -> syntax.Expression:
        """``[i, j]`` after an array."""
        opened = self.starts[self.i]
        self.i += 1
        self.deeper()
        indices = [self.expression()]
        while self.accept(","):
            indices.append(self.expression())
        self.depth -= 1
        if not self.accept("]"):
            raise self.fail(
                "missing-bracket",
                f"The index is not closed: {self.shown(self.i)} stands in place of ].",
                f"Write ] to match the [ in column {self.source.column(opened)} of line {self.source.line(opened)}.",
            )
        return syntax.Index(base.start, self.last_end, base, tuple(indices))

    def _part(self, base: syntax.Expression) -> syntax.Expression:
        """``3``, ``%X3`` or ``%B1`` after the point: a part of a bit string."""
        token = self.i
        found = _PART.fullmatch(self.texts[token])
        if found is None:
            raise self.fail(
                "bad-part",
                f"{self.texts[token]} names no part of a bit string.",
                "Write .3 or .%X3 for a bit, .%B1 for a byte, .%W0 for a word.",
            )
        self.i += 1
        size = (found[1] or "X").upper()
        return syntax.Part(base.start, self.last_end, base, size, int(found[2]), self.starts[token])

    def call(self, callee: syntax.Expression) -> syntax.Call:
        """The arguments of a call, formal or positional (6.6.1.4)."""
        opened = self.i
        self.i += 1
        self.deeper()
        arguments: list[syntax.Argument] = []
        if not self.accept(")"):
            while True:
                arguments.append(self.argument())
                if self.accept(","):
                    if self.kinds[self.i] == ")":
                        raise self.fail(
                            "missing-value",
                            "A comma stands before ) with no argument after it.",
                            "Remove the comma or write the argument.",
                            self.i - 1,
                        )
                    continue
                if self.accept(")"):
                    break
                start = self.starts[opened]
                if self.kinds[self.i] in ("name", "int", "real", "typed", "string", "TRUE", "FALSE", "NOT"):
                    raise self.fail(
                        "missing-comma",
                        f"A comma is missing before {self.shown(self.i)}.",
                        "Separate arguments by commas.",
                    )
                raise self.fail(
                    "missing-parenthesis",
                    f"The call is not closed: {self.shown(self.i)} stands in place of ).",
                    f"Write ) to match the ( in column {self.source.column(start)} of line {self.source.line(start)}.",
                )
        self.depth -= 1
        return syntax.Call(callee.start, self.last_end, callee, tuple(arguments))

    def argument(self) -> syntax.Argument:
        start = self.starts[self.i]
        negated = self.kinds[self.i] == "NOT" and self.kinds[self.i + 2 : self.i + 3] == ["=>"]
        token = self.i + negated
        sign = self.kinds[token + 1] if token + 1 < len(self.kinds) else "end"
        if sign in (":=", "=>") and (self.kinds[token] == "name" or self.kinds[token] in KEYWORDS):
            self.i = token + 2
            value = self.expression()
            return syntax.Argument(start, value.end, self.texts[token], value, sign == "=>", negated)
        value = self.expression()
        return syntax.Argument(start, value.end, "", value, False, False)
