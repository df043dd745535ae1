"""Direct addresses: what they name, and what a body does with them."""

import pytest

from tests.helpers import checked, findings_of, machine_for
from upright_block.language.checking import check_program
from upright_block.language.field.addresses import NoAddress, parse_address
from upright_block.language.field.points import Point, PointRules, Points
from upright_block.language.forms import statements
from upright_block.language.scope import Scope
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings
from upright_block.machine.machine import Machine
from upright_block.standard import STANDARD


@pytest.mark.parametrize(
    ("text", "point"),
    [
        ("%IX0.3", Point("I", 3, 1)),
        ("%i2.7", Point("I", 23, 1)),
        ("%QB5", Point("Q", 40, 8)),
        ("%IW10", Point("I", 80, 16)),
        ("%MD8", Point("M", 64, 32)),
        ("%ML1", Point("M", 8, 64)),
        ("%IW10.%X0", Point("I", 80, 1)),
        ("%IW10.%X15", Point("I", 95, 1)),
        ("%ID0.%B3", Point("I", 24, 8)),
        ("%ID0.%W1", Point("I", 16, 16)),
    ],
)
def test_an_address_names_bits(text: str, point: Point) -> None:
    assert Points().point(parse_address(text)) == point


@pytest.mark.parametrize(
    ("text", "point"),
    [
        ("%IX4.3", Point("I", 35, 1)),
        ("%IB4", Point("I", 32, 8)),
        ("%IW4", Point("I", 64, 16)),
        ("%ID4", Point("I", 128, 32)),
        ("%IL4", Point("I", 256, 64)),
    ],
)
def test_numbers_may_count_elements_and_bits_stay_byte_and_bit(text: str, point: Point) -> None:
    assert Points(PointRules(counts_elements=True)).point(parse_address(text)) == point


@pytest.mark.parametrize(
    ("text", "point"),
    [
        ("%IW10.%X0", Point("I", 88, 1)),
        ("%IW10.%X9", Point("I", 81, 1)),
        ("%ID0.%B0", Point("I", 24, 8)),
        ("%ID0.%B3", Point("I", 0, 8)),
        ("%ID0.%W0", Point("I", 16, 16)),
        ("%IL0.%D1", Point("I", 0, 32)),
        ("%IX0.3", Point("I", 3, 1)),
    ],
)
def test_with_the_high_byte_first_a_part_of_a_word_lies_in_another_byte(text: str, point: Point) -> None:
    assert Points(PointRules(is_big=True)).point(parse_address(text)) == point


@pytest.mark.parametrize(
    ("text", "way_out"),
    [
        ("%IW10.3", "%IW10.%X3"),
        ("%IX12", "%IX1.4"),
        ("%IX1.8", "0 to 7"),
        ("%IX1.2.3", "0 to 7"),
        ("%IW10.%X16", "Name one that it has"),
        ("%IX1.2.%X0", "Name one that it has"),
        ("%ZW4", "%IX0.3"),
        ("IX0.3", "%IX0.3"),
        ("%IW9999999999", "%IX0.3"),
    ],
)
def test_what_is_no_address_says_what_to_write(text: str, way_out: str) -> None:
    with pytest.raises(NoAddress) as problem:
        parse_address(text)
    assert way_out in problem.value.way_out


BODY = """
FUNCTION_BLOCK B VAR seen, half : BOOL; sum : WORD; END_VAR
seen := %IX0.3;
%QX1.5 := NOT seen;
sum := %IW2 OR 16#0100;
%QW2 := sum;
half := %QW2.%X8;
%MD0 := DWORD#16#01020304;
%MB8 := %MD0.%B0;
END_FUNCTION_BLOCK
"""


def machine(rules: PointRules) -> Machine:
    scope, findings = Scope(STANDARD), Findings()
    scope.points.rules = rules
    check_program([statements(Source("t.st", BODY, "statements"))], scope, findings)
    assert not findings.items, findings.items
    return machine_for(scope.units["B"])


@pytest.mark.parametrize("rules", [PointRules(), PointRules(is_big=True)])
def test_a_body_reads_and_writes_points(rules: PointRules) -> None:
    tried = machine(rules)
    tried.write("%IX0.3", True)
    tried.write("%IW2", 0x0042)
    assert tried.run(1).fault is None
    values = [tried.read(p) for p in ("seen", "%QX1.5", "sum", "%QW2", "%QW2.%X8", "half", "%MD0", "%MB8")]
    assert values == [True, False, 0x0142, 0x0142, True, True, 0x01020304, 4]
    first, second = tried.read("%QB2"), tried.read("%QB3")
    assert (first, second) == ((0x01, 0x42) if rules.is_big else (0x42, 0x01))


@pytest.mark.parametrize(
    ("body", "finding"),
    [
        ("%IX0.3 := TRUE;", "1:49 input-point-assigned"),
        ("%IW4 := w;", "1:49 input-point-assigned"),
        ("w := %IW10.3;", "1:54 bad-address"),
        ("i := %IX0.3;", "1:54 type-mismatch"),
        ("w := %I*;", "1:54 bad-address"),
        ("w := %IW1048575;", "1:54 out-of-range"),
    ],
)
def test_a_point_that_is_used_wrongly_is_told(body: str, finding: str) -> None:
    text = f"FUNCTION_BLOCK B VAR w : WORD; i : INT; END_VAR {body} END_FUNCTION_BLOCK"
    assert findings_of(text) == [finding]


def test_an_area_is_as_large_as_what_is_named() -> None:
    scope, findings = checked("FUNCTION_BLOCK B VAR w : WORD; END_VAR w := %IW10; END_FUNCTION_BLOCK")
    assert not findings
    assert scope.points.sizes == {"I": 12}
    assert scope.points.has(Point("I", 95, 1))
    assert not scope.points.has(Point("I", 96, 1))
