"""Calls: pins and their arguments. IEC 61131-3:2013, 6.6.1.4 and 6.6.3.4."""

from __future__ import annotations

from upright_block.language import syntax, typed
from upright_block.language.checking.expressions import ExpressionChecker, default_type, pins_of
from upright_block.language.checking.reporter import Problem
from upright_block.language.signatures import StandardFunction
from upright_block.language.types import BROKEN, LREAL, Elementary, common, in_group, widens


class CallChecker(ExpressionChecker):
    """Turns calls of functions, and the arguments of instances, into typed ones."""

    def call(self, at: syntax.Call) -> typed.Expression:
        callee = at.callee
        if isinstance(callee, syntax.Member):
            path = self.path(callee)
            if isinstance(path[-1].type, typed.Unit):
                raise self._instance_in_expression(at, self.text(callee), path[-1].type)
            raise self.problem(
                "not-callable",
                callee,
                f"{self.text(callee)} is {path[-1].type} and cannot be called.",
                "Remove the parentheses.",
            )
        assert isinstance(callee, syntax.Name)
        variable = self.unit.variables.get(callee.name.upper())
        if variable is not None:
            if isinstance(variable.type, typed.Unit):
                raise self._instance_in_expression(at, variable.name, variable.type)
            if variable.type is BROKEN:
                raise Problem
            raise self.problem(
                "not-callable",
                callee,
                f"{variable.name} is {variable.type} and cannot be called.",
                "Remove the parentheses.",
            )
        unit = self.find_unit(callee.name.upper())
        if unit is not None:
            if unit.kind == "FUNCTION_BLOCK":
                raise self.block_called(callee, unit)
            return self.call_function(at, unit)
        function = self.scope.standard.function(callee.name.upper())
        if function is not None:
            return self._call_standard(at, function)
        raise self.unknown(callee.name, callee, f"There is no function {callee.name}.", self.scope.known_names(),
                           "Write the function, or correct its name.")  # fmt: skip

    def block_called(self, at: syntax.Node, block: typed.Unit) -> Problem:
        """Report that a block is called by its own name."""
        return self.problem("block-without-instance", at, f"{block.name} is a block; each use of it needs an instance with data of its own.",
                            f"Declare one (VAR my_{block.name.lower()} : {block.name}; END_VAR) and call my_{block.name.lower()}(...).")  # fmt: skip

    def _instance_in_expression(self, at: syntax.Call, name: str, block: typed.Unit) -> Problem:
        outputs = block.section("output")
        pin = outputs[0].name if outputs else "pin"
        return self.problem("no-value", at, f"The call of {name} gives no value: {block} is a block.",
                            f"Call it in a statement of its own, then use {name}.{pin}.")  # fmt: skip

    def call_function(self, at: syntax.Call, function: typed.Unit) -> typed.CallFunction:
        """A call of a function that is written in the block language (6.6.1.4.2)."""
        if function.result is None:
            self.unit.is_broken = True
            raise Problem
        self.unit.uses[function.key] = function
        pins = function.section("input")
        inputs, outputs = self.arguments(at, function, pins)
        for pin in pins:
            if pin not in inputs:
                if pin.initial is None or pin.type is BROKEN:
                    self.report(
                        "missing-pin",
                        at,
                        f"{function.name} needs a value for its input {pin.name}.",
                        f"Add {pin.name} := ... to the call.",
                    )
                    continue
                assert isinstance(pin.type, Elementary)
                inputs[pin] = typed.Constant(pin.type, pin.initial)
        assert isinstance(function.result.type, Elementary)
        if any(negated for _, _, negated in outputs):
            raise self.problem(
                "not-supported",
                at,
                "NOT before an output of a function is not read by this version.",
                "Negate in a statement of its own.",
            )
        values = tuple(inputs[pin] for pin in pins if pin in inputs)
        return typed.CallFunction(
            function.result.type, function, values, tuple((v, p) for v, p, _ in outputs), at.start
        )

    def arguments(
        self, at: syntax.Call, unit: typed.Unit, positional: list[typed.Variable]
    ) -> tuple[dict[typed.Variable, typed.Expression], list[tuple[typed.Variable, typed.Place, bool]]]:
        """The arguments of a call by pin: values of inputs, places that take outputs."""
        inputs: dict[typed.Variable, typed.Expression] = {}
        outputs: list[tuple[typed.Variable, typed.Place, bool]] = []
        formal = any(a.name for a in at.arguments)
        for index, argument in enumerate(at.arguments):
            try:
                if not argument.name:
                    if formal:
                        raise self.problem("unnamed-pin", argument, f"{self.text(argument)} has no pin; the other arguments name theirs.",
                                           f"Write pin := {self.text(argument)}. {pins_of(unit)}")  # fmt: skip
                    if index >= len(positional):
                        raise self.problem("too-many-arguments", argument, f"{unit.name} has {_count(len(positional), 'input')}; this is argument {index + 1}.",
                                           pins_of(unit))  # fmt: skip
                    self._input(argument, positional[index], inputs)
                    continue
                pin = self._pin(argument, unit)
                if argument.output:
                    outputs.append((pin, self._output_place(argument, pin), argument.negated))
                else:
                    self._input(argument, pin, inputs)
            except Problem:
                continue
        return inputs, outputs

    def _pin(self, argument: syntax.Argument, unit: typed.Unit) -> typed.Variable:
        pin = unit.variables.get(argument.name.upper())
        end = argument.start + len(
            self.source.text[argument.start : argument.end].split(":=")[0].split("=>")[0].rstrip()
        )
        name_at = syntax.Node(argument.start, end)
        if pin is None or pin.section not in ("input", "output"):
            names = [v.name for v in unit.section("output" if argument.output else "input")]
            if pin is not None:
                raise self.problem(
                    "private-data",
                    name_at,
                    f"{pin.name} is private data of {unit.name} and no pin.",
                    pins_of(unit),
                )
            raise self.unknown(
                argument.name, name_at, f"{unit.name} has no pin {argument.name}.", names, pins_of(unit)
            )
        if argument.output and pin.section == "input":
            raise self.problem(
                "wrong-direction",
                name_at,
                f"{pin.name} is an input of {unit.name}; => takes the value of an output.",
                f"Write {pin.name} := ...",
            )
        if not argument.output and pin.section == "output":
            raise self.problem("wrong-direction", name_at, f"{pin.name} is an output of {unit.name} and cannot be given a value.",
                               f"Write {pin.name} => variable to take its value.")  # fmt: skip
        return pin

    def _input(
        self, argument: syntax.Argument, pin: typed.Variable, inputs: dict[typed.Variable, typed.Expression]
    ) -> None:
        if pin in inputs:
            raise self.problem(
                "pin-twice",
                argument,
                f"{pin.name} is given a value twice in this call.",
                "Remove one of them.",
            )
        if isinstance(pin.type, typed.Unit) or pin.type is BROKEN:
            self.unit.is_broken = True
            raise Problem
        inputs[pin] = typed.Constant(pin.type, 0)
        inputs[pin] = self.value(argument.value, pin.type, pin.name)

    def _output_place(self, argument: syntax.Argument, pin: typed.Variable) -> typed.Place:
        place = self.assignable(argument.value)
        if isinstance(pin.type, typed.Unit) or pin.type is BROKEN:
            self.unit.is_broken = True
            raise Problem
        if place.type is not pin.type and not widens(pin.type, place.type):
            raise self.problem("type-mismatch", argument.value, f"{self.text(argument.value)} is {place.type}; {pin.name} is {pin.type}.",
                               f"Take it into a variable of type {pin.type}.")  # fmt: skip
        if argument.negated and pin.type.family not in ("bool", "bits"):
            raise self.problem(
                "type-mismatch",
                argument,
                f"NOT needs a BOOL or a bit string; {pin.name} is {pin.type}.",
                "Remove NOT.",
            )
        return place

    def _call_standard(self, at: syntax.Call, function: StandardFunction) -> typed.Expression:
        """A call of a standard function; pins of type T take their common type (6.6.1.7)."""
        given: dict[int, tuple[syntax.Argument, typed.Expression]] = {}
        for index, argument in enumerate(at.arguments):
            place = function.index(argument.name) if argument.name else index
            pin = None if place is None else function.pin(place)
            if place is None or pin is None or argument.output:
                names = ", ".join(p.name for p in function.pins) or "none"
                if argument.name:
                    raise self.problem(
                        "unknown-name",
                        argument,
                        f"{function.name} has no {'output' if argument.output else 'input'} {argument.name}.",
                        f"Its inputs are {names}.",
                    )
                raise self.problem(
                    "too-many-arguments",
                    argument,
                    f"{function.name} has {_count(len(function.pins), 'input')}; this is argument {index + 1}.",
                    f"Its inputs are {names}.",
                )
            given[place] = (argument, self.expression(argument.value))
        for index, pin_ in enumerate(function.pins):
            if index not in given:
                raise self.problem(
                    "missing-pin",
                    at,
                    f"{function.name} needs a value for its input {pin_.name}.",
                    "Add it to the call.",
                )
        order = sorted(given)
        own_types = {i for i in order if (own := function.pin(i)) and own.type is not None}
        common_type = self._bound_type(at, function, [given[i] for i in order if i not in own_types])
        inputs: list[typed.Expression] = []
        for index in order:
            argument, found = given[index]
            pin = function.pin(index)
            assert pin is not None
            wanted = pin.type or common_type
            assert wanted is not None
            inputs.append(self.coerce(found, wanted, argument.value, f"{pin.name} of {function.name}"))
        result = function.result or common_type
        assert result is not None
        return typed.CallStandard(result, function.name, tuple(inputs), at.start)

    def _bound_type(
        self,
        at: syntax.Call,
        function: StandardFunction,
        bound: list[tuple[syntax.Argument, typed.Expression]],
    ) -> Elementary | None:
        """The type T of this call: the nearest common one of its arguments."""
        if not bound:
            return None
        typed_ones = [found.type for _, found in bound if found.type.family != "untyped"]
        if not typed_ones:
            literals = [found for _, found in bound if isinstance(found, typed.Constant)]
            defaults = [default_type(found) for found in literals]
            type_: Elementary | None = LREAL if LREAL in defaults else max(defaults, key=lambda t: t.bits)
        else:
            type_ = typed_ones[0]
            for other in typed_ones[1:]:
                joined = common(type_, other) if type_ else None
                if joined is None:
                    raise self.problem("type-mismatch", at, f"The inputs of {function.name} have no type in common: {', '.join(sorted({t.name for t in typed_ones}))}.",
                                       "Convert them to one type.")  # fmt: skip
                type_ = joined
        assert type_ is not None
        if not in_group(type_, function.group):
            raise self.problem(
                "type-mismatch",
                at,
                f"{function.name} takes {_GROUP_WORDS[function.group]}; this is {type_}.",
                "Convert the value first.",
            )
        return type_


_GROUP_WORDS = {
    "ANY_NUM": "numbers",
    "ANY_REAL": "REAL or LREAL",
    "ANY_INT": "integers",
    "ANY_ELEMENTARY": "elementary values",
}


def _count(n: int, noun: str) -> str:
    return f"{'no' if n == 0 else n} {noun}{'' if n == 1 else 's'}"
