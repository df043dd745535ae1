"""TOML with every value at its place: the standard reader of TOML gives values alone, and findings need both."""

from __future__ import annotations

import re
import tomllib
from bisect import bisect_right
from typing import Any

from upright_block.language.limits import MOST_NESTED
from upright_block.language.nodes import state

_SPACE = re.compile(r"(?:[ \t\r\n]|#[^\n]*)*")
_BLANK = re.compile(r"[ \t]*")
_STRING = re.compile(r'"""(?:[^\\]|\\.)*?"{3,5}|' r"'''.*?'{3,5}|" r'"(?:[^"\\\n]|\\.)*"|' r"'[^'\n]*'", re.DOTALL)
_BARE = re.compile(r"[A-Za-z0-9_-]+")
_SCALAR = re.compile(r"[^,\]\}\n#]+")
_WRITTEN = re.compile(r"\\(?:u.{4}|U.{8}|([ \t]*\r?\n\s*)|.)|\r\n", re.DOTALL)
_POSITION = re.compile(r"\s*\(at line (\d+), column (\d+)\)")
_WORDS: dict[str, Any] = {"true": True, "false": False}


class TomlProblem(Exception):
    """The text is not TOML; ``start`` is the offset of what is wrong."""

    def __init__(self, message: str, start: int) -> None:
        super().__init__(message)
        self.start = start


@state
class Toml:
    """A value with the offsets of its key, and of itself with any quotes.

    The value of a table is a dict of `Toml`, that of an array a list of them.
    """

    value: Any
    key_start: int
    key_end: int
    start: int
    end: int


class Origin:
    """Where the characters of a string of TOML stand in the text: an escape is one character, or none."""

    def __init__(self, text: str, string: Toml) -> None:
        quote = text[string.start]
        self.start = string.start + 1
        if text.startswith(quote * 3, string.start):
            self.start += 2
            self.start += 2 if text.startswith("\r\n", self.start) else text.startswith("\n", self.start)
        self.indices, self.offsets = [0], [self.start]
        for found in _WRITTEN.finditer(text, self.start, string.end):
            if quote == "'" and found[0] != "\r\n":
                continue
            made = found[1] is None
            index = self.indices[-1] + found.start() - self.offsets[-1]
            if made:
                self.indices.append(index)
                self.offsets.append(found.start())
            self.indices.append(index + made)
            self.offsets.append(found.end())

    def __call__(self, index: int) -> int:
        """The offset in the text of the character at ``index`` of the string."""
        number = bisect_right(self.indices, index) - 1
        return self.offsets[number] + index - self.indices[number]


class _Walker:
    """Walks over a text that is known to be valid."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.offset = 0
        self.root = Toml({}, 0, 0, 0, 0)

    def skip(self, pattern: re.Pattern[str]) -> str:
        found = pattern.match(self.text, self.offset)
        assert found is not None
        self.offset = found.end()
        return found[0]

    def walk(self) -> Toml:
        table = self.root
        self.skip(_SPACE)
        while self.offset < len(self.text):
            if self.text[self.offset] == "[":
                table = self.header()
            else:
                self.pair(table, 0)
            self.skip(_SPACE)
        return self.root

    def header(self) -> Toml:
        """The table that a line ``[a.b]`` or ``[[a.b]]`` opens."""
        start = self.offset
        brackets = 2 if self.text.startswith("[[", start) else 1
        self.offset += brackets
        *parents, name = self.key()
        self.offset = self.text.index("]", self.offset) + brackets
        owner = self.reach(self.root, parents, start, self.offset)
        here = Toml({}, start, self.offset, start, self.offset)
        if brackets == 2:
            owner.value.setdefault(name, Toml([], start, self.offset, start, self.offset)).value.append(here)
            return here
        return self.reach(owner, [name], start, self.offset)

    def reach(self, table: Toml, keys: list[str], start: int, end: int) -> Toml:
        """The table below ``table``; of an array of tables the last."""
        if len(keys) > MOST_NESTED:
            raise TomlProblem("a key is nested too deep", start)
        for key in keys:
            table = table.value.setdefault(key, Toml({}, start, end, start, end))
            if isinstance(table.value, list):
                table = table.value[-1]
        return table

    def key(self) -> list[str]:
        parts: list[str] = []
        while True:
            self.skip(_BLANK)
            if self.text[self.offset] in "\"'":
                start = self.offset
                parts.append(_string(self.text, start, start + len(self.skip(_STRING))))
            else:
                parts.append(self.skip(_BARE))
            self.skip(_BLANK)
            if self.text[self.offset] != ".":
                return parts
            self.offset += 1

    def pair(self, table: Toml, depth: int) -> None:
        key_start = self.offset
        *parents, name = self.key()
        key_end = self.offset
        while self.text[key_end - 1] in " \t":
            key_end -= 1
        self.offset += 1
        self.skip(_BLANK)
        value = self.value(depth + len(parents))
        value.key_start, value.key_end = key_start, key_end
        self.reach(table, parents, key_start, key_end).value[name] = value

    def value(self, depth: int) -> Toml:
        start = self.offset
        if depth > MOST_NESTED:
            raise TomlProblem("a value is nested too deep", start)
        char = self.text[start]
        made = Toml(None, start, start, start, start)
        if char in "\"'":
            self.skip(_STRING)
            made.value = _string(self.text, start, self.offset)
        elif char in "[{":
            self.offset += 1
            made.value = [] if char == "[" else {}
            self.skip(_SPACE)
            while self.text[self.offset] not in "]}":
                if char == "[":
                    made.value.append(self.value(depth + 1))
                else:
                    self.pair(made, depth + 1)
                self.skip(_SPACE)
                if self.text[self.offset] == ",":
                    self.offset += 1
                    self.skip(_SPACE)
            self.offset += 1
        else:
            written = self.skip(_SCALAR).rstrip()
            self.offset = start + len(written)
            made.value = _WORDS[written] if written in _WORDS else tomllib.loads(f"v = {written}")["v"]
        made.end = self.offset
        return made


def _string(text: str, start: int, end: int) -> str:
    """The value of a string with its quotes."""
    quote = text[start]
    triple = text.startswith(quote * 3, start) and end - start >= 6
    raw = text[start + 3 : end - 3] if triple else text[start + 1 : end - 1]
    if "\\" in raw and quote == '"':
        value: str = tomllib.loads(f"v = {text[start:end]}")["v"]
        return value
    return raw.replace("\r\n", "\n").removeprefix("\n") if triple else raw


def read_toml(text: str) -> Toml:
    """The table of a TOML text.

    Raises:
        TomlProblem: the text is not TOML, or nested deeper than `limits.MOST_NESTED`.
    """
    try:
        tomllib.loads(text)
        return _Walker(text).walk()
    except tomllib.TOMLDecodeError as problem:
        position = _POSITION.search(str(problem))
        start = max(len(text.rstrip()) - 1, 0)
        if position:
            lines = text.replace("\r\n", " \n").split("\n")
            line = int(position[1]) - 1
            start = min(sum(len(above) + 1 for above in lines[:line]) + int(position[2]) - 1, len(text))
        message = _POSITION.sub("", str(problem)).replace(" (at end of document)", ", and the file ends")
        raise TomlProblem(message[:1].lower() + message[1:], start) from None
    except RecursionError:
        raise TomlProblem("it is nested too deep", 0) from None
    except ValueError:
        long = re.search(r"[0-9_]{4000}", text)
        raise TomlProblem("a number has too many digits", long.start() if long else 0) from None
