"""The typed tree: what the program means, once every name and type is known.

It holds no mistakes: the checker builds a unit's body only where it found none, and the compiler
relies on that. Conversions are explicit nodes. ``start`` is the offset of the source text that a
fault is reported at.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from upright_block.language import syntax
from upright_block.language.literals import Value
from upright_block.language.nodes import node
from upright_block.language.source import Source
from upright_block.language.types import Elementary

Section = Literal["input", "output", "private", "result"]
UnitKind = Literal["FUNCTION_BLOCK", "FUNCTION"]


@dataclass(slots=True, eq=False)
class Variable:
    """A declared variable of a unit. ``type`` is elementary, or the block of an instance.

    ``is_folded`` says that the value of this constant went into something decided before the run,
    such as a CASE label or another initial value.
    """

    name: str
    section: Section
    type: Elementary | Unit
    constant: bool
    initial: Value | None
    comment: str
    start: int
    end: int
    is_folded: bool = False

    @property
    def key(self) -> str:
        return self.name.upper()


@dataclass(slots=True, eq=False)
class Unit:
    """A function block or a function: interface, and body once checked.

    As the type of a variable a function block means an instance of it. ``body`` is None while
    unchecked and when the unit has errors. ``wraps`` is the function that a block was made for to
    be run by itself.
    """

    kind: UnitKind
    name: str
    source: Source
    syntax: syntax.Unit
    comment: str
    variables: dict[str, Variable] = field(default_factory=dict)
    result: Variable | None = None
    body: tuple[Statement, ...] | None = None
    uses: dict[str, Unit] = field(default_factory=dict)
    is_broken: bool = False
    is_standard: bool = False
    wraps: Unit | None = None

    def __repr__(self) -> str:
        return self.name

    @property
    def key(self) -> str:
        """The name by which the unit is found; a block made around a function has one of its own."""
        return self.name.upper() + (".CALL" if self.wraps else "")

    def section(self, section: Section) -> list[Variable]:
        """The variables of one section, in the order of their declaration."""
        return [v for v in self.variables.values() if v.section == section]


@node
class Place:
    """Something that holds a value: ``path`` leads from a variable of the unit through instances to a pin."""

    path: tuple[Variable, ...]
    type: Elementary


# --- expressions ---


@node
class Constant:
    type: Elementary
    value: Value


@node
class ConstantUse:
    """A named constant; its value is `Variable.initial` unless a case gives another."""

    type: Elementary
    variable: Variable


@node
class Load:
    type: Elementary
    place: Place


@node
class Convert:
    """An implicit widening, or an explicit conversion of numbers."""

    type: Elementary
    operand: Expression
    start: int


@node
class Unary:
    """``operator`` is ``-`` or ``NOT``."""

    type: Elementary
    operator: str
    operand: Expression


@node
class Binary:
    """Both operands have the same type, but for a duration multiplied, divided or raised to a power."""

    type: Elementary
    operator: str
    left: Expression
    right: Expression
    start: int


@node
class CallFunction:
    """A call of a function of the library; outputs are stored to their places after it."""

    type: Elementary
    function: Unit
    inputs: tuple[Expression, ...]
    outputs: tuple[tuple[Variable, Place], ...]
    start: int


@node
class CallStandard:
    """A call of a standard function that the compiler knows."""

    type: Elementary
    name: str
    inputs: tuple[Expression, ...]
    start: int


Expression = Constant | ConstantUse | Load | Convert | Unary | Binary | CallFunction | CallStandard


# --- statements ---


@node
class Assign:
    place: Place
    value: Expression


@node
class Evaluate:
    """A function called for its outputs alone."""

    call: CallFunction


@node
class CallInstance:
    """Inputs are stored, the body runs, outputs are stored to their places."""

    path: tuple[Variable, ...]
    block: Unit
    inputs: tuple[tuple[Variable, Expression], ...]
    outputs: tuple[tuple[Variable, Place, bool], ...]
    start: int


@node
class If:
    branches: tuple[tuple[Expression, tuple[Statement, ...]], ...]
    otherwise: tuple[Statement, ...]


@node
class Case:
    """Each arm has its labels as inclusive ranges."""

    selector: Expression
    arms: tuple[tuple[tuple[tuple[int, int], ...], tuple[Statement, ...]], ...]
    otherwise: tuple[Statement, ...]


@node
class For:
    place: Place
    first: Expression
    last: Expression
    step: Expression
    body: tuple[Statement, ...]
    start: int


@node
class While:
    condition: Expression
    body: tuple[Statement, ...]
    start: int


@node
class Repeat:
    body: tuple[Statement, ...]
    condition: Expression
    start: int


@node
class Exit:
    pass


@node
class Continue:
    pass


@node
class Return:
    pass


Statement = Assign | Evaluate | CallInstance | If | Case | For | While | Repeat | Exit | Continue | Return
