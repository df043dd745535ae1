"""What a rung is drawn of. ``origin`` is the offset in the source of what an element stands for."""

from __future__ import annotations

from upright_block.language.nodes import node

# --- what a link goes through ---


@node
class Contact:
    """``sign`` is blank, ``/``, or a comparison of the operand with the ``other`` one."""

    sign: str
    operand: str
    origin: int
    other: str = ""


@node
class Row:
    """Parts one behind the other; none are a bare link."""

    parts: tuple[Circuit, ...]


@node
class Beside:
    """Parts beside each other, of which one that conducts is enough."""

    parts: tuple[Circuit, ...]


@node
class Pin:
    """An input of a box: what stands or leads there."""

    name: str
    feed: str | Circuit
    is_negated: bool = False


@node
class Result:
    """An output of a box: the variable that takes it, or without one the link that goes on from it."""

    name: str
    word: str = ""
    is_negated: bool = False
    origin: int = -1


@node
class Box:
    """A call; with ``lines`` a box of statements."""

    name: str
    instance: str
    inputs: tuple[Pin, ...]
    outputs: tuple[Result, ...]
    origin: int
    lines: tuple[str, ...] = ()


Circuit = Contact | Row | Beside | Box

WIRE = Row(())

# --- what acts ---


@node
class Coil:
    """``sign`` is blank, ``/``, ``S`` or ``R``."""

    sign: str
    operand: str
    origin: int


@node
class Leave:
    """A return."""

    origin: int


@node
class Through:
    """The link leads to the right rail, as that of a transition does."""


@node
class Net:
    """What acts where a circuit conducts, from top to bottom, and what acts ``otherwise``."""

    circuit: Circuit
    ends: tuple[End, ...]
    otherwise: tuple[End, ...] = ()


End = Coil | Leave | Through | Box | Net


# --- on paper ---


@node
class Mark:
    """Where an element was put: its row, and the columns of its sign."""

    row: int
    left: int
    right: int
    origin: int

    def moved(self, down: int, along: int) -> Mark:
        return Mark(self.row + down, self.left + along, self.right + along, self.origin)


@node
class Laid:
    """The lines of a rung with both rails, and where its elements are."""

    lines: tuple[str, ...]
    marks: tuple[Mark, ...]
