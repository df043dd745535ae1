"""Loops as WebAssembly text. IEC 61131-3:2013, 7.3.3.4.

Every loop counts its turns against the budget of the scan.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

from upright_block.compiler.instructions import narrow, value_type
from upright_block.compiler.places import Fact
from upright_block.language import typed
from upright_block.language.types import Elementary
from upright_block.language.walking import every_statement

if TYPE_CHECKING:
    from upright_block.compiler.bodies import BodyEmitter

_MOST_COST = 1 << 30
_MOST_TURNS = 100_000


@contextmanager
def _spending(e: BodyEmitter, start: int, turns: int = 1) -> Iterator[None]:
    """Count turns of a loop, and the calls that are made in each, against the budget of the scan."""
    e.uses_budget = True
    place, before = len(e.out), e.calls
    e.out.append("")
    e.fault_if(start, "endless loop")
    yield
    cost = min(turns * (1 + e.calls - before), _MOST_COST)
    e.out[place] = f"local.get $budget i32.const {cost} i32.sub local.tee $budget i32.const 0 i32.le_s"


def _loop(
    e: BodyEmitter,
    node: typed.For | typed.While | typed.Repeat,
    enter: Callable[[str], None],
    turn: Callable[[str], None],
) -> None:
    """A loop: ``enter`` may leave it before each turn, ``turn`` after each; both get the label to leave by."""
    name = e.label("loop")
    e.loop_labels.append(name)
    e.facts = {}
    e.out.append(f"block {name}.x loop {name}.l")
    with _spending(e, node.origin.start):
        enter(f"{name}.x")
        e.out.append(f"block {name}.c")
        _told(e, node)
        e.statements(node.body)
        e.out.append("end")
        _told(e, node, is_over=True)
        e.facts = {}  # a CONTINUE comes here too
        turn(f"{name}.x")
    e.out.append(f"br {name}.l end end")
    e.loop_labels.pop()
    e.facts = {}


def _told(e: BodyEmitter, loop: typed.Statement, is_over: bool = False) -> None:
    """Tell that a loop turns, or that a turn is over, where a trail is asked for."""
    if e.code.mode.trails:
        from upright_block.compiler.trails import RESUMED, TURNED, turns

        turns(e, loop, RESUMED if is_over else TURNED)


def write_while(e: BodyEmitter, node: typed.While) -> None:
    def enter(leave: str) -> None:
        e.expression(node.condition)
        if e.code.mode.covers:
            e.out.append("i32.eqz if")
            e.reach(node.origin, "FALSE")
            e.out.append(f"br {leave} end")
            e.reach(node.origin, "TRUE")
        else:
            e.out.append(f"i32.eqz br_if {leave}")

    _loop(e, node, enter, lambda leave: None)


def write_repeat(e: BodyEmitter, node: typed.Repeat) -> None:
    def turn(leave: str) -> None:
        e.expression(node.condition)
        if e.code.mode.covers:
            e.out.append("if")
            e.reach(node.origin, "TRUE")
            e.out.append(f"br {leave} end")
            e.reach(node.origin, "FALSE")
        else:
            e.out.append(f"br_if {leave}")

    _loop(e, node, lambda leave: None, turn)


def write_for(e: BodyEmitter, node: typed.For) -> None:
    """Limits are computed once; the variable ends one step beyond the last value (7.3.3.4.1).

    The loop is left when less than a step remains, so that it also ends at the highest value of
    the type.
    """
    type_ = node.place.type
    assert isinstance(type_, Elementary)
    held = value_type(type_)
    sign = "s" if type_.is_signed else "u"
    last = e.temporary(held)
    known = int(node.step.value) if isinstance(node.step, typed.Constant) else None
    e.expression(node.first)
    e.expression(node.last)
    e.out.append(f"local.set {last}")
    if known is not None:
        step = f"{held}.const {known}"
    else:
        name = e.temporary(held)
        e.expression(node.step)
        e.out.append(f"local.set {name}")
        step = f"local.get {name}"
    counter = e.temporary(held)
    now = f"local.get {counter}"
    if e.is_local(node.place):
        counter = e.local(node.place.root)
        now = f"local.get {counter}"
        e.frame.written.add(node.place.root)

    def publish() -> None:
        """Where the variable lies in memory, bring it up to date."""
        if not e.is_local(node.place):
            e.write(node.place, lambda: e.out.append(now))

    def choose(up: str, down: str) -> None:
        """Leave by ``up`` or ``down``, whichever the sign of the step asks for."""
        if known is not None or sign == "u":
            e.out.append(up if known is None or known >= 0 else down)
        else:
            e.out.append(f"{step} {held}.const 0 {held}.ge_s if (result i32) {up} else {down} end")

    name = e.label("loop")
    e.loop_labels.append(name)
    e.out.append(f"local.set {counter}")
    publish()
    e.out.append(f"block {name}.x")
    choose(f"{now} local.get {last} {held}.gt_{sign}", f"{now} local.get {last} {held}.lt_{sign}")
    turns = _turns(node)
    if e.code.mode.covers and turns is None:
        e.out.append("if")
        e.reach(node.origin, "no turn")
        e.out.append(f"br {name}.x end")
    else:
        e.out.append(f"br_if {name}.x")
    if turns is None:
        e.out.append(f"loop {name}.l")
    with _spending(e, node.origin.start, turns or 1):
        if turns is not None:
            e.out.append(f"loop {name}.l")
        _for_body(e, node, name)
    _turn_again(e, node, name, counter, last, step, choose, publish)
    e.loop_labels.pop()


def _turn_again(
    e: BodyEmitter,
    node: typed.For,
    name: str,
    counter: str,
    last: str,
    step: str,
    choose: Callable[[str, str], None],
    publish: Callable[[], None],
) -> None:
    """Go on by a step, and back to the begin of the loop while the last value is not passed."""
    type_ = node.place.type
    assert isinstance(type_, Elementary)
    held, now = value_type(type_), f"local.get {counter}"
    sign = "s" if type_.is_signed else "u"
    if isinstance(node.last, typed.Constant) and isinstance(node.step, typed.Constant):
        by = int(node.step.value)
        if type_.low <= int(node.last.value) + by <= type_.high:
            e.out.append(f"{now} {step} {held}.add local.set {counter}")
            publish()
            passed = "le" if by > 0 else "ge"
            e.out.append(f"{now} {held}.const {int(node.last.value)} {held}.{passed}_{sign} br_if {name}.l end end")
            return
    rest = e.temporary("i32")
    choose(
        f"local.get {last} {now} {held}.sub {step} {held}.lt_u",
        f"{now} local.get {last} {held}.sub {held}.const 0 {step} {held}.sub {held}.lt_u",
    )
    e.out.append(f"local.set {rest}")
    e.out.append(f"{now} {step} {held}.add{narrow(type_)} local.set {counter}")
    publish()
    e.out.append(f"local.get {rest} i32.eqz br_if {name}.l end end")


def _for_body(e: BodyEmitter, node: typed.For, name: str) -> None:
    """One turn; what is known of the counter holds to its end."""
    e.facts = {}
    if isinstance(node.first, typed.Constant) and isinstance(node.last, typed.Constant) and e.is_local(node.place):
        ends = sorted((int(node.first.value), int(node.last.value)))
        e.facts = {node.place.root: Fact(is_mirrored=False, low=ends[0], high=ends[1])}
    e.out.append(f"block {name}.c")
    e.reach(node.origin, "turn")
    _told(e, node)
    e.statements(node.body)
    e.out.append("end")
    _told(e, node, is_over=True)
    e.facts = {}


def write_exit(e: BodyEmitter, node: typed.Exit) -> None:
    e.out.append(f"br {e.loop_labels[-1]}.x")


def write_continue(e: BodyEmitter, node: typed.Continue) -> None:
    e.out.append(f"br {e.loop_labels[-1]}.c")


def _turns(node: typed.For) -> int | None:
    """How often a loop turns, where that is known before the run and no great number."""
    first, last, step = node.first, node.last, node.step
    if any(isinstance(inner, (typed.Exit, typed.Return)) for inner in every_statement(node.body)):
        return None
    if not (
        isinstance(first, typed.Constant) and isinstance(last, typed.Constant) and isinstance(step, typed.Constant)
    ):
        return None
    turns = (int(last.value) - int(first.value)) // int(step.value) + 1
    return turns if 0 < turns <= _MOST_TURNS else None
