"""What the reader makes of a text: shapes of expressions, and one finding for what is left open."""

from __future__ import annotations

import pytest

from tests.helpers import findings_of
from upright_block.language import syntax
from upright_block.language.parsing import parse
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings


def shape(at: syntax.Expression) -> str:
    """An expression with all its parentheses."""
    match at:
        case syntax.Binary(operator=operator, left=left, right=right):
            return f"({shape(left)} {operator} {shape(right)})"
        case syntax.Unary(operator=operator, operand=operand):
            return f"({operator} {shape(operand)})"
        case syntax.Member(base=base, name=name):
            return f"{shape(base)}.{name}"
        case syntax.Index(base=base, indices=indices):
            return f"{shape(base)}[{' '.join(map(shape, indices))}]"
        case syntax.Dereference(base=base):
            return f"{shape(base)}^"
        case syntax.Part(base=base, size=size, number=number):
            return f"{shape(base)}.%{size}{number}"
        case syntax.Call(callee=callee, arguments=arguments):
            return f"{shape(callee)}({' '.join(shape(a.value) for a in arguments)})"
        case syntax.Name(name=text) | syntax.Literal(text=text):
            return text
    raise AssertionError(at)


# IEC 61131-3:2013, table 71: from the tightest to the loosest.
SHAPES = [
    ("a + b * c", "(a + (b * c))"),
    ("a * b + c", "((a * b) + c)"),
    ("a - b - c", "((a - b) - c)"),
    ("a / b MOD c", "((a / b) MOD c)"),
    ("-a ** b", "((- a) ** b)"),
    ("a ** b ** c", "((a ** b) ** c)"),
    ("NOT a AND b", "((NOT a) AND b)"),
    ("a OR b XOR c AND d", "(a OR (b XOR (c AND d)))"),
    ("a & b OR c", "((a AND b) OR c)"),
    ("a < b = c > d", "((a < b) = (c > d))"),
    ("a = b AND c <> d", "((a = b) AND (c <> d))"),
    ("a + b <= c - d", "((a + b) <= (c - d))"),
    ("(a + b) * c", "((a + b) * c)"),
    ("a.b.c", "a.b.c"),
    ("a[1, i + 1].b[2]", "a[1 (i + 1)].b[2]"),
    ("p^.next^.n", "p^.next^.n"),
    ("w.3 OR w.%X4", "(w.%X3 OR w.%X4)"),
    ("a[i].%B1", "a[i].%B1"),
    ("AND(a, b) OR f(x := 1, y := g(2))", "(AND(a b) OR f(1 g(2)))"),
    ("this.m(1) + SUPER.m(2)", "(this.m(1) + SUPER.m(2))"),
    ("- - a", "(- (- a))"),
    ("a >= -1", "(a >= (- 1))"),
]


@pytest.mark.parametrize(("text", "wanted"), SHAPES)
def test_operators_bind_as_the_standard_says(text: str, wanted: str) -> None:
    findings = Findings()
    file = parse(Source("t.st", f"FUNCTION_BLOCK B\nx := {text};\nEND_FUNCTION_BLOCK"), findings)
    assert findings.items == []
    (statement,) = file.units[0].body
    assert isinstance(statement, syntax.Assignment)
    assert shape(statement.value) == wanted
    source = f"FUNCTION_BLOCK B\nx := {text};"
    assert source[statement.value.start : statement.value.end] == text


