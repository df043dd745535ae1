"""The tree of reasons: nodes, which are signals at moments, and what decides them."""

from __future__ import annotations

from collections.abc import Iterator

from upright_block.cases.plan import ReadyCase
from upright_block.language.literals import Value, shown
from upright_block.language.nodes import fresh, record, state
from upright_block.language.source import Source
from upright_block.language.timebase import Timebase
from upright_block.language.types import Type
from upright_block.machine.trace import Fault
from upright_block.runs.trails import Ran
from upright_block.runs.verdict import Break, Miss, Verdict

MOST_DEEP = 8
"""Levels of a tree, unless more are asked for."""
_MOST_ABOVE = 50


@record
class Above:
    """The addresses of the nodes above one, outermost first, and how many levels may be below it."""

    left: int
    addresses: tuple[int, ...] = ()

    @property
    def is_deep(self) -> bool:
        """Whether nothing more is told below."""
        return self.left <= 0 or len(self.addresses) >= _MOST_ABOVE

    def under(self, address: int) -> Above:
        """What is above the nodes below one."""
        return Above(self.left - 1, (*self.addresses, address))

    @property
    def passing(self) -> Above:
        """The same above a node that is only handed on: it is no level."""
        return Above(self.left + 1, self.addresses)

    def __contains__(self, address: int) -> bool:
        return address in self.addresses


@record
class Place:
    """Where something stands: a source and an offset in it, in an instance."""

    source: Source
    start: int
    instance: str

    @classmethod
    def of(cls, ran: Ran) -> Place:
        """Where a statement stands that ran."""
        return cls(ran.run.unit.source, ran.statement.origin.start, ran.run.path)


@state
class Reason:
    """An expression or a circumstance that decides the value of a node, with the operands that decide it.

    ``role`` is ``value``, ``condition``, ``kept`` (a statement that could have changed it since and did not run) or
    ``block``; where ``alone`` each operand would do by itself; one that ``is_passed`` hands the value of its operand
    on as it is.
    """

    role: str
    place: Place
    expression: str
    value: Value | None
    type: Type | None
    operands: list[Node] = fresh(default_factory=list)
    alone: bool = False
    says: str = ""
    wanted: Value | None = None
    is_passed: bool = False


@state
class Node:
    """A signal with its value at the moment at which it was read, and its reasons.

    ``since`` is the scan that gave it this value, None where it never had another; ``kind`` is ``written``, or of a
    leaf what gave it; ``same`` is the number of a node that was told before; ``overwritten`` are writes of the same
    scan that lost. ``state`` is the name of the value where it is that of a state machine. So many statements that
    could have changed it are ``left_out``.
    """

    number: int
    path: str
    type: Type
    value: Value
    written_as: str | None
    scan: int
    since: int | None
    kind: str
    place: Place | None = None
    wrote: int | None = None
    statement: str = ""
    late: bool = False
    overwritten: list[tuple[Place, Value]] = fresh(default_factory=list)
    reasons: list[Reason] = fresh(default_factory=list)
    same: int | None = None
    is_cut: bool = False
    has_value: bool = True
    state: str = ""
    left_out: int = 0
    refers_to: str = ""

    @property
    def text(self) -> str:
        """The value as case files have it; of what faulted it has none."""
        return shown(self.value, self.type) if self.has_value else ""

    @property
    def told(self) -> str:
        """The same, with the name of the state that it is, and of a reference what it refers to."""
        if self.refers_to:
            return f"to {self.refers_to}"
        return f"{self.text} {self.state}" if self.state else self.text

    def leaves(self) -> Iterator[Node]:
        """What nobody in the library decides, below it."""
        if not self.reasons and self.same is None and not self.is_cut:
            yield self
        for reason in self.reasons:
            for operand in reason.operands:
                yield from operand.leaves()


@record
class Answer:
    """The tree of reasons that a run gives, of a case where it is one; ``fault`` stopped the scan. ``wrong`` is what of
    the ``verdict`` on the case is explained.
    """

    node: Node
    timebase: Timebase
    case: ReadyCase | None
    fault: Fault | None
    verdict: Verdict | None = None
    wrong: Miss | Break | Fault | None = None
