"""What is said of instances that are wired otherwise than their siblings."""

from __future__ import annotations

from upright_block.language.telling.findings import Words


def output_unread(instance: str, pin: str, count: int) -> Words:
    return Words(
        "odd-one-out",
        f"Nothing reads {instance}.{pin}, and that of its {count} siblings is read.",
        f"Wire it where those of its siblings are wired, or allow it where {instance} is special.",
    )


def input_left_open(instance: str, pin: str, given: int, count: int) -> Words:
    return Words(
        "input-left-open",
        f"{pin} of {instance} is not given, and has no initial value of its own; {given} of {count} other "
        "instances have it.",
        f"Give it: {pin} := ...; or write its initial value where the block declares it.",
    )


def input_never_given(block: str, pin: str, count: int) -> Words:
    uses = f"None of the {count} uses" if count > 1 else "The only use"
    gives = "gives" if count > 1 else "does not give"
    return Words(
        "input-left-open",
        f"{uses} of {block} {gives} {pin}, and it has no initial value of its own.",
        f"Give it where {block} is used, or write its initial value here where it is seldom given.",
    )


def preset_left_open(instance: str, pin: str) -> Words:
    return Words(
        "no-preset",
        f"{pin} of {instance} is the preset of a timer, has no initial value, and is not given: its delay is zero.",
        f"Give it: {pin} := T#5s, or another time; or write its initial value where the block declares it.",
    )


def called_by_two(name: str, first: str, second: str) -> Words:
    return Words(
        "called-twice",
        f"{first} and {second} both call {name}, which is one instance: its data are of both.",
        "Give each of them an instance of its own.",
    )
