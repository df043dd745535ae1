"""Places that write outputs, each of which can be disturbed by its number."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Set

from upright_block.compiler.overlay import Overlay
from upright_block.language import syntax, typed
from upright_block.language.field.tags import Tag
from upright_block.language.nodes import node, record
from upright_block.language.printing import expression_text
from upright_block.language.rewriting import Body, rewritten
from upright_block.language.types import BOOL, BYTE, DINT, Elementary


@record
class OutputPlace:
    """A place in a unit where an output gets its value: ``pin`` of it goes to the tag or the points at ``place``."""

    number: int
    unit: typed.Unit
    pin: str
    place: typed.Place
    shift: int | None
    origin: syntax.Node


@node
class Disturbed:
    """The places of a configuration, the global variable that chooses one of them by its number, and the bodies that
    ask it.
    """

    places: tuple[OutputPlace, ...]
    switch: typed.Variable
    over: Overlay


def disturbed(configuration: typed.Unit, tags: Mapping[str, Tag]) -> Disturbed:
    """Bodies in which each statement that writes an output is followed by one that changes its value on demand."""
    switch = typed.Variable("%walk", "global", DINT, 0)
    outputs = {tag.variable for tag in tags.values() if tag.area == "Q"}
    places: list[OutputPlace] = []
    bodies: dict[typed.Unit, Body] = {}
    for unit in typed.closure(configuration):
        if unit.name[0] != ":" and unit.kind != "CONFIGURATION":
            maker = _Maker(unit, switch, outputs, len(places))
            body = rewritten(unit.body or (), maker.followed)
            if maker.places:
                bodies[unit] = body
                places += maker.places
    return Disturbed(tuple(places), switch, Overlay(bodies))


class _Maker:
    """Finds the places in a unit that write outputs, and numbers them behind those before."""

    def __init__(
        self, unit: typed.Unit, switch: typed.Variable, outputs: Set[typed.Variable | None], before: int
    ) -> None:
        self.unit = unit
        self.switch = switch
        self.outputs = outputs
        self.before = before
        self.places: list[OutputPlace] = []

    def followed(self, statement: typed.Statement) -> Iterator[typed.Statement]:
        """A statement, and what changes each output that it writes."""
        yield statement
        for pin, place, shift in self.written(statement):
            number = self.before + len(self.places) + 1
            self.places.append(OutputPlace(number, self.unit, pin, place, shift, statement.origin))
            chosen = typed.Binary(
                BOOL, "=", typed.Load(DINT, typed.whole(self.switch)), typed.Constant(DINT, number), 0
            )
            branch = typed.Branch(syntax.NO_PLACE, chosen, (_changed(place, shift),))
            yield typed.If(syntax.NO_PLACE, (branch,), ())

    def written(self, statement: typed.Statement) -> Iterator[tuple[str, typed.Place, int | None]]:
        """The outputs that a statement itself writes, each with what goes there."""
        match statement:
            case typed.Assign(place=place) if self.is_output(place):
                yield _source(statement), place, None
            case typed.AssignPart(place=place, type=type_, shift=shift) if self.is_output(place) and type_ is BOOL:
                yield _source(statement), place, shift
            case typed.CallInstance(origin=origin, outputs=outputs):
                call = origin.call if isinstance(origin, syntax.CallStatement) else None
                name = expression_text(call.callee) if call else ""
                for pin, receiver, _ in outputs:
                    if self.is_output(receiver.place) and (receiver.shift is None or receiver.type is BOOL):
                        yield f"{name}.{pin.name}", receiver.place, receiver.shift

    def is_output(self, place: typed.Place) -> bool:
        """Whether a place is the tag of an output, or an output point, with a single value."""
        is_single = isinstance(place.type, Elementary)
        return is_single and (place.root in self.outputs or place.root.name == "%Q")


def _source(statement: typed.Statement) -> str:
    """What an assignment gives to an output, where that is a variable or a pin; else the name of the output."""
    written = statement.origin
    if not isinstance(written, syntax.Assignment):
        return ""
    is_path = isinstance(written.value, (syntax.Name, syntax.Member, syntax.Index))
    return expression_text(written.value if is_path else written.target)


def _changed(place: typed.Place, shift: int | None) -> typed.Statement:
    """Another value for what a place holds."""
    type_ = place.type
    assert isinstance(type_, Elementary)
    origin = syntax.NO_PLACE
    loaded = typed.Load(type_.base, place)
    if shift is not None:
        bit = typed.Part(BOOL, typed.Load(type_ if type_.family == "bits" else BYTE, place), shift)
        return typed.AssignPart(origin, place, BOOL, shift, typed.Unary(BOOL, "NOT", bit, 0))
    if type_.family in ("bool", "bits"):
        return typed.Assign(origin, place, typed.Unary(type_, "NOT", loaded, 0))
    is_real = type_.family == "real"
    one, zero = (typed.Constant(type_.base, float(n) if is_real else n) for n in (1, 0))
    is_one = typed.Binary(BOOL, "=", loaded, one, 0)
    return typed.Assign(origin, place, typed.CallStandard(type_.base, "SEL", (is_one, one, zero), 0))
