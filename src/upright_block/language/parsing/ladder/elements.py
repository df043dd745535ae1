"""What stands in a rung: contacts, coils, boxes, jumps, words, links and joints, each in its cells."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from typing import Literal

from upright_block.language.nodes import fresh, node, state
from upright_block.language.parsing.ladder.grid import Grid
from upright_block.language.parsing.words import ladder as words
from upright_block.language.telling.findings import Words

Kind = Literal["contact", "compare", "coil", "box", "jump", "return"]
Cell = tuple[int, int]
"""A row and a column."""

_CONTACT = re.compile(r"\|(?:([ /PNpn])| *(>=|<=|<>|=|<|>) *)\|")
_COIL = re.compile(r"\(([ /SRPNsrpn])\)")
_JUMP = re.compile(r">>([A-Za-z_]\w*)")
_RETURN = re.compile(r"<RETURN>")
_WORD = re.compile(
    r"""'(?:[^'$]|\$.)*' | "(?:[^"$]|\$.)*"
    | (?: [\w%] | (?<![^ ])-(?=[0-9]) ) (?: [\w%\#.:^] | \[[^\]|]*\] | [-+](?=\w) | (?<=\#)'(?:[^'$]|\$.)*' )*""",
    re.VERBOSE | re.ASCII,
)
STATEMENTS = "ST"
"""What stands in a box that holds statements."""
_INSIDE = re.compile(r"(?P<left>[A-Za-z_]\w*)?(?:\s+|(?=\Z)|(?<!\w))(?P<right>[A-Za-z_]\w*)?", re.ASCII)
"""What stands in a row of a box: a pin at either wall."""
_LINKS = "-+"
_SIGNS = re.compile("[|()<>]")


def is_word(text: str) -> bool:
    """Whether a text may stand in a rung as the name or the literal at an element."""
    return _WORD.fullmatch(text) is not None and not _SIGNS.search(text)


@node
class Word:
    """A text in a row, such as the name of a variable."""

    row: int
    left: int
    text: str

    @property
    def right(self) -> int:
        return self.left + len(self.text) - 1


@node
class Pin:
    """A pin of a box: the text at its wall, in which row, whether at the left, and whether an ``O`` negates it."""

    name: str
    row: int
    is_input: bool
    is_negated: bool


@state
class Element:
    """A thing with a place: its row is that in which its link lies, of a box its first one with a pin. ``labels`` are
    pins of a box that nothing is linked to, ``lines`` the statements in a box ``ST``.
    """

    kind: Kind
    sign: str
    row: int
    left: int
    right: int
    top: int
    bottom: int
    operand: Word | None = None
    other: Word | None = None
    type: Word | None = None
    pins: list[Pin] = fresh(default_factory=list)
    labels: list[Word] = fresh(default_factory=list)
    lines: list[Word] = fresh(default_factory=list)


class Flaws:
    """Collects what is wrong with a rung; a rung with flaws means nothing."""

    def __init__(self, grid: Grid) -> None:
        self.grid = grid
        self.found: list[tuple[Words, int, int]] = []

    def add(self, said: Words, row: int, left: int, right: int | None = None) -> None:
        start = self.grid.place(row, left)
        self.found.append((said, start, max(self.grid.place(row, left if right is None else right) + 1, start + 1)))


class Elements:
    """All that stands in a rung. ``owner`` has the element in a cell, ``words`` what is no element's own text."""

    def __init__(self, grid: Grid, flaws: Flaws) -> None:
        self.grid = grid
        self.flaws = flaws
        self.owner: dict[Cell, Element] = {}
        self.found: list[Element] = []
        self.words: list[Word] = []
        self.word_at: dict[Cell, Word] = {}
        self.right_rail = self._right_rail()
        for box in self._boxes():
            self._own(box, (box.top, box.bottom))
        for row in range(grid.rows):
            self._in_row(row)
        self._own_types()
        self._words()
        self._operands()

    def _right_rail(self) -> int:
        """The column of the right rail, beyond the rung where there is none."""
        grid = self.grid
        last = grid.width - 1
        ends = [row for row in range(grid.rows) if grid.at(row, last) in "|+"]
        if len(ends) == grid.rows:
            return last or grid.width  # the left rail alone has no right one
        lasts = [len(line.text) - 1 for line in grid.lines if line.text[-1:] in ("|", "+")]
        ((usual, count),) = Counter(lasts).most_common(1) or [(0, 0)]
        if len(lasts) == grid.rows > count and count * 2 >= grid.rows:
            row = next(row for row in range(grid.rows) if len(grid.lines[row].text) - 1 != usual)
            self.flaws.add(words.rail_out_of_line(usual + 1), row, len(grid.lines[row].text) - 1)
            return grid.width
        if len(ends) * 2 > grid.rows:
            row = next(row for row in range(grid.rows) if row not in ends)
            self.flaws.add(words.half_a_rail(), row, 0, len(grid.lines[row].text) - 1)
        return grid.width

    def _own(self, element: Element, rows: tuple[int, int]) -> None:
        self.found.append(element)
        for row in range(rows[0], rows[1] + 1):
            for column in range(element.left, element.right + 1):
                self.owner[row, column] = element

    # --- boxes ---

    def _boxes(self) -> Iterator[Element]:
        grid = self.grid
        for row in range(grid.rows):
            for found in re.finditer(r"\+(?=(-+)\+)", grid.lines[row].text):
                left, right = found.start(), found.start() + len(found[1]) + 1
                bottom = self._bottom(row, left, right)
                name = grid.text(row + 1, left + 1, right - 1).strip() if bottom is not None else ""
                if bottom is None or not re.fullmatch(r"[A-Za-z_][\w.]*", name) or (row, left) in self.owner:
                    continue
                yield self._box(name, row, bottom, left, right)

    def _bottom(self, top: int, left: int, right: int) -> int | None:
        """The row of the lower edge of a box, if it has one."""
        grid = self.grid
        for row in range(top + 1, grid.rows):
            walls = grid.at(row, left), grid.at(row, right)
            if walls == ("+", "+"):
                edge = grid.text(row, left + 1, right - 1)
                return row if set(edge) == {"-"} and row > top + 1 else None
            if walls != ("|", "|"):
                return None
        return None

    def _box(self, name: str, top: int, bottom: int, left: int, right: int) -> Element:
        box = Element("box", name, top + 1, left, right, top, bottom)
        for row in range(top + 2, bottom):
            inside = self.grid.text(row, left + 1, right - 1)
            texts = _INSIDE.fullmatch(inside if name != STATEMENTS else "")
            if name == STATEMENTS and inside.strip():
                begin = left + 1 + len(inside) - len(inside.lstrip())
                box.lines.append(Word(row, begin, inside.strip()))
            if texts is None:
                stray = re.search(r"\S+", re.sub(r"^\w+|\w+$", lambda found: " " * len(found[0]), inside))
                begin, end = stray.span() if stray else (0, len(inside))
                self.flaws.add(words.inside_box(inside[begin:end]), row, left + 1 + begin, left + end)
                continue
            for is_input in (True, False):
                edge = left - 1 if is_input else right + 1
                mark = self.grid.at(row, edge)
                is_linked = mark in _LINKS or mark == "O" or mark.isalnum() or mark in "_'\"]%"
                label = texts["left" if is_input else "right"] or ""
                if not is_linked:
                    if label:
                        box.labels.append(Word(row, left + 1 if is_input else right - len(label), label))
                    continue
                negated = mark == "O" and self.grid.at(row, edge + (-1 if is_input else 1)) in "-+"
                box.pins.append(Pin(label, row, is_input, negated))
                if negated:
                    self.owner[row, edge] = box
        rows = [pin.row for pin in box.pins if pin.is_input] or [pin.row for pin in box.pins]
        box.row = min(rows, default=top + 1)
        return box

    # --- contacts, coils, jumps ---

    def _in_row(self, row: int) -> None:
        grid = self.grid
        text = grid.lines[row].text
        for found in _COIL.finditer(text):
            self._element("coil", found, row)
        at = 1
        while (contact := _CONTACT.search(text, at)) is not None and contact.end() <= self.right_rail:
            left, right = contact.start(), contact.end() - 1
            is_free = not any((row, column) in self.owner for column in range(left, right + 1))
            is_linked = (
                grid.at(row, left - 1) in "-+" or (row, left - 1) in self.owner or grid.at(row, right + 1) in "-+"
            )
            if is_free and is_linked:
                kind: Kind = "contact" if contact[1] else "compare"
                self._element(kind, contact, row)
                at = right + 1
                continue
            at = left + 1
        for found in _JUMP.finditer(text):
            self._element("jump", found, row)
        for found in _RETURN.finditer(text):
            self._element("return", found, row)

    def _element(self, kind: Kind, found: re.Match[str], row: int) -> None:
        sign = next((part for part in found.groups() if part), "")
        left, right = found.start(), found.end() - 1
        if sign in ("p", "n", "s", "r"):
            self.flaws.add(words.lower_sign(sign), row, left, right)
        if not any((row, column) in self.owner for column in range(left, right + 1)):
            self._own(Element(kind, sign, row, left, right, row, row), (row, row))

    def _own_types(self) -> None:
        """The type that may stand below the sign of a compare contact, between its bars."""
        grid = self.grid
        for element in self.found:
            if element.kind == "compare":
                row = element.row + 1
                written = grid.text(row, element.left + 1, element.right - 1)
                inside = written.strip()
                walls = (row, element.left), (row, element.right)
                if re.fullmatch(r"[A-Z]+", inside) and all(grid.at(*wall) == "|" for wall in walls):
                    element.type = Word(row, element.left + 1 + written.index(inside), inside)
                    element.bottom = row
                    for column in range(element.left, element.right + 1):
                        self.owner[row, column] = element

    # --- words ---

    def _words(self) -> None:
        for row in range(self.grid.rows):
            text = self.grid.lines[row].text
            masked = "".join("\0" if (row, column) in self.owner else char for column, char in enumerate(text))
            at = 1 if masked[:1] in "|+" else 0
            while (found := _WORD.search(masked, at)) is not None:
                word = Word(row, found.start(), found[0])
                self.words.append(word)
                for column in range(word.left, word.right + 1):
                    self.word_at[row, column] = word
                at = found.end()

    def _operands(self) -> None:
        """Give each element the word above it, and a compare contact the one below as well."""
        taken: dict[Word, Element] = {}
        for element in self.found:
            if element.kind in ("jump", "return"):
                continue
            above = self._near(element, element.top - 1)
            if element.kind == "box":
                element.operand = above[0] if len(above) == 1 else None
            elif not above:
                self.flaws.add(words.no_operand(element.kind), element.row, element.left, element.right)
                continue
            else:
                element.operand = above[0]
            if len(above) > 1:
                self.flaws.add(
                    words.several_operands([w.text for w in above]), element.row, element.left, element.right
                )
            if element.kind == "compare":
                below = self._near(element, element.bottom + 1)
                if len(below) != 1:
                    self.flaws.add(words.no_lower_operand(element.sign), element.row, element.left, element.right)
                    continue
                element.other = below[0]
            for word in (element.operand, element.other):
                if word is not None and taken.setdefault(word, element) is not element:
                    self.flaws.add(words.shared_operand(word.text), word.row, word.left, word.right)
        self.taken = set(taken)

    def _near(self, element: Element, row: int) -> list[Word]:
        cells = ((row, column) for column in range(element.left, element.right + 1))
        return list(dict.fromkeys(self.word_at[cell] for cell in cells if cell in self.word_at))
