"""The standard functions that the compiler knows, as the checker sees them. IEC 61131-3:2013, 6.6.2.5."""

from __future__ import annotations

from functools import cache

from upright_block.language.signatures import Pin, StandardFunction
from upright_block.language.types import BOOL, ELEMENTARY, TIME, Elementary, is_integer

_TWO = (Pin("IN1"), Pin("IN2"))

FUNCTIONS = {
    f.name: f
    for f in (
        StandardFunction("ABS", (Pin("IN"),), group="ANY_NUM"),
        StandardFunction("SQRT", (Pin("IN"),), group="ANY_REAL"),
        StandardFunction("MIN", _TWO, extensible=True),
        StandardFunction("MAX", _TWO, extensible=True),
        StandardFunction("LIMIT", (Pin("MN"), Pin("IN"), Pin("MX"))),
        StandardFunction("SEL", (Pin("G", BOOL), Pin("IN0"), Pin("IN1"))),
        StandardFunction("SCAN_START", (), result=TIME),
    )
}
"""By name. SCAN_START is ours: the time from the start of the run to the start of this scan."""


@cache
def function(name: str) -> StandardFunction | None:
    """The function called ``name`` (in upper case), conversions ``X_TO_Y`` included."""
    found = FUNCTIONS.get(name)
    if found is not None:
        return found
    source_name, mark, target_name = name.rpartition("_TO_")
    source, target = ELEMENTARY.get(source_name), ELEMENTARY.get(target_name)
    if mark and source and target and source is not target and _converts(source, target):
        return StandardFunction(name, (Pin("IN", source),), result=target)
    source_name, _, target_name = name.partition("_TRUNC_")
    source, target = ELEMENTARY.get(source_name), ELEMENTARY.get(target_name)
    if source and target and source.family == "real" and is_integer(target):
        return StandardFunction(name, (Pin("IN", source),), result=target)
    return None


def _converts(source: Elementary, target: Elementary) -> bool:
    """Whether there is an explicit conversion: among numbers, bit strings and BOOL, and among durations."""
    if "duration" in (source.family, target.family):
        return source.family == target.family
    if source.family == "real" and target.family in ("bits", "bool"):
        return source.bits == target.bits
    if target.family == "real" and source.family in ("bits", "bool"):
        return source.bits == target.bits
    return True
