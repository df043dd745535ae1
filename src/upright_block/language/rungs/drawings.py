"""The rungs of a unit as they are looked at: those that are written, or those that its statements are."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Mapping, Sequence

from upright_block.language import syntax, typed
from upright_block.language.lexer import tokenize
from upright_block.language.nodes import Side, record
from upright_block.language.parsing.ladder import Element, Line, Network, network_of
from upright_block.language.rungs.laying import laid_out
from upright_block.language.rungs.making import rungs_of
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings


@record
class Drawing:
    """A rung with what stands in it, and from where to where in the source that is written which it is made of.

    ``origins`` are the offsets there that elements stand for, by row and column; None where the rung is written itself.
    ``comment`` are the lines of the comments that belong to it.
    """

    network: Network
    start: int
    stop: int
    origins: Mapping[tuple[int, int], int] | None
    comment: tuple[str, ...]

    def origin(self, element: Element, row: int, column: int) -> int:
        """The offset of what decides an element; of an output of a box that at its wall, in its row and column."""
        grid = self.network.grid
        if self.origins is not None:
            return self.origins.get((row, column), -1)
        if element.kind == "compare":
            return grid.place(element.row, element.left) + 1
        if element.kind == "box":
            is_function = element.operand is None
            return grid.place(element.top + 1, element.left + 1) if is_function else grid.place(row, column)
        if element.sign in "PN" or element.operand is None:
            return grid.place(element.row, element.left)
        return grid.place(element.operand.row, element.operand.left)


@Side
def drawings(unit: typed.Unit) -> list[Drawing]:
    """The rungs of the body of a unit, or of its actions."""
    written = unit.syntax
    bodies = [(written.body, written.written)]
    bodies += [(each.body, each.written) for each in (written.sequence.actions if written.sequence is not None else ())]
    return [drawing for body, span in bodies for drawing in _drawings(unit, body, span)]


def _drawings(unit: typed.Unit, body: Sequence[syntax.Statement], span: syntax.Span) -> Iterator[Drawing]:
    notes = deque(c for c in tokenize(unit.source, Findings()).comments if span.start <= c.start < span.end)

    def comment(stop: int) -> tuple[str, ...]:
        """The comments up to the end of what a rung is made of, or behind it in its line."""
        found: list[str] = []
        while notes and (notes[0].start < stop or unit.source.line(notes[0].start) == unit.source.line(stop)):
            found += (line.strip() for line in notes.popleft().text.splitlines())
        return tuple(filter(None, found))

    if span.is_ladder:
        for rung in written_rungs(unit.source, span):
            stop = rung[-1].start + len(rung[-1].text)
            yield Drawing(network_of(rung), rung[0].start, stop, None, comment(stop))
        return
    rungs = rungs_of(unit, body)[0]
    width = max((len(laid_out(each.end).lines[0]) for each in rungs), default=0)
    for each in rungs:
        laid = laid_out(each.end, width)
        lines = tuple(Line(text, 0, 0) for text in laid.lines)
        origins = {(mark.row, mark.left): mark.origin for mark in laid.marks}
        yield Drawing(network_of(lines), each.start, each.stop, origins, comment(each.stop))


def written_rungs(source: Source, span: syntax.Span) -> list[list[Line]]:
    """The lines of the rungs that stand in a part of a source."""
    tokens = tokenize(source, Findings())
    found: list[list[Line]] = []
    last = -1
    for kind, text, start in zip(tokens.kinds, tokens.texts, tokens.starts, strict=True):
        if kind == "rung" and span.start <= start < span.end:
            line = source.line(start)
            if line != last + 1:
                found.append([])
            found[-1].append(Line(text, start, source.column(start) - 1))
            last = line
    return found
