"""What is said where a rig is to be made."""

from __future__ import annotations

from upright_block.errors import Said


def no_such_block(block: str, way_out: str) -> Said:
    return f"There is no block {block}.", way_out


def no_such_stand_in(stand_in: str, way_out: str) -> Said:
    return f"There is no stand-in {stand_in}.", way_out
