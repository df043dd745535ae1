"""A text with a name, and places in it."""

from __future__ import annotations

from bisect import bisect_right


class Source:
    """One text as it was read: a block source, a case file, a table.

    Offsets everywhere in the language layer are character offsets into ``text``.
    Lines and columns count from 1, as editors show them.
    """

    __slots__ = ("_line_starts", "path", "text")

    def __init__(self, path: str, text: str) -> None:
        self.path = path
        self.text = text
        self._line_starts: list[int] | None = None

    def __repr__(self) -> str:
        return f"Source({self.path!r})"

    def _starts(self) -> list[int]:
        if self._line_starts is None:
            starts = [0]
            find = self.text.find
            at = find("\n")
            while at >= 0:
                starts.append(at + 1)
                at = find("\n", at + 1)
            self._line_starts = starts
        return self._line_starts

    def line(self, offset: int) -> int:
        """The line that holds the character at ``offset``."""
        return bisect_right(self._starts(), offset)

    def column(self, offset: int) -> int:
        """The column of the character at ``offset`` in its line."""
        return offset - self._starts()[self.line(offset) - 1] + 1

    def line_text(self, line: int) -> str:
        """The text of a line without its line end; empty beyond the last line."""
        starts = self._starts()
        if not 1 <= line <= len(starts):
            return ""
        end = starts[line] - 1 if line < len(starts) else len(self.text)
        return self.text[starts[line - 1] : end].rstrip("\r")
