"""What is said of rungs."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language.names import listed
from upright_block.language.telling.findings import Words

_NAME = "bad-rung"
_KINDS = {"contact": "contact", "compare": "contact", "coil": "coil", "box": "box"}


def half_a_rail() -> Words:
    return Words(_NAME, "The right rail is missing in this row.", "Draw it in all rows of the rung, or in none.")


def rail_out_of_line(column: int) -> Words:
    return Words(
        _NAME, "The right rail is not in line here.", f"Put it into column {column} of the rung, as elsewhere."
    )


def out_of_line() -> Words:
    return Words(_NAME, "This row begins in another column than the one above it.", "Begin all rows of a rung alike.")


def lower_sign(sign: str) -> Words:
    return Words(_NAME, f"{sign} is no sign of an element.", f"Write {sign.upper()}.")


def no_left_rail() -> Words:
    return Words(_NAME, "The left rail is missing in this row.", "Begin each row with | or +, below each other.")


def no_operand(kind: str) -> Words:
    what = _KINDS[kind]
    return Words(_NAME, f"No name stands above this {what}.", f"Write its variable above it, over the {what}.")


def no_lower_operand(sign: str) -> Words:
    return Words(_NAME, f"Nothing stands below this contact to compare with {sign}.", "Write the other value below it.")


def several_operands(names: Sequence[str]) -> Words:
    return Words(_NAME, f"Several names stand above it: {listed(names)}.", "Move all but one away from it.")


def shared_operand(name: str) -> Words:
    return Words(_NAME, f"{name} stands above two elements.", "Move it over the one that is meant.")


def word_of_nothing(word: str) -> Words:
    return Words(_NAME, f"{word} belongs to nothing: it covers no contact, coil or box.", "Move it over its element.")


def link_to_nothing() -> Words:
    return Words(_NAME, "This link ends at nothing.", "Lead it on to a contact, a coil, a box or a joint.")


def link_from_nothing() -> Words:
    return Words(_NAME, "This link begins at nothing.", "Lead it on to the rail, or to what it comes from.")


def no_link(kind: str) -> Words:
    return Words(_NAME, f"No link reaches this {_KINDS.get(kind, kind)} from the left.", "Draw one to it: ---.")


def joint_alone() -> Words:
    return Words(_NAME, "This + joins nothing: no vertical link meets it.", "Write -, or draw the vertical link.")


def joint_without(side: str) -> Words:
    way = "feeds it from the left" if side == "left" else "goes on from it to the right"
    return Words(_NAME, f"Nothing {way}.", "Draw the link, or remove the joint.")


def open_vertical() -> Words:
    return Words(_NAME, "This vertical link ends at nothing.", "End it at a + at both ends.")


def unknown(char: str) -> Words:
    shown = char if char.isprintable() and char != "\xa0" else f"U+{ord(char):04X}"
    return Words(_NAME, f"{shown} has no meaning in a rung.", "A rung has | + - and the signs of its elements.")


def foreign(char: str, meant: str) -> Words:
    shown = char if char.isprintable() and char != "\xa0" else f"U+{ord(char):04X}"
    instead = "a blank" if meant == " " else meant
    way_out = f"Write {instead} in its place." if meant != char else "Write names in letters, digits and _."
    return Words(_NAME, f"{shown} is not of the characters of a ladder.", way_out)


def conducting() -> Words:
    return Words(_NAME, "This is a rung as a scan evaluated it: = is a link that conducts.", "Write - in place of =.")


def no_expression(text: str) -> Words:
    return Words(_NAME, f"{text} is no variable and no literal.", "A ladder has no expressions: compute it in a box.")


def no_label(name: str, near: str) -> Words:
    return Words(_NAME, f"There is no label {name}.", near or f"Write {name}: in a line of its own before a rung.")


def label_twice(name: str) -> Words:
    return Words(_NAME, f"The label {name} stands twice.", "Give one of the two another name.")


def edge_in(kind: str) -> Words:
    return Words(
        _NAME,
        f"An edge needs to know what was last, and a {kind} keeps nothing.",
        "Give it the edge from its caller, or from an R_TRIG of the block.",
    )


def unused_label(name: str) -> Words:
    return Words("unused-label", f"Nothing jumps to {name}.", f"Remove it, or jump to it: -->>{name}.")


def jump_back(name: str) -> Words:
    return Words(_NAME, f"The jump leads back to {name}.", "Write a loop as statements in a block of its own.")


def instance_twice(name: str) -> Words:
    return Words(_NAME, f"{name} is called twice in one rung.", "Call it once, or in another rung.")


def inside_box(text: str) -> Words:
    return Words(
        _NAME, f"{text} stands in a box at none of its walls.", "Write the name of a pin at its wall, or remove it."
    )


def label_of_function(name: str, function: str) -> Words:
    return Words(_NAME, f"Nothing is linked to {name} of {function}.", "Link it, or leave its name out.")


def pins_of_statements() -> Words:
    return Words(
        _NAME, "A box ST takes one link and hands it on.", "Name variables in its statements, not at its walls."
    )


def behind_jump(kind: str) -> Words:
    what = "jump" if kind == "jump" else "return"
    return Words(
        _NAME, f"This would act behind the {what} of its rung.", f"Put it before, or into a rung behind the {what}."
    )


def unread() -> Words:
    return Words(_NAME, "What this contact says goes nowhere.", "Lead its link to a coil, a box or a jump.")


def long_condition(most: int) -> Words:
    return Words(
        _NAME,
        f"This condition takes more than {most:,} contacts, each counted once for each way to it.",
        "Compute a part of it in an action, and give that a contact.",
    )


def no_condition() -> Words:
    return Words(
        _NAME,
        "The rung of a transition has contacts alone, and at most one coil of its name.",
        "Compute what else it needs in an action, and give it a contact.",
    )


def mixed() -> Words:
    return Words(
        "mixed-body",
        "A rung stands between statements.",
        "Write the body as rungs or as statements. Where | is meant as OR, write OR.",
    )


def mixed_ladder(shown: str) -> Words:
    return Words(
        "mixed-body",
        f"{shown} stands between rungs.",
        "Write the body as rungs or as statements; the other form goes into a block of its own.",
    )
