"""What the column ``reaches`` could say of tags whose pins pair with them by numbers or by words of their names."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from functools import lru_cache
from itertools import islice, product

from upright_block.language.field.tags import Tag
from upright_block.language.nodes import record, replaced
from upright_block.mapping import words
from upright_block.mapping.judging import Judged, wishes

_NUMBER = re.compile(r"[0-9]+")
_WORD = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+")
_NOT = "NOT "
_MOST_PINS = 4
_MOST_PLACES = 9
_MOST_CHOICES = 256
_FEWEST = 3
"""Of tags that differ in their numbers alone, for most of them to tell of the others."""
_MOST_ALIKE = 50
"""Of names that share a word, for the word to tell anything."""


@record
class Proposal:
    """What ``reaches`` of a tag could say; empty where nothing pairs. ``says`` tells why it wants a look."""

    tag: Tag
    text: str
    says: str


def proposed(found: Sequence[Judged]) -> list[Proposal]:
    """A proposal for each tag that does not say what it reaches, by what it moved or followed in a walk.

    Tags that differ in their numbers alone are a family: what most of them reach is proposed for all. Nothing is
    proposed where neither a number nor a word of the name is in the pin, or where the words of two families say that
    their pins are crossed.
    """
    ends = _ends(found)
    families: dict[tuple[bool, str], list[Judged]] = {}
    for entry in found:
        if not entry.tag.is_spare and not wishes(entry.tag):
            shape = _NUMBER.sub("#", entry.tag.name)
            families.setdefault((entry.is_input, shape.upper()), []).append(entry)
    drafts = [_of_family(members, ends) for members in families.values()]
    crossed = _crossed([each for draft in drafts for each in draft[:1] if each.text])
    by_tag: dict[Tag, Proposal] = {}
    for draft in drafts:
        said = crossed.get(draft[0].tag)
        for each in draft:
            by_tag[each.tag] = replaced(each, text="", says=said) if said and each.text else each
    return [by_tag[entry.tag] for entry in found if entry.tag in by_tag]


def _ends(found: Iterable[Judged]) -> dict[tuple[bool, str], set[str]]:
    """The paths of pins by their ends."""
    ends: dict[tuple[bool, str], set[str]] = {}
    for entry in found:
        for pin in entry.pins:
            path = _bare(pin)
            for end in _suffixes(path):
                ends.setdefault((entry.is_input, end.upper()), set()).add(path.upper())
    return ends


def _bare(pin: str) -> str:
    return pin.removeprefix(_NOT)


def _suffixes(path: str) -> Iterator[str]:
    """The ends of a path, the shortest first; one of more than a part has two at least."""
    parts = path.split(".")
    for size in range(min(2, len(parts)), len(parts) + 1):
        yield ".".join(parts[-size:])


def _of_family(members: Sequence[Judged], ends: dict[tuple[bool, str], set[str]]) -> list[Proposal]:
    """Proposals for tags that differ in their numbers alone, those that are as most first."""
    size = max((_size(pin, entry, ends) for entry in members for pin in entry.pins[:_MOST_PINS]), default=1)
    choices = [[_choices(pin, entry.tag, size) for pin in entry.pins[:_MOST_PINS]] for entry in members]
    votes = Counter(text for pins in choices for text in {text for texts in pins for text in texts})
    best = [
        "; ".join(dict.fromkeys(max(texts, key=lambda text: (votes[text], _weight(text))) for texts in pins))
        for pins in choices
    ]
    usual, count = Counter(best).most_common(1)[0]
    is_usual = len(members) >= _FEWEST and count * 2 > len(members) and usual
    drafts: list[Proposal] = []
    odd: list[Proposal] = []
    for entry, text in zip(members, best, strict=True):
        alone = [pin for pin, said in zip(entry.pins, text.split("; "), strict=False) if not _pairs(entry.tag, said)]
        if is_usual and text != usual:
            odd.append(Proposal(entry.tag, usual, words.not_as_siblings(", ".join(entry.pins), count)))
        elif not entry.pins:
            odd.append(Proposal(entry.tag, "", words.nothing_moves(entry.is_input)))
        elif len(entry.pins) > _MOST_PINS:
            odd.append(Proposal(entry.tag, "", words.many_pins(len(entry.pins))))
        elif alone:
            odd.append(Proposal(entry.tag, "", words.nothing_pairs(", ".join(alone))))
        else:
            drafts.append(Proposal(entry.tag, text, ""))
    return [*drafts, *odd]


def _size(pin: str, entry: Judged, ends: dict[tuple[bool, str], set[str]]) -> int:
    """How many parts of the path of a pin are its alone, and have all numbers of the path that the tag has."""
    path = _bare(pin)
    numbers = set(map(int, _NUMBER.findall(entry.tag.name))).intersection(map(int, _NUMBER.findall(path)))
    for end in _suffixes(path):
        is_alone = len(ends[entry.is_input, end.upper()]) == 1
        if is_alone and numbers.issubset(map(int, _NUMBER.findall(end))):
            return end.count(".") + 1
    return path.count(".") + 1


def _choices(pin: str, tag: Tag, size: int) -> list[str]:
    """All that could be said of a pin: each number of its path as it is, or as one of the name of the tag."""
    numbers = [int(digits) for digits in _NUMBER.findall(tag.name)][:_MOST_PLACES]
    path = _bare(pin)
    end = ".".join(path.split(".")[-size:])
    options: list[list[str]] = []
    for part in re.split(r"([0-9]+)", end):
        places = [i for i, number in enumerate(numbers) if part.isdigit() and int(part) == number]
        options.append([part, *(f"{{n{i + 1 if i else ''}}}" for i in places)])
    sign = pin[: len(pin) - len(path)]
    return [sign + "".join(chosen) for chosen in islice(product(*options), _MOST_CHOICES)]


def _weight(text: str) -> tuple[int, int]:
    """Of two that fit as well, one with more numbers of the name, and each of them once, is better."""
    places = re.findall(r"\{n\d?\}", text)
    return len(set(places)), len(places)


def _pairs(tag: Tag, text: str) -> bool:
    """Whether the path of a pin has a number of the tag; where it has none at all, a word of it."""
    if _NUMBER.search(text.replace("{n", "")):
        return "{n" in text
    return "{n" in text or _common(_words(tag.name), _words(_bare(text))) > 0


@lru_cache(maxsize=4096)
def _words(text: str) -> tuple[str, ...]:
    return tuple(word.lower() for word in _WORD.findall(text.replace("{n", "{")))


def _common(name: Sequence[str], pin: Sequence[str]) -> int:
    """How many words of a pin are in a name: the same, or with another ending."""
    return sum(any(_is_same(word, other) for other in name) for word in pin)


def _is_same(a: str, b: str) -> bool:
    shared = next((i for i, (x, y) in enumerate(zip(a, b, strict=False)) if x != y), min(len(a), len(b)))
    return a == b or (shared >= _SHORTEST and shared >= min(len(a), len(b)) - 1)


_SHORTEST = 3


def _crossed(drafts: Sequence[Proposal]) -> dict[Tag, str]:
    """Of families, each by its first tag, those that another one fits better, which fits it as well; and what to say.

    Pins of one owner are compared, by the words of their own names.
    """
    by_owner: dict[str, list[tuple[Proposal, tuple[str, ...], tuple[str, ...]]]] = {}
    for draft in drafts:
        if ";" not in draft.text:
            owner, _, last = draft.text.removeprefix(_NOT).rpartition(".")
            by_owner.setdefault(owner.upper(), []).append((draft, _words(draft.tag.name), _words(last)))
    found: dict[Tag, str] = {}
    for drafts_ in by_owner.values():
        with_word: dict[str, list[int]] = {}
        for number, (_, _, pin) in enumerate(drafts_):
            for begin in {word[:_SHORTEST] for word in pin}:
                with_word.setdefault(begin, []).append(number)
        for draft, name, own in drafts_:
            near = (with_word.get(word[:_SHORTEST], ()) for word in name)
            for number in dict.fromkeys(each for some in near if len(some) <= _MOST_ALIKE for each in some):
                other, other_name, other_pin = drafts_[number]
                is_better = _common(name, other_pin) > _common(name, own)
                if is_better and _common(other_name, own) >= _common(other_name, other_pin):
                    found[draft.tag] = words.crossed_by_words(draft.text, other.tag.name, other.text)
                    found[other.tag] = words.crossed_by_words(other.text, draft.tag.name, draft.text)
    return found
