"""Names that are nearly right: the near match, and the character that differs, in words."""

from __future__ import annotations

import re
from collections.abc import Iterable
from difflib import SequenceMatcher, get_close_matches
from itertools import islice

_LOOKALIKES = str.maketrans({"0": "O", "1": "L", "I": "L"})
_IN_WORDS = {
    "O": "the letter O",
    "0": "the digit 0",
    "L": "the letter L",
    "I": "the letter I",
    "i": "the letter i",
    "1": "the digit 1",
}
MOST_CANDIDATES = 5000
_LONGEST = 200


def listed(names: Iterable[str], most: int = 12) -> str:
    """Names in a sentence; of many the first ones."""
    found = list(islice(names, most + 1))
    return ", ".join(found[:most]) + (", …" if len(found) > most else "")


def nearest(name: str, candidates: Iterable[str]) -> str | None:
    """The candidate most like ``name`` when letter case is ignored, or None; in whatever order they come, up to
    `MOST_CANDIDATES`. One with other numbers is no slip of the hand but a neighbour: it is never near.
    """
    if len(name) > _LONGEST:
        return None
    known: dict[str, str] = {}
    for candidate in candidates:
        upper = candidate.upper()
        known[upper] = min(candidate, known.get(upper, candidate))
        if len(known) >= MOST_CANDIDATES:
            break
    wanted = name.upper()
    folded = wanted.translate(_LOOKALIKES)
    alike = [upper for upper in known if upper.translate(_LOOKALIKES) == folded]
    if alike:
        return known[min(alike)]
    numbers = _numbers(wanted)
    known = {upper: written for upper, written in known.items() if not _is_neighbour(_numbers(upper), numbers)}
    close = get_close_matches(wanted, known, n=1, cutoff=0.6 if len(wanted) > 3 else 0.5)
    return known[close[0]] if close else None


def _numbers(name: str) -> list[int]:
    return [int(digits) for digits in re.findall("[0-9]+", name)]


def _is_neighbour(numbers: list[int], others: list[int]) -> bool:
    return len(numbers) == len(others) and numbers != others


def is_slip(written: str, meant: str) -> bool:
    """Whether one slip of the hand makes one text of the other: a character too many, too few or wrong, or two
    exchanged.
    """
    if abs(len(written) - len(meant)) > 1 or written == meant:
        return False
    start = next(
        (i for i, (a, b) in enumerate(zip(written, meant, strict=False)) if a != b), min(len(written), len(meant))
    )
    a, b = written[start:], meant[start:]
    return a[1:] == b or a == b[1:] or a[1:] == b[1:] or (a[:2] == b[1::-1] and a[2:] == b[2:])


def did_you_mean(name: str, candidates: Iterable[str]) -> str:
    """A sentence that offers the nearest candidate, or an empty text when none is near.

    A letter written for the digit that looks like it, or the other way round, is said in words.
    """
    near = nearest(name, candidates)
    if near is None:
        return ""
    difference = _difference(name, near)
    return f"Did you mean {near}?" + (f" {difference}" if difference else "")


def _in_words(character: str) -> str:
    """A small i is told from a capital one; a small l is not, since it would read as another character."""
    return _IN_WORDS.get(character) or _IN_WORDS[character.upper()]


def _difference(written: str, meant: str) -> str:
    a, b = written.upper(), meant.upper()
    if len(a) == len(b):
        places = [i for i, (x, y) in enumerate(zip(a, b, strict=True)) if x != y]
        if places and all(a[i] in _IN_WORDS and b[i] in _IN_WORDS for i in places):
            i = places[0]
            return (
                f"Character {i + 1} of {written} is {_in_words(written[i])}; {meant} has {_in_words(meant[i])} there."
            )
        if len(places) == 1:
            i = places[0]
            return f"Character {i + 1} differs: {written[i]} for {meant[i]}."
        if len(places) == 2 and a[places[0]] == b[places[1]] and a[places[1]] == b[places[0]]:
            return f"Characters {places[0] + 1} and {places[1] + 1} are exchanged."
        return ""
    edits = [op for op in SequenceMatcher(None, a, b).get_opcodes() if op[0] != "equal"]
    if len(edits) == 1:
        kind, a0, a1, b0, b1 = edits[0]
        if kind == "insert":
            return f"{meant[b0:b1]} is missing after character {a0}." if a0 else f"It begins with {meant[:b1]}."
        if kind == "delete":
            return f"{written[a0:a1]} at character {a0 + 1} is too much."
    return ""


def counted(n: int, noun: str) -> str:
    """``no inputs``, ``1 input``, ``2 inputs``."""
    return f"{'no' if n == 0 else n} {noun}{'' if n == 1 else 's'}"
