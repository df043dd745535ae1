"""What is linked to what in a rung: each element, joint and pin with what feeds it from the left."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import Literal

from upright_block.language.nodes import fresh, node, state
from upright_block.language.parsing.ladder.elements import Cell, Element, Elements, Flaws, Pin, Word
from upright_block.language.parsing.ladder.grid import Grid, Line
from upright_block.language.parsing.words import ladder as words

RAIL: Literal["rail"] = "rail"
_TAKEN = "\0"
_JOINTS = re.compile(r"[+|]")
_RUNS = re.compile("-+")
_UNKNOWN = re.compile(r"[^ \-+|\0]")


@state
class Joint:
    """Links of one column that are joined: it carries what any of those from the left does. Its place is its upper
    end.
    """

    row: int
    column: int
    bottom: int
    feeds: list[Feed] = fresh(default_factory=list)


@node
class BoxPin:
    """An output of a box, as the beginning of a link."""

    box: Element
    pin: Pin


Feed = Element | Joint | BoxPin | Word | Literal["rail"]
"""What a link begins at: an element, a joint, a pin, the name of a variable at a pin, or the left rail."""


class Network:
    """The links of a rung. ``feeds`` has by element what feeds it, and by pin of a box what does or takes it."""

    def __init__(self, elements: Elements, flaws: Flaws) -> None:
        self.elements = elements
        self.grid = elements.grid
        self.flaws = flaws
        self.joints: dict[Cell, Joint] = {}
        self.used: set[Cell] = set()
        self.feeds: dict[Element, Feed] = {}
        self.inputs: dict[Element, list[tuple[Pin, Feed]]] = {}
        self.outputs: dict[Element, list[tuple[Pin, Word]]] = {}
        self.free = self._free()
        self._find_joints()
        for joint in dict.fromkeys(self.joints.values()):
            self._feed_joint(joint)
        for element in elements.found:
            self._feed(element)
        self._leftovers()

    # --- joints ---

    def _free(self) -> list[str]:
        """The rows without rails, elements and words, and a column wider."""
        cells = [list(f"{text} ") for text in self.grid.padded]
        rail = min(self.elements.right_rail, self.grid.width)
        for line in cells:
            line[0] = line[rail] = _TAKEN
        for row, column in (*self.elements.owner, *self.elements.word_at):
            if 0 <= row < len(cells):
                cells[row][column] = _TAKEN
        return ["".join(line) for line in cells]

    def _is_link(self, row: int, column: int, chars: str) -> bool:
        return 0 <= row < self.grid.rows and 0 <= column < self.grid.width and self.free[row][column] in chars

    def _find_joints(self) -> None:
        for row in range(self.grid.rows):
            for found in _JOINTS.finditer(self.free[row]):
                if (row, found.start()) not in self.joints:
                    self._find_joint(row, found.start())

    def _find_joint(self, row: int, column: int) -> None:
        bottom = row
        while self._is_link(bottom + 1, column, "+|"):
            bottom += 1
        joint = Joint(row, column, bottom)
        for each in range(row, bottom + 1):
            self.joints[each, column] = joint
        for end in dict.fromkeys((row, bottom)):
            if self.grid.at(end, column) == "|":
                self.flaws.add(words.open_vertical(), end, column)
        if row == bottom and self.grid.at(row, column) == "+":
            self.flaws.add(words.joint_alone(), row, column)

    def _feed_joint(self, joint: Joint) -> None:
        for row in range(joint.row, joint.bottom + 1):
            if self.grid.at(row, joint.column) == "+":
                feed = self._left_of(row, joint.column)
                if feed is not None:
                    joint.feeds.append(feed)
        if not joint.feeds:
            self.flaws.add(words.joint_without("left"), joint.row, joint.column)

    # --- links ---

    def _left_of(self, row: int, column: int) -> Feed | None:
        """What feeds the cell at a place from the left; None where no link reaches it."""
        left = column - 1
        while self._is_link(row, left, "-"):
            self.used.add((row, left))
            left -= 1
        if left <= 0:
            return RAIL if self.grid.at(row, 0) in "+|" and (left < column - 1 or column == 1) else None
        cell = row, left
        if cell in self.joints and self.grid.at(*cell) == "+":
            self.used.add(cell)
            return self.joints[cell]
        word = self.elements.word_at.get(cell)
        if word is not None:
            return word
        owner = self.elements.owner.get(cell)
        if owner is None:
            if left < column - 1:
                self.flaws.add(words.link_from_nothing(), row, left + 1, column - 1)
            return None
        if owner.kind != "box":
            return owner
        pin = next((p for p in owner.pins if p.row == row and not p.is_input), None)
        return BoxPin(owner, pin) if pin is not None else None

    def reaches(self, row: int, column: int) -> Feed | None:
        """What feeds a place from the left, if anything does."""
        return self._left_of(row, column) if self._is_link(row, column - 1, "-+") else None

    def links(self) -> Iterator[tuple[int, int, int]]:
        """The rows of all links, and from which column to which they go."""
        for row in range(self.grid.rows):
            for run in _RUNS.finditer(self.free[row]):
                yield row, run.start(), run.end() - 1

    def _feed(self, element: Element) -> None:
        if element.kind != "box":
            feed = self._left_of(element.row, element.left)
            if feed is None or isinstance(feed, Word):
                self.flaws.add(words.no_link(element.kind), element.row, element.left, element.right)
                return
            self.feeds[element] = feed
            return
        inputs, outputs = self.inputs.setdefault(element, []), self.outputs.setdefault(element, [])
        for pin in element.pins:
            if pin.is_input:
                feed = self._left_of(pin.row, element.left - pin.is_negated)
                if feed is not None:
                    inputs.append((pin, feed))
                continue
            column = element.right + 1 + pin.is_negated
            while self._is_link(pin.row, column, "-"):
                column += 1
            word = self.elements.word_at.get((pin.row, column))
            if word is not None:
                self.used.update((pin.row, c) for c in range(element.right + 1, column))
                outputs.append((pin, word))

    # --- what is left ---

    def _leftovers(self) -> None:
        """Report links that nobody takes, words that belong to nothing, and characters without a meaning."""
        taken = set(self.elements.taken)
        taken |= {feed for feeds in self.inputs.values() for _, feed in feeds if isinstance(feed, Word)}
        taken |= {word for found in self.outputs.values() for _, word in found}
        for word in self.elements.words:
            if word not in taken:
                self.flaws.add(words.word_of_nothing(word.text), word.row, word.left, word.right)
        for row in range(self.grid.rows):
            if self.grid.at(row, 0) not in "+|":
                self.flaws.add(words.no_left_rail(), row, 0)
            for run in _RUNS.finditer(self.free[row]):
                left, right = run.start(), run.end() - 1
                if (row, right) not in self.used and not self._may_stop(row, left, right):
                    self.flaws.add(words.link_to_nothing(), row, left, right)
            for stray in _UNKNOWN.finditer(self.free[row]):
                self.flaws.add(words.unknown(stray[0]), row, stray.start())
        for cell, joint in self.joints.items():
            is_first = cell == (joint.row, joint.column)
            goes_on = any((r, joint.column) in self.used for r in range(joint.row, joint.bottom + 1))
            if is_first and joint.feeds and not goes_on and not self._reaches_rail(joint):
                self.flaws.add(words.joint_without("right"), joint.row, joint.column)

    def _reaches_rail(self, joint: Joint) -> bool:
        """Whether a joint leads to the right rail, which takes it."""
        rail = self.elements.right_rail
        rows = (r for r in range(joint.row, joint.bottom + 1) if self.grid.at(r, joint.column) == "+")
        return any(
            self.grid.at(row, rail) in "|+" and all(self._is_link(row, c, "-") for c in range(joint.column + 1, rail))
            for row in rows
        )

    def _may_stop(self, row: int, left: int, right: int) -> bool:
        """Whether a link may end where it does: at the right rail, or behind a coil where only the rail follows."""
        rail = self.elements.right_rail
        before = self.elements.owner.get((row, left - 1))
        if right + 1 == rail < self.grid.width:
            return before is not None or left == 1 or (row, left - 1) in self.joints
        behind = self.grid.text(row, right + 1, self.grid.width - 1).strip()
        return before is not None and before.kind in ("coil", "box") and behind in ("", "|", "+")


def network_of(lines: Sequence[Line]) -> Network:
    """What stands in a rung without mistakes, and how it is linked."""
    flaws = Flaws(Grid(tuple(lines)))
    return Network(Elements(flaws.grid, flaws), flaws)
