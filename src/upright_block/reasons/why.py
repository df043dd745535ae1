"""Why a value is what it is: back from the statement that wrote it to what nobody in the library decides."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from contextlib import suppress
from functools import partial

from upright_block.cases.plan import ReadyCase
from upright_block.compiler.artifact import Slot, joined
from upright_block.compiler.layout import DATA, size_of
from upright_block.errors import BadValue
from upright_block.language import syntax, typed
from upright_block.language.literals import Value, shown_duration
from upright_block.language.nodes import replaced
from upright_block.language.signals import NoSignal, Signal, find_signal
from upright_block.language.types import BOOL, Reference, Type
from upright_block.language.views.states import names_of
from upright_block.language.walking import every_statement
from upright_block.machine.trace import Fault
from upright_block.reasons import words
from upright_block.reasons.blocks import block_words, pins_of
from upright_block.reasons.deciding import Deciding, at_fault, deciding, holds, leading
from upright_block.reasons.outside import Outside
from upright_block.reasons.past import Past
from upright_block.reasons.scans import kind_of, text_of, until, value_of
from upright_block.reasons.tree import MOST_DEEP, Above, Node, Place, Reason
from upright_block.reasons.waiting import (
    Condition,
    condition_text,
    gives,
    is_of_another_state,
    kept_text,
    met_of,
    missing_of,
    step_text,
)
from upright_block.reasons.ways import ways_of
from upright_block.reasons.where import Here
from upright_block.reasons.writes import bit_in, touches, writes_to
from upright_block.runs.following import Followed
from upright_block.runs.trails import Computed, Ran, Run, Write, loops_around

MOST_NODES = 10_000
_MOST_KEPT = 5


class Asker:
    """Answers why, for a run."""

    def __init__(
        self, followed: Followed, case: ReadyCase | None, *, into_rig: bool = False, levels: int = MOST_DEEP
    ) -> None:
        """A rig is one reason with its statement, unless somebody goes ``into_rig``."""
        self.followed = followed
        self.past = Past(followed)
        self.outside = Outside(self.past, case, into_rig=into_rig)
        self.nodes = self.asked = 0
        self.top = Above(levels)
        self.told: dict[tuple[int, int, int], int] = {}
        self._named: dict[str, dict[int, str]] = {}

    def why(self, signal: Signal, scan: int, before: int | None = None) -> Node:
        """The reasons of the value of a signal after a scan, or in it, before an entry of its trail.

        Raises:
            BadValue: a scan that matters does more than a trail has room for.
        """
        self.nodes, self.asked = 0, scan
        self.told.clear()
        slot = self.followed.program.slot(signal)
        here = Here(signal.path, slot.type, DATA + slot.offset, slot.bit)
        self.past.look_at(here)
        trail = self.past.trail(scan)
        at = trail.length if before is None else before
        return self._node(here, here.read(trail, at), scan, at, None, self.top)

    def why_expression(self, text: str, method: typed.Unit, slot: Slot, scan: int) -> Node:
        """The reasons of the value of an expression after a scan: the method that gives it is a probe of the run, whose
        value lies in a slot.

        Raises:
            BadValue: it has no value there, or a scan that matters does more than a trail has room for.
        """
        self.nodes, self.asked = 1, scan
        self.told.clear()
        changes = self.followed.changes(slot)
        trail = self.past.trail(scan)
        run = next((run for run in reversed(trail.runs) if run.unit is method), None)
        ran = run.statements[-1] if run is not None and run.statements else None
        given = None if ran is None else ran.statement
        value = value_of(ran, given.value) if ran is not None and isinstance(given, typed.Assign) else None
        if ran is None or value is None or not isinstance(given, typed.Assign):
            raise BadValue(*words.not_computed(text, shown_duration(self.followed.plan.timebase.time(scan))))
        before = bisect_right(changes, scan)
        since = changes[before - 1] if before else None
        node = Node(1, text, given.value.type, value, None, scan, since, "expression")
        reason = self._reason("value", ran, given.value, deciding(ran, given.value), scan, self.top)
        reason.expression = text
        node.reasons.append(reason)
        return node

    def why_fault(self, fault: Fault) -> Node:
        """What the expression had read that stopped a scan.

        Raises:
            BadValue: the scan does more than a trail has room for.
        """
        self.nodes, self.asked = 1, fault.scan
        self.told.clear()
        trail, site = self.past.trail(fault.scan), fault.site
        node = Node(1, site.kind, BOOL, 0, None, fault.scan, None, "expression", has_value=False)
        node.place = Place(site.source, site.start, fault.instance)
        held = [ran for ran in trail.ran if ran.run.unit.key == site.unit.key and holds(ran.statement, site.start)]
        if held:
            ran = max(held, key=lambda ran: ran.at)
            node.statement = text_of(ran)
            reason = self._reason(
                "value", ran, typed.Constant(BOOL, value=False), at_fault(ran, site.start), fault.scan, self.top
            )
            reason.value = None
            node.reasons.append(reason)
        return node

    def _states(self, path: str) -> dict[int, str]:
        """The names of the values at a path that are states."""
        if path not in self._named:
            self._named[path] = {}
            with suppress(NoSignal):
                self._named[path] = names_of(self.followed.unit, find_signal(self.followed.unit, path))
        return self._named[path]

    # --- a node ---

    def _node(self, here: Here, value: Value, scan: int, at: int, written_as: str | None, above: Above) -> Node:
        """The node of a value as it was before an entry of the trail of a scan."""
        self.nodes += 1
        since = self.past.since(here, scan, at)
        path = "transition" if here.path.rpartition(".")[2].startswith("transition:") else here.path
        node = Node(self.nodes, path, here.type, value, written_as, scan, since, "written")
        if isinstance(value, int) and not isinstance(value, bool):
            node.state = self._states(here.path).get(value, "")
            target = self.past.where.at(value) if isinstance(here.type, Reference) else None
            node.refers_to = target.path if target is not None else ""
        if self.outside.holds(node, here, scan):
            return node
        is_older = here.address in above
        block = None if is_older else self.past.run_of_standard(here, scan, at)
        if block is not None:
            self._told_by_block(node, here, at, *block, above)
            return node
        if is_older and since is not None and since == scan - 1:
            node.kind = "before"  # it comes out of itself in each scan
            return node
        write = self.past.last_write(here, scan, at, since, is_older)
        if write is None:
            self._leaf(node, here, scan, at, above)
            return node
        wrote, entry = write
        ran = entry.ran
        if ran is None or (ran.run.unit.name.startswith(":") and self.outside.is_from_the_field(here)):
            entry = self.outside.write_of_rig(here, wrote) or entry
            if entry is write[1]:
                self._leaf(node, here, scan, at, above)
                return node
            ran = entry.ran
        assert ran is not None
        node.wrote = wrote
        node.place = Place.of(ran)
        if self.outside.is_of_rig(ran) and not self.outside.into_rig:
            node.kind = "rig"
            return node
        node.statement = text_of(ran)
        node.overwritten = self._overwritten(here, wrote, entry)
        key = here.address, wrote, entry.at
        if key in self.told:
            node.same, node.kind = self.told[key], "again"
            return node
        self.told[key] = node.number
        if above.is_deep or self.nodes >= MOST_NODES:
            node.is_cut = True
            return node
        node.late = wrote < scan and here.address not in above and self.past.differs_later(here, scan, at)
        self._reasons(node, here, at, ran, entry, wrote, above.under(here.address))
        return node

    def _overwritten(self, here: Here, scan: int, last: Write) -> list[tuple[Place, Value]]:
        """What other statements wrote there before in the same scan, each once, with the value that was lost."""
        trail = self.past.trail(scan)
        found: dict[int, tuple[Place, Value]] = {}
        if last.ran is not None and any(here.address <= each.address < here.end for each in last.ran.values):
            return []  # it was read, and so it is not lost
        for write in trail.touching(here.address, here.end, last.at):
            ran = write.ran
            if ran is None or last.ran is None or not touches(write, here):
                continue
            is_written = ran.statement.origin is not syntax.NO_PLACE and not ran.run.unit.name.startswith(":")
            if is_written and ran.statement is not last.ran.statement and not self.outside.is_of_rig(ran):
                place = Place.of(ran)
                found.setdefault(id(ran.statement), (place, here.read(trail, write.at + 1)))
        return list(found.values())[::-1]

    def _leaf(self, node: Node, here: Here, scan: int, at: int, above: Above) -> None:
        """What gave a value that no statement wrote, and what could have changed it."""
        self.outside.leaf(node, here, scan, at)
        if node.kind == "initial" and scan == self.asked and not above.is_deep:
            self._kept_until_now(node, here, above.under(here.address), at)

    # --- reasons ---

    def _reasons(self, node: Node, here: Here, at: int, ran: Ran, entry: Write, wrote: int, above: Above) -> None:
        """Why a statement wrote what it did, and why it ran."""
        unit = ran.run.unit
        if unit.is_of_the_standard and unit.keeps_data:
            node.reasons.append(self._block(here, ran.run, wrote, above))
            return
        self._values(node, here, ran, entry, wrote, above)
        if kind_of(ran.statement, unit) != "copy":
            self._conditions(node, ran, wrote, above)
            if wrote == node.scan:
                self._kept(node, here, above, entry.at, at)
            elif node.scan == self.asked:
                self._kept_until_now(node, here, above, at)

    def _values(self, node: Node, here: Here, ran: Ran, entry: Write, wrote: int, above: Above) -> None:
        """Why a statement wrote what it did where it did."""
        statement = ran.statement
        values: list[typed.Expression] = []
        match statement:
            case typed.Assign(value=value) | typed.AssignPart(value=value):
                values = [value]
            case typed.CallInstance(inputs=inputs, outputs=outputs):
                values = [value for pin, value in inputs if here.path.endswith(f".{pin.name}")]
                if not values:
                    self._taken(node, here, ran, outputs, wrote, entry, above)
            case typed.For(first=first, step=step):
                values = [first, step]
        for value in values:
            found = deciding(ran, value)
            is_copied = isinstance(statement, typed.Assign) and isinstance(value, typed.Load)
            if is_copied and (bit := bit_in(here, entry)) is not None:
                found = replaced(found, bits={each.at: (bit,) for each in found.operands[:1]})
            if found.operands:
                node.reasons.append(self._value(ran, value, found, wrote, above))
        if isinstance(statement, typed.Assign | typed.AssignPart):
            place = statement.place
            for role, value, found in leading(ran, place):
                if found.operands:
                    written = place.origin.start, place.origin.end
                    node.reasons.append(self._reason(role, ran, value, found, wrote, above, written))

    def _value(self, ran: Ran, value: typed.Expression, found: Deciding, wrote: int, above: Above) -> Reason:
        """The reason that is the value that a statement stored; a variable as it is only hands it on."""
        is_passed = isinstance(value, typed.Load) and len(found.operands) == 1
        reason = self._reason("value", ran, value, found, wrote, above.passing if is_passed else above)
        reason.is_passed = is_passed and len(reason.operands) == 1
        return reason

    def _reason(
        self,
        role: str,
        ran: Ran,
        value: typed.Expression,
        found: Deciding,
        wrote: int,
        above: Above,
        written: tuple[int, int] | None = None,
    ) -> Reason:
        source, origin = ran.run.unit.source, ran.statement.origin
        start, end = written or (origin.start, origin.end)
        is_enabled = isinstance(origin, syntax.Made) and origin.role == "enable" and isinstance(ran.statement, typed.If)
        reason = Reason(
            role,
            Place(source, start, ran.run.path),
            "EN" if is_enabled else " ".join(source.text[start:end].split()),
            value_of(ran, value),
            value.type,
            alone=found.alone,
        )
        reason.operands = self._operands(found, ran, wrote, above)
        return reason

    def _operands(self, found: Deciding, ran: Ran, scan: int, above: Above) -> list[Node]:
        """The nodes of what decides an expression of a statement."""
        nodes: list[Node] = []
        for operand in found.operands:
            here = self.past.where.at(operand.address or operand.bits)
            if isinstance(operand.value, typed.CallFunction):
                nodes.append(self._given_by_call(operand, operand.value, ran, scan, above))
            elif here is None:
                nodes.append(self._local(operand, ran, scan, above))
            else:
                content = operand.content
                value = here.read(self.past.trail(scan), operand.at) if content is None else content
                written_as = _written(ran, operand.value)
                bits = found.bits.get(operand.at)
                if bits is None:
                    nodes.append(self._node(here, value, scan, operand.at, written_as, above))
                for bit in bits or ():
                    held = bool(int(value) >> bit & 1)
                    nodes.append(self._node(here.bit_of(bit), held, scan, operand.at, written_as, above))
        return nodes

    # --- what lies in a function while it runs ---

    def _local(self, operand: Computed, ran: Ran, scan: int, above: Above) -> Node:
        """The node of a variable of a function, as it was read."""
        value, run = operand.value, ran.run
        assert isinstance(value, typed.Load)
        root = value.place.root
        name = joined(run.unit.name, _written(ran, value))
        content = operand.content
        node = self._beside(name, value.type, content, _written(ran, value), scan)
        size = size_of(value.type) if operand.address else 1
        address = operand.address or operand.bits
        write = next(self.past.trail(scan).touching(address, address + size, operand.at), None)
        if write is not None and write.at > run.begin and write.ran is not None and write.ran is not run.caller:
            self._written_in(node, Here(name, value.type, address), write, run, scan, operand.at, above)
            return node
        call, caller = run.call, run.caller
        pins = run.unit.section("input")
        if caller is None or not isinstance(call, typed.CallFunction) or root not in pins:
            node.kind = "expression" if root.section == "in_out" else "initial"
            node.place = Place(run.unit.source, root.start, run.path)
            return node
        node.place = Place.of(caller)
        node.statement = text_of(caller)
        argument, caller = call.inputs[pins.index(root)], until(caller, run.begin)
        found = deciding(caller, argument)
        if found.operands and not above.is_deep:
            node.reasons.append(self._value(caller, argument, found, scan, above.under(address)))
        return node

    def _given_by_call(self, operand: Computed, call: typed.CallFunction, ran: Ran, scan: int, above: Above) -> Node:
        """The node of what a function gave."""
        run = next(run for run in reversed(ran.calls) if run.call is call and run.end < operand.at)
        node = self._beside(run.unit.name, call.type, operand.content, f"{run.unit.name}()", scan)
        written = [own for own in run.statements if own.writes and writes_to(own.statement, run.unit.result)]
        if not written:
            node.kind, node.place = "initial", Place(run.unit.source, run.unit.syntax.start, run.path)
            return node
        write = written[-1].writes[-1]
        self._written_in(node, Here(node.path, call.type, write.address), write, run, scan, run.end, above)
        return node

    def _beside(self, name: str, type_: Type, content: Value | None, written_as: str, scan: int) -> Node:
        """A node of what no signal is."""
        self.nodes += 1
        return Node(self.nodes, name, type_, "" if content is None else content, written_as, scan, scan, "written")

    def _written_in(self, node: Node, here: Here, write: Write, run: Run, scan: int, at: int, above: Above) -> None:
        """Why what lies in a function was written."""
        ran = write.ran
        assert ran is not None
        node.wrote = scan
        node.place = Place.of(ran)
        node.statement = text_of(ran)
        key = here.address, scan, write.at
        if key in self.told:
            node.same, node.kind = self.told[key], "again"
        elif above.is_deep or self.nodes >= MOST_NODES:
            node.is_cut = True
        else:
            self.told[key] = node.number
            self._values(node, here, ran, write, scan, above.under(here.address))
            self._conditions(node, ran, scan, above.under(here.address), run)
            self._passed_by(node, here.path.rpartition(".")[2].upper(), run, above.under(here.address), write.at, at)

    # --- conditions ---

    def _conditions(self, node: Node, ran: Ran, wrote: int, above: Above, outermost: Run | None = None) -> None:
        """The conditions under which a statement ran, and under which its unit was called, up to some run."""
        at: Ran | None = ran
        while at is not None:
            for outer, way in reversed(ways_of(at.run.unit).to(at.statement)):
                for condition in met_of(at.run, outer, way, at.at):
                    reason = self._waiting("condition", condition, wrote, above)
                    if reason is not None and reason.operands:
                        node.reasons.append(reason)
            at = at.run.caller if at.run is not outermost else None

    def _kept_until_now(self, node: Node, here: Here, above: Above, at: int) -> None:
        """What could have changed an older value in the scan at hand; that is told once on a way, not of the reasons
        for it too.
        """
        asked, self.asked = self.asked, -1
        self._kept(node, here, above, -1, at)
        self.asked = asked

    def _kept(self, node: Node, here: Here, above: Above, after: int, before: int) -> None:
        """What could have changed a value between two entries of the trail of the scan at hand, in the unit that has
        it, and why it did not run.
        """
        holder = here.path
        while holder and (holder not in self.past.instances or self.past.instances[holder][0].is_of_the_standard):
            holder = holder.rpartition(".")[0]
        unit, address = self.past.instances[holder]
        name = here.path.removeprefix(f"{holder}." if holder else "").upper()
        writers = ways_of(unit).writing(name)
        if unit.is_of_the_standard or not writers:
            return
        runs = [run for run in self.past.trail(node.scan).runs if run.unit is unit and run.address == address]
        if not runs:
            self._not_called(node, holder, Place(unit.source, writers[0].origin.start, holder), above)
        for run in runs:
            if run.begin < before and after < run.end:
                self._passed_by(node, name, run, above, after, before)

    def _passed_by(self, node: Node, name: str, run: Run, above: Above, after: int, before: int) -> None:
        """The statements of a run that could have changed a value between two entries of the trail, and why they did
        not run.
        """
        unit = run.unit
        found: list[tuple[int, int, typed.Statement, list[Condition]]] = []
        for number, statement in enumerate(ways_of(unit).writing(name)):
            every = run.by_statement.get(id(statement), ())
            ran = next((ran for ran in reversed(every) if after < ran.at < before), None)
            is_in_turns = id(statement) in loops_around(unit) and "[" in name  # each turn is about another element
            if ran is not None and not is_in_turns:
                self._elsewhere(node, ran, above)
            if gives(statement, node.value) or ran is not None or is_in_turns:
                continue
            missing = missing_of(run, ways_of(unit).to(statement))
            if not missing and not every:
                self._returned(node, run, above, after, before)
            missing = [each for each in missing if after < each.ran.at < before and not is_of_another_state(each, name)]
            if missing:
                needed = min(len(deciding(each.ran, each.expression).operands) for each in missing)
                found.append((needed, number, statement, missing))
        for _, _, statement, missing in sorted(found)[:_MOST_KEPT]:
            for each in missing:
                reason = self._waiting("kept", each, node.scan, above)
                if reason is not None:
                    origin = statement.origin
                    since = None if node.since is None else self.followed.plan.timebase.time(node.since)
                    if self.past.is_step(node.path):
                        reason.role, reason.says = "step", step_text(node, since, reason)
                    else:
                        written = " ".join(unit.source.text[origin.start : origin.end].split())
                        reason.says = kept_text(node, since, written, reason)
                    reason.place = Place(unit.source, origin.start, run.path)
                    node.reasons.append(reason)
        node.left_out += max(len(found) - _MOST_KEPT, 0)

    def _elsewhere(self, node: Node, ran: Ran, above: Above) -> None:
        """That a statement which could have changed an element wrote another one."""
        statement = ran.statement
        there = self.past.where.at(ran.writes[-1].address) if ran.writes else None
        if isinstance(statement, typed.Assign) and there is not None:
            written = statement.place.origin.start, statement.place.origin.end
            for role, index, found in leading(ran, statement.place):
                if found.operands:
                    reason = self._reason(role, ran, index, found, node.scan, above, written)
                    reason.says = f"{text_of(ran)} wrote {there.path}"
                    node.reasons.append(reason)

    def _waiting(self, role: str, condition: Condition, scan: int, above: Above) -> Reason | None:
        """A condition that let a statement run, or kept it from that; None where nobody wrote it."""
        found = deciding(condition.ran, condition.expression)
        if any(self._is_hidden(operand) for operand in found.operands):
            return None
        place = condition.start, condition.end
        reason = self._reason(role, condition.ran, condition.expression, found, scan, above, place)
        reason.wanted = condition.wanted
        if condition.text:
            reason.expression = condition.text
            reason.value = None if condition.wanted is None else not condition.wanted
        return reason

    def _returned(self, node: Node, run: Run, above: Above, after: int, before: int) -> None:
        """That a RETURN ended a run before it came to what could have changed a value."""
        last = run.statements[-1] if run.statements else None
        if last is None or not isinstance(last.statement, typed.Return) or not after < last.at < before:
            return
        if any(reason.role == "call" for reason in node.reasons):
            return
        source, origin = run.unit.source, last.statement.origin
        says = f"RETURN in line {source.line(origin.start)} ended it before"
        reason = Reason("call", Place(source, origin.start, run.path), "RETURN", None, None, says=says)
        beside = Node(0, node.path, node.type, node.value, None, node.scan, None, "written")
        self._conditions(beside, last, node.scan, above)
        reason.operands = [operand for each in beside.reasons for operand in each.operands]
        node.reasons.append(reason)

    def _not_called(self, node: Node, holder: str, place: Place, above: Above) -> None:
        """Why an instance was not called: its task is not due, or what the call waits for."""
        role, says = self.past.not_run(holder, node.scan)
        outer, _, name = holder.rpartition(".")
        run = self.past.run_of(outer, node.scan)
        if role == "call" and run is not None:
            unit = run.unit
            for call in every_statement(unit.body or ()):
                is_call = isinstance(call, typed.CallInstance) and call.instance.root.name.upper() == name.upper()
                missing = missing_of(run, ways_of(unit).to(call)) if is_call else []
                reason = self._waiting("call", missing[0], node.scan, above) if missing else None
                if reason is not None:
                    needs = f"{says}: {condition_text(reason)}"
                    reason.says, reason.place = needs, Place(unit.source, call.origin.start, outer)
                    node.reasons.append(reason)
                    return
        node.reasons.append(Reason(role, place, self.past.instances[holder][0].name, None, None, says=says))

    def _is_hidden(self, operand: Computed) -> bool:
        """Whether nobody wrote the variable that was read: the beginning of a sequence, say."""
        value = operand.value
        if not isinstance(value, typed.Load):
            return False
        return value.place.root.is_hidden and not value.place.root.name.startswith("transition:")

    def _taken(
        self,
        node: Node,
        here: Here,
        ran: Ran,
        outputs: Sequence[tuple[typed.Variable, typed.Receiver, bool]],
        wrote: int,
        entry: Write,
        above: Above,
    ) -> None:
        """An output that a call gave to a variable."""
        bit = bit_in(here, entry)
        called = next((run for run in ran.calls if run.unit.keeps_data), None)
        for pin, receiver, _ in outputs:
            if called is None or receiver.place.root.name.upper() not in here.path.upper():
                continue
            path = joined(called.path, pin.name) + ("" if bit is None else f".{bit}")
            operand = self._at_path(path, wrote, entry.at, pin.name, above.passing)
            if operand is not None:
                place = Place.of(ran)
                reason = Reason("value", place, pin.name, operand.value, operand.type, [operand], is_passed=True)
                node.reasons.append(reason)
                return

    def _at_path(self, path: str, scan: int, at: int, written_as: str, above: Above) -> Node | None:
        """The node of what a path leads to, as it was before an entry of a trail."""
        try:
            slot = self.followed.program.slot(path)
        except NoSignal:
            return None
        trail = self.past.trail(scan)
        here = Here(path, slot.type, DATA + slot.offset, slot.bit)
        return self._node(here, here.read(trail, at), scan, at, written_as, above)

    # --- blocks of the standard ---

    def _told_by_block(self, node: Node, here: Here, at: int, wrote: int, run: Run, above: Above) -> None:
        """An output of a block of the standard, by what the block says."""
        node.wrote = wrote
        if run.caller is not None:
            node.place = Place.of(run.caller)
            node.statement = text_of(run.caller)
        key = here.address, wrote, run.begin
        if key in self.told:
            node.same, node.kind = self.told[key], "again"
            return
        self.told[key] = node.number
        node.late = wrote < node.scan and here.address not in above and self.past.differs_later(here, node.scan, at)
        if above.is_deep or self.nodes >= MOST_NODES:
            node.is_cut = True
            return
        node.reasons.append(self._block(here, run, wrote, above.under(here.address)))
        if run.caller is not None:
            self._conditions(node, run.caller, wrote, above.under(here.address))

    def _times(self, scan: int, pin: Here) -> list[int]:
        """The times in ns at which a pin has changed until a scan is over."""
        changes = self.followed.changes(pin.slot)
        return [self.followed.plan.timebase.time(number) for number in changes[: bisect_right(changes, scan)][-2:]]

    def _block(self, here: Here, run: Run, wrote: int, above: Above) -> Reason:
        """A block of the standard speaks for itself, of its pins as they were when its call was over."""
        unit, path = run.unit, run.path
        caller, time = run.caller, self.followed.plan.timebase.time(wrote)
        pins = pins_of(run, self.past.trail(wrote), time, partial(self._times, wrote))
        said = block_words(unit.name.upper(), here.path.rpartition(".")[2].upper(), pins)
        origin = caller.statement.origin if caller is not None else unit.syntax
        source = caller.run.unit.source if caller is not None else unit.source
        place = Place(source, origin.start, path.rpartition(".")[0])
        reason = Reason("block", place, unit.name, None, None, says=said.words)
        since = self.past.since(here, wrote, run.end + 1) if said.began else None
        first = None if since is None else self.past.run_of(path, since)
        began = (wrote, run) if since is None or first is None else (since, first)
        for name, (scan, at) in [*((n, began) for n in said.began), *((n, (wrote, run)) for n in said.now)]:
            pin, trail = pins.pins[name], self.past.trail(scan)
            written_as = pin.path.rpartition(".")[2]
            reason.operands.append(self._node(pin, pin.read(trail, at.begin), scan, at.begin, written_as, above))
        return reason


def _written(ran: Ran, value: typed.Expression) -> str:
    """How a variable is written where it is read."""
    assert isinstance(value, typed.Load)
    origin = value.place.origin
    return ran.run.unit.source.text[origin.start : origin.end] or value.place.root.name
