"""The mistakes that people make most, each a small file with exactly what is found in it."""

from __future__ import annotations

import re
from ast import literal_eval
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.helpers import EXAMPLES, checked
from upright_block.language.lexer import KEYWORDS, tokenize
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings

FILES = sorted((Path(__file__).parent.parent / "mistakes").glob("*.st"))
FOUND, EDIT = "//! ", "//~ "


def parts(path: Path) -> tuple[list[str], list[tuple[str, str]], str]:
    """A file of a mistake: what is found in it, the edits of somebody who obeys, and the text itself.

    It begins with its findings, each in a line ``//! line:column severity name: message way out``; lines
    ``//~ 'old' ~> 'new'`` say what to replace where that does not follow from the words of the way out.
    """
    lines = path.read_text(encoding="utf-8").splitlines(keepends=True)
    found = [line.removeprefix(FOUND).rstrip("\n") for line in lines if line.startswith(FOUND)]
    written = [line.removeprefix(EDIT).split(" ~> ") for line in lines if line.startswith(EDIT)]
    edits = [(literal_eval(old), literal_eval(new.strip())) for old, new in written]
    return found, edits, "".join(line for line in lines if not line.startswith((FOUND, EDIT)))


@pytest.mark.parametrize("path", FILES, ids=lambda path: path.stem)
def test_a_mistake_is_found_once_and_with_a_way_out(path: Path) -> None:
    expected, _, text = parts(path)
    found = checked(text)[1]
    assert [f"{f.line}:{f.column} {f.severity} {f.name}: {f.message} {f.way_out}".rstrip() for f in found] == expected
    assert len(found) == 1
    assert found[0].way_out


WORDS: tuple[tuple[str, Callable[[re.Match[str], str], str]], ...] = (
    (r"Write (\S+) before \S+\.$", lambda said, marked: f"{said[1]} {marked}"),
    (r"Write (\S+) after \S+\.$", lambda said, marked: f"{marked} {said[1]}"),
    (r"Did you mean (\S+)\?", lambda said, marked: said[1]),
    (r"Remove it(?:,|\.| from)", lambda said, marked: ""),
    (r"Convert with (.+?)(?:\.$|, if)", lambda said, marked: said[1]),
    (r"Write (?:\w+ )*such as (\S+)\.$", lambda said, marked: said[1]),
    (r"Write (\S+;)$", lambda said, marked: said[1]),
    (r"Write (.+?)(?:, if |, or |, in |, where |\.$| for )", lambda said, marked: said[1]),
)
"""What way outs say, and what somebody who takes them by their words makes of what is marked."""


def obeyed(path: Path) -> str:
    """The text of a mistake after its way out was taken by its words."""
    _, edits, text = parts(path)
    for old, new in edits:
        assert old in text
        text = text.replace(old, new, 1)
    if edits:
        return text
    finding = checked(text)[1][0]
    if closing := re.match(r"Write (END_\w+) before (?:the end of the file|\S+) in line (\d+)\.$", finding.way_out):
        lines = text.splitlines(keepends=True)
        lines.insert(int(closing[2]) - 1, f"{closing[1]}\n")
        return "".join(lines)
    if elsewhere := re.match(r"Write, in a file of its own: (.+)$", finding.way_out):
        return f"{text}\n{elsewhere[1]}"
    for pattern, makes in WORDS:
        if said := re.match(pattern, finding.way_out):
            return text[: finding.start] + makes(said, text[finding.start : finding.end]) + text[finding.end :]
    raise AssertionError(f"{finding.way_out} says nothing that somebody could do.")


@pytest.mark.parametrize("path", FILES, ids=lambda path: path.stem)
def test_who_obeys_the_way_out_is_out(path: Path) -> None:
    assert [str(f) for f in checked(obeyed(path))[1] if f.severity == "error"] == []


DEMO = "".join(path.read_text(encoding="utf-8") for path in sorted((EXAMPLES / "demo" / "blocks").glob("*.st")))


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
