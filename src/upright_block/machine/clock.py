"""The clock of a run, for those who do not run anything."""

from __future__ import annotations

CLOCK_START = 1_767_225_600_000_000_000
"""The wall clock at the start of a run that does not say: 2026-01-01-00:00:00, in ns since 1970-01-01."""
LAST_MOMENT = (1 << 63) - 1
"""The last nanosecond since 1970-01-01 that a date can say, in the year 2262."""
