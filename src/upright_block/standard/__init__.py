"""The standard functions and function blocks of IEC 61131-3."""

from __future__ import annotations

from functools import cache

from upright_block.language.scope import Standard
from upright_block.language.source import Source
from upright_block.shipped import shipped_text
from upright_block.standard.functions import FUNCTIONS, function

BLOCKS = ("TON", "TOF", "TP", "R_TRIG", "F_TRIG", "SR", "RS", "CTU", "CTD", "CTUD", "ACTION_CONTROL")
NUMERIC = ("EXPT", "EXP", "LN", "LOG", "SIN", "COS", "TAN", "ASIN", "ACOS", "ATAN", "ATAN2")
OTHERS = (
    "SPLIT_DATE",
    "SPLIT_TOD",
    "SPLIT_DT",
    "CONCAT_DATE",
    "CONCAT_TOD",
    "CONCAT_DT",
    "CONCAT_DATE_TOD",
    "DAY_OF_WEEK",
    "CONCAT_DATE_LTOD",
    "CONCAT_LTOD",
    "CONCAT_LDT",
    "SPLIT_LTOD",
    "SPLIT_LDT",
    "IS_VALID_BCD",
)
HELPERS = (
    "ANGLE__QUADRANT",
    "ANGLE__FAR",
    "ANGLE__WAVES",
    "ANGLE__OF",
    "ANGLE__LEG",
    "FROM__BCD",
    "TO__BCD",
    "NUMBER__TEXT",
    "TEXT__NUMBER",
    "REAL__TEXT",
    "LREAL__TEXT",
    "SHORT__REAL_TEXT",
    "TEXT__REAL",
    "BIG__SCALE",
    "BIG__POWER",
    "BIG__COMPARE",
    "BIG__SUBTRACT",
    "FRACTION__TEXT",
    "DURATION__TEXT",
    "DATE__TEXT",
    "TOD__TEXT",
    "DT__TEXT",
)
"""What the others are made of. The standard has no names with two underscores together, so that these are nobody
else's.
"""
UNITS = BLOCKS + NUMERIC + OTHERS + HELPERS
"""The standard units that are written in the block language, each in a file of its own name."""


@cache
def source(name: str) -> Source | None:
    """The source text of a standard unit, by its name in upper case; None when it is not one."""
    if name not in UNITS:
        return None
    return Source(f"standard/{name}", shipped_text(__name__, f"blocks/{name.lower()}.st"), "statements")


STANDARD = Standard(source, function, frozenset({*BLOCKS, *NUMERIC, *OTHERS, *FUNCTIONS}))
