"""Expressions as contacts, branches and boxes."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager

from upright_block.language import syntax, typed
from upright_block.language.limits import MOST_NESTED
from upright_block.language.nodes import replaced
from upright_block.language.parsing.ladder import is_word
from upright_block.language.printing import expression_text
from upright_block.language.rungs.parts import Beside, Box, Circuit, Contact, Pin, Result, Row
from upright_block.language.types import BOOL, Type
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


class Unsayable(Exception):
    """A ladder has no elements for this."""


class Circuits:
    """Makes circuits of the expressions of a unit."""

    def __init__(self, unit: typed.Unit | None = None) -> None:
        self.variables = unit.variables if unit is not None else {}
        self.depth = 0
        self.meant: dict[tuple[int, type], typed.Statement] = {}
        self.types: dict[int, Type] = {}
        for statement in every_statement((unit.body if unit is not None else None) or ()):
            self.meant.setdefault((statement.origin.start, type(statement)), statement)
            for access in accesses(statement):
                if access.kind == "read" and access.place is not None:
                    self.types[access.place.origin.start] = access.place.type

    def pin_value(self, value: syntax.Expression, is_rail: bool) -> str | Circuit:
        text = expression_text(value)
        if is_word(text):
            return text
        if not is_rail and may_fault(value):
            raise Unsayable
        return self.value(value, is_rail)

    def guarded(self, value: syntax.Expression) -> Circuit:
        """A circuit that leads to a pin of a box with EN: it is evaluated also where EN is FALSE."""
        if may_fault(value):
            raise Unsayable
        return self.circuit(value)

    def value(self, node: syntax.Expression, is_rail: bool) -> str | Circuit:
        """What stands or leads at a pin."""
        text = expression_text(node)
        if is_word(text):
            return text
        if self.is_bool(node) and not isinstance(node, syntax.Call):
            return self.circuit(node) if is_rail else self.guarded(node)
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
                    raise Unsayable
                return self._function(name, [(argument.name, argument.value) for argument in arguments], node, is_rail)
        raise Unsayable

    def _function(
        self, name: str, given: Sequence[tuple[str, syntax.Expression]], node: syntax.Expression, is_rail: bool
    ) -> Box:
        if all(_is_bare(value) for _, value in given):
            raise Unsayable  # what stands around it decides its type
        return Box(
            name, "", tuple(Pin(pin, self.pin_value(value, is_rail)) for pin, value in given), (Result(""),), node.start
        )

    @contextmanager
    def _deeper(self) -> Iterator[None]:
        """A level deeper in an expression, or in ELSIF; a box of statements says what lies too deep."""
        if self.depth >= MOST_NESTED:
            raise Unsayable
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
                return _in_row(parts, node.start) if (operator == "AND") != negated else Beside(flat(parts, Beside))
            case syntax.Binary(operator="XOR", left=left, right=right):
                pins = tuple(Pin("", self.circuit(part)) for part in (left, right))
                return Box("XOR", "", pins, (Result("", "", negated, node.operator_start),), node.operator_start)
            case syntax.Binary(operator=operator, left=left, right=right) if operator in _COMPARED:
                return self._comparison(node, negated)
            case syntax.Call():
                box = self.value(node, is_rail=True)
                if not isinstance(box, Box):
                    raise Unsayable
                return replaced(box, outputs=(Result("", "", negated, node.start),))
            case syntax.Literal(kind="bool", text=text):
                is_true = (text.upper() == "TRUE") != negated
                return Contact(" ", "TRUE" if is_true else "FALSE", node.start)
        if not is_operand(node):
            raise Unsayable
        return Contact("/" if negated else " ", word_of(node), node.start)

    def _comparison(self, node: syntax.Binary, negated: bool) -> Circuit:
        sign = _INVERSE.get(node.operator, "") if negated else node.operator
        if sign and all(is_word(expression_text(part)) for part in (node.left, node.right)):
            return replaced(self.compared(sign, node.left, node.right), origin=node.operator_start)
        name = _FUNCTIONS[node.operator]
        box = self._function(name, [("", node.left), ("", node.right)], node, is_rail=True)
        return replaced(box, outputs=(Result("", "", negated, node.operator_start),))

    @staticmethod
    def compared(sign: str, left: syntax.Expression, right: syntax.Expression) -> Contact:
        return Contact(sign, word_of(left), right.start, word_of(right))

    def is_bool(self, node: syntax.Expression) -> bool:
        """Whether an expression is a BOOL."""
        match node:
            case syntax.Literal(kind="bool"):
                return True
            case syntax.Unary(operator="NOT", operand=operand):
                return self.is_bool(operand)
            case syntax.Binary(operator=operator) if operator in _COMPARED:
                return True
            case syntax.Binary(operator=operator):
                return operator in ("AND", "OR", "XOR") and any(map(self.is_bool, _chained(node, operator)))
            case syntax.Part(size=size):
                return size == "X"
            case syntax.Name(name=name) if node.start not in self.types and name.upper() in self.variables:
                return self.variables[name.upper()].type is BOOL
        return self.types.get(node.start) is BOOL and is_operand(node)


def _chained(node: syntax.Expression, operator: str) -> list[syntax.Expression]:
    """The operands of a chain of one operator, in their order."""
    found: list[syntax.Expression] = []
    while isinstance(node, syntax.Binary) and node.operator == operator:
        found.append(node.right)
        node = node.left
    return [node, *reversed(found)]


def flat(parts: Sequence[Circuit], kind: type[Row] | type[Beside]) -> tuple[Circuit, ...]:
    """Parts without those of the same kind around others."""
    return tuple(inner for part in parts for inner in (part.parts if isinstance(part, kind) else (part,)))


def _in_row(parts: Sequence[Circuit], origin: int) -> Circuit:
    """Parts behind each other. A box has to stand at the rail; of several one more takes what they give."""
    boxes = [part for part in parts if has_box(part)]
    others = [part for part in parts if not has_box(part)]
    if len(boxes) > 1:
        boxes = [Box("AND", "", tuple(Pin("", part) for part in boxes), (Result(""),), origin)]
    return Row((*flat(boxes, Row), *flat(others, Row)))


def has_box(circuit: Circuit) -> bool:
    match circuit:
        case Box():
            return True
        case Row(parts=parts) | Beside(parts=parts):
            return any(map(has_box, parts))
    return False


def may_fault(node: syntax.Expression) -> bool:
    """Whether a scan might stop where an expression is computed, or something else happens there."""
    for part in syntax.within(node):
        if isinstance(part, (syntax.Call, syntax.Dereference)):
            return True
        if isinstance(part, syntax.Binary) and part.operator in _FAULTS:
            return True
        if isinstance(part, syntax.Index) and not all(isinstance(i, syntax.Literal) for i in part.indices):
            return True
    return False


def is_operand(node: syntax.Node) -> bool:
    places = (syntax.Name, syntax.Member, syntax.Index, syntax.Part, syntax.DirectAddress, syntax.Dereference)
    return isinstance(node, places)


def _is_bare(node: syntax.Expression) -> bool:
    """Whether an expression is made of literals alone."""
    return not any(is_operand(part) or isinstance(part, syntax.Call) for part in syntax.within(node))


def word_of(node: syntax.Expression) -> str:
    """An operand as it stands in a rung.

    Raises:
        Unsayable: it is no word.
    """
    text = expression_text(node).replace(", ", ",")
    if not is_word(text):
        raise Unsayable
    return text
