"""What is said wherever a token is read."""

from __future__ import annotations

from upright_block.language.lexer import KEYWORDS
from upright_block.language.limits import MOST_NESTED
from upright_block.language.names import did_you_mean
from upright_block.language.telling.findings import Words


def misspelt_keyword(word: str, kind: str, where: str) -> Words:
    message = f"{word} is no keyword; {kind} belongs {where}."
    return Words("misspelt-keyword", message, did_you_mean(word, [kind]), instead=kind)


def missing(kind: str, where: str, found: str) -> Words:
    return Words(
        _missing(kind), f"{kind} is missing {where}: {found} stands in its place.", f"Write {kind} before {found}."
    )


def missing_at_end(kind: str, where: str, last: str) -> Words:
    return Words(_missing(kind), f"{kind} is missing {where}.", f"Write {kind} after {last}.")


def closes_nothing() -> Words:
    return Words("unmatched-parenthesis", "This ) closes nothing.", "Remove it, or write the ( that it belongs to.")


def nested_too_deep() -> Words:
    return Words(
        "nested-too-deep",
        f"This is nested more than {MOST_NESTED} levels deep.",
        "Move a part of it into a function or a block of its own.",
    )


def _missing(kind: str) -> str:
    return "missing-" + (kind.lower().replace("_", "-") if kind in KEYWORDS else "sign")
