"""Normally closed contacts that the logic inverts once more."""

from __future__ import annotations

import re
from collections.abc import Iterator

from upright_block.analysis.facts import Facts
from upright_block.analysis.flow import Flow
from upright_block.analysis.words import contacts as words
from upright_block.language import syntax, typed
from upright_block.language.field.tags import Tag
from upright_block.language.printing import expression_text
from upright_block.language.telling.edits import Edit
from upright_block.language.telling.findings import Finding, Related
from upright_block.language.walking import every_statement

_WORD = re.compile(r"[a-z]+")
_CAMEL = re.compile(r"(?<=[a-z0-9])(?=[A-Z])")
_NEGATIVE = frozenset(
    [
        "no",
        "not",
        "none",
        "un",
        "free",
        "clear",
        "healthy",
        "ok",
        "good",
        "without",
        "released",
        "release",
        "enable",
        "enabled",
        "permit",
        "permissive",
        "ready",
        "run",
        "allowed",
    ]
)
_COMMON = frozenset(
    ["bay", "at", "the", "is", "in", "of", "button", "switch", "limit", "input", "signal", "bit", "cmd", "contact"]
)
_NEGATION = re.compile(r"NOT\b\s*", re.IGNORECASE)


def check_contacts(flow: Flow, facts: Facts) -> Iterator[Finding]:
    """Report ``NOT tag`` of a contact wired NC that goes, as it is, to something of the same name."""
    if not any(tag.is_negated for tag in facts.tags.values()):
        return
    source = flow.unit.source
    for statement in every_statement(flow.unit.body or ()):
        for value, target in _given(statement):
            tag = _inverted(value, facts)
            if tag is None or not _is_same(tag.name, target):
                continue
            assert isinstance(value, typed.Unary)
            place = _place(statement, target, value)
            first = Related(tag.source, tag.start, tag.end, f"{tag.name} is wired NC here")
            match = _NEGATION.match(source.text, place[0])
            edit = Edit(source, match.start(), match.end(), "") if match else None
            yield words.inverted_twice(tag.name, target).told(source, *place, first, edit=edit)


def _given(statement: typed.Statement) -> Iterator[tuple[typed.Expression, str]]:
    """What goes to a pin or to a variable, with the name of that."""
    if isinstance(statement, typed.CallInstance):
        for pin, value in statement.inputs:
            yield value, pin.name
    elif isinstance(statement, typed.Assign) and isinstance(statement.origin, syntax.Assignment):
        yield statement.value, expression_text(statement.origin.target)


def _inverted(value: typed.Expression, facts: Facts) -> Tag | None:
    if isinstance(value, typed.Unary) and value.operator == "NOT" and isinstance(value.operand, typed.Load):
        place = value.operand.place
        tag = facts.tags.get(place.root.shared or place.root)
        return tag if tag is not None and tag.is_negated and tag.area == "I" and not place.steps else None
    return None


def _place(statement: typed.Statement, target: str, value: typed.Unary) -> tuple[int, int]:
    """The place of ``NOT tag``."""
    operand = value.operand
    assert isinstance(operand, typed.Load)
    return min(value.start, operand.place.origin.start), operand.place.origin.end


def _words(name: str) -> set[str]:
    return set(_WORD.findall(_CAMEL.sub("_", name).lower()))


def _is_same(tag: str, target: str) -> bool:
    """Whether two names say the same thing in the same sense."""
    a, b = _words(tag), _words(target)
    if a & _NEGATIVE != b & _NEGATIVE or _is_place(a) != _is_place(b):
        return False
    return any(_stem(x) == _stem(y) for x in a - _COMMON for y in b - _COMMON)


def _is_place(words: set[str]) -> bool:
    """Whether a name says that something is somewhere, and not that it should go there: at_open, opened."""
    return "at" in words or any(word.endswith("ed") or word == "shut" for word in words)


def _stem(word: str) -> str:
    """A word without its ending: opened, open."""
    for ending in ("ped", "ed", "s"):
        if word.endswith(ending) and len(word) - len(ending) >= 3:
            return word[: -len(ending)]
    return word
