"""The rungs of a unit as they are looked at: those that are written, or those that its statements are."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Mapping

from upright_block.language import syntax, typed
from upright_block.language.lexer import Tokens, tokenize
from upright_block.language.nodes import Side, record
from upright_block.language.parsing.ladder import Element, Line, Network, network_of
from upright_block.language.rungs.laying import laid_out
from upright_block.language.rungs.making import Drawn, Maker
from upright_block.language.rungs.notes import Notes
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
    return drawn_rungs(unit, folds=False)


def drawn_rungs(unit: typed.Unit, *, folds: bool) -> list[Drawing]:
    """The same; with ``folds`` what is too wide is carried on in other rungs, unless it is written so."""
    written, tokens, maker = unit.syntax, tokenize(unit.source, Findings()), Maker(unit)
    actions = written.sequence.actions if written.sequence is not None else ()
    bodies = [("", written.body, written.written), *((f"Action {a.name}", a.body, a.written) for a in actions)]
    found: list[Drawing] = []
    rungs: list[tuple[Drawn, tuple[str, ...]]] = []
    for title, body, span in bodies:
        notes, heads = Notes(tokens, span), [title] * bool(title)
        for rung in written_rungs(tokens, span) if span.is_ladder else ():
            stop = rung[-1].start + len(rung[-1].text)
            said = _said(heads, notes, stop)
            found.append(Drawing(network_of(rung), rung[0].start, stop, None, said))
        drawn = [] if span.is_ladder else maker.drawn(body, notes.apart(), folds=folds)
        rungs += [(each, _said(heads, notes, each.stop)) for each in drawn]
    for (each, said), laid in zip(rungs, laid_out([each.end for each, _ in rungs]), strict=True):
        origins = {(mark.row, mark.left): mark.origin for mark in laid.marks}
        network = network_of([Line(text, 0, 0) for text in laid.lines])
        found.append(Drawing(network, each.start, each.stop, origins, said))
    return sorted(found, key=lambda drawing: drawing.start)


def _said(heads: list[str], notes: Notes, stop: int) -> tuple[str, ...]:
    """What stands above a rung: the head of its body, if it is the first one there, and the lines of its comments."""
    lines = [line.strip() for note in notes.until(stop) for line in note.says.splitlines()]
    found = (*heads, *filter(None, lines))
    heads.clear()
    return found


def written_rungs(tokens: Tokens, span: syntax.Span) -> list[list[Line]]:
    """The lines of the rungs that stand in a part of a source."""
    found: list[list[Line]] = []
    last = -1
    for number in range(bisect_left(tokens.starts, span.start), bisect_left(tokens.starts, span.end)):
        if tokens.kinds[number] == "rung":
            start = tokens.starts[number]
            line = tokens.source.line(start)
            if line != last + 1:
                found.append([])
            found[-1].append(Line(tokens.texts[number], start, tokens.source.column(start) - 1))
            last = line
    return found
