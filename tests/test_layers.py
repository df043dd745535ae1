"""Who imports whom: rooms stand above each other, and nobody looks up."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

from tests.helpers import ROOT

PACKAGE = ROOT / "src" / "upright_block"
BASEMENT = {"errors", "asking", "version", "whole", "cached", "lazily", "shipped"}
"""Modules beside the rooms that anyone may use."""


def imported(path: Path) -> Iterator[str]:
    """The modules of the product that a module imports, also for the type checker alone."""
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("upright_block"):
            inside = node.module.removeprefix("upright_block").lstrip(".")
            yield from [inside] if inside else [alias.name for alias in node.names]


def rooms() -> dict[str, set[str]]:
    """The rooms that each room imports from."""
    found: dict[str, set[str]] = {}
    for path in PACKAGE.rglob("*.py"):
        own = path.relative_to(PACKAGE).parts[0]
        if (PACKAGE / own).is_dir():
            used = {module.partition(".")[0] for module in imported(path)} - BASEMENT - {own}
            found.setdefault(own, set()).update(used)
    return found


def test_no_room_is_above_itself() -> None:
    left = rooms()
    while left:
        free = [room for room, used in left.items() if used.isdisjoint(left)]
        assert free, f"in a circle: {left}"
        for room in free:
            del left[room]


def test_the_language_knows_no_other_room_and_the_command_line_only_the_face() -> None:
    found = rooms()
    assert found["language"] == set()
    assert found["machine"] <= {"compiler", "language"}
    outside = {module for module in found["cli"] if (PACKAGE / module).is_dir()}
    assert outside == {"reports", "desk"}


def test_below_the_command_line_nothing_is_said_of_its_options() -> None:
    said = re.compile(r"(?<![\w-])--[a-z]")
    for path in PACKAGE.rglob("*.py"):
        if path.is_relative_to(PACKAGE / "cli"):
            continue
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.Constant) and isinstance(node.value, str):
                assert not said.search(node.value), f"{path.name}:{node.lineno}: {node.value}"
