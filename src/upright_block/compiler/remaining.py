"""What is left of the data of a controller when its power fails, and what its outputs are while nothing runs."""

from __future__ import annotations

from collections.abc import Iterator

from upright_block.compiler.artifact import Remains, Span
from upright_block.compiler.layout import encode, held_type, layout_of, size_of
from upright_block.compiler.program import Program
from upright_block.language.configured import configured
from upright_block.language.field.addresses import Address
from upright_block.language.field.points import points_of
from upright_block.language.field.tags import Tag
from upright_block.language.nodes import Side
from upright_block.language.signals import globals_of, tags_of
from upright_block.language.typed import Compound, Unit
from upright_block.language.types import Array, Elementary, Type


def remains(program: Program) -> Remains:
    """What of a program remains when its power fails."""
    subject = program.subject
    root = layout_of(program.root).offsets
    inside = root[program.inside]
    shared = globals_of(subject)
    points = points_of(shared)
    tags: list[Tag] = list(tags_of(shared).values()) if points else []
    retained = list(_retained(subject, inside, is_kept=False))
    outside = [(root[target], root[target] + size_of(target.type)) for target in program.targets.values()]
    rests: list[tuple[int, bytes]] = []
    for variable, offset in layout_of(subject).offsets.items():
        span = (inside + offset, inside + offset + size_of(held_type(variable)))
        if variable.section == "input" or variable is program.rig:
            outside.append(span)
        elif variable.section == "output":
            rests.append((span[0], _zero(variable.type)))
    for variable, offset in program.outer.items():
        if variable.retain:
            retained += _retained(variable.type, offset, is_kept=True)
    if points is not None:
        outer = {letter: program.outer[area] for letter, area in points.areas.items() if area in program.outer}
        for letter, offset in outer.items():
            span = (offset, offset + size_of(points.areas[letter].type))
            if letter == "I":
                outside.append(span)
            elif letter == "Q":
                rests.append((offset, bytes(span[1] - offset)))
        for tag in tags:
            if tag.point is not None and tag.area == "M" and tag.is_retained and "M" in outer:
                retained.append((outer["M"] + tag.point.bytes.start, outer["M"] + tag.point.bytes.stop))
            elif tag.area == "Q" and tag.variable in program.outer:
                rests.append((program.outer[tag.variable], _at_rest(tag, tag.variable.type)))
        rests += _located(subject, inside)
    outside.append((program.own, len(program.initial)))
    return Remains(tuple(retained), tuple(outside), tuple(rests))


def _retained(type_: Type, offset: int, is_kept: bool) -> Iterator[Span]:
    """The parts of a value that are retained, where what holds it is, or is not; what is said further inside wins."""
    if isinstance(type_, Array) and not isinstance(type_.element, Elementary) and _says(type_.element):
        size = size_of(type_.element)
        for number in range(type_.count):
            yield from _retained(type_.element, offset + number * size, is_kept)
    elif isinstance(type_, Compound) and _says(type_):
        for variable, start in layout_of(type_).offsets.items():
            own = is_kept if variable.retain is None else variable.retain
            yield from _retained(held_type(variable), offset + start, own)
    elif is_kept:
        yield offset, offset + size_of(type_)


def _says(type_: Type) -> bool:
    """Whether something inside a type says itself whether it is retained."""
    if isinstance(type_, Array):
        return _says(type_.element)
    if not isinstance(type_, Compound):
        return False
    return _says_inside(type_)


@Side
def _says_inside(compound: Compound) -> bool:
    return any(v.retain is not None or _says(held_type(v)) for v in layout_of(compound).offsets)


def _zero(type_: Type) -> bytes:
    """A value without current."""
    return bytes(size_of(type_))


def _at_rest(tag: Tag, type_: Type) -> bytes:
    """What a tag of an output reads while its point is zero."""
    return encode(tag.meant(0), type_) if isinstance(type_, Elementary) else _zero(type_)


def _located(subject: Unit, inside: int) -> Iterator[tuple[int, bytes]]:
    """The variables of programs AT an output."""
    instances = [("", subject, inside)]
    if subject.kind == "CONFIGURATION":
        offsets = layout_of(subject).offsets
        instances = [(v.key, v.type, inside + start) for v, start in offsets.items() if isinstance(v.type, Unit)]
    settings = configured(subject).settings
    for key, unit, offset in instances:
        for name, written in unit.located.items():
            address: Address = settings.get(key, {}).get(name, written)
            if address.area == "Q" and unit.kind == "PROGRAM":
                variable = unit.variables[name]
                yield offset + layout_of(unit).offsets[variable], _zero(variable.type)
