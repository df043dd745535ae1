"""One line of tokens as it is written, broken where it does not fit."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence

from upright_block.language.nodes import state

COLUMNS = 120
STEP = 4
Rank = tuple[int, int]
"""How loosely what stands before an atom binds: by its depth in brackets, then a comma before operators, these by their
precedence.
"""


@state
class Atom:
    """A token with the inline comments behind it; ``gap`` stands before it in its line.

    A line may break before one that has a ``rank``, and must before one that ``begins`` a line; ``above`` are comments
    in lines of their own before it, ``comment`` is the one that ends its line.
    """

    text: str
    gap: str
    rank: Rank | None = None
    begins: bool = False
    above: list[str] | None = None
    comment: str = ""


@state
class Piece:
    """A line of its own in what was one line of tokens; with ``is_comment`` it is one."""

    indent: int
    text: str
    comment: str = ""
    is_comment: bool = False


def text_of(atoms: Sequence[Atom]) -> str:
    """Atoms in one line, without the gap before the first."""
    return "".join([atom.gap + atom.text for atom in atoms]).removeprefix(atoms[0].gap) if atoms else ""


def is_one_line(atoms: Sequence[Atom]) -> bool:
    """Whether nothing but the width can break a line."""
    return not any(atom.begins or atom.above for atom in atoms[1:]) and not any(atom.comment for atom in atoms[:-1])


def broken(atoms: Sequence[Atom], indent: int, further: int, lead: str = "") -> Iterator[Piece]:
    """Atoms as lines: the first at ``indent`` with ``lead`` before it, what goes on in others at ``further``."""
    part: list[Atom] = []
    is_first = True
    for atom in atoms:
        must = bool(part) and (atom.begins or bool(atom.above) or bool(part[-1].comment))
        if must:
            yield from _filled(part, indent if is_first else further, further, lead if is_first else "")
            part, is_first = [], False
        for comment in atom.above or ():
            yield Piece(further, comment, is_comment=True)
        part.append(atom)
    yield from _filled(part, indent if is_first else further, further, lead if is_first else "")


def _filled(atoms: Sequence[Atom], indent: int, further: int, lead: str) -> list[Piece]:
    """Atoms in as few lines as they fit, broken where they bind most loosely."""
    lines = [Piece(indent, lead)]
    _fill(lines, atoms, further)
    lines[-1].comment = atoms[-1].comment
    return lines


def _fill(lines: list[Piece], atoms: Sequence[Atom], further: int) -> None:
    line = lines[-1]
    gap = atoms[0].gap if line.text else ""
    text = text_of(atoms)
    ranks = [atom.rank for atom in atoms[1:] if atom.rank is not None]
    if line.indent + len(line.text) + len(gap) + len(text) <= COLUMNS or not ranks:
        line.text += gap + text
        return
    # Breaks at operators stay when the text is formatted again, those at commas are made anew: so each piece is
    # filled by itself, and what follows a broken one goes on in its last line. Then twice is once.
    loosest = min(ranks)
    cuts = [0, *(n for n, atom in enumerate(atoms) if n and atom.rank == loosest), len(atoms)]
    for number, (begin, end) in enumerate(itertools.pairwise(cuts)):
        piece, line = atoms[begin:end], lines[-1]
        if number and line.indent + len(line.text) + len(piece[0].gap) + len(text_of(piece)) > COLUMNS:
            lines.append(Piece(further, ""))
        _fill(lines, piece, further)
