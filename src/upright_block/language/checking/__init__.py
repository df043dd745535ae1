"""Syntax tree to typed tree: names, types, and the rules that a text can break."""

from upright_block.language.checking.observing import observe
from upright_block.language.checking.program import check_program, named_unit

__all__ = ["check_program", "named_unit", "observe"]
