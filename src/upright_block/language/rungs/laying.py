"""Puts the parts of a rung into characters: as narrow as the names allow, branches closed as early as they can be."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language.nodes import fresh, replaced, state
from upright_block.language.rungs.parts import (
    WIRE,
    Beside,
    Box,
    Circuit,
    Coil,
    Contact,
    End,
    Laid,
    Leave,
    Mark,
    Net,
    Pin,
    Result,
    Row,
    Through,
)

NOWHERE = -1
"""Where nothing stands for an element."""


@state
class _Row:
    """A line of a field: from the left, and of what is at the right rail; ``-`` or a blank fills what is between."""

    text: str = ""
    fill: str = " "
    right: str = ""


@state
class _Field:
    """Some lines, the rows in which links come in from the left, and the one in which a link leads on, if one does.

    The columns of marks count from the right rail, and are negative, where they belong to what stands there.
    """

    rows: list[_Row] = fresh(default_factory=list)
    enters: list[int] = fresh(default_factory=list)
    leaves: int | None = None
    marks: list[Mark] = fresh(default_factory=list)

    @property
    def width(self) -> int:
        return max((len(row.text) for row in self.rows), default=0)

    def padded(self, row: int, width: int) -> str:
        """A line from the left, filled to a width."""
        if not 0 <= row < len(self.rows):
            return " " * width
        each = self.rows[row]
        return each.text + each.fill * (width - len(each.text))

    def moved(self, down: int, along: int) -> list[Mark]:
        """The marks of this as those of a field in which it lies."""
        return [mark.moved(down, along if mark.left >= 0 else 0) for mark in self.marks]


def laid_out(ends: Sequence[End]) -> list[Laid]:
    """The lines of rungs between their rails, all of one width."""
    fields = [_trimmed(_end(end, is_rail=True)) for end in ends]
    wide = max((len(row.text) + len(row.right) for field in fields for row in field.rows), default=0)
    return [_between_rails(field, wide) for field in fields]


def _trimmed(field: _Field) -> _Field:
    """A field without empty lines above it."""
    while field.rows and not (field.rows[0].text + field.rows[0].right).strip():
        field = _Field(field.rows[1:], [row - 1 for row in field.enters], field.leaves, field.moved(-1, 0))
    return field


def _between_rails(field: _Field, wide: int) -> Laid:
    lines = []
    for number, row in enumerate(field.rows):
        rails = "+" if number in field.enters else "|", "+" if row.fill == "-" else "|"
        lines.append(rails[0] + row.text + row.fill * (wide - len(row.text) - len(row.right)) + row.right + rails[1])
    return Laid(tuple(lines), tuple(mark.moved(0, 1 if mark.left >= 0 else wide + 1) for mark in field.marks))


# --- circuits ---


def _circuit(circuit: Circuit) -> _Field:
    """What a link goes through, with the link on behind it."""
    found = _part(circuit)
    width = found.width + 1
    for number, row in enumerate(found.rows):
        row.text = found.padded(number, width)
    return found


def _part(circuit: Circuit) -> _Field:
    match circuit:
        case Contact():
            return _contact(circuit)
        case Row(parts=parts):
            return _row(parts)
        case Beside(parts=parts):
            return _beside(parts)
        case Box():
            return _box(circuit)


def _contact(contact: Contact) -> _Field:
    sign = f"|{contact.sign}|"
    wide = max(len(sign), len(contact.operand), len(contact.other))
    rows = [_Row(" " + contact.operand.center(wide)), _Row("-" + sign.center(wide, "-"), "-")]
    if contact.other:
        rows.append(_Row(" " + contact.other.center(wide)))
    left = rows[1].text.index("|")
    return _Field(rows, [1], 1, [Mark(1, left, left + len(sign) - 1, contact.origin)])


def _row(parts: Sequence[Circuit]) -> _Field:
    """Parts behind each other; neighbours are put together first, so that many take no longer than they have to."""
    fields = [_joined(_part(part)) if number else _part(part) for number, part in enumerate(parts)]
    while len(fields) > 1:
        pairs = range(0, len(fields), 2)
        fields = [_behind(*fields[at : at + 2]) if at + 1 < len(fields) else fields[at] for at in pairs]
    return fields[0] if fields else _Field([_Row("", "-")], [0], 0)


def _behind(first: _Field, second: _Field) -> _Field:
    """Two fields in a row; the link that leads on from the first comes into the second."""
    assert first.leaves is not None
    (entry,) = second.enters
    top = max(first.leaves, entry)
    down, under = top - first.leaves, top - entry
    wide = first.width
    rows = []
    for number in range(max(len(first.rows) + down, len(second.rows) + under)):
        other = second.rows[number - under] if 0 <= number - under < len(second.rows) else _Row()
        rows.append(_Row(first.padded(number - down, wide) + other.text, other.fill, other.right))
    marks = first.moved(down, 0) + second.moved(under, wide)
    leaves = None if second.leaves is None else second.leaves + under
    return _Field(rows, [row + down for row in first.enters], leaves, marks)


def _joined(field: _Field) -> _Field:
    """A field that links come into in one row alone: a joint before it where there are several."""
    if len(field.enters) < 2:
        return field
    first, last = field.enters[0], field.enters[-1]
    rows = [
        replaced(row, text=("+" if number in field.enters else "|" if first < number < last else " ") + row.text)
        for number, row in enumerate(field.rows)
    ]
    return _Field(rows, [first], field.leaves, field.moved(0, 1))


def _stacked(fields: Sequence[_Field]) -> _Field:
    """Fields below each other, that the same joint leads to."""
    found = _Field()
    for field in fields:
        down = len(found.rows)
        found.marks += field.moved(down, 0)
        found.enters += [row + down for row in field.enters]
        found.rows += field.rows
    return found


def _beside(parts: Sequence[Circuit]) -> _Field:
    fields = [_circuit(part) for part in parts]
    found = _stacked(fields)
    leaves, down = [], 0
    for field in fields:
        assert field.leaves is not None
        leaves.append(field.leaves + down)
        down += len(field.rows)
    wide = found.width
    for number, row in enumerate(found.rows):
        joint = "+" if number in leaves else "|" if leaves[0] < number < leaves[-1] else " "
        row.text, row.fill = found.padded(number, wide) + joint, "-" if number == leaves[0] else " "
    found.leaves = leaves[0]
    return found


# --- boxes ---


def _box(box: Box) -> _Field:
    """A box with what leads into it at its left: a row above it for its instance, and one for its name."""
    inputs, at, free, last = list[tuple[int, _Field]](), list[int](), 0, 2
    for pin in box.inputs:
        field = _word(pin.feed) if isinstance(pin.feed, str) else _circuit(pin.feed)
        assert field.leaves is not None
        last = max(last + 1, free + field.leaves)
        inputs.append((last - field.leaves, field))
        at.append(last)
        free = last - field.leaves + len(field.rows)
    first = at[0] if at else 3
    lines = list(box.lines)
    bottom = max([*at, first + len(box.outputs) - 1, first + len(lines)]) + 1
    left_pins = dict(zip(at, box.inputs, strict=True))
    right_pins = dict(enumerate(box.outputs, first))
    top = first - 2
    inner = max(len(box.name) + 2, len(box.instance) - 2)
    for row in range(first, bottom):
        names = [pins[row].name for pins in (left_pins, right_pins) if row in pins and pins[row].name]
        inner = max(inner, len(" ".join(names)))
    inner = max([inner, *(len(line) + 2 for line in lines)])
    found = _feeding(inputs, box)
    wide = found.width
    walls = {top: f"+{'-' * inner}+", top + 1: f"|{box.name.center(inner)}|", bottom: f"+{'-' * inner}+"}
    walls[top - 1] = box.instance.center(inner + 2)
    for row in range(first, bottom):
        left = left_pins[row].name if row in left_pins else ""
        right = right_pins[row].name if row in right_pins else ""
        inside = f"{left}{right:>{inner - len(left)}}"
        if lines and row > first:
            inside = f" {lines[row - first - 1]:<{inner - 1}}"
        walls[row] = f"|{inside}|"
    while len(found.rows) <= bottom:
        found.rows.append(_Row())
    for row in range(bottom + 1):
        found.rows[row] = _Row(found.padded(row, wide) + walls.get(row, ""))
    found.marks.append(Mark(top, wide, wide + inner + 1, box.origin))
    _lead_on(found, box, first)
    return found


def _word(word: str) -> _Field:
    return _Field([_Row(f" {word}-")], [], 0)


def _feeding(inputs: Sequence[tuple[int, _Field]], box: Box) -> _Field:
    """What leads into a box, each in the row of its pin."""
    found = _Field()
    wide = max((field.width for _, field in inputs), default=1)
    is_any_negated = any(pin.is_negated for pin in box.inputs)
    for pin, (top, field) in zip(box.inputs, inputs, strict=True):
        while len(found.rows) < top + len(field.rows):
            found.rows.append(_Row())
        is_word = isinstance(pin.feed, str)
        for number in range(len(field.rows)):
            text = field.rows[number].text.rjust(wide) if is_word else field.padded(number, wide)
            leads = number == field.leaves
            if leads and not is_word:
                text = text.rstrip(" ").ljust(wide, "-")
            sign = ("O" if pin.is_negated else "-") if leads else " "
            found.rows[top + number].text = text + sign * is_any_negated
        found.enters += [row + top for row in field.enters]
        found.marks += field.moved(top, 0)
    found.rows = found.rows or [_Row()]
    for row in found.rows:
        row.text = row.text.ljust(wide + is_any_negated)
    return found


def _lead_on(found: _Field, box: Box, first: int) -> None:
    """The words at the outputs of a box, and the link that leads on from one of them."""
    is_statements = bool(box.lines)
    for row, result in enumerate(box.outputs, first):
        sign = "O" if result.is_negated else ""
        wall = len(found.rows[row].text) - 1
        found.marks.append(Mark(row, wall, wall, result.origin))
        found.rows[row].text += f"{sign}-{result.word}{' ' if result.word else ''}"
        if not result.word:
            found.leaves = row
    wide = found.width
    if found.leaves is not None and not is_statements:
        found.rows[found.leaves].text = found.rows[found.leaves].text.ljust(wide, "-")
        found.rows[found.leaves].fill = "-"


# --- what acts ---


def _end(end: End, *, is_rail: bool = False) -> _Field:
    match end:
        case Coil():
            return _coil(end)
        case Leave():
            return _Field([_Row("", "-", "--<RETURN>")], [0], None, [Mark(0, -8, -1, end.origin)])
        case Through():
            return _Field([_Row("", "-")], [0])
        case Box():
            found = _box(end)
            wide = found.width + (1 if not end.outputs else 0)
            found.rows = [_Row(row.text.ljust(wide)) for row in found.rows]
            return found
        case Net():
            return _net(end, is_rail)


def _coil(coil: Coil) -> _Field:
    sign = f"({coil.sign})"
    wide = max(len(sign), len(coil.operand))
    name, link = f" {coil.operand.center(wide)} ", f"-{sign.center(wide, '-')}-"
    left = link.index("(") - len(link)
    return _Field([_Row("", " ", name), _Row("", "-", link)], [1], None, [Mark(1, left, left + 2, coil.origin)])


def _net(net: Net, is_rail: bool) -> _Field:
    ends = [_end(end) for end in net.ends]
    if net.circuit == WIRE and not net.otherwise:
        return _stacked(ends)
    condition = _circuit(net.circuit)
    if not net.otherwise:
        return _behind(condition, _joined(_stacked(ends)))
    others = _joined(_stacked([_end(end) for end in net.otherwise]))
    if is_rail:
        gate = _box(Box("NOT", "", (Pin("", WIRE),), (Result(""),), NOWHERE))
        return _behind(condition, _joined(_stacked([*ends, _behind(gate, others)])))
    gate = _box(Box("AND", "", (Pin("", WIRE, is_negated=True), Pin("", WIRE)), (Result(""),), NOWHERE))
    return _beyond(condition, ends, _behind(gate, others))


def _beyond(condition: _Field, ends: Sequence[_Field], others: _Field) -> _Field:
    """What acts where a condition is met, and what acts where the link that leads to it conducts and it is not: that
    has two links, of which the lower one passes below the condition.
    """
    assert condition.leaves is not None
    met = _stacked(ends)
    below = len(condition.rows) - condition.leaves
    lines = below - (len(met.rows) + others.enters[1] - met.enters[0])
    field = _stacked([met, _Field([_Row() for _ in range(lines)]), others])
    passing = field.enters.pop()
    joined = _joined(field)
    found = _behind(condition, joined)
    row = passing + max(condition.leaves - joined.enters[0], 0)
    found.rows[row].text = "-" * (condition.width + 1) + field.rows[passing].text
    found.enters.append(row)
    return found
