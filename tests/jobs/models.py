"""What the jobs must do, each computed in plain Python from what is asked for, and not from how its block does it.

A job gives the inputs of each scan, and what the outputs must be after it. Times are in scans.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

Row = dict[str, Any]


@dataclass(frozen=True)
class Job:
    """``subject`` is the first line of its case file, ``scan`` in ms; ``inputs`` makes those of each scan by chance.

    ``outputs`` are what the inputs of all scans must lead to. ``timing`` are times between two outputs or inputs, which
    are measured by hand: from an event to the next of another kind.
    """

    subject: str
    scan: int
    inputs: Callable[[random.Random], list[Row]]
    outputs: Callable[[Sequence[Row]], list[Row]]
    timing: tuple[tuple[str, str], ...] = ()
    head: str = ""


def held(rng: random.Random, scans: int, longest: int, **shares: float) -> list[Row]:
    """Inputs that each keep a value for some scans; a share says how often one is TRUE."""
    columns: dict[str, list[bool]] = {}
    for name, share in shares.items():
        values: list[bool] = []
        while len(values) < scans:
            values += [rng.random() < share] * rng.randint(1, longest)
        columns[name] = values[:scans]
    return [{name: values[scan] for name, values in columns.items()} for scan in range(scans)]


def since(rows: Sequence[bool]) -> Iterator[int | None]:
    """For each scan how many scans ago a value became TRUE; None while it is FALSE."""
    count: int | None = None
    for value in rows:
        count = None if not value else 0 if count is None else count + 1
        yield count


def rose(values: Sequence[bool]) -> list[bool]:
    return [value and not (scan and values[scan - 1]) for scan, value in enumerate(values)]


# --- run latch with normally closed stop and emergency, second section 15 s later ---


def fans(rows: Sequence[Row]) -> list[Row]:
    runs, latched = [], False
    for row in rows:
        latched = (latched or row["start_button"]) and not row["stop_button"] and not row["emergency"]
        runs.append(latched)
    return [{"first_fan": on, "second_fan": on and (age or 0) >= 30} for on, age in zip(runs, since(runs), strict=True)]


def fan_inputs(rng: random.Random) -> list[Row]:
    return held(rng, 500, 40, start_button=0.5, stop_button=0.1, emergency=0.05)


# --- a pulse of 20 minutes from one touch ---


def mist(rows: Sequence[Row]) -> list[Row]:
    found: list[Row] = []
    begun: int | None = None
    for scan, touched in enumerate(rose([row["touch"] for row in rows])):
        if begun is not None and scan - begun >= 240:
            # the standard's pulse is over, and waits for the input to be taken back
            begun = None
        if begun is None and touched:
            begun = scan
        left = 0 if begun is None else 240 - (scan - begun)
        found.append({"valve": begun is not None, "left": f"{left * 5}s"})
    return found


def mist_inputs(rng: random.Random) -> list[Row]:
    return held(rng, 900, 60, touch=0.2)


# --- five blinks and on, five blinks and off ---


def lamp(rows: Sequence[Row]) -> list[Row]:
    found: list[Row] = []
    for row, age in zip(rows, since([row["call"] for row in rows]), strict=True):
        if age is None:
            found.append({"lamp": False, "blinks": 0})
            continue
        half, blinks = age // 5, min(age // 10 + 1, 5)  # half a second is five scans
        lit = half % 2 == 0 if half < 9 else row["stays"]
        found.append({"lamp": lit, "blinks": blinks})
    return found


def lamp_inputs(rng: random.Random) -> list[Row]:
    rows: list[Row] = []
    while len(rows) < 600:
        stays = rng.random() < 0.5
        rows += [{"call": False, "stays": stays}] * rng.randint(1, 20) + [{"call": True, "stays": stays}] * rng.choice(
            [20, 47, 90]
        )
    return rows[:600]


# --- motors with fans that run on, a delay each, and the time that is left ---


def run_on(rows: Sequence[Row]) -> list[Row]:
    found: list[Row] = [{} for _ in rows]
    for number, (pin, overrun) in enumerate((("one", 20), ("two", 50), ("three", 75)), 1):
        off: int | None = None
        for scan, row in enumerate(rows):
            off = None if row[pin] else (0 if scan and rows[scan - 1][pin] else None if off is None else off + 1)
            on = row[pin] or (off is not None and off < overrun)
            found[scan] |= {
                f"fans[{number}]": on,
                f"left[{number}]": f"{(overrun - (off or 0)) * 100 if on and not row[pin] else 0}ms",
            }
    return found


def run_on_inputs(rng: random.Random) -> list[Row]:
    return held(rng, 600, 60, one=0.4, two=0.3, three=0.3)


# --- valves by pulse with a selectable preset, interlocked; an emergency resets ---


def dosing(rows: Sequence[Row]) -> list[Row]:
    found: list[Row] = []
    edges = [rose([row[pin] for row in rows]) for pin in ("touch1", "touch2")]
    open_: int | None = None
    ends = 0
    for scan, row in enumerate(rows):
        one, two = edges[0][scan], edges[1][scan]
        if row["emergency"] or (open_ is not None and scan >= ends):
            open_ = None
        elif open_ is None and one != two:
            open_, ends = (1 if one else 2), scan + (60 if row["long"] else 20)
        found.append({"valve1": open_ == 1, "valve2": open_ == 2})
    return found


def dosing_inputs(rng: random.Random) -> list[Row]:
    return held(rng, 800, 25, touch1=0.3, touch2=0.3, long=0.5, emergency=0.05)


# --- a delay that depends on the hour of the day ---


def night(rows: Sequence[Row]) -> list[Row]:
    found: list[Row] = []
    delay = 0
    for scan, age in enumerate(since([row["warm"] for row in rows])):
        hour = (5 * 3600 + 50 * 60 + scan * 10) // 3600 % 24  # from ten to six, ten seconds a scan
        if age == 0:
            delay = 1 if 6 <= hour < 22 else 5  # minutes
        found.append({"open": age is not None and age >= delay * 6, "hour": hour})
    return found


def night_inputs(rng: random.Random) -> list[Row]:
    return held(rng, 7000, 60, warm=0.6)


# --- counts by category, with a reset ---


def sorting(rows: Sequence[Row]) -> list[Row]:
    found: list[Row] = []
    counts, passed = {1: 0, 2: 0, 3: 0, 0: 0}, rose([row["seen"] for row in rows])
    for row, new in zip(rows, passed, strict=True):
        if row["reset"]:
            counts = dict.fromkeys(counts, 0)
        elif new:
            counts[row["category"] if row["category"] in (1, 2, 3) else 0] += 1
        found.append(
            {f"counts[{n}]": counts[n] for n in (1, 2, 3)} | {"unknown": counts[0], "total": sum(counts.values())}
        )
    return found


def sorting_inputs(rng: random.Random) -> list[Row]:
    rows = held(rng, 600, 6, seen=0.5, reset=0.04)
    return [row | {"category": rng.randint(-1, 5)} for row in rows]


# --- request and done with a device, which may not answer ---


def weighing(rows: Sequence[Row]) -> list[Row]:
    """The scale sees a request one scan late and answers 7 scans after it has; 20 scans is the patience."""
    found: list[Row] = []
    request, valid, failed, asked, weight = False, False, False, False, 0
    requested: list[bool] = []
    load, seen, done, number, waited = 0, 0, False, 0, 0
    for row in rows:
        # the scale
        asks = bool(requested and requested[-1])
        load = row["load"] if asks and not (len(requested) > 1 and requested[-2]) else load
        seen = seen + 1 if asks and not row["silent"] else 0
        if seen == 8 and not done:
            number = load
        done = seen >= 8
        # the block
        if not row["command"]:
            request = valid = failed = asked = False
        elif not asked and not done:
            request = asked = True
        elif request and done:
            weight, valid, request = number, True, False
        waited = waited + 1 if request else 0
        if waited == 21:
            failed, request = True, False
        requested.append(request)
        found.append({"unit.request": request, "unit.valid": valid, "unit.failed": failed, "unit.weight": weight})
    return found


def weighing_inputs(rng: random.Random) -> list[Row]:
    rows: list[Row] = []
    while len(rows) < 600:
        command = [{"command": True, "silent": rng.random() < 0.3}] * rng.choice([3, 12, 30])
        rows += [
            row | {"load": rng.randint(0, 9999)}
            for row in ([{"command": False, "silent": False}] * rng.randint(1, 12) + command)
        ]
    return rows[:600]


# --- forward, reverse and changes of the set point of a drive ---


def gear(rows: Sequence[Row]) -> list[Row]:
    """Speeds are in 0.01 Hz: up by 10 Hz in a second, down by 5; a scan takes 100 ms, and the drive sees a command
    one scan late.
    """
    found: list[Row] = []
    speed = wanted = 0
    commands: list[tuple[bool, bool, int]] = [(False, False, 0)]
    started = was_run = False
    for scan, row in enumerate(rows):
        if scan:
            if wanted * speed < 0:
                speed = min(speed + 50, 0) if speed < 0 else max(speed - 50, 0)
            else:
                step = 50 if abs(wanted) < abs(speed) else 100
                speed = min(wanted, speed + step) if wanted > speed else max(wanted, speed - step)
        run, back, point = commands[-1]
        started = (started or (run and not was_run)) and run
        was_run = run
        wanted = 0 if not started else -point if back else point
        commands.append((row["forth"] != row["back"], row["back"], 3000 if row["fast"] else 1000))
        is_there = started and speed == wanted
        status = 1 | (started or speed != 0) << 1 | is_there << 10
        found.append({"drive.actual": speed, "drive.status": f"16#{status:04X}"})
    return found


def gear_inputs(rng: random.Random) -> list[Row]:
    return held(rng, 900, 60, forth=0.6, back=0.3, fast=0.5)


# --- a program of steps, of which the last one must act ---


def watering(rows: Sequence[Row]) -> list[Row]:
    found: list[Row] = []
    step, entered, rounds = "waits", 0, 0
    lengths = {"first": 30, "second": 20, "rings": 10}
    after = {"first": "second", "second": "rings", "rings": "waits"}
    for scan, row in enumerate(rows):
        begun = step
        if scan == 0:
            pass  # the first step is active in the first scan, whatever its transition says
        elif step == "waits":
            step = "first" if row["start"] and not row["stop"] else step
        elif row["stop"] and step != "rings":
            step = "waits"
        elif scan - entered >= lengths[step]:
            step = after[step]
        if step != begun:
            entered = scan
            rounds += step == "rings"
        acting = {"bed1": step == "first", "bed2": step == "second", "bell": step == "rings"}
        found.append(acting | {"rounds": rounds})
    return found


def watering_inputs(rng: random.Random) -> list[Row]:
    return held(rng, 700, 40, start=0.4, stop=0.06)


JOBS = {
    "two_fans": Job('program = "Fans"', 500, fan_inputs, fans, (("first_fan rises", "second_fan rises"),)),
    "mist_pulse": Job('block = "MistPulse"', 5000, mist_inputs, mist, (("valve rises", "valve falls"),)),
    "call_lamp": Job('block = "CallLamp"', 100, lamp_inputs, lamp, (("lamp rises", "lamp falls"),)),
    "run_on": Job('block = "Motors"', 100, run_on_inputs, run_on, (("one falls", "fans[1] falls"),)),
    "dosing": Job('block = "Dosing"', 100, dosing_inputs, dosing, (("valve1 rises", "valve1 falls"),)),
    "night_vent": Job(
        'block = "NightVent"',
        10_000,
        night_inputs,
        night,
        (("warm rises", "open rises"),),
        'clock = "2026-11-02-05:50:00"\n',
    ),
    "sorting": Job('block = "Sorting"', 100, sorting_inputs, sorting, (("seen rises", "seen falls"),)),
    "weighing": Job(
        'program = "Weighing"', 100, weighing_inputs, weighing, (("unit.request rises", "unit.request falls"),)
    ),
    "screen_gear": Job('program = "Screen"', 100, gear_inputs, gear, (("forth rises", "drive.actual > 900 rises"),)),
    "watering": Job('block = "Watering"', 100, watering_inputs, watering, (("bed1 rises", "bell rises"),)),
}
