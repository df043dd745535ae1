"""Places that write outputs, each of which can be disturbed by its number."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from upright_block.language import syntax, typed
from upright_block.language.nodes import node, record, replaced
from upright_block.language.points import Points
from upright_block.language.printing import expression_text
from upright_block.language.tags import Tag
from upright_block.language.types import BOOL, BYTE, DINT, Elementary
from upright_block.language.walking import inner_bodies

_SWITCH = "%walk"


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
    """The places of a configuration, and the global variable that chooses one of them by its number."""

    places: tuple[OutputPlace, ...]
    switch: typed.Variable


@contextmanager
def disturbed(configuration: typed.Unit, points: Points, tags: dict[str, Tag]) -> Iterator[Disturbed]:
    """While it is open, each statement that writes an output is followed by one that changes its value on demand."""
    switch = points.globals.variables.get(_SWITCH)
    if switch is None:
        switch = typed.Variable(_SWITCH, "global", DINT, False, 0, "", 0, 0)
        points.globals.variables[_SWITCH] = switch
        points.globals.kept.pop("layout", None)
    maker = _Maker(switch, {tag.variable for tag in tags.values() if tag.area == "Q"})
    own = [unit for unit in typed.closure(configuration) if unit.name[0] != ":" and unit.kind != "CONFIGURATION"]
    before: list[tuple[typed.Unit, tuple[typed.Statement, ...] | None, dict[str, Any]]] = []
    try:
        for unit in own:
            begun = len(maker.places)
            body = tuple(maker.body(unit.body or (), unit))
            if len(maker.places) > begun:
                before.append((unit, unit.body, unit.kept))
                unit.body = body
                unit.kept = {key: value for key, value in unit.kept.items() if key == "layout"}
        yield Disturbed(tuple(maker.places), switch)
    finally:
        for unit, written, kept in before:
            unit.body, unit.kept = written, kept


class _Maker:
    def __init__(self, switch: typed.Variable, outputs: set[typed.Variable | None]) -> None:
        self.switch = switch
        self.outputs = outputs
        self.places: list[OutputPlace] = []

    def body(self, body: tuple[typed.Statement, ...], unit: typed.Unit) -> Iterator[typed.Statement]:
        for statement in body:
            yield self.inside(statement, unit)
            for pin, place, shift in self.written(statement):
                number = len(self.places) + 1
                self.places.append(OutputPlace(number, unit, pin, place, shift, statement.origin))
                chosen = typed.Binary(
                    BOOL, "=", typed.Load(DINT, typed.whole(self.switch)), typed.Constant(DINT, number), 0
                )
                branch = typed.Branch(syntax.NO_PLACE, chosen, (_changed(place, shift),))
                yield typed.If(syntax.NO_PLACE, (branch,), ())

    def inside(self, statement: typed.Statement, unit: typed.Unit) -> typed.Statement:
        """A statement with the bodies inside it changed too."""
        if not inner_bodies(statement):
            return statement
        match statement:
            case typed.If(branches=branches, otherwise=otherwise):
                changed = tuple(replaced(b, body=tuple(self.body(b.body, unit))) for b in branches)
                return replaced(statement, branches=changed, otherwise=tuple(self.body(otherwise, unit)))
            case typed.Case(arms=arms, otherwise=otherwise):
                arms = tuple(replaced(a, body=tuple(self.body(a.body, unit))) for a in arms)
                return replaced(statement, arms=arms, otherwise=tuple(self.body(otherwise, unit)))
            case typed.For(body=body) | typed.While(body=body) | typed.Repeat(body=body):
                return replaced(statement, body=tuple(self.body(body, unit)))
        return statement

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