OPEN = [
    ("FUNCTION_BLOCK B\nVAR n : INT; END_VAR\nn := 1;", "1:1 missing-end"),
    ("FUNCTION F : INT\nF := 1;", "1:1 missing-end"),
    ("PROGRAM P\nVAR n : INT; END_VAR\nn := 1;\nFUNCTION F : INT F := 1; END_FUNCTION", "1:1 missing-end"),
    ("CLASS C\nMETHOD M END_METHOD\n", "1:1 missing-end"),
    ("CLASS C\nMETHOD M\nEND_CLASS", "2:1 missing-end"),
    ("INTERFACE I\nMETHOD M : INT\nEND_INTERFACE", "2:1 missing-end"),
    ("NAMESPACE N\nFUNCTION F : INT F := 1; END_FUNCTION", "1:1 missing-end"),
    ("TYPE\nT : INT;\n", "1:1 missing-end"),
    ("TYPE\nT : STRUCT n : INT;\nEND_TYPE", "2:5 missing-end"),
    ("FUNCTION_BLOCK B\nVAR\nn : INT;\nn := 1;\nEND_FUNCTION_BLOCK", "2:1 missing-end"),
    (
        "FUNCTION_BLOCK B\nINITIAL_STEP A:\nTRANSITION FROM A TO A := TRUE; END_TRANSITION\nEND_FUNCTION_BLOCK",
        "2:1 missing-end",
    ),
    (
        "FUNCTION_BLOCK B\nINITIAL_STEP A: END_STEP\nTRANSITION FROM A TO A := TRUE;\nEND_FUNCTION_BLOCK",
        "3:1 missing-end",
    ),
    (
        "FUNCTION_BLOCK B VAR n : INT; END_VAR\nINITIAL_STEP A: x(N); END_STEP\nACTION x:\nn := 1;\nEND_FUNCTION_BLOCK",
        "3:1 missing-end",
    ),
    ("CONFIGURATION C\nTASK t (INTERVAL := T#1s);\n", "1:1 missing-end"),
    ("CONFIGURATION C\nRESOURCE r ON cpu\nTASK t (INTERVAL := T#1s);\nEND_CONFIGURATION", "2:1 missing-end"),
    ("FUNCTION_BLOCK B\nVAR a : ARRAY [1..2 OF INT; END_VAR\nEND_FUNCTION_BLOCK", "2:21 missing-sign"),
    ("FUNCTION_BLOCK B\nVAR a : ARRAY [1..2] INT; END_VAR\nEND_FUNCTION_BLOCK", "2:22 missing-of"),
    ("FUNCTION_BLOCK B\nVAR a : ARRAY [1..2] OF INT; END_VAR\na[1 := 2;\nEND_FUNCTION_BLOCK", "3:5 missing-bracket"),
    ("FUNCTION_BLOCK B\nVAR a : ARRAY [1..2] OF INT := [1, 2; END_VAR\nEND_FUNCTION_BLOCK", "2:37 missing-sign"),
    ("TYPE T : (a, b; END_TYPE", "1:15 missing-sign"),
    ("TYPE T : INT (1..5; END_TYPE", "1:19 missing-sign"),
    ("TYPE : INT; END_TYPE", "1:6 missing-name"),
    ("FUNCTION_BLOCK B\nVAR p : REF_TO; END_VAR\nEND_FUNCTION_BLOCK", "2:15 missing-type"),
    ("FUNCTION_BLOCK B\nVAR x AT 5 : INT; END_VAR\nEND_FUNCTION_BLOCK", "2:10 missing-address"),
    ("FUNCTION_BLOCK B EXTENDS\nEND_FUNCTION_BLOCK", "2:1 missing-type"),
    ("FUNCTION_BLOCK B\nINITIAL_STEP : END_STEP\nEND_FUNCTION_BLOCK", "2:14 missing-name"),
    (
        "FUNCTION_BLOCK B\nINITIAL_STEP A: END_STEP\nTRANSITION A TO A := TRUE; END_TRANSITION\nEND_FUNCTION_BLOCK",
        "3:14 missing-from",
    ),
]


@pytest.mark.parametrize(("text", "wanted"), OPEN)
def test_what_is_left_out_is_found_once_at_its_place(text: str, wanted: str) -> None:
    found = [f for f in findings_of(text) if not f.endswith(("no-task", "initial-step", "never-reached"))]
    assert found == [wanted]
