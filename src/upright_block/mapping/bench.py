"""A started configuration whose points are moved: the values that they take, and what is tried to open a way."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from itertools import chain, combinations, islice
from typing import TYPE_CHECKING

from upright_block.compiler.artifact import Slot
from upright_block.compiler.overlay import WRITTEN, Overlay
from upright_block.compiler.program import make_program
from upright_block.language import typed
from upright_block.language.field.points import Point, Points
from upright_block.language.field.tags import Tag
from upright_block.language.signals import point_signal
from upright_block.language.timebase import Timebase
from upright_block.language.types import Elementary
from upright_block.machine.machine import Machine
from upright_block.machine.trace import Fault
from upright_block.runs.session import Session, bare_plan

if TYPE_CHECKING:
    import numpy as np

_MOST_GATES = 10
_MOST_TRIES = 400
_MOST_NUMBERS = 12

Change = tuple[Slot, bytes]
"""Where something is stored, and what."""


class Bench(Session):
    """A configuration in which every task has run once, from where it goes on by hand; ``numbers`` stand beside tags in
    the text.

    Bodies may be laid ``over`` those that are written, with ``more`` global variables, see `make_program`.
    """

    def __init__(
        self,
        configuration: typed.Unit,
        timebase: Timebase,
        points: Points,
        numbers: Mapping[Tag, set[float]],
        over: Overlay = WRITTEN,
        more: Sequence[typed.Variable] = (),
    ) -> None:
        program = make_program(configuration, over=over, more=more)
        super().__init__(bare_plan(configuration.key, timebase), Machine.of(program))
        self.points = points
        self.numbers = numbers
        self.fault: Fault | None = None
        self.run(1)
        self.start = self.checkpoint()

    def run(self, scans: int) -> bool:
        """Run some scans; whether all of them came to their end. Else ``fault`` is what stopped one."""
        _, self.fault = self.advance(scans)
        return self.fault is None

    def images(self, scans: int) -> list[np.ndarray]:
        """The data after each of some scans, up to a fault: what a scan leaves that stopped is no value of the
        controller.
        """
        import numpy as np

        found: list[np.ndarray] = []
        for _ in range(scans):
            if not self.run(1):
                break
            found.append(np.frombuffer(self.machine.data(), np.uint8))
        return found

    def changes(self, tag: Tag) -> Iterator[tuple[Change, bool | None]]:
        """Other values for the point of a tag, each with whether a BOOL becomes TRUE by it."""
        assert tag.point is not None
        if tag.point.width == 1:
            slot = self._slot(tag.point)
            value = not self.machine.peek(slot)
            yield (slot, slot.encode(value)), bool(tag.meant(value))
            return
        whole = self._slot(tag.point)
        now = int(self.machine.peek(whole))
        mask = (1 << tag.point.width) - 1
        full = tag.scale.raw_high & mask if tag.scale else mask
        values = [0, full, (now + 1) & mask, *self._named_values(tag)]
        if tag.is_bits:
            values += [now ^ (1 << bit) for bit in range(tag.point.width)]
        for number in dict.fromkeys(values):
            if number != now:
                yield (whole, whole.encode(number)), None

    def _named_values(self, tag: Tag) -> list[int]:
        """Raw values at, below and above the numbers that the text puts beside a tag."""
        numbers = dict.fromkeys(n + step for n in sorted(self.numbers.get(tag, ())) for step in (0, -1, 1))
        found: list[int] = []
        is_real = isinstance(tag.type, Elementary) and tag.type.family == "real"
        for number in islice(numbers, _MOST_NUMBERS):
            with suppress(OverflowError):  # beyond what the point can hold
                found.append(int(tag.stored(number if is_real else int(number))))
        return found

    def _slot(self, point: Point) -> Slot:
        return self.machine.slot(point_signal(self.points, point))

    def shown(self, tag: Tag, change: Change) -> str:
        """A changed value as the name of a tag has it."""
        slot, content = change
        value = tag.meant(int(slot.decode(content, 0)))
        return f"{value:g}" if isinstance(value, float) else str(int(value))

    def tries(self, gates: Sequence[Tag]) -> Iterator[tuple[tuple[Tag, Change], ...]]:
        """Values of other points that may open a way, a bounded number: one, all, and two at once."""
        self.back(self.start)
        choices = [
            [(gate, change) for change, _ in islice(self.changes(gate), _MOST_NUMBERS)] for gate in gates[:_MOST_GATES]
        ]
        single = ((choice,) for ways in choices for choice in ways)
        pairs = ((a, b) for one, other in combinations(choices, 2) for a in one for b in other)
        every = [tuple(ways[0] for ways in choices if ways)] if len(choices) > 2 else []
        yield from islice(chain(single, every, pairs), _MOST_TRIES)

    def opened(self, tried: Sequence[tuple[Tag, Change]], scans: int) -> bool:
        """Start anew with other values at some points, and let the tasks run; whether none of them stopped."""
        self.back(self.start)
        for _, (slot, content) in tried:
            self.machine.poke(slot, content)
        return self.run(scans)
