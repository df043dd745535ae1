"""Values as Python has them: single ones, and those of whole structures and arrays."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import timedelta

from upright_block.cases.cells import cell_text, nanoseconds, parse_value
from upright_block.errors import BadValue
from upright_block.language.literals import LiteralProblem, Value, shown
from upright_block.language.names import did_you_mean
from upright_block.language.signals import Signal, element_signal, member_signal
from upright_block.language.typed import Structure
from upright_block.language.types import BOOL, Array, Elementary, Enumeration, String
from upright_block.runs import words

Whole = Value | timedelta | Mapping[str, "Whole"] | Sequence["Whole"]
"""A single value; of a structure one by the name of each field, of an array one for each element, in lists for each
dimension. A duration may be a timedelta.
"""
_TIMES = ("duration", "date", "time of day", "date and time")
"""Types whose values are ns as an int."""
_WHOLE_NUMBERS = ("signed", "unsigned")


def is_compound(signal: Signal) -> bool:
    """Whether it is a structure or an array, whose parts have the values."""
    return isinstance(signal.type, (Structure, Array))


def parts_of(signal: Signal) -> Iterator[tuple[str | int, Signal]]:
    """The fields of a structure by name, or what the first index of an array leads to, by its place from 0; elements of
    an array of several dimensions are single ones, in the order of their last index.
    """
    if isinstance(signal.type, Structure):
        for variable in signal.type.variables.values():
            yield variable.name, member_signal(signal, variable)
    elif isinstance(signal.type, Array):
        for place, indices in enumerate(signal.type.indices()):
            yield place, element_signal(signal, signal.type, indices)


def single_values(signal: Signal, value: Whole) -> Iterator[tuple[Signal, Value]]:
    """What a value gives to each single one; fields that a mapping leaves out get none.

    Raises:
        BadValue: it does not have the shape of the type, or a value does not fit.
    """
    type_ = signal.type
    if isinstance(type_, Structure):
        if not isinstance(value, Mapping):
            raise BadValue(*words.no_mapping(signal.path, type_))
        fields = {str(name).upper(): part for name, part in parts_of(signal)}
        for name, own in value.items():
            part = fields.get(str(name).upper())
            if part is None:
                names = [variable.name for variable in type_.variables.values()]
                raise BadValue(*words.no_field(str(name), type_, did_you_mean(str(name), names)))
            yield from single_values(part, own)
    elif isinstance(type_, Array):
        elements = list(_flat(value, [last - first + 1 for first, last in type_.bounds], signal))
        for (_, part), own in zip(parts_of(signal), elements, strict=True):
            yield from single_values(part, own)
    else:
        yield signal, parsed(signal, value)


def _flat(value: Whole, lengths: Sequence[int], signal: Signal) -> Iterator[Whole]:
    if not lengths:
        yield value
        return
    if isinstance(value, (str, Mapping)) or not isinstance(value, Sequence) or len(value) != lengths[0]:
        raise BadValue(*words.no_list(signal.path, signal.type, lengths[0]))
    for part in value:
        yield from _flat(part, lengths[1:], signal)


def folded(values: Sequence[Whole], lengths: Sequence[int]) -> Whole:
    """Elements in the order of their last index as lists for each dimension."""
    if len(lengths) == 1:
        return list(values)
    step = len(values) // lengths[0]
    return [folded(values[begin : begin + step], lengths[1:]) for begin in range(0, len(values), step)]


def parsed(signal: Signal, value: Whole) -> Value:
    """A single value for what is at a path.

    Raises:
        BadValue: it does not fit.
    """
    type_ = signal.type
    if type_ is BOOL and isinstance(value, bool):
        return value
    if isinstance(type_, String) and isinstance(value, str):
        if len(value) > type_.capacity:
            raise BadValue(*words.text_too_long(len(value), signal.path, type_))
        return value
    if isinstance(type_, Elementary) and isinstance(value, (int, timedelta)) and not isinstance(value, bool):
        if type_.family in _TIMES:
            span = nanoseconds(value)
            if type_.low <= span <= type_.high:
                return span
            raise BadValue(*words.beyond_the_clock(signal.path, type_, span))
        if type_.family in _WHOLE_NUMBERS and isinstance(value, int) and type_.low <= value <= type_.high:
            return value
    if not isinstance(value, (bool, int, float, str)):
        raise BadValue(*words.no_value(signal.path, type_, type(value).__name__))
    try:
        return parse_value(cell_text(value), type_)
    except LiteralProblem as problem:
        raise BadValue(f"{signal.path} is {type_}: {problem}", problem.way_out) from None


def presented(value: Value, signal: Signal) -> Value:
    """A value as Python has it: of an enumeration its bare name, where it has one."""
    if isinstance(signal.type, Enumeration):
        return shown(value, signal.type)
    return value
