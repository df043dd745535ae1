"""What is said of the order in which instances run."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language.telling.findings import Words

_MOST_NAMED = 12


def one_scan_late(user: str, used: str, circle: Sequence[str], is_circle: bool, tag: str) -> Words:
    """``circle`` are those that lead from ``used`` back to ``user``, both included; of many the first few are named."""
    if user == used:
        return Words(
            "one-scan-late", f"{user} reads what it made itself in the scan before.", "Allow it where that is meant."
        )
    of = f"in {tag}" if tag else "of it"
    message = f"{used} runs after {user} in a scan, so what {user} reads {of} here is one scan old."
    if circle:
        shown = [*circle[:_MOST_NAMED], *(["…", user] if len(circle) > _MOST_NAMED else [])]
        message += f" They are a circle: {' reads '.join([user, *shown])}."
    if is_circle:
        return Words("one-scan-late", message, "One of them must be late: allow it where it does no harm.")
    return Words("one-scan-late", message, f"Let {used} run first, or allow it.")
