"""The standard functions and function blocks of IEC 61131-3."""

from __future__ import annotations

from functools import cache
from importlib import resources

from upright_block.language.scope import Standard
from upright_block.language.source import Source
from upright_block.standard.functions import FUNCTIONS, function

BLOCKS = ("TON", "TOF", "TP", "R_TRIG", "F_TRIG", "SR", "RS", "CTU", "CTD", "CTUD", "ACTION_CONTROL")
NUMERIC = (
    "EXPT", "EXP", "LN", "LOG", "SIN", "COS", "TAN", "ASIN", "ACOS", "ATAN", "ATAN2",
    "ANGLE_QUADRANT", "ANGLE_FAR", "ANGLE_WAVES", "ANGLE_OF", "ANGLE_LEG",
)  # fmt: skip
OTHERS = (
    "SPLIT_DATE", "SPLIT_TOD", "SPLIT_DT", "CONCAT_DATE", "CONCAT_TOD", "CONCAT_DT", "CONCAT_DATE_TOD", "DAY_OF_WEEK",
    "CONCAT_DATE_LTOD", "CONCAT_LTOD", "CONCAT_LDT", "SPLIT_LTOD", "SPLIT_LDT",
    "FROM_BCD", "TO_BCD", "IS_VALID_BCD", "NUMBER_TEXT", "TEXT_NUMBER",
    "REAL_TEXT", "LREAL_TEXT", "SHORT_REAL_TEXT", "TEXT_REAL", "BIG_SCALE", "BIG_POWER", "BIG_COMPARE", "BIG_SUBTRACT",
    "FRACTION_TEXT", "DURATION_TEXT", "DATE_TEXT", "TOD_TEXT", "DT_TEXT",
)  # fmt: skip
UNITS = BLOCKS + NUMERIC + OTHERS
"""The standard units that are written in the block language, each in a file of its own name."""


@cache
def source(name: str) -> Source | None:
    """The source text of a standard unit, by its name in upper case; None when it is not one."""
    if name not in UNITS:
        return None
    file = resources.files(__name__) / "blocks" / f"{name.lower()}.st"
    return Source(f"standard/{name}", file.read_text(encoding="utf-8"))


STANDARD = Standard(source, function, (*UNITS, *FUNCTIONS))
