"""What is refused because it is too much; `docs/limits.md` names these to users."""

from __future__ import annotations

MOST_NESTED = 60
"""How deep anything may lie in something else: parentheses, statements, types, instances, calls, tables."""
MOST_TURNS = 10_000_000
"""Turns of all loops of one scan, and calls, together."""
MOST_FILE = 64 << 20
"""Bytes of one file."""
MOST_ELEMENTS = 16 << 20
"""How many elements an array may have, and how many values all data of a unit."""
LONGEST_TEXT = 32_767
"""Characters of a STRING or WSTRING."""
MOST_LEAVING = 100
"""Transitions that leave one step."""
MOST_SCANS = 20_000_000
"""Scans of one case."""
MOST_VALUES = 5_000_000
"""Values of all stimuli of a library."""
MOST_REPEATED = 1_000_000
"""Rows of a table after its repeats."""
MOST_MOMENTS = 100_000
"""Moments at which tasks start before they start together again."""
MOST_COLUMNS = 1_000
"""Columns of one table."""
MOST_POINT_BYTES = 1 << 20
"""Bytes of the points of one area."""
MOST_INSTANCES = 100_000
"""Instances of one wiring table."""
MOST_CELLS = 2_000_000
"""Cells of a sheet, the empty ones between others included."""
MOST_SHEET_BYTES = 256 << 20
"""Bytes of a workbook when it is unpacked."""
MOST_ROWS = 10_000_000
"""Rows of a frame with a row for each multiple of a time."""
MOST_CONTACTS = 1_000
"""Contacts in the condition of a transition, each counted once for each way that leads to it."""
