"""What a body tells while it runs: each statement that begins, each value that is computed, each write, and where units
begin and end. Read where the trail of a scan is asked for; see ``trail.wat``.
"""

from __future__ import annotations

from typing import Protocol

from upright_block.compiler.code import Code, Told
from upright_block.compiler.instructions import load, value_type
from upright_block.compiler.places import Frame
from upright_block.language import typed
from upright_block.language.types import NULL, Elementary

ENTERED, LEFT, TURNED, CALLED, RESUMED, INSERTED = -16, -17, -18, -19, -20, -21
"""Numbers of entries: a unit begins (about its address, its number), it ends, a loop turns, a call begins, a loop goes
on behind its body (each with the number of what is told), what is written next comes from outside. From -8 to -1 so
many bytes below zero are written. What is told has the numbers from 1 on.
"""


class Emitter(Protocol):
    """The part of the body emitter that tells."""

    out: list[str]

    code: Code

    frame: Frame

    at: typed.Statement | None

    def self_address(self, offset: int) -> str: ...
    def temporary(self, held: str) -> str: ...


def begins(e: Emitter, statement: typed.Statement) -> None:
    """Tell that a statement begins."""
    e.at = statement
    number = e.code.told(Told(e.frame.unit, statement, None))
    e.out.append(f"i32.const {number} {e.self_address(e.frame.offset)} call $begin")


def turns(e: Emitter, loop: typed.Statement, entry: int) -> None:
    """Tell that a loop turns once more, or that it goes on behind its body."""
    e.out.append(f"i32.const {entry} i32.const 0 i64.const {e.code.told(Told(e.frame.unit, loop, None))} call $trail")


def calls(e: Emitter, call: typed.Expression | None = None) -> None:
    """Tell that a call begins: that of the statement at hand, or one in an expression of it."""
    e.out.append(f"i32.const {CALLED} i32.const 0 i64.const {e.code.told(Told(e.frame.unit, e.at, call))} call $trail")


def computed(e: Emitter, value: typed.Expression) -> None:
    """Tell the value on the stack, which of what is not elementary is an address; a load has told its own."""
    is_load = isinstance(value, typed.Load) and isinstance(value.type, Elementary)
    if not is_load and not isinstance(value, typed.Constant):
        e.out.append(f"i32.const 0 {_told(e, value)}")


def loaded(e: Emitter, node: typed.Load, offset: int) -> None:
    """Load the value at the address on the stack, and tell it with its address."""
    type_ = node.place.type
    assert isinstance(type_, Elementary)
    at = e.temporary("i32")
    e.out.append(f"local.tee {at} {load(type_)} offset={offset}")
    e.out.append(f"local.get {at} i32.const {offset} i32.add {_told(e, node)}")


def referred(e: Emitter, place: typed.Place, target: typed.Target, offset: int) -> None:
    """Load the reference at the address on the stack that leads on at a step of a place, and tell it."""
    steps = place.steps[: place.steps.index(target)]
    loaded(e, typed.Load(NULL, typed.Place(place.root, steps, NULL, place.origin)), offset)


def _told(e: Emitter, value: typed.Expression) -> str:
    held = value_type(value.type) if isinstance(value.type, Elementary) else "i32"
    return f"i32.const {e.code.told(Told(e.frame.unit, e.at, value))} call $tell_{held}"


def enters(e: Emitter) -> None:
    """Tell that the unit of the frame begins."""
    number = e.code.number(e.frame.unit)
    e.out.append(f"i32.const {ENTERED} {e.self_address(e.frame.offset)} i64.const {number} call $trail")


def leaves(e: Emitter) -> None:
    """Tell that it ends."""
    e.out.append(f"i32.const {LEFT} {e.self_address(e.frame.offset)} i64.const 0 call $trail")
