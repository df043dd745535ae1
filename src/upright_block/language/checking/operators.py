"""Operators: in which type each works. IEC 61131-3:2013, 6.6.2.5.6 to 6.6.2.5.13 and table 71."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from upright_block.language import constants, syntax, typed
from upright_block.language.checking.places import PlaceChecker
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.words import operators as words
from upright_block.language.literals import shown_number
from upright_block.language.nodes import node
from upright_block.language.types import (
    BOOL,
    DATE,
    DINT,
    DT,
    INT,
    LDATE,
    LDT,
    LINT,
    LREAL,
    LTIME,
    LTOD,
    NULL,
    TIME,
    TOD,
    ULINT,
    UNTYPED_INT,
    UNTYPED_REAL,
    Elementary,
    Enumeration,
    Reference,
    String,
    Type,
    common,
    in_group,
    is_integer,
    is_real,
    widens,
)

_COMPARISONS = frozenset({"=", "<>", "<", ">", "<=", ">="})
_LOGIC = frozenset({"AND", "OR", "XOR"})
_TIMED = frozenset({"duration", "date", "time of day", "date and time"})
_MOVED = {
    (a, sign, b): result
    for moment, duration in ((TOD, TIME), (DT, TIME), (LTOD, LTIME), (LDT, LTIME))
    for a, sign, b, result in (
        (moment, "+", duration, moment),
        (moment, "-", duration, moment),
        (moment, "-", moment, duration),
    )
} | {(DATE, "-", DATE): TIME, (LDATE, "-", LDATE): LTIME}
"""What comes of a date or time of day and another, by operator (table 35)."""


@node
class _Chain(typed.Bare):
    """A chain of operators; it grows in a loop, so that a long one is not nested."""

    first: typed.Expression
    links: list[tuple[syntax.Binary, typed.Expression]]


def default_type(found: typed.Bare | typed.Constant) -> Elementary:
    """The type of what is bare where nothing else decides it: LREAL, or the first of INT, DINT, LINT, ULINT that holds
    it.
    """
    if isinstance(found, typed.Bare):
        return found.default
    if found.type is UNTYPED_REAL:
        return LREAL
    value = int(constants.number(found))
    return next((t for t in (INT, DINT, LINT, ULINT) if t.low <= value <= t.high), LINT)


def widest(found: Iterable[typed.Bare | typed.Constant]) -> Elementary:
    """The type that holds all of them where nothing else decides it."""
    types = [default_type(one) for one in found]
    return LREAL if LREAL in types else max(types, key=lambda t: (t.bits, t is ULINT))


class OperatorChecker(PlaceChecker):
    """Turns operators of syntax into typed ones."""

    def expression(self, node: syntax.Expression) -> typed.Expression:
        """The typed expression."""
        raise NotImplementedError

    def named_value(self, node: syntax.Expression, wanted: Type) -> typed.Expression | None:
        """The value of an enumeration that a bare name stands for where one of that type is wanted."""
        raise NotImplementedError

    def coerce(self, found: typed.Expression, wanted: Type, node: syntax.Node, what: str) -> typed.Expression:
        """``found`` as a value of type ``wanted``."""
        raise NotImplementedError

    def mismatch(self, found: Type, wanted: Type, node: syntax.Node, what: str) -> Problem:
        """Report that a value of one type cannot become another unasked."""
        raise NotImplementedError

    def conversion(self, source: Type, target: Type) -> str:
        """The standard function that converts from one type to another, or nothing."""
        if isinstance(target, (String, Elementary)) and isinstance(source, (String, Elementary)):
            name = "_TO_".join(t.stem if isinstance(t, String) else t.name for t in (source, target))
        else:
            return ""
        return name if self.scope.standard.function(name) is not None else ""

    def _unary(self, node: syntax.Unary) -> typed.Expression:
        operand = self.expression(node.operand)
        operator = node.operator
        type_ = self._elementary(operand, node.operand)
        if operator == "NOT":
            if type_.family == "untyped" and isinstance(operand, (typed.Bare, typed.Constant)):
                return self._later(operand, lambda wanted: self._not(node, self.coerce(operand, wanted, node, "")))
            return self._not(node, operand)
        if isinstance(operand, typed.Constant) and type_.family == "untyped":
            number = constants.number(operand)
            return typed.Constant(type_, -number if operator == "-" else number)
        if isinstance(operand, typed.Bare):
            return self._later(operand, lambda type_: self._signed(node, self.coerce(operand, type_, node, "")))
        return self._signed(node, operand)

    def _not(self, node: syntax.Unary, operand: typed.Expression) -> typed.Expression:
        """The opposite of a BOOL, or of each bit."""
        type_ = self._elementary(operand, node.operand)
        if type_.family in ("bool", "bits"):
            return typed.Unary(type_, "NOT", operand, node.start)
        raise self.problem(node, words.not_of(self.text(node.operand), type_))

    def _signed(self, node: syntax.Unary, operand: typed.Expression) -> typed.Expression:
        """A number with a sign before it."""
        operator, type_ = node.operator, self._elementary(operand, node.operand)
        if type_.family in ("signed", "real", "duration"):
            return typed.Unary(type_, "-", operand, node.start) if operator == "-" else operand
        raise self.problem(node, words.sign_of(operator, self.text(node.operand), type_))

    def _binary(self, node: syntax.Binary) -> typed.Expression:
        """Operators of one spine are taken in a loop: a chain of a thousand ORs is one expression."""
        spine: list[syntax.Binary] = []
        left_at: syntax.Expression = node
        while isinstance(left_at, syntax.Binary):
            spine.append(left_at)
            left_at = left_at.left
        left, right = self._first_operands(left_at, spine[-1].right)
        left = self._operation(spine[-1], left, right)
        for link in reversed(spine[:-1]):
            left = self._operation(link, left, self.expression(link.right))
        return left

    def _first_operands(
        self, left_at: syntax.Expression, right_at: syntax.Expression
    ) -> tuple[typed.Expression, typed.Expression]:
        """Two operands; a bare name may be a value of the enumeration that the other one is of."""
        if isinstance(left_at, syntax.Name) and not self.declares(left_at.name.upper()):
            right = self.expression(right_at)
            return self.named_value(left_at, right.type) or self.expression(left_at), right
        left = self.expression(left_at)
        return left, self.named_value(right_at, left.type) or self.expression(right_at)

    def _check_compared(self, node: syntax.TypedCompare, left: typed.Expression, right: typed.Expression) -> None:
        """Report a value that is of another type than its contact says; a literal without a type is of any."""
        wanted = node.type.name.upper()
        for side, at in ((left, node.left), (right, node.right)):
            is_untyped = isinstance(side.type, Elementary) and side.type.family == "untyped"
            if str(side.type).upper() != wanted and not is_untyped:
                raise self.problem(at, words.compared_as(self.text(at), side.type, wanted))

    def _operation(self, node: syntax.Binary, left: typed.Expression, right: typed.Expression) -> typed.Expression:
        operator = node.operator
        if isinstance(node, syntax.TypedCompare):
            self._check_compared(node, left, right)
        if isinstance(left.type, String) or isinstance(right.type, String):
            return self._compare_texts(node, left, right)
        left_type, right_type = self._elementary(left, node.left), self._elementary(right, node.right)
        if left_type.family == "untyped" and right_type.family == "untyped":
            if isinstance(left, typed.Constant) and isinstance(right, typed.Constant) and operator not in _LOGIC:
                return self._fold(node, left, right)
            return self._later_operation(node, left, right)
        if UNTYPED_REAL in (left_type, right_type) and operator in ("+", "-", "*", "/"):
            other = right_type if left_type is UNTYPED_REAL else left_type
            if is_integer(other) and widens(other, LREAL):
                return self._later_operation(node, left, right)
        if operator == "**":
            return self._power(node, left, right)
        if _TIMED & {left_type.family, right_type.family}:
            return self._timed_operation(node, left, left_type, right, right_type)
        type_ = self._common_type(node, left, right)
        if operator in _LOGIC:
            if type_.family not in ("bool", "bits"):
                raise self.problem(node, words.combines_bits(operator, type_))
            result = type_
        elif operator in _COMPARISONS:
            result = BOOL
            if type_.family in ("reference", "enumeration") and operator not in ("=", "<>"):
                raise self.problem(node, words.no_order(type_, operator))
        else:
            wanted = "ANY_INT" if operator == "MOD" else "ANY_NUM"
            if not in_group(type_, wanted):
                raise self.problem(node, words.needs_numbers(operator, self._types(node, left, right), type_))
            result = type_
        left = self.coerce(left, type_, node.left, "")
        right = self.coerce(right, type_, node.right, "")
        if operator == "/" and isinstance(right, typed.Constant) and right.value == 0:
            raise self.problem(node, words.division_by_zero())
        return typed.Binary(result, operator, left, right, node.operator_start)

    def _later(self, like: typed.Bare | typed.Constant, build: Callable[[Elementary], typed.Expression]) -> typed.Bare:
        """What is made of something bare is bare itself."""
        assert isinstance(like.type, Elementary)
        return typed.Bare(like.type, default_type(like), build)

    def _later_operation(
        self, node: syntax.Binary, left: typed.Expression, right: typed.Expression
    ) -> typed.Expression:
        """An operator between what is bare on both sides, and not known before the run."""
        pair = [side for side in (left, right) if isinstance(side, (typed.Bare, typed.Constant))]
        default = widest(pair)
        is_exact = UNTYPED_REAL not in (left.type, right.type)
        if node.operator in _COMPARISONS or (node.operator in ("/", "MOD") and is_exact):
            return self._operation(
                node, self.coerce(left, default, node.left, ""), self.coerce(right, default, node.right, "")
            )
        if node.operator == "**":
            return self._power(node, left, right)
        links = [(node, right)]
        if isinstance(left, _Chain):
            links, left = left.links, left.first
            links.append((node, right))
        type_ = UNTYPED_INT if is_exact else UNTYPED_REAL
        return _Chain(type_, default, lambda wanted: self._linked(left, links, default, wanted), left, links)

    def _linked(
        self,
        left: typed.Expression,
        links: Sequence[tuple[syntax.Binary, typed.Expression]],
        default: Elementary,
        wanted: Elementary,
    ) -> typed.Expression:
        """A chain of operators in the type that is wanted."""
        if is_real(default) and not is_real(wanted):
            return self.coerce(self._linked(left, links, default, default), wanted, links[-1][0], "")
        left = self.coerce(left, wanted, links[0][0].left, "")
        for link, right in links:
            left = self._operation(link, left, self.coerce(right, wanted, link.right, ""))
        return left

    def _types(self, node: syntax.Binary, left: typed.Expression, right: typed.Expression) -> str:
        return f"{self.text(node.left)} is {left.type} and {self.text(node.right)} is {right.type}"

    def _elementary(self, found: typed.Expression, node: syntax.Expression) -> Elementary:
        if not isinstance(found.type, Elementary):
            raise self.problem(node, words.whole_as_value(self.text(node), found.type))
        return found.type

    def _compare_texts(self, node: syntax.Binary, left: typed.Expression, right: typed.Expression) -> typed.Expression:
        """Texts of one width compare character by character (table 33); a one-character text may be a CHAR."""
        for one, other, one_at in ((left, right, node.left), (right, left, node.right)):
            if other.type.family == "char" and isinstance(one, typed.Constant) and isinstance(one.value, str):
                made = self.coerce(one, other.type, one_at, "")
                pair = (made, other) if one is left else (other, made)
                return self._operation(node, *pair)
        if node.operator not in _COMPARISONS:
            raise self.problem(node, words.no_meaning_for_texts(node.operator))
        if (
            not (isinstance(left.type, String) and isinstance(right.type, String))
            or left.type.width != right.type.width
        ):
            raise self.mismatch_pair(node, left, right)
        return typed.Binary(BOOL, node.operator, left, right, node.operator_start)

    def _common_type(self, node: syntax.Binary, left: typed.Expression, right: typed.Expression) -> Elementary:
        """The type in which an operator works: a literal follows the other operand."""
        a, b = self._elementary(left, node.left), self._elementary(right, node.right)
        for one, other in ((a, b), (b, a)):
            if one.family == "untyped":
                if one is UNTYPED_REAL and is_integer(other):
                    if not widens(other, LREAL):
                        raise self.mismatch_pair(node, left, right)
                    return LREAL
                return other.stored if isinstance(other, Enumeration) and other.is_open else other
            if one is NULL and isinstance(other, Reference):
                return other
        type_ = common(a, b)
        if type_ is None:
            raise self.mismatch_pair(node, left, right)
        is_arithmetic = node.operator not in _COMPARISONS
        if isinstance(type_, Enumeration) and type_.is_open and is_arithmetic:
            return type_.stored
        return type_

    def mismatch_pair(self, node: syntax.Binary, left: typed.Expression, right: typed.Expression) -> Problem:
        """Report that two operands have no type in common."""
        if node.operator in _LOGIC and BOOL in (left.type, right.type):
            other_at, other = (node.left, left.type) if right.type is BOOL else (node.right, right.type)
            if isinstance(other, Elementary) and (in_group(other, "ANY_NUM") or other.family == "bits"):
                operand = self._operand(other_at)
                return self.problem(other_at, words.bool_with_other(node, self.text(other_at), other, operand))
        if isinstance(left.type, Enumeration) and isinstance(right.type, Enumeration):
            types = self._types(node, left, right)
            return self.problem(node, words.two_enumerations(node, self.text(node.left), self.text(node.right), types))
        converted = ""
        for one, other, one_at in ((left.type, right.type, node.left), (right.type, left.type, node.right)):
            function = self.conversion(one, LREAL if other is UNTYPED_REAL else other)
            if function:
                converted = f"{function}({self.text(one_at)})"
                break
        return self.problem(node, words.not_together(node, self._types(node, left, right), converted))

    def _operand(self, node: syntax.Expression) -> str:
        """The text of an expression as one operand of an operator."""
        return f"({self.text(node)})" if isinstance(node, (syntax.Binary, syntax.Unary)) else self.text(node)

    def _fold(self, node: syntax.Binary, left: typed.Constant, right: typed.Constant) -> typed.Expression:
        operator = node.operator
        if operator in ("/", "MOD") and not right.value:
            raise self.problem(node, words.division_by_zero())
        result = (
            BOOL
            if operator in _COMPARISONS
            else UNTYPED_REAL
            if UNTYPED_REAL in (left.type, right.type)
            else UNTYPED_INT
        )
        try:
            return constants.fold(operator, left, right, result)
        except constants.NotConstant:
            raise self.problem(node, words.no_such_number(self.text(node))) from None

    def _power(self, node: syntax.Binary, left: typed.Expression, right: typed.Expression) -> typed.Expression:
        """``a ** b``: EXPT computed as LREAL, rounded to REAL when the base is REAL (table 71, 29)."""
        if isinstance(left, (typed.Bare, typed.Constant)) and left.type.family == "untyped":
            base = left
            if isinstance(right.type, Elementary) and is_real(right.type):
                return self._power(node, self.coerce(base, right.type, node.left, ""), right)
            return typed.Bare(UNTYPED_REAL, LREAL, lambda type_: self._power_as(node, base, right, type_))
        base_type, exponent_type = self._elementary(left, node.left), self._elementary(right, node.right)
        if not is_real(base_type):
            raise self.problem(node.left, words.base_of_power(self.text(node.left), base_type))
        if not in_group(exponent_type, "ANY_NUM") and exponent_type.family != "untyped":
            raise self.problem(node.right, words.exponent_of_power(self.text(node.right), exponent_type))
        base_value = self.as_number(left, LREAL, node.left)
        exponent = self.as_number(right, LREAL, node.right)
        function = self.find_unit("EXPT")
        assert function is not None
        operator_at = syntax.Node(node.operator_start, node.end)
        call = typed.CallFunction(LREAL, function, (base_value, exponent), (), (), operator_at)
        return call if base_type is LREAL else typed.Convert(base_type, call, node.start)

    def _power_as(
        self, node: syntax.Binary, base: typed.Expression, right: typed.Expression, type_: Elementary
    ) -> typed.Expression:
        """A power of a bare base, in the type that was asked for."""
        real = type_ if is_real(type_) else LREAL
        return self.coerce(self._power(node, self.coerce(base, real, node.left, ""), right), type_, node, "")

    def as_number(self, found: typed.Expression, wanted: Elementary, node: syntax.Node) -> typed.Expression:
        """Any number as LINT or LREAL, also where that may round (a factor, an exponent)."""
        if found.type is wanted or found.type.family == "untyped":
            return self.coerce(found, wanted, node, "")
        return typed.Convert(wanted, found, node.start)

    def _timed_operation(
        self,
        node: syntax.Binary,
        left: typed.Expression,
        left_type: Elementary,
        right: typed.Expression,
        right_type: Elementary,
    ) -> typed.Expression:
        """Durations and dates add, subtract and compare; a number may be a duration's factor or divisor (table 35)."""
        operator = node.operator
        if left_type.family == "duration" and operator in ("*", "/") and right_type.family not in _TIMED:
            return self._scaled_duration(node, left, left_type, right, right_type)
        if operator == "*" and right_type.family == "duration" and left_type.family not in _TIMED:
            raise self.problem(
                node, words.duration_first(self._types(node, left, right), self.text(node.left), self.text(node.right))
            )
        for one, one_at, other in ((left, node.left, right_type), (right, node.right, left_type)):
            if one.type.family == "untyped":
                number = shown_number(constants.number(one)) if isinstance(one, typed.Constant) else "1"
                raise self.problem(one_at, words.number_without_unit(self.text(one_at), other, number))
        moved = _MOVED.get((left_type, operator, right_type))
        if moved is not None:
            return typed.Binary(moved, operator, left, right, node.operator_start)
        type_ = common(left_type, right_type)
        if type_ is None:
            raise self.mismatch_pair(node, left, right)
        if operator not in _COMPARISONS and (operator not in ("+", "-") or type_.family != "duration"):
            if type_.family != "duration":
                raise self.problem(node, words.between_dates(operator))
            if operator == "/":
                raise self.problem(node, words.duration_by_duration(self.text(node.left), self.text(node.right)))
            raise self.problem(node, words.between_durations(operator))
        return typed.Binary(
            BOOL if operator in _COMPARISONS else type_,
            operator,
            self.coerce(left, type_, node.left, ""),
            self.coerce(right, type_, node.right, ""),
            node.operator_start,
        )

    def _scaled_duration(
        self,
        node: syntax.Binary,
        left: typed.Expression,
        left_type: Elementary,
        right: typed.Expression,
        right_type: Elementary,
    ) -> typed.Expression:
        """A duration times or divided by a number."""
        if is_real(right_type) or right_type is UNTYPED_REAL:
            number = self.as_number(right, LREAL, node.right)
        elif is_integer(right_type) or right_type is UNTYPED_INT:
            number = self.as_number(right, LINT, node.right)
        else:
            raise self.mismatch_pair(node, left, right)
        if node.operator == "/" and isinstance(number, typed.Constant) and number.value == 0:
            raise self.problem(node, words.division_by_zero())
        return typed.Binary(left_type, node.operator, left, number, node.operator_start)
