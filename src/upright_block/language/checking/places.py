"""Places: which variable, element, field or target a name and what follows it lead to. IEC 61131-3:2013, 6.5, 6.6."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from upright_block.language import syntax, typed
from upright_block.language.checking.reporter import Problem, Reporter
from upright_block.language.names import listed
from upright_block.language.types import (
    BOOL,
    BROKEN,
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
_SAME_WIDTH = {8: "BYTE", 16: "WORD", 32: "DWORD", 64: "LWORD"}


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
        shown = self.text(node)
        way_out = f"Name one of its pins, such as {shown}.{pins[0].name}." if pins else "Name one of its pins."
        return self.problem(
            "no-value", node, f"{shown} is an instance of {block} and has no value of its own.", way_out
        )

    def place(self, node: syntax.Expression) -> typed.Place:
        """The place that a name and what follows it lead to; private data of an instance is refused."""
        make = _PLACE.get(type(node))
        if isinstance(node, syntax.Literal) and node.kind == "broken":
            self.unit.is_broken = True
            raise Problem
        if make is None:
            raise self.problem("no-place", node, f"{self.text(node)} is no variable.", "Name a variable or a pin.")
        return make(self, node)

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
        held = self.holder is not None and name in self.holder.variables
        return held or name in self.unit.variables or name in self.scope.globals.variables

    def _root(self, node: syntax.Name) -> typed.Place:
        key, holder = node.name.upper(), self.holder
        if key in ("THIS", "SUPER"):
            if holder is None:
                raise self.problem(
                    "outside-an-instance",
                    node,
                    f"{node.name} has no meaning in a function.",
                    "Use it in a block or a method.",
                )
            if key == "SUPER":
                raise self.problem(
                    "no-value", node, "SUPER has no value of its own.", "Call a method of it: SUPER.method(...)."
                )
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
        found = found or self.scope.globals.variables.get(key)
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
            return self.problem(
                "missing-type",
                node,
                f"{self.unit.name} has no result type, so nothing can be assigned to it.",
                f"Write FUNCTION {self.unit.name} : INT, or another type.",
            )
        callee = self.find_unit(node.name.upper())
        if callee is not None:
            if callee.kind == "FUNCTION_BLOCK":
                return self.problem(
                    "block-without-instance",
                    node,
                    f"{callee.name} is a block, not a variable.",
                    f"Declare an instance of it (VAR name : {callee.name}; END_VAR) and use its pins.",
                )
            return self.problem(
                "function-without-call",
                node,
                f"{callee.name} is a {callee.kind.lower()} and is called with parentheses.",
                f"Write {callee.name}(...).",
            )
        if node.name.upper() in _ELSEWHERE_FOR_ELSE:
            return self.problem(
                "unknown-name",
                node,
                f"{node.name} is not declared in {self.unit_shown}.",
                "In a CASE all other values stand under ELSE, without a colon.",
            )
        names = [v.name for v in self.unit.variables.values()]
        names += [v.name for v in self.holder.variables.values()] if self.holder else []
        names += [v.name for v in self.scope.globals.variables.values()]
        for key, (values, *_) in self.scope.values.items():
            if values.unit in (None, self.unit, self.unit.owner):
                names.append(values.enumeration.members[key][0])
        return self.unknown(
            node.name,
            node,
            f"{node.name} is not declared in {self.unit_shown}.",
            names,
            f"Declare {node.name} in a VAR section.",
        )

    def _member(self, node: syntax.Member) -> typed.Place:
        base = self.place(node.base)
        owner = base.type
        name_at = syntax.Node(node.name_start, node.end)
        if isinstance(owner, Reference) and isinstance(owner.target, typed.Compound):
            raise self.problem(
                "missing-dereference",
                node,
                f"{self.text(node.base)} is {owner}; its target has the {'pins' if isinstance(owner.target, typed.Unit) else 'fields'}.",
                f"Write {self.text(node.base)}^.{node.name}.",
            )
        if not isinstance(owner, typed.Compound):
            raise self.problem(
                "no-pins", node, f"{self.text(node.base)} is {owner} and has no pins.", f"Remove .{node.name}."
            )
        if isinstance(owner, typed.Structure):
            return self._field(node, base, owner, name_at)
        assert isinstance(owner, typed.Unit)
        pin = owner.variables.get(node.name.upper())
        if pin is None:
            public = [v.name for v in owner.variables.values() if v.section in ("input", "output")]
            raise self.unknown(node.name, name_at, f"{owner} has no pin {node.name}.", public, pins_of(owner))
        own = self.sees_all or (base.root.section == "this" and not base.steps)
        if pin.section == "in_out" and not own:
            raise self.problem(
                "private-data",
                name_at,
                f"{pin.name} is an in-out of {owner}; it is the caller's own variable.",
                "Use the variable that is given to it.",
            )
        if pin.section not in ("input", "output") and not own and pin.access != "PUBLIC":
            if owner.is_standard:
                way_out = pins_of(owner)
            elif self.is_target:
                way_out = f"Declare it in VAR_INPUT of {owner}."
            else:
                way_out = f"Declare it in VAR_OUTPUT of {owner}, or read an output that it has."
            raise self.problem(
                "private-data", name_at, f"{pin.name} is private data of {owner}; only its own body uses it.", way_out
            )
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
            raise self.unknown(
                node.name, name_at, f"{owner} has no field {node.name}.", names, f"Its fields are {listed(names)}."
            )
        if field.type is BROKEN:
            self.unit.is_broken = True
            raise Problem
        return typed.Place(base.root, (*base.steps, typed.Member(owner, field)), field.type, node)

    def _index(self, node: syntax.Index) -> typed.Place:
        """An element of an array, or a character of a text, counted from 1 (6.4.2)."""
        base = self.place(node.base)
        array = base.type
        if not isinstance(array, (Array, OpenArray, String)):
            raise self.problem(
                "no-array", node, f"{self.text(node.base)} is {array} and has no elements.", "Remove the index."
            )
        bounds = _known_bounds(array)
        if len(node.indices) != len(bounds):
            count = len(bounds)
            raise self.problem(
                "wrong-index",
                node,
                f"{self.text(node.base)} has {count} dimension{'' if count == 1 else 's'}; {len(node.indices)} "
                f"{'index is' if len(node.indices) == 1 else 'indices are'} given.",
                f"Write {self.text(node.base)}[{', '.join('ijklmn'[:count])}].",
            )
        indices: list[typed.Expression] = []
        for index_at, (low, high) in zip(node.indices, bounds, strict=True):
            index, type_ = self.elementary_value(index_at)
            if not is_integer(type_) and not isinstance(type_, Enumeration):
                raise self.problem(
                    "type-mismatch",
                    index_at,
                    f"An index is an integer; {self.text(index_at)} is {type_}.",
                    "Convert it to an integer.",
                )
            if isinstance(index, typed.Constant) and not low <= int(index.value) <= high:
                raise self.problem(
                    "out-of-range",
                    index_at,
                    f"The index {index.value} is outside {low}..{high}.",
                    f"{self.text(node.base)} has {'characters' if isinstance(array, String) else 'elements'} {low} to {high}.",
                )
            indices.append(index)
        step = typed.Element(array, tuple(indices), node.start)
        element = array.element if not isinstance(array, String) else CHAR if array.width == 1 else WCHAR
        return typed.Place(base.root, (*base.steps, step), element, node)

    def _dereference(self, node: syntax.Dereference) -> typed.Place:
        base = self.place(node.base)
        if not isinstance(base.type, Reference) or base.type.target is None:
            raise self.problem(
                "no-reference",
                node,
                f"{self.text(node.base)} is {base.type} and refers to nothing.",
                "Remove ^, or declare it REF_TO.",
            )
        return typed.Place(base.root, (*base.steps, typed.Target(node.start)), base.type.target, node)

    def part_bounds(self, node: syntax.Part, whole: Type) -> tuple[Elementary, int]:
        """The type of a part of a bit string, and its lowest bit (table 17)."""
        type_ = PARTS[node.size]
        if not isinstance(whole, Elementary) or whole.family != "bits":
            way_out = "Only bit strings have parts."
            if isinstance(whole, Elementary) and is_integer(whole):
                way_out = f"Convert it to a bit string: {whole}_TO_{_SAME_WIDTH[whole.bits]}({self.text(node.base)})."
            raise self.problem(
                "no-parts", node, f"{self.text(node.base)} is {whole} and has no bits of its own.", way_out
            )
        width = 1 if type_ is BOOL else type_.bits
        last = whole.bits // width - 1
        if node.number > last:
            what = {1: "bits", 8: "bytes", 16: "words", 32: "double words", 64: "long words"}[width]
            raise self.problem(
                "out-of-range",
                syntax.Node(node.part_start, node.end),
                f"{self.text(node.base)} is {whole} and has {what} 0 to {last}.",
                f"Write a number from 0 to {last}.",
            )
        return type_, node.number * width

    def assignable(self, node: syntax.Expression) -> typed.Place:
        """The place that an assignment or an output writes to."""
        self.is_target = True
        try:
            place = self.place(node)
        finally:
            self.is_target = False
        if isinstance(place.type, typed.Unit):
            raise self.problem(
                "no-place",
                node,
                f"{self.text(node)} is an instance of {place.type} and cannot be assigned.",
                f"Call it: {self.text(node)}(...);",
            )
        self.check_whole(place, node)
        self.check_writable(place, node)
        return place

    def check_whole(self, place: typed.Place, node: syntax.Expression) -> None:
        """Report an array of any bounds that is taken as a whole."""
        if isinstance(place.type, OpenArray):
            raise self.problem(
                "open-array",
                node,
                f"{self.text(node)} is {place.type}; how long it is, is not known here.",
                "Take its elements one by one, or give it to another in-out.",
            )

    def check_writable(self, place: typed.Place, node: syntax.Expression) -> None:
        """Report a place that this unit may not write to."""
        shown, root = self.text(node), place.root
        steps = place.steps
        followed = [i for i, step in enumerate(steps) if isinstance(step, typed.Target)]
        if followed:
            steps = steps[followed[-1] + 1 :]
        elif root.constant:
            raise self.problem(
                "constant-assigned",
                node,
                f"{shown} is a constant.",
                "Remove CONSTANT from its section, or assign to another variable.",
            )
        elif root.section == "input":
            raise self.problem(
                "input-assigned",
                node,
                f"{shown} is an input of {self.unit.name}; only the caller gives it a value.",
                "Copy it into a variable of your own, or make it an output.",
            )
        for number, step in enumerate(steps):
            if not isinstance(step, typed.Member):
                continue
            if root.section == "this" and number == 0 and steps is place.steps:
                if step.variable.section == "input":
                    raise self.problem(
                        "input-assigned",
                        node,
                        f"{shown} is an input of {step.owner}; only the caller gives it a value.",
                        "Copy it into a variable of your own, or make it an output.",
                    )
                continue
            if step.variable.section == "output":
                raise self.problem(
                    "output-assigned",
                    node,
                    f"{shown} is an output of {step.owner}; only that block gives it a value.",
                    "Assign to one of its inputs, or to a variable of your own.",
                )

    def receiver(self, node: syntax.Expression) -> typed.Receiver:
        """Where an output or a value goes: a place, or a part of the bit string there."""
        if isinstance(node, syntax.Part):
            place = self.assignable(node.base)
            type_, shift = self.part_bounds(node, place.type)
            return typed.Receiver(place, type_, shift)
        place = self.assignable(node)
        return typed.Receiver(place, place.type, None)


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


def pins_of(unit: typed.Unit) -> str:
    """The pins of a unit in a sentence."""
    sections = (
        ("inputs", unit.section("input")),
        ("in-outs", unit.section("in_out")),
        ("outputs", unit.section("output")),
    )
    parts = [f"{title} {listed(v.name for v in pins)}" for title, pins in sections if pins]
    return f"Its pins: {'; '.join(parts)}." if parts else "It has no pins."


_PLACE: dict[type, Callable[[PlaceChecker, Any], typed.Place]] = {
    syntax.Name: PlaceChecker._root,
    syntax.MadeName: PlaceChecker._root,
    syntax.Member: PlaceChecker._member,
    syntax.MadeMember: PlaceChecker._member,
    syntax.Index: PlaceChecker._index,
    syntax.Dereference: PlaceChecker._dereference,
}

PLACES = tuple(_PLACE)
"""The kinds of syntax that lead to a place."""
