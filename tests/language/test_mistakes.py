"""The mistakes that people make most, each a small file with exactly what is found in it."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import EXAMPLES, checked
from upright_block.language.findings import Findings
from upright_block.language.lexer import KEYWORDS, tokenize
from upright_block.language.source import Source

FILES = sorted((Path(__file__).parent.parent / "mistakes").glob("*.st"))
MARK = "//! "


@pytest.mark.parametrize("path", FILES, ids=lambda path: path.stem)
def test_a_mistake_is_found_once_and_with_a_way_out(path: Path) -> None:
    """A file begins with its findings, each in a line ``//! line:column severity name: message way out``."""
    lines = path.read_text(encoding="utf-8").splitlines(keepends=True)
    expected = [line.removeprefix(MARK).rstrip("\n") for line in lines if line.startswith(MARK)]
    text = "".join(line for line in lines if not line.startswith(MARK))
    found = checked(text)[1]
    assert [
        f"{f.line}:{f.column} {f.severity} {f.name}: {f.message} {f.way_out}".rstrip() for f in found
    ] == expected
    assert len(found) == 1
    assert found[0].way_out


def test_there_are_many_of_them() -> None:
    assert len(FILES) >= 180


DEMO = "".join(
    path.read_text(encoding="utf-8") for path in sorted((EXAMPLES / "demo" / "blocks").glob("*.st"))
)


def misspelt() -> dict[str, str]:
    """The demo with one keyword misspelt: for each keyword that it has, by the keyword."""
    tokens = tokenize(Source("demo.st", DEMO), Findings())
    found: dict[str, str] = {}
    for kind, word, start in zip(tokens.kinds, tokens.texts, tokens.starts, strict=True):
        slipped = word[:1] + word[2:3] + word[1:2] + word[3:]
        if kind in KEYWORDS and len(word) > 2 and slipped != word and kind != "STRUCT":
            found.setdefault(kind, DEMO[:start] + slipped + DEMO[start + len(word) :])
    return found


@pytest.mark.parametrize("text", [pytest.param(text, id=keyword) for keyword, text in misspelt().items()])
def test_a_keyword_with_two_letters_exchanged_is_one_finding(text: str) -> None:
    assert len(checked(text)[1]) == 1
