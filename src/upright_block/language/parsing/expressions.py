"""Expressions, by precedence climbing. IEC 61131-3:2013, table 71."""

from __future__ import annotations

import re

from upright_block.language import syntax
from upright_block.language.field.addresses import NoAddress, parse_address
from upright_block.language.lexer import KEYWORDS
from upright_block.language.parsing.cursor import Cursor
from upright_block.language.parsing.words import expressions as words

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
            pair = (operator, self.kinds[self.i])
            if pair in words.FOREIGN_OPERATORS and self.starts[self.i] == self.last_end:
                end = self.end_of(self.i)
                written = self.source.text[operator_start:end]
                self.report(operator_start, end, words.unknown_operator(written, pair))
                self.i += 1
            right = self.expression(precedence + 1)
            left = syntax.Binary(start, self.last_end, operator, left, right, operator_start)

    def _foreign_word(self) -> str:
        """The operator that a word of other languages stands for, reported; or nothing."""
        word = self.texts[self.i]
        operator = _FOREIGN_WORDS.get(word.upper(), "")
        if operator:
            self.fail(words.short_circuit(word, operator))
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
        self.fail(words.assignment_in_condition(), token)
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
                raise self.fail(words.parenthesis_not_closed(self.shown(self.i), self.source, start))
            return self.selectors(inner)
        if kind == "address":
            return self._direct_address()
        if kind == ".":
            return self._begins_with_point()
        if kind == "[":
            return self.initial_value()
        if kind in KEYWORDS:
            raise self.fail(words.keyword_for_value(self.texts[self.i]))
        raise self.fail(words.missing_value(self.shown(self.i)))

    def _glued(self) -> None:
        """Report ``0xFF`` and ``5s``, and read on behind them."""
        number, rest = self.texts[self.i - 1], self.texts[self.i]
        based = _BASED.fullmatch(rest) if number == "0" else None
        if self.kinds[self.i] != "name" or not (based or rest.lower() in _TIME_UNITS):
            return
        written = f"{2 if based[1] else 16}#{based[1] or based[2]}" if based else f"T#{number}{rest}"
        self.report(self.starts[self.i - 1], self.end_of(self.i), words.bad_number(number + rest, written))
        self.i += 1

    def _doubled_quote(self) -> None:
        """Report ``'it''s'``, and read on as if the quote had its ``$``."""
        quote = self.texts[self.i - 1][0]
        while self.kinds[self.i] == "string" and self.starts[self.i] == self.last_end:
            self.report(self.last_end - 1, self.last_end + 1, words.doubled_quote(quote))
            self.i += 1

    def _direct_address(self) -> syntax.Expression:
        """``%IX0.3``, or ``%IW10.%X3``."""
        token, start = self.i, self.starts[self.i]
        self.i += 1
        if self.kinds[self.i] == "." and self.kinds[self.i + 1] == "address":
            self.i += 2
        try:
            address = parse_address(self.source.text[start : self.last_end])
            if not address.is_open:
                return syntax.DirectAddress(start, self.last_end, address)
            self.fail(words.open_address(self.texts[token]), token)
        except NoAddress as problem:
            self.report(start, self.last_end, problem.words)
        return syntax.Literal(start, self.last_end, "broken", "")

    def _begins_with_point(self) -> syntax.Expression:
        """Report ``.5`` where a value belongs."""
        token, start = self.i, self.starts[self.i]
        self.i += 1
        if not self.accept("int"):
            raise self.fail(words.missing_value("."), token)
        self.report(start, self.last_end, words.begins_with_point(self.texts[token + 1]))
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
                raise self.fail(words.path_too_long())
            if kind == ".":
                self.i += 1
                token = self.i
                if self.kinds[token] in ("int", "address"):
                    base = self._part(base)
                    continue
                if self.kinds[token] != "name" and self.kinds[token] not in KEYWORDS:
                    raise self.fail(words.missing_pin_name(self.shown(token)))
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
            raise self.fail(words.index_not_closed(self.shown(self.i), self.source, opened))
        return syntax.Index(base.start, self.last_end, base, tuple(indices))

    def _part(self, base: syntax.Expression) -> syntax.Expression:
        """``3``, ``%X3`` or ``%B1`` after the point: a part of a bit string."""
        token = self.i
        found = _PART.fullmatch(self.texts[token])
        if found is None:
            raise self.fail(words.bad_part(self.texts[token]))
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
                        raise self.fail(words.comma_before_end(), self.i - 1)
                    continue
                if self.accept(")"):
                    break
                start = self.starts[opened]
                if self.kinds[self.i] in ("name", "int", "real", "typed", "string", "TRUE", "FALSE", "NOT"):
                    raise self.fail(words.missing_comma(self.shown(self.i)))
                raise self.fail(words.call_not_closed(self.shown(self.i), self.source, start))
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
        return syntax.Argument(start, value.end, "", value, output=False, negated=False)
