"""Text with roles: what a report says, before a terminal, a page or a file decides how it looks."""

from __future__ import annotations

from typing import Literal

Role = Literal["", "good", "bad", "warn", "dim", "strong", "name"]
Span = tuple[str, Role]
Line = list[Span]


def plain(line: Line) -> str:
    """A line without its roles."""
    return "".join([text for text, _ in line]).rstrip()
