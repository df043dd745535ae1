"""The body of a unit as WebAssembly text.

Elementary variables of the unit live in WebAssembly locals while its body runs: they are loaded at
its start and the assigned ones are stored at its end, so that machine registers hold them between.
The body of a small block without instances of its own, such as a timer, is placed into its caller:
its variables become locals of the caller for the length of the call.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import partial
from typing import Any

from upright_block.compiler.code import Code
from upright_block.compiler.expressions import ExpressionEmitter, results
from upright_block.compiler.flow import has_loops, is_short, usage, usage_inside
from upright_block.compiler.instructions import load, store, value_type
from upright_block.compiler.layout import held_type, layout_of
from upright_block.compiler.loops import write_continue, write_exit, write_for, write_repeat, write_while
from upright_block.compiler.overlay import Usage
from upright_block.compiler.places import MIRRORED, Frame, Known, copy_instructions, elementary, met
from upright_block.compiler.rolling import FEWEST, Rolled, rolled
from upright_block.language import syntax, typed
from upright_block.language.types import Array, Elementary, Enumeration, OpenArray, String, is_integer
from upright_block.language.walking import every_statement

_LONGEST_INLINED = 24
_MOST_TOGETHER = 6_000
_MOST_IN_PART = 1_500
_WEIGHT_OF_CALL = 12
_REFUSALS = {
    "TEXT__NUMBER": "text that is no number",
    "TEXT__REAL": "text that is no number",
    "FROM__BCD": "digit above 9",
    "TO__BCD": "number with too many digits",
    "CONCAT_DATE": "date that does not exist",
    "CONCAT_TOD": "time of day that does not exist",
}
"""What an assertion of a standard unit means to its caller."""
_WIDEST_TABLE = 512


class BodyEmitter(ExpressionEmitter):
    """Writes one WebAssembly function.

    Of a body that ``is_parted`` all variables lie in memory, and runs of its statements are functions of their own,
    which keep variables in locals; such a function ``is_part``.
    """

    is_parted = False
    is_part = False
    parts = 0

    def emit(self) -> None:
        """Write the function of the unit."""
        unit = self.frame.unit
        head = [f"(func ${self.code.function(unit)} (param $self i32)"]
        given = parameters(unit)
        head += [self._parameter(pin) for pin in given]
        returned = [] if unit.keeps_data else [v for v in results(unit) if isinstance(v.type, Elementary)]
        if returned:
            head.append(f"(result {' '.join(value_type(elementary(v)) for v in returned)})")
        self._finish(head, self.code.over.body(unit), given, returned)

    def emit_part(self, name: str, body: Sequence[typed.Statement]) -> None:
        """Write some statements of a body as a function of their own; it tells whether they ended in a RETURN."""
        self.is_part = True
        self.locals["$left"] = "i32"
        self._finish([f"(func ${name} (param $self i32) (result i32)"], body, (), ())

    def _finish(
        self,
        head: list[str],
        statements: Iterable[typed.Statement],
        given: Sequence[typed.Variable],
        returned: Sequence[typed.Variable],
    ) -> None:
        """Write a function with this head, around statements."""
        frame = self.frame
        self.out.append("block $leave")
        self.statements(statements)
        self.out.append("end")
        for variable in returned:
            self.read(typed.whole(variable))
        body, self.out = self.out, []
        is_told = self.code.mode.trails and not self.is_part
        if is_told:
            self._enter()
        if frame.unit.keeps_data:
            self._load_touched()
        if not self.is_part:
            self._begin(given)
        if self.uses_budget:
            self.locals["$budget"] = "i32"
            self.out.append("global.get $budget local.set $budget")
        self.out += body
        if self.uses_budget:
            self.out.append("local.get $budget global.set $budget")
        self._store_written()
        if is_told:
            self._leave()
        if self.is_part:
            self.out.append("local.get $left")
        declared = [f"(local {name} {held})" for name, held in self.locals.items() if held]
        self.code.functions.append("\n".join([" ".join(head), " ".join(declared), *self.out, ")"]))

    def _enter(self) -> None:
        from upright_block.compiler.trails import enters

        enters(self)

    def _leave(self) -> None:
        from upright_block.compiler.trails import leaves

        leaves(self)

    def _parameter(self, pin: typed.Variable) -> str:
        """The parameter of a function for a pin: its value, or its address."""
        if pin.section == "in_out" or not isinstance(pin.type, Elementary):
            name = f"${self.frame.prefix}{pin.key}.at"
            self.frame.pointers[pin] = name
            self.locals[name] = ""
            return f"(param {name} i32)"
        name = f"${self.frame.prefix}{pin.key}"
        self.frame.touched[pin] = name
        self.locals[name] = ""
        return f"(param {name} {value_type(pin.type)})"

    def _begin(self, given: Sequence[typed.Variable]) -> None:
        """What starts anew: all variables of a function, the temporary ones of a block (6.5.2.2)."""
        frame = self.frame
        if frame.unit.keeps_data:
            for variable in frame.unit.section("temp"):
                if not variable.is_code:
                    self.set_initial(variable)
            return
        for pin in given:
            place = typed.whole(pin)
            if pin.section in ("output", "result") and not isinstance(pin.type, Elementary):
                self.set_initial(pin)
            elif pin.section == "input" and isinstance(pin.type, Elementary) and not self.is_local(place):
                self.write(place, partial(self.out.append, f"local.get {frame.touched[pin]}"))
        for variable in (*frame.touched, *frame.homes):
            if variable not in given and (variable.initial or variable in frame.homes):
                self.set_initial(variable)

    def _load_touched(self) -> None:
        """Load the variables whose value before the body matters, and the addresses of in-outs."""
        frame = self.frame
        offsets = layout_of(frame.unit).offsets
        base = f"local.get {frame.base}"
        for variable, name in frame.touched.items():
            is_new = variable.section == "temp" and not self.is_part
            if variable in frame.usage.needed and not is_new:
                offset = frame.offset + offsets[variable]
                self.out.append(f"{base} {load(elementary(variable))} offset={offset} local.set {name}")
        for variable, name in frame.pointers.items():
            self.out.append(f"{base} i32.load offset={frame.offset + offsets[variable]} local.set {name}")

    def _store_written(self) -> None:
        frame = self.frame
        if not frame.unit.keeps_data:
            return
        offsets = layout_of(frame.unit).offsets
        for variable, name in frame.touched.items():
            if variable in frame.written:
                offset = frame.offset + offsets[variable]
                self.out.append(
                    f"local.get {frame.base} local.get {name} {store(elementary(variable))} offset={offset}"
                )

    # --- statements ---

    def statements(self, body: Iterable[typed.Statement]) -> None:
        """Write statements one after the other; long runs of one shape become loops."""
        mode = self.code.mode
        body = tuple(body)
        if len(body) < FEWEST or mode.covers or mode.is_in_memory or self.columns:
            self._in_parts(body)
            return
        for run in rolled(body, self.frame.unit, not mode.checks_overflow):
            if isinstance(run, Rolled):
                self._roll(run)
            else:
                self._in_parts(run)

    def _roll(self, run: Rolled) -> None:
        """One statement for each row of a table."""
        table = self.code.table(tuple(entry for row in run.rows for entry in row))
        stride = 4 * len(run.columns)
        self.counter += 1
        self.row, again = f"$row{self.counter}", self.label("again")
        self.locals[self.row] = "i32"
        self.facts = {}
        for number, (leaf, (base, _)) in enumerate(zip(run.columns, run.rows[0], strict=True)):
            self.columns[leaf] = 4 * number, base is None
        self.out.append(f"i32.const {table} local.set {self.row} loop {again}")
        self._statements((run.first,))
        self.out.append(f"local.get {self.row} i32.const {stride} i32.add local.tee {self.row}")
        self.out.append(f"i32.const {table} i32.const {stride * len(run.rows)} i32.add i32.lt_u br_if {again} end")
        self.columns, self.facts = {}, {}

    def _in_parts(self, body: Iterable[typed.Statement]) -> None:
        """Statements in functions of their own, where a body is parted; a very long one is not compiled in one
        piece.
        """
        if self.is_parted and not self.loop_labels and self.frame.leave == "$leave":
            for weight, part in _parted(body):
                if weight > _MOST_IN_PART:
                    self._statements(part)
                else:
                    self._call_part(part)
        else:
            self._statements(body)

    def _statements(self, body: Iterable[typed.Statement]) -> None:
        before, taken, at = self.statement, len(self.taken), self.at
        for statement in body:
            if isinstance(statement, (typed.Assign, typed.AssignPart, typed.CallInstance, typed.For)):
                self.statement = statement.origin.start
            self.reach(statement.origin)
            if self.code.mode.trails:
                from upright_block.compiler.trails import begins

                begins(self, statement)
            _STATEMENTS[type(statement)](self, statement)
            self.statement, self.at = before, at
            while len(self.taken) > taken:
                held, name = self.taken.pop()
                self.free[held].append(name)

    def _call_part(self, body: Sequence[typed.Statement]) -> None:
        """Statements as a function of their own."""
        self.parts += 1
        name = f"{self.code.function(self.frame.unit)}.part{self.parts}"
        part = BodyEmitter(self.code, self.frame.unit, usage(body, (), self.code.pinned))
        part.at = self.at
        part.emit_part(name, body)
        call = f"local.get $self call ${name}"
        if part.uses_budget:
            self.uses_budget = True
            call = f"local.get $budget global.set $budget {call} global.get $budget local.set $budget"
        self.out.append(f"{call} br_if $leave")
        self.facts = {}

    def reach(self, origin: syntax.Node, way: str = "") -> None:
        """Note that a statement, or one way of a branch, was reached, where that is asked for."""
        if self.code.mode.covers:
            from upright_block.compiler.noting import note

            note(self, origin, way)

    def _assign(self, node: typed.Assign) -> None:
        type_ = node.place.type
        least, most = 0, 0
        is_own = isinstance(type_, Elementary) and is_integer(type_) and self.is_own(node.place)
        if is_own:
            least, most = self.interval(node.value)
        self.write(node.place, lambda: self.expression(node.value))
        if is_own and isinstance(type_, Elementary) and (least > type_.low or most < type_.high):
            self.learn(node.place.root, least, most)

    def _assign_part(self, node: typed.AssignPart) -> None:
        if node in self.columns:
            self._assign_shifted(node)
            return
        self.write_part(node.place, node.type, node.shift, lambda: self.expression(node.value))

    def _assign_shifted(self, node: typed.AssignPart) -> None:
        """One bit whose number the table of a rolled run has."""
        whole = node.place.type
        assert isinstance(whole, Elementary)
        shift, address = self.shift_of(node), self.temporary("i32")
        offset = self.address(node.place)
        at_place = f"local.get {address} {load(whole)} offset={offset}"
        self.out.append(f"local.tee {address} {at_place} i32.const 1 {shift} i32.shl i32.const -1 i32.xor i32.and")
        self.expression(node.value)
        self.out.append(f"{shift} i32.shl i32.or {store(whole)} offset={offset}")

    def _evaluate(self, node: typed.Evaluate) -> None:
        self._call_function(node.call, clean=True)
        if node.call.function.result is not None:
            self.out.append("drop")

    def _call_instance(self, node: typed.CallInstance) -> None:
        base, offset = self.instance(node.instance)
        offsets = layout_of(node.block).offsets
        before = ""
        if self.code.mode.covers:
            from upright_block.compiler.noting import before_call

            before = before_call(self, node, base, offset)
        for _, value in node.inputs:
            self.expression(value)
        for _, place in node.shared:
            self.push_address(place)
        for pin, place in reversed(node.shared):
            if isinstance(pin.type, OpenArray) and isinstance(place.type, Array):
                self.describe(place.type, f"local.get {base}", offset + offsets[pin])
            else:
                self._store_pin(pin, base, offset + offsets[pin])
        if self.code.mode.trails:
            from upright_block.compiler.trails import calls

            calls(self)
        own = self.code.function(node.block)
        name = self.code.dispatched(node.block) if node.is_virtual else own
        if name == own and self._is_inlined(node.block):
            self._inline(node, base, offset)
        else:
            for pin, _ in reversed(node.inputs):
                self._store_pin(pin, base, offset + offsets[pin])
            self.out.append(f"local.get {base}" + (f" i32.const {offset} i32.add" if offset else ""))
            self.call(node.block, name)
        for pin, receiver, negated in node.outputs:
            at_pin = offset + offsets[pin]
            fetch = (
                f"{load(pin.type)} offset={at_pin}"
                if isinstance(pin.type, Elementary)
                else f"i32.const {at_pin} i32.add"
            )
            self.take(receiver, f"local.get {base} {fetch}", pin.type, negated)
        if self.code.mode.covers:
            from upright_block.compiler.noting import after_call

            after_call(self, node, base, offset, before)

    def _is_inlined(self, block: typed.Unit) -> bool:
        over = self.code.over
        return (
            not any(u.keeps_data for u in block.uses.values())
            and not has_loops(over, block)
            and is_short(over, block, _LONGEST_INLINED)
        )

    def _store_pin(self, pin: typed.Variable, base: str, offset: int) -> None:
        """Store the value on the stack, or copy what it is the address of."""
        type_ = held_type(pin)
        if isinstance(type_, Elementary):
            value = self.temporary(value_type(type_))
            self.out.append(f"local.set {value} local.get {base} local.get {value} {store(type_)} offset={offset}")
            self.written(base, offset, type_)
            return
        source = self.temporary("i32")
        capacity = f"i32.const {type_.capacity} " if isinstance(type_, String) else ""
        self.out.append(
            f"local.set {source} local.get {base} i32.const {offset} i32.add {capacity}"
            f"local.get {source} {copy_instructions(type_)}"
        )
        self.written(base, offset, type_)

    def _inline(self, node: typed.CallInstance, base: str, offset: int) -> None:
        """The callee's body in place of a call; the values of its inputs are on the stack."""
        outer = self.frame
        pins = [pin for pin, _ in node.inputs]
        plain = [pin for pin in pins if isinstance(pin.type, Elementary)]
        use = usage_inside(self.code.over, node.block, plain, self.code.pinned)
        inner = Frame(node.block, f"c.{self.code.function(node.block)}.", base, offset, self.label("leave"), use)
        known = self.facts
        mirrored = [pin for pin in plain if pin in use.seldom and pin not in self.code.pinned]
        self.facts = dict.fromkeys(mirrored, MIRRORED)
        self.frame = inner
        offsets = layout_of(node.block).offsets
        for pin in reversed(pins):
            if pin in mirrored:
                mirror, type_ = self.mirror(pin), elementary(pin)
                address = f"local.get {base} local.get {mirror} {store(type_)} offset={offset + offsets[pin]}"
                self.out.append(f"local.set {mirror} {address}")
            elif pin in inner.usage.seldom or not isinstance(pin.type, Elementary):
                self.frame = outer  # the caller writes the inputs
                self._store_pin(pin, base, offset + offsets[pin])
                self.frame = inner
            else:
                self.out.append(f"local.set {self.local(pin)}")
                inner.written.add(pin)
        before, self.out = self.out, []
        self.out.append(f"block {inner.leave}")
        self.statements(self.code.over.body(node.block))
        self.out.append("end")
        body, self.out = self.out, before
        if self.code.mode.trails:
            self._enter()
        self._load_touched()
        self._begin(())
        self.out += body
        self._store_written()
        if self.code.mode.trails:
            self._leave()
        self.frame, self.facts = outer, known

    def _if(self, node: typed.If) -> None:
        ends: list[Known] = []
        for index, branch in enumerate(node.branches):
            if index:
                self.out.append("else")
                self.reach(node.branches[index - 1].origin, "FALSE")
            self.expression(branch.condition)
            self.out.append("if")
            self.reach(branch.origin, "TRUE")
            ends.append(self._way(branch.body))
        if node.otherwise or self.code.mode.covers:
            self.out.append("else")
        self.reach(node.branches[-1].origin, "FALSE")
        ends.append(self._way(node.otherwise))
        self.facts = met(ends)
        self.out.append("end " * len(node.branches))

    def _way(self, body: Iterable[typed.Statement]) -> Known:
        """Write one of several ways; what is known at its end, while what was known before it stays."""
        before = self.facts
        self.facts = dict(before)
        self.statements(body)
        end, self.facts = self.facts, before
        return end

    def _case(self, node: typed.Case) -> None:
        """A jump table where the labels lie close together, else one comparison after the other."""
        type_ = node.selector.type
        assert isinstance(type_, Elementary)
        held = value_type(type_)
        done, otherwise = self.label("done"), self.label("else")
        labels = [self.label("arm") for _ in node.arms]
        selector = self.temporary(held)
        self.expression(node.selector)
        self.out.append(f"local.set {selector} block {done} block {otherwise}")
        self.out += [f"block {label}" for label in reversed(labels)]
        bounds = [(low, high, label) for arm, label in zip(node.arms, labels, strict=True) for low, high in arm.ranges]
        lowest = min((low for low, _, _ in bounds), default=0)
        highest = max((high for _, high, _ in bounds), default=0)
        if len(bounds) >= 4 and highest - lowest < _WIDEST_TABLE:
            table = [otherwise] * (highest - lowest + 1)
            for low, high, label in bounds:
                table[low - lowest : high - lowest + 1] = [label] * (high - low + 1)
            self._jump(selector, held, lowest, table, otherwise)
        else:
            sign = "s" if type_.is_signed else "u"
            for low, high, label in bounds:
                if low == high:
                    self.out.append(f"local.get {selector} {held}.const {low} {held}.eq br_if {label}")
                else:
                    self.out.append(
                        f"local.get {selector} {held}.const {low} {held}.ge_{sign} "
                        f"local.get {selector} {held}.const {high} {held}.le_{sign} i32.and br_if {label}"
                    )
            self.out.append(f"br {otherwise}")
        ends: list[Known] = []
        for arm in node.arms:
            self.out.append("end")
            if self.code.mode.covers:
                from upright_block.compiler.noting import note_labels

                note_labels(self, arm, selector, type_)
            ends.append(self._way(arm.body))
            self.out.append(f"br {done}")
        self.out.append("end")
        if node.otherwise:
            self.reach(node.origin, "ELSE")
        elif not _covers_all(node, type_):
            self.reach(node.origin, "none fits")
        ends.append(self._way(node.otherwise))
        self.out.append("end")
        self.facts = met(ends)

    def _jump(self, selector: str, held: str, lowest: int, table: list[str], otherwise: str) -> None:
        self.out.append(f"local.get {selector}")
        if lowest:
            self.out.append(f"{held}.const {lowest} {held}.sub")
        if held == "i64":
            index = self.temporary("i64")
            self.out.append(
                f"local.tee {index} i64.const {len(table)} i64.ge_u br_if {otherwise} local.get {index} i32.wrap_i64"
            )
        self.out.append(f"br_table {' '.join(table)} {otherwise}")

    def _assert(self, node: typed.Assert) -> None:
        self.expression(node.condition)
        self.out.append("i32.eqz")
        unit = self.frame.unit
        self.fault_if(node.origin.start, _REFUSALS.get(unit.key, node.says) if unit.is_standard else node.says)

    def _return(self, node: typed.Return) -> None:
        if self.is_part and self.frame.leave == "$leave":
            self.out.append("i32.const 1 local.set $left")
        self.out.append(f"br {self.frame.leave}")


