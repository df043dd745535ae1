"""Logic that was copied, and of which one name was not changed.

Two runs of statements are alike when they are the same but for names. Each name of the first then stands for one of
the second; where a name has a partner in all places but one, and stands there unchanged, or as the partner of another,
that place was forgotten.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence

from upright_block.analysis.facts import Facts
from upright_block.analysis.words import copies as words
from upright_block.language import syntax, typed
from upright_block.language.lexer import KEYWORDS
from upright_block.language.nodes import node, record
from upright_block.language.source import Source
from upright_block.language.telling.findings import Finding, Related

_FEWEST_NAMES = 4
_FEWEST_SAME = 2
_MANY_CHANGED = 2
_MOST_ALIKE = 40
_NUMBER = re.compile(r"\d+")
_PART = re.compile(
    r"""(?P<gone>\s+|//[^\n]*|\(\*.*?\*\)|/\*.*?\*/)|'(?:[^'$]|\$.)*'|"(?:[^"$]|\$.)*"|\w+\#[\w.:+-]+|\d[\w.\#]*|(?P<name>[A-Za-z_]\w*)""",
    re.DOTALL,
)


@node
class _Token:
    text: str
    start: int
    end: int


@node
class _Piece:
    """A statement of a body: its names in order, and its text with a mark for each."""

    start: int
    shape: str
    names: tuple[_Token, ...]


@record
class Slip:
    """A name that was left as it was: the finding, and the names that it is about, as written and as expected."""

    finding: Finding
    names: tuple[str, str]


def check_copies(unit: typed.Unit, facts: Facts) -> Iterator[Slip]:
    """Report names that were left as they were when logic was copied inside a body."""
    told: set[int] = set()
    for part in (unit, *unit.methods.values()):
        if part.body is None or unit.is_wired or part.syntax.sequence is not None:
            continue
        for statements in _runs(part.syntax.body):
            pieces = _pieces(statements, unit.source)
            for slip in (*_families(pieces), *_pairs(pieces)):
                token, expected, other = slip
                if token.start not in told:
                    told.add(token.start)
                    source = unit.source
                    said = words.slip(token.text, expected, source.line(other.start))
                    related = Related(source, other.start, other.end, "this is what was copied")
                    yield Slip(said.told(source, token.start, token.end, related), (token.text, expected))


def _runs(body: Sequence[syntax.Statement]) -> Iterator[Sequence[syntax.Statement]]:
    """The body and the bodies inside it."""
    waiting: list[Sequence[syntax.Statement]] = [body]
    while waiting:
        statements = waiting.pop()
        if len(statements) > 1:
            yield statements
        for statement in statements:
            match statement:
                case syntax.If(branches=branches, otherwise=otherwise):
                    waiting += [branch.body for branch in branches]
                    waiting.append(otherwise or ())
                case syntax.Case(arms=arms, otherwise=otherwise):
                    waiting += [arm.body for arm in arms]
                    waiting.append(otherwise or ())
                case syntax.For(body=inner) | syntax.While(body=inner) | syntax.Repeat(body=inner):
                    waiting.append(inner)


def _pieces(statements: Sequence[syntax.Statement], source: Source) -> list[_Piece]:
    return [_piece(statement.start, source.text[statement.start : statement.end]) for statement in statements]


def _piece(start: int, text: str) -> _Piece:
    """A statement with the names in it; comments are no part of it."""
    names: list[_Token] = []

    def shape(match: re.Match[str]) -> str:
        if match["gone"]:
            return ""
        name = match["name"]
        if not name or name.upper() in KEYWORDS:
            return match[0].upper()
        names.append(_Token(name, start + match.start("name"), start + match.end("name")))
        return "?"

    return _Piece(start, _PART.sub(shape, text), tuple(names))


# --- three and more: names with numbers ---


def _families(pieces: Sequence[_Piece]) -> Iterator[tuple[_Token, str, _Token]]:
    """Statements of one shape whose names have numbers that follow each other, but for one."""
    groups: dict[tuple[str, ...], list[_Piece]] = {}
    for piece in pieces:
        stems = tuple(_NUMBER.sub("#", name.text.upper()) for name in piece.names)
        if sum("#" in stem for stem in stems) >= 2:
            groups.setdefault((piece.shape, *stems), []).append(piece)
    for group in groups.values():
        if 3 <= len(group) <= 500:
            yield from _odd_numbers(group)


def _odd_numbers(group: Sequence[_Piece]) -> Iterator[tuple[_Token, str, _Token]]:
    for piece in group:
        numbers = [_NUMBER.findall(name.text) for name in piece.names]
        single = [(name, found[0]) for name, found in zip(piece.names, numbers, strict=True) if len(found) == 1]
        counted = Counter(int(number) for _, number in single)
        if len(counted) != 2 or len(single) < 3 - (len(group) > 3):
            continue
        (usual, most), (odd, few) = counted.most_common(2)
        if few != 1 or most < 2 or not all(_is_even(other) for other in group if other is not piece):
            continue
        token, text = next((name, number) for name, number in single if int(number) == odd)
        expected = token.text.replace(text, str(usual).zfill(len(text)))
        sibling = next(other for other in group if other is not piece)
        yield token, expected, sibling.names[piece.names.index(token)]


def _is_even(piece: _Piece) -> bool:
    """Whether all numbers of a statement's names are the same."""
    return len({int(n) for name in piece.names for n in _NUMBER.findall(name.text)}) == 1


# --- two: one name for another ---


def _pairs(pieces: Sequence[_Piece]) -> Iterator[tuple[_Token, str, _Token]]:
    """Two runs of statements of the same shapes, one directly behind the other, as long as may be."""
    shapes: dict[str, list[int]] = {}
    for index, piece in enumerate(pieces):
        shapes.setdefault(piece.shape, []).append(index)
    done = 0
    for second in range(1, len(pieces)):
        if second < done:
            continue
        for first in shapes[pieces[second].shape][:_MOST_ALIKE]:
            length = second - first
            if first >= second or length > _MOST_ALIKE or second + length > len(pieces):
                continue
            if all(pieces[first + k].shape == pieces[second + k].shape for k in range(length)):
                found = list(_forgotten(pieces[first:second], pieces[second : second + length]))
                yield from found
                done = second + length if found else done
                break


def _forgotten(old: Sequence[_Piece], new: Sequence[_Piece]) -> Iterator[tuple[_Token, str, _Token]]:
    """The one name of a copy that stands as in the original where it should have changed."""
    a = [name for piece in old for name in piece.names]
    b = [name for piece in new for name in piece.names]
    if len(a) < _FEWEST_NAMES or len(a) != len(b):
        return
    partners: dict[str, Counter[str]] = {}
    for one, other in zip(a, b, strict=True):
        partners.setdefault(one.text.upper(), Counter())[other.text.upper()] += 1
    changed = [name for name, found in partners.items() if name not in found]
    slips = []
    for name, found in partners.items():
        fewest = _FEWEST_SAME if len(changed) < _MANY_CHANGED else 1
        if len(found) == 2 and found[name] == 1 and sum(found.values()) > fewest:
            expected = next(other for other in found if other != name)
            if expected not in partners:
                slips.append((name, expected))
    if len(slips) != 1 or not changed:
        return
    ((name, expected),) = slips
    original, token = next((s, t) for s, t in zip(a, b, strict=True) if s.text.upper() == name == t.text.upper())
    written = next(t.text for t in b if t.text.upper() == expected)
    yield token, written, original
