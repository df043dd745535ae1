"""Expressions as WebAssembly text: each puts its value on the stack.

Of a value that is not elementary its address is put there instead.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from upright_block.compiler.flow import changes_others, has_loops
from upright_block.compiler.functions import STANDARD_FUNCTIONS
from upright_block.compiler.instructions import constant, conversion, narrow, operation, store, value_type
from upright_block.compiler.layout import size_of
from upright_block.compiler.places import PlaceEmitter, copy_instructions
from upright_block.language import typed
from upright_block.language.literals import DAY, Value
from upright_block.language.types import INT, LREAL, Array, Elementary, OpenArray, String, Type, is_integer

_DAY = 86_400_000_000_000


class ExpressionEmitter(PlaceEmitter):
    """Writes the expressions of one WebAssembly function."""

    def expression(self, node: typed.Expression, clean: bool = True) -> None:
        """Put a value on the stack. Unless ``clean``, a narrow integer may carry stray high bits."""
        _EXPRESSIONS[type(node)](self, node, clean or self.code.mode.trails)
        self.tell(node)

    def tell(self, node: typed.Expression) -> None:
        """Tell the value on the stack, where a trail is asked for."""
        if self.code.mode.trails:
            from upright_block.compiler.trails import computed

            computed(self, node)

    def _constant(self, node: typed.Constant, clean: bool) -> None:
        self._known(node.value, node.type)

    def _constant_use(self, node: typed.ConstantUse, clean: bool) -> None:
        self.out.append(self.code.constant(node.variable, node.type))

    def _known(self, value: Value, type_: Type) -> None:
        if isinstance(value, str):
            assert isinstance(type_, String)
            self.out.append(f"i32.const {self.code.text(value, type_.width)}")
        else:
            assert isinstance(type_, Elementary)
            self.out.append(constant(value, type_))

    def _load(self, node: typed.Load, clean: bool) -> None:
        if self.code.mode.trails and isinstance(node.type, Elementary):
            from upright_block.compiler.trails import loaded

            loaded(self, node, self.address(node.place))
        else:
            self.read(node.place)

    def _address_of(self, node: typed.AddressOf, clean: bool) -> None:
        self.push_address(node.place)

    def _part(self, node: typed.Part, clean: bool) -> None:
        """Some bits of a bit string (table 17)."""
        whole = node.operand.type
        assert isinstance(whole, Elementary)
        held, wanted = value_type(whole), value_type(node.type)
        self.expression(node.operand)
        if node in self.columns:
            self.out.append(f"{self.shift_of(node)} i32.shr_u")
        elif node.shift:
            self.out.append(f"{held}.const {node.shift} {held}.shr_u")
        if held == "i64" and wanted == "i32":
            self.out.append("i32.wrap_i64")
        mask = 1 if node.type.family == "bool" else (1 << node.type.bits) - 1
        if node.type.bits < 32:
            self.out.append(f"i32.const {mask} i32.and")

    def _in_range(self, node: typed.InRange, clean: bool) -> None:
        """A value of a subrange; one outside is a fault."""
        type_, held = node.type, value_type(node.type)
        sign = "s" if type_.is_signed else "u"
        value = self.temporary(held)
        self.expression(node.operand)
        self.out.append(
            f"local.tee {value} {held}.const {type_.low} {held}.lt_{sign} "
            f"local.get {value} {held}.const {type_.high} {held}.gt_{sign} i32.or"
        )
        self.fault_if(node.start, f"value outside {type_.low}..{type_.high}")
        self.out.append(f"local.get {value}")

    def _convert(self, node: typed.Convert, clean: bool) -> None:
        source = node.operand.type
        assert isinstance(source, Elementary)
        self.expression(node.operand)
        self.out.append(conversion(source, node.type))

    def _unary(self, node: typed.Unary, clean: bool) -> None:
        type_, held = node.type, value_type(node.type)
        if node.operator == "NOT":
            self.expression(node.operand)
            if type_.family == "bool":
                self.out.append("i32.eqz")
            else:
                mask = -1 if type_.bits >= 32 else type_.high
                self.out.append(f"{held}.const {mask} {held}.xor")
        elif type_.family == "real":
            self.expression(node.operand)
            self.out.append(f"{held}.neg")
        elif self.checks_overflow:
            self.out.append(f"{held}.const 0")
            self.expression(node.operand)
            self._checked("-", type_, node.start)
        else:
            self.out.append(f"{held}.const 0")
            self.expression(node.operand, clean=False)
            self.out.append(f"{held}.sub" + (narrow(type_) if clean else ""))

    def _binary(self, node: typed.Binary, clean: bool) -> None:
        """A spine of operators is written in a loop: a chain of a thousand ORs is one expression."""
        spine: list[typed.Binary] = []
        left: typed.Expression = node
        while isinstance(left, typed.Binary):
            spine.append(left)
            left = left.left
        spine.reverse()
        ring = frozenset("+-*")
        self.expression(left, spine[0].operator not in ring)
        for index, link in enumerate(spine):
            last = index == len(spine) - 1
            wants_clean = clean if last else spine[index + 1].operator not in ring
            self._operate(link, wants_clean or self.code.mode.trails)
            if not last:
                self.tell(link)

    def _operate(self, node: typed.Binary, clean: bool) -> None:
        """One operator whose left operand is on the stack."""
        operator, operands = node.operator, node.left.type
        if isinstance(operands, String):
            self.expression(node.right)
            self.out.append(f"i32.const {operands.width} call $text_compare i32.const 0")
            self.out.append(operation(operator, INT))
            return
        assert isinstance(operands, Elementary)
        if operator in ("/", "MOD"):
            self._divide(node)
            return
        if operator == "*" and operands.family == "duration" and node.right.type is LREAL:
            self.out.append("f64.convert_i64_s")
            self.expression(node.right)
            self.out.append("f64.mul")
            self.round(LREAL, operands, node.start)
            return
        if node.type.family == "time of day":
            self.expression(node.right)
            sign = "add" if operator == "+" else "sub"
            day = f"i64.const {DAY}"
            self.out.append(f"{day} i64.rem_s i64.{sign} {day} i64.add {day} i64.rem_u")
            return
        arithmetic = operator in ("+", "-", "*")
        if arithmetic and self.checks_overflow and operands.family not in ("real", "bits"):
            self.expression(node.right)
            self._checked(operator, operands, node.start)
            return
        self.expression(node.right, not arithmetic)
        wraps = arithmetic and clean and not self.stays_inside(node)
        self.out.append(operation(operator, operands) + (narrow(operands) if wraps else ""))

    @property
    def checks_overflow(self) -> bool:
        """Whether a result beyond its type stops the scan; the standard's own units wrap always."""
        return self.code.mode.checks_overflow and not self.frame.unit.is_standard

    def _checked(self, operator: str, type_: Elementary, start: int) -> None:
        """An integer operation on the two values on the stack that must stay within its type."""
        held = value_type(type_)
        a, b, result = self.temporary("i64"), self.temporary("i64"), self.temporary("i64")
        widen = "" if held == "i64" else f"i64.extend_i32_{'s' if type_.is_signed else 'u'} "
        self.out.append(
            f"{widen}local.set {b} {widen}local.tee {a} local.get {b} i64.{_NAMES[operator]} local.set {result}"
        )
        if held == "i64":
            self.out.append(_overflows(operator, type_.is_signed).format(a=a, b=b, r=result))
        elif type_.is_signed:
            self.out.append(
                f"local.get {result} i64.const {type_.base.low} i64.lt_s "
                f"local.get {result} i64.const {type_.base.high} i64.gt_s i32.or"
            )
        else:
            self.out.append(f"local.get {result} i64.const {type_.base.high} i64.gt_u")
        self.fault_if(start, f"overflow of {type_.name}")
        self.out.append(f"local.get {result}" + ("" if held == "i64" else " i32.wrap_i64"))

    def _divide(self, node: typed.Binary) -> None:
        """Division: by zero is a fault, MOD by zero gives zero (table 29), the least by -1 wraps."""
        type_, operator = node.type, node.operator
        if type_.family == "duration" and node.right.type is LREAL:
            self.out.append("f64.convert_i64_s")
            self._real_divisor(node, LREAL)
            self.round(LREAL, type_, node.start)
            return
        if type_.family == "real":
            self._real_divisor(node, type_)
            return
        held = value_type(type_)
        sign = "s" if type_.is_signed else "u"
        known = node.right.value if isinstance(node.right, typed.Constant) else None
        if known is not None and held == "i32" and self._divide_by_known(node, int(known)):
            return
        self.expression(node.right)
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
        self.fault_if(node.start, "division by zero")
        if sign == "u" or type_.bits < 32:
            self.out.append(f"local.get {divisor} {held}.div_{sign}" + narrow(type_))
            return
        dividend = self.temporary(held)
        self.out.append(
            f"local.set {dividend} local.get {divisor} {held}.const -1 {held}.eq if (result {held}) "
            f"{held}.const 0 local.get {dividend} {held}.sub else local.get {dividend} local.get {divisor} "
            f"{held}.div_s end"
        )

    def _divide_by_known(self, node: typed.Binary, divisor: int) -> bool:
        """Divide the i32 on the stack by a known number with a multiplication, which takes a tenth of the time.

        n / d is n * m shifted right by p, with m the next integer above 2**p / d, where p is so large that the error
        stays below one for every n (Granlund and Montgomery, 1994). False where there is no such product in 64 bits.
        """
        type_, least, most = node.type, *self.interval(node.left)
        if divisor < 2 or divisor > type_.base.high:
            return False
        number, quotient = self.temporary("i32"), self.temporary("i32")
        is_power = divisor & (divisor - 1) == 0
        if is_power and least >= 0:
            work = (
                f"i32.const {divisor - 1} i32.and"
                if node.operator == "MOD"
                else f"i32.const {divisor.bit_length() - 1} i32.shr_u"
            )
            self.out.append(work)
            return True
        bits = max(most.bit_length(), (-least - 1).bit_length() if least < 0 else 0)
        power = bits + (divisor - 1).bit_length()
        factor = (1 << power) // divisor + 1
        if bits + factor.bit_length() > (63 if least < 0 else 64):
            return False
        sign = "s" if type_.is_signed else "u"
        self.out.append(
            f"local.tee {number} i64.extend_i32_{sign} i64.const {_as_signed(factor)} i64.mul "
            f"i64.const {power} i64.shr_{'s' if least < 0 else 'u'} i32.wrap_i64"
        )
        if least < 0:
            self.out.append(f"local.get {number} i32.const 31 i32.shr_s i32.sub")
        if node.operator == "MOD":
            self.out.append(
                f"local.set {quotient} local.get {number} local.get {quotient} i32.const {divisor} i32.mul i32.sub"
            )
        return True

    def _real_divisor(self, node: typed.Binary, type_: Elementary) -> None:
        held = value_type(type_)
        self.expression(node.right)
        if not isinstance(node.right, typed.Constant):
            divisor = self.temporary(held)
            self.out.append(f"local.tee {divisor} {held}.const 0 {held}.eq")
            self.fault_if(node.start, "division by zero")
            self.out.append(f"local.get {divisor}")
        self.out.append(f"{held}.div")

    def round(self, source: Elementary, target: Elementary, start: int, truncate: bool = False) -> None:
        """A real to the nearest integer, ties to even (6.6.2.5.1); beyond the target's range is a fault."""
        held = value_type(source)
        rounded = self.temporary(held)
        self.out.append(f"{held}.{'trunc' if truncate else 'nearest'} local.tee {rounded}")
        low, high = float(target.low), float(target.high + 1)
        self.out.append(
            f"{held}.const {low.hex()} {held}.ge local.get {rounded} {held}.const {high.hex()} {held}.lt "
            "i32.and i32.eqz"
        )
        self.fault_if(start, f"value out of the range of {target}")
        wide = value_type(target)
        sign = "s" if target.is_signed else "u"
        self.out.append(f"local.get {rounded} {wide}.trunc_sat_{held}_{sign}")

    def _call_function(self, node: typed.CallFunction, clean: bool) -> None:
        """The result stays on the stack; outputs go to their receivers.

        What is not elementary goes in and out by address; the caller makes room for it.
        """
        unit = node.function
        if unit.is_standard and not self.frame.unit.is_standard:
            site = self.code.site(self.frame.unit, node.origin.start, "")
            self.out.append(f"i32.const {site} global.set $caller")
        if node.instance is not None:
            self.push_address(node.instance)
        else:
            self.out.append(self.self_address(self.frame.offset))
        for pin, value in zip(unit.section("input"), node.inputs, strict=True):
            self._argument(pin, value, changes_others(self.code.over, unit))
        for pin, place in zip(unit.section("in_out"), node.shared, strict=True):
            self.push_address(place)
            if isinstance(pin.type, OpenArray) and isinstance(place.type, Array):
                about = f"i32.const {self.code.room(pin.type.size, 4)}"
                self.describe(place.type, about, 0)
                self.out.append(about)
        rooms: dict[typed.Variable, str] = {}
        for variable in results(unit):
            if not isinstance(variable.type, Elementary):
                rooms[variable] = self.code.room(size_of(variable.type), 8)
                self.out.append(f"i32.const {rooms[variable]}")
        if self.code.mode.trails:
            from upright_block.compiler.trails import calls

            calls(self, node)
        self.call(unit, self.code.dispatched(unit) if node.is_virtual else "")
        taken = dict(node.outputs)
        waiting: list[tuple[str, typed.Variable]] = []
        for variable in reversed(unit.section("output")):
            if isinstance(variable.type, Elementary):
                name = self.temporary(value_type(variable.type))
                self.out.append(f"local.set {name}")
                waiting.append((f"local.get {name}", variable))
            else:
                waiting.append((f"i32.const {rooms[variable]}", variable))
        if unit.result in rooms and unit.result is not None:
            self.out.append(f"i32.const {rooms[unit.result]}")
        for push, variable in reversed(waiting):
            if variable in taken:
                self.take(taken[variable], push, variable.type, negated=False)

    def _argument(self, pin: typed.Variable, value: typed.Expression, copies: bool) -> None:
        """An input of a function; one that is not elementary is copied if it might change or must be cut."""
        self.expression(value)
        type_ = pin.type
        if isinstance(type_, Elementary):
            return
        too_long = isinstance(type_, String) and isinstance(value.type, String) and value.type.capacity > type_.capacity
        if not copies and not too_long:
            return
        room = self.code.room(size_of(type_), 8)
        source = self.temporary("i32")
        capacity = f"i32.const {type_.capacity} " if isinstance(type_, String) else ""
        self.out.append(
            f"local.set {source} i32.const {room} {capacity}local.get {source} {copy_instructions(type_)} "
            f"i32.const {room}"
        )

    def call(self, unit: typed.Unit, name: str = "") -> None:
        """A call, with the loop budget handed over when the callee counts on it."""
        name = name or self.code.function(unit)
        self.calls += unit.cost
        if has_loops(self.code.over, unit):
            self.uses_budget = True
            self.out.append(f"local.get $budget global.set $budget call ${name} global.get $budget local.set $budget")
        else:
            self.out.append(f"call ${name}")

    def take(self, receiver: typed.Receiver, value: str, type_: Type, negated: bool) -> None:
        """Bring an output to its receiver, widened and negated as asked."""

        def push() -> None:
            self.out.append(value)
            if isinstance(type_, Elementary) and isinstance(receiver.type, Elementary):
                if negated:
                    held = value_type(type_)
                    is_bool = type_.family == "bool"
                    self.out.append("i32.eqz" if is_bool else f"{held}.const -1 {held}.xor{narrow(type_)}")
                if type_ is not receiver.type:
                    self.out.append(conversion(type_, receiver.type))

        if receiver.shift is None:
            self.write(receiver.place, push)
        else:
            assert isinstance(receiver.type, Elementary)
            self.write_part(receiver.place, receiver.type, receiver.shift, push)

    def shift_of(self, node: typed.Part | typed.AssignPart) -> str:
        """The shift of a part that the table of a rolled run has."""
        return f"local.get {self.row} i32.load offset={self.columns[node][0]}"

    def write_part(self, place: typed.Place, type_: Elementary, shift: int, value: Callable[[], None]) -> None:
        """Put what ``value`` pushes into some bits of the bit string at a place."""
        whole = place.type
        assert isinstance(whole, Elementary)
        held = value_type(whole)
        mask = (1 if type_.family == "bool" else (1 << type_.bits) - 1) << shift
        keep = ((1 << whole.bits) - 1) & ~mask
        made = self.temporary(held)
        wide = "i64.extend_i32_u " if held == "i64" and value_type(type_) == "i32" else ""
        shifted = f"{wide}{held}.const {shift} {held}.shl local.set {made}"
        merged = f"{held}.const {keep} {held}.and local.get {made} {held}.or"
        if self.is_local(place):
            value()
            self.out.append(shifted)
            self.read(place)
            self.out.append(f"{merged} local.set {self.local(place.root)}")
            self.frame.written.add(place.root)
            self.forget(place.root)
            return
        offset = self.address(place)
        pointer = self.temporary("i32")
        self.out.append(f"local.set {pointer}")
        value()
        load = store(whole).replace("store", "load") + ("" if whole.bits >= 32 else "_u")
        self.out.append(
            f"{shifted} local.get {pointer} local.get {pointer} {load} offset={offset} {merged} "
            f"{store(whole)} offset={offset}"
        )
        self.forget(place.root)
        self.written(pointer, offset, whole)

    def _call_standard(self, node: typed.CallStandard, clean: bool) -> None:
        emit = STANDARD_FUNCTIONS.get(node.name)
        if emit is not None:
            emit(self, node)
            return
        self.expression(node.inputs[0])
        source, target = node.inputs[0].type, node.type
        assert isinstance(source, Elementary)
        assert isinstance(target, Elementary)
        if source.family == "real" and is_integer(target):
            self.round(source, target, node.start, "_TRUNC_" in node.name)
        elif source.family == "date and time" and target.family in ("date", "time of day"):
            self._split_moment(target)
        else:
            self.out.append(conversion(source, target))

    def _split_moment(self, target: Elementary) -> None:
        """The date, or the time of day, of the moment on the stack; dates before 1970 are below zero."""
        moment, rest = self.temporary("i64"), self.temporary("i64")
        self.out.append(
            f"local.tee {moment} i64.const {_DAY} i64.rem_s local.tee {rest} i64.const {_DAY} i64.add "
            f"local.get {rest} local.get {rest} i64.const 0 i64.lt_s select local.set {rest}"
        )
        if target.family == "date":
            self.out.append(f"local.get {moment} local.get {rest} i64.sub")
        else:
            self.out.append(f"local.get {rest}")