def _covers_all(node: typed.Case, type_: Elementary) -> bool:
    """Whether the labels of a CASE are all values of its type; of an enumeration all that it names."""
    ranges = sorted(found for arm in node.arms for found in arm.ranges)
    if isinstance(type_, Enumeration):
        return all(any(low <= value <= high for low, high in ranges) for _, value in type_.members.values())
    reached = int(type_.low)
    for low, high in ranges:
        if low > reached:
            return False
        reached = max(reached, high + 1)
    return reached > int(type_.high)


def write_code(code: Code, unit: typed.Unit) -> None:
    """Write the functions of a unit: one, or several where its body is very large."""
    body = code.over.body(unit)
    is_parted = unit.keeps_data and _weight(body) > _MOST_TOGETHER
    in_memory = Usage(frozenset(), frozenset(unit.variables.values()))
    emitter = BodyEmitter(code, unit, in_memory if is_parted else usage(body, (), code.pinned))
    emitter.is_parted = is_parted
    emitter.emit()


def _weight(body: Iterable[typed.Statement]) -> int:
    """How much code a body makes, in statements or so: a call of an instance may be a body put in its place."""
    return sum(
        1 + (_WEIGHT_OF_CALL if isinstance(statement, typed.CallInstance) else 0) for statement in every_statement(body)
    )


