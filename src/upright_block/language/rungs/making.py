"""Statements as rungs: conditions as contacts, calls and calculations as boxes, the rest as boxes of statements.

Conditions are joined in line only where the inner one cannot fault, since every contact is evaluated.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from upright_block.language import syntax, typed
from upright_block.language.limits import MOST_NESTED
from upright_block.language.nodes import record, replaced
from upright_block.language.parsing.ladder import is_word
from upright_block.language.printing import body_lines, expression_text
from upright_block.language.rungs.folding import Folder
from upright_block.language.rungs.parts import (
    WIRE,
    Beside,
    Box,
    Circuit,
    Coil,
    Contact,
    End,
    Leave,
    Net,
    Pin,
    Result,
    Row,
    Through,
)
from upright_block.language.types import BOOL, Elementary, Type
from upright_block.language.walking import accesses, every_statement

_INVERSE = {"=": "<>", "<>": "="}
_COMPARED = ("=", "<>", "<", ">", "<=", ">=")
_FUNCTIONS = {
    "+": "ADD",
    "-": "SUB",
    "*": "MUL",
    "/": "DIV",
    "MOD": "MOD",
    "**": "EXPT",
    "AND": "AND",
    "OR": "OR",
    "XOR": "XOR",
    "=": "EQ",
    "<>": "NE",
    "<": "LT",
    ">": "GT",
    "<=": "LE",
    ">=": "GE",
}
_FAULTS = ("/", "MOD", "**")


class _Unsayable(Exception):
    """A ladder has no elements for this."""


@record
class Drawn:
    """A rung, and from where to where in the source the statements stand that it is made of."""

    end: End
    start: int
    stop: int


@record
class Copy:
    """A variable that a ladder needs besides those that are declared."""

    name: str
    type: str
    comment: str


def rungs_of(
    unit: typed.Unit, body: Sequence[syntax.Statement], notes: Sequence[int] = (), *, folds: bool = False
) -> tuple[list[Drawn], list[Copy]]:
    """The rungs that the statements of a body of a unit are, and the variables that they need besides. A block that is
    called leads on to what asks for its output next, where none of the ``notes`` stands between. With ``folds`` a rung
    that is too wide is carried on in the next one.
    """
    maker = _Maker(unit)
    found: list[Drawn] = []
    for each in body:
        for drawn in maker.rungs(each):
            before = found[-1] if found else None
            led = maker.led(before, drawn) if before is not None and not _is_between(before, drawn, notes) else None
            if led is not None:
                found.pop()
            found.append(led or drawn)
    if folds:
        folder = Folder(maker.carrier)
        found = [replaced(drawn, end=end) for drawn in found for end in folder.folded(drawn.end)]
    return found, maker.copies


def _is_between(before: Drawn, after: Drawn, notes: Sequence[int]) -> bool:
    """Whether a comment stands between the statements of two rungs."""
    number = bisect_left(notes, before.stop)
    return number < len(notes) and notes[number] < after.start


def condition_of(node: syntax.Expression) -> End | None:
    """The rung that is the condition of a transition; None where a ladder cannot say it."""
    try:
        circuit = _Maker().circuit(node)
    except _Unsayable:
        return None
    return None if _has_box(circuit) else Net(circuit, (Through(),))


class _Maker:
    """Makes rungs of the statements of a unit."""

    def __init__(self, unit: typed.Unit | None = None) -> None:
        self.variables = unit.variables if unit is not None else {}
        self.suffix = f"_{unit.name}" if unit is not None and unit.base is not None else ""
        self.has_methods = unit is not None and bool(unit.methods or unit.owner)
        self.depth = 0
        self.copies: list[Copy] = []
        self.meant: dict[tuple[int, type], typed.Statement] = {}
        self.types: dict[int, Type] = {}
        self.blocks: dict[int, typed.Unit] = {}
        for statement in every_statement((unit.body if unit is not None else None) or ()):
            self.meant.setdefault((statement.origin.start, type(statement)), statement)
            for access in accesses(statement):
                if access.kind == "read" and access.place is not None:
                    self.types[access.place.origin.start] = access.place.type

    # --- rungs ---

    def rungs(self, node: syntax.Statement) -> list[Drawn]:
        """The rungs of a statement."""
        try:
            if isinstance(node, syntax.Case):
                return self._case(node, is_rail=True)
            return [Drawn(self._sayable(node, is_rail=True, is_last=True), node.start, node.end)]
        except _Unsayable:
            return [Drawn(self._statements(node), node.start, node.end)]

    def led(self, before: Drawn, after: Drawn) -> Drawn | None:
        """Two rungs as one, where a link from a block leads on to what reads it first in the other; None where it does
        not.
        """
        box = before.end
        if not isinstance(box, Box) or not box.instance:
            return None
        block = self.blocks.get(box.origin)
        pins = [pin for pin in block.section("output") if pin.type is BOOL] if block is not None else []
        for pin in pins:
            is_taken = any(result.name == pin.name for result in box.outputs)
            led = None if is_taken else _led(after.end, f"{box.instance}.{pin.name}".upper(), box, pin.name)
            if led is not None:
                return Drawn(led, before.start, after.stop)
        return None

    def _ends(self, body: Sequence[syntax.Statement], *, is_last: bool) -> list[End]:
        """What acts where a link conducts."""
        found: list[End] = []
        for number, node in enumerate(body):
            try:
                if isinstance(node, syntax.Case):
                    found += [drawn.end for drawn in self._case(node, is_rail=False)]
                    continue
                found.append(self._sayable(node, is_rail=False, is_last=is_last and number == len(body) - 1))
            except _Unsayable:
                found.append(self._statements(node))
        return found

    @staticmethod
    def _statements(node: syntax.Statement) -> Box:
        return Box("ST", "", (Pin("", WIRE),), (), node.start, tuple(body_lines((node,))))

    def _sayable(self, node: syntax.Statement, *, is_rail: bool, is_last: bool) -> End:
        match node:
            case syntax.Assignment():
                return self._assignment(node, is_rail)
            case syntax.CallStatement(call=call):
                return self._call(node, call, is_rail)
            case syntax.If():
                with self._deeper():
                    return self._if(node, is_rail, is_last)
            case syntax.Return() if is_last:
                return Leave(node.start)
        raise _Unsayable

    # --- IF and CASE ---

    def _if(self, node: syntax.If, is_rail: bool, is_last: bool) -> End:
        first, *others = node.branches
        rest: Sequence[syntax.Statement] = node.otherwise or ()
        if others:
            rest = [syntax.If(others[0].start, node.end, tuple(others), node.otherwise)]
        ends = self._ends(first.body, is_last=is_last and not rest)
        otherwise = self._ends(rest, is_last=False)
        if not ends and not otherwise:
            raise _Unsayable
        circuit = self._condition(first.condition, is_rail, negated=not ends)
        return Net(circuit, tuple(ends), tuple(otherwise)) if ends else Net(circuit, tuple(otherwise))

    def _condition(self, node: syntax.Expression, is_rail: bool, *, negated: bool = False) -> Circuit:
        circuit = self.circuit(node, negated)
        if not is_rail and (_has_box(circuit) or _may_fault(node)):
            raise _Unsayable
        return circuit

    def _case(self, node: syntax.Case, is_rail: bool) -> list[Drawn]:
        """The arms of a CASE, each a rung of its own; a selector that they change is copied before."""
        if not is_rail and _may_fault(node.selector):
            raise _Unsayable
        known = len(self.copies)
        try:
            before, selector = self._selector(node, is_rail)
            found = [Drawn(before, node.start, node.selector.end)] if before is not None else []
            for arm in node.arms:
                labels = [self._label(selector, label) for label in arm.labels]
                circuit = labels[0] if len(labels) == 1 else Beside(tuple(labels))
                found += self._arm(circuit, arm.body, arm.start)
            outside = [self._label(selector, label, negated=True) for arm in node.arms for label in arm.labels]
            found += self._arm(Row(_flat(outside, Row)), node.otherwise or (), node.end)
            if not found[before is not None :]:
                raise _Unsayable
        except _Unsayable:
            del self.copies[known:]
            raise
        return found

    def _arm(self, circuit: Circuit, body: Sequence[syntax.Statement], start: int) -> Iterator[Drawn]:
        ends = self._ends(body, is_last=False)
        if ends:
            yield Drawn(Net(circuit, tuple(ends)), min(start, body[0].start), body[-1].end)

    def _selector(self, node: syntax.Case, is_rail: bool) -> tuple[End | None, syntax.Expression]:
        """What copies a selector before, if need be, and what is compared."""
        if is_word(expression_text(node.selector)) and not self._changes(node):
            return None, node.selector
        meant = self.meant.get((node.start, typed.Case))
        if not isinstance(meant, typed.Case) or not isinstance(meant.selector.type, Elementary):
            raise _Unsayable
        type_ = meant.selector.type
        if not type_.name.isidentifier():
            raise _Unsayable
        leaf = re.search(r"[A-Za-z]\w*\W*$", expression_text(node.selector))
        name = self._new_name(re.sub(r"\W", "", leaf[0] if leaf else "chosen") + "_now")
        self.copies.append(Copy(name, type_.name, f"{expression_text(node.selector)}, as it was"))
        place = node.selector
        target = syntax.Name(place.start, place.end, name)
        return self._stored(node.selector, target, place.start, is_rail), target

    def carrier(self) -> str:
        """The name of a variable that carries a link on."""
        name = self._new_name("carried")
        self.copies.append(Copy(name, "BOOL", "a link that goes on in another rung"))
        return name

    def _new_name(self, name: str) -> str:
        known = {*self.variables, *(copy.name.upper() for copy in self.copies)}
        name += self.suffix
        found, number = name, 1
        while found.upper() in known:
            number += 1
            found = f"{name}{number}"
        return found

    def _changes(self, node: syntax.Case) -> bool:
        """Whether the arms of a CASE might change its selector."""
        root = _root(node.selector)
        own = self.variables.get(root)
        is_shared = own is None or own.section in ("in_out", "external", "global")
        for part in syntax.within((node.arms, node.otherwise or ())):
            if isinstance(part, syntax.Assignment) and _root(part.target) in (root, ""):
                return True
            if isinstance(part, syntax.For) and _root(part.variable) == root:
                return True
            if isinstance(part, syntax.Call):
                given = [argument.value for argument in part.arguments if _is_operand(argument.value)]
                is_own = self.has_methods and _root(part.callee) not in self.variables
                if is_shared or is_own or any(_root(value) in (root, "") for value in (part.callee, *given)):
                    return True
        return False

    def _label(self, selector: syntax.Expression, label: syntax.Label, *, negated: bool = False) -> Circuit:
        if label.high is None:
            return self._compared("<>" if negated else "=", selector, label.low)
        low, high = ("<", ">") if negated else (">=", "<=")
        parts = self._compared(low, selector, label.low), self._compared(high, selector, label.high)
        return Beside(parts) if negated else Row(parts)

    # --- assignments ---

    def _assignment(self, node: syntax.Assignment, is_rail: bool) -> End:
        target = _word(node.target)
        if not self._is_bool_target(node):
            return self._stored(node.value, node.target, node.start, is_rail)
        value = node.value
        if is_rail and isinstance(value, syntax.Unary) and isinstance(value.operand, syntax.Binary):
            return Net(self.circuit(value.operand), (Coil("/", target, node.target.start),))
        if is_rail:
            return Net(self.circuit(value), (Coil(" ", target, node.target.start),))
        if isinstance(value, syntax.Literal) and value.kind == "bool":
            return Coil("S" if value.text.upper() == "TRUE" else "R", target, node.target.start)
        return self._stored(value, node.target, node.start, is_rail)

    def _is_bool_target(self, node: syntax.Assignment) -> bool:
        for kind in (typed.Assign, typed.AssignPart):
            meant = self.meant.get((node.start, kind))
            if isinstance(meant, typed.Assign):
                return meant.place.type is BOOL
            if isinstance(meant, typed.AssignPart):
                return meant.type is BOOL
        raise _Unsayable

    def _stored(self, value: syntax.Expression, target: syntax.Expression, origin: int, is_rail: bool) -> Box:
        """A box that stores a value where the link that leads to it conducts, at the rail without one."""
        word = _word(target)
        if not is_rail and self._is_bool(value) and not _is_operand(value):
            found = Box("MOVE", "", (Pin("IN", self._guarded(value)),), (), origin)
        elif is_word(expression_text(value)):
            found = Box("MOVE", "", (Pin("IN", expression_text(value)),), (), origin)
        else:
            made = self._value(value, is_rail)
            if not isinstance(made, Box):
                raise _Unsayable
            found = replaced(made, origin=origin, outputs=())
        enable = () if is_rail else (Pin("EN", WIRE),)
        result = Result("OUT" if found.name == "MOVE" else "", word)
        return replaced(found, inputs=(*enable, *found.inputs), outputs=(result,))

    def _guarded(self, value: syntax.Expression) -> Circuit:
        """A circuit that leads to a pin of a box with EN: it is evaluated also where EN is FALSE."""
        if _may_fault(value):
            raise _Unsayable
        return self.circuit(value)

    # --- calls ---

    def _call(self, node: syntax.CallStatement, call: syntax.Call, is_rail: bool) -> End:
        meant = self.meant.get((node.start, typed.CallInstance))
        if not isinstance(meant, typed.CallInstance) or meant.is_virtual:
            raise _Unsayable
        inputs, outputs = list[Pin](), list[Result]()
        for name, argument in self._named(call, meant.block):
            variable = meant.block.variables.get(name.upper())
            if variable is None:
                raise _Unsayable
            if argument.output:
                outputs.append(Result(variable.name, _word(argument.value), argument.negated))
            elif variable.section == "input" and variable.type is BOOL:
                inputs.append(self._bool_pin(variable.name, argument.value, is_rail))
            elif variable.section == "in_out":
                inputs.append(Pin(variable.name, _word(argument.value)))
            else:
                inputs.append(Pin(variable.name, self._pin_value(argument.value, is_rail)))
        self.blocks[node.start] = meant.block
        if not is_rail:
            inputs.insert(0, Pin("EN", WIRE))
        return Box(meant.block.name, _word(call.callee), tuple(inputs), tuple(outputs), node.start)

    @staticmethod
    def _named(call: syntax.Call, block: typed.Unit) -> Iterator[tuple[str, syntax.Argument]]:
        pins = block.positional
        for number, argument in enumerate(call.arguments):
            name = argument.name or (pins[number].name if number < len(pins) else "")
            if not argument.name and number < len(pins) and pins[number].section == "output":
                argument = replaced(argument, output=True)
            yield name, argument

    def _bool_pin(self, name: str, value: syntax.Expression, is_rail: bool) -> Pin:
        if isinstance(value, syntax.Literal):
            if value.text.upper() == "TRUE" and is_rail:
                return Pin(name, WIRE)
            return Pin(name, _word(value))
        if not is_rail and _is_operand(value) and _may_fault(value):
            return Pin(name, _word(value))  # which is read only where EN is TRUE
        return Pin(name, self.circuit(value) if is_rail else self._guarded(value))

    def _pin_value(self, value: syntax.Expression, is_rail: bool) -> str | Circuit:
        text = expression_text(value)
        if is_word(text):
            return text
        if not is_rail and _may_fault(value):
            raise _Unsayable
        return self._value(value, is_rail)

    # --- values that are no links ---

    def _value(self, node: syntax.Expression, is_rail: bool) -> str | Circuit:
        """What stands or leads at a pin."""
        text = expression_text(node)
        if is_word(text):
            return text
        if self._is_bool(node) and not isinstance(node, syntax.Call):
            return self.circuit(node) if is_rail else self._guarded(node)
        with self._deeper():
            return self._operation(node, is_rail)

    def _operation(self, node: syntax.Expression, is_rail: bool) -> Box:
        match node:
            case syntax.Binary(operator=operator, left=left, right=right) if operator in _FUNCTIONS:
                return self._function(_FUNCTIONS[operator], [("", left), ("", right)], node, is_rail)
            case syntax.Unary(operator="NOT", operand=operand):
                return self._function("NOT", [("", operand)], node, is_rail)
            case syntax.Call(callee=syntax.Name(name=name), arguments=arguments):
                if any(argument.output or argument.name.upper() == "EN" for argument in arguments):
                    raise _Unsayable
                return self._function(name, [(argument.name, argument.value) for argument in arguments], node, is_rail)
        raise _Unsayable

    def _function(
        self, name: str, given: Sequence[tuple[str, syntax.Expression]], node: syntax.Expression, is_rail: bool
    ) -> Box:
        if all(_is_bare(value) for _, value in given):
            raise _Unsayable  # what stands around it decides its type
        return Box(
            name,
            "",
            tuple(Pin(pin, self._pin_value(value, is_rail)) for pin, value in given),
            (Result(""),),
            node.start,
        )

    @contextmanager
    def _deeper(self) -> Iterator[None]:
        """A level deeper in an expression, or in ELSIF; a box of statements says what lies too deep."""
        if self.depth >= MOST_NESTED:
            raise _Unsayable
        self.depth += 1
        try:
            yield
        finally:
            self.depth -= 1

    # --- circuits ---

    def circuit(self, node: syntax.Expression, negated: bool = False) -> Circuit:
        """What conducts where an expression is TRUE, or with ``negated`` where it is not."""
        with self._deeper():
            return self._circuit(node, negated)

    def _circuit(self, node: syntax.Expression, negated: bool) -> Circuit:
        match node:
            case syntax.Unary(operator="NOT", operand=operand):
                return self.circuit(operand, not negated)
            case syntax.Binary(operator="AND" | "OR" as operator):
                parts = [self.circuit(part, negated) for part in _chained(node, operator)]
                return _in_row(parts, node.start) if (operator == "AND") != negated else Beside(_flat(parts, Beside))
            case syntax.Binary(operator="XOR", left=left, right=right):
                pins = tuple(Pin("", self.circuit(part)) for part in (left, right))
                return Box("XOR", "", pins, (Result("", "", negated, node.operator_start),), node.operator_start)
            case syntax.Binary(operator=operator, left=left, right=right) if operator in _COMPARED:
                return self._comparison(node, negated)
            case syntax.Call():
                box = self._value(node, is_rail=True)
                if not isinstance(box, Box):
                    raise _Unsayable
                return replaced(box, outputs=(Result("", "", negated, node.start),))
            case syntax.Literal(kind="bool", text=text):
                is_true = (text.upper() == "TRUE") != negated
                return Contact(" ", "TRUE" if is_true else "FALSE", node.start)
        if not _is_operand(node):
            raise _Unsayable
        return Contact("/" if negated else " ", _word(node), node.start)

    def _comparison(self, node: syntax.Binary, negated: bool) -> Circuit:
        sign = _INVERSE.get(node.operator, "") if negated else node.operator
        if sign and all(is_word(expression_text(part)) for part in (node.left, node.right)):
            return replaced(self._compared(sign, node.left, node.right), origin=node.operator_start)
        name = _FUNCTIONS[node.operator]
        box = self._function(name, [("", node.left), ("", node.right)], node, is_rail=True)
        return replaced(box, outputs=(Result("", "", negated, node.operator_start),))

    @staticmethod
    def _compared(sign: str, left: syntax.Expression, right: syntax.Expression) -> Contact:
        return Contact(sign, _word(left), right.start, _word(right))

    def _is_bool(self, node: syntax.Expression) -> bool:
        """Whether an expression is a BOOL."""
        match node:
            case syntax.Literal(kind="bool"):
                return True
            case syntax.Unary(operator="NOT", operand=operand):
                return self._is_bool(operand)
            case syntax.Binary(operator=operator) if operator in _COMPARED:
                return True
            case syntax.Binary(operator=operator):
                return operator in ("AND", "OR", "XOR") and any(map(self._is_bool, _chained(node, operator)))
            case syntax.Part(size=size):
                return size == "X"
            case syntax.Name(name=name) if node.start not in self.types and name.upper() in self.variables:
                return self.variables[name.upper()].type is BOOL
        return self.types.get(node.start) is BOOL and _is_operand(node)


def _chained(node: syntax.Expression, operator: str) -> list[syntax.Expression]:
    """The operands of a chain of one operator, in their order."""
    found: list[syntax.Expression] = []
    while isinstance(node, syntax.Binary) and node.operator == operator:
        found.append(node.right)
        node = node.left
    return [node, *reversed(found)]


def _flat(parts: Sequence[Circuit], kind: type[Row] | type[Beside]) -> tuple[Circuit, ...]:
    """Parts without those of the same kind around others."""
    return tuple(inner for part in parts for inner in (part.parts if isinstance(part, kind) else (part,)))


def _in_row(parts: Sequence[Circuit], origin: int) -> Circuit:
    """Parts behind each other. A box has to stand at the rail; of several one more takes what they give."""
    boxes = [part for part in parts if _has_box(part)]
    others = [part for part in parts if not _has_box(part)]
    if len(boxes) > 1:
        boxes = [Box("AND", "", tuple(Pin("", part) for part in boxes), (Result(""),), origin)]
    return Row((*_flat(boxes, Row), *_flat(others, Row)))


def _led(part: End | Circuit, word: str, box: Box, pin: str) -> Any:
    """A part with a box in place of the contact that comes first in it; None where that is another."""
    match part:
        case Contact(sign=" ", operand=operand) if operand.upper() == word:
            return replaced(box, outputs=(Result(pin, origin=part.origin), *box.outputs))
        case Row(parts=parts) | Beside(parts=parts) if parts:
            first = _led(parts[0], word, box, pin)
            return first and replaced(part, parts=(first, *parts[1:]))
        case Box(inputs=inputs) if inputs and not isinstance(inputs[0].feed, str):
            first = _led(inputs[0].feed, word, box, pin)
            return first and replaced(part, inputs=(replaced(inputs[0], feed=first), *inputs[1:]))
        case Net(circuit=circuit):
            first = _led(circuit, word, box, pin)
            return first and replaced(part, circuit=first)
    return None


def _has_box(circuit: Circuit) -> bool:
    match circuit:
        case Box():
            return True
        case Row(parts=parts) | Beside(parts=parts):
            return any(map(_has_box, parts))
    return False


def _may_fault(node: syntax.Expression) -> bool:
    """Whether a scan might stop where an expression is computed, or something else happens there."""
    for part in syntax.within(node):
        if isinstance(part, (syntax.Call, syntax.Dereference)):
            return True
        if isinstance(part, syntax.Binary) and part.operator in _FAULTS:
            return True
        if isinstance(part, syntax.Index) and not all(isinstance(i, syntax.Literal) for i in part.indices):
            return True
    return False


def _is_operand(node: syntax.Node) -> bool:
    places = (syntax.Name, syntax.Member, syntax.Index, syntax.Part, syntax.DirectAddress, syntax.Dereference)
    return isinstance(node, places)


def _is_bare(node: syntax.Expression) -> bool:
    """Whether an expression is made of literals alone."""
    return not any(_is_operand(part) or isinstance(part, syntax.Call) for part in syntax.within(node))


def _word(node: syntax.Expression) -> str:
    """An operand as it stands in a rung.

    Raises:
        _Unsayable: it is no word.
    """
    text = expression_text(node).replace(", ", ",")
    if not is_word(text):
        raise _Unsayable
    return text


def _root(node: syntax.Expression) -> str:
    """The variable that a path begins at, in upper case; empty where it is reached in another way."""
    while isinstance(node, (syntax.Member, syntax.Index, syntax.Part)):
        node = node.base
    return node.name.upper() if isinstance(node, syntax.Name) else ""
