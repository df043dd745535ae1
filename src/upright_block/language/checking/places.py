"""Places: which variable, element, field or target a name and what follows it lead to. IEC 61131-3:2013, 6.5, 6.6."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from upright_block.language import syntax, typed
from upright_block.language.checking.reporter import Problem, Reporter
from upright_block.language.checking.words import places as words
from upright_block.language.configured import at_memory
from upright_block.language.field.addresses import WIDTHS
from upright_block.language.field.points import TYPES, Point
from upright_block.language.field.tags import Tag
from upright_block.language.paths import moved
from upright_block.language.scope import Missing
from upright_block.language.types import (
    BOOL,
    BROKEN,
    BYTE,
    CHAR,
    DINT,
    PARTS,
    WCHAR,
    Array,
    Elementary,
    Enumeration,
    OpenArray,
    Reference,
    String,
    Type,
    is_integer,
)

_ELSEWHERE_FOR_ELSE = frozenset({"DEFAULT", "OTHERS", "OTHERWISE"})


class PlaceChecker(Reporter):
    """Finds places. Every method raises `Problem` after reporting.

    ``is_target`` holds while the place that is looked at is to be written. With ``sees_all`` the private data of
    instances is seen, since somebody only looks.
    """

    is_target = False
    sees_all = False

    def elementary_value(self, node: syntax.Expression) -> tuple[typed.Expression, Elementary]:
        """The expression with an elementary type of its own, and that type."""
        raise NotImplementedError

    def bare_instance(self, node: syntax.Node, block: typed.Unit) -> Problem:
        """Report that an instance stands where a value is wanted."""
        pins = block.section("output") or block.section("input")
        return self.problem(node, words.instance_as_value(self.text(node), block, pins[0].name if pins else ""))

    def place(self, node: syntax.Expression) -> typed.Place:
        """The place that a name and what follows it lead to; private data of an instance is refused."""
        node = self.meant(node)
        make = _PLACE.get(type(node))
        if isinstance(node, syntax.Literal) and node.kind == "broken":
            self.unit.is_broken = True
            raise Problem
        if make is None:
            raise self.problem(node, words.no_variable(self.text(node)))
        return make(self, node)

    def meant(self, node: syntax.Expression) -> syntax.Expression:
        """What a name stands for, where it is that of a tag which has no variable of its own; and the tag that an
        output address is.
        """
        if isinstance(node, syntax.DirectAddress) and self.scope.outputs and not self.is_rig and not self.sees_all:
            return self._tag_at(node)
        if not isinstance(node, syntax.Name) or not (self.scope.tags or self.unit.located):
            return node
        if self.unit.located and node.name.upper() in at_memory(self.unit):
            return moved(at_memory(self.unit)[node.name.upper()], node.start, node.end)
        tag = self.scope.tags.get(node.name.upper())
        if tag is None or tag.meaning is None or tag.inside is not None or self._is_own(tag.key):
            return node
        return moved(tag.meaning, node.start, node.end)

    def _tag_at(self, node: syntax.DirectAddress) -> syntax.Expression:
        """The name of the tag at an output, or a part of it: one point has one value, that of its tag while a body
        runs.
        """
        if node.held is not None or node.address.area != "Q" or node.address.is_open:
            return node
        point = self.scope.points.point(node.address)
        there = sorted(self.scope.outputs_at(point), key=lambda tag: self._variable_of(tag) is None)
        tag = next(iter(there), None)
        if tag is None or tag.point is None:
            return node
        variable = self._variable_of(tag)
        if variable is None or variable.type is not TYPES[tag.point.width]:
            raise self.problem(node, words.address_of_tag(self.text(node), tag, self.unit.name))
        name = syntax.MadeName(node.start, node.end, variable.name)
        if tag.point == point:
            return name
        for number in range(tag.point.width // point.width):
            if self.scope.points.part(tag.point, number * point.width, point.width) == point:
                size = next(size for size, width in WIDTHS.items() if width == point.width)
                return syntax.Part(node.start, node.end, name, size, number, node.start)
        raise self.problem(node, words.address_of_tag(self.text(node), tag, self.unit.name))

    def _variable_of(self, tag: Tag) -> typed.Variable | None:
        """What holds the very bits of an output here: the variable of its tag, or what this program has AT it."""
        if tag.variable is None:
            program, _, name = tag.key.rpartition(".")
            is_here = self.unit.kind == "PROGRAM" and self.unit.name.upper() == program
            return self.unit.variables.get(name) if is_here else None
        is_hidden = self._is_own(tag.key) or self.find_global(tag.key) is not tag.variable
        return None if is_hidden or tag.is_negated or tag.scale is not None else tag.variable

    def _is_own(self, name: str) -> bool:
        """Whether a name in upper case is that of a variable of the unit at hand."""
        return name in self.unit.variables or (self.holder is not None and name in self.holder.variables)

    @property
    def holder(self) -> typed.Unit | None:
        """The unit whose data the body works on: the unit itself, or the owner of a method."""
        return self.unit.owner or (self.unit if self.unit.keeps_data else None)

    @property
    def unit_shown(self) -> str:
        """The name of the unit at hand; of what looks at a unit from outside, of that unit."""
        return str(self.unit.owner) if self.sees_all and self.unit.owner else self.unit.name

    def declares(self, name: str) -> bool:
        """Whether a name in upper case is that of a variable here."""
        tag = self.scope.tags.get(name)
        if name in self.unit.located:
            return True
        return self._is_own(name) or self.find_global(name) is not None or (tag is not None and tag.meaning is not None)

    def _root(self, node: syntax.Name) -> typed.Place:
        key, holder = node.name.upper(), self.holder
        if key in ("THIS", "SUPER"):
            if holder is None:
                raise self.problem(node, words.this_in_function(node.name))
            if key == "SUPER":
                raise self.problem(node, words.super_as_value())
            return typed.Place(holder.this, (), holder, node)
        owner = self.unit.owner
        if owner is not None and key not in self.unit.variables and key != self.unit.name.upper():
            held = owner.variables.get(key)
            if held is not None:
                return self._pin_at(typed.Place(owner.this, (), owner, node), owner, held, node)
        variable = self.variable(node)
        if key in self.unit.edges:
            return edge_place(self.unit.edges[key], node)
        return typed.whole(variable, node)

    def variable(self, node: syntax.Name) -> typed.Variable:
        """The variable of the unit, or the global one, that is called by this name."""
        key = node.name.upper()
        found = self.unit.variables.get(key)
        if found is None and self.unit.result is not None and key == self.unit.name.upper():
            found = self.unit.result
        found = found or self.find_global(key)
        if found is not None:
            return self._known(found)
        raise self._no_variable(node)

    def _known(self, found: typed.Variable) -> typed.Variable:
        """A variable whose type is known; for an external one the global that it is."""
        variable = found.shared if found.section == "external" else found
        if variable is None:
            raise Problem
        if variable.type is BROKEN:
            self.unit.is_broken = True
            raise Problem
        return variable

    def _no_variable(self, node: syntax.Name) -> Problem:
        if node.name.upper() == self.unit.key and self.unit.kind == "FUNCTION":
            return self.problem(node, words.no_result(self.unit))
        callee = self.find_unit(node.name.upper())
        if callee is not None:
            if callee.kind == "FUNCTION_BLOCK":
                return self.problem(node, words.block_as_variable(callee))
            return self.problem(node, words.function_without_call(callee))
        if node.name.upper() in _ELSEWHERE_FOR_ELSE:
            return self.problem(node, words.undeclared_after_case(node.name, self.unit_shown))
        if self.unit.kind == "PROGRAM":
            self.scope.missing.setdefault(node.name.upper(), Missing(node.name))
        names = [v.name for v in self.unit.variables.values()]
        names += [v.name for v in self.holder.variables.values()] if self.holder else []
        names += self.global_names()
        for key, (values, *_) in self.scope.values.items():
            if values.unit in (None, self.unit, self.unit.owner) and self.scope.is_seen(values.source, self.source):
                names.append(values.enumeration.members[key][0])
        names += self.scope.names_elsewhere(self.source, "VALUE")
        return self.unknown(node.name, node, words.undeclared(node.name, self.unit_shown, self.unit.is_wired), names)

    def _member(self, node: syntax.Member) -> typed.Place:
        base = self.place(node.base)
        owner = base.type
        name_at = syntax.Node(node.name_start, node.end)
        if isinstance(owner, Reference) and isinstance(owner.target, typed.Compound):
            raise self.problem(node, words.missing_dereference(self.text(node.base), owner, node.name))
        if not isinstance(owner, typed.Compound):
            raise self.problem(node, words.no_pins(self.text(node.base), owner, node.name))
        if isinstance(owner, typed.Structure):
            return self._field(node, base, owner, name_at)
        assert isinstance(owner, typed.Unit)
        pin = owner.variables.get(node.name.upper())
        if pin is None:
            public = [v.name for v in owner.variables.values() if v.section in ("input", "output")]
            raise self.unknown(node.name, name_at, words.unknown_pin(owner, node.name), public)
        own = self.sees_all or (base.root.section == "this" and not base.steps)
        if pin.section == "in_out" and not own:
            raise self.problem(name_at, words.in_out_of_instance(pin, owner))
        if pin.section not in ("input", "output") and not own and pin.access != "PUBLIC":
            raise self.problem(name_at, words.private_data(pin, owner, self.is_target))
        return self._pin_at(base, owner, pin, node)

    def _pin_at(self, base: typed.Place, owner: typed.Unit, pin: typed.Variable, node: syntax.Node) -> typed.Place:
        """A variable of the instance at a place: of an in-out what it refers to, of an input with an edge the edge."""
        pin = self._known(pin)
        if pin.is_code or pin.section == "global":
            return typed.whole(pin, node)
        is_own = base.root.section == "this" and not base.steps
        place = edge_place(owner.edges[pin.key], node) if is_own and pin.key in owner.edges else typed.whole(pin, node)
        if is_own and self.unit.owner is None:
            return place
        steps = (*base.steps, typed.Member(owner, place.root), *place.steps)
        if pin.section == "in_out" and not isinstance(pin.type, OpenArray):
            steps = (*steps, typed.Target(node.start))
        return typed.Place(base.root, steps, place.type, node)

    def _field(
        self, node: syntax.Member, base: typed.Place, owner: typed.Structure, name_at: syntax.Node
    ) -> typed.Place:
        field = owner.variables.get(node.name.upper())
        if field is None:
            names = [v.name for v in owner.variables.values()]
            raise self.unknown(node.name, name_at, words.unknown_field(owner, node.name, names), names)
        if field.type is BROKEN:
            self.unit.is_broken = True
            raise Problem
        return typed.Place(base.root, (*base.steps, typed.Member(owner, field)), field.type, node)

    def _index(self, node: syntax.Index) -> typed.Place:
        """An element of an array, or a character of a text, counted from 1 (6.4.2)."""
        base = self.place(node.base)
        array = base.type
        if not isinstance(array, (Array, OpenArray, String)):
            raise self.problem(node, words.no_elements(self.text(node.base), array))
        bounds = _known_bounds(array)
        if len(node.indices) != len(bounds):
            given = len(node.indices)
            raise self.problem(node, words.number_of_indices(self.text(node.base), len(bounds), given))
        indices: list[typed.Expression] = []
        for index_at, (low, high) in zip(node.indices, bounds, strict=True):
            index, type_ = self.elementary_value(index_at)
            if not is_integer(type_) and not isinstance(type_, Enumeration):
                raise self.problem(index_at, words.index_type(self.text(index_at), type_))
            if isinstance(index, typed.Constant) and not low <= int(index.value) <= high:
                raise self.problem(index_at, words.index_outside(index, low, high, self.text(node.base), array))
            indices.append(index)
        step = typed.Element(array, tuple(indices), node.start)
        element = array.element if not isinstance(array, String) else CHAR if array.width == 1 else WCHAR
        return typed.Place(base.root, (*base.steps, step), element, node)

    def _direct(self, node: syntax.DirectAddress) -> typed.Place:
        """The bytes of a point; a bit has no place of its own."""
        point = self.point(node)
        if point.width == 1 or self.scope.points.is_swapped(point):
            raise self.problem(node, words.point_without_place(self.text(node)))
        return self.scope.points.place(point, held_type(node, point), node)

    def point(self, node: syntax.DirectAddress) -> Point:
        """The point that an address names."""
        point = self.scope.points.point(node.address)
        if not self.scope.points.has(point):
            raise self.problem(node, words.no_such_point(self.text(node), self.scope.points.is_settled))
        return point

    def _dereference(self, node: syntax.Dereference) -> typed.Place:
        base = self.place(node.base)
        if not isinstance(base.type, Reference) or base.type.target is None:
            raise self.problem(node, words.no_reference(self.text(node.base), base))
        return typed.Place(base.root, (*base.steps, typed.Target(node.start)), base.type.target, node)

    def part_bounds(self, node: syntax.Part, whole: Type) -> tuple[Elementary, int]:
        """The type of a part of a bit string, and its lowest bit (table 17)."""
        type_ = PARTS[node.size]
        if not isinstance(whole, Elementary) or whole.family != "bits":
            raise self.problem(node, words.no_parts(self.text(node.base), whole))
        width = 1 if type_ is BOOL else type_.bits
        last = whole.bits // width - 1
        if node.number > last:
            part_at = syntax.Node(node.part_start, node.end)
            raise self.problem(part_at, words.part_outside(self.text(node.base), whole, width, last))
        return type_, node.number * width

    def assignable(self, node: syntax.Expression) -> typed.Place:
        """The place that an assignment or an output writes to."""
        self.is_target = True
        try:
            place = self.place(node)
        finally:
            self.is_target = False
        if isinstance(place.type, typed.Unit):
            raise self.problem(node, words.instance_assigned(self.text(node), place))
        self.check_whole(place, node)
        self.check_writable(place, node)
        return place

    def check_whole(self, place: typed.Place, node: syntax.Expression) -> None:
        """Report an array of any bounds that is taken as a whole."""
        if isinstance(place.type, OpenArray):
            raise self.problem(node, words.open_array(self.text(node), place))

    def check_writable(self, place: typed.Place, node: syntax.Expression) -> None:
        """Report a place that this unit may not write to."""
        shown, root = self.text(node), place.root
        steps = place.steps
        followed = [i for i, step in enumerate(steps) if isinstance(step, typed.Target)]
        if followed:
            steps = steps[followed[-1] + 1 :]
        elif root.constant:
            raise self.problem(node, words.constant_assigned(shown))
        elif root.section == "global" and (tag := self.scope.tags.get(root.key)) is not None and tag.inside is not None:
            raise self.problem(node, words.alias_written(tag.name, tag.text("stands_for")))
        elif root.name == "%I":
            raise self.problem(node, words.input_point_assigned(shown, self.is_rig))
        elif root.section == "input":
            raise self.problem(node, words.own_input_assigned(shown, self.unit))
        for number, step in enumerate(steps):
            if not isinstance(step, typed.Member):
                continue
            if root.section == "this" and number == 0 and steps is place.steps:
                if step.variable.section == "input":
                    raise self.problem(node, words.input_assigned(shown, step))
                continue
            if step.variable.section == "output":
                raise self.problem(node, words.output_assigned(shown, step))

    def receiver(self, node: syntax.Expression) -> typed.Receiver:
        """Where an output or a value goes: a place, or a part of the bit string there."""
        node = self.meant(node)
        if isinstance(node, syntax.DirectAddress):
            point = self.point(node)
            if point.area == "I":
                raise self.problem(node, words.input_point_assigned(self.text(node), self.is_rig))
            if point.width == 1:
                return typed.Receiver(self.scope.points.place(point, BYTE, node), BOOL, point.start % 8)
        if isinstance(node, syntax.Part):
            place = self.assignable(node.base)
            type_, shift = self.part_bounds(node, place.type)
            return typed.Receiver(place, type_, shift)
        place = self.assignable(node)
        return typed.Receiver(place, place.type, None)


def held_type(node: syntax.DirectAddress, point: Point) -> Elementary:
    """The type of what stands at an address: that of the tag which was named, or a bit string."""
    return node.held if isinstance(node.held, Elementary) else TYPES[point.width]


def _known_bounds(type_: Array | OpenArray | String) -> tuple[tuple[int, int], ...]:
    """The least and the greatest index of each dimension, so far as they are known before the run."""
    if isinstance(type_, String):
        return ((1, type_.capacity),)
    return type_.bounds if isinstance(type_, Array) else ((DINT.low, DINT.high),) * type_.dimensions


def edge_place(detector: typed.Variable, origin: syntax.Node) -> typed.Place:
    """What the body sees of an input with an edge: the output of its detector (table 40)."""
    block = detector.type
    assert isinstance(block, typed.Unit)
    return typed.Place(detector, (typed.Member(block, block.variables["Q"]),), BOOL, origin)


_PLACE: dict[type, Callable[[PlaceChecker, Any], typed.Place]] = {
    syntax.Name: PlaceChecker._root,
    syntax.MadeName: PlaceChecker._root,
    syntax.Member: PlaceChecker._member,
    syntax.MadeMember: PlaceChecker._member,
    syntax.Index: PlaceChecker._index,
    syntax.Dereference: PlaceChecker._dereference,
    syntax.DirectAddress: PlaceChecker._direct,
}

PLACES = tuple(_PLACE)
"""The kinds of syntax that lead to a place."""
