"""Text to syntax tree."""

from upright_block.language.parsing.units import parse

__all__ = ["parse"]
