"""What conducts in the rungs of a unit, in one scan."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Iterator, Sequence
from operator import eq, ge, gt, le, lt, ne
from typing import Any

from upright_block.language import syntax, typed
from upright_block.language.literals import Value, shown
from upright_block.language.nodes import record
from upright_block.language.parsing.ladder import RAIL, BoxPin, Element, Feed, Joint, Word
from upright_block.language.rungs.drawings import Drawing, drawings
from upright_block.language.source import Source
from upright_block.language.types import BOOL
from upright_block.reasons.scans import Entry, value_of

_COMPARE: dict[str, Any] = {"=": eq, "<>": ne, "<": lt, ">": gt, "<=": le, ">=": ge}


@record
class Shown:
    """An element of a rung as it was evaluated: where it stands in the source, from 1, and whether it conducted.

    ``value`` is that of its operand, where it is a BOOL that was read.
    """

    element: Element
    line: int
    column: int
    value: bool | None
    conducts: bool


@record
class Conducted:
    """A rung of a scan: its rows, with ``=`` where links conduct, what the names in each row were, and its elements.

    ``live`` are the columns from which to which links conduct, by row.
    """

    line: int
    rows: tuple[str, ...]
    notes: tuple[str, ...]
    live: tuple[tuple[tuple[int, int], ...], ...]
    elements: tuple[Shown, ...]


def conducted(entries: Sequence[Entry]) -> list[Conducted]:
    """The rungs of a unit as the statements of a scan evaluated them."""
    if not entries:
        return []
    unit = entries[0].unit
    ordered = sorted(entries, key=_start)
    cases: list[Entry] = []
    for entry in ordered:
        is_inside = bool(cases) and _start(entry) < cases[-1].statement.origin.end
        if isinstance(entry.statement, typed.Case) and not is_inside:
            cases.append(entry)
    found = []
    for drawing in drawings(unit):
        own = ordered[bisect_left(ordered, drawing.start, key=_start) : bisect_left(ordered, drawing.stop, key=_start)]
        around = cases[: bisect_left(cases, drawing.start, key=_start)][-1:]
        if around and around[0].statement.origin.end >= drawing.stop:  # the rung is an arm of it
            own = [*around, *own]
        found.append(_Rung(drawing, own, unit.source).conducted())
    return found


def _start(entry: Entry) -> int:
    return entry.statement.origin.start


class _Rung:
    """Finds out what conducts in a rung, of which some statements ran."""

    def __init__(self, drawing: Drawing, entries: Sequence[Entry], source: Source) -> None:
        self.drawing = drawing
        self.network = drawing.network
        self.source = source
        self.has_run = any(entry.ran for entry in entries)
        self.read: dict[int, bool] = {}
        self.edges: dict[int, bool] = {}
        self.computed: dict[int, bool] = {}
        self.labels: dict[int, tuple[Value, Value, str]] = {}
        self.names: dict[str, str] = {}
        for entry in entries:
            self._take(entry)
        self.known: dict[tuple[int, int], bool] = {}

    def _take(self, entry: Entry) -> None:
        """Note what a statement read and computed."""
        if entry.ran is None:
            return
        for computed in entry.ran.values:
            value, node = computed.content, computed.value
            if value is None or node.type is not BOOL:
                continue
            match node:
                case typed.Load(place=place) | typed.Part(operand=typed.Load(place=place)):
                    self.read[place.origin.start] = bool(value)
                case typed.Binary(start=start):
                    self.edges.setdefault(start, bool(value))
                    self.computed[start] = bool(value)
                case typed.Unary(start=start) | typed.CallStandard(start=start):
                    self.computed[start] = bool(value)
                case typed.CallFunction(origin=origin):
                    self.computed[origin.start] = bool(value)
        if isinstance(entry.statement, typed.Case):
            held = value_of(entry.ran, entry.statement.selector)
            written = entry.statement.origin
            if isinstance(written, syntax.Case) and held is not None:
                text = shown(held, entry.statement.selector.type)
                for arm, labels in zip(entry.statement.arms, written.arms, strict=True):
                    for (low, high), label in zip(arm.ranges, labels.labels, strict=True):
                        self.labels[label.low.start] = held, low, text
                        if label.high is not None:
                            self.labels[label.high.start] = held, high, text
        inside = f"{entry.instance}." if entry.instance else ""
        for read in entry.reads:
            if read.type is not BOOL:
                self.names.setdefault(read.path.removeprefix(inside).upper(), shown(read.value, read.type))
        for written_ in entry.writes:
            if written_.type is not BOOL:
                self.names[written_.path.removeprefix(inside).upper()] = shown(written_.after, written_.type)

    # --- what conducts ---

    def conducts(self, feed: Feed) -> bool:
        """Whether what a link begins at gives TRUE."""
        waiting = [feed]
        while waiting:
            each = waiting[-1]
            needed = [other for other in self._needs(each) if other != RAIL and _key(other) not in self.known]
            if needed:
                waiting += needed
                continue
            waiting.pop()
            self.known[_key(each)] = self._now(each)
        return self._known(feed)

    def _known(self, feed: Feed) -> bool:
        return self.has_run if feed == RAIL else self.known[_key(feed)]

    def _needs(self, feed: Feed) -> Iterable[Feed]:
        if isinstance(feed, Joint):
            return feed.feeds
        if isinstance(feed, BoxPin):
            return [each for _, each in self.network.inputs[feed.box] if not isinstance(each, Word)]
        if isinstance(feed, Element):
            return [self.network.feeds[feed]]
        return ()

    def _now(self, feed: Feed) -> bool:
        """Whether something conducts, when all is known that it needs."""
        if isinstance(feed, Joint):
            return any(map(self._known, feed.feeds))
        if isinstance(feed, BoxPin):
            return self._of_pin(feed)
        if isinstance(feed, Element):
            before = self._known(self.network.feeds[feed])
            return before and (feed.kind not in ("contact", "compare") or bool(self._own(feed)))
        return self.has_run

    def _of_pin(self, feed: BoxPin) -> bool:
        box, pin = feed.box, feed.pin
        origin = self.drawing.origin(box, pin.row, box.right)
        feeds = [(own, each) for own, each in self.network.inputs[box] if not isinstance(each, Word)]
        value = self.read.get(origin, self.computed.get(origin))
        if value is not None:
            return value != pin.is_negated
        links = [self._known(each) != own.is_negated for own, each in feeds]
        if box.lines or box.sign == "ST" or pin.name.upper() == "ENO":
            return any(links)
        if box.sign.upper() == "NOT":
            return self.has_run and not any(links)
        return origin < 0 and bool(links) and all(links)

    def _own(self, element: Element) -> bool | None:
        """Whether a contact conducts by itself; None where that is not known, as it was not evaluated."""
        origin = self.drawing.origin(element, element.row, element.left)
        text = element.operand.text.upper() if element.operand is not None else ""
        if element.kind == "compare":
            if origin in self.labels:
                held, bound, _ = self.labels[origin]
                return bool(_COMPARE[element.sign](held, bound))
            value = self.computed.get(origin)
            is_inverse = self.drawing.origins is not None and not self.source.text.startswith(element.sign, origin)
            return None if value is None else value != is_inverse
        if element.sign in "PN":
            return self.edges.get(origin)
        value = self.read.get(origin, {"TRUE": True, "FALSE": False}.get(text))
        return None if value is None else value != (element.sign == "/")

    # --- as it is shown ---

    def conducted(self) -> Conducted:
        network, grid = self.network, self.network.grid
        rows = [list(line.text) for line in grid.lines]
        live: list[list[tuple[int, int]]] = [[] for _ in rows]
        for row, left, right in network.links():
            feed = network.reaches(row, right + 1) if (row, right + 1) not in network.elements.word_at else None
            if feed is not None and not isinstance(feed, Word) and self.conducts(feed):
                rows[row][left : right + 1] = "=" * (right + 1 - left)
                live[row].append((left, right))
        elements = sorted(network.elements.found, key=lambda each: (each.row, each.left))
        notes: list[list[str]] = [[] for _ in rows]
        for element in elements:
            for word, text in self._notes(element):
                notes[word.row].append(f"{word.text} {text}")
        return Conducted(
            self.source.line(self.drawing.start),
            tuple("".join(row) for row in rows),
            tuple("  ".join(each) for each in notes),
            tuple(map(tuple, live)),
            tuple(self._shown(element) for element in elements),
        )

    def _notes(self, element: Element) -> Iterator[tuple[Word, str]]:
        """The names at an element that are no BOOL, with what they were when it was evaluated."""
        if element.kind == "compare" and self._own(element) is not None:
            label = self.labels.get(self.drawing.origin(element, element.row, element.left))
            for name in (element.operand, element.other):
                text = label[2] if label else self.names.get(name.text.upper(), "") if name is not None else ""
                if name is not None and text:
                    yield name, text
                label = None
        if element.kind == "box" and self._runs(element):
            for _, word in (*self.network.inputs[element], *self.network.outputs[element]):
                if isinstance(word, Word) and word.text.upper() in self.names:
                    yield word, self.names[word.text.upper()]

    def _runs(self, box: Element) -> bool:
        """Whether a box did something: where a link leads to its EN that conducts."""
        links = [
            self.conducts(feed) != pin.is_negated
            for pin, feed in self.network.inputs[box]
            if not isinstance(feed, Word) and (pin.name.upper() == "EN" or box.sign == "ST")
        ]
        return self.has_run and all(links)

    def _shown(self, element: Element) -> Shown:
        column = element.right if element.kind == "box" else element.left
        origin = max(self.drawing.origin(element, element.row, column), self.drawing.start)
        value: bool | None = None
        if element.kind in ("contact", "compare"):
            value = self._own(element)
            conducts = self.conducts(element)
        elif element.kind == "box":
            conducts = self._runs(element)
        else:
            conducts = self.conducts(self.network.feeds[element])
        place = self.source
        return Shown(element, place.line(origin), place.column(origin), value, conducts)


def _key(feed: Feed) -> tuple[int, int]:
    return (id(feed.box), feed.pin.row) if isinstance(feed, BoxPin) else (id(feed), -1)
