"""Which operands decide the value of an expression: with them held, nothing else changes it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from upright_block.language import syntax, typed
from upright_block.language.nodes import fresh, record, replaced
from upright_block.language.types import Elementary
from upright_block.language.walking import Access, expressions, inner_bodies, parts
from upright_block.reasons.scans import value_of
from upright_block.runs.trails import Computed, Ran

_MOST_BITS = 8


@record
class Deciding:
    """The variables that were read and decide. Of several ``ways`` each would do by itself; without any, all together
    do. Of some only bits count, whose numbers are among the ``bits``, by the entry of the trail.

    What a function of the library gave stands for itself, as a variable does.
    """

    operands: tuple[Computed, ...]
    ways: tuple[tuple[Computed, ...], ...] = ()
    bits: Mapping[int, tuple[int, ...]] = fresh(default_factory=dict)

    @property
    def alone(self) -> bool:
        """Whether each of several variables would do by itself."""
        return len(self.ways) > 1 and all(len(way) == 1 for way in self.ways)


def deciding(ran: Ran, value: typed.Expression) -> Deciding:
    """What decides an expression of a statement, as it was computed."""
    match value:
        case typed.Load():
            return _together(_computed(ran, value), *(found for _, _, found in leading(ran, value.place)))
        case typed.Unary(operand=operand) | typed.Convert(operand=operand) | typed.InRange(operand=operand):
            return deciding(ran, operand)
        case typed.Part(operand=operand, shift=shift):
            found = deciding(ran, operand)
            is_bit = isinstance(operand, typed.Load) and _is_bool(value) and len(found.operands) == 1
            return replaced(found, bits={found.operands[0].at: (shift,)}) if is_bit else found
        case typed.Binary(operator="AND" | "OR" as operator) if _is_bool(value):
            return _of_logic(ran, value, operator)
        case typed.Binary(operator="AND", left=left, right=right):
            return _masked(ran, left, right)
        case typed.Binary(left=left, right=right):
            return _together(deciding(ran, left), deciding(ran, right))
        case typed.CallStandard(name=name, inputs=inputs):
            return _together(*(deciding(ran, each) for each in _chosen(ran, name, inputs)))
        case typed.CallFunction(function=function, inputs=inputs):
            given = Deciding(()) if function.is_standard or value_of(ran, value) is None else _computed(ran, value)
            return given if given.operands else _together(*(deciding(ran, each) for each in inputs))
    return Deciding(())


def leading(ran: Ran, place: typed.Place) -> Iterator[tuple[str, typed.Expression, Deciding]]:
    """What decides where a place is: the indices, and the references, that lead there, each with its role."""
    for number, step in enumerate(place.steps):
        if isinstance(step, typed.Element):
            yield from (("index", index, deciding(ran, index)) for index in step.indices)
        elif isinstance(step, typed.Target):
            read = next((each for each in reversed(ran.values) if _is_to(each.value, place, number)), None)
            if read is not None:
                yield "reference", read.value, Deciding((read,))


def _is_to(value: typed.Expression, place: typed.Place, steps: int) -> bool:
    """Whether a value was read where the first steps of a place lead."""
    if not isinstance(value, typed.Load) or value.place.root is not place.root or len(value.place.steps) != steps:
        return False
    return all(own is other for own, other in zip(value.place.steps, place.steps, strict=False))


def _masked(ran: Ran, left: typed.Expression, right: typed.Expression) -> Deciding:
    """Of a word of which a constant lets a few bits through only these."""
    for word, through in ((left, right), (right, left)):
        held = value_of(ran, through) if isinstance(through, typed.Constant) else None
        mask = held if isinstance(held, int) else 0
        if isinstance(word, typed.Load) and 0 < mask.bit_count() <= _MOST_BITS:
            found = deciding(ran, word)
            if len(found.operands) == 1:
                bits = tuple(bit for bit in range(mask.bit_length()) if mask >> bit & 1)
                return replaced(found, bits={found.operands[0].at: bits})
    return _together(deciding(ran, left), deciding(ran, right))


def _of_logic(ran: Ran, value: typed.Binary, operator: str) -> Deciding:
    """Of AND that is FALSE, or OR that is TRUE, the operands that make it so, each alone; else all."""
    parts = _spine(value, operator)
    strong = operator == "OR"
    if bool(value_of(ran, value)) is not strong:
        return _together(*(deciding(ran, part) for part in parts))
    making = [part for part in parts if bool(value_of(ran, part)) is strong]
    found = [deciding(ran, part) for part in making]
    if any(not each.operands for each in found):  # a constant does it
        return Deciding(())
    ways = tuple(each.operands for each in found) if len(found) > 1 else ()
    return replaced(_together(*found), ways=ways)


def _spine(value: typed.Expression, operator: str) -> list[typed.Expression]:
    """The operands of a chain of one operator."""
    found: list[typed.Expression] = []
    waiting = [value]
    while waiting:
        part = waiting.pop()
        if isinstance(part, typed.Binary) and part.operator == operator and _is_bool(part):
            waiting += (part.right, part.left)
        else:
            found.append(part)
    return found


def _chosen(ran: Ran, name: str, inputs: tuple[typed.Expression, ...]) -> Iterable[typed.Expression]:
    """The inputs of a standard function that matter."""
    if name in ("SEL", "MUX"):
        chosen = value_of(ran, inputs[0])
        if chosen is not None and 0 <= int(chosen) < len(inputs) - 1:
            return inputs[0], inputs[1 + int(chosen)]
    return inputs


def _computed(ran: Ran, value: typed.Expression) -> Deciding:
    found = next((each for each in reversed(ran.values) if each.value is value), None)
    return Deciding((found,) if found is not None else ())


def _together(*found: Deciding) -> Deciding:
    bits = {at: bit for each in found for at, bit in each.bits.items()}
    operands: dict[tuple[object, ...], Computed] = {}
    for each in found:
        for operand in each.operands:  # one that is read twice, with one value, is one
            own = (operand.address, operand.bits, bits.get(operand.at)) if operand.address else (operand.at,)
            operands.setdefault(own, operand)
    return Deciding(tuple(operands.values()), bits=bits)


def _is_bool(value: typed.Expression) -> bool:
    return isinstance(value.type, Elementary) and value.type.family == "bool"


def holds(statement: typed.Statement, start: int) -> bool:
    """Whether a place in a text lies in a statement, outside of the statements in it."""
    origin, inner = statement.origin, [each for body in inner_bodies(statement) for each in body]
    return origin.start <= start < origin.end and not any(
        each.origin.start <= start < each.origin.end for each in inner if each.origin is not syntax.NO_PLACE
    )


def at_fault(ran: Ran, start: int) -> Deciding:
    """The variables that were read for the expression at a place; for the whole statement where there is none."""
    found = [
        each
        for part in parts(ran.statement)
        if not isinstance(part, Access)
        for each in expressions(part)
        if getattr(each, "start", None) == start
    ]
    decided = deciding(ran, found[-1]) if found else Deciding(())
    loads = tuple({id(c.value): c for c in ran.values if isinstance(c.value, typed.Load)}.values())
    return decided if decided.operands else Deciding(loads)
