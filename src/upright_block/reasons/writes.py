"""What wrote a value, in the trail of a scan."""

from __future__ import annotations

from upright_block.language import typed
from upright_block.reasons.where import Here
from upright_block.runs.trails import Scan, Write


def touches(write: Write, here: Here) -> bool:
    """Whether a write reaches a value, or the bit of it."""
    if write.ran is None:
        return write.address == here.address
    if here.bit is not None and isinstance(write.ran.statement, typed.AssignPart):
        part = write.ran.statement
        number = 8 * (here.address - write.address) + here.bit
        if not part.shift <= number < part.shift + (1 if part.type.family == "bool" else part.type.bits):
            return False
    return write.address < here.end and here.address < write.address + len(write.after)


def bit_in(here: Here, write: Write) -> int | None:
    """The number of a bit in what was written as a whole; None of what is no bit."""
    return None if here.bit is None else 8 * (here.address - write.address) + here.bit


def last_write_in(trail: Scan, here: Here, end: int) -> Write | None:
    """The last write of a value before an entry of a trail."""
    return next((write for write in trail.touching(here.address, here.end, end) if touches(write, here)), None)


def writes_to(statement: typed.Statement, variable: typed.Variable | None) -> bool:
    """Whether an assignment writes to a variable, or a part of it."""
    return isinstance(statement, typed.Assign | typed.AssignPart) and statement.place.root is variable
