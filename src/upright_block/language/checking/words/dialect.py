"""What is said of what the dialect of a library does not have."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language.literals import shown_duration
from upright_block.language.telling.findings import Words


def name_too_long(name: str, longest: int) -> Words:
    return Words(
        "beyond-dialect",
        f"{name} has {len(name)} characters; longest_name in upright.toml allows {longest}.",
        f"Shorten it by {len(name) - longest}.",
    )


def strange_character(name: str, character: str) -> Words:
    return Words(
        "beyond-dialect",
        f"{name} has {character!r}, which name_characters in upright.toml does not allow.",
        "Write the name without it.",
    )


def time_too_long(shown: str, longest: int) -> Words:
    return Words(
        "beyond-dialect",
        f"{shown} is longer than {shown_duration(longest)}, the longest_time in upright.toml.",
        "Write a shorter time, or let a counter count the longer one.",
    )


def off_style(name: str, kind: str, patterns: Sequence[str]) -> Words:
    shown = " or ".join(patterns)
    return Words(
        "off-style",
        f"The {kind.replace('_', '-')} {name} does not follow the names of this library: {shown}.",
        "Rename it, or change [names] in upright.toml.",
    )
