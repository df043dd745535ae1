"""The block VentDrive of the example library, by hand in Python: inputs are kept, as blocks keep them."""

from __future__ import annotations

RESTS, OPENS, SHUTS, PAUSES, FAILED = 0, 1, 2, 3, 9


class Ton:
    """On-delay."""

    __slots__ = ("et", "on", "pt", "q", "running", "started")

    def __init__(self) -> None:
        self.on = self.q = self.running = False
        self.pt = self.et = self.started = 0

    def __call__(self, on: bool, pt: int, now: int) -> None:
        self.on = on
        self.pt = pt
        if not on:
            self.q = self.running = False
            self.et = 0
            return
        if not self.running:
            self.running = True
            self.started = now
        self.et = now - self.started
        if self.q or self.et >= pt:
            self.q = True
            self.et = pt


class VentDrive:
    """Moves one roof vent."""

    __slots__ = (
        "at_open",
        "at_shut",
        "close",
        "closing",
        "open",
        "opening",
        "reset",
        "resting",
        "running",
        "state",
        "stuck",
        "travel",
    )

    def __init__(self) -> None:
        self.open = self.close = self.at_open = self.at_shut = self.reset = False
        self.opening = self.closing = self.stuck = False
        self.state = 0
        self.travel = 40_000_000_000
        self.running = Ton()
        self.resting = Ton()

    def __call__(self, open: bool, close: bool, at_open: bool, at_shut: bool, reset: bool, now: int) -> None:
        self.open, self.close, self.at_open, self.at_shut, self.reset = open, close, at_open, at_shut, reset
        state = self.state
        if state == RESTS:
            if open and not close and not at_open:
                state = OPENS
            elif close and not open and not at_shut:
                state = SHUTS
        elif state == OPENS:
            if at_open or close or not open:
                state = PAUSES
            elif self.running.q:
                state = FAILED
        elif state == SHUTS:
            if at_shut or open or not close:
                state = PAUSES
            elif self.running.q:
                state = FAILED
        elif state == PAUSES:
            if self.resting.q:
                state = RESTS
        elif state == FAILED:
            if reset and not open and not close:
                state = RESTS
        else:
            state = RESTS
        self.state = state
        self.opening = state == OPENS
        self.closing = state == SHUTS
        self.stuck = state == FAILED
        self.running(self.opening or self.closing, self.travel, now)
        self.resting(state == PAUSES, 1_000_000_000, now)


def run(scans: int) -> int:
    """Run 500 instances for so many scans of 100 ms and return a sum over their states."""
    vents = [VentDrive() for _ in range(500)]
    count = 0
    for k in range(scans):
        now = k * 100_000_000
        count = (count + 1) % 600
        up = count < 300
        top = 150 < count < 310
        bottom = count > 480
        for vent in vents:
            vent(up, not up, top, bottom, False, now)
    return sum(v.state * (i + 1) + v.running.et % 1_000_003 for i, v in enumerate(vents))
