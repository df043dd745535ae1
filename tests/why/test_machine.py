"""A machine in Python answers why, of all that was done to it."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import EXAMPLES, write_files
from upright_block import BadValue, UnknownName, open_library
from upright_block.reasons.tree import Node

BLOCK = """FUNCTION_BLOCK B VAR_INPUT a, b : BOOL; END_VAR VAR_OUTPUT q : BOOL; n : INT; END_VAR
VAR RETAIN kept : INT; END_VAR
IF a THEN kept := kept + 1; END_IF;
q := b OR kept > 2;
n := kept;
END_FUNCTION_BLOCK
"""


def all_of(node: Node) -> dict[str, Node]:
    """The nodes of a tree by their paths, the first of each."""
    found = {node.path: node}
    for reason in node.reasons:
        for operand in reason.operands:
            found = all_of(operand) | found
    return found


def test_sets_forces_power_and_going_back_are_known(tmp_path: Path) -> None:
    machine = open_library(write_files(tmp_path, {"blocks/b.st": BLOCK})).machine("B", scan="100ms")
    with pytest.raises(BadValue, match="no scan has run"):
        machine.why("q")
    machine.set("a", True)
    machine.scan(5)
    before = machine.snapshot()
    asked = machine.why("q").node
    assert (asked.value, asked.since, asked.wrote) == (True, 2, 4)
    assert (all_of(asked)["kept"].value, all_of(asked)["kept"].kind) == (5, "written")
    machine.force("q", False)
    machine.scan()
    assert (machine.why("q").node.kind, machine.why("q").node.wrote) == ("forced", 5)
    machine.release("q")
    machine.power("off")
    machine.scan(2)
    assert machine.why("q").node.kind == "power"
    machine.power("on")
    machine.scan()
    assert all_of(machine.why("q").node)["kept"].value == machine.read("kept")
    machine.restore(before)
    machine.set("b", True)
    machine.scan()
    again = machine.why("q")
    assert (all_of(again.node)["b"].kind, all_of(again.node)["b"].wrote) == ("set", 5)
    assert again.data()["value"] is True
    assert str(again).startswith("q is 1 at 500ms (scan 5)")


def test_a_plant_is_asked_by_its_tags_and_unknown_names_are_refused() -> None:
    plant = open_library(EXAMPLES / "demo").machine("Glasshouse")
    plant.set("bay1_open_button", True)
    plant.scan(20)
    found = all_of(plant.why("bay1_vent_up").node)
    assert (found["bay1_open_button"].kind, found["bay1_open_button"].wrote) == ("set", 0)
    with pytest.raises(UnknownName, match="bay1_vent_up"):
        plant.why("bay1_vent_upp")
