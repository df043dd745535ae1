"""Text to syntax tree."""

from upright_block.language.parsing.units import parse, parse_expression, parse_initial, parse_type

__all__ = ["parse", "parse_expression", "parse_initial", "parse_type"]
