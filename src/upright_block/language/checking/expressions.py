"""The types of expressions. IEC 61131-3:2013, 6.6.1.6, 6.6.2 and 7.3.2."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from upright_block.language import constants, syntax, typed
from upright_block.language.checking.operators import OperatorChecker, default_type
from upright_block.language.checking.places import PLACES, held_type
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.words import expressions as words
from upright_block.language.checking.words.dialect import time_too_long
from upright_block.language.literals import (
    LiteralProblem,
    Value,
    character,
    fit,
    is_literal_prefix,
    parse_as,
    parse_number,
    parse_text,
    parse_typed,
)
from upright_block.language.scope import NamedType
from upright_block.language.types import (
    BOOL,
    NULL,
    TIME,
    Elementary,
    Enumeration,
    Reference,
    String,
    Subrange,
    Type,
    widens,
)

_OF_ONE_TYPE = frozenset(["AND", "&", "OR", "XOR", "+", "-", "*", "/", "MOD"])
"""Operators whose operands are of the type of the result."""


class ExpressionChecker(OperatorChecker):
    """Turns expressions of syntax into typed ones. Every method raises `Problem` after reporting."""

    def value(self, node: syntax.Expression, wanted: Type, what: str) -> typed.Expression:
        """The expression as a value of type ``wanted``; ``what`` names the receiver in messages."""
        if isinstance(wanted, Reference):
            reference = self._refers_to(node, wanted)
            if reference is not None:
                return reference
        try:
            return self.named_value(node, wanted) or self.coerce(self.expression(node), wanted, node, what)
        except Problem:
            self.note_missing(node, wanted)
            raise

    def note_missing(self, node: syntax.Expression, type_: Type, is_output: bool = False) -> None:
        """Note the type that names which nobody declares must have so that an expression is of a type."""
        waiting = [node] if self.scope.missing else []
        while waiting:
            match waiting.pop():
                case syntax.Name(name=name):
                    missing = self.scope.missing.get(name.upper())
                    if missing is not None and missing.type is None:
                        missing.type, missing.is_output = type_, is_output
                case syntax.Unary(operand=operand):
                    waiting.append(operand)
                case syntax.Binary(operator=operator, left=left, right=right) if operator in _OF_ONE_TYPE:
                    waiting += [left, right]

    def any_value(self, node: syntax.Expression) -> typed.Expression:
        """The expression with a type of its own: a bare literal takes INT, DINT, LINT or LREAL."""
        return self.any_typed(self.expression(node), node)

    def elementary_value(self, node: syntax.Expression) -> tuple[typed.Expression, Elementary]:
        """The expression with an elementary type of its own, and that type."""
        found = self.any_value(node)
        if not isinstance(found.type, Elementary):
            raise self.problem(node, words.whole_as_value(self.text(node), found.type))
        return found, found.type

    def condition(self, node: syntax.Expression, what: str) -> typed.Expression:
        """The expression as a BOOL that decides something."""
        try:
            found = self.expression(node)
        except Problem:
            self.note_missing(node, BOOL)
            raise
        if found.type is BOOL:
            return found
        if found.type.family == "untyped":
            return self.coerce(found, BOOL, node, what)
        raise self.problem(node, words.needs_bool(what, self.text(node), found.type))

    def expression(self, node: syntax.Expression) -> typed.Expression:
        """The typed expression."""
        if isinstance(node, syntax.Name) and self.unit.is_wired and node.name.upper() in self.scope.tags:
            for owner in self._enumerations_with(node.name.upper())[:1]:
                self.report(node, words.tag_or_value(node.name, owner))
        node = self.meant(node)
        return _CHECK[type(node)](self, node)

    def constant(self, node: syntax.Expression, wanted: Type, what: str) -> Value:
        """The value of an expression that must be known before the run."""
        found = self.value(node, wanted, what)
        try:
            return constants.evaluate(found)
        except constants.NotConstant:
            number = constants.nearly(found)
            raise self.problem(node, words.not_constant(what, self.text(node), number)) from None

    # --- conversion to a wanted type ---

    def any_typed(self, found: typed.Expression, node: syntax.Expression) -> typed.Expression:
        """What is bare with the type that it takes by itself; anything else as it is."""
        if isinstance(found, (typed.Bare, typed.Constant)) and found.type.family == "untyped":
            return self.coerce(found, default_type(found), node, "")
        return found

    def coerce(self, found: typed.Expression, wanted: Type, node: syntax.Node, what: str) -> typed.Expression:
        """``found`` as a value of type ``wanted``: as it is, a literal that fits, or widened."""
        type_ = found.type
        if type_ is wanted and wanted.family != "broken":
            return found
        if isinstance(wanted, String):
            return self._coerce_text(found, wanted, node, what)
        if isinstance(wanted, Elementary):
            return self._coerce_elementary(found, wanted, node, what)
        raise self.mismatch(type_, wanted, node, what)

    def _refers_to(self, node: syntax.Expression, wanted: Reference) -> typed.Expression | None:
        """An instance where a variable of an interface is wanted: the reference to it (6.6.6.6)."""
        target = wanted.target
        if not isinstance(target, typed.Unit) or target.kind != "INTERFACE" or not isinstance(node, PLACES):
            return None
        if isinstance(node, syntax.Name) and node.name.upper() != "THIS" and not self.declares(node.name.upper()):
            return None
        place = self.place(node)
        if not isinstance(place.type, typed.Unit):
            return None
        if not place.type.is_a(target):
            raise self.problem(node, words.not_implemented(self.text(node), place, target, place.type))
        return typed.AddressOf(wanted, place)

    def _coerce_elementary(
        self, found: typed.Expression, wanted: Elementary, node: syntax.Node, what: str
    ) -> typed.Expression:
        type_ = found.type
        if isinstance(wanted, Subrange):
            inner = self._coerce_subrange(found, wanted, node, what)
            return inner if isinstance(inner, typed.Constant) else typed.InRange(wanted, inner, node.start)
        if isinstance(found, typed.Bare):
            return found.build(wanted)
        if isinstance(found, typed.Constant) and type_.family == "untyped":
            return typed.Constant(wanted, self.fitted(found, wanted, node, what))
        if isinstance(found, typed.Constant) and isinstance(found.value, str) and wanted.family == "char":
            return self._one_character(found, wanted, node)
        if isinstance(wanted, Enumeration) and wanted.is_open and type_ is wanted.stored:
            return typed.Convert(wanted, found, node.start)
        if isinstance(wanted, Reference) and isinstance(type_, Reference):
            if type_ is NULL:
                return typed.Constant(wanted, 0)
            a, b = type_.target, wanted.target
            if isinstance(a, typed.Unit) and isinstance(b, typed.Unit) and a.is_a(b):
                return typed.Convert(wanted, found, node.start)
        if isinstance(type_, Elementary) and widens(type_, wanted):
            return typed.Convert(wanted, found, node.start)
        raise self.mismatch(type_, wanted, node, what)

    def _coerce_subrange(
        self, found: typed.Expression, wanted: Subrange, node: syntax.Node, what: str
    ) -> typed.Expression:
        """A value of the base type; what is known to lie outside the range is reported now."""
        inner = self.coerce(found, wanted.base, node, what)
        if isinstance(inner, typed.Constant):
            value = int(inner.value)
            if not wanted.low <= value <= wanted.high:
                raise self.problem(node, words.outside_range(value, wanted, what))
        return inner

    def _coerce_text(self, found: typed.Expression, wanted: String, node: syntax.Node, what: str) -> typed.Expression:
        type_ = found.type
        if not isinstance(type_, String):
            raise self.mismatch(type_, wanted, node, what)
        literal = found.value if isinstance(found, typed.Constant) and isinstance(found.value, str) else None
        if type_.width != wanted.width:
            if literal is not None:
                raise self.problem(node, words.wrong_quotes(what, wanted, self.text(node), type_, literal))
            raise self.mismatch(type_, wanted, node, what)
        if literal is not None and len(literal) > wanted.capacity:
            raise self.problem(node, words.text_too_long(literal, what, wanted))
        return found

    def _one_character(self, found: typed.Constant, wanted: Elementary, node: syntax.Node) -> typed.Expression:
        try:
            return typed.Constant(wanted, character(str(found.value), wanted))
        except LiteralProblem as problem:
            raise self.problem(node, words.other_characters(problem)) from None

    def fitted(self, found: typed.Constant, wanted: Elementary, node: syntax.Node, what: str) -> Value:
        """The value of an untyped literal as one of ``wanted``."""
        assert isinstance(found.type, Elementary)
        assert not isinstance(found.value, str)
        if isinstance(wanted, Enumeration) and not wanted.is_open:
            raise self.problem(node, words.number_for_name(what, wanted, self.text(node)))
        try:
            return fit(found.type, found.value, wanted)
        except LiteralProblem as problem:
            name = "out-of-range" if "fit" in str(problem) or "large" in str(problem) else "type-mismatch"
            raise self.problem(node, words.does_not_fit(name, problem, what, wanted)) from None

    def mismatch(self, found: Type, wanted: Type, node: syntax.Node, what: str) -> Problem:
        """Report that a value of one type cannot become another unasked."""
        function = self.conversion(found, wanted)
        return self.problem(node, words.not_unasked(what, self.text(node), found, wanted, function))

    # --- operands ---

    def _literal(self, node: syntax.Literal) -> typed.Expression:
        try:
            if node.kind == "bool":
                return typed.Constant(BOOL, node.text.upper() == "TRUE")
            if node.kind in ("int", "real"):
                return typed.Constant(*parse_number(node.text))
            if node.kind == "typed":
                return self._typed_literal(node)
            if node.kind == "string":
                return typed.Constant(*parse_text(node.text))
        except LiteralProblem as problem:
            raise self.problem(node, words.bad_literal(problem)) from None
        if node.kind == "broken":
            self.unit.is_broken = True
            raise Problem
        if node.kind == "null":
            return typed.Constant(NULL, 0)
        raise AssertionError(node.kind)

    def _typed_literal(self, node: syntax.Literal) -> typed.Expression:
        """A literal with a type before ``#``, which may be an enumeration or a subrange of the library."""
        prefix, _, rest = node.text.partition("#")
        named = self.find_type(prefix.upper())
        if named is None or is_literal_prefix(prefix):
            type_, value = parse_typed(node.text)
            longest = self.scope.dialect.longest_time
            if type_ is TIME and longest and isinstance(value, int) and abs(value) > longest:
                self.report(node, time_too_long(node.text, longest))
            return typed.Constant(type_, value)
        type_ = self.named_type(named, node)
        if isinstance(type_, Enumeration):
            known = type_.members.get(rest.upper())
            if known is None:
                start = node.start + len(prefix) + 1
                names = [name for name, _ in type_.members.values()]
                raise self.unknown(rest, syntax.Node(start, node.end), words.unknown_value(type_, rest, names), names)
            return typed.Constant(type_, known[1])
        if not isinstance(type_, Elementary):
            raise LiteralProblem(*words.no_literals_of(prefix))
        found = typed.Constant(type_.base, parse_as(rest, type_.base))
        return self.coerce(found, type_, node, "") if isinstance(type_, Subrange) else found

    def named_type(self, named: NamedType, node: syntax.Node) -> Type:
        """The type that a name of the library stands for."""
        raise NotImplementedError

    def _name(self, node: syntax.Name) -> typed.Expression:
        key = node.name.upper()
        if not self.declares(key):
            found = self._enumerator(node)
            if found is not None:
                return found
        return self._load(node)

    def _enumerator(self, node: syntax.Name) -> typed.Expression | None:
        """The value of an enumeration that a bare name stands for."""
        owners = self._enumerations_with(node.name.upper())
        if len(owners) > 1:
            ways = " or ".join(f"{owner}#{node.name}" for owner in owners[:2])
            raise self.problem(node, words.ambiguous_value(node.name, owners, ways))
        for owner in owners:
            return typed.Constant(owner, owner.members[node.name.upper()][1])
        return None

    def _enumerations_with(self, name: str) -> list[Enumeration]:
        """The enumerations with a value of this name: those of the unit, else of the nearest namespace that has one."""
        found = [v for v in self.scope.values.get(name, ()) if self.scope.is_seen(v.source, self.source)]
        mine = {self.unit, *(self.holder.ancestors if self.holder else ())}
        own = [values.enumeration for values in found if values.unit in mine]
        if own or not found:
            return own
        for key in self.unit.syntax.home.keys(""):
            near = [v.enumeration for v in found if v.unit is None and f"{v.namespace.upper()}.".lstrip(".") == key]
            if near:
                return near
        return []

    def named_value(self, node: syntax.Expression, wanted: Type) -> typed.Expression | None:
        """The value of an enumeration that a bare name stands for where one of that type is wanted."""
        if not isinstance(wanted, Enumeration) or not isinstance(node, syntax.Name) or self.declares(node.name.upper()):
            return None
        known = wanted.members.get(node.name.upper())
        return typed.Constant(wanted, known[1]) if known else None

    def _load(self, node: syntax.Expression) -> typed.Expression:
        """The value at a place; a constant that is code has none."""
        place = self.place(node)
        if not place.steps and place.root.is_code and isinstance(place.type, (Elementary, String)):
            return typed.ConstantUse(place.type, place.root)
        if isinstance(place.type, typed.Unit):
            raise self.bare_instance(node, place.type)
        self.check_whole(place, node)
        return typed.Load(place.type.base if isinstance(place.type, Elementary) else place.type, place)

    def _part(self, node: syntax.Part) -> typed.Expression:
        whole = self.expression(node.base)
        type_, shift = self.part_bounds(node, whole.type)
        return typed.Part(type_, whole, shift)

    def _direct_value(self, node: syntax.DirectAddress) -> typed.Expression:
        point = self.point(node)
        return self.scope.points.load(point, held_type(node, point), node)

    def _no_value(self, node: syntax.Expression) -> typed.Expression:
        parts = "the elements" if isinstance(node, syntax.ArrayValue) else "the fields"
        raise self.problem(node, words.only_initial(self.text(node), parts))

    # --- calls: see the checker of calls ---

    def call(self, node: syntax.Call) -> typed.Expression:
        """The value of a call."""
        raise NotImplementedError


_CHECK: dict[type, Callable[[ExpressionChecker, Any], typed.Expression]] = {
    syntax.Literal: ExpressionChecker._literal,
    syntax.Name: ExpressionChecker._name,
    syntax.MadeName: ExpressionChecker._name,
    syntax.Member: ExpressionChecker._load,
    syntax.MadeMember: ExpressionChecker._load,
    syntax.Index: ExpressionChecker._load,
    syntax.Dereference: ExpressionChecker._load,
    syntax.Part: ExpressionChecker._part,
    syntax.DirectAddress: ExpressionChecker._direct_value,
    syntax.ArrayValue: ExpressionChecker._no_value,
    syntax.StructureValue: ExpressionChecker._no_value,
    syntax.Unary: ExpressionChecker._unary,
    syntax.Binary: ExpressionChecker._binary,
    syntax.TypedCompare: ExpressionChecker._binary,
    syntax.Call: lambda checker, node: checker.call(node),
}
