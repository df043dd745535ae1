"""What is said of slips of the hand."""

from __future__ import annotations

from upright_block.language.telling.findings import Words


def split_keyword(written: str, meant: str) -> Words:
    return Words("misspelt-keyword", f"{written} is one word.", f"Write {meant}.", instead=meant)


def split_literal(written: str, joined: str) -> Words:
    return Words("split-literal", f"{written} has a space in it.", f"Write {joined}.")
