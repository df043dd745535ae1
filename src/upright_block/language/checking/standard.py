"""Calls of standard functions: which type they work in. IEC 61131-3:2013, 6.6.1.7 and 6.6.2.5."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from upright_block.language import syntax, typed
from upright_block.language.checking.expressions import ExpressionChecker
from upright_block.language.checking.operators import widest
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.words import standard as words
from upright_block.language.signatures import Pin, StandardFunction
from upright_block.language.types import (
    BOOL,
    DATE,
    DT,
    INT,
    LINT,
    LREAL,
    LWORD,
    NULL,
    TIME,
    TOD,
    ULINT,
    UNTYPED_INT,
    UNTYPED_REAL,
    Elementary,
    Enumeration,
    String,
    Type,
    common,
    in_group,
    is_integer,
    string_type,
    subrange_type,
)
from upright_block.language.walking import calls_function

_LONGEST = 32_767
_TIMED_TEXTS = {
    "duration": ("DURATION__TEXT", TIME),
    "date": ("DATE__TEXT", DATE),
    "time of day": ("TOD__TEXT", TOD),
    "date and time": ("DT__TEXT", DT),
}
_REAL_LIMITS = {32: (24, -149, 104), 64: (53, -1074, 971)}
"""Bits of the mantissa, power of two of the least number, and of the last bit of the greatest."""

Given = tuple[syntax.Argument, typed.Expression]


class StandardChecker(ExpressionChecker):
    """Turns calls of standard functions into typed ones."""

    def call_standard(self, node: syntax.Call, function: StandardFunction) -> typed.Expression:
        """A call of a standard function; pins of type T take their common type."""
        given = self._given(node, function)
        if function.form == "operator":
            return self._by_operator(node, function, given)
        if function.form == "chain":
            return self._chain(node, function, given)
        if function.form == "convert":
            return self._convert(node, function, given)
        common_type = self._bound_type(node, function, given)
        bare = [
            found
            for _, (_, found) in given
            if isinstance(found, (typed.Bare, typed.Constant)) and found.type.family == "untyped"
        ]
        if common_type is UNTYPED_INT or common_type is UNTYPED_REAL:
            pseudo, default = common_type, LREAL if common_type is UNTYPED_REAL else widest(bare)
            if function.result is not None:
                self._check_group(node, function, default)
                return self._call(node, function, given, default)
            return typed.Bare(pseudo, default, lambda type_: self._call_as(node, function, given, default, type_))
        return self._call(node, function, given, common_type)

    def _call_as(
        self,
        node: syntax.Call,
        function: StandardFunction,
        given: Sequence[tuple[int, Given]],
        default: Elementary,
        wanted: Elementary,
    ) -> typed.Expression:
        """A call with bare inputs in the type that is wanted, where the function has it."""
        if in_group(wanted, function.group):
            return self._call(node, function, given, wanted)
        self._check_group(node, function, default)
        return self.coerce(self._call(node, function, given, default), wanted, node, "")

    def _call(
        self,
        node: syntax.Call,
        function: StandardFunction,
        given: Sequence[tuple[int, Given]],
        common_type: Type | None,
    ) -> typed.Expression:
        """A call whose pins of type T take ``common_type``."""
        inputs = [self._input(found, function.pin(index), common_type, function) for index, found in given]
        if function.form == "unit":
            return self._by_unit(node, function, common_type, inputs)
        if function.form == "recode":
            return self._recoded(node, function, inputs[0])
        if function.form in ("bcd", "to text", "from text"):
            return self._by_way_of_unit(node, function, inputs[0])
        result: Type | None = function.result or common_type
        if function.form == "text":
            result = self._text_result(inputs)
        elif isinstance(result, String):
            result = self._longest(inputs)
        assert result is not None
        return typed.CallStandard(result, function.name, tuple(inputs), node.start)

    def _given(self, node: syntax.Call, function: StandardFunction) -> list[tuple[int, Given]]:
        """The arguments by the place of their pin, in the order of the pins."""
        given: dict[int, Given] = {}
        for index, argument in enumerate(node.arguments):
            place = function.index(argument.name) if argument.name else index
            if place is None or function.pin(place) is None or argument.output:
                if argument.name:
                    self.check_enable(argument)
                    raise self.problem(argument, words.unknown_pin(function, argument.output, argument.name))
                raise self.problem(argument, words.too_many_arguments(function, index))
            if place in given:
                raise self.problem(argument, words.pin_twice())
            given[place] = (argument, self.expression(argument.value))
        for index, pin in enumerate(function.pins):
            if index not in given:
                raise self.problem(node, words.input_missing(function, pin))
        return sorted(given.items())

    def check_enable(self, argument: syntax.Argument) -> None:
        """Report EN or ENO where it is not taken (6.6.1.5)."""
        if argument.name.upper() in ("EN", "ENO"):
            raise self.problem(argument, words.enable_in_expression(argument.name))

    def _input(
        self, found: Given, pin: Pin | None, common_type: Type | None, function: StandardFunction
    ) -> typed.Expression:
        """An argument as its pin takes it."""
        argument, value = found
        assert pin is not None
        what = f"{pin.name} of {function.name}"
        if not pin.group:
            wanted = pin.type or common_type
            assert wanted is not None
            return self.coerce(value, wanted, argument.value, what)
        if pin.group == "ANY_STRING":
            if not isinstance(value.type, String):
                raise self._not_of(value, argument.value, what, pin.group)
            return value
        value = self.any_typed(value, argument.value)
        if not isinstance(value.type, Elementary) or not in_group(value.type, pin.group):
            raise self._not_of(value, argument.value, what, pin.group)
        return self.as_number(value, LINT, argument.value) if is_integer(value.type) else value

    def _not_of(self, value: typed.Expression, node: syntax.Node, what: str, group: str) -> Problem:
        return self.problem(node, words.input_of_group(what, group, self.text(node), value.type))

    def _bound_type(
        self, node: syntax.Call, function: StandardFunction, given: Sequence[tuple[int, Given]]
    ) -> Type | None:
        """The type T of this call: the nearest common one of its arguments, or a pseudo type where all are bare."""
        bound = [
            (argument, found)
            for index, (argument, found) in given
            if (pin := function.pin(index)) is not None and pin.type is None and not pin.group
        ]
        if not bound:
            return None
        types = [found.type for _, found in bound if found.type.family != "untyped" and found.type is not NULL]
        if types and function.group == "ANY_ELEMENTARY" and not isinstance(types[0], Elementary):
            same = isinstance(types[0], String) and all(isinstance(t, String) for t in types)
            return self._longest([found for _, found in bound]) if same else types[0]
        elementary = [self._elementary(found, argument.value) for argument, found in bound]
        known = [t for t in elementary if t.family != "untyped"]
        if not known:
            is_real_ = function.group == "ANY_REAL" or UNTYPED_REAL in elementary
            return UNTYPED_REAL if is_real_ else UNTYPED_INT
        type_ = known[0]
        for other in known[1:]:
            joined = common(type_, other)
            if joined is None:
                raise self.problem(node, words.no_common_type(function, sorted({t.name for t in known})))
            type_ = joined
        if isinstance(type_, Enumeration) and type_.is_open and function.group != "ANY_ELEMENTARY":
            type_ = type_.stored
        self._check_group(node, function, type_)
        return type_

    def _check_group(self, node: syntax.Call, function: StandardFunction, type_: Elementary) -> None:
        """Report a type T that is not of the generic type of the function."""
        if not in_group(type_, function.group):
            raise self.problem(node, words.result_of_group(function, type_))

    # --- functions that are made of something else ---

    def _by_operator(
        self, node: syntax.Call, function: StandardFunction, given: Sequence[tuple[int, Given]]
    ) -> typed.Expression:
        """``ADD(a, b, c)`` as ``a + b + c``, and so with the other operators (tables 29 and 31)."""
        (_, (first, left)), *others = given
        for _, (argument, right) in others:
            linked = syntax.Binary(
                first.value.start, argument.value.end, function.operator, first.value, argument.value, node.start
            )
            left = self._operation(linked, left, right)
        return left

    def _chain(
        self, node: syntax.Call, function: StandardFunction, given: Sequence[tuple[int, Given]]
    ) -> typed.Expression:
        """``GT(a, b, c)`` as ``a > b AND b > c`` (table 33)."""
        for _, (argument, found) in given[1:-1]:
            if calls_function(found):
                raise self.problem(argument, words.computed_twice(self.text(argument)))
        made: typed.Expression | None = None
        for (_, (left_at, left)), (_, (right_at, right)) in pairwise(given):
            linked = syntax.Binary(
                left_at.value.start, right_at.value.end, function.operator, left_at.value, right_at.value, node.start
            )
            link = self._operation(linked, left, right)
            if isinstance(link, typed.Constant):
                link = typed.Constant(BOOL, bool(link.value))
            made = link if made is None else typed.Binary(BOOL, "AND", made, link, node.start)
        assert made is not None
        return made

    def _by_unit(
        self, node: syntax.Call, function: StandardFunction, type_: Type | None, inputs: list[typed.Expression]
    ) -> typed.Expression:
        """A function of reals that is written in the block language: computed as LREAL, rounded once."""
        wide = tuple(v if v.type is LREAL else typed.Convert(LREAL, v, node.start) for v in inputs)
        call = self._call_unit(function.name, LREAL, wide, node)
        return call if type_ is LREAL or not isinstance(type_, Elementary) else typed.Convert(type_, call, node.start)

    def _convert(
        self, node: syntax.Call, function: StandardFunction, given: Sequence[tuple[int, Given]]
    ) -> typed.Expression:
        """``TO_INT(x)`` as the conversion from the type of its input (table 22)."""
        (_, (argument, found)) = given[0]
        value = self.any_typed(found, argument.value)
        if isinstance(value.type, String):
            source = value.type.stem
        else:
            type_ = self._elementary(value, argument.value).base
            if isinstance(type_, Enumeration):
                value, type_ = typed.Convert(type_.stored, value, node.start), type_.stored
            source = type_.name
        target = function.result.name if function.result else function.name.removeprefix("TO_")
        if source == target:
            return value
        exact = self.scope.standard.function(f"{source}_{function.operator}_{target}")
        if exact is None:
            raise self.problem(node, words.no_conversion(source, target, self.text(argument.value)))
        if exact.form == "recode":
            return self._recoded(node, exact, value)
        if exact.form != "code":
            return self._by_way_of_unit(node, exact, value)
        assert exact.result is not None
        return typed.CallStandard(exact.result, exact.name, (value,), node.start)

    def _by_way_of_unit(
        self, node: syntax.Call, function: StandardFunction, value: typed.Expression
    ) -> typed.Expression:
        """A conversion that a unit in the block language makes, of the widest type of its kind."""
        source, target = value.type, function.result
        if function.form == "to text":
            return self._to_text(node, value)
        if function.form == "from text":
            assert target is not None
            if target.family == "real":
                limits = _REAL_LIMITS[target.bits]
                found = self._call_unit("TEXT__REAL", LREAL, (value, *(typed.Constant(LINT, n) for n in limits)), node)
                return found if target is LREAL else typed.Convert(target, found, node.start)
            number = self._call_unit("TEXT__NUMBER", LINT, (value,), node)
            if target is LINT:
                return number
            return typed.Convert(target, self._fitting(number, target, node), node.start)
        assert isinstance(source, Elementary)
        assert target is not None
        if source.family == "bits":
            found = self._call_unit("FROM__BCD", ULINT, (self.as_number(value, LWORD, node),), node)
        else:
            digits = typed.Constant(INT, target.bits // 4)
            found = self._call_unit("TO__BCD", LWORD, (self.as_number(value, ULINT, node), digits), node)
        return found if found.type is target else typed.Convert(target, found, node.start)

    def _recoded(self, node: syntax.Call, function: StandardFunction, value: typed.Expression) -> typed.Expression:
        """A text of characters of the other width, or one made of a character (table 27)."""
        source_name, _, target_name = function.name.partition("_TO_")
        if isinstance(value.type, String) and value.type.stem != source_name:
            raise self.problem(
                node.arguments[0].value,
                words.input_of_conversion(
                    function, source_name, self.text(node.arguments[0].value), value.type, target_name
                ),
            )
        capacity = value.type.capacity if isinstance(value.type, String) else 1
        type_ = string_type(2 if target_name == "WSTRING" else 1, max(capacity, 1))
        return typed.CallStandard(type_, function.name, (value,), node.start)

    def _fitting(self, number: typed.Expression, target: Elementary, node: syntax.Call) -> typed.Expression:
        """A number that must fit a narrower type; else the scan stops."""
        if target is ULINT:
            return number
        return typed.InRange(subrange_type(LINT, target.low, target.high), number, node.start)

    def _to_text(self, node: syntax.Call, value: typed.Expression) -> typed.Expression:
        type_ = value.type
        if type_ is BOOL:
            words = tuple(typed.Constant(string_type(1, len(w)), w) for w in ("FALSE", "TRUE"))
            return typed.CallStandard(string_type(1, 5), "SEL", (value, *words), node.start)
        assert isinstance(type_, Elementary)
        if type_.family == "real":
            unit = "LREAL__TEXT" if type_ is LREAL else "SHORT__REAL_TEXT"
            return self._call_unit(unit, string_type(1, 30), (value,), node)
        if type_.family in _TIMED_TEXTS:
            unit, taken = _TIMED_TEXTS[type_.family]
            own = value if type_ is taken else typed.Convert(taken, value, node.start)
            return self._call_unit(unit, string_type(1, 40), (own,), node)
        below: typed.Expression = typed.Constant(BOOL, value=False)
        size = typed.Convert(ULINT, value, node.start) if type_ is not ULINT else value
        if type_.is_signed:
            wide = self.as_number(value, LINT, node.arguments[0].value)
            below = typed.Binary(BOOL, "<", wide, typed.Constant(LINT, 0), node.start)
            size = typed.Convert(ULINT, typed.CallStandard(LINT, "ABS", (wide,), node.start), node.start)
        return self._call_unit("NUMBER__TEXT", string_type(1, 20), (size, below), node)

    def _call_unit(
        self, name: str, type_: Type, inputs: tuple[typed.Expression, ...], node: syntax.Call
    ) -> typed.Expression:
        unit = self.find_unit(name)
        assert unit is not None
        return typed.CallFunction(type_, unit, inputs, (), (), node)

    def _text_result(self, inputs: Sequence[typed.Expression]) -> String:
        """A text that can hold all texts that go in."""
        texts = [v.type for v in inputs if isinstance(v.type, String)]
        return string_type(texts[0].width, max(1, min(sum(t.capacity for t in texts), _LONGEST)))

    def _longest(self, inputs: Sequence[typed.Expression]) -> String:
        texts = [v.type for v in inputs if isinstance(v.type, String)]
        return max(texts, key=lambda t: t.capacity)
