"""What is said of timers, counters, edge detectors and latches."""

from __future__ import annotations

from upright_block.language import typed
from upright_block.language.telling.findings import Words


def no_preset(name: str, block: typed.Unit, pin: str, is_given: bool) -> Words:
    what = f"The preset {pin} of {name} is {'zero' if is_given else 'never given, so it is zero'}"
    then = "its output has no delay" if pin == "PT" else "its output is on from the first scan"
    if block.key == "TP":
        then = "its pulse has no length"
    value = "T#5s" if pin == "PT" else "10"
    return Words("no-preset", f"{what}: {then}.", f"Write {pin} := {value}, or another value above zero.")


def timer_held(name: str, block: typed.Unit) -> Words:
    what = {"TOF": "its time never begins", "TP": "it gives one pulse after power-up and no other"}
    then = what.get(block.key, "its time runs once after power-up and never again")
    return Words(
        "timer-held", f"The input of {name} is always TRUE: {then}.", "Give it a condition that goes FALSE too."
    )


def timer_latched(name: str, variable: str) -> Words:
    return Words(
        "timer-held",
        f"The input of {name} never falls once {variable} is TRUE, since nothing resets that.",
        f"Reset {variable} where the time should end.",
    )


def counter_held(name: str, pin: str) -> Words:
    return Words(
        "timer-held",
        f"{pin} of {name} is always TRUE: it rises once and never again.",
        "Give it what is to be counted.",
    )


def restarts(name: str) -> Words:
    """Of a timer that is called with FALSE and with something else in one scan."""
    return Words(
        "timer-restarts",
        f"{name} is reset and started in every scan, so its time never runs out.",
        "Call it once in a scan.",
    )


def starved(name: str, edge: str) -> Words:
    return Words(
        "timer-restarts",
        f"The input of {name} is {edge}, which is TRUE for one scan only: its time begins and is reset.",
        "Use a TP, or keep the wish in a variable until the time is over.",
    )


def alternates(name: str, variable: str) -> Words:
    return Words(
        "timer-restarts",
        f"{variable} changes in every scan, and with it the input of {name}: its time never runs out.",
        "Give it a condition that stays.",
    )


def result_unused(name: str, block: typed.Unit) -> Words:
    outputs = {"R_TRIG": "Q", "F_TRIG": "Q", "CTU": "Q or CV", "CTD": "Q or CV", "CTUD": "QU, QD or CV"}
    return Words(
        "result-unused",
        f"Nothing reads {outputs.get(block.key, 'Q or ET')} of {name}, so this {block.name} decides nothing.",
        f"Use {name}.{outputs.get(block.key, 'Q').split()[0].strip(',')}, or remove it.",
    )


def edge_of_itself(name: str) -> Words:
    return Words(
        "edge-feeds-itself",
        f"The input of {name} is made of its own output, which is TRUE for one scan only.",
        "Give it the signal alone.",
    )


def latch_same(name: str, dominant: str) -> Words:
    return Words(
        "latch-one-way",
        f"Set and reset of {name} are the same condition: {dominant} always wins.",
        "Give one of them its own condition.",
    )


def never_resets(name: str) -> Words:
    return Words(
        "latch-one-way",
        f"{name} can come on here, and nothing in this unit switches it off again.",
        f"Add what resets it: ... AND NOT stop, or {name} := FALSE.",
    )


def reset_loses(name: str) -> Words:
    return Words(
        "latch-one-way",
        f"The reset of {name} can never win: wherever it holds, the set holds too and is stronger.",
        "Use RS, where the reset is stronger, or take the one condition out of the other.",
    )


def set_loses(name: str) -> Words:
    return Words(
        "latch-one-way",
        f"{name} can never come on: wherever its set holds, its reset holds too and is stronger.",
        "Use SR, where the set is stronger, or take the one condition out of the other.",
    )


def never_sets(name: str) -> Words:
    return Words(
        "latch-one-way",
        f"{name} holds itself, and nothing can switch it on.",
        "Correct the condition that should set it.",
    )


def stop_alone(stop: str, emergency: str, names: str) -> Words:
    return Words(
        "emergency-gap",
        f"{stop} switches {names} off, and {emergency} does not.",
        f"Add {emergency} to the same condition: {stop} OR {emergency}.",
    )
