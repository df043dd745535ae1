"""Formatted text has the tokens and comments that it had, reads as the same tree, and is formatted once and for all."""

from __future__ import annotations

import ast
import os
import random
import re
from functools import cache
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import EXAMPLES
from upright_block.language import syntax
from upright_block.language.formatting import formatted
from upright_block.language.lexer import KEYWORDS, tokenize
from upright_block.language.parsing import parse
from upright_block.language.printing import file_text
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings
from upright_block.language.types import ELEMENTARY

TESTS = Path(__file__).parent.parent
PACKAGE = EXAMPLES.parent


PLACES = "(.*_)?(start|end)"
SCRAMBLED = int(os.environ.get("UPRIGHT_SCRAMBLED", "1500"))


@cache
def sources() -> list[str]:
    """The texts of the package and those in the tests that are whole and have no mistake of form."""
    found = [path.read_text("utf-8") for path in sorted(PACKAGE.rglob("*.st"))]
    for path in sorted(TESTS.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.Constant) and isinstance(node.value, str) and "END_" in node.value:
                found += [node.value]
    return [text for text in dict.fromkeys(found) if formatted(Source("t.st", text)) is not None]


def written(text: str) -> list[tuple[str, str]]:
    """The tokens, words that have no case folded, and the comments and pragmas, all in their order."""
    tokens = tokenize(Source("t.st", text), Findings())
    every = [(start, kind, token) for start, kind, token in zip(tokens.starts, tokens.kinds, tokens.texts, strict=True)]
    every += [(c.start, "comment", " ".join(text[c.start : c.end].split())) for c in tokens.comments]
    every += [(start, "pragma", text[start:end]) for start, end in tokens.pragmas]
    return [
        (kind, token.upper() if token.upper() in KEYWORDS | ELEMENTARY.keys() else token)
        for _, kind, token in sorted(every)
    ]


def tree(text: str, left_out: str = PLACES) -> object:
    """The syntax tree without places; letter case folded."""

    def plain(value: object, field: str = "") -> object:
        if isinstance(value, tuple):
            return [plain(item) for item in value]
        if isinstance(value, (syntax.Node, syntax.File, syntax.Home)):
            fields = (name for name in type(value).__match_args__ if not re.fullmatch(left_out, name))
            return [type(value).__name__, *(plain(getattr(value, name), name) for name in fields)]
        return str(value).upper()

    return plain(parse(Source("t.st", text), Findings()))


def scrambled(text: str, chance: random.Random) -> str:
    """The tokens of a text with other blanks, line ends, comments and pragmas between them."""
    tokens = tokenize(Source("t.st", text), Findings())
    parts: list[str] = []
    for number, token in enumerate(tokens.texts):
        gap = chance.choice([" ", " ", "  ", "\n", "\n\n\n", "\t"])
        if chance.random() < 0.06:
            gap += chance.choice(
                ["// says", "(* says *)", "(* says\n    more *)", "/* a (* b */", "{ one }", "// a\n // b"]
            )
            gap += chance.choice(["\n", "\n\n", "\n   \t"]) if "//" in gap else chance.choice(["", " ", "\n", "\n\n\n"])
        is_glued = (
            number and not re.match(r"[\w.]|$", token) and tokens.kinds[number - 1] not in ("real", "address", "int")
        )
        parts.append("" if is_glued and chance.random() < 0.3 and gap.isspace() else gap)
        parts.append(token)
    return "".join(parts)


def must_be_the_same(text: str) -> None:
    made = formatted(Source("t.st", text))
    assert made is not None
    assert written(made) == written(text)
    assert tree(made, PLACES + "|comment") == tree(text, PLACES + "|comment")
    assert formatted(Source("t.st", made)) == made
    assert not re.search(r"[ \t]\n|\n\n\n|\t", re.sub(r"\(\*.*?\*\)|/\*.*?\*/|\{.*?\}", "x", made, flags=re.DOTALL))


@pytest.mark.parametrize("text", sources(), ids=map(str, range(len(sources()))))
def test_each_source_stays_what_it_is(text: str) -> None:
    must_be_the_same(text)


@settings(max_examples=150, deadline=None)
@given(number=st.integers(0, 10**6), seed=st.integers(0, 10**9))
def test_so_does_one_with_anything_between_its_tokens(number: int, seed: int) -> None:
    known = sources()
    text = scrambled(known[number % len(known)], random.Random(seed))
    if written(text) and formatted(Source("t.st", text)) is not None:
        must_be_the_same(text)


@pytest.mark.long
def test_so_do_many_of_them() -> None:
    known, chance, whole = sources(), random.Random(20), 0
    for number in range(SCRAMBLED):
        text = scrambled(known[number % len(known)], chance)
        if formatted(Source("t.st", text)) is not None:
            must_be_the_same(text)
            whole += 1
    assert whole > 0.75 * SCRAMBLED


@pytest.mark.parametrize("text", sources(), ids=map(str, range(len(sources()))))
def test_a_tree_is_printed_as_what_reads_as_the_same_tree(text: str) -> None:
    file = parse(Source("t.st", text), Findings())
    printed = file_text(file)
    assert tree(printed) == tree(text)
    assert file_text(parse(Source("t.st", printed), Findings())) == printed
