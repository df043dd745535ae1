"""Calls: pins and their arguments. IEC 61131-3:2013, 6.6.1.4 and 6.6.3.4."""

from __future__ import annotations

from upright_block.language import syntax, typed
from upright_block.language.checking.conversions import CONVERTED
from upright_block.language.checking.places import PLACES
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.standard import StandardChecker
from upright_block.language.checking.words import calls as words
from upright_block.language.nodes import record, state
from upright_block.language.types import (
    BOOL,
    BROKEN,
    DINT,
    Array,
    Elementary,
    OpenArray,
    Reference,
    String,
    Subrange,
    reference_type,
    widens,
)


@state
class Arguments:
    """What a call gives to the pins of a unit; ``failed`` are pins whose argument was reported."""

    inputs: dict[typed.Variable, typed.Expression]
    shared: dict[typed.Variable, typed.Place]
    outputs: list[tuple[typed.Variable, typed.Receiver, bool]]
    failed: set[typed.Variable]
    is_incomplete: bool = False


@record
class MethodCalled:
    """A method, and the instance it is called on; with ``is_virtual`` the kind of the instance decides which it is."""

    method: typed.Unit
    instance: typed.Place
    is_virtual: bool
    name_at: syntax.Node


class CallChecker(StandardChecker):
    """Turns calls of functions, and the arguments of instances, into typed ones."""

    def call(self, node: syntax.Call) -> typed.Expression:
        callee = node.callee
        method = self.method_called(callee)
        if method is not None:
            return self._valued(node, self.call_method(node, method))
        name = callee.name.upper() if isinstance(callee, syntax.Name) else ""
        qualified = self.qualified(callee)
        if qualified is not None:
            return self._call_of(node, qualified)
        if not name and not self._leads_from_variable(callee):
            shown = self.text(callee)
            raise self.unknown(shown, callee, words.unknown_callee(shown), self.scope.known_names(self.source))
        if not name or self.declares(name):
            type_ = self.place(callee).type
            if isinstance(type_, typed.Unit):
                raise self._instance_in_expression(node, self.text(callee), type_)
            if hidden := self._hidden_function(name):
                raise self.problem(callee, words.hides_function(self.text(callee), type_, hidden))
            if isinstance(type_, Array) and node.arguments:
                index = [self.text(a) for a in node.arguments]
                raise self.problem(callee, words.index_in_parentheses(self.text(callee), type_, index))
            raise self.problem(callee, words.not_callable(self.text(callee), type_))
        assert isinstance(callee, syntax.Name)
        if name == "REF":
            return self._reference_to(node)
        if name in ("LOWER_BOUND", "UPPER_BOUND"):
            return self._bound(node, name)
        function = self.scope.standard.function(name)
        if function is not None:
            return self.call_standard(node, function)
        unit = self.find_unit(name)
        if unit is not None and (self.unit.is_standard or not unit.is_standard or name in self.scope.standard.names):
            return self._call_of(node, unit)
        self._no_conversion(node, callee)
        if name in words.OF_OTHER_LANGUAGES:
            raise self.problem(callee, words.function_of_other_language(callee.name))
        raise self.unknown(
            callee.name, callee, words.unknown_function(callee.name), self.scope.known_names(self.source)
        )

    def _hidden_function(self, name: str) -> str:
        """The function that a variable of this name hides, if it does."""
        if name in ("REF", "LOWER_BOUND", "UPPER_BOUND"):
            return name
        found = self.scope.standard.function(name) or (self.find_unit(name) if name else None)
        return found.name if found else ""

    def _no_conversion(self, node: syntax.Call, callee: syntax.Name) -> None:
        """Report a name that looks like a conversion between two types that have none."""
        source, _, target = callee.name.upper().partition("_TO_")
        if source in CONVERTED and target in CONVERTED:
            of = self.text(node.arguments[0].value) if len(node.arguments) == 1 else "value"
            raise self.problem(node, words.no_conversion(source, target, of))

    def _call_of(self, node: syntax.Call, unit: typed.Unit) -> typed.Expression:
        """The value of a call of a unit of the library."""
        if unit.kind != "FUNCTION":
            raise self.block_called(node.callee, unit)
        return self._valued(node, self.call_function(node, unit))

    def _valued(self, node: syntax.Call, called: typed.CallFunction) -> typed.CallFunction:
        """A call whose value is used."""
        if called.function.result is None:
            raise self.problem(node, words.gives_nothing(called.function))
        return called

    def qualified(self, callee: syntax.Expression) -> typed.Unit | None:
        """The unit that a name with its namespace stands for, as in ``Air.Fans.Speed``."""
        parts: list[str] = []
        link = callee
        while isinstance(link, syntax.Member):
            parts.append(link.name)
            link = link.base
        if not parts or not isinstance(link, syntax.Name) or self._leads_from_variable(link):
            return None
        return self.find_unit(".".join([link.name, *reversed(parts)]).upper())

    def _reference_to(self, node: syntax.Call) -> typed.Expression:
        """``REF(variable)`` (6.4.4.10)."""
        if len(node.arguments) != 1 or node.arguments[0].name:
            raise self.problem(node, words.ref_takes_one())
        place = self.place(node.arguments[0].value)
        outlives = place.root.section in ("this", "global", "in_out")
        outlives = outlives or any(isinstance(step, typed.Target) for step in place.steps)
        if not self.unit.keeps_data and not outlives:
            raise self.problem(node, words.ends_with_call(self.text(node.arguments[0].value), self.unit))
        self.check_whole(place, node.arguments[0].value)
        if not place.steps and place.root.is_code:
            raise self.problem(node, words.constant_has_no_place(place.root))
        return typed.AddressOf(reference_type(place.type), place)

    def _bound(self, node: syntax.Call, name: str) -> typed.Expression:
        """``LOWER_BOUND(array, dimension)``, a DINT; dimensions count from 1 (6.5.3)."""
        given = {a.name.upper() or ("ARR", "DIM")[i]: a.value for i, a in enumerate(node.arguments[:2])}
        if len(node.arguments) != 2 or given.keys() != {"ARR", "DIM"} or not isinstance(given["ARR"], PLACES):
            raise self.problem(node, words.bound_takes(name))
        place = self.place(given["ARR"])
        if not isinstance(place.type, (Array, OpenArray)):
            raise self.problem(given["ARR"], words.no_bounds(self.text(given["ARR"]), place))
        dimension = int(self.constant(given["DIM"], DINT, "The number of a dimension"))
        count = len(place.type.bounds) if isinstance(place.type, Array) else place.type.dimensions
        if not 1 <= dimension <= count:
            raise self.problem(given["DIM"], words.no_dimension(self.text(given["ARR"]), dimension, count))
        is_high = name == "UPPER_BOUND"
        if isinstance(place.type, Array):
            return typed.Constant(DINT, place.type.bounds[dimension - 1][is_high])
        step = typed.Bound(dimension - 1, is_high)
        return typed.Load(DINT, typed.Place(place.root, (*place.steps, step), DINT, node))

    def block_called(self, node: syntax.Node, block: typed.Unit) -> Problem:
        """Report that a block is called by its own name."""
        if block.kind == "PROGRAM":
            return self.problem(node, words.program_called(block))
        return self.problem(node, words.block_without_instance(block))

    def _instance_in_expression(self, node: syntax.Call, name: str, block: typed.Unit) -> Problem:
        outputs = block.section("output")
        pin = outputs[0].name if outputs else "pin"
        return self.problem(node, words.block_gives_no_value(name, block, pin))

    def call_function(
        self, node: syntax.Call, function: typed.Unit, instance: typed.Place | None = None, is_virtual: bool = False
    ) -> typed.CallFunction:
        """A call of a function that is written in the block language (6.6.1.4.2)."""
        given = self.arguments(node, function)
        if function.result is not None and function.result.type is BROKEN:
            raise Problem
        inputs: list[typed.Expression] = []
        left_out: list[typed.Variable] = []
        for pin in function.section("input"):
            if pin in given.inputs:
                inputs.append(given.inputs[pin])
            elif pin.type is BROKEN:
                self.unit.is_broken = True
            elif isinstance(pin.initial, (bool, int, float, str)) and (node.arguments or pin.has_initial):
                inputs.append(typed.Constant(pin.type, pin.initial))
                if not pin.has_initial and pin not in given.failed and not given.is_incomplete:
                    left_out.append(pin)
            else:
                self.report(node, words.input_missing(function, pin))
        if left_out:
            self.report(node, words.inputs_not_given(function, [pin.name for pin in left_out]))
        if any(negated for _, _, negated in given.outputs):
            raise self.problem(node, words.negated_output())
        taken = {pin: receiver for pin, receiver, _ in given.outputs}
        outputs = tuple((pin, taken[pin]) for pin in function.section("output") if pin in taken)
        type_ = BOOL if function.result is None else function.result.type
        type_ = type_.base if isinstance(type_, Elementary) else type_
        shared = tuple(place for _, place in self.in_outs(node, function, given))
        return typed.CallFunction(type_, function, tuple(inputs), shared, outputs, node, instance, is_virtual)

    def method_called(self, callee: syntax.Expression) -> MethodCalled | None:
        """The method that a callee names; None when it names none."""
        if isinstance(callee, syntax.Name):
            return self._own_method(callee)
        if not isinstance(callee, syntax.Member):
            return None
        name_at = syntax.Node(callee.name_start, callee.end)
        if isinstance(callee.base, syntax.Name) and callee.base.name.upper() == "SUPER":
            return self._base_method(callee.name, name_at)
        if isinstance(callee.base, PLACES) and self._leads_from_variable(callee.base):
            return self._method_at(self._instance_at(callee.base), callee.name, name_at)
        return None

    def _own_method(self, callee: syntax.Name) -> MethodCalled | None:
        """``name(...)``: a method of the instance at hand."""
        holder, key = self.holder, callee.name.upper()
        found = holder.method(key) if holder and not self.declares(key) else None
        if holder is None or found is None:
            return None
        return MethodCalled(found, typed.Place(holder.this, (), holder, callee), is_virtual=True, name_at=callee)

    def _base_method(self, name: str, name_at: syntax.Node) -> MethodCalled | None:
        """``SUPER.name(...)``: the method that this unit inherits."""
        holder = self.holder
        if holder is None:
            return None
        found = holder.base.method(name.upper()) if holder.base else None
        if found is None:
            raise self.problem(name_at, words.nothing_to_go_back_to(holder, name))
        return MethodCalled(found, typed.Place(holder.this, (), holder, name_at), is_virtual=False, name_at=name_at)

    def _instance_at(self, node: syntax.Expression) -> typed.Place:
        """The place of an instance; a variable of an interface leads to the one it refers to."""
        place = self.place(node)
        target = place.type.target if isinstance(place.type, Reference) else None
        if isinstance(target, typed.Unit) and target.kind == "INTERFACE":
            return typed.Place(place.root, (*place.steps, typed.Target(node.start)), target, node)
        return place

    def _method_at(self, place: typed.Place, name: str, name_at: syntax.Node) -> MethodCalled | None:
        """``instance.name(...)``"""
        owner = place.type
        if not isinstance(owner, typed.Unit):
            return None
        found = owner.method(name.upper())
        if found is None:
            if owner.kind != "INTERFACE" and (name.upper() in owner.variables or not owner.methods):
                return None
            names = [m.name for u in owner.ancestors for m in u.methods.values()]
            raise self.unknown(name, name_at, words.unknown_method(owner, name, names), names)
        is_own = place.root.section == "this" and not place.steps
        if not is_own and found.access not in ("PUBLIC", "INTERNAL"):
            raise self.problem(name_at, words.private_method(found))
        return MethodCalled(found, place, not place.is_exact, name_at)

    def _leads_from_variable(self, node: syntax.Expression) -> bool:
        """Whether a path begins with a variable, and not with a namespace."""
        while isinstance(node, (syntax.Member, syntax.Index, syntax.Dereference)):
            node = node.base
        return isinstance(node, syntax.Name) and (node.name.upper() == "THIS" or self.declares(node.name.upper()))

    def call_method(self, node: syntax.Call, called: MethodCalled) -> typed.CallFunction:
        """A call of a method (6.6.5.6)."""
        method = called.method
        if not called.is_virtual and method.has("ABSTRACT"):
            raise self.problem(called.name_at, words.abstract_called(method))
        return self.call_function(node, method, called.instance, called.is_virtual)

    def in_outs(
        self, node: syntax.Call, unit: typed.Unit, given: Arguments
    ) -> list[tuple[typed.Variable, typed.Place]]:
        """The variables that a call gives to the in-outs of a unit, which it must do each time (6.6.1.2.2)."""
        found: list[tuple[typed.Variable, typed.Place]] = []
        for pin in unit.section("in_out"):
            if pin in given.shared:
                found.append((pin, given.shared[pin]))
            elif pin not in given.failed:
                self.report(node, words.in_out_missing(unit, pin))
        return found

    def arguments(self, node: syntax.Call, unit: typed.Unit) -> Arguments:
        """The arguments of a call by pin; those that are wrong are reported and left out."""
        given = Arguments({}, {}, [], set())
        positional = unit.positional
        formal = any(a.name for a in node.arguments)
        wanted = len(unit.section("input") + unit.section("in_out"))
        compared = {
            a
            for a in node.arguments
            if not a.name and self._names_pin(a.value, unit) and not self.source.text.startswith("(", a.start)
        }
        formal = formal or bool(compared)
        if node.arguments and not formal and len(node.arguments) < wanted:
            given.is_incomplete = True
            count = len(node.arguments)
            self.report(node, words.arguments_missing(unit, wanted, count))
        unnamed = False
        for index, argument in enumerate(node.arguments):
            pin: typed.Variable | None = None
            try:
                if argument in compared:
                    given.is_incomplete = True
                    written = self.text(argument).replace("=", ":=", 1)
                    raise self.problem(argument, words.comparison_as_argument(written))
                if argument.name:
                    pin = self._pin(argument, unit)
                elif formal and unnamed:
                    continue
                elif formal:
                    unnamed = True
                    raise self.problem(argument, words.unnamed_argument(self.text(argument), unit))
                elif index >= len(positional) or (
                    positional[index].section == "output" and not isinstance(argument.value, (*PLACES, syntax.Part))
                ):
                    count = len(unit.section("input") + unit.section("in_out"))
                    raise self.problem(argument, words.too_many_arguments(unit, count, index))
                else:
                    pin = positional[index]
                self._argument(argument, pin, given)
            except Problem:
                if pin is not None:
                    given.failed.add(pin)
                    self.note_missing(argument.value, pin.type, pin.section == "output")
        return given

    @staticmethod
    def _names_pin(node: syntax.Expression, unit: typed.Unit) -> bool:
        """Whether an argument compares what has the name of a pin."""
        if not isinstance(node, syntax.Binary) or node.operator != "=" or not isinstance(node.left, syntax.Name):
            return False
        pin = unit.variables.get(node.left.name.upper())
        return pin is not None and pin.section == "input"

    def _argument(self, argument: syntax.Argument, pin: typed.Variable, given: Arguments) -> None:
        if pin in given.inputs or pin in given.shared or any(pin is taken for taken, _, _ in given.outputs):
            raise self.problem(argument, words.pin_twice(pin))
        if pin.type is BROKEN:
            self.unit.is_broken = True
            raise Problem
        if pin.section == "output":
            given.outputs.append((pin, self._output(argument, pin), argument.negated))
        elif pin.section == "in_out":
            given.shared[pin] = self._in_out(argument.value, pin)
        else:
            given.inputs[pin] = self.value(argument.value, pin.type, pin.name)

    def _in_out(self, node: syntax.Expression, pin: typed.Variable) -> typed.Place:
        """The variable of exactly the pin's type that an in-out works on."""
        if not isinstance(node, PLACES):
            raise self.problem(node, words.in_out_takes_variable(pin, self.text(node)))
        place = self.place(node)
        derived = isinstance(place.type, typed.Unit) and isinstance(pin.type, typed.Unit) and place.type.is_a(pin.type)
        is_open = isinstance(pin.type, OpenArray) and pin.type.takes(place.type)
        if place.type is not pin.type and not derived and not is_open:
            raise self.problem(node, words.in_out_type(pin, self.text(node), place))
        self.check_writable(place, node)
        return place

    def _pin(self, argument: syntax.Argument, unit: typed.Unit) -> typed.Variable:
        pin = unit.variables.get(argument.name.upper())
        name_at = self._name_at(argument)
        if pin is None or pin.section not in ("input", "output", "in_out"):
            self.check_enable(argument)
            sections = ("output",) if argument.output else ("input", "in_out")
            names = [v.name for v in unit.variables.values() if v.section in sections]
            if pin is not None:
                raise self.problem(name_at, words.private_pin(pin, unit))
            raise self.unknown(argument.name, name_at, words.unknown_pin(unit, argument.name), names)
        if argument.output and pin.section != "output":
            if isinstance(argument, syntax.WiredArgument):
                raise self.problem(argument, words.arrow_at_input(pin, unit, self.text(argument)))
            raise self.problem(name_at, words.input_taken(pin, unit))
        if not argument.output and pin.section == "output":
            if isinstance(argument, syntax.WiredArgument):
                raise self.problem(argument, words.output_in_cell(pin, unit, self.text(argument)))
            raise self.problem(name_at, words.output_given(pin, unit))
        return pin

    def _name_at(self, argument: syntax.Argument) -> syntax.Node:
        """Where the name of the pin of an argument stands; in a table that is the head of its column."""
        if isinstance(argument, syntax.WiredArgument):
            return syntax.Node(argument.head_start, argument.head_end)
        written = self.source.text[argument.start : argument.end].split(":=")[0].split("=>")[0]
        return syntax.Node(argument.start, argument.start + len(written.rstrip()))

    def _output(self, argument: syntax.Argument, pin: typed.Variable) -> typed.Receiver:
        """Where the value of an output goes; it may widen on the way."""
        receiver = self.receiver(argument.value)
        target = receiver.type
        texts = isinstance(target, String) and isinstance(pin.type, String) and target.width == pin.type.width
        fits = target is pin.type or texts
        if isinstance(target, Elementary) and isinstance(pin.type, Elementary) and not fits:
            fits = not isinstance(target, Subrange) and (pin.type.base is target or widens(pin.type.base, target))
        if not fits:
            raise self.problem(argument.value, words.output_type(self.text(argument.value), target, pin))
        if argument.negated and pin.type.family not in ("bool", "bits"):
            raise self.problem(argument, words.negated_number(pin))
        return receiver