def _parted(body: Iterable[typed.Statement]) -> Iterator[tuple[int, list[typed.Statement]]]:
    """Runs of statements that are small enough together, and each that is not by itself; with their weights."""
    run: list[typed.Statement] = []
    total = 0
    for statement in body:
        weight = _weight((statement,))
        if total + weight > _MOST_IN_PART and run:
            yield total, run
            run, total = [], 0
        run.append(statement)
        total += weight
    if run:
        yield total, run


def parameters(unit: typed.Unit) -> list[typed.Variable]:
    """What is handed to a function beside its instance: inputs, in-outs, and room for results that are not
    elementary.
    """
    if unit.keeps_data:
        return []
    room = [v for v in results(unit) if not isinstance(v.type, Elementary)]
    return [*unit.section("input"), *unit.section("in_out"), *room]


def dispatcher(name: str, method: typed.Unit, ways: dict[int, str]) -> str:
    """A function that calls the method, or runs the body, that the number at the start of the instance asks for."""
    head = [f"(func ${name} (param $self i32)"]
    names: list[str] = []
    for number, pin in enumerate(parameters(method)):
        by_address = pin.section == "in_out" or not isinstance(pin.type, Elementary)
        head.append(f"(param $p{number} {'i32' if by_address else value_type(elementary(pin))})")
        names.append(f"local.get $p{number}")
    given_back = [] if method.keeps_data else results(method)
    returned = [value_type(v.type) for v in given_back if isinstance(v.type, Elementary)]
    if returned:
        head.append(f"(result {' '.join(returned)})")
    out = [" ".join(head)]
    for number, way in sorted(ways.items()):
        call = f"local.get $self {' '.join(names)} call ${way} return"
        out.append(f"local.get $self i32.load i32.const {number} i32.eq if {call} end")
    return "\n".join([*out, "unreachable)"])


_STATEMENTS: dict[type, Callable[[BodyEmitter, Any], None]] = {
    typed.Assign: BodyEmitter._assign,
    typed.AssignPart: BodyEmitter._assign_part,
    typed.Evaluate: BodyEmitter._evaluate,
    typed.CallInstance: BodyEmitter._call_instance,
    typed.If: BodyEmitter._if,
    typed.Case: BodyEmitter._case,
    typed.For: write_for,
    typed.While: write_while,
    typed.Repeat: write_repeat,
    typed.Assert: BodyEmitter._assert,
    typed.Exit: write_exit,
    typed.Continue: write_continue,
    typed.Return: BodyEmitter._return,
}
