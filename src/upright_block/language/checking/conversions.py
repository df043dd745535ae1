"""What to write where the standard has no conversion between two types."""

from __future__ import annotations

import re

from upright_block.language.types import ELEMENTARY

CONVERTED = frozenset({*ELEMENTARY, "STRING", "WSTRING"})
"""The names of types that may stand in the name of a conversion."""
_DURATIONS = ("TIME", "LTIME")
_PARTS = {
    "TOD": "SPLIT_TOD(IN := {of}, HOUR => h, MINUTE => m, SECOND => s, MILLISECOND => ms)",
    "LTOD": "SPLIT_LTOD(IN := {of}, HOUR => h, MINUTE => m, SECOND => s, MILLISECOND => ms)",
    "DATE": "SPLIT_DATE(IN := {of}, YEAR => y, MONTH => m, DAY => d)",
    "LDATE": "SPLIT_DATE(IN := LDATE_TO_DATE({of}), YEAR => y, MONTH => m, DAY => d)",
    "DT": "SPLIT_DT(IN := {of}, YEAR => y, MONTH => m, DAY => d, HOUR => h, MINUTE => mi, SECOND => s, "
    "MILLISECOND => ms)",
    "LDT": "SPLIT_LDT(IN := {of}, YEAR => y, MONTH => m, DAY => d, HOUR => h, MINUTE => mi, SECOND => s, "
    "MILLISECOND => ms)",
}
_MADE = {
    "TOD": "CONCAT_TOD(hour, minute, second, millisecond)",
    "LTOD": "CONCAT_LTOD(hour, minute, second, millisecond)",
    "DATE": "CONCAT_DATE(year, month, day)",
    "DT": "CONCAT_DT(year, month, day, hour, minute, second, millisecond)",
    "LDT": "CONCAT_LDT(year, month, day, hour, minute, second, millisecond)",
}
_OPERAND = re.compile(r"[\w.\[\]]+\Z")


def conversion_advice(source: str, target: str, of: str) -> str:
    """What to write for the value ``of`` of one type where one of another is wanted; the unit of numbers is said."""
    operand = of if _OPERAND.match(of) else f"({of})"
    if source in ("BYTE", "WORD", "DWORD", "LWORD"):
        operand = f"TO_LINT({of})"
    if source in _DURATIONS and target in ("REAL", "LREAL"):
        return f"Write TO_{target}(NANOSECONDS({of})) / 1.0E6 for a number of milliseconds."
    if source in _DURATIONS and target not in ("STRING", "WSTRING", *_PARTS):
        return f"Write TO_{target}(NANOSECONDS({of}) / 1_000_000) for a number of milliseconds."
    if target in _DURATIONS and source not in ("STRING", "WSTRING", "BOOL", *_PARTS):
        return f"Write T#1ms * {operand}, where it counts milliseconds."
    if source in _PARTS and target not in _PARTS:
        return f"Take its parts, as in {_PARTS[source].format(of=of)}."
    if target in _MADE:
        return f"Make it of its parts, as in {_MADE[target]}."
    if source in ("STRING", "WSTRING") and target in _DURATIONS:
        return f"Read a number from it, as in T#1ms * STRING_TO_LINT({of})."
    if "STRING" in source + target:
        return "Numbers, BOOL, durations and dates become a STRING, and numbers come from one."
    if target == "BOOL":
        return f"Compare it, as in {operand} <> 0."
    if source == "BOOL":
        return f"Choose a value, as in SEL({of}, a, b)."
    return "Convert by way of another type."
