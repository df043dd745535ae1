"""Sloppy rungs put in order: rails, names and signs. A link or a joint is never guessed, and what reads well stays."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence

from upright_block.language import syntax
from upright_block.language.lexer import Tokens
from upright_block.language.parsing.ladder import ASCII, QUOTED, Element, Line, Network, Word, network_of
from upright_block.language.rungs.drawings import written_rungs
from upright_block.language.telling.edits import Edit

_SIGN = re.compile(r"(?<=\|)[pn](?=\|)|(?<=\()[srpn](?=\))")
_NEAR = 3
"""Columns by which a rail may be out of line, and a name beside its element."""


def mends(tokens: Tokens, unit: syntax.Unit) -> Iterator[Edit]:
    """What puts the rungs of a unit in order that have something wrong; ``tokens`` are those of its source."""
    parts = [unit.written, *(method.written for method in unit.methods)]
    if unit.sequence is not None:
        parts += [action.written for action in unit.sequence.actions]
        parts += [transition.written for transition in unit.sequence.transitions]
    for span in parts:
        if span.is_ladder:
            for rung in written_rungs(tokens, span):
                for line, text in zip(rung, mended([line.text for line in rung]), strict=True):
                    if text != line.text:
                        yield Edit(tokens.source, line.start, line.start + len(line.text), text)


def mended(rows: Sequence[str]) -> list[str]:
    """The rows of a rung in order, as far as that is sure; the same where nothing is wrong with it."""
    before = list(rows)
    wrong = _wrong(before)
    for mend in (_in_ascii, _signs, _rails, _names):
        if wrong:
            after = mend(before)
            still = _wrong(after)
            if after != before and (still < wrong or mend is _in_ascii):
                before, wrong = after, still
    return before


def _read(rows: Sequence[str]) -> Network:
    return network_of([Line(row, 0, 0) for row in rows])


def _wrong(rows: Sequence[str]) -> int:
    return len(_read(rows).flaws.found)


def _in_ascii(rows: Sequence[str]) -> list[str]:
    """With the characters of ladders in place of those that look like them."""
    found = []
    for row in rows:
        texts = [match.span() for match in QUOTED.finditer(row)]
        plain = row.translate(ASCII)
        for start, end in texts:
            plain = plain[:start] + row[start:end] + plain[end:]
        found.append(plain.rstrip(" "))
    return found


def _signs(rows: Sequence[str]) -> list[str]:
    return [_SIGN.sub(lambda found: found[0].upper(), row) for row in rows]


def _rails(rows: Sequence[str]) -> list[str]:
    """With the right rail in all rows, in one column, where most rows have it."""
    ends = [len(row) - 1 for row in rows if row.endswith(("|", "+"))]
    if len(ends) * 2 <= len(rows):
        return list(rows)
    usual = Counter(ends).most_common(1)[0][0]
    bodies = []
    for row in rows:
        has_rail = row.endswith(("|", "+")) and len(row) > 1 and abs(len(row) - 1 - usual) <= _NEAR
        bodies.append(row[:-1] if has_rail else row)
    width = max(usual, *(len(body.rstrip(" ")) for body in bodies))
    found = []
    for body in bodies:
        is_link = body.endswith("-")
        body = body if is_link else body.rstrip(" ")
        found.append(body + ("-" if is_link else " ") * (width - len(body)) + ("+" if is_link else "|"))
    return found


def _names(rows: Sequence[str]) -> list[str]:
    """With each name above its element that stands beside one alone that has none."""
    network = _read(rows)
    lacking = [e for e in network.elements.found if e.operand is None and e.kind in ("contact", "compare", "coil")]
    free = [word for word in network.elements.words if word not in network.elements.taken]
    found = list(rows)
    for element in lacking:
        near = [word for word in free if word.row == element.top - 1 and _gap(word, element) <= _NEAR]
        if len(near) == 1 and sum(_gap(near[0], e) <= _NEAR for e in lacking if e.top == element.top) == 1:
            found[near[0].row] = _moved(found[near[0].row], near[0], element)
    return found


def _gap(word: Word, element: Element) -> int:
    """How many columns a name is beside an element."""
    return max(element.left - word.right, word.left - element.right, 0)


def _moved(row: str, word: Word, element: Element) -> str:
    """A row with a name moved just above its element, if there is room for it."""
    left = element.right - len(word.text) + 1 if word.left > element.right else element.left
    left = min(max(word.left, element.left - len(word.text) + 1), element.right) if left < 1 else left
    cleared = row[: word.left] + " " * len(word.text) + row[word.right + 1 :]
    cleared = cleared.ljust(left + len(word.text))
    around = cleared[max(left - 1, 1) : left + len(word.text) + 1]
    if around.strip(" |"):
        return row
    return cleared[:left] + word.text + cleared[left + len(word.text) :]
