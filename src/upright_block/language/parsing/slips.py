"""Misspelt keywords that open or close something, taken for what they were meant to be before anything is read.

A reader that lost an END_VAR or a VAR would find the rest of the file wrong. So a name that stands where only a
keyword can stand, and that is one slip of the hand away from it, is reported and becomes that keyword.
"""

from __future__ import annotations

import re

from upright_block.language.lexer import Tokens
from upright_block.language.names import is_slip
from upright_block.language.parsing.statements import CLOSES, SECTIONS, STATEMENT_STARTS
from upright_block.language.parsing.words import slips as words
from upright_block.language.parsing.words.statements import misspelt_keyword
from upright_block.language.telling.findings import Findings

_OTHER_ENDS = ("END_VAR", "END_TYPE", "END_STRUCT", "END_CONFIGURATION", "END_RESOURCE")
_CLOSERS = (*CLOSES.values(), *_OTHER_ENDS, "ELSE")
_OTHER_OPENERS = ("INITIAL_STEP", "CONFIGURATION", "RESOURCE")
_OPENERS = (*(keyword for keyword in CLOSES if keyword not in STATEMENT_STARTS), *_OTHER_OPENERS)
_BEFORE = frozenset([";", "ELSE", "THEN", "DO", ":", *CLOSES.values()])
_QUALIFIERS = ("CONSTANT", "RETAIN", "NON_RETAIN", "PUBLIC", "PRIVATE", "PROTECTED", "INTERNAL")
_OTHER_SPELLINGS = {"ELSEIF": "ELSIF", "ELIF": "ELSIF", "ELSE_IF": "ELSIF"}
_LONGEST = len("END_FUNCTION_BLOCK") + 1
_WITHOUT_UNIT = re.compile(r"L?T(?:IME)?#[0-9_.]+\Z", re.IGNORECASE)
_DURATION = re.compile(r"(?i)L?T(?:IME)?#")
_UNITS = frozenset({"d", "h", "m", "s", "ms", "us", "ns"})
_SIGNS_AFTER_NAMES = (":=", "(", ":", ",", ".", "[")


def mend(tokens: Tokens, findings: Findings) -> None:
    """Report misspelt keywords and give their tokens the kind that was meant."""
    _join_durations(tokens, findings)
    kinds, texts = tokens.kinds, tokens.texts
    written = {word for word, kind in zip(texts, kinds, strict=True) if kind == "name"}
    near = {word: found for word in written if (found := _near(word.upper()))}
    if not near:
        return
    in_section, looked_at = False, 0
    for token, word in enumerate(texts):
        if word not in near or kinds[token] != "name" or not _begins_something(tokens, token):
            continue
        for kind in kinds[looked_at:token]:
            if kind in SECTIONS or kind in ("END_VAR", "END_STRUCT"):
                in_section = kind in SECTIONS
        looked_at = token
        start, end = tokens.starts[token], tokens.starts[token] + len(word)
        if word.upper() == "END":
            opener = kinds[token + 1]
            if opener not in CLOSES:
                continue
            end = tokens.starts[token + 1] + len(texts[token + 1])
            said = words.split_keyword(tokens.source.text[start:end], CLOSES[opener])
            kinds[token : token + 2] = [CLOSES[opener], ";"]
        else:
            meant = next((keyword for keyword in _possible(tokens, token, in_section) if keyword in near[word]), "")
            if not meant:
                continue
            said = misspelt_keyword(word, meant)
            kinds[token] = meant
        findings.add(said.told(tokens.source, start, end))


def _join_durations(tokens: Tokens, findings: Findings) -> None:
    """Report a space inside a duration, before a unit or between two parts, and take it all as one literal."""
    kinds, texts, starts = tokens.kinds, tokens.texts, tokens.starts
    durations = [token for token, kind in enumerate(kinds) if kind == "typed" and _DURATION.match(texts[token])]
    for token in reversed(durations):
        last = token
        if _WITHOUT_UNIT.match(texts[token]) and _is_unit(tokens, token + 1):
            last += 1
        while kinds[last + 1] in ("int", "real") and _is_unit(tokens, last + 2) and not _is_line_between(tokens, last):
            last += 2
        if last == token:
            continue
        end = starts[last] + len(texts[last])
        joined = "".join(texts[token : last + 1])
        written = tokens.source.text[starts[token] : end]
        findings.add(words.split_literal(written, joined).told(tokens.source, starts[token], end))
        texts[token] = joined
        del kinds[token + 1 : last + 1], texts[token + 1 : last + 1], starts[token + 1 : last + 1]


def _is_unit(tokens: Tokens, token: int) -> bool:
    """Whether a token is the unit of the number before it, in the same line."""
    if tokens.kinds[token - 1] == "end" or tokens.kinds[token] != "name":
        return False
    return tokens.texts[token].lower() in _UNITS and not _is_line_between(tokens, token - 1)


def _near(word: str) -> tuple[str, ...]:
    """The keywords that a word may have been meant to be."""
    if word == "END":
        return ("END",)
    if word in _OTHER_SPELLINGS:
        return (_OTHER_SPELLINGS[word],)
    if len(word) > _LONGEST:
        return ()
    seen = [keyword for variant in _shortened(word) for keyword in _INDEX.get(variant, ())]
    return tuple(k for k in dict.fromkeys(seen) if is_slip(word, k) or word == k.replace("_", ""))


def _shortened(word: str) -> list[str]:
    """A word, and what is left of it without one character: two words one slip apart have one of these in common."""
    return [word, *(word[:i] + word[i + 1 :] for i in range(len(word)))]


def _begins_something(tokens: Tokens, token: int) -> bool:
    """Whether a name stands at the start of a line or a statement and no sign follows that belongs to a name."""
    before = tokens.kinds[token - 1] if token else ";"
    if tokens.kinds[token + 1] in _SIGNS_AFTER_NAMES:
        return False
    return before in _BEFORE or before in SECTIONS or _is_line_between(tokens, token - 1)


def _is_line_between(tokens: Tokens, token: int) -> bool:
    end = tokens.starts[token] + len(tokens.texts[token]) if token >= 0 else 0
    return "\n" in tokens.source.text[end : tokens.starts[token + 1]]


def _possible(tokens: Tokens, token: int, in_section: bool) -> list[str]:
    """The keywords that could stand in place of a name; in a section variables are declared."""
    kinds = tokens.kinds
    before, first, second = (
        kinds[token - 1] if token else ";",
        kinds[token + 1],
        [*kinds[token + 2 : token + 3], "end"][0],
    )
    is_alone = first in (";", "end") or _is_line_between(tokens, token)
    possible = list(_OTHER_SPELLINGS.values())
    if before in SECTIONS and is_alone:
        possible += _QUALIFIERS
    if not in_section:
        if first == "FROM":
            possible.append("TRANSITION")
        elif first == "name" and not is_alone:
            possible += _OPENERS
        elif first in _QUALIFIERS or second in (":", ",", "AT"):
            possible += (*SECTIONS, "TYPE")
    if is_alone and (before in _BEFORE or before.startswith("END_")):
        possible += _CLOSERS
    return possible


_INDEX: dict[str, list[str]] = {}
"""The keywords by what is left of each without one of its characters, or without its underscores."""
for _keyword in (*_CLOSERS, *_OPENERS, *_QUALIFIERS, *SECTIONS, "TYPE", "TRANSITION"):
    for _variant in (*_shortened(_keyword), _keyword.replace("_", "")):
        _INDEX.setdefault(_variant, []).append(_keyword)
