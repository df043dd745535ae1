"""What is refused because it is too much; `docs/limits.md` names these to users."""

from __future__ import annotations

MOST_NESTED = 60
"""How deep anything may lie in something else: parentheses, statements, types, instances, calls, tables."""
MOST_TURNS = 10_000_000
"""Turns of all loops of one scan, and calls, together."""
MOST_FILE = 64 << 20
"""Bytes of one file."""
