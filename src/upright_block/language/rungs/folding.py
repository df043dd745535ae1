"""Rungs that are too wide, carried on in the next one: a variable takes what conducts, and a contact of it goes on."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from upright_block.language.nodes import replaced
from upright_block.language.rungs.laying import NOWHERE, laid_out
from upright_block.language.rungs.parts import WIRE, Beside, Box, Circuit, Coil, Contact, End, Net, Row

WIDEST = 120
"""Columns of a rung, as far as that is possible."""


class Folder:
    """Divides rungs; ``new_name`` gives the name of a new variable, ``made`` are those that it gave."""

    def __init__(self, new_name: Callable[[], str]) -> None:
        self.new_name = new_name
        self.made: set[str] = set()

    def folded(self, end: End) -> Iterator[End]:
        """A rung as rungs that are no wider than they have to be, in the order in which they act."""
        waiting = [end]
        while waiting:
            rung = waiting.pop()
            parts = self._apart(rung) if len(laid_out([rung])[0].lines[0]) > WIDEST else None
            if parts is None:
                yield rung
            else:
                waiting += reversed(parts)

    def _apart(self, end: End) -> list[End] | None:
        """A rung as several; None where it cannot be divided."""
        if isinstance(end, Box):
            long = [pin.feed for pin in end.inputs if isinstance(pin.feed, (Row, Beside)) and self._is_long(pin.feed)]
            carried = [self._carried(feed) for feed in long]
            feeds = iter([contact for _, contact in carried])
            pins = (replaced(pin, feed=next(feeds)) if pin.feed in long else pin for pin in end.inputs)
            return [*(net for net, _ in carried), replaced(end, inputs=tuple(pins))] if carried else None
        if not isinstance(end, Net):
            return None
        first = end.ends[0]
        is_single = len(end.ends) == 1 and not end.otherwise
        if is_single and isinstance(first, Net) and not first.otherwise:
            return [Net(Row((*_parts(end.circuit), *_parts(first.circuit))), first.ends)]
        return self._divided(end.circuit, first) if is_single and not isinstance(first, Net) else self._each(end)

    def _each(self, end: Net) -> list[End]:
        """What a link leads to, each in a rung of its own."""
        if isinstance(end.circuit, Contact) and end.circuit.operand in self.made:
            before, contact = [], end.circuit
        else:
            net, contact = self._carried(end.circuit)
            before = [net]
        against = replaced(contact, sign="/" if contact.sign == " " else " ")
        return [
            *before,
            *(rung for each in end.ends for rung in self._behind(contact, each)),
            *(rung for each in end.otherwise for rung in self._behind(against, each)),
        ]

    def _behind(self, contact: Contact, end: End) -> list[End]:
        """What acts behind a contact, as rungs."""
        if not isinstance(end, Net) or not end.otherwise:
            return [Net(contact, (end,))]
        net, met = self._carried(Row((contact, *_parts(end.circuit))))
        against = Row((contact, replaced(met, sign="/")))
        return [net, *(Net(met, (each,)) for each in end.ends), *(Net(against, (each,)) for each in end.otherwise)]

    def _divided(self, circuit: Circuit, end: End) -> list[End] | None:
        """A circuit that leads to one thing, in parts."""
        parts = _parts(circuit)
        if len(parts) > 2:
            half = max(2, len(parts) // 2)
            net, contact = self._carried(Row(parts[:half]))
            return [net, Net(Row((contact, *parts[half:])), (end,))]
        inside = parts[0].parts if len(parts) == 1 and isinstance(parts[0], Beside) else parts
        carried = {number: self._carried(part) for number, part in enumerate(inside) if self._is_long(part)}
        if not carried or (len(parts) == 1 and inside is parts):
            return None
        made = tuple(carried[number][1] if number in carried else part for number, part in enumerate(inside))
        return [*(net for net, _ in carried.values()), Net(Row(made) if inside is parts else Beside(made), (end,))]

    def _carried(self, circuit: Circuit) -> tuple[Net, Contact]:
        """What stores whether a circuit conducts, and the contact that stands for it."""
        name = self.new_name()
        self.made.add(name)
        return Net(circuit, (Coil(" ", name, NOWHERE),)), Contact(" ", name, NOWHERE)

    @staticmethod
    def _is_long(circuit: Circuit) -> bool:
        return not isinstance(circuit, Contact) and circuit != WIRE


def _parts(circuit: Circuit) -> tuple[Circuit, ...]:
    return circuit.parts if isinstance(circuit, Row) else (circuit,)
