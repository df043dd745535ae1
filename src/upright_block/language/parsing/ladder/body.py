"""A body of rungs: where each begins and ends, its labels and jumps, and the statements of all."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import TypeVar

from upright_block.language import syntax
from upright_block.language.names import did_you_mean
from upright_block.language.nodes import node
from upright_block.language.parsing.ladder.elements import Elements, Flaws
from upright_block.language.parsing.ladder.grid import ASCII, QUOTED, Grid, Line
from upright_block.language.parsing.ladder.meaning import Hidden, Jump, Meaning, Read
from upright_block.language.parsing.ladder.network import Network
from upright_block.language.parsing.words import ladder as words
from upright_block.language.telling.findings import Words

Report = Callable[[Words, int, int], None]


@node
class Label:
    """A label before the rung with a number, counted from 0."""

    name: str
    rung: int
    start: int


def read_condition(lines: Sequence[Line], name: str, read: Read, report: Report) -> syntax.Expression | None:
    """The condition that the rung of a transition means, without a coil or with one of its ``name`` (table 55); None,
    with a finding, where it is none.
    """
    return _read(lines, report, lambda network, flaws: _condition(network, flaws, name, read))


def _condition(network: Network, flaws: Flaws, name: str, read: Read) -> syntax.Expression | None:
    meaning = Meaning(network, flaws, read, Hidden(), is_condition=True)
    match meaning.statements:
        case []:
            found = meaning.condition()
        case [syntax.Assignment(target=syntax.Name(name=coil), value=value)] if coil.upper() == name.upper():
            found = value
        case _:
            found = None
    if found is None:
        flaws.add(words.no_condition(), 0, 0, len(flaws.grid.lines[0].text) - 1)
    return found


_Made = TypeVar("_Made")


def _read(lines: Sequence[Line], report: Report, make: Callable[[Network, Flaws], _Made]) -> _Made | None:
    """What is made of a rung; None where there is nothing in it, or something is wrong, of which the first is
    reported.
    """
    flaws = Flaws(Grid(tuple(lines)))
    shifted = next((number for number, line in enumerate(lines) if line.column != lines[0].column), None)
    if shifted is not None:
        flaws.add(words.out_of_line(), shifted, 0)
    for row, line in enumerate(lines):
        foreign = None if line.text.isascii() and "\t" not in line.text else _foreign(line.text)
        if foreign is not None:
            char = line.text[foreign]
            flaws.add(words.foreign(char, " " if char == "\t" else char.translate(ASCII)), row, foreign)
    elements = Elements(flaws.grid, flaws)
    network = Network(elements, flaws)
    made = make(network, flaws) if not flaws.found and elements.found else None
    for said, start, end in flaws.found[:1]:
        live = next(((row, found) for row, line in enumerate(lines) if (found := _LIVE.search(line.text))), None)
        if live is not None:
            start = lines[live[0]].start
            said, start, end = words.conducting(), start + live[1].start(1), start + live[1].end(1)
        report(said, start, end)
    return None if flaws.found else made


_LIVE = re.compile(r"(?<=[+|)])(={2,})(?=[+|(])|(?<=\+)(=)(?=[|(])")
"""Links that conduct: those of one column are told by a joint beside them, as a comparison has the same sign."""


def _foreign(text: str) -> int | None:
    """The column of the first character in a row, outside of texts, that no ladder has."""
    found = _FOREIGN.search(QUOTED.sub(lambda quoted: " " * len(quoted[0]), text))
    return found.start() if found else None


_FOREIGN = re.compile(r"[^\x20-\x7e]")


def read_ladder(
    rungs: Sequence[Sequence[Line]], labels: Sequence[Label], read: Read, report: Report, hidden: Hidden
) -> tuple[syntax.Statement, ...]:
    """The statements of rungs; a rung with a mistake is reported, and means nothing. Variables that they need besides
    are declared in ``hidden``.
    """
    found: list[tuple[list[syntax.Statement], list[Jump]]] = []
    for lines in rungs:
        meaning = _read(lines, report, lambda network, flaws: Meaning(network, flaws, read, hidden))
        found.append((meaning.statements, meaning.jumps) if meaning else ([], []))
    return tuple(_with_jumps(found, _places(labels, report), report))


def _places(labels: Sequence[Label], report: Report) -> dict[str, Label]:
    places: dict[str, Label] = {}
    for label in labels:
        if label.name.upper() in places:
            report(words.label_twice(label.name), label.start, label.start + len(label.name))
        places.setdefault(label.name.upper(), label)
    return places


def _with_jumps(
    rungs: Sequence[tuple[list[syntax.Statement], list[Jump]]], labels: dict[str, Label], report: Report
) -> list[syntax.Statement]:
    """The statements of all rungs; those between a jump and its label run only where it was not made."""
    skipped: list[list[Jump]] = [[] for _ in rungs]
    for number, (_, jumps) in enumerate(rungs):
        for jump in jumps:
            label = labels.get(jump.label.upper())
            if label is None:
                near = did_you_mean(jump.label, [known.name for known in labels.values()])
                report(words.no_label(jump.label, near), jump.place.start, jump.place.end)
            elif label.rung <= number:
                report(words.jump_back(label.name), jump.place.start, jump.place.end)
            else:
                for between in range(number + 1, label.rung):
                    skipped[between].append(jump)
    meant = {jump.label.upper() for _, jumps in rungs for jump in jumps}
    for key, label in labels.items():
        if key not in meant:
            report(words.unused_label(label.name), label.start, label.start + len(label.name))
    made: list[syntax.Statement] = []
    for (statements, _), jumps in zip(rungs, skipped, strict=True):
        body: Sequence[syntax.Statement] = statements
        for jump in reversed(jumps if statements else ()):
            place = jump.place
            taken = syntax.MadeName(place.start, place.end, jump.name)
            condition = syntax.Unary(place.start, place.end, "NOT", taken)
            branch = syntax.Branch(place.start, place.end, condition, tuple(body))
            body = [syntax.If(place.start, place.end, (branch,), None)]
        made += body
    return made
