"""Copying mistakes planted in the example library: each is found, by the check or else by the mapping test."""

from __future__ import annotations

import csv
import io
import re
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.helpers import EXAMPLES
from upright_block import open_library
from upright_block.mapping.judging import WRONG

Rows = list[dict[str, str]]
DEMO = EXAMPLES / "demo"
BAYS = (2, 5, 8)
POINTS = ("vent_opened", "vent_shut", "open_button", "too_dry", "air", "vent_up", "mist", "alarm_lamp", "heat_valve")
WIRED = {
    "roof": (
        "warm",
        "open_button",
        "shut_button",
        "open",
        "close",
        "at_open",
        "at_shut",
        "opening",
        "closing",
        "stuck",
    ),
    "climate": ("raw_air", "valve", "value", "above", "IN", "too_dry"),
    "alarms": ("cause", "lamp", "on"),
}


def read(name: str) -> Rows:
    """The rows of a table of the example, each instance on a row of its own."""
    return [row for one in csv.DictReader(io.StringIO((DEMO / name).read_text())) for row in unrolled(one)]


def unrolled(row: dict[str, str]) -> Iterator[dict[str, str]]:
    many = re.search(r"\[01\.\.12\]", row.get("instance") or "")
    for number in range(1, 13) if many else ():
        yield {
            column: cell.replace("[01..12]", f"{number:02}")
            .replace("{01..12}", f"{number:02}")
            .replace("{1..12}", str(number))
            for column, cell in row.items()
        }
    if not many:
        yield row


def tag(rows: Rows, name: str) -> dict[str, str]:
    return next(row for row in rows if row["tag"] == name)


def moved(point: str, bytes_on: int) -> str:
    return re.sub(r"\d+", lambda m: str(int(m[0]) + bytes_on), point, count=1)


# --- the mistakes: each kind gives a name and what it does to the rows of a table ---

Mistake = tuple[str, str, Callable[[Rows], object]]
TAGS = "tags/points.csv"


def given(name: str, **cells: str) -> Callable[[Rows], object]:
    """What gives the row of a tag other cells."""
    return lambda rows: tag(rows, name).update(cells)


def with_point_of(name: str, other: str) -> Callable[[Rows], object]:
    return lambda rows: tag(rows, name).update(point=tag(rows, other)["point"])


def with_point_moved(name: str, bytes_on: int) -> Callable[[Rows], object]:
    return lambda rows: tag(rows, name).update(point=moved(tag(rows, name)["point"], bytes_on))


def names_not_renumbered() -> Iterator[Mistake]:
    for bay in BAYS:
        for what in ("air", "mist"):
            name, copied = f"bay{bay}_{what}", f"bay{bay - 1}_{what}"
            yield f"{name} is called {copied}", TAGS, given(name, tag=copied)


def points_not_renumbered() -> Iterator[Mistake]:
    for bay in BAYS:
        for what in POINTS:
            name, other = f"bay{bay}_{what}", f"bay{bay - 1}_{what}"
            yield (f"{name} at the point of {other}", TAGS, with_point_of(name, other))


def rows_swapped() -> Iterator[Mistake]:
    pairs = [(f"bay{bay}_{what}", f"bay{bay + 1}_{what}") for bay in BAYS for what in POINTS]
    pairs += [("bay5_vent_opened", "bay5_vent_shut"), ("bay5_vent_up", "bay5_vent_down"), ("wind", "sun")]
    pairs += [("vents_by_themselves", "acknowledge"), ("horn", "screen_lamp"), ("north_status", "south_status")]
    for one, other in pairs:

        def swap(rows: Rows, one: str = one, other: str = other) -> None:
            a, b = tag(rows, one), tag(rows, other)
            a["point"], b["point"] = b["point"], a["point"]

        yield f"{one} and {other} swapped", TAGS, swap


def senses_forgotten() -> Iterator[Mistake]:
    for name in ("bay1_vent_opened", "bay6_vent_shut", "bay12_vent_opened", "stop_vents"):
        yield f"{name} without its sense", TAGS, given(name, sense="")


