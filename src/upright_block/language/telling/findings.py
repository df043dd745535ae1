"""Findings: what is wrong or doubtful in a text, where, and the way out."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from typing import Protocol

from upright_block.language.names import did_you_mean, listed
from upright_block.language.nodes import record, replaced
from upright_block.language.source import Sheet, Source
from upright_block.language.telling.catalogue import Level, level_of
from upright_block.language.telling.edits import Edit

_MOST_LINES = 6
_MOST_HINTS = 500


@record
class Related:
    """A second place that belongs to a finding, such as the line that opened an IF."""

    source: Source
    start: int
    end: int
    message: str


@record
class Finding:
    """One thing to tell the reader.

    ``name`` is stable and made of words (``unknown-name``); ``message`` is one sentence in the
    words of the trade; ``way_out`` says what to do. ``start`` and ``end`` are offsets into
    ``source.text``. ``level`` is how much the library lets it weigh, where it says so. One that ``is_doubtful`` may be
    meant, as far as the text tells, and is shown only where somebody asks for it. ``edit`` is the way out where that is
    one sure edit.
    """

    name: str
    source: Source
    start: int
    end: int
    message: str
    way_out: str = ""
    related: tuple[Related, ...] = ()
    level: Level | None = None
    is_doubtful: bool = False
    edit: Edit | None = None

    @property
    def severity(self) -> Level:
        """How much it weighs."""
        return self.level or level_of(self.name)

    @property
    def line(self) -> int:
        """Line of the first marked character, from 1."""
        return self.source.line(self.start)

    @property
    def column(self) -> int:
        """Column of the first marked character, from 1."""
        return self.source.column(self.start)

    def __str__(self) -> str:
        return f"{self.source.shown(self.start)}: {self.message} ({self.name})"


@record
class Words:
    """What a finding says: its name, one sentence, and what to do. They stand in the `words` beside their checks.

    Where what to do is sure, ``instead`` is what the marked text becomes, or ``behind`` what comes behind it.
    """

    name: str
    message: str
    way_out: str = ""
    instead: str | None = None
    behind: str | None = None

    def told(self, source: Source, start: int, end: int, *related: Related, edit: Edit | None = None) -> Finding:
        """The finding that says them of a place; ``edit`` is its sure way out where they cannot know it."""
        if self.instead is not None:
            edit = Edit(source, start, end, self.instead)
        elif self.behind is not None:
            edit = Edit(source, end, end, self.behind)
        sure = None if isinstance(source, Sheet) else edit
        return Finding(self.name, source, start, end, self.message, self.way_out, related, edit=sure)


def doubtful(finding: Finding) -> Finding:
    """The same finding, of what may be meant."""
    return replaced(finding, is_doubtful=True)


class HasPlace(Protocol):
    """What has a place in a source."""

    @property
    def start(self) -> int: ...

    @property
    def end(self) -> int: ...


def first_declared(source: Source, place: HasPlace, name: str) -> Related:
    """The place where a name was given first that is given again."""
    return Related(source, place.start, place.end, f"{name} is first declared here")


class Findings:
    """Collects findings while a text is read. One place is marked once."""

    __slots__ = ("_hints", "_seen", "items")

    def __init__(self) -> None:
        self.items: list[Finding] = []
        self._seen: set[tuple[str, int, str]] = set()
        self._hints = 0

    def add(self, finding: Finding) -> None:
        """Keep ``finding`` unless the same was already said of the same place."""
        key = (finding.source.name, finding.start, finding.name)
        if key not in self._seen:
            self._seen.add(key)
            self.items.append(finding)

    def tell_once(self, lost: Sequence[Source], names: Collection[str]) -> None:
        """Tell names that nobody knows once, at tables that declare names and could not be read: ``names`` are in upper
        case, as uses of tags have them.
        """
        if not lost:
            return
        missed: dict[str, None] = {}
        left: list[Finding] = []
        for finding in self.items:
            text = finding.source.text[finding.start : finding.end]
            if finding.name == "unknown-name" and text.upper() in names:
                missed[text] = None
            else:
                left.append(finding)
        if missed:
            self.items = left
            self.add(_lost_names(lost, list(missed)).told(lost[0], 0, 0))

    def did_you_mean(self, name: str, candidates: Iterable[str]) -> str:
        """A sentence that offers the nearest candidate, as `names.did_you_mean`; after many of them nothing.

        Nobody reads a thousand, and each takes a look at all candidates.
        """
        self._hints += 1
        return did_you_mean(name, candidates) if self._hints <= _MOST_HINTS else ""

    def in_order(self) -> list[Finding]:
        """All findings by file and place; a name that is not known is told once a file, with the other lines it is
        in.
        """
        found: dict[object, Finding] = {}
        lines: dict[object, list[int]] = {}
        for finding in sorted(self.items, key=lambda f: (f.source.name, f.start)):
            same = (finding.source.name, finding.source.text[finding.start : finding.end].upper())
            key: object = same if finding.name == "unknown-name" else finding
            found.setdefault(key, finding)
            lines.setdefault(key, []).append(finding.line)
        return [
            replaced(finding, way_out=f"{finding.way_out} {_also(lines[key])}".strip())
            for key, finding in found.items()
        ]


def _lost_names(lost: Sequence[Source], names: Sequence[str]) -> Words:
    tables = listed(dict.fromkeys(source.name for source in lost), 3)
    many = f"{len(names):,} names are unknown" if len(names) > 1 else "A name is unknown"
    return Words(
        "unknown-name",
        f"{many}, since {tables} could not be read: {listed(names, 6)}.",
        "Mend the table first; what is unknown after that is told by itself.",
    )


def _also(lines: list[int]) -> str:
    """The lines beyond the first, in a sentence."""
    others = sorted(set(lines) - {lines[0]})
    if not others:
        return ""
    shown = ", ".join(str(line) for line in others[:_MOST_LINES])
    more = f" and {len(others) - _MOST_LINES} more" if len(others) > _MOST_LINES else ""
    return f"It is also in line{'' if len(others) == 1 else 's'} {shown}{more}."
