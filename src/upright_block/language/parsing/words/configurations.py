"""What is said of the text of a configuration."""

from __future__ import annotations

from upright_block.language.telling.findings import Words


def no_name() -> Words:
    return Words("missing-name", "CONFIGURATION has no name.", "Write CONFIGURATION name.")


def no_place(shown: str) -> Words:
    return Words(
        "unexpected", f"{shown} has no place in a configuration.", "It holds RESOURCE, VAR_GLOBAL, TASK and PROGRAM."
    )


def key_of_task_twice(name: str) -> Words:
    return Words("name-twice", f"{name} is given twice.", "Remove one of the two.")


def unknown_key_of_task(name: str) -> Words:
    return Words("unknown-name", f"A task has no {name}.", "It has INTERVAL, SINGLE and PRIORITY.")