def points_shifted() -> Iterator[Mistake]:
    names = ("bay12_air", "bay12_heat_valve", "sun", "south_actual", "south_control", "south_hertz", "bay12_mist")
    for name in names:
        for step in (1, 2, 8):
            yield (f"{name} shifted by {step}", TAGS, with_point_moved(name, step))


def cells_not_renumbered() -> Iterator[Mistake]:
    for table, columns in WIRED.items():
        for column in columns:

            def copy(rows: Rows, column: str = column) -> None:
                wired = [row for row in rows if row[column] and re.search(r"\d", row["instance"])]
                wired[4][column] = wired[3][column]

            yield f"{column} in {table}", f"wiring/{table}.csv", copy


def nots_forgotten() -> Iterator[Mistake]:
    for column in ("open", "close"):

        def forget(rows: Rows, column: str = column) -> None:
            row = next(row for row in rows if row["instance"] == "Vent07")
            row[column] = row[column].replace("NOT ", "")

        yield f"{column} of Vent07 without NOT", "wiring/roof.csv", forget


KINDS: dict[str, tuple[Callable[[], Iterator[Mistake]], str]] = {
    "a name not renumbered": (names_not_renumbered, "check"),
    "a point not renumbered": (points_not_renumbered, "check"),
    "two rows swapped": (rows_swapped, "walk"),
    "a sense forgotten": (senses_forgotten, "check or walk"),
    "a point shifted": (points_shifted, "check or walk"),
    "a cell not renumbered": (cells_not_renumbered, "check"),
    "a NOT forgotten": (nots_forgotten, "check"),
}
PLANTED = [
    pytest.param(*mistake, finder, id=f"{kind}: {mistake[0]}")
    for kind, (mistakes, finder) in KINDS.items()
    for mistake in mistakes()
]


def write(folder: Path, name: str, rows: Rows) -> None:
    with (folder / name).open("w", newline="", encoding="utf-8") as file:
        writer = csv.DictWriter(file, rows[0])
        writer.writeheader()
        writer.writerows(rows)


def found_by(folder: Path) -> str:
    library = open_library(folder)
    if list(library.findings):
        return "check"
    return "walk" if any(entry.status in WRONG for entry in library.walk()) else "nobody"


@pytest.fixture(scope="module")
def plain(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The example with its tables unrolled, and without the cases, which would find some of this too."""
    folder = tmp_path_factory.mktemp("planted")
    shutil.copytree(DEMO, folder, dirs_exist_ok=True)
    shutil.rmtree(folder / "cases")
    for name in (TAGS, *(f"wiring/{table}.csv" for table in WIRED)):
        write(folder, name, read(name))
    return folder


def test_the_example_has_none(plain: Path) -> None:
    assert len(PLANTED) >= 50
    assert found_by(plain) == "nobody"


@pytest.mark.long
@pytest.mark.parametrize(("name", "table", "plant", "finder"), PLANTED)
def test_a_planted_mistake_is_found(
    name: str, table: str, plant: Callable[[Rows], object], finder: str, plain: Path
) -> None:
    whole = (plain / table).read_text()
    rows = read(table)
    plant(rows)
    try:
        write(plain, table, rows)
        assert (plain / table).read_text() != whole, name
        assert found_by(plain) in finder.split(" or ")
    finally:
        (plain / table).write_text(whole)


def test_a_tag_that_is_gone_is_told(plain: Path) -> None:
    approved = plain / "walk.csv"
    whole = approved.read_text()
    try:
        approved.write_text(whole + "%IX30.0,bay13_air,in,,,climate.Heat13.raw_air,\n")
        wrong = [entry for entry in open_library(plain).walk() if entry.status in WRONG]
        assert [(e.tag.name, e.says) for e in wrong] == [("bay13_air", "It is approved, but no table has such a tag")]
    finally:
        approved.write_text(whole)
