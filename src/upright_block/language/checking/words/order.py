"""What is said of the order in which instances run."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language.findings import Words


def one_scan_late(user: str, used: str, circle: Sequence[str]) -> Words:
    """``circle`` are those that lead from ``used`` back to ``user``, both included, where they feed each other."""
    message = f"{used} runs after {user} in a scan, so what {user} reads of it here is one scan old."
    if user == used:
        return Words(
            "one-scan-late", f"{user} reads what it made itself in the scan before.", "Allow it where that is meant."
        )
    if circle:
        ring = " reads ".join([user, *circle])
        return Words(
            "one-scan-late",
            f"{message} They are a circle: {ring}.",
            "One of them must be late: allow it where it does no harm.",
        )
    return Words("one-scan-late", message, f"Let {used} run first, or allow it.")
