"""Notes of what a body reaches: statements, ways of branches, steps, ends of timers. Read where coverage is asked
for.
"""

from __future__ import annotations

from typing import Protocol

from upright_block.compiler.artifact import Kind
from upright_block.compiler.code import Code, Noted
from upright_block.compiler.instructions import value_type
from upright_block.compiler.layout import layout_of
from upright_block.compiler.places import Frame
from upright_block.language import syntax, typed
from upright_block.language.types import Elementary
from upright_block.language.views.states import is_timer, label_texts


class Emitter(Protocol):
    """The part of the body emitter that notes need."""

    out: list[str]

    code: Code

    frame: Frame

    def self_address(self, offset: int) -> str: ...
    def temporary(self, held: str) -> str: ...


def note(e: Emitter, origin: syntax.Node, way: str) -> None:
    """Note that a statement, or one way of a branch, was reached."""
    kind: Kind | None = "branch" if way else "statement"
    if isinstance(origin, syntax.Made):
        kind, way = _made(origin, way)
    if kind is not None and origin is not syntax.NO_PLACE:
        _note(e, origin.start, kind, way)


def _made(origin: syntax.Made, way: str) -> tuple[Kind | None, str]:
    """What a statement that nobody wrote, or a way of one, stands for; None for nothing that anybody looks for."""
    match origin.role:
        case "step" if not way:
            return "state", origin.name
        case "transition" if way == "TRUE":
            return "transition", origin.name
        case "enable" if way:
            return "branch", f"EN {way}"
        case "disable" if way:
            return "branch", "EN FALSE" if way == "TRUE" else "EN TRUE"
    return None, ""


def _note(e: Emitter, start: int, kind: Kind, way: str) -> None:
    if e.frame.unit.is_standard:
        return
    point, level = e.code.point(Noted(e.frame.unit, start, kind, way))
    if level is None:
        e.out.append(f"i32.const {point} i32.const 1 i32.store8")
        return
    own = f"{e.self_address(e.frame.offset)} i32.const 2 i32.shl i32.load offset={{l{level}}}"
    e.out.append(f"{own} i32.const 1 i32.store8 offset={point}")


def note_labels(e: Emitter, arm: typed.Arm, selector: str, type_: Elementary) -> None:
    """Note which of the labels of an arm was met."""
    held, sign = value_type(type_), "s" if type_.is_signed else "u"
    for (low, high), text in zip(arm.ranges, label_texts(e.frame.unit, arm, type_), strict=True):
        e.out.append(
            f"local.get {selector} {held}.const {low} {held}.ge_{sign} "
            f"local.get {selector} {held}.const {high} {held}.le_{sign} i32.and if"
        )
        note(e, arm.origin, text)
        e.out.append("end")


def before_call(e: Emitter, node: typed.CallInstance, base: str, offset: int) -> str:
    """Keep what Q of a timer is before a call of it, which for an on-delay is nothing; the name of a local, or
    nothing.
    """
    if not _is_own_timer(e.frame.unit, node) or node.block.key == "TON":
        return ""
    before = e.temporary("i32")
    e.out.append(f"{_output(node, base, offset)} local.set {before}")
    return before


def after_call(e: Emitter, node: typed.CallInstance, base: str, offset: int, before: str) -> None:
    """Note that the time of a timer ran out: Q of an on-delay is set, that of another timer was and is no more."""
    if _is_own_timer(e.frame.unit, node):
        root = node.instance.root
        is_set = _output(node, base, offset)
        e.out.append(f"local.get {before} {is_set} i32.eqz i32.and if" if before else f"{is_set} if")
        _note(e, root.start, "timer", root.name)
        e.out.append("end")


def _output(node: typed.CallInstance, base: str, offset: int) -> str:
    """Instructions for Q of a timer."""
    return f"local.get {base} i32.load8_u offset={offset + layout_of(node.block).offsets[node.block.variables['Q']]}"


def _is_own_timer(unit: typed.Unit, node: typed.CallInstance) -> bool:
    """Whether a call is that of a timer among the variables of a unit."""
    return is_timer(node.block) and unit.variables.get(node.instance.root.key) is node.instance.root
