"""The types of expressions. IEC 61131-3:2013, 6.6.1.6, 6.6.2 and 7.3.2."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from upright_block.language import constants, syntax, typed
from upright_block.language.checking.reporter import Problem, Reporter
from upright_block.language.literals import (
    LiteralProblem,
    Value,
    fit,
    parse_number,
    parse_typed,
    shown_number,
)
from upright_block.language.types import (
    BOOL,
    BROKEN,
    DINT,
    INT,
    LINT,
    LREAL,
    REAL,
    UNTYPED_INT,
    UNTYPED_REAL,
    Elementary,
    common,
    in_group,
    is_integer,
    is_real,
    widens,
)

_COMPARISONS = frozenset({"=", "<>", "<", ">", "<=", ">="})
_LOGIC = frozenset({"AND", "OR", "XOR"})
_NAMED = {"+": "add", "-": "subtract", "*": "multiply", "/": "divide", "MOD": "take the remainder of"}


class ExpressionChecker(Reporter):
    """Turns expressions of syntax into typed ones. Every method raises `Problem` after reporting."""

    def value(self, at: syntax.Expression, wanted: Elementary, what: str) -> typed.Expression:
        """The expression as a value of type ``wanted``; ``what`` names the receiver in messages."""
        return self.coerce(self.expression(at), wanted, at, what)

    def any_value(self, at: syntax.Expression) -> typed.Expression:
        """The expression with a type of its own: a bare literal takes INT, DINT, LINT or LREAL."""
        found = self.expression(at)
        if isinstance(found, typed.Constant) and found.type.family == "untyped":
            return self.coerce(found, default_type(found), at, "")
        return found

    def condition(self, at: syntax.Expression, what: str) -> typed.Expression:
        """The expression as a BOOL that decides something."""
        found = self.expression(at)
        if found.type is BOOL:
            return found
        if found.type.family == "untyped":
            return self.coerce(found, BOOL, at, what)
        raise self.problem("type-mismatch", at, f"{what} needs a BOOL; {self.text(at)} is {found.type}.",
                           "Compare it with a value.")  # fmt: skip

    def expression(self, at: syntax.Expression) -> typed.Expression:
        """The typed expression."""
        return _CHECK[type(at)](self, at)

    # --- conversion to a wanted type ---

    def coerce(
        self, found: typed.Expression, wanted: Elementary, at: syntax.Node, what: str
    ) -> typed.Expression:
        """``found`` as a value of type ``wanted``: as it is, a literal that fits, or widened."""
        type_ = found.type
        if type_ is wanted:
            return found
        if type_.family == "untyped":
            assert isinstance(found, typed.Constant)
            return typed.Constant(wanted, self.fitted(found, wanted, at, what))
        if widens(type_, wanted):
            return typed.Convert(wanted, found, at.start)
        raise self.mismatch(type_, wanted, at, what)

    def fitted(self, found: typed.Constant, wanted: Elementary, at: syntax.Node, what: str) -> Value:
        """The value of an untyped literal as one of ``wanted``."""
        try:
            return fit(found.type, found.value, wanted)
        except LiteralProblem as problem:
            name = "out-of-range" if "fit" in str(problem) or "large" in str(problem) else "type-mismatch"
            where = f" {what} is {wanted}." if what and name == "type-mismatch" else ""
            raise self.problem(name, at, f"{problem}{where}", problem.way_out) from None

    def mismatch(self, found: Elementary, wanted: Elementary, at: syntax.Node, what: str) -> Problem:
        """Report that a value of one type cannot become another unasked."""
        shown = self.text(at)
        subject = f"{what} is {wanted}" if what else f"{wanted} is needed here"
        function = f"{found.name}_TO_{wanted.name}"
        if self.scope.standard.function(function) is not None:
            loses = widens(wanted, found) or is_real(found)
            way_out = f"Convert with {function}({shown})" + (", if the value always fits." if loses else ".")
        elif wanted is BOOL:
            way_out = "Compare it with a value."
        elif found is BOOL:
            way_out = f"Choose a value with SEL({shown}, ..., ...)."
        elif wanted.family == "duration":
            way_out = "Multiply a duration by the number, as in T#1s * n."
        else:
            way_out = "Use values of one type."
        return self.problem("type-mismatch", at, f"{subject}; {shown} is {found}.", way_out)

    # --- operands ---

    def _literal(self, at: syntax.Literal) -> typed.Expression:
        try:
            if at.kind == "bool":
                return typed.Constant(BOOL, at.text.upper() == "TRUE")
            if at.kind in ("int", "real"):
                return typed.Constant(*parse_number(at.text))
            if at.kind == "typed":
                return typed.Constant(*parse_typed(at.text))
        except LiteralProblem as problem:
            raise self.problem("bad-literal", at, str(problem), problem.way_out) from None
        if at.kind == "broken":
            self.unit.is_broken = True
            raise Problem
        raise self.problem(
            "not-supported", at, "Texts are not read by this version.", "Use numbers, BOOL and TIME."
        )

    def _name(self, at: syntax.Name) -> typed.Expression:
        place = self.variable(at)
        if place.constant:
            assert isinstance(place.type, Elementary)
            return typed.ConstantUse(place.type, place)
        if isinstance(place.type, typed.Unit):
            raise self.bare_instance(at, place)
        return typed.Load(place.type, typed.Place((place,), place.type))

    def bare_instance(self, at: syntax.Node, instance: typed.Variable) -> Problem:
        """Report that an instance stands where a value is wanted."""
        assert isinstance(instance.type, typed.Unit)
        pins = instance.type.section("output") or instance.type.section("input")
        way_out = (
            f"Name one of its pins, such as {instance.name}.{pins[0].name}."
            if pins
            else "Name one of its pins."
        )
        return self.problem(
            "no-value",
            at,
            f"{instance.name} is an instance of {instance.type} and has no value of its own.",
            way_out,
        )

    def variable(self, at: syntax.Name) -> typed.Variable:
        """The variable of the unit that is called by this name."""
        found = self.unit.variables.get(at.name.upper())
        if found is not None:
            if found.type is BROKEN:
                raise Problem
            return found
        if self.unit.result is not None and at.name.upper() == self.unit.key:
            if self.unit.result.type is BROKEN:
                raise Problem
            return self.unit.result
        callee = self.find_unit(at.name.upper())
        if callee is not None:
            if callee.kind == "FUNCTION_BLOCK":
                raise self.problem("block-without-instance", at, f"{callee.name} is a block, not a variable.",
                                   f"Declare an instance of it (VAR name : {callee.name}; END_VAR) and use its pins.")  # fmt: skip
            raise self.problem("function-without-call", at, f"{callee.name} is a function and is called with parentheses.",
                               f"Write {callee.name}(...).")  # fmt: skip
        names = [v.name for v in self.unit.variables.values()]
        raise self.unknown(
            at.name,
            at,
            f"{at.name} is not declared in {self.unit.name}.",
            names,
            f"Declare {at.name} in a VAR section.",
        )

    def path(self, at: syntax.Expression) -> tuple[typed.Variable, ...]:
        """The variables that a name or a dotted name leads through; private data of an instance is refused."""
        if isinstance(at, syntax.Name):
            return (self.variable(at),)
        if not isinstance(at, syntax.Member):
            raise self.problem(
                "no-place", at, f"{self.text(at)} is no variable.", "Name a variable or a pin."
            )
        base = self.path(at.base)
        owner = base[-1].type
        name_at = syntax.Node(at.name_start, at.end)
        if isinstance(owner, Elementary):
            raise self.problem(
                "no-pins", at, f"{self.text(at.base)} is {owner} and has no pins.", f"Remove .{at.name}."
            )
        pin = owner.variables.get(at.name.upper())
        if pin is None:
            public = [v.name for v in owner.variables.values() if v.section in ("input", "output")]
            raise self.unknown(at.name, name_at, f"{owner} has no pin {at.name}.", public, pins_of(owner))
        if pin.section == "private":
            raise self.problem("private-data", name_at, f"{pin.name} is private data of {owner}; only its own body uses it.",
                               "Use an output of the block, or give it one for this.")  # fmt: skip
        return (*base, pin)

    def _member(self, at: syntax.Member) -> typed.Expression:
        path = self.path(at)
        type_ = path[-1].type
        if isinstance(type_, typed.Unit):
            raise self.bare_instance(at, path[-1])
        return typed.Load(type_, typed.Place(path, type_))

    # --- operators ---

    def _unary(self, at: syntax.Unary) -> typed.Expression:
        operand = self.expression(at.operand)
        type_, operator = operand.type, at.operator
        if operator == "NOT":
            if type_.family in ("bool", "bits"):
                return typed.Unary(type_, "NOT", operand)
            raise self.problem("type-mismatch", at, f"NOT needs a BOOL or a bit string; {self.text(at.operand)} is {type_}.",
                               "Compare it with a value, or negate with -.")  # fmt: skip
        if isinstance(operand, typed.Constant) and type_.family == "untyped":
            return typed.Constant(type_, -operand.value if operator == "-" else operand.value)
        if type_.family in ("signed", "real", "duration"):
            return typed.Unary(type_, "-", operand) if operator == "-" else operand
        way_out = (
            "Negate with NOT."
            if type_.family in ("bool", "bits")
            else f"{type_} has no negative values; convert to a signed type."
        )
        raise self.problem(
            "type-mismatch",
            at,
            f"{operator} needs a signed number; {self.text(at.operand)} is {type_}.",
            way_out,
        )

    def _binary(self, at: syntax.Binary) -> typed.Expression:
        """Operators of one spine are taken in a loop: a chain of a thousand ORs is one expression."""
        spine: list[syntax.Binary] = []
        left_at: syntax.Expression = at
        while isinstance(left_at, syntax.Binary):
            spine.append(left_at)
            left_at = left_at.left
        left = self.expression(left_at)
        for node in reversed(spine):
            left = self._operation(node, left, self.expression(node.right))
        return left

    def _operation(
        self, at: syntax.Binary, left: typed.Expression, right: typed.Expression
    ) -> typed.Expression:
        operator = at.operator
        if left.type.family == "untyped" and right.type.family == "untyped":
            return self._fold(at, left, right)
        if operator == "**":
            return self._power(at, left, right)
        if "duration" in (left.type.family, right.type.family):
            return self._duration_operation(at, left, right)
        type_ = self._common_type(at, left, right)
        if operator in _LOGIC:
            if type_.family not in ("bool", "bits"):
                raise self.problem("type-mismatch", at, f"{operator} combines BOOL or bit strings; these are {type_}.",
                                   "Compare each with a value first." if is_integer(type_) or is_real(type_) else "")  # fmt: skip
            result = type_
        elif operator in _COMPARISONS:
            result = BOOL
            if type_ is BOOL and operator not in ("=", "<>"):
                raise self.problem(
                    "type-mismatch",
                    at,
                    f"BOOL values have no order for {operator}.",
                    "Use AND, OR and NOT, or = and <>.",
                )
        else:
            wanted = "ANY_INT" if operator == "MOD" else "ANY_NUM"
            if not in_group(type_, wanted):
                raise self.problem(
                    "type-mismatch", at, f"{operator} needs numbers; {self._types(at, left, right)}.",
                    "Convert to an integer first." if type_.family in ("bits", "bool", "real") else "",
                )  # fmt: skip
            result = type_
        left = self.coerce(left, type_, at.left, "")
        right = self.coerce(right, type_, at.right, "")
        if operator in ("/",) and isinstance(right, typed.Constant) and right.value == 0:
            raise self.problem("division-by-zero", at, "This divides by zero.", "Divide by something else.")
        return typed.Binary(result, operator, left, right, at.operator_start)

    def _types(self, at: syntax.Binary, left: typed.Expression, right: typed.Expression) -> str:
        return f"{self.text(at.left)} is {left.type} and {self.text(at.right)} is {right.type}"

    def _common_type(self, at: syntax.Binary, left: typed.Expression, right: typed.Expression) -> Elementary:
        """The type in which an operator works: a literal follows the other operand."""
        for one, other in ((left, right), (right, left)):
            if one.type.family == "untyped":
                if one.type is UNTYPED_REAL and is_integer(other.type):
                    if not widens(other.type, LREAL):
                        raise self.mismatch_pair(at, left, right)
                    return REAL if widens(other.type, REAL) else LREAL
                return other.type
        type_ = common(left.type, right.type)
        if type_ is None:
            raise self.mismatch_pair(at, left, right)
        return type_

    def mismatch_pair(self, at: syntax.Binary, left: typed.Expression, right: typed.Expression) -> Problem:
        """Report that two operands have no type in common."""
        verb = "compare" if at.operator in _COMPARISONS else _NAMED.get(at.operator, "combine")
        way_out = "Convert one of them to the type of the other."
        for one, other, one_at in ((left.type, right.type, at.left), (right.type, left.type, at.right)):
            function = f"{one.name}_TO_{other.name}"
            if self.scope.standard.function(function) is not None:
                way_out = f"Convert one of them, as in {function}({self.text(one_at)})."
                break
        return self.problem(
            "type-mismatch", at, f"Cannot {verb} these: {self._types(at, left, right)}.", way_out
        )

    def _fold(self, at: syntax.Binary, left: typed.Expression, right: typed.Expression) -> typed.Expression:
        assert isinstance(left, typed.Constant)
        assert isinstance(right, typed.Constant)
        operator = at.operator
        if operator in _LOGIC:
            raise self.problem("type-mismatch", at, f"{operator} combines BOOL or bit strings; these are bare numbers.",
                               "Write them with their type, as in WORD#16#FF or BOOL#1.")  # fmt: skip
        if operator in ("/", "MOD") and not right.value:
            raise self.problem("division-by-zero", at, "This divides by zero.", "Divide by something else.")
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
            raise self.problem(
                "out-of-range",
                at,
                f"{self.text(at)} has no value that a number can hold.",
                "Use smaller numbers.",
            ) from None

    def _power(self, at: syntax.Binary, left: typed.Expression, right: typed.Expression) -> typed.Expression:
        """``a ** b``: EXPT computed as LREAL, rounded to REAL when the base is REAL (table 71, 29)."""
        if left.type.family == "untyped":
            left = self.coerce(left, right.type if is_real(right.type) else LREAL, at.left, "")
        if not is_real(left.type):
            raise self.problem("type-mismatch", at.left, f"The base of ** is REAL or LREAL; {self.text(at.left)} is {left.type}.",
                               "Convert it to LREAL, or multiply.")  # fmt: skip
        if not in_group(right.type, "ANY_NUM") and right.type.family != "untyped":
            raise self.problem(
                "type-mismatch",
                at.right,
                f"The exponent of ** is a number; {self.text(at.right)} is {right.type}.",
            )
        base = self.as_number(left, LREAL, at.left)
        exponent = self.as_number(right, LREAL, at.right)
        function = self.find_unit("EXPT")
        assert function is not None
        self.unit.uses[function.key] = function
        call = typed.CallFunction(LREAL, function, (base, exponent), (), at.operator_start)
        return call if left.type is LREAL else typed.Convert(left.type, call, at.start)

    def as_number(self, found: typed.Expression, wanted: Elementary, at: syntax.Node) -> typed.Expression:
        """Any number as LINT or LREAL, also where that may round (a factor, an exponent)."""
        if found.type is wanted or found.type.family == "untyped":
            return self.coerce(found, wanted, at, "")
        return typed.Convert(wanted, found, at.start)

    def _duration_operation(
        self, at: syntax.Binary, left: typed.Expression, right: typed.Expression
    ) -> typed.Expression:
        """Durations add and subtract, compare, and take a number as factor or divisor (table 30)."""
        operator = at.operator
        if left.type.family == "duration" and (operator in ("*", "/")) and right.type.family != "duration":
            if is_real(right.type) or right.type is UNTYPED_REAL:
                number = self.as_number(right, LREAL, at.right)
            elif is_integer(right.type) or right.type is UNTYPED_INT:
                number = self.as_number(right, LINT, at.right)
            else:
                raise self.mismatch_pair(at, left, right)
            if operator == "/" and isinstance(number, typed.Constant) and number.value == 0:
                raise self.problem(
                    "division-by-zero", at, "This divides by zero.", "Divide by something else."
                )
            return typed.Binary(left.type, operator, left, number, at.operator_start)
        if operator == "*" and right.type.family == "duration" and left.type.family != "duration":
            raise self.problem("type-mismatch", at, f"The duration stands first when it is multiplied; {self._types(at, left, right)}.",
                               f"Write {self.text(at.right)} * {self.text(at.left)}.")  # fmt: skip
        for one, one_at, other in ((left, at.left, right), (right, at.right, left)):
            if one.type.family == "untyped":
                number_ = shown_number(one.value) if isinstance(one, typed.Constant) else "1"
                raise self.problem("type-mismatch", one_at, f"{self.text(one_at)} has no unit; the other value is {other.type}.",
                                   f"Write T#{number_}s, or another unit.")  # fmt: skip
        type_ = common(left.type, right.type)
        if type_ is None:
            raise self.mismatch_pair(at, left, right)
        if operator not in _COMPARISONS and operator not in ("+", "-"):
            raise self.problem("type-mismatch", at, f"{operator} has no meaning between two durations.",
                               "Durations are added, subtracted and compared; a number may multiply or divide one.")  # fmt: skip
        result = BOOL if operator in _COMPARISONS else type_
        return typed.Binary(
            result,
            operator,
            self.coerce(left, type_, at.left, ""),
            self.coerce(right, type_, at.right, ""),
            at.operator_start,
        )

    def assignable(self, at: syntax.Expression) -> typed.Place:
        """The place that an assignment or an output writes to."""
        path = self.path(at)
        last = path[-1]
        shown = self.text(at)
        if isinstance(last.type, typed.Unit):
            raise self.problem(
                "no-place",
                at,
                f"{shown} is an instance of {last.type} and cannot be assigned.",
                f"Call it: {shown}(...);",
            )
        if last.constant:
            raise self.problem(
                "constant-assigned",
                at,
                f"{shown} is a constant.",
                "Remove CONSTANT from its section, or assign to another variable.",
            )
        if len(path) == 1 and last.section == "input":
            raise self.problem("input-assigned", at, f"{shown} is an input of {self.unit.name}; only the caller gives it a value.",
                               "Copy it into a variable of your own, or make it an output.")  # fmt: skip
        if len(path) > 1 and last.section == "output":
            raise self.problem("output-assigned", at, f"{shown} is an output of {path[-2].type}; only that block gives it a value.",
                               "Assign to one of its inputs, or to a variable of your own.")  # fmt: skip
        return typed.Place(path, last.type)

    # --- calls: see the checker of calls ---

    def call(self, at: syntax.Call) -> typed.Expression:
        """The value of a call."""
        raise NotImplementedError


def default_type(literal: typed.Constant) -> Elementary:
    """The type of a bare literal where nothing else decides it."""
    if literal.type is UNTYPED_REAL:
        return LREAL
    value = int(literal.value)
    return next((t for t in (INT, DINT) if t.low <= value <= t.high), LINT)


def pins_of(unit: typed.Unit) -> str:
    """The pins of a unit in a sentence."""
    sections = (("inputs", unit.section("input")), ("outputs", unit.section("output")))
    parts = [f"{title} {', '.join(v.name for v in pins)}" for title, pins in sections if pins]
    return f"Its pins: {'; '.join(parts)}." if parts else "It has no pins."


_CHECK: dict[type, Callable[[ExpressionChecker, Any], typed.Expression]] = {
    syntax.Literal: ExpressionChecker._literal,
    syntax.Name: ExpressionChecker._name,
    syntax.Member: ExpressionChecker._member,
    syntax.Unary: ExpressionChecker._unary,
    syntax.Binary: ExpressionChecker._binary,
    syntax.Call: lambda checker, at: checker.call(at),
}
