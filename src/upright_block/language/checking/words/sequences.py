"""What is said of steps, transitions and actions."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from upright_block.language import typed
from upright_block.language.limits import MOST_LEAVING
from upright_block.language.names import counted, listed
from upright_block.language.telling.findings import Words


def initial_steps(unit: typed.Unit, count: int) -> Words:
    has = counted(count, "initial step") if count else "no initial step"
    return Words("initial-step", f"{unit.name} has {has}.", "Write exactly one as INITIAL_STEP.")


def unknown_step(name: str, steps: Iterable[str]) -> Words:
    return Words("unknown-name", f"There is no step {name}.", f"The steps are {listed(steps)}.")


def unknown_action(name: str) -> Words:
    return Words(
        "unknown-name", f"There is no action {name}, and no BOOL of that name.", f"Write ACTION {name}: ... END_ACTION."
    )


def action_never_runs(name: str) -> Words:
    return Words("never-runs", f"No step runs the action {name}.", f"Write {name}(N); in a step.")


def step_never_reached(name: str) -> Words:
    return Words(
        "never-reached",
        f"No transition ever leads to the step {name}.",
        f"Write TRANSITION FROM ... TO {name} := ...; or remove the step.",
    )


def condition_always_false() -> Words:
    return Words("never-clears", "This transition never clears: its condition is always FALSE.", "Write its condition.")


def never_active_together(steps: Sequence[str]) -> Words:
    return Words(
        "never-clears",
        f"This transition never clears: {' and '.join(steps)} are never active together.",
        "Let one transition lead to all of them.",
    )


def hidden_transition() -> Words:
    return Words(
        "never-clears", "This transition never clears.", "Give it the lower PRIORITY, or the other one a condition."
    )


def too_many_leave(count: int, step: str) -> Words:
    return Words(
        "out-of-range",
        f"{count:,} transitions leave the step {step}; {MOST_LEAVING} are the most.",
        "Choose in several steps.",
    )


def delay_never_over(action: str, step: str) -> Words:
    return Words(
        "never-runs",
        f"{action} never runs: {step} is left in the next scan, before the delay is over.",
        f"Wait in the condition of the transition, as in {step}.T >= T#5s.",
    )
