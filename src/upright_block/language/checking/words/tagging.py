"""What is said of tags that are used wrongly, used by nobody, or look like a slip."""

from __future__ import annotations

from upright_block.language import typed
from upright_block.language.field.tags import Tag
from upright_block.language.names import counted
from upright_block.language.telling.findings import Words

_COLUMNS = {"type": "type", "sense": "sense", "raw_low": "raw range", "low": "range"}


def input_written(tag: Tag) -> Words:
    return Words(
        "input-written",
        f"{tag.name} is an input at {tag.address}; only the machine gives it a value.",
        "Write to an output, or to a variable of your own.",
    )


def output_not_written(tag: Tag) -> Words:
    return Words(
        "output-not-written",
        f"Nothing writes {tag.name}, so {tag.address} stays as it is at the start.",
        "Write it in a program, remove the row, or write spare below reaches.",
    )


def input_not_read(tag: Tag) -> Words:
    return Words(
        "input-not-read",
        f"Nothing reads {tag.name} at {tag.address}.",
        "Read it in a program, remove the row, or write spare below reaches.",
    )


def hidden_tag(variable: typed.Variable, unit: typed.Unit) -> Words:
    return Words(
        "hidden-tag",
        f"{variable.name} is a variable of {unit.name} and hides the tag of that name.",
        "Give the variable another name, or remove it to use the tag.",
    )


def near_twins(tag: Tag, other: Tag) -> Words:
    return Words(
        "near-twins", f"{tag.name} is nearly {other.name}.", "Give one of them a name that nobody reads as the other."
    )


def odd_one_out(tag: Tag, column: str, own: str, usual: str, siblings: int) -> Words:
    return Words(
        "odd-one-out",
        f"The {_COLUMNS[column]} of {tag.name} is {own}; that of its {counted(siblings, 'sibling')} is {usual}.",
        "Write the same, or allow it with the reason.",
    )
