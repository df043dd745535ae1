"""Rows of a wiring table that are alike, and the cell of one that is not."""

from __future__ import annotations

import pytest

from upright_block.language.checking.siblings import check_siblings
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings
from upright_block.library.wiringtable import wiring_table


def told(*rows: str) -> list[str]:
    """What is told of rows of the columns instance, block, on and lit: the line, and the text that would be usual."""
    findings = Findings()
    source = Source("w.csv", "\n".join(["instance,block,on,lit", *rows]))
    table = wiring_table(source, findings)
    assert table is not None
    check_siblings(table, findings)
    return [f"{f.line}:{f.column} {f.way_out.split(',')[0]}" for f in findings.in_order()]


@pytest.mark.parametrize(
    ("rows", "expected"),
    [
        (["L{},Lamp,key{},-> out{}"] * 4, []),
        (["L{},Lamp,key{},"] * 3 + ["L4,Lamp,key3,"], ["5:9 Write key4"]),
        (["L0{},Lamp,key{},"] * 3 + ["L04,Lamp,key3 AND auto2,"] * 1, []),  # another text: it is meant
        (["L{},Lamp,key{} AND auto2,"] * 4, []),
        (["L{},Lamp,,-> out{}"] * 4 + ["L5,Lamp,,-> out4"], ["6:10 Write -> out5"]),
        (["L[1..8],Lamp,key{{1..8}},", "L[9..10],Lamp,key{{8..9}},"], ["3:15 Begin with key9"]),
        (["L[1..8],Lamp,key{{1..8}},", "L[9..12],Lamp,key{{8..11}},"], []),  # a third is no slip
        (["L{},Lamp,NOT key{},"] * 3 + ["L4,Lamp,key4,"], ["5:9 Write the same"]),
        (["L{},Lamp,key{},"] * 3 + ["L4,Lamp,NOT key4,"], ["5:9 Write the same"]),
        (["L{},Lamp,40s,"] * 3 + ["L4,Lamp,50s,"], []),  # a setting
        (["L{},Lamp,T#40s,"] * 3 + ["L4,Lamp,T#4s,"], []),
        (["L{},Lamp,key{},"] * 2 + ["L3,Lamp,key2,"], []),  # too few to tell
        (["L{},Lamp,key{},"] * 3 + ["L4,Horn,key3,"], []),  # another block
    ],
)
def test_what_is_odd(rows: list[str], expected: list[str]) -> None:
    assert told(*(row.format(*[number] * 3) for number, row in enumerate(rows, 1))) == expected


def test_the_ends_of_a_chain_are_as_they_are() -> None:
    ring = [f"L{n},Lamp,L{n % 8 + 1}.lit," for n in range(1, 9)]
    assert told(*ring) == []
    assert told(*ring[:4], "L5,Lamp,L5.lit,", *ring[5:]) == ["6:9 Write L6.lit"]


def test_either_number_of_a_name_may_be_the_one() -> None:
    rows = [f"R{r}_L{n},Lamp,key{n},-> out{r}" for r in (1, 2) for n in (1, 2, 3)]
    assert told(*rows) == []
    assert told(*rows[:4], "R2_L2,Lamp,key3,-> out2", rows[5]) == ["6:12 Write key2"]
    assert told(*rows[:4], "R2_L2,Lamp,key2,-> out1", rows[5]) == ["6:17 Write -> out2"]
