"""A desk to sit at: a machine that stays, with its text and values, driven by keys and typed lines.

`desk` is what it holds and does, `lines` what can be typed, `panes` what is seen, `kept` what is left behind, and
`screen` the terminal, which is the one module that needs ``textual``.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from upright_block.lazily import exported

if TYPE_CHECKING:
    from upright_block.desk.opening import left, opened
    from upright_block.desk.screen import Screen

__getattr__ = exported(__name__, {"opening": ("left", "opened"), "screen": ("Screen",)})

__all__ = ["Screen", "left", "opened"]
