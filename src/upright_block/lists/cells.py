"""Cells of a list in the form of a tag table: addresses, senses, names and numbers."""

from __future__ import annotations

import re
import unicodedata
from typing import Literal

from upright_block.language.field.addresses import NoAddress, parse_address
from upright_block.language.lexer import KEYWORDS
from upright_block.language.nodes import record
from upright_block.language.types import ELEMENTARY

NOTHING = frozenset({"-", "–", "—", "n/a", "."})
"""What stands in a cell to say that it is empty."""
_SPARE = frozenset({"spare", "reserve", "reserved", "n c", "nc", "not connected", "not used", "unused", "free"})
_SENSES = {
    "NC": frozenset({"nc", "n c", "normally closed", "break", "break contact"}),
    "NO": frozenset({"no", "n o", "normally open", "make", "make contact"}),
}
_ADDRESS = re.compile(
    r"%?\s*([IQM])\s*([XBWDL]?)\s*(\d+(?:\s*\.\s*\d+)*)((?:\s*\.\s*%[XBWDL]\d+)?)", re.IGNORECASE | re.ASCII
)
_PLAIN = re.compile(r"[A-Za-z_][A-Za-z0-9_]*", re.ASCII)
_APART = re.compile(r"[^A-Za-z0-9]+")
_SPACES = re.compile(r"(?<=\d)[ \u00a0\u202f\u2009'’](?=\d{3}(?!\d))")
_NUMBER = re.compile(r"([+-]?)(\d+(?:[.,]\d+)*)([eE][+-]?\d+)?", re.ASCII)
_WITHOUT = str.maketrans({"ß": "ss", "æ": "ae", "ø": "o", "Æ": "AE", "Ø": "O"})

Sign = Literal[",", "."]


def address(text: str) -> str | None:
    """An address as the language writes it: ``%IX0.3`` for ``I0.3`` or ``IX 0.3``; None where it is none."""
    found = _ADDRESS.fullmatch(text.strip())
    if found is None:
        return None
    numbers = "".join(found[3].split())
    size = found[2] or ("X" if "." in numbers else "")
    made = f"%{found[1]}{size}{numbers}{''.join(found[4].split())}".upper()
    try:
        parse_address(made)
    except NoAddress:
        return None
    return made


def sense(text: str) -> str | None:
    """``NC`` or ``NO`` for the many ways to write them; None for what is neither."""
    said = " ".join(re.sub(r"[^a-z]+", " ", text.lower()).split())
    return next((own for own, ways in _SENSES.items() if said in ways), None)


def is_type(text: str) -> bool:
    """Whether a text begins as a type does that a tag may have."""
    first = re.split(r"[\s\[(]", text.upper(), maxsplit=1)[0]
    return first in ELEMENTARY or first == "ARRAY"


def is_spare(text: str) -> bool:
    """Whether a name says that its point has none."""
    return " ".join(re.sub(r"[^a-z]+", " ", text.lower()).split()) in _SPARE and not re.search("[0-9]", text)


def name(text: str) -> str:
    """A name of the language for a text; empty where nothing of it can stand in one."""
    if _PLAIN.fullmatch(text) and text.upper() not in KEYWORDS:
        return text
    plain = unicodedata.normalize("NFKD", text.translate(_WITHOUT))
    plain = "".join(char for char in plain if not unicodedata.combining(char))
    made = _APART.sub("_", plain).strip("_")
    return f"_{made}" if made[:1].isdigit() or made.upper() in KEYWORDS else made


@record
class Number:
    """A number as it is written: a whole part whose groups are taken together, what is behind the sign, and the sign.

    ``sign`` is None where the number has none, or where it may as well stand between two groups (``1,250``).
    """

    minus: str
    digits: tuple[str, ...]
    power: str
    sign: Sign | None
    written: Sign | None

    @property
    def is_open(self) -> bool:
        """Whether its only sign stands before decimals, or between thousands."""
        return self.sign is None and self.written is not None

    def text(self, *, is_grouped: bool) -> str:
        """The number with a point before its decimals; ``is_grouped`` says what an open sign is."""
        has_decimals = self.sign == self.written if self.sign else self.is_open and not is_grouped
        whole, rest = (self.digits[:-1], self.digits[-1]) if has_decimals else (self.digits, "")
        return f"{self.minus}{''.join(whole)}{'.' if rest else ''}{rest}{self.power}"


def number(text: str) -> Number | None:
    """A number as people write it, with groups of thousands and a point or a comma; None where it is none."""
    bare = text.strip().replace("−", "-")
    joined = _SPACES.sub("", bare)
    found = _NUMBER.fullmatch(joined)
    if found is None:
        return None
    minus, body, power = found[1].replace("+", ""), found[2], found[3] or ""
    digits = tuple(re.split("[.,]", body))
    signs = [char for char in body if char in ".,"]
    if not signs:
        return Number(minus, digits, power, None, None)
    last: Sign = "," if signs[-1] == "," else "."
    other: Sign = "." if last == "," else ","
    inner = digits[1:-1] if last != signs[0] else digits[1:]
    if len(signs) > 1:
        is_grouped = 1 <= len(digits[0]) <= 3 and all(len(part) == 3 for part in inner)
        if not is_grouped or len(set(signs[:-1])) > 1:
            return None
        return Number(minus, digits, power, last if last != signs[0] else other, last)
    is_sure = joined != bare or len(digits[1]) != 3 or not 1 <= len(digits[0]) <= 3 or digits[0][0] == "0"
    return Number(minus, digits, power, last if is_sure or power else None, last)
