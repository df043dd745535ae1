"""What is said of how instances are called: in some branches, twice, in a loop; and of what they leave behind."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language import typed
from upright_block.language.names import listed
from upright_block.language.telling.findings import Words

_SEES = {
    "TON": "time",
    "TOF": "time",
    "TP": "time",
    "CTU": "edges to count",
    "CTD": "edges to count",
    "CTUD": "edges to count",
    "R_TRIG": "edges",
    "F_TRIG": "edges",
}


def in_branch(name: str, block: typed.Unit) -> Words:
    sees = _SEES[block.key]
    return Words(
        "called-in-branch",
        f"{name} is called only under a condition: while that does not hold, this {block.name} sees no {sees}.",
        f"Call {name} in each scan, and put the condition into its input.",
    )


def shared_by_states(name: str, block: typed.Unit, lines: Sequence[int]) -> Words:
    """One timer for several branches that exclude each other."""
    return Words(
        "shared-by-branches",
        f"{name} serves several branches, in lines {', '.join(map(str, lines))}: it goes from one into the next "
        f"without being reset, and sees no {_SEES[block.key]} in all others.",
        f"Give each branch a {block.name} of its own, called in each scan.",
    )


def called_twice(name: str, line: int) -> Words:
    return Words(
        "called-twice",
        f"{name} can be called twice in one scan, here and in line {line}: its data are of both callers.",
        "Declare a second instance, or call it once with both conditions in its input.",
    )


def called_in_loop(name: str) -> Words:
    return Words(
        "called-in-loop",
        f"The loop calls the same {name} in every turn, so that it runs several times in a scan.",
        "Use an array of instances with the number of the turn as its index, or call it outside of the loop.",
    )


def stays_on(name: str, left: Sequence[str]) -> Words:
    names = " and ".join(left) if len(left) < 3 else listed(left)
    them = "stays as it was" if len(left) == 1 else "stay as they were"
    return Words(
        "stays-on",
        f"{name} is called only under a condition: while that does not hold, {names} {them}.",
        f"Set {'it' if len(left) == 1 else 'them'} in the other case too, or call {name} in each scan.",
    )


def one_scan_late(name: str, line: int, block: typed.Unit) -> Words:
    return Words(
        "one-scan-late",
        f"{name} is read here before {block.name} runs in line {line}, so it is one scan old.",
        "Put the call first, or allow it where that is meant.",
    )
