"""What one call of a unit does: what is written, read and called, in which order, and under which conditions.

The body is walked once (`walk`). Of each location the value is kept as a term, and the writes that it may come from;
where ways meet, the values become a choice. So the condition of a statement is a term over what was there when the scan
began, and a write of which no value is ever seen is known. What cannot be told, such as what a loop leaves, is a term
of its own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any

from upright_block.analysis.locations import Location, root_of
from upright_block.analysis.terms import Term, Terms
from upright_block.language import syntax, typed
from upright_block.language.nodes import fresh, node, state


@state
class Write:
    """That a location gets a value. ``is_weak`` says that only a part of it may get it.

    ``value`` is what it becomes, ``written`` the expression of an assignment. ``is_seen`` turns out when somebody may
    read it; of what is overwritten before, ``winner`` is the first that did so. ``call`` is that whose output it is.
    """

    location: Location
    value: Term
    condition: Term
    order: int
    origin: syntax.Node
    written: typed.Expression | None
    is_weak: bool
    loops: tuple[int, ...]
    is_made: bool
    statement: typed.Statement | None
    call: Call | None = None
    is_seen: bool = False
    winner: Write | None = None


@node
class Read:
    """That the value of a location is read. ``is_old`` says that it is that of the scan before, for certain."""

    location: Location
    value: Term
    condition: Term
    order: int
    origin: syntax.Node
    is_old: bool
    statement: typed.Statement | None
    loops: tuple[int, ...]


@state
class Call:
    """That an instance or a function is run. ``location`` is the instance, None of a function; ``inputs`` are values by
    pin.
    """

    location: Location | None
    unit: typed.Unit
    condition: Term
    order: int
    origin: syntax.Node
    inputs: dict[typed.Variable, Term]
    statement: typed.Statement | None
    loops: tuple[int, ...]
    is_exact: bool
    is_made: bool
    is_virtual: bool


@node
class Decision:
    """A condition that a statement decides by: ``value`` where ``condition`` holds."""

    value: Term
    condition: Term
    origin: syntax.Node
    expression: typed.Expression
    statement: typed.Statement
    index: int


@node
class Indexed:
    """That an element of an array is reached: by what index, in which dimension."""

    array: Any
    dimension: int
    value: Term
    condition: Term
    origin: syntax.Node
    expression: typed.Expression


@node
class Unreached:
    """The first statement that stands behind one that leaves."""

    origin: syntax.Node
    leaving: syntax.Node


@state
class Flow:
    """What one call of ``unit`` does. ``final`` are the values of locations at its end.

    ``results`` are the least and the greatest result of whole arithmetic, before it is cut to its type, by the node;
    ``constants`` are those that the body names.
    """

    unit: typed.Unit
    terms: Terms
    writes: list[Write] = fresh(default_factory=list)
    reads: list[Read] = fresh(default_factory=list)
    calls: list[Call] = fresh(default_factory=list)
    decisions: list[Decision] = fresh(default_factory=list)
    indexed: list[Indexed] = fresh(default_factory=list)
    unreached: list[Unreached] = fresh(default_factory=list)
    final: dict[Location, Term] = fresh(default_factory=dict)
    loops: list[tuple[typed.Statement, tuple[int, int]]] = fresh(default_factory=list)
    results: dict[int, tuple[Any, Any]] = fresh(default_factory=dict)
    constants: set[typed.Variable] = fresh(default_factory=set)
    _found: dict[str, dict[Any, list[Any]]] = fresh(default_factory=dict)

    def reads_of(self, root: typed.Variable) -> list[Read]:
        """The reads of a variable, and of all that lies in it."""
        return self._by("reads", lambda: ((root_of(read.location), read) for read in self.reads)).get(root, [])

    def writes_of(self, root: typed.Variable) -> list[Write]:
        """The writes of a variable, and of all that lies in it."""
        return self._by("writes", lambda: ((root_of(write.location), write) for write in self.writes)).get(root, [])

    def calls_of(self, root: typed.Variable) -> list[Call]:
        """The calls of an instance, and of all that lie in it."""
        found = ((root_of(call.location), call) for call in self.calls if call.location is not None)
        return self._by("calls", lambda: found).get(root, [])

    def made_by(self, call: Call) -> list[Write]:
        """The writes of what a call has left."""
        return self._by("made", self._leaves_of_calls).get(call.order, [])

    def _leaves_of_calls(self) -> Iterator[tuple[int, Write]]:
        """The writes of values that calls have left, by the numbers of these."""
        for write in self.writes:
            for leaf in write.value.leaves or ():
                if leaf.kind == "made" and leaf.key[0][0] == "ran":
                    yield leaf.key[0][1], write

    def call_at(self, order: int) -> Call | None:
        """The call of a number."""
        found = self._by("orders", lambda: ((call.order, call) for call in self.calls)).get(order, [])
        return found[0] if found else None

    def _by(self, name: str, pairs: Callable[[], Iterable[tuple[Any, Any]]]) -> dict[Any, list[Any]]:
        """What a walk has noted by what it is of, put in order when somebody asks."""
        known = self._found.get(name)
        if known is None:
            known = self._found[name] = {}
            for key, value in pairs():
                known.setdefault(key, []).append(value)
        return known
