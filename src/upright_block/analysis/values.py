"""Values of expressions as terms, with all that evaluating them does."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from upright_block.analysis.cells import Cells
from upright_block.analysis.flow import Call, Indexed, Read
from upright_block.analysis.locations import Location, location_of, part_of
from upright_block.analysis.terms import Term, Terms
from upright_block.language import syntax, typed
from upright_block.language.field.copying import follows_references, used_globals
from upright_block.language.types import BOOL, Elementary, is_integer, is_real


class Values(Cells):
    """Evaluates expressions, and takes what calls give."""

    def value(self, node: typed.Expression) -> Term:
        """The value of an expression, with all that evaluating it does."""
        return _VALUE[type(node)](self, node)

    def _constant(self, node: typed.Constant) -> Term:
        return self.terms.constant(node.value, node.type)

    def _constant_use(self, node: typed.ConstantUse) -> Term:
        variable = node.variable
        self.flow.constants.add(variable)
        if variable.is_folded and isinstance(variable.initial, (bool, int, float, str)):
            return self.terms.constant(variable.initial, node.type)
        return self.terms.named(variable, node.type)

    def _load(self, node: typed.Load) -> Term:
        return self.read(node.place)

    def read(self, place: typed.Place) -> Term:
        """The value at a place."""
        self.reach(place)
        location, is_exact = location_of(place)
        if is_exact and not (place.steps and isinstance(place.steps[-1], typed.Bound)):
            return self._read(location, place.origin)
        self.see(location)
        term = self.terms.any(place.type)
        self.note_read(location, term, place.origin, is_old=False)
        return term

    def _read(self, location: Location, origin: syntax.Node) -> Term:
        """The value in a location."""
        self.see(location)
        term = self.term_of(location)
        self.note_read(location, term, origin, self.is_old(location, term))
        return term

    def note_read(self, location: Location, term: Term, origin: syntax.Node, is_old: bool) -> None:
        self.order += 1
        self.flow.reads.append(
            Read(location, term, self.condition, self.order, origin, is_old, self.statement, self.loops)
        )

    def reach(self, place: typed.Place) -> None:
        """What is evaluated to reach a place."""
        for number, step in enumerate(place.steps):
            if isinstance(step, typed.Element):
                for dimension, index in enumerate(step.indices):
                    term = self.value(index)
                    self.flow.indexed.append(Indexed(step.array, dimension, term, self.condition, place.origin, index))
            elif isinstance(step, typed.Target):
                location, _ = location_of(typed.Place(place.root, place.steps[:number], place.type, place.origin))
                self.see_all(lambda root: True)  # it may be any variable
                self.note_read(location, self.terms.any(BOOL), place.origin, is_old=False)

    def _address(self, node: typed.AddressOf) -> Term:
        self.hand_on(node.place)
        return self.terms.any(node.type)

    def hand_on(self, place: typed.Place) -> None:
        """Somebody else reads a place, and may write it."""
        self.reach(place)
        location, _ = location_of(place)
        self.see(location)
        self.note_read(location, self.terms.any(place.type), place.origin, is_old=False)
        self.wrote(location, self.terms.any(place.type), place.origin, None, is_weak=True)
        self.flow.writes[-1].is_seen = True
        self.open.pop(self.flow.writes[-1], None)

    def _part(self, node: typed.Part) -> Term:
        if isinstance(node.operand, typed.Load):
            place = node.operand.place
            location, is_exact = location_of(place)
            if is_exact:
                self.reach(place)
                return self._read(part_of(location, node.shift, node.type), place.origin)
        return self.terms.part(self.value(node.operand), node.shift, node.type)

    def _in_range(self, node: typed.InRange) -> Term:
        return self.value(node.operand)

    def _convert(self, node: typed.Convert) -> Term:
        operand = self.value(node.operand)
        inner = node.operand.type
        if isinstance(inner, Elementary) and operand.low is not None and operand.high is not None:
            if (
                is_integer(inner)
                and is_integer(node.type)
                and node.type.low <= operand.low
                and operand.high <= node.type.high
            ):
                return operand
            if operand.kind == "constant" and is_real(node.type):
                return self.terms.constant(float(operand.low), node.type)
        return self.terms.made("convert", node.type, (operand,))

    def _unary(self, node: typed.Unary) -> Term:
        operand = self.value(node.operand)
        if operand.is_bool and node.operator == "NOT":
            return self.terms.negation(operand)
        if node.operator == "-" and operand.low is not None and operand.high is not None:
            return self.terms.made("-", node.type, (operand,), -operand.high, -operand.low)
        return self.terms.made(node.operator, node.type, (operand,))

    def _binary(self, node: typed.Binary) -> Term:
        chain = [node]  # of a long chain of operators each is the left operand of the next
        while isinstance(chain[-1].left, typed.Binary):
            chain.append(chain[-1].left)
        a = self.value(chain[-1].left)
        for link in reversed(chain):
            b = self.value(link.right)
            if link.operator in BOUNDS and a.low is not None and b.low is not None and not a.is_real and not b.is_real:
                self.flow.results[id(link)] = BOUNDS[link.operator](a.low, a.high, b.low, b.high)
            a = self.binary(link.operator, a, b, link.type)
        return a

    def binary(self, operator: str, a: Term, b: Term, type_: Elementary) -> Term:
        """What an operator makes of two values."""
        terms = self.terms
        if a.is_bool and b.is_bool and operator in _LOGIC:
            return _LOGIC[operator](terms, a, b)
        if operator in _COMPARES:
            return _COMPARES[operator](terms, a, b)
        low = high = None
        if a.low is not None and b.low is not None and not a.is_real and not b.is_real and operator in BOUNDS:
            assert a.high is not None
            assert b.high is not None
            low, high = BOUNDS[operator](a.low, a.high, b.low, b.high)
            if low == high and a.kind == b.kind == "constant" and type_.low <= low <= type_.high:
                return terms.constant(low, type_)
        if operator in ("+", "*", "AND", "OR", "XOR") and id(a) > id(b):
            a, b = b, a
        return terms.made(operator, type_, (a, b), low, high)

    def _call_function(self, node: typed.CallFunction) -> Term:
        if node.instance is not None:
            self.reach(node.instance)
        inputs = [self.value(value) for value in node.inputs]
        for place in node.shared:
            self.hand_on(place)
        unit = node.function
        pins = [v for v in unit.variables.values() if v.section == "input"]
        given = dict(zip(pins, inputs, strict=False))
        location = location_of(node.instance)[0] if node.instance else None
        call = self.note_call(location, unit, node.origin, given, is_exact=True, is_virtual=node.is_virtual)
        if node.instance is not None:
            if node.instance.root.section == "this" or node.is_virtual:
                self.forget_all()
            elif location is not None:
                self.see(location)
                self.forget(location)
        self.touch_globals(unit)
        is_pure = node.instance is None and not node.outputs and not node.shared and not any(used_globals(unit))
        is_pure &= not unit.is_broken
        result = self.terms.made(("function", unit), node.type, inputs) if is_pure else self.terms.any(node.type)
        for variable, receiver in node.outputs:
            self.receive(receiver, self.terms.any(variable.type), call)
        return result

    def touch_globals(self, unit: typed.Unit) -> None:
        """What a unit that is called does to global variables."""
        read, written = used_globals(unit)
        for variable in read:
            self.see(variable)
        for variable in written:
            self.see(variable)
            self.forget(variable)
        if unit.is_broken or follows_references(unit):
            self.forget_all()

    def note_call(
        self,
        location: Location | None,
        unit: typed.Unit,
        origin: syntax.Node,
        inputs: dict[typed.Variable, Term],
        is_exact: bool,
        is_virtual: bool,
    ) -> Call:
        self.order += 1
        statement = self.statement
        is_made = statement is not None and syntax.is_made(statement.origin) and role_of(statement) != "enable"
        call = Call(
            location,
            unit,
            self.condition,
            self.order,
            origin,
            inputs,
            statement,
            self.loops,
            is_exact,
            is_made,
            is_virtual,
        )
        self.flow.calls.append(call)
        return call

    def _call_standard(self, node: typed.CallStandard) -> Term:
        inputs = [self.value(value) for value in node.inputs]
        if node.name == "SEL" and len(inputs) == 3 and inputs[0].is_bool:
            return self.terms.choice(inputs[0], inputs[2], inputs[1])
        return self.terms.made(("standard", node.name), node.type, inputs, *_bounds(node.name, inputs))

    def _bare(self, node: typed.Bare) -> Term:
        return self.value(node.build(node.default))

    def written_beyond(self, place: typed.Place) -> None:
        """What is written through a reference may be any variable."""
        if any(isinstance(step, typed.Target) for step in place.steps):
            self.forget_all()

    def write_part(
        self,
        place: typed.Place,
        shift: int,
        type_: Elementary,
        value: Term,
        written: typed.Expression | None,
        call: Call | None,
    ) -> None:
        """Bits of the word at a place get a value."""
        location, is_exact = location_of(place)
        if is_exact:
            self.wrote(part_of(location, shift, type_), value, place.origin, written, call=call)
        else:
            self.wrote(location, self.terms.any(place.type), place.origin, written, is_weak=True, call=call)

    def receive(self, receiver: typed.Receiver, value: Term, call: Call) -> None:
        """An output is taken."""
        place = receiver.place
        self.reach(place)
        if receiver.shift is not None:
            assert isinstance(receiver.type, Elementary)
            self.write_part(place, receiver.shift, receiver.type, value, None, call)
            return
        location, is_exact = location_of(place)
        self.wrote(location, value if is_exact else self.terms.any(place.type), place.origin, None, not is_exact, call)
        self.written_beyond(place)


def role_of(node: typed.Statement) -> str:
    return node.origin.role if isinstance(node.origin, syntax.Made) else ""


def _bounds(name: str, inputs: list[Term]) -> tuple[Any, ...]:
    """The least and the greatest result of a standard function, where they are known."""
    numbers = [(t.low, t.high) for t in inputs if t.low is not None and t.high is not None and not t.is_real]
    if len(numbers) < len(inputs) or not numbers:
        return None, None
    if name == "LIMIT" and len(numbers) == 3:
        least, value, most = (
            numbers  # as MIN(MAX(value, least), most), so that the upper end wins where they are crossed
        )
        return tuple(min(max(value[end], least[end]), most[end]) for end in (0, 1))
    if name in ("MIN", "MAX"):
        chosen = min if name == "MIN" else max
        return chosen(n[0] for n in numbers), chosen(n[1] for n in numbers)
    return None, None


_LOGIC: dict[str, Callable[[Terms, Term, Term], Term]] = {
    "AND": Terms.both,
    "OR": Terms.either,
    "XOR": Terms.unlike,
    "=": Terms.same,
    "<>": Terms.unlike,
}
_COMPARES: dict[str, Callable[[Terms, Term, Term], Term]] = {
    "=": Terms.same,
    "<>": lambda terms, a, b: terms.negation(terms.same(a, b)),
    "<": Terms.less,
    ">": lambda terms, a, b: terms.less(b, a),
    "<=": lambda terms, a, b: _at_most(terms, a, b),
    ">=": lambda terms, a, b: _at_most(terms, b, a),
}


def _at_most(terms: Terms, a: Term, b: Term) -> Term:
    """``a <= b``; of numbers that may be none it is not the opposite of ``b < a``."""
    if not a.is_real and not b.is_real:
        return terms.negation(terms.less(b, a))
    for one, other, below in ((b, a, True), (a, b, False)):
        if one.kind == "constant" and one.low is not None and one.high is not None and other.low is not None:
            return terms.within(other, ((float("-inf"), one.low),) if below else ((one.high, float("inf")),))
    return terms.either(terms.less(a, b), terms.same(a, b))


def _product(a: int, b: int, c: int, d: int) -> tuple[int, int]:
    ends = (a * c, a * d, b * c, b * d)
    return min(ends), max(ends)


def _most_left(c: int, d: int) -> int:
    """The greatest remainder of a division by something between two numbers; by zero it is zero."""
    return max(abs(c) - 1, abs(d) - 1, 0)


BOUNDS: dict[str, Callable[[Any, Any, Any, Any], tuple[Any, Any]]] = {
    "+": lambda a, b, c, d: (a + c, b + d),
    "-": lambda a, b, c, d: (a - d, b - c),
    "*": _product,
    "MOD": lambda a, b, c, d: (0 if a >= 0 else -_most_left(c, d), _most_left(c, d)),
}

_VALUE: dict[type, Callable[[Values, Any], Term]] = {
    typed.Constant: Values._constant,
    typed.ConstantUse: Values._constant_use,
    typed.Load: Values._load,
    typed.AddressOf: Values._address,
    typed.Part: Values._part,
    typed.InRange: Values._in_range,
    typed.Convert: Values._convert,
    typed.Unary: Values._unary,
    typed.Binary: Values._binary,
    typed.CallFunction: Values._call_function,
    typed.CallStandard: Values._call_standard,
    typed.Bare: Values._bare,
}
