"""Text with roles: what a report says, before a terminal, a page or a file decides how it looks."""

from __future__ import annotations

import re
from typing import Literal

Role = Literal["", "good", "bad", "warn", "dim", "strong", "name"]
Span = tuple[str, Role]
Line = list[Span]

# Control characters, what changes the direction of writing, line ends of Unicode, and halves of characters.
_UNSHOWN = re.compile("[\x00-\x1f\x7f-\x9f\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff\ufff9-\ufffb\ud800-\udfff]")
_LONGEST = 400


def visible(text: str) -> str:
    """A text from outside on one line: what is not shown as itself, or does something, stands as an escape."""
    return _UNSHOWN.sub(_escaped, text) if _UNSHOWN.search(text) else text


def _escaped(found: re.Match[str]) -> str:
    code = ord(found[0])
    return f"\\x{code:02x}" if code < 256 else f"\\u{code:04x}"


def clipped(text: str, most: int = _LONGEST) -> str:
    """A text that is too long without its middle."""
    return text if len(text) <= most else f"{text[: most * 2 // 3]} … {text[-most // 4 :]}"


def plain(line: Line) -> str:
    """A line without its roles."""
    return visible("".join([text for text, _ in line]).rstrip())
