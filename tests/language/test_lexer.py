"""Tokens: words, numbers, comments in three forms, and what is none of them."""

from __future__ import annotations

import pytest

from upright_block.language.lexer import Tokens, tokenize
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings


def tokens_of(text: str) -> tuple[Tokens, list[str]]:
    findings = Findings()
    tokens = tokenize(Source("t.st", text), findings)
    return tokens, [f.name for f in findings.items]


@pytest.mark.parametrize(
    ("text", "kinds"),
    [
        ("if Then END_IF", ["IF", "THEN", "END_IF"]),
        ("bay1 _x x_1", ["name", "name", "name"]),
        ("1 1_000 16#FF 2#1010_0001", ["int"] * 4),
        ("1.5 1.5E3 1.5e-3", ["real"] * 3),
        ("1..5", ["int", "..", "int"]),
        ("T#1d2h3m4s5.6ms INT#-5 WORD#16#FF BOOL#1", ["typed"] * 4),
        ("INT#5-3", ["typed", "-", "int"]),
        ("INT#1..INT#5", ["typed", "..", "typed"]),
        ("D#2024-02-29 TOD#12:30:15.5 DT#2024-02-29-12:30:15", ["typed"] * 3),
        ("LREAL#1.5E-3-x", ["typed", "-", "name"]),
        ("'it$'s' \"wide\"", ["string", "string"]),
        ("%IX0.3 %QW4", ["address", "address"]),
        (
            "a:=b=>c<=d>=e<>f**g&h",
            ["name", ":=", "name", "=>", "name", "<=", "name", ">=", "name", "<>", "name", "**", "name", "AND", "name"],
        ),
        ("a{pragma}b", ["name", "name"]),
        ("\ufeffx", ["name"]),
    ],
)
def test_text_becomes_tokens(text: str, kinds: list[str]) -> None:
    tokens, problems = tokens_of(text)
    assert tokens.kinds == [*kinds, "end"]
    assert problems == []


def test_every_token_stands_where_it_was_written() -> None:
    text = "x := T#5s + 'a' (* c *) ;"
    tokens, _ = tokens_of(text)
    for start, shown in zip(tokens.starts, tokens.texts, strict=True):
        assert text[start : start + len(shown)] == shown


@pytest.mark.parametrize(
    ("text", "comments"),
    [
        ("a // one\nb", ["one"]),
        ("a (* one *) b /* two */ c", ["one", "two"]),
        ("a (* out (* in *) side *) b", ["out (* in *) side"]),
        ("a /* out /* in */ side */ b", ["out /* in */ side"]),
        ("a (* two\n   lines *)", ["two\nlines"]),
        ("(*** banner ***) a", ["banner"]),
    ],
)
def test_comments_have_three_forms_and_nest(text: str, comments: list[str]) -> None:
    tokens, problems = tokens_of(text)
    assert [c.text for c in tokens.comments] == comments
    assert problems == []


@pytest.mark.parametrize(
    ("text", "problem"),
    [
        ("a (* never closed", "unclosed-comment"),
        ("a /* never closed", "unclosed-comment"),
        ("a := 'never closed;\nb", "unclosed-text"),
        ("{ never closed", "unclosed-pragma"),
        ("a ! b", "unknown-character"),
        ("a ≥ b", "unknown-character"),
        ("a \x00 b", "unknown-character"),
        ("é", "unknown-character"),
    ],
)
def test_what_is_no_token_is_found(text: str, problem: str) -> None:
    assert tokens_of(text)[1] == [problem]


def test_a_text_that_is_not_closed_ends_with_its_line() -> None:
    assert tokens_of("a := 'x\nb := 1;")[0].kinds == ["name", ":=", "broken", "name", ":=", "int", ";", "end"]
