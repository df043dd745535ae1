"""Statements as rungs: conditions as contacts, calls and calculations as boxes, the rest as boxes of statements.

Conditions are joined in line only where the inner one cannot fault, since every contact is evaluated.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Iterator, Sequence
from typing import Any

from upright_block.language import syntax, typed
from upright_block.language.nodes import record, replaced
from upright_block.language.parsing.ladder import is_word
from upright_block.language.printing import body_lines, expression_text
from upright_block.language.rungs.circuits import Circuits, Unsayable, flat, has_box, is_operand, may_fault, word_of
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
from upright_block.language.types import BOOL, Elementary


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


def condition_of(node: syntax.Expression) -> End | None:
    """The rung that is the condition of a transition; None where a ladder cannot say it."""
    try:
        circuit = Circuits().circuit(node)
    except Unsayable:
        return None
    return None if has_box(circuit) else Net(circuit, (Through(),))


class Maker(Circuits):
    """Makes rungs of the statements of a unit; ``copies`` are the variables that they need besides."""

    def __init__(self, unit: typed.Unit) -> None:
        super().__init__(unit)
        self.suffix = f"_{unit.name}" if unit.base is not None else ""
        self.has_methods = bool(unit.methods or unit.owner)
        self.copies: list[Copy] = []
        self.blocks: dict[int, typed.Unit] = {}

    # --- rungs ---

    def drawn(self, body: Sequence[syntax.Statement], notes: Sequence[int] = (), *, folds: bool = False) -> list[Drawn]:
        """The rungs that statements are. A block that is called leads on to what asks for its output next, where none
        of the ``notes`` stands between. With ``folds`` a rung that is too wide is carried on in the next one.
        """
        found: list[Drawn] = []
        for each in (drawn for node in body for drawn in self.rungs(node)):
            led = self.led(found[-1], each, notes) if found else None
            if led is not None:
                found.pop()
            found.append(led or each)
        if folds:
            folder = Folder(self.carrier)
            found = [replaced(each, end=end) for each in found for end in folder.folded(each.end)]
        return found

    def rungs(self, node: syntax.Statement) -> list[Drawn]:
        """The rungs of a statement."""
        try:
            if isinstance(node, syntax.Case):
                return self._case(node, is_rail=True)
            return [Drawn(self._sayable(node, is_rail=True, is_last=True), node.start, node.end)]
        except Unsayable:
            return [Drawn(self._statements(node), node.start, node.end)]

    def led(self, before: Drawn, after: Drawn, notes: Sequence[int]) -> Drawn | None:
        """Two rungs as one, where a link from a block leads on to what reads it first in the other, and no comment
        stands between; None where that is not so.
        """
        box, number = before.end, bisect_left(notes, before.stop)
        if number < len(notes) and notes[number] < after.start:
            return None
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
            except Unsayable:
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
        raise Unsayable

    # --- IF and CASE ---

    def _if(self, node: syntax.If, is_rail: bool, is_last: bool) -> End:
        first, *others = node.branches
        rest: Sequence[syntax.Statement] = node.otherwise or ()
        if others:
            rest = [syntax.If(others[0].start, node.end, tuple(others), node.otherwise)]
        ends = self._ends(first.body, is_last=is_last and not rest)
        otherwise = self._ends(rest, is_last=False)
        if not ends and not otherwise:
            raise Unsayable
        circuit = self._condition(first.condition, is_rail, negated=not ends)
        return Net(circuit, tuple(ends), tuple(otherwise)) if ends else Net(circuit, tuple(otherwise))

    def _condition(self, node: syntax.Expression, is_rail: bool, *, negated: bool = False) -> Circuit:
        circuit = self.circuit(node, negated)
        if not is_rail and (has_box(circuit) or may_fault(node)):
            raise Unsayable
        return circuit

    def _case(self, node: syntax.Case, is_rail: bool) -> list[Drawn]:
        """The arms of a CASE, each a rung of its own; a selector that they change is copied before."""
        if not is_rail and may_fault(node.selector):
            raise Unsayable
        known = len(self.copies)
        try:
            before, selector = self._selector(node, is_rail)
            found = [Drawn(before, node.start, node.selector.end)] if before is not None else []
            for arm in node.arms:
                labels = [self._label(selector, label) for label in arm.labels]
                circuit = labels[0] if len(labels) == 1 else Beside(tuple(labels))
                found += self._arm(circuit, arm.body, arm.start)
            outside = [self._label(selector, label, negated=True) for arm in node.arms for label in arm.labels]
            found += self._arm(Row(flat(outside, Row)), node.otherwise or (), node.end)
            if not found[before is not None :]:
                raise Unsayable
        except Unsayable:
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
            raise Unsayable
        type_ = meant.selector.type
        if not type_.name.isidentifier():
            raise Unsayable
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
                given = [argument.value for argument in part.arguments if is_operand(argument.value)]
                is_own = self.has_methods and _root(part.callee) not in self.variables
                if is_shared or is_own or any(_root(value) in (root, "") for value in (part.callee, *given)):
                    return True
        return False

    def _label(self, selector: syntax.Expression, label: syntax.Label, *, negated: bool = False) -> Circuit:
        if label.high is None:
            return self.compared("<>" if negated else "=", selector, label.low)
        low, high = ("<", ">") if negated else (">=", "<=")
        parts = self.compared(low, selector, label.low), self.compared(high, selector, label.high)
        return Beside(parts) if negated else Row(parts)

    # --- assignments ---

    def _assignment(self, node: syntax.Assignment, is_rail: bool) -> End:
        target = word_of(node.target)
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
        raise Unsayable

    def _stored(self, value: syntax.Expression, target: syntax.Expression, origin: int, is_rail: bool) -> Box:
        """A box that stores a value where the link that leads to it conducts, at the rail without one."""
        word = word_of(target)
        if not is_rail and self.is_bool(value) and not is_operand(value):
            found = Box("MOVE", "", (Pin("IN", self.guarded(value)),), (), origin)
        elif is_word(expression_text(value)):
            found = Box("MOVE", "", (Pin("IN", expression_text(value)),), (), origin)
        else:
            made = self.value(value, is_rail)
            if not isinstance(made, Box):
                raise Unsayable
            found = replaced(made, origin=origin, outputs=())
        enable = () if is_rail else (Pin("EN", WIRE),)
        result = Result("OUT" if found.name == "MOVE" else "", word)
        return replaced(found, inputs=(*enable, *found.inputs), outputs=(result,))

    # --- calls ---

    def _call(self, node: syntax.CallStatement, call: syntax.Call, is_rail: bool) -> End:
        meant = self.meant.get((node.start, typed.CallInstance))
        if not isinstance(meant, typed.CallInstance) or meant.is_virtual:
            raise Unsayable
        inputs, outputs = list[Pin](), list[Result]()
        for name, argument in self._named(call, meant.block):
            variable = meant.block.variables.get(name.upper())
            if variable is None:
                raise Unsayable
            if argument.output:
                outputs.append(Result(variable.name, word_of(argument.value), argument.negated))
            elif variable.section == "input" and variable.type is BOOL:
                inputs.append(self._bool_pin(variable.name, argument.value, is_rail))
            elif variable.section == "in_out":
                inputs.append(Pin(variable.name, word_of(argument.value)))
            else:
                inputs.append(Pin(variable.name, self.pin_value(argument.value, is_rail)))
        self.blocks[node.start] = meant.block
        if not is_rail:
            inputs.insert(0, Pin("EN", WIRE))
        return Box(meant.block.name, word_of(call.callee), tuple(inputs), tuple(outputs), node.start)

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
            return Pin(name, word_of(value))
        if not is_rail and is_operand(value) and may_fault(value):
            return Pin(name, word_of(value))  # which is read only where EN is TRUE
        return Pin(name, self.circuit(value) if is_rail else self.guarded(value))


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


def _root(node: syntax.Expression) -> str:
    """The variable that a path begins at, in upper case; empty where it is reached in another way."""
    while isinstance(node, (syntax.Member, syntax.Index, syntax.Part)):
        node = node.base
    return node.name.upper() if isinstance(node, syntax.Name) else ""
