"""The meaning of statements. IEC 61131-3:2013, 7.3.3."""

from __future__ import annotations

from bisect import bisect_left, insort
from collections.abc import Callable, Iterable
from contextlib import suppress
from itertools import chain
from typing import Any

from upright_block.language import syntax, typed
from upright_block.language.checking.calls import CallChecker
from upright_block.language.checking.places import held_type
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.words import statements as words
from upright_block.language.checking.words.places import input_point_assigned
from upright_block.language.literals import shown
from upright_block.language.types import BOOL, BROKEN, Elementary, is_integer

Range = tuple[int, int]


class StatementChecker(CallChecker):
    """Turns the body of a unit into typed statements."""

    loops: int = 0
    made: syntax.Made | None = None
    loop_variables: tuple[tuple[typed.Variable, ...], ...] = ()

    def body(self, statements: Iterable[syntax.Statement]) -> tuple[typed.Statement, ...]:
        """All statements; one that is wrong is reported and left out."""
        found: list[typed.Statement] = []
        for statement in statements:
            with suppress(Problem):
                found.append(self._statement(statement))
        return tuple(found)

    def _statement(self, node: syntax.Statement) -> typed.Statement:
        before = self.made
        self.made = node if isinstance(node, syntax.Made) else None
        written = node.statement if isinstance(node, syntax.Made) else node
        assert written is not None
        try:
            return self._enabled(written) or _CHECK[type(written)](self, written)
        finally:
            self.made = before

    def _origin(self, node: syntax.Node) -> syntax.Node:
        """What a statement or a branch comes from."""
        return self.made or node

    def _enabled(self, node: syntax.Statement) -> typed.Statement | None:
        """A call with EN or ENO, where the callee has no such pins of its own (6.6.1.5).

        With EN false nothing is done, so that all outputs stay as they are; ENO tells.
        """
        call = (
            node.call
            if isinstance(node, syntax.CallStatement)
            else node.value
            if isinstance(node, syntax.Assignment)
            else None
        )
        if not isinstance(call, syntax.Call):
            return None
        own = [a for a in call.arguments if a.name.upper() in ("EN", "ENO")]
        if not own or self._has_enable(call.callee):
            return None
        rest = tuple(a for a in call.arguments if a not in own)
        plain = syntax.Call(call.start, call.end, call.callee, rest)
        condition: typed.Expression = typed.Constant(BOOL, value=True)
        receiver: typed.Receiver | None = None
        for argument in own:
            if argument.output != (argument.name.upper() == "ENO"):
                sign = "=>" if argument.name.upper() == "ENO" else ":="
                raise self.problem(argument, words.enable_direction(argument.name, sign))
            if argument.output:
                receiver = self.receiver(argument.value)
                if receiver.type is not BOOL:
                    raise self.problem(argument.value, words.eno_type(self.text(argument.value), receiver))
            else:
                condition = self.condition(argument.value, "EN")
        inner: syntax.Statement = syntax.CallStatement(node.start, node.end, plain)
        if isinstance(node, syntax.Assignment):
            inner = syntax.Assignment(node.start, node.end, node.target, plain)
        done = _CHECK[type(inner)](self, inner)
        made = syntax.Made(node.start, node.end, role="enable")
        branch = typed.Branch(made, condition, (done, *self._tell(made, receiver, value=True)))
        return typed.If(made, (branch,), self._tell(made, receiver, value=False))

    def _tell(self, origin: syntax.Made, receiver: typed.Receiver | None, value: bool) -> tuple[typed.Statement, ...]:
        """ENO with its value."""
        if receiver is None:
            return ()
        told = typed.Constant(BOOL, value)
        if receiver.shift is None:
            return (typed.Assign(origin, receiver.place, told),)
        return (typed.AssignPart(origin, receiver.place, BOOL, receiver.shift, told),)

    def _has_enable(self, callee: syntax.Expression) -> bool:
        """Whether a callee declares EN or ENO itself."""
        unit: object = None
        method = self.method_called(callee)
        if method is not None:
            unit = method.method
        elif not isinstance(callee, syntax.Name) or self._is_variable(callee):
            unit = self.place(callee).type
        elif self.scope.standard.function(callee.name.upper()) is None:
            unit = self.find_unit(callee.name.upper())
        return isinstance(unit, typed.Unit) and ("EN" in unit.variables or "ENO" in unit.variables)

    def _assignment(self, node: syntax.Assignment) -> typed.Statement:
        target = self.meant(node.target)
        if isinstance(target, syntax.DirectAddress):
            return self._to_point(node, target)
        try:
            receiver = self.receiver(node.target)
        except Problem:
            value = self._check_alone(node.value)
            if value is not None:
                self.note_missing(node.target, value.type, is_output=True)
            raise
        place = receiver.place
        value = self.value(node.value, receiver.type, self.text(node.target))
        if receiver.shift is None:
            return typed.Assign(self._origin(node), place, value)
        assert isinstance(receiver.type, Elementary)
        return typed.AssignPart(self._origin(node), place, receiver.type, receiver.shift, value)

    def _to_point(self, node: syntax.Assignment, target: syntax.DirectAddress) -> typed.Statement:
        """``%QX0.3 := value;``"""
        point = self.point(target)
        value = self.value(node.value, held_type(target, point), self.text(target))
        if point.area == "I":
            raise self.problem(target, input_point_assigned(self.text(target), self.is_rig))
        return self.scope.points.store(point, value, self._origin(node), target)

    def check_writable(self, place: typed.Place, node: syntax.Expression) -> None:
        """Report a place that may not be written to here; one that counts a loop is among them (7.3.3.4.2)."""
        super().check_writable(place, node)
        if _path(place) in self.loop_variables:
            self.report(node, words.loop_variable_assigned(self.text(node)))

    def _check_alone(self, node: syntax.Expression) -> typed.Expression | None:
        """Report what is wrong inside an expression whose receiver is already known to be wrong; its value, if it has
        one.
        """
        try:
            return self.any_value(node)
        except Problem:
            return None

    def _call_statement(self, node: syntax.CallStatement) -> typed.Statement:
        call = node.call
        if isinstance(call.callee, syntax.Name) and call.callee.name.upper() == "ASSERT":
            return self._assert(call)
        method = self.method_called(call.callee)
        if method is not None:
            return typed.Evaluate(self._origin(node), self.call_method(call, method))
        if isinstance(call.callee, syntax.Name) and call.callee.name.upper() == "SUPER":
            return self._call_base(call)
        qualified = self.qualified(call.callee)
        if qualified is not None:
            if qualified.kind != "FUNCTION":
                raise self.block_called(call.callee, qualified)
            return typed.Evaluate(self._origin(node), self.call_function(call, qualified))
        if isinstance(call.callee, syntax.Name) and not self._is_variable(call.callee):
            if self.scope.standard.function(call.callee.name.upper()) is not None:
                raise self.problem(node, words.value_unused(call.callee.name))
            unit = self.find_unit(call.callee.name.upper())
            if unit is not None and unit.kind == "FUNCTION":
                return typed.Evaluate(self._origin(node), self.call_function(call, unit))
            if unit is not None:
                raise self.block_called(call.callee, unit)
            names = chain((v.name for v in self.unit.variables.values()), self.scope.known_names(self.source))
            raise self.unknown(call.callee.name, call.callee, words.unknown_callee(call.callee.name), names)
        place = self.place(call.callee)
        block = place.type
        if isinstance(block, typed.Unit) and block.kind == "CLASS":
            raise self.problem(call.callee, words.class_called(self.text(call.callee), block))
        if not isinstance(block, typed.Unit):
            raise self.problem(call.callee, words.not_callable(self.text(call.callee), block))
        if isinstance(call, syntax.BoxCall):
            self._check_box(call, block)
        given = self.arguments(call, block)
        shared = tuple(self.in_outs(call, block, given))
        return typed.CallInstance(
            self._origin(node),
            place,
            block,
            tuple(given.inputs.items()),
            shared,
            tuple(given.outputs),
            not place.is_exact,
        )

    def _check_box(self, call: syntax.BoxCall, block: typed.Unit) -> None:
        """Report what a box of a ladder says of the block that is no truth."""
        if self.find_unit(call.box.name.upper()) is not block:
            raise self.problem(call.box, words.other_box(self.text(call.callee), block, call.box.name))
        for label in call.labels:
            pin = block.variables.get(label.name.upper())
            is_pin = pin is not None and pin.section in ("input", "output", "in_out")
            if not is_pin and label.name.upper() not in ("EN", "ENO"):
                pins = [v.name for v in block.variables.values() if v.section in ("input", "output", "in_out")]
                raise self.unknown(label.name, label, words.no_such_pin(block, label.name), pins)

    def _assert(self, call: syntax.Call) -> typed.Statement:
        """``ASSERT(condition);``"""
        if len(call.arguments) != 1 or call.arguments[0].name.upper() not in ("", "IN"):
            raise self.problem(call, words.assert_takes())
        return typed.Assert(call, self.condition(call.arguments[0].value, "ASSERT"))

    def _call_base(self, call: syntax.Call) -> typed.Statement:
        """``SUPER();`` runs the body of the block that this one extends (6.6.5.5.3)."""
        base = self.unit.base
        if base is None or base.kind != "FUNCTION_BLOCK" or call.arguments:
            raise self.problem(call, words.no_base(self.unit))
        instance = typed.Place(self.unit.this, (), base, call.callee)
        called = typed.CallInstance(call, instance, base, (), (), ())
        made = syntax.Made(call.start, call.end)
        again = tuple(_detect_again(made, detector) for detector in base.edges.values())
        branch = typed.Branch(made, typed.Constant(BOOL, value=True), (*again, called))
        return typed.If(made, (branch,), ()) if again else called

    def _is_variable(self, node: syntax.Name) -> bool:
        return node.name.upper() == "THIS" or self.declares(node.name.upper())

    # --- selection ---

    def _if(self, node: syntax.If) -> typed.Statement:
        branches: list[typed.Branch] = []
        for index, branch in enumerate(node.branches):
            condition = self._decide(branch.condition, "ELSIF" if index else "IF")
            branches.append(typed.Branch(self._origin(branch), condition, self.body(branch.body)))
        return typed.If(self._origin(node), tuple(branches), self.body(node.otherwise or ()))

    def _decide(self, node: syntax.Expression, what: str) -> typed.Expression:
        """A condition; when it is wrong the statement is still looked through."""
        try:
            return self.condition(node, what)
        except Problem:
            return typed.Constant(BROKEN, value=False)

    def _case(self, node: syntax.Case) -> typed.Statement:
        selector: typed.Expression | None
        try:
            selector = self.any_value(node.selector)
            if selector.type.family not in ("signed", "unsigned", "bits", "enumeration", "char"):
                raise self.problem(node.selector, words.case_selector(self.text(node.selector), selector.type))
        except Problem:
            selector = None
        taken: list[Range] = []
        arms: list[typed.Arm] = []
        for arm in node.arms:
            ranges: list[tuple[int, int]] = []
            for label in arm.labels:
                try:
                    if selector is not None:
                        assert isinstance(selector.type, Elementary)
                        ranges += self._label(label, selector.type, taken)
                except Problem:
                    continue
            arms.append(typed.Arm(arm, tuple(ranges), self.body(arm.body)))
        otherwise = self.body(node.otherwise or ())
        if selector is None:
            raise Problem
        return typed.Case(node, selector, tuple(arms), otherwise)

    def _label(self, node: syntax.Label, type_: Elementary, taken: list[Range]) -> list[Range]:
        """The values of a label that no branch above has; of overlapping ones the first branch runs (7.3.3.3.3)."""
        low = int(self.constant(node.low, type_, "A label of CASE"))
        high = low if node.high is None else int(self.constant(node.high, type_, "A label of CASE"))
        if high < low:
            raise self.problem(node, words.empty_range(self.text(node), low, high))
        free: list[Range] = []
        first = bisect_left(taken, (low, low))
        first -= first > 0 and taken[first - 1][1] >= low
        last = first
        start = low
        both: list[str] = []
        while last < len(taken) and taken[last][0] <= high:
            begin, end = max(low, taken[last][0]), min(high, taken[last][1])
            both.append(shown(begin, type_) + (f"..{shown(end, type_)}" if end > begin else ""))
            if begin > start:
                free.append((start, begin - 1))
            start = end + 1
            last += 1
        if start <= high:
            free.append((start, high))
        if both:
            self.report(node, words.label_twice(both))
        for made in free:
            insort(taken, made)
        return free

    # --- iteration ---

    def _for(self, node: syntax.For) -> typed.Statement:
        if isinstance(node.variable, syntax.Literal) and node.variable.kind == "broken":
            self.unit.is_broken = True
            self._loop_body(node.body)
            raise Problem
        try:
            place = self.assignable(node.variable)
            path = _path(place)
            if path is None:
                raise self.problem(node.variable, words.for_variable(self.text(node.variable)))
            if not isinstance(place.type, Elementary) or not is_integer(place.type):
                raise self.problem(node.variable, words.for_variable_type(self.text(node.variable), place))
            name = self.text(node.variable)
            first = self.value(node.first, place.type, name)
            last = self.value(node.last, place.type, name)
            step = self.value(node.step, place.type, name) if node.step else typed.Constant(place.type, 1)
            if isinstance(step, typed.Constant) and step.value == 0:
                raise self.problem(node.step or node, words.step_of_zero())
        except Problem:
            self._loop_body(node.body)
            raise
        outer = self.loop_variables
        self.loop_variables = (*outer, path)
        body = self._loop_body(node.body)
        self.loop_variables = outer
        return typed.For(node, place, first, last, step, body)

    def _loop_body(self, statements: Iterable[syntax.Statement]) -> tuple[typed.Statement, ...]:
        self.loops += 1
        body = self.body(statements)
        self.loops -= 1
        return body

    def _while(self, node: syntax.While) -> typed.Statement:
        condition = self._decide(node.condition, "WHILE")
        return typed.While(node, condition, self._loop_body(node.body))

    def _repeat(self, node: syntax.Repeat) -> typed.Statement:
        body = self._loop_body(node.body)
        return typed.Repeat(node, body, self._decide(node.condition, "UNTIL"))

    def _exit(self, node: syntax.Exit) -> typed.Statement:
        return self._in_loop(node, typed.Exit(node))

    def _continue(self, node: syntax.Continue) -> typed.Statement:
        return self._in_loop(node, typed.Continue(node))

    def _in_loop(self, node: syntax.Statement, made: typed.Statement) -> typed.Statement:
        if not self.loops:
            raise self.problem(node, words.outside_a_loop(self.text(node)))
        return made

    def _return(self, node: syntax.Return) -> typed.Statement:
        return typed.Return(node)


