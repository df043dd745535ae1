"""Types as they are written, and initial values. IEC 61131-3:2013, 6.4.4 and 6.5.1."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from itertools import chain
from typing import Any

from upright_block.language import syntax, typed
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.statements import StatementChecker
from upright_block.language.checking.words import types as words
from upright_block.language.limits import LONGEST_TEXT, MOST_ELEMENTS, MOST_NESTED
from upright_block.language.scope import NamedType, NamedValues
from upright_block.language.telling.findings import first_declared
from upright_block.language.types import (
    BROKEN,
    DINT,
    ELEMENTARY,
    INT,
    UDINT,
    Array,
    Elementary,
    Enumeration,
    String,
    Type,
    array_type,
    interface_type,
    is_integer,
    open_array_type,
    reference_type,
    string_type,
    subrange_type,
)

_STRINGS = {"STRING": 1, "WSTRING": 2}


class TypeChecker(StatementChecker):
    """Turns written types and initial values into those of the typed tree. Mistakes give `BROKEN`."""

    referring: int = 0
    depth: int = 0
    declaring: str = ""
    declared: str = ""

    def type_in(self, node: syntax.Declaration, *, is_in_out: bool = False) -> Type:
        """The type of a variable or a field, as `type_of`; of an in-out, which may be an array of any bounds."""
        outer, self.declared = self.declared, node.name
        try:
            return self.in_out_type(node.type) if is_in_out else self.type_of(node.type)
        finally:
            self.declared = outer

    def type_of(self, node: syntax.TypeSpec, name: str = "") -> Type:
        """The type that is written; ``name`` is what a TYPE declaration calls it."""
        outer, self.declaring = self.declaring, name
        try:
            made: Type = _CHECK[type(node)](self, node)
            return made
        except Problem:
            self.unit.is_broken = True
            return BROKEN
        finally:
            self.declaring = outer

    def _named(self, node: syntax.TypeName) -> Type:
        name = node.name.upper()
        if not name:
            raise Problem
        if name in ELEMENTARY:
            return ELEMENTARY[name]
        if name in _STRINGS:
            return string_type(_STRINGS[name], 254)
        named = self.find_type(name)
        if named is not None:
            return self.named_type(named, node)
        unit = self.find_unit(name)
        if unit is not None:
            if unit.kind in ("FUNCTION_BLOCK", "CLASS"):
                return unit
            if unit.kind == "INTERFACE":
                return interface_type(unit)
            raise self.problem(node, words.unit_as_type(unit))
        if name == "VOID":
            raise self.problem(node, words.void())
        if name.startswith("ANY") and name.partition("_")[0] == "ANY":
            raise self.problem(node, words.generic_type(node.name))
        if self.scope.stand_ins().source(name) is not None:
            raise self.problem(node, words.stand_in_outside(node.name))
        raise self.unknown(
            node.name, node, words.unknown_type(node.name), chain(ELEMENTARY, self.scope.known_names(self.source))
        )

    def named_type(self, named: NamedType, node: syntax.Node) -> Type:
        """The type that a name stands for; it is read when it is first used."""
        if named.opened_at is not None and (named.type is None or named.opened_at == self.referring):
            named.type = BROKEN
            raise self.problem(node, words.contains_itself(named))
        if named.type is None:
            named.opened_at = self.referring
            own = TypeChecker(self.unit_of(named), self.scope, self.findings, self._find_unit)
            own.referring = self.referring
            own.depth = self.depth + 1
            if own.depth > MOST_NESTED:
                named.type, named.opened_at = BROKEN, None
                raise self.problem(node, words.types_too_deep())
            spec = named.syntax.spec
            if isinstance(spec, syntax.StructureSpec):
                named.type = made = typed.Structure(named.name, named.source, named.syntax.comment)
                with suppress(Problem):
                    own.fields(spec, made)
            else:
                found = own.type_of(spec, named.name)
                named.type = named.type or found
            named.opened_at = None
            if named.type is not BROKEN:
                written = named.syntax.initial
                named.initial = own.initial_of(spec, named.type)
                if written is not None:
                    named.initial = own.initial(written, named.type, named.name, spec)
            if own.unit.is_broken:
                named.type = BROKEN
        if named.type is BROKEN:
            raise Problem
        return named.type

    def unit_of(self, named: NamedType) -> typed.Unit:
        """A stand-in for the unit that findings about a type belong to."""
        link = syntax.Unit(
            named.syntax.start, named.syntax.end, "TYPE", named.name, None, (), (), "", home=named.syntax.home
        )
        return typed.Unit("FUNCTION", named.name, named.source, link, "")

    def _string(self, node: syntax.StringSpec) -> Type:
        name = node.name.upper()
        length = int(self.constant(node.length, UDINT, "The length of a text"))
        if not 1 <= length <= LONGEST_TEXT:
            raise self.problem(node.length, words.text_length(length))
        return string_type(_STRINGS[name], length)

    def _subrange(self, node: syntax.SubrangeSpec) -> Type:
        base = self._named(node.base)
        if not isinstance(base, Elementary) or not is_integer(base):
            raise self.problem(node.base, words.range_of(base))
        low, high = self._bounds(node, node.low, node.high, base)
        return subrange_type(base.base, low, high)

    def _bounds(
        self, node: syntax.Node, low_at: syntax.Expression, high_at: syntax.Expression, type_: Elementary
    ) -> tuple[int, int]:
        low = int(self.constant(low_at, type_, "The end of a range"))
        high = int(self.constant(high_at, type_, "The end of a range"))
        if high < low:
            raise self.problem(node, words.empty_range(self.declared or self.declaring, low, high))
        return low, high

    def in_out_type(self, node: syntax.TypeSpec) -> Type:
        """The type of an in-out, which may be an array of any bounds (6.5.3)."""
        if not isinstance(node, syntax.ArraySpec) or not node.stars:
            return self.type_of(node)
        element = self.type_of(node.element)
        return element if element is BROKEN else open_array_type(element, node.stars)

    def _array(self, node: syntax.ArraySpec) -> Type:
        if node.stars:
            raise self.problem(node, words.open_array())
        element = self.type_of(node.element)
        bounds = tuple(self._bounds(syntax.Node(low.start, high.end), low, high, DINT) for low, high in node.bounds)
        if element is BROKEN:
            raise Problem
        made = array_type(element, bounds)
        if made.count * weight(element, {}) > MOST_ELEMENTS:
            raise self.problem(node, words.array_too_large(made, element))
        return made

    def _result_of(self, node: syntax.ResultOf) -> Type:
        return self.any_value(node.value).type

    def _reference(self, node: syntax.ReferenceSpec) -> Type:
        self.referring += 1
        try:
            target = self.type_of(node.target)
        finally:
            self.referring -= 1
        if target is BROKEN:
            raise Problem
        return reference_type(target)

    def _enumeration(self, node: syntax.EnumerationSpec) -> Type:
        base: Type = INT if node.base is None else self._named(node.base)
        if not isinstance(base, Elementary) or base.family not in ("signed", "unsigned", "bits"):
            assert node.base is not None
            raise self.problem(node.base, words.named_values_of(base))
        base = base.base
        members: dict[str, tuple[str, int]] = {}
        value = -1
        for member in node.members:
            key = member.name.upper()
            if key in members:
                raise self.problem(member, words.value_name_twice(member.name))
            value = value + 1 if member.value is None else int(self.constant(member.value, base, member.name))
            if not base.low <= value <= base.high:
                raise self.problem(member, words.named_value_outside(value, base))
            members[key] = (member.name, value)
        name = self.declaring or f"({', '.join(name for name, _ in members.values())})"
        made = Enumeration(name, "enumeration", base.bits, base, members, node.base is not None)
        home = self.unit if self.unit.key in self.scope.units or self.unit.owner else None
        values = NamedValues(self.source, made, self.unit.syntax.home.namespace, None if self.declaring else home)
        for key in members:
            self.scope.values.setdefault(key, []).append(values)
        return made

    def _structure(self, node: syntax.StructureSpec) -> Type:
        made = typed.Structure(self.declaring or "STRUCT", self.source)
        self.fields(node, made)
        return made

    def fields(self, node: syntax.StructureSpec, made: typed.Structure) -> None:
        """Read the fields of a structure."""
        if not node.fields:
            self.report(node, words.empty_structure())
        for field in node.fields:
            key = field.name.upper()
            other = made.variables.get(key)
            if other is not None:
                first = first_declared(self.source, other, other.name)
                self.report(field, words.field_twice(field.name, made), first)
                continue
            type_ = self.type_in(field)
            made.variables[key] = typed.Variable(
                field.name, "field", type_, comment=field.comment, start=field.start, end=field.end
            )
            self.settle_initial(made.variables[key], field)
            inner = type_
            while isinstance(inner, Array):
                inner = inner.element
            if isinstance(inner, typed.Structure):
                made.depth = max(made.depth, inner.depth + 1)
        if made.depth > MOST_NESTED:
            raise self.problem(node, words.structures_too_deep(made))

    # --- initial values ---

    def settle_initial(self, variable: typed.Variable, node: syntax.Declaration) -> None:
        """Give a variable its initial value: as written, or that of its type.

        What is written for an instance names its pins, and these are known when the interfaces of all blocks are read.
        """
        inner = variable.type
        while isinstance(inner, Array):
            inner = inner.element
        if node.initial is not None and isinstance(inner, typed.Unit):
            self.scope.postponed.append(lambda: self._settle(variable, node))
        else:
            self._settle(variable, node)

    def _settle(self, variable: typed.Variable, node: syntax.Declaration) -> None:
        type_ = variable.type
        if type_ is BROKEN:
            variable.initial = None
        elif node.initial is not None:
            variable.initial = self.initial(node.initial, type_, node.name, node.type)
        else:
            if variable.constant:
                self.report(node, words.constant_without_value(node.name, type_))
            variable.initial = self.initial_of(node.type, type_)

    def initial_of(self, spec: syntax.TypeSpec, type_: Type) -> typed.Initial:
        """The initial value of a type as it is written: a name may stand for a type with one of its own (6.4.4.9)."""
        if isinstance(spec, syntax.TypeName):
            named = self.find_type(spec.name.upper())
            if named is not None and named.initial is not None:
                return named.initial
        if isinstance(spec, syntax.ArraySpec) and isinstance(type_, Array):
            element = self.initial_of(spec.element, type_.element)
            if element != typed.default_of(type_.element):
                return (element,) * type_.count
        return typed.default_of(type_)

    def _spec_of(self, spec: syntax.TypeSpec) -> syntax.TypeSpec:
        """What a name stands for, through all aliases."""
        while isinstance(spec, syntax.TypeName):
            named = self.find_type(spec.name.upper())
            if named is None:
                break
            spec = named.syntax.spec
        return spec

    def initial(self, node: syntax.Expression, type_: Type, name: str, spec: syntax.TypeSpec) -> typed.Initial:
        """The value that is written for a type; its default where that is wrong."""
        try:
            return self._initial(node, type_, name, spec)
        except Problem:
            return self.initial_of(spec, type_)

    def _initial(self, node: syntax.Expression, type_: Type, name: str, spec: syntax.TypeSpec) -> typed.Initial:
        if isinstance(type_, Array):
            return self._array_initial(node, type_, name, spec)
        if isinstance(type_, typed.Compound):
            own = self.initial_of(spec, type_)
            made = self._compound_initial(node, type_, name)
            return {**own, **made} if isinstance(own, dict) else made
        if isinstance(node, (syntax.ArrayValue, syntax.StructureValue)):
            raise self.problem(node, words.one_value(name, type_))
        return self.constant(node, type_, name)

    def _array_initial(self, node: syntax.Expression, type_: Array, name: str, spec: syntax.TypeSpec) -> typed.Initial:
        if not isinstance(node, syntax.ArrayValue):
            raise self.problem(node, words.value_for_each(name, type_, self.text(node)))
        real = self._spec_of(spec)
        inner = real.element if isinstance(real, syntax.ArraySpec) else syntax.TypeName(node.start, node.start, "")
        missing = self.initial_of(inner, type_.element)
        values: list[typed.Initial] = []
        for item in node.items:
            repeat = 1
            if item.repeat is not None:
                repeat = int(self.constant(item.repeat, UDINT, "The count of a value"))
            group = [self._initial(value, type_.element, f"An element of {name}", inner) for value in item.values]
            group = group or [missing]
            if len(values) + repeat * len(group) > type_.count:
                raise self.problem(item, words.too_many_values(name, type_))
            values += group * repeat
        return (*values, *[missing] * (type_.count - len(values)))

    def _compound_initial(self, node: syntax.Expression, type_: typed.Compound, name: str) -> dict[str, typed.Initial]:
        if not isinstance(node, syntax.StructureValue):
            raise self.problem(node, words.values_by_name(name, type_))
        made: dict[str, typed.Initial] = {}
        for field in node.fields:
            key = field.name.upper()
            variable = type_.variables.get(key)
            open_names = [
                v.name
                for v in type_.variables.values()
                if v.section in ("field", "input", "output") or (v.access == "PUBLIC" and not v.is_code)
            ]
            name_at = syntax.Node(field.start, field.end)
            if variable is None or variable.name not in open_names:
                raise self.unknown(field.name, name_at, words.unknown_part(type_, field.name, open_names), open_names)
            if key in made:
                raise self.problem(name_at, words.part_given_twice(variable))
            made[key] = self._initial(field.value, variable.type, variable.name, _unnamed(field))
        return made


def _unnamed(node: syntax.Node) -> syntax.TypeSpec:
    """Stands for a type whose name is not at hand."""
    return syntax.TypeName(node.start, node.start, "")


def weight(type_: Type, known: dict[str, int]) -> int:
    """How many values a type has, a text counted by its length; ``known`` are the weights of blocks."""
    if isinstance(type_, String):
        return 1 + type_.size // 8
    if isinstance(type_, Array):
        return type_.count * weight(type_.element, known)
    if isinstance(type_, typed.Unit):
        return known.get(type_.key, 1)
    if isinstance(type_, typed.Structure):
        return sum(weight(field.type, known) for field in type_.variables.values())
    return 1


_CHECK: dict[type, Callable[[TypeChecker, Any], Type]] = {
    syntax.TypeName: TypeChecker._named,
    syntax.StringSpec: TypeChecker._string,
    syntax.SubrangeSpec: TypeChecker._subrange,
    syntax.ArraySpec: TypeChecker._array,
    syntax.ReferenceSpec: TypeChecker._reference,
    syntax.ResultOf: TypeChecker._result_of,
    syntax.EnumerationSpec: TypeChecker._enumeration,
    syntax.StructureSpec: TypeChecker._structure,
}
