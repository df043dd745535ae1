"""What is said of logic that was copied."""

from __future__ import annotations

from upright_block.language.telling.findings import Words


def slip(name: str, expected: str, line: int) -> Words:
    return Words(
        "copy-slip",
        f"These lines repeat others with other names, and {name} stands here as in line {line}, where "
        f"{expected} would follow.",
        f"Write {expected}, or allow it where {name} is meant.",
    )
