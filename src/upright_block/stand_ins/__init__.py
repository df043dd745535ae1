"""Blocks that stand in for a machine, for rigs: written in the block language, each with cases of its own."""

from __future__ import annotations

from upright_block.language.scope import Standard
from upright_block.language.source import Source
from upright_block.shipped import shipped_text

NAMES = (
    "Actuator",
    "Contactor",
    "SpeedDrive",
    "FirstOrder",
    "Tank",
    "Conveyor",
    "Reader",
    "BouncingContact",
    "Operator",
)
"""The stand-ins, each in a file of its own name."""
_BY_KEY = {name.upper(): name for name in NAMES}


def source(key: str) -> Source | None:
    """The text of a stand-in, by its name in upper case; None when there is none."""
    name = _BY_KEY.get(key)
    return Source(f"stand-ins/{name}.st", shipped_text(__name__, f"blocks/{name}.st"), "statements") if name else None


STAND_INS = Standard(source, lambda _: None, frozenset(NAMES))
