"""The header of a module: numbers at the beginning of its memory by which a machine and the driver talk; see
``driver.wat``.

In the text of the driver a name in braces stands for the address of its field.
"""

from __future__ import annotations

import re
import struct
from itertools import repeat

_FIRST = 8  # address 0 is no address: what has none, such as a condition, is 0
_FIELDS = {
    "now": "q",  # the scan clock, in ns
    "scan": "q",  # the scan at hand, then the next one
    "site": "i",  # the fault site, 0 for none
    "instance": "i",  # the instance at the fault
    "caller": "i",  # the site of the last call of a standard function
    "turns": "i",  # loop turns that a scan may have
    "interval": "q",  # ns from scan to scan
    "stop": "q",  # the scan to stop before
    "clock": "q",  # the wall clock at the start, in ns since 1970
    "event": "i",  # the next event
    "events_end": "i",
    "left": "i",  # the phase of what is left of the scan at hand, 0 for none
    "condition": "i",  # the address of a BOOL to stop at, 0 for none
    "spans": "i",  # the watched spans
    "spans_end": "i",
    "log": "i",  # the next log entry
    "log_end": "i",  # where to stop, so that the changes of one more scan have room
    "base": "q",  # the scan that the log counts from
    "is_met": "i",  # whether the condition ended the run
    "spare": "i",
    "starts": "i",  # starts of scans (i64, ns), 0 where all are an interval apart
    "starts_count": "i",
    "period": "q",  # ns after which the starts come again
    "idled": "q",  # ns for which no scan ran
    "is_idle": "i",  # whether none runs now
    "phase": "i",  # the address of the phase of the scan, 0 where it has only one
    "has_rig": "i",  # whether a rig runs before each scan
    "trail": "i",  # the next entry of the trail
    "trail_end": "i",
    "begun": "i",  # the statements that have begun, of those that leave a trail
    "insert": "i",  # the next event that is stored between two statements
    "inserts_end": "i",
}
"""The fields in their order, each with its format: eight bytes or four."""


def _addresses() -> dict[str, int]:
    found: dict[str, int] = {}
    address = _FIRST
    for name, code in _FIELDS.items():
        found[name] = address
        address += struct.calcsize(code)
    return found


ADDRESSES = _addresses()
"""The address of each field."""
_READ = {name: struct.Struct(f"<{code}").unpack_from for name, code in _FIELDS.items()}
_WHOLE = struct.Struct("<" + "".join(_FIELDS.values()))
_AFTER = tuple(list(_FIELDS).index(name) for name in ("scan", "event", "is_met", "clock", "log"))
_MARK = re.compile(r"\{(\w+)\}")


def addressed(text: str) -> str:
    """A text with the addresses of fields in place of their names."""
    return _MARK.sub(lambda mark: str(ADDRESSES[mark[1]]), text)


def get(memory: memoryview, field: str) -> int:
    """The number in a field."""
    value: int = _READ[field](memory, ADDRESSES[field])[0]
    return value


def after(memory: memoryview) -> tuple[int, int, int, int, int]:
    """What a run leaves: the next scan, the next event, whether the condition ended it, the clock, the end of the log;
    read at once, since a run may be one scan.
    """
    fields = _WHOLE.unpack_from(memory, _FIRST)
    scan, event, is_met, clock, log = (fields[number] for number in _AFTER)
    return scan, event, is_met, clock, log


def put(memory: memoryview, field: str, value: int) -> None:
    """Give a field a number."""
    struct.pack_into("<" + _FIELDS[field], memory, ADDRESSES[field], value)


def fill(memory: memoryview, **values: int) -> None:
    """Give the fields their numbers; those that are not named are 0."""
    _WHOLE.pack_into(memory, _FIRST, *map(values.get, _FIELDS, repeat(0)))
