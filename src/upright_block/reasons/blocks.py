"""What blocks of the standard say of themselves."""

from __future__ import annotations

from collections.abc import Callable

from upright_block.language.literals import Value, shown
from upright_block.reasons.where import Here


def block_words(
    block: str, asked: str, values: dict[str, Value], pins: dict[str, Here], since: Callable[..., str]
) -> tuple[tuple[str, ...], str]:
    """Which inputs decide an output of a block of the standard, and what it says of itself."""

    def text(name: str) -> str:
        return shown(values[name], pins[name].type)

    match block:
        case "TON" | "TOF" | "TP" if "IN" in values:
            running = 0 < int(values["ET"]) < int(values["PT"])
            due = f", due at {since('IN', int(values['PT']))}" if running else ""
            says = f"IN is {text('IN')} since {since('IN')}, ET is {text('ET')} of PT {text('PT')}{due}"
            return (("IN", "PT") if running or asked == "ET" else ("IN",)), says
        case "CTU" | "CTD" | "CTUD":
            counts = [name for name in ("CU", "CD", "R", "LD") if name in values]
            says = f"CV is {text('CV')} of PV {text('PV')}"
            return (*counts, "PV"), says
        case "ACTION_CONTROL":
            asking = [name for name, pin in pins.items() if values[name] is True and name not in (asked, "Q", "A")]
            return tuple(asking or ["N"]), f"asked for by {', '.join(asking)}" if asking else "no step asks for it"
        case "SR" | "RS":
            names = [name for name in pins if name not in ("Q1",)]
            return tuple(names), ", ".join(f"{name} is {text(name)}" for name in names)
    inputs = [name for name in pins if name != asked and name in ("CLK", "IN", "S", "R", "S1", "R1")]
    return tuple(inputs), ", ".join(f"{name} is {text(name)}" for name in inputs)
