"""Slots: where values lie, told apart as far as the text tells.

A slot is a variable, or a tuple of it and what leads on: members, and numbers of elements. An index that is not known
before the run ends the slot at its array.
"""

from __future__ import annotations

from collections.abc import Hashable
from typing import NamedTuple

from upright_block.language import typed

Slot = typed.Variable | tuple[Hashable, ...]


class Bits(NamedTuple):
    """Some bits of a word, as the last part of a slot."""

    shift: int
    bits: int


def root_of(slot: Slot) -> typed.Variable:
    """The variable that a slot begins with."""
    if isinstance(slot, tuple):
        root = slot[0]
        assert isinstance(root, typed.Variable)
        return root
    return slot


def slot_of(place: typed.Place) -> tuple[Slot, bool]:
    """The slot of a place, and whether it is that very place; else the place lies somewhere in it."""
    root = place.root.shared or place.root
    steps = place.steps
    if not steps:
        return root, True
    found: list[Hashable] = [] if root.section == "this" else [root]
    for step in steps:
        if isinstance(step, typed.Member):
            found.append(step.variable)
        elif isinstance(step, typed.Element) and all(isinstance(index, typed.Constant) for index in step.indices):
            found += [index.value for index in step.indices if isinstance(index, typed.Constant)]
        else:
            return (_as_slot(found) if found else root), False
    return _as_slot(found), True


def _as_slot(parts: list[Hashable]) -> Slot:
    if len(parts) == 1 and isinstance(parts[0], typed.Variable):
        return parts[0]
    return tuple(parts)


def members(slot: Slot) -> tuple[Hashable, ...]:
    """The parts of a slot."""
    return slot if isinstance(slot, tuple) else (slot,)


def last_variable(slot: Slot) -> typed.Variable:
    """The variable that a slot names last."""
    return next(part for part in reversed(members(slot)) if isinstance(part, typed.Variable))


def slot_name(slot: Slot) -> str:
    """A slot as a path, as people write it."""
    text = ""
    for part in members(slot):
        if isinstance(part, typed.Variable):
            text += f".{part.name}" if text else part.name
        elif isinstance(part, Bits):
            text += f".{part.shift}" if part.bits == 1 else ""
        else:
            text += f"[{part}]"
    return text
