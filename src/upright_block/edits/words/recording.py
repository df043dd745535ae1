"""What is said of cells that no recorded value was put into."""

from __future__ import annotations

from upright_block.language.telling.findings import Words


def several(values: str) -> Words:
    return Words(
        "not-recorded",
        f"The cell stands for several moments or cases, and they have {values}.",
        "Write a row of its own for each, or a check that holds for all.",
    )


def stopped(name: str, at: str) -> Words:
    return Words(
        "not-recorded",
        f'The case "{name}" stops with a fault; its row at {at} and those below stay empty.',
        "upright verify shows the fault.",
    )


def does_not_hold(path: str, at: str) -> Words:
    return Words(
        "not-recorded",
        f"{path} is held up to the next row, and changes before, at {at}.",
        "Write a row for that moment, or check it only at its rows.",
    )


def in_workbook() -> Words:
    return Words("not-recorded", "A workbook is not written.", "Save the sheet as CSV, and name that file in vectors.")


def no_columns(name: str) -> Words:
    return Words(
        "not-recorded",
        f'The case "{name}" has no columns that check something.',
        "Write a table with a column for each output, and . in its cells.",
    )
