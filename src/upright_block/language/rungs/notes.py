"""The comments and pragmas of a body, handed out to what they belong to."""

from __future__ import annotations

from bisect import bisect_left
from collections import deque

from upright_block.language.lexer import Tokens
from upright_block.language.nodes import record
from upright_block.language.syntax import Node


@record
class Note:
    """A comment, or a pragma, as it is written; ``says`` is what is in a comment."""

    start: int
    text: str
    says: str

    def lines(self) -> list[str]:
        """Its lines as they are written."""
        return [line.strip() for line in self.text.splitlines()]


class Notes:
    """Those of a part of a source, in their order."""

    def __init__(self, tokens: Tokens, span: Node) -> None:
        self.source = tokens.source
        text = tokens.source.text
        first, last = (bisect_left(tokens.comments, at, key=lambda c: c.start) for at in (span.start, span.end))
        notes = [Note(c.start, text[c.start : c.end], c.text) for c in tokens.comments[first:last]]
        first, last = (bisect_left(tokens.pragmas, (at,)) for at in (span.start, span.end))
        notes += [Note(start, text[start:end], "") for start, end in tokens.pragmas[first:last]]
        self.waiting = deque(sorted(notes, key=lambda note: note.start))

    def apart(self) -> list[int]:
        """Where those stand that have their line to themselves."""
        return [note.start for note in self.waiting if not self._is_behind(note)]

    def _is_behind(self, note: Note) -> bool:
        line = self.source.line_text(self.source.line(note.start))
        return bool(line.partition(note.text[:2])[0].strip())

    def before(self, offset: int) -> list[Note]:
        """Hand out those that stand before a place."""
        found: list[Note] = []
        while self.waiting and self.waiting[0].start < offset:
            found.append(self.waiting.popleft())
        return found

    def until(self, stop: int) -> list[Note]:
        """Hand out those before the end of something, and behind it in its line."""
        found = self.before(stop)
        while self.waiting and self.source.line(self.waiting[0].start) == self.source.line(stop):
            found.append(self.waiting.popleft())
        return found

    def rest(self) -> list[Note]:
        """Hand out those that are left."""
        found = list(self.waiting)
        self.waiting.clear()
        return found
