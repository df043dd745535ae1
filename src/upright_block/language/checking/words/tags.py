"""What is said of tags and their points."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language.field.points import WIDE_ENOUGH
from upright_block.language.field.tags import Tag
from upright_block.language.limits import MOST_POINT_BYTES
from upright_block.language.telling.findings import Words
from upright_block.language.types import Array, Elementary, Type


def no_name() -> Words:
    return Words("missing-name", "The row has no tag.", "Write a name in the column tag.")


def bad_name(text: str) -> Words:
    return Words(
        "bad-name",
        f"{text} is no name.",
        "A name is made of letters A to Z, digits and underscores, begins with no digit and is no keyword.",
    )


def still_open(name: str, address: str) -> Words:
    return Words(
        "missing-point", f"{name} is AT {address}, and its row names no point.", "Write one in the column point."
    )


def never_placed(name: str, address: str) -> Words:
    return Words(
        "missing-point",
        f"{name} is AT {address}, and no tag table gives it a point.",
        f"Write a row with the tag {name} and a point, or the address here.",
    )


def other_area(name: str, address: str) -> Words:
    return Words(
        "type-mismatch", f"{name} is AT {address}; this point is in another area.", "Choose a point of that area."
    )


def other_type(name: str, type_: Type) -> Words:
    return Words(
        "type-mismatch", f"{name} is {type_} where it is declared.", f"Write {type_}, or leave the cell empty."
    )


def point_left_open(text: str) -> Words:
    return Words("bad-address", f"{text} leaves its place open.", "Name a point, as in %IX0.3.")


def point_too_far(text: str) -> Words:
    return Words(
        "out-of-range",
        f"{text} lies beyond the last point.",
        f"An area of points has at most {MOST_POINT_BYTES:,} bytes.",
    )


def bad_sense(text: str) -> Words:
    return Words("bad-value", f"{text} is no sense of a contact.", "Write NO, NC, or nothing.")


def bad_retain(text: str) -> Words:
    return Words("bad-value", f"{text} does not say whether the value is kept.", "Write yes, no, or nothing.")


def range_without_point(name: str) -> Words:
    return Words(
        "range-without-point",
        f"{name} has a raw range and no point.",
        "Write its point, or empty the cells of the range.",
    )


def half_a_range(missing: str) -> Words:
    return Words(
        "half-a-range", f"The range has no {missing}.", "Give raw_low, raw_high, low and high, or none of them."
    )


def range_of_nothing(name: str, low: str, high: str, end: float) -> Words:
    return Words("empty-range", f"{low} and {high} of {name} are both {end:g}.", "Write two different ends.")


def range_beyond_point(name: str, address: str, low: int, high: int, width: int) -> Words:
    if width == 1:
        way_out = "Empty the cells of the range, or write a point of a word, such as %IW0."
        return Words("range-without-number", f"{name} is at {address}, a bit, which has no range.", way_out)
    message = f"The raw range of {name}, {low} to {high}, does not fit the {width} bits of {address}."
    return Words("out-of-range", message, "Write a range that the point can hold.")


def no_whole_number(text: str) -> Words:
    return Words("bad-value", f"{text} is no whole number.", "Raw values are whole numbers such as 27648.")


def no_number(text: str) -> Words:
    whole, comma, decimals = text.partition(",")
    is_comma = comma and decimals.isascii() and decimals.isdigit() and whole.removeprefix("-").isdigit()
    way_out = f"Write a point: {whole}.{decimals}." if is_comma else "Write one such as -20 or 60.5."
    return Words("bad-value", f"{text} is no number.", way_out)


def no_type(name: str) -> Words:
    return Words("missing-type", f"{name} has neither a point nor a type.", "Write a type such as BOOL or REAL.")


def initial_of_array(name: str, address: str) -> Words:
    return Words(
        "type-mismatch",
        f"{name} is an array at {address}, and has no initial value.",
        "Empty the cell, or the point: an array without one has initial values.",
    )


def structure_at_point(name: str, type_: Type, address: str) -> Words:
    return Words(
        "type-mismatch",
        f"{name} cannot be {type_} at {address}: a structure has no place there.",
        f"Leave its point empty, and give the points tags of their own, which are copied into {name}.",
    )


def no_tag_type(name: str, type_: Type) -> Words:
    return Words(
        "type-mismatch",
        f"{name} cannot be {type_}: a tag is one value, an array, or a structure.",
        "Declare it in VAR_GLOBAL, or give each part a tag.",
    )


def sense_without_bool(name: str, type_: Type) -> Words:
    return Words(
        "sense-without-bool", f"{name} is {type_}; only a BOOL has a sense.", "Empty the cell, or make it BOOL."
    )


def range_without_number(name: str, type_: Type) -> Words:
    return Words(
        "range-without-number",
        f"{name} is {type_}; only numbers have a range.",
        "Make it REAL, or empty the cells of the range.",
    )


def range_in_memory(name: str) -> Words:
    return Words(
        "range-without-number", f"{name} is in memory, which holds the value itself.", "Empty the cells of the range."
    )


def point_cannot_hold(tag: Tag, type_: Type) -> Words:
    assert tag.point is not None
    width = tag.point.width
    has = "one bit" if width == 1 else f"{width} bits"
    if width == 1:
        way_out = f"A bit is BOOL. For {type_} write a point of a word with its range (raw_low, raw_high, low, high)"
        if not (isinstance(type_, Elementary) and type_.family == "real"):
            way_out = "A bit is BOOL. Write BOOL"
        wide = WIDE_ENOUGH.get(type_.bits) if isinstance(type_, Elementary) else None
        way_out += f", or a point as wide as it: {wide}." if wide else "."
    elif isinstance(type_, Array):
        way_out = "An array begins at the point of its first element, and has whole bytes with the low one first."
    elif isinstance(type_, Elementary) and type_.family == "real" and width > 1:
        way_out = (
            f"Write its range (raw_low, raw_high, low, high), or a point as wide as it: {WIDE_ENOUGH[type_.bits]}."
        )
    elif isinstance(type_, Elementary):
        way_out = f"Write a point as wide as it: {WIDE_ENOUGH[1 if type_.family == 'bool' else type_.bits]}."
    else:
        way_out = "Only single values have points."
    return Words("point-cannot-hold", f"{type_} does not fit {tag.address}, which has {has}.", way_out)


def alias_with(column: str) -> Words:
    return Words(
        "alias-with-point",
        f"A tag that stands for another has no {column} of its own.",
        "Write it in the row of that tag.",
    )


def alias_of_nothing(text: str) -> Words:
    return Words(
        "bad-value",
        f"{text} names no tag, point, bit or pin.",
        "Write one such as bay1_air_temp, status.3 or main.Vent01.stuck.",
    )


def alias_circle(chain: Sequence[str]) -> Words:
    return Words("alias-circle", f"{' stands for '.join(chain)}.", "Let one of them stand for a tag with a point.")


def alias_to_nothing(name: str, other: str) -> Words:
    return Words(
        "unknown-name",
        f"{name} stands for {other}, and there is no tag and no program of that name.",
        "Write the name of a tag, or a path that begins with a program of the configuration.",
    )


def alias_of_other_type(name: str, type_: Type) -> Words:
    return Words("type-mismatch", f"{name} stands for a value of {type_}.", f"Write {type_}, or leave the cell empty.")


def alias_of_own_data(name: str, program: str) -> Words:
    return Words(
        "alias-of-own-data",
        f"{name} stands for data of {program}, and {program} reads it itself, where it would be as old as "
        "the last scan.",
        f"Write the path without {program} there.",
    )


def point_twice(tag: Tag, first: Tag) -> Words:
    return Words(
        "point-twice",
        f"{tag.name} and {first.name} are both at {tag.address}.",
        f"Give one of them another point; a second name for one tag is written stands_for {first.name}.",
    )


def output_twice(tag: Tag, first: Tag) -> Words:
    return Words(
        "point-twice",
        f"{tag.name} at {tag.address} and {first.name} at {first.address} are one output: it has what is given last.",
        f"Give one of them another point, or declare a global variable AT {first.address} and name it in both.",
    )


def points_overlap(tag: Tag, first: Tag) -> Words:
    way_out = "Give one of them another point. Single bits of a BYTE, WORD, DWORD or LWORD may have names of their own."
    if tag.point and first.point and tag.point.width == first.point.width and tag.point.start != first.point.start:
        way_out += (
            f' If {tag.address} is meant to begin behind {first.address}, write counts = "elements" below '
            "[points] in upright.toml."
        )
    return Words(
        "points-overlap", f"{tag.name} at {tag.address} shares bits with {first.name} at {first.address}.", way_out
    )
