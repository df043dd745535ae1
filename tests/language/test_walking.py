"""What the walker tells of a body, and what the nodes of the typed tree know of their places."""

from __future__ import annotations

import pytest

from tests.helpers import block, checked
from upright_block.language import syntax, typed
from upright_block.language.walking import accesses, every_statement


def body_of(text: str, unit: str = "B") -> tuple[typed.Statement, ...]:
    scope, findings = checked(text)
    assert not findings, [str(f) for f in findings]
    body = scope.units[unit].body
    assert body is not None
    return body


def told(text: str) -> list[str]:
    """All accesses of a block, each as its kind with the words that it comes from."""
    return [
        f"{access.kind} {' '.join(text[access.origin.start : access.origin.end].split())}"
        for statement in every_statement(body_of(text))
        for access in accesses(statement)
    ]


VARIABLES = "a, b, i : INT; l : ARRAY [0..9] OF INT; w : WORD; t : TON; p : REF_TO INT; q : BOOL; d : TIME;"


@pytest.mark.parametrize(
    ("statement", "expected"),
    [
        ("a := b + i;", ["read b", "read i", "write a"]),
        ("l[i] := l[a];", ["read i", "read a", "read l[a]", "write l[i]"]),
        ("w.3 := q;", ["read w", "read q", "write w"]),
        ("p := REF(a);", ["address a", "write p"]),
        ("p^ := a;", ["read p^", "read a", "write p^"]),
        ("t(IN := q, ET => d);", ["read q", "call t(IN := q, ET => d)", "write d"]),
        ("a := MAX(b, i);", ["read b", "read i", "write a"]),
        ("FOR i := a TO b DO l[i] := 0; END_FOR", ["read a", "read b", "write i", "read i", "write l[i]"]),
        ("CASE a OF 1: b := 2; ELSE b := i; END_CASE", ["read a", "write b", "read i", "write b"]),
        ("IF q THEN a := 1; ELSIF t.Q THEN b := 1; END_IF", ["read q", "read t.Q", "write a", "write b"]),
    ],
)
def test_accesses_come_in_the_order_of_evaluation(statement: str, expected: list[str]) -> None:
    assert told(block(VARIABLES, statement)) == expected


def test_a_function_gets_an_address_and_its_call_is_told_before_its_outputs() -> None:
    function = "FUNCTION F : INT VAR_INPUT i : INT; END_VAR VAR_IN_OUT s : INT; END_VAR VAR_OUTPUT o : INT; END_VAR F := i; o := s; END_FUNCTION "
    text = function + block("a, b, c : INT;", "a := F(i := a, s := b, o => c);")
    assert told(text) == ["read a", "address b", "call F(i := a, s := b, o => c)", "write c", "write a"]


def test_branches_and_statements_know_their_words() -> None:
    text = block(VARIABLES, "IF q THEN\n  a := 1;\nELSIF b > 2 THEN\n  RETURN;\nEND_IF;")
    (found,) = body_of(text)
    assert isinstance(found, typed.If)
    assert [text[b.origin.start :].split()[0] for b in found.branches] == ["IF", "ELSIF"]
    (inner,) = found.branches[1].body
    assert text[inner.origin.start : inner.origin.end].rstrip(";") == "RETURN"
    assert not any(syntax.is_made(s.origin) for s in every_statement(body_of(text)))


def test_what_a_sequence_is_made_of_is_marked_as_made_and_its_actions_are_not() -> None:
    text = """FUNCTION_BLOCK B VAR_INPUT go : BOOL; END_VAR VAR n : INT; END_VAR
INITIAL_STEP rest: END_STEP
STEP work: count(N); END_STEP
TRANSITION FROM rest TO work := go; END_TRANSITION
TRANSITION FROM work TO rest := NOT go; END_TRANSITION
ACTION count: n := n + 1; END_ACTION
END_FUNCTION_BLOCK"""
    body = body_of(text)
    written = [s for s in every_statement(body) if not syntax.is_made(s.origin)]
    assert [text[s.origin.start : s.origin.end].rstrip(";") for s in written] == ["n := n + 1"]
    found = [access for s in every_statement(body) for access in accesses(s)]
    names = {text[a.origin.start : a.origin.end] for a in found if not syntax.is_made(a.origin) and a.kind == "read"}
    assert names == {"go", "n"}


def test_what_en_is_made_of_is_marked_as_made_around_the_call() -> None:
    text = block("t : TON; q, ok : BOOL;", "t(EN := q, IN := q, ENO => ok);")
    kinds = [(type(s).__name__, syntax.is_made(s.origin)) for s in every_statement(body_of(text))]
    assert kinds == [("If", True), ("CallInstance", False), ("Assign", True), ("Assign", True)]
