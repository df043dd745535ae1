"""Expressions and places as WebAssembly text.

Values are put on the stack; a place of the unit itself is a WebAssembly local, a pin of an instance
is a place in memory. See `bodies` for where the locals come from.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol

from upright_block.compiler.flow import Usage, usage
from upright_block.compiler.functions import STANDARD_FUNCTIONS
from upright_block.compiler.instructions import (
    constant,
    conversion,
    is_signed,
    load,
    narrow,
    operation,
    store,
    value_type,
)
from upright_block.compiler.layout import layout_of
from upright_block.language import typed
from upright_block.language.literals import Value
from upright_block.language.types import LREAL, Elementary, is_integer


class Module(Protocol):
    """What a body needs from the module that it becomes a part of."""

    def site(self, unit: typed.Unit, start: int, kind: str) -> int:
        """The number of a place that can fault."""

    def value(self, constant: typed.Variable) -> Value:
        """The value of a constant, which a case may have given."""

    def has_loops(self, unit: typed.Unit) -> bool:
        """Whether a call of the unit may run a loop."""


@dataclass(slots=True)
class Frame:
    """The unit whose statements are being written, and where its instance is."""

    unit: typed.Unit
    prefix: str
    offset: int
    in_memory: bool
    leave: str
    usage: Usage
    touched: dict[typed.Variable, str] = field(default_factory=dict)
    written: set[typed.Variable] = field(default_factory=set)


class ExpressionEmitter:
    """Writes the expressions of one WebAssembly function."""

    def __init__(self, module: Module, unit: typed.Unit) -> None:
        self.module = module
        self.out: list[str] = []
        self.locals: dict[str, str] = {}
        self.counter = 0
        self.uses_budget = False
        self.loop_labels: list[str] = []
        assert unit.body is not None
        in_memory = unit.kind == "FUNCTION_BLOCK"
        self.frame = Frame(unit, "v.", 0, in_memory, "$leave", usage(unit.body))

    # --- locals ---

    def local(self, variable: typed.Variable) -> str:
        frame = self.frame
        name = frame.touched.get(variable)
        if name is None:
            name = f"${frame.prefix}{variable.key}"
            frame.touched[variable] = name
            self.locals.setdefault(name, value_type(elementary(variable)))
        return name

    def temporary(self, held: str) -> str:
        """A new local for an intermediate value."""
        self.counter += 1
        name = f"$t{self.counter}"
        self.locals[name] = held
        return name

    def label(self, stem: str) -> str:
        """A new label."""
        self.counter += 1
        return f"${stem}{self.counter}"

    # --- places ---

    def offset(self, path: Sequence[typed.Variable]) -> int:
        offset = self.frame.offset
        owner = self.frame.unit
        for variable in path:
            offset += layout_of(owner).offsets[variable]
            if isinstance(variable.type, typed.Unit):
                owner = variable.type
        return offset

    def is_local(self, place: typed.Place) -> bool:
        """Whether a place is a WebAssembly local here, and not in memory."""
        if len(place.path) > 1:
            return False
        return not self.frame.in_memory or place.path[0] not in self.frame.usage.seldom

    def read(self, place: typed.Place) -> None:
        """Put the value of a place on the stack."""
        if self.is_local(place):
            self.out.append(f"local.get {self.local(place.path[0])}")
        else:
            self.out.append(f"local.get $self {load(place.type)} offset={self.offset(place.path)}")

    def write(self, place: typed.Place, value: Callable[[], None]) -> None:
        """Store into a place what ``value`` puts on the stack."""
        if self.is_local(place):
            value()
            self.out.append(f"local.set {self.local(place.path[0])}")
            self.frame.written.add(place.path[0])
        else:
            self.out.append("local.get $self")
            value()
            self.out.append(f"{store(place.type)} offset={self.offset(place.path)}")

    def self_address(self, offset: int) -> str:
        """Instructions for the address of an instance ``offset`` bytes from this function's own."""
        return f"local.get $self i32.const {offset} i32.add" if offset else "local.get $self"

    # --- expressions ---

    def expression(self, at: typed.Expression, clean: bool = True) -> None:
        """Put a value on the stack. Unless ``clean``, a narrow integer may carry stray high bits."""
        _EXPRESSIONS[type(at)](self, at, clean)

    def _constant(self, at: typed.Constant, clean: bool) -> None:
        self.out.append(constant(at.value, at.type))

    def _constant_use(self, at: typed.ConstantUse, clean: bool) -> None:
        self.out.append(constant(self.module.value(at.variable), at.type))

    def _load(self, at: typed.Load, clean: bool) -> None:
        self.read(at.place)

    def _convert(self, at: typed.Convert, clean: bool) -> None:
        self.expression(at.operand)
        self.out.append(conversion(at.operand.type, at.type))

    def _unary(self, at: typed.Unary, clean: bool) -> None:
        type_, held = at.type, value_type(at.type)
        if at.operator == "NOT":
            self.expression(at.operand)
            if type_.family == "bool":
                self.out.append("i32.eqz")
            else:
                mask = -1 if type_.bits >= 32 else type_.high
                self.out.append(f"{held}.const {mask} {held}.xor")
        elif type_.family == "real":
            self.expression(at.operand)
            self.out.append(f"{held}.neg")
        else:
            self.out.append(f"{held}.const 0")
            self.expression(at.operand, False)
            self.out.append(f"{held}.sub" + (narrow(type_) if clean else ""))

    def _binary(self, at: typed.Binary, clean: bool) -> None:
        """A spine of operators is written in a loop: a chain of a thousand ORs is one expression."""
        spine: list[typed.Binary] = []
        left: typed.Expression = at
        while isinstance(left, typed.Binary):
            spine.append(left)
            left = left.left
        spine.reverse()
        ring = frozenset("+-*")
        self.expression(left, spine[0].operator not in ring)
        for index, node in enumerate(spine):
            last = index == len(spine) - 1
            wants_clean = clean if last else spine[index + 1].operator not in ring
            self._operate(node, wants_clean)

    def _operate(self, at: typed.Binary, clean: bool) -> None:
        """One operator whose left operand is on the stack."""
        operator, operands = at.operator, at.left.type
        if operator in ("/", "MOD"):
            self._divide(at)
            return
        if operator == "*" and operands.family == "duration" and at.right.type is LREAL:
            self.out.append("f64.convert_i64_s")
            self.expression(at.right)
            self.out.append("f64.mul")
            self.round(LREAL, operands, at.start)
            return
        arithmetic = operator in ("+", "-", "*")
        self.expression(at.right, not arithmetic)
        self.out.append(operation(operator, operands) + (narrow(operands) if arithmetic and clean else ""))

    def _divide(self, at: typed.Binary) -> None:
        """Division: by zero is a fault, MOD by zero gives zero (table 29), the least by -1 wraps."""
        type_, operator = at.type, at.operator
        if type_.family == "duration" and at.right.type is LREAL:
            self.out.append("f64.convert_i64_s")
            self._real_divisor(at, LREAL)
            self.round(LREAL, type_, at.start)
            return
        if type_.family == "real":
            self._real_divisor(at, type_)
            return
        held = value_type(type_)
        sign = "s" if is_signed(type_) else "u"
        known = at.right.value if isinstance(at.right, typed.Constant) else None
        self.expression(at.right)
        if known is not None and known not in (0, -1):
            self.out.append(f"{held}.{'div' if operator == '/' else 'rem'}_{sign}")
            return
        divisor = self.temporary(held)
        self.out.append(f"local.set {divisor}")
        if operator == "MOD":
            dividend = self.temporary(held)
            self.out.append(
                f"local.set {dividend} local.get {divisor} {held}.eqz if (result {held}) {held}.const 0 else "
                f"local.get {dividend} local.get {divisor} {held}.rem_{sign} end"
            )
            return
        self.out.append(f"local.get {divisor} {held}.eqz")
        self.fault_if(at.start, "division by zero")
        if sign == "u" or type_.bits < 32:
            self.out.append(f"local.get {divisor} {held}.div_{sign}" + narrow(type_))
            return
        dividend = self.temporary(held)
        self.out.append(
            f"local.set {dividend} local.get {divisor} {held}.const -1 {held}.eq if (result {held}) "
            f"{held}.const 0 local.get {dividend} {held}.sub else local.get {dividend} local.get {divisor} {held}.div_s end"
        )

    def _real_divisor(self, at: typed.Binary, type_: Elementary) -> None:
        held = value_type(type_)
        self.expression(at.right)
        if not isinstance(at.right, typed.Constant):
            divisor = self.temporary(held)
            self.out.append(f"local.tee {divisor} {held}.const 0 {held}.eq")
            self.fault_if(at.start, "division by zero")
            self.out.append(f"local.get {divisor}")
        self.out.append(f"{held}.div")

    def fault_if(self, start: int, kind: str) -> None:
        """Stop the scan when the i32 on the stack is not zero."""
        site = self.module.site(self.frame.unit, start, kind)
        self.out.append(
            f"if i32.const {site} {self.self_address(self.frame.offset)} call $fault unreachable end"
        )

    def round(self, source: Elementary, target: Elementary, start: int, truncate: bool = False) -> None:
        """A real to the nearest integer, ties to even (6.6.2.5.1); beyond the target's range is a fault."""
        held = value_type(source)
        rounded = self.temporary(held)
        self.out.append(f"{held}.{'trunc' if truncate else 'nearest'} local.tee {rounded}")
        low, high = float(target.low), float(target.high + 1)
        self.out.append(
            f"{held}.const {low.hex()} {held}.ge local.get {rounded} {held}.const {high.hex()} {held}.lt i32.and i32.eqz"
        )
        self.fault_if(start, f"value out of the range of {target}")
        wide = value_type(target)
        sign = "s" if is_signed(target) else "u"
        self.out.append(f"local.get {rounded} {wide}.trunc_sat_{held}_{sign}")

    def _call_function(self, at: typed.CallFunction, clean: bool) -> None:
        """The result stays on the stack; outputs go to their places."""
        unit = at.function
        self.out.append(self.self_address(self.frame.offset))
        for value in at.inputs:
            self.expression(value)
        self.call(unit)
        taken = dict(at.outputs)
        waiting: list[tuple[str, typed.Variable]] = []
        for variable in reversed(unit.section("output")):
            name = self.temporary(value_type(elementary(variable)))
            self.out.append(f"local.set {name}")
            waiting.append((name, variable))
        for name, variable in reversed(waiting):
            if variable in taken:
                self.take(taken[variable], f"local.get {name}", elementary(variable), False)

    def call(self, unit: typed.Unit) -> None:
        """A call, with the loop budget handed over when the callee counts on it."""
        if self.module.has_loops(unit):
            self.uses_budget = True
            self.out.append(
                f"local.get $budget global.set $budget call $u.{unit.key} global.get $budget local.set $budget"
            )
        else:
            self.out.append(f"call $u.{unit.key}")

    def take(self, place: typed.Place, value: str, type_: Elementary, negated: bool) -> None:
        """Store an output into its place, widened and negated as asked."""

        def push() -> None:
            self.out.append(value)
            if negated:
                self.out.append(
                    "i32.eqz"
                    if type_.family == "bool"
                    else f"{value_type(type_)}.const -1 {value_type(type_)}.xor{narrow(type_)}"
                )
            if type_ is not place.type:
                self.out.append(conversion(type_, place.type))

        self.write(place, push)

    def _call_standard(self, at: typed.CallStandard, clean: bool) -> None:
        emit = STANDARD_FUNCTIONS.get(at.name)
        if emit is not None:
            emit(self, at)
            return
        self.expression(at.inputs[0])
        source, target = at.inputs[0].type, at.type
        if source.family == "real" and is_integer(target):
            self.round(source, target, at.start, "_TRUNC_" in at.name)
        else:
            self.out.append(conversion(source, target))


def elementary(variable: typed.Variable) -> Elementary:
    """The type of a variable that is no instance."""
    assert isinstance(variable.type, Elementary)
    return variable.type


_EXPRESSIONS: dict[type, Callable[[ExpressionEmitter, Any, bool], None]] = {
    typed.Constant: ExpressionEmitter._constant,
    typed.ConstantUse: ExpressionEmitter._constant_use,
    typed.Load: ExpressionEmitter._load,
    typed.Convert: ExpressionEmitter._convert,
    typed.Unary: ExpressionEmitter._unary,
    typed.Binary: ExpressionEmitter._binary,
    typed.CallFunction: ExpressionEmitter._call_function,
    typed.CallStandard: ExpressionEmitter._call_standard,
}
