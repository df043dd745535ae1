"""What is said of states, and of the steps of sequences."""

from __future__ import annotations

from upright_block.language.telling.findings import Words


def unhandled(name: str, state: str) -> Words:
    return Words(
        "state-without-branch",
        f"{name} becomes {state} here, and its CASE has no branch for that and no ELSE: it stays there for ever.",
        f"Add a branch {state}: ..., or an ELSE.",
    )


def unentered(name: str, state: str) -> Words:
    return Words(
        "state-never-entered",
        f"Nothing ever makes {name} {state}, so this branch never runs.",
        f"Write {name} := {state}; where it should begin, or remove the branch.",
    )


def unleft(name: str, state: str) -> Words:
    return Words(
        "state-never-left",
        f"Nothing leads out of {state}: once {name} is there, it stays.",
        f"Write the condition under which {name} goes on, or allow it where that is the end.",
    )


def skipped(name: str, state: str, line: int) -> Words:
    return Words(
        "state-passed-over",
        f"{name} becomes {state} here and something else in line {line}, in the same scan: {state} never acts.",
        "Leave it in the next scan: in its own branch of one CASE.",
    )


def no_else(name: str) -> Words:
    return Words(
        "no-else",
        f"This CASE has no ELSE: with a value of {name} that no branch names, nothing would ever happen again.",
        "Write an ELSE that goes back to a safe state.",
    )


def step_at_once(step: str, action: str) -> Words:
    return Words(
        "step-left-at-once",
        f"{step} is left in the next scan, since its transition is always TRUE: {action} runs for one scan only.",
        "Give the transition a condition, or the action the qualifier P1 or S.",
    )


def step_without_action(step: str) -> Words:
    return Words(
        "step-without-action",
        f"{step} does nothing and waits for nothing: it has no action, and its transition is always TRUE.",
        "Give it its action or its condition, or remove it.",
    )


def actions_fight(action: str, step: str, qualifiers: tuple[str, str]) -> Words:
    return Words(
        "actions-fight",
        f"In {step} the action {action} has {qualifiers[0]} and {qualifiers[1]}: one works against the other.",
        "Keep one of them.",
    )


def associated_twice(action: str, step: str) -> Words:
    return Words("no-effect", f"{action} stands in {step} twice, which changes nothing.", "Name what else was meant.")


def never_reset(action: str, step: str) -> Words:
    return Words(
        "actions-fight",
        f"{step} stores {action} with S, and no step resets it with R: it stays on for ever.",
        f"Write {action}(R); in the step where it should end, or use N.",
    )


def written_together(name: str, first: str, second: str) -> Words:
    return Words(
        "actions-fight",
        f"{first} and {second} can be active together, and both drive {name}.",
        "Let one of them drive it.",
    )
