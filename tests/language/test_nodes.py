"""Classes that only hold data."""

from __future__ import annotations

import pickle

import pytest

from upright_block.language.nodes import fresh, node, record, replaced, required, state


class Named:
    """A base with a property that a field takes over."""

    __slots__ = ()

    @property
    def name(self) -> str:
        return "nobody"


@record
class Bed(Named):
    name: str = required()
    wet: bool = False
    notes: list[str] = fresh(default_factory=list)


@node
class Row:
    number: int


@node
class LongRow(Row):
    """A row with more."""

    length: int = 5


@state
class Count:
    value: int = 0


def test_fields_are_taken_by_place_and_by_name_and_have_defaults() -> None:
    bed = Bed("north", notes=["dry"])
    assert (bed.name, bed.wet, bed.notes) == ("north", False, ["dry"])
    assert Bed("a").notes is not Bed("a").notes
    assert (LongRow(3).number, LongRow(3).length, LongRow(number=1, length=2).length) == (3, 5, 2)
    with pytest.raises(TypeError):
        Bed()  # type: ignore[call-arg]
    with pytest.raises(AttributeError):
        _ = Count().other  # type: ignore[attr-defined]


def test_records_are_equal_by_their_fields_and_nodes_by_themselves() -> None:
    assert Bed("a", True) == Bed("a", True) != Bed("a", False)
    assert Row(1) != Row(1)
    assert len({Row(1), Row(1)}) == 2
    assert hash(LongRow(1)) != hash(LongRow(1))


def test_a_copy_may_differ_in_some_fields() -> None:
    bed = Bed("north", True, ["x"])
    assert replaced(bed, name="south") == Bed("south", True, ["x"])
    count = Count(3)
    count.value += 1
    assert replaced(count).value == 4


def test_they_show_themselves_and_can_be_pickled() -> None:
    assert repr(Bed("north", True)) == "Bed(name='north', wet=True, notes=[])"
    assert pickle.loads(pickle.dumps(Bed("north", True))) == Bed("north", True)


def test_a_match_takes_fields_by_place() -> None:
    match LongRow(7, 8):
        case LongRow(number, length):
            assert (number, length) == (7, 8)