def _path(place: typed.Place) -> tuple[typed.Variable, ...] | None:
    """The variables that lead to a place by their names alone; None where an index or a reference is on the way."""
    members = [step.variable for step in place.steps if isinstance(step, typed.Member)]
    return (place.root, *members) if len(members) == len(place.steps) else None


def _detect_again(origin: syntax.Made, detector: typed.Variable) -> typed.Statement:
    """Set the detector of an edge back, so that its next call in this scan finds what the last one found."""
    block = detector.type
    assert isinstance(block, typed.Unit)
    memory, found = (
        typed.Place(detector, (typed.Member(block, block.variables[name]),), BOOL, origin) for name in ("M", "Q")
    )
    return typed.Assign(origin, memory, typed.Unary(BOOL, "NOT", typed.Load(BOOL, found), detector.start))


_CHECK: dict[type, Callable[[StatementChecker, Any], typed.Statement]] = {
    syntax.Assignment: StatementChecker._assignment,
    syntax.CallStatement: StatementChecker._call_statement,
    syntax.If: StatementChecker._if,
    syntax.Case: StatementChecker._case,
    syntax.For: StatementChecker._for,
    syntax.While: StatementChecker._while,
    syntax.Repeat: StatementChecker._repeat,
    syntax.Exit: StatementChecker._exit,
    syntax.Continue: StatementChecker._continue,
    syntax.Return: StatementChecker._return,
}
