"""What blocks of the standard say of themselves."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from upright_block.compiler.artifact import joined
from upright_block.compiler.layout import layout_of
from upright_block.language import typed
from upright_block.language.literals import Value, shown, shown_duration
from upright_block.language.nodes import record
from upright_block.language.types import Elementary
from upright_block.reasons.where import Here
from upright_block.runs.trails import Run, Scan

_STORING = ("S", "SD", "DS", "SL")


class Pins:
    """The pins of a block as they are after a call, by name, and since when; ``inputs`` are names of some.

    ``times`` gives the times in ns at which a pin has changed until then, ``now`` is that of the call.
    """

    def __init__(
        self,
        now: int,
        inputs: tuple[str, ...],
        values: Mapping[str, Value],
        pins: Mapping[str, Here],
        times: Callable[[Here], list[int]],
    ) -> None:
        self.now = now
        self.inputs = inputs
        self.values = values
        self.pins = pins
        self._times = times

    def __contains__(self, name: str) -> bool:
        return name in self.values

    def text(self, name: str) -> str:
        """A pin with its value."""
        return f"{name} is {shown(self.values[name], self.pins[name].type)}"

    def since(self, name: str) -> int:
        """The time from which on a pin has its value."""
        times = self._times(self.pins[name])
        return times[-1] if times else 0

    def kept(self, name: str) -> str:
        """A pin with its value, and since when."""
        return f"{self.text(name)} since {shown_duration(self.since(name))}"

    def edge(self, name: str, word: str) -> str:
        """When a BOOL has ``risen`` or ``fallen`` last."""
        times = self._times(self.pins[name])
        is_now = bool(self.values[name]) is (word == "rose")
        found = times[-1:] if is_now else times[-2:-1]
        return f"{name} {word} last at {shown_duration(found[0])}" if found else f"{name} never {word}"


def pins_of(run: Run, trail: Scan, now: int, times: Callable[[Here], list[int]]) -> Pins:
    """The pins of a block as they were when a call of it was over, which was at a time in ns; its inputs are those that
    the call gives.
    """
    unit = run.unit
    pins = {
        pin.name.upper(): Here(joined(run.path, pin.name), pin.type, run.address + layout_of(unit).offsets[pin])
        for pin in (*unit.section("input"), *unit.section("output"))
        if isinstance(pin.type, Elementary)
    }
    call = run.caller.statement if run.caller is not None else None
    given = [pin for pin, _ in call.inputs] if isinstance(call, typed.CallInstance) else unit.section("input")
    inputs = tuple(pin.name.upper() for pin in given if pin.name.upper() in pins)
    return Pins(now, inputs, {name: pin.read(trail, run.end) for name, pin in pins.items()}, pins, times)


@record
class Says:
    """What a block says of an output: in words, and which inputs decide it ``now``, and which when it ``began``."""

    words: str
    now: tuple[str, ...]
    began: tuple[str, ...] = ()


def block_words(block: str, asked: str, pins: Pins) -> Says:
    """What a block of the standard says of one of its outputs."""
    values = pins.values
    match block:
        case "TON" | "TOF" | "TP" if "IN" in pins:
            return _timer(block, asked, pins)
        case "CTU" | "CTD" | "CTUD":
            counting = [name for name in ("CU", "CD") if name in pins]
            setting = [name for name in ("R", "LD") if name in pins]
            held = [pins.text(name) for name in setting if values[name]]
            edges = [pins.edge(name, "rose") for name in counting]
            says = ", ".join([f"CV is {values['CV']} of PV {values['PV']}", *held, *edges])
            return Says(says, (*counting, *setting, "PV"))
        case "SR" | "RS":
            strong, weak = ("S1", "R") if block == "SR" else ("R1", "S")
            if values[strong]:
                return Says(f"{pins.kept(strong)} and wins", (strong,))
            if values[weak]:
                return Says(f"{pins.kept(weak)}, {pins.text(strong)}", (strong, weak))
            says = f"neither is 1, so it stays: {pins.edge(strong, 'fell')}, {pins.edge(weak, 'fell')}"
            last, other = (strong, weak) if bool(values["Q1"]) is (block == "SR") else (weak, strong)
            return Says(says, (other,), (last,))
        case "R_TRIG":
            return Says(f"{pins.text('CLK')}, {pins.edge('CLK', 'rose')}", ("CLK",))
        case "F_TRIG":
            return Says(f"{pins.text('CLK')}, {pins.edge('CLK', 'fell')}", ("CLK",))
        case "ACTION_CONTROL":
            asking = [name for name in pins.pins if values[name] is True and name not in ("Q", "A")]
            if asking:
                return Says(f"asked for by {', '.join(asking)}", tuple(asking))
            if not values["Q"]:
                return Says("no step asks for it", pins.inputs)
            last = max((name for name in pins.inputs if name in _STORING), key=pins.since)
            return Says(f"stored: {pins.edge(last, 'rose')}", ("R",) if "R" in pins.inputs else (), (last,))
    return Says(", ".join(map(pins.text, pins.inputs)), pins.inputs)


def _timer(block: str, asked: str, pins: Pins) -> Says:
    """A timer, with when it is due, if it runs."""
    elapsed, preset = int(pins.values["ET"]), int(pins.values["PT"])
    is_running = 0 < elapsed < preset
    due = f", due at {shown_duration(pins.now + preset - elapsed)}" if is_running else ""
    is_pulse = block == "TP" and elapsed > 0
    begun = pins.edge("IN", "rose") if is_pulse else pins.kept("IN")
    says = f"{begun}, ET is {shown_duration(elapsed)} of PT {shown_duration(preset)}{due}"
    needed = ("PT",) if is_running or asked == "ET" else ()
    if is_pulse and pins.values["Q"] and asked == "Q":
        return Says(says, needed, ("IN",))
    return Says(says, ("IN", *needed))
