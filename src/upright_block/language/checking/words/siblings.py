"""What is said of rows of a wiring table that look like a copy that was not changed enough."""

from __future__ import annotations

from upright_block.language.names import counted
from upright_block.language.telling.findings import Words


def odd_number(instance: str, text: str, better: str, is_range: bool, siblings: int) -> Words:
    """``is_range`` says that the cell stands for several instances, of which this is the first."""
    return Words(
        "odd-one-out",
        f"{instance} has {text} here; by the numbers of its {counted(siblings, 'sibling')} it would be {better}.",
        f"{'Begin with' if is_range else 'Write'} {better}, or allow it with the reason.",
    )


def odd_sense(instance: str, text: str, is_usual: bool, siblings: int) -> Words:
    return Words(
        "odd-one-out",
        f"{instance} has {text} here; its {counted(siblings, 'sibling')} have it with{'' if is_usual else 'out'} NOT.",
        "Write the same, or allow it with the reason.",
    )


def crossed(name: str, text: str, other: str, better: str) -> Words:
    """Of two rows each of which has what the other should."""
    return Words(
        "odd-one-out",
        f"{name} has {text} here, and {other} has {better}: by their numbers the two are crossed.",
        f"Write {better}, or allow it with the reason.",
    )
