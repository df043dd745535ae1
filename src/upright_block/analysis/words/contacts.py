"""What is said of contacts."""

from __future__ import annotations

from upright_block.language.telling.findings import Words


def inverted_twice(tag: str, target: str) -> Words:
    return Words(
        "inverted-twice",
        f"{tag} is wired NC, so the table inverts it already; NOT inverts it again, and {target} gets the opposite.",
        f"Write {tag} without NOT: a tag reads in the sense of its name.",
    )