_NAMES = {"+": "add", "-": "sub", "*": "mul"}


def _overflows(operator: str, is_signed: bool) -> str:
    """Whether the 64-bit operation a, b to r has left its type (Warren 2013, 2-13)."""
    if operator == "*":
        quotient = "local.get {r} local.get {a} i64.div_" + ("s" if is_signed else "u")
        least = (
            "local.get {a} i64.const -1 i64.eq if (result i32) local.get {b} i64.const -9223372036854775808 "
            "i64.eq else "
            if is_signed
            else ""
        )
        return (
            "local.get {a} i64.eqz if (result i32) i32.const 0 else "
            f"{least}{quotient} local.get {{b}} i64.ne end{' end' if is_signed else ''}"
        )
    if not is_signed:
        return "local.get {r} local.get {a} i64.lt_u" if operator == "+" else "local.get {a} local.get {b} i64.lt_u"
    other = "local.get {b} local.get {r} i64.xor" if operator == "+" else "local.get {a} local.get {b} i64.xor"
    return f"local.get {{a}} local.get {{r}} i64.xor {other} i64.and i64.const 0 i64.lt_s"


def results(unit: typed.Unit) -> list[typed.Variable]:
    """What a function gives: its result and its outputs."""
    return [*([unit.result] if unit.result else []), *unit.section("output")]


_EXPRESSIONS: dict[type, Callable[[ExpressionEmitter, Any, bool], None]] = {
    typed.Constant: ExpressionEmitter._constant,
    typed.ConstantUse: ExpressionEmitter._constant_use,
    typed.Load: ExpressionEmitter._load,
    typed.AddressOf: ExpressionEmitter._address_of,
    typed.Part: ExpressionEmitter._part,
    typed.InRange: ExpressionEmitter._in_range,
    typed.Convert: ExpressionEmitter._convert,
    typed.Unary: ExpressionEmitter._unary,
    typed.Binary: ExpressionEmitter._binary,
    typed.CallFunction: ExpressionEmitter._call_function,
    typed.CallStandard: ExpressionEmitter._call_standard,
}


def _as_signed(value: int) -> int:
    """A number of 64 bits as a constant is written."""
    return value - (1 << 64) if value >= 1 << 63 else value
