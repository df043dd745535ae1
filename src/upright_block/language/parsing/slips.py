"""Misspelt keywords that open or close something, taken for what they were meant to be before anything is read.

A reader that lost an END_VAR or a VAR would find the rest of the file wrong. So a name that stands where only a
keyword can stand, and that is one slip of the hand away from it, is reported and becomes that keyword.
"""

from __future__ import annotations

from upright_block.language.findings import Finding, Findings
from upright_block.language.lexer import Tokens
from upright_block.language.names import did_you_mean, is_slip
from upright_block.language.parsing.statements import CLOSES, SECTIONS, STATEMENT_STARTS

_OTHER_ENDS = ("END_VAR", "END_TYPE", "END_STRUCT", "END_CONFIGURATION", "END_RESOURCE")
_CLOSERS = (*CLOSES.values(), *_OTHER_ENDS, "ELSE")
_OTHER_OPENERS = ("INITIAL_STEP", "CONFIGURATION", "RESOURCE")
_OPENERS = (*(keyword for keyword in CLOSES if keyword not in STATEMENT_STARTS), *_OTHER_OPENERS)
_BEFORE = frozenset([";", "ELSE", "THEN", "DO", ":", *CLOSES.values()])
_QUALIFIERS = ("CONSTANT", "RETAIN", "NON_RETAIN", "PUBLIC", "PRIVATE", "PROTECTED", "INTERNAL")
_OTHER_SPELLINGS = {"ELSEIF": "ELSIF", "ELIF": "ELSIF", "ELSE_IF": "ELSIF"}


def mend(tokens: Tokens, findings: Findings) -> None:
    """Report misspelt keywords and give their tokens the kind that was meant."""
    kinds, text = tokens.kinds, tokens.source.text
    in_section = False
    line_end = -1
    for at, kind in enumerate(kinds):
        start = tokens.starts[at]
        if kind in SECTIONS:
            in_section = True
        elif kind in ("END_VAR", "END_STRUCT"):
            in_section = False
        elif kind == "name" and (
            at == 0 or kinds[at - 1] in _BEFORE or kinds[at - 1] in SECTIONS or "\n" in text[line_end:start]
        ):
            if _mend_spaced(tokens, at, findings):
                continue
            meant = _meant(tokens, at, in_section)
            if meant:
                word = tokens.texts[at]
                message, way_out = f"{word} is no keyword.", did_you_mean(word, [meant])
                findings.add(
                    Finding("misspelt-keyword", tokens.source, start, start + len(word), message, way_out)
                )
                kinds[at] = meant
                in_section = meant in SECTIONS or (in_section and meant != "END_VAR")
        line_end = start + len(tokens.texts[at])


def _meant(tokens: Tokens, at: int, in_section: bool) -> str:
    """The keyword that the name at the start of a line was meant to be, or nothing."""
    kinds = tokens.kinds
    word = tokens.texts[at].upper()
    following = [*kinds[at + 1 : at + 4], "end", "end", "end"]
    after = tokens.starts[at] + len(word)
    is_alone = following[0] in (";", "end") or "\n" in tokens.source.text[after : tokens.starts[at + 1]]
    if following[0] in (":=", "(", ":", ",", ".", "["):
        return ""
    if word in _OTHER_SPELLINGS:
        return _OTHER_SPELLINGS[word]
    before = kinds[at - 1] if at else ";"
    possible: list[str] = []
    if before in SECTIONS and is_alone:
        possible += _QUALIFIERS
    if not in_section:
        if following[0] == "FROM":
            possible.append("TRANSITION")
        elif following[0] == "name" and not is_alone:
            possible += _OPENERS
        elif following[0] in _QUALIFIERS or following[1] in (":", ",", "AT"):
            possible += (*SECTIONS, "TYPE")
    if is_alone and (before in _BEFORE or before.startswith("END_")):
        possible += _CLOSERS
    return next((k for k in possible if is_slip(word, k) or word == k.replace("_", "")), "")


def _mend_spaced(tokens: Tokens, at: int, findings: Findings) -> bool:
    """Report ``END IF``, and take it for END_IF and the end of the statement."""
    opener = tokens.kinds[at + 1]
    if tokens.texts[at].upper() != "END" or opener not in CLOSES:
        return False
    start, end = tokens.starts[at], tokens.starts[at + 1] + len(tokens.texts[at + 1])
    way_out = f"Write {CLOSES[opener]}."
    message = f"{tokens.source.text[start:end]} is one word."
    findings.add(Finding("misspelt-keyword", tokens.source, start, end, message, way_out))
    tokens.kinds[at : at + 2] = [CLOSES[opener], ";"]
    return True
