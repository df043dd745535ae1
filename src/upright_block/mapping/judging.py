"""Whether points reach what they should: against the patterns of the tags, or a map that was approved."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Literal

from upright_block.language.field.tags import Tag
from upright_block.language.nodes import record, replaced
from upright_block.mapping.approved import Approved
from upright_block.mapping.walk import InputWalk, Opening, OutputWalk, Walk

Status = Literal[
    "right", "elsewhere", "crossed", "copied", "inverted", "another", "nowhere", "gated", "changed", "seen", "spare"
]
WRONG: frozenset[Status] = frozenset({"elsewhere", "crossed", "copied", "inverted", "another", "nowhere", "changed"})
"""What counts as wrong."""
_NUMBER = re.compile(r"[0-9]+")
_PLACE = re.compile(r"\{n([1-9]?)\}")
_MOST_LOOKED_AT = 200
"""Of points, where a pattern with a star is compared with the pins of all others."""


@record
class Judged:
    """A tag with the pins of its point, and what is thought of them; ``says`` tells more where it is not right.

    ``where`` is the file and the line that wires the first of them.
    """

    tag: Tag
    is_input: bool
    pins: tuple[str, ...]
    further: int
    status: Status
    says: str
    where: str = ""


def judge(walk: Walk, approved: Mapping[str, Approved] | None = None) -> list[Judged]:
    """What is thought of each point, in the order of the walk.

    A tag that says what it ``reaches`` is judged by that; another one by the ``approved`` map, where there is one. A
    tag whose point, sense or range is not as approved is told in any case, and so is one that is gone.
    """
    found = [replaced(_input(entry), where=entry.pins[0].where if entry.pins else "") for entry in walk.inputs]
    found += [replaced(_output(entry), where=entry.where) for entry in walk.outputs]
    found = _crossed(_copied(found))
    if approved is not None:
        walked = {entry.tag.key for entry in found}
        found = [_against(entry, approved.get(entry.tag.key)) for entry in found]
        found += [_gone(known) for key, known in approved.items() if key not in walked]
    return found


def shown_pins(entry: InputWalk) -> tuple[str, ...]:
    """The pins of an input; one that went the other way has NOT before it."""
    return tuple(f"NOT {pin.path}" if pin.is_inverted else pin.path for pin in entry.pins)


@record
class Wish:
    """A pin that a tag should reach: what its path looks like, whether it goes the other way, and as it is written."""

    pattern: re.Pattern[str]
    is_inverted: bool
    text: str

    def fits(self, path: str) -> bool:
        """Whether a path is that of the pin, whichever way it goes."""
        return self.pattern.match(path.removeprefix("NOT ")) is not None


def wishes(tag: Tag) -> list[Wish]:
    """The pins that a tag should reach, all of them; none where it does not say, or is spare."""
    if tag.is_spare:
        return []
    numbers = [int(n) for n in _NUMBER.findall(tag.name)]
    return [_wish(part.strip(), numbers) for part in tag.text("reaches").split(";") if part.strip()]


def _wish(text: str, numbers: list[int]) -> Wish:
    bare = text.removeprefix("NOT ").strip()
    pieces: list[list[str]] = [[]]  # those between stars
    for part in re.split(r"(\{n\d?\}|\*+|\d+)", bare):
        parts = pieces[-1]
        place = re.fullmatch(r"\{n(\d?)\}", part)
        if place is not None:
            index = int(place[1] or 1) - 1
            parts.append(f"0*{numbers[index]}(?![0-9])" if index < len(numbers) else "(?!)")
        elif part[:1] == "*":
            pieces.append([])
        else:
            parts.append(f"0*{int(part)}(?![0-9])" if part.isdigit() else re.escape(part))
    first, *others = map("".join, pieces)
    # Each piece is taken where it fits first, and never again elsewhere, so that many stars take no time.
    middle = "".join(f"(?>.*?{piece})" for piece in others[:-1])
    last = f".*{others[-1]}" if others else ""
    return Wish(re.compile(rf"(?:.*\.)?{first}{middle}{last}\Z", re.IGNORECASE), text != bare, text)


def _fits(tag: Tag, path: str) -> bool:
    return any(wish.fits(path) for wish in wishes(tag))


def _input(entry: InputWalk) -> Judged:
    found = _moved(entry)
    if entry.fault is None:
        return found
    site = entry.fault.site
    stopped = f"A value of it stops the scan: {site.kind}, {site.source.shown_line(site.start)}"
    return replaced(found, says=f"{found.says}. {stopped}" if found.says else stopped)


def _moved(entry: InputWalk) -> Judged:
    tag, pins = entry.tag, shown_pins(entry)
    found = Judged(tag, is_input=True, pins=pins, further=len(entry.further), status="seen", says="")
    if tag.is_spare:
        return _spare(found, [*pins, *entry.further])
    wanted = wishes(tag)
    if not pins and not entry.further:
        if entry.gates:
            says = "Gated by " + ", ".join(gate.name for gate in entry.gates[:6])
        else:
            says = "Nothing that reads it moves" if entry.is_used else "No text reads it"
        return _with(found, "gated" if entry.gates or (entry.is_used and not wanted) else "nowhere", says)
    right = [pin for pin in pins if _fits(tag, pin)] or [path for path in entry.further if _fits(tag, path)]
    if wanted and (lost := _lost(wanted, right)):
        return _with(found, "elsewhere", f"It should reach {lost}")
    if any(pin.startswith("NOT ") != wish.is_inverted for wish in wanted for pin in pins if wish.fits(pin)):
        return _with(found, "inverted", "The pin goes the other way than the name of the tag says")
    others = [pin.path for pin in entry.pins if pin.is_pin and not _fits(tag, pin.path)]
    if wanted and others:
        return _with(found, "another", f"It reaches {', '.join(others)} too")
    return _with(found, "right" if wanted else "seen", _with_opening(entry.opened_by))


def _output(entry: OutputWalk) -> Judged:
    tag, pins = entry.tag, entry.pins
    found = Judged(tag, is_input=False, pins=pins, further=0, status="seen", says="")
    if tag.is_spare:
        return _spare(found, pins)
    wanted = wishes(tag)
    if not pins:
        says = "Its statement did not run" if entry.is_written else "No text writes it"
        return _with(found, "gated" if entry.is_written else "nowhere", says)
    if wanted and (lost := _lost(wanted, pins)):
        return _with(found, "elsewhere", f"It should follow {lost}")
    others = [pin for pin in pins if not _fits(tag, pin)]
    if wanted and others:
        return _with(found, "another", f"It follows {', '.join(others)} too")
    return _with(found, "right" if wanted else "seen", _with_opening(entry.opened_by))


def _spare(found: Judged, reached: Sequence[str]) -> Judged:
    """A point that nobody should use."""
    if reached:
        return _with(found, "elsewhere", f"It is spare, and has to do with {', '.join(reached[:6])}")
    return _with(found, "spare", "")


def _lost(wanted: Sequence[Wish], pins: Sequence[str]) -> str:
    """The wishes that no pin fits, as they are written."""
    return "; ".join(wish.text for wish in wanted if not any(map(wish.fits, pins)))


def _with_opening(opening: Opening) -> str:
    gates = " and ".join(f"{gate.name} = {value}" for gate, value in opening)
    return f"It moves with {gates}" if gates else ""


def _copied(found: list[Judged]) -> list[Judged]:
    """Two tags at one pin, one of which should be elsewhere: a row that was copied and not renumbered."""
    takers: dict[tuple[bool, str], list[Judged]] = {}
    for entry in found:
        for pin in entry.pins:
            takers.setdefault((entry.is_input, pin.removeprefix("NOT ").upper()), []).append(entry)
    changed: dict[Tag, Judged] = {}
    for taken in takers.values():
        owner = next((entry for entry in taken if entry.status in ("right", "another", "inverted")), None)
        for entry in taken if owner is not None else ():
            if entry.status == "elsewhere" and owner is not None:
                says = f"The pin belongs to {owner.tag.name}; it looks like a copy that was not renumbered"
                changed[entry.tag] = _with(entry, "copied", says)
    index = _Index(found)
    for entry in found:
        if entry.status == "nowhere" and (there := index.fitting(entry)):
            pin, owner = there[0]
            verb = "moves" if entry.is_input else "follows"
            says = f"It is {owner.tag.name} that {verb} {pin}; it looks like a copy that was not renumbered"
            changed[entry.tag] = _with(entry, "copied", says)
    return [changed.get(entry.tag, entry) for entry in found]


def _crossed(found: list[Judged]) -> list[Judged]:
    """Two tags each of which has the pin of the other."""
    lost = [entry for entry in found if entry.status == "elsewhere"]
    index = _Index(lost)
    changed: dict[Tag, Judged] = {}
    for entry in lost:
        for _, other in index.fitting(entry) if entry.tag not in changed else ():
            if other is not entry and any(_fits(other.tag, own) for own in entry.pins):
                changed[entry.tag] = _with(entry, "crossed", f"Crossed with {other.tag.name}")
                changed[other.tag] = _with(other, "crossed", f"Crossed with {entry.tag.name}")
                break
    return [changed.get(entry.tag, entry) for entry in found]


class _Index:
    """Finds what has a pin that another tag should have, by the ends of paths."""

    def __init__(self, entries: list[Judged]) -> None:
        self.entries = entries
        self.by_end: dict[tuple[bool, str], list[tuple[str, Judged]]] = {}
        for entry in entries:
            for pin in entry.pins:
                parts = _normal(pin.removeprefix("NOT ")).split(".")
                for begin in range(len(parts)):
                    end = ".".join(parts[begin:])
                    self.by_end.setdefault((entry.is_input, end), []).append((pin, entry))

    def fitting(self, wanting: Judged) -> list[tuple[str, Judged]]:
        """The pins that a tag should have, each with the entry that has it."""
        return [each for wish in wishes(wanting.tag) for each in self._fitting(wanting, wish)]

    def _fitting(self, wanting: Judged, wish: Wish) -> list[tuple[str, Judged]]:
        pattern = wish.text.removeprefix("NOT ").strip()
        if "*" in pattern:
            few = (e for e in self.entries[:_MOST_LOOKED_AT] if e.is_input == wanting.is_input)
            return [(pin, entry) for entry in few for pin in entry.pins if wish.fits(pin)]
        numbers = _NUMBER.findall(wanting.tag.name)
        written = _PLACE.sub(lambda place: (numbers[int(place[1] or 1) - 1 :] or ["?"])[0], pattern)
        return self.by_end.get((wanting.is_input, _normal(written)), [])


def _normal(path: str) -> str:
    """A path in upper case, with numbers as they count: 1 is 01."""
    return _NUMBER.sub(lambda digits: digits[0].lstrip("0") or "0", path.upper())


def _with(entry: Judged, status: Status, says: str) -> Judged:
    return replaced(entry, status=status, says=says)


def _against(entry: Judged, known: Approved | None) -> Judged:
    if known is None:
        is_judged = bool(wishes(entry.tag)) or entry.status not in ("seen", "nowhere", "gated")
        return entry if is_judged else _with(entry, "changed", "It is not in the approved map")
    differences = known.differences(entry.tag)
    if differences and entry.status in ("right", "seen", "nowhere", "gated", "spare"):
        return _with(entry, "changed", ". ".join(differences))
    if entry.status not in ("seen", "nowhere", "gated") or wishes(entry.tag):
        return entry
    if sorted(known.pins) == sorted(entry.pins):
        return _with(entry, "right", entry.says)
    return _with(entry, "changed", f"Approved is {', '.join(known.pins) or 'nothing'}")


def _gone(known: Approved) -> Judged:
    """A tag of the approved map that no table has any more; its place is in the map."""
    tag = Tag(known.tag.text, known.source, known.tag.start, known.tag.end, address=known.texts["point"].upper())
    is_input = known.texts.get("way", "in") == "in"
    return Judged(tag, is_input, (), 0, "changed", "It is approved, but no table has such a tag")
