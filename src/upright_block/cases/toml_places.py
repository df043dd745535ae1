"""Where the keys and values of a TOML text stand.

The standard reader of TOML gives values without places; findings need them. This walks over a text
that is known to be valid and notes offsets only.
"""

from __future__ import annotations

import re

from upright_block.language.nodes import node

Path = tuple[str | int, ...]

_SPACE = re.compile(r"(?:[ \t\r\n]|#[^\n]*)*")
_BLANK = re.compile(r"[ \t]*")
_STRING = re.compile(
    r'"""(?:[^\\]|\\.)*?"{3,5}|' r"'''.*?'{3,5}|" r'"(?:[^"\\\n]|\\.)*"|' r"'[^'\n]*'", re.DOTALL
)
_BARE = re.compile(r"[A-Za-z0-9_-]+")
_SCALAR = re.compile(r"[^,\]\}\n#]+")


@node
class Place:
    """Offsets of a key, and of its value with any quotes."""

    key_start: int
    key_end: int
    start: int
    end: int


class _Walker:
    def __init__(self, text: str) -> None:
        self.text = text
        self.at = 0
        self.places: dict[Path, Place] = {}
        self.arrays: dict[Path, int] = {}

    def skip(self, pattern: re.Pattern[str]) -> str:
        found = pattern.match(self.text, self.at)
        assert found is not None
        self.at = found.end()
        return found[0]

    def walk(self) -> None:
        """Tables and key-value pairs, to the end of the text."""
        table: Path = ()
        self.skip(_SPACE)
        while self.at < len(self.text):
            if self.text[self.at] == "[":
                start = self.at
                double = self.text.startswith("[[", self.at)
                self.at += 2 if double else 1
                name = self.key()
                self.at = self.text.index("]", self.at) + (2 if double else 1)
                table = name
                if double:
                    index = self.arrays.get(name, 0)
                    self.arrays[name] = index + 1
                    table = (*name, index)
                self.places[table] = Place(start, self.at, start, self.at)
            else:
                self.pair(table)
            self.skip(_SPACE)

    def key(self) -> Path:
        parts: list[str] = []
        while True:
            self.skip(_BLANK)
            part = self.skip(_STRING) if self.text[self.at] in "\"'" else self.skip(_BARE)
            parts.append(part.strip("\"'"))
            self.skip(_BLANK)
            if self.text[self.at] != ".":
                return tuple(parts)
            self.at += 1

    def pair(self, table: Path) -> None:
        key_start = self.at
        path = (*table, *self.key())
        key_end = len(self.text[: self.at].rstrip(" \t"))
        self.at += 1
        self.skip(_BLANK)
        start = self.at
        self.value(path)
        self.places[path] = Place(key_start, key_end, start, self.at)

    def value(self, path: Path) -> None:
        char = self.text[self.at]
        if char in "\"'":
            self.skip(_STRING)
        elif char == "[":
            self.at += 1
            index = 0
            while True:
                self.skip(_SPACE)
                if self.text[self.at] == "]":
                    break
                start = self.at
                self.value((*path, index))
                self.places[(*path, index)] = Place(start, self.at, start, self.at)
                index += 1
                self.skip(_SPACE)
                if self.text[self.at] == ",":
                    self.at += 1
            self.at += 1
        elif char == "{":
            self.at += 1
            while True:
                self.skip(_SPACE)
                if self.text[self.at] == "}":
                    break
                self.pair(path)
                self.skip(_SPACE)
                if self.text[self.at] == ",":
                    self.at += 1
            self.at += 1
        else:
            start = self.at
            self.at = start + len(self.skip(_SCALAR).rstrip())


def toml_places(text: str) -> dict[Path, Place]:
    """The place of every key, table and array item of a valid TOML text.

    Tables of an array are numbered, as in ``("case", 0, "name")``.
    """
    walker = _Walker(text)
    walker.walk()
    return walker.places


def content_start(text: str, place: Place) -> int:
    """The offset of the first character inside the quotes of a string."""
    start = place.start
    quote = text[start]
    if text.startswith(quote * 3, start):
        start += 3
        if text.startswith("\r\n", start):
            return start + 2
        return start + 1 if text.startswith("\n", start) else start
    return start + 1
