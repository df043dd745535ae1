"""What is said of values and what they become."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.errors import Said
from upright_block.language import typed
from upright_block.language.checking.conversions import conversion_advice
from upright_block.language.literals import LiteralProblem, shown_real, shown_text
from upright_block.language.names import listed
from upright_block.language.telling.findings import Words
from upright_block.language.types import BOOL, LREAL, Elementary, Enumeration, String, Subrange, Type, is_real, widens

_TIMES = ("duration", "date", "time of day", "date and time")


def whole_as_value(shown: str, type_: Type) -> Words:
    return Words("type-mismatch", f"{shown} is {type_} as a whole.", "Name an element or a field.")


def needs_bool(what: str, shown: str, type_: Type) -> Words:
    return Words("type-mismatch", f"{what} needs a BOOL; {shown} is {type_}.", "Compare it with a value.")


def tag_or_value(name: str, owner: Enumeration) -> Words:
    return Words(
        "tag-or-value",
        f"{name} is a tag here, and a value of {owner} too.",
        f"Write {owner}#{name} for the value; for the tag, allow this in the column allow.",
    )


def not_constant(what: str, shown: str, nearly: float | None) -> Words:
    return Words(
        "not-constant",
        f"{what} must be known before the run; {shown} is not.",
        "Use a literal or a VAR CONSTANT." if nearly is None else f"Write {shown_real(nearly, LREAL)}.",
    )


def not_implemented(shown: str, place: typed.Place, target: typed.Unit, type_: typed.Unit) -> Words:
    return Words(
        "type-mismatch",
        f"{shown} is {type_}, which does not implement {target}.",
        f"Write {type_.kind} {type_} IMPLEMENTS {target}.",
    )


def outside_range(value: int, wanted: Subrange, what: str) -> Words:
    return Words(
        "out-of-range",
        f"{value} does not fit {wanted.name}.",
        f"{what or 'It'} goes from {wanted.low} to {wanted.high}.",
    )


def wrong_quotes(what: str, wanted: String, shown: str, type_: String, literal: str) -> Words:
    quote, quotes = ('"', "double") if wanted.width == 2 else ("'", "single")
    return Words(
        "type-mismatch",
        f"{what or 'It'} is {wanted}; {shown} is a {type_.stem}.",
        f"Write {shown_text(literal, quote)}, in {quotes} quotes.",
    )


def text_too_long(literal: str, what: str, wanted: String) -> Words:
    return Words(
        "out-of-range",
        f"The text has {len(literal)} characters; {what or 'it'} is {wanted}.",
        f"Shorten it, or declare {wanted.stem}[{len(literal)}].",
    )


def other_characters(problem: LiteralProblem) -> Words:
    return Words("type-mismatch", str(problem), problem.way_out)


def number_for_name(what: str, wanted: Enumeration, shown: str) -> Words:
    names = listed(name for name, _ in wanted.members.values())
    return Words(
        "type-mismatch", f"{what or 'It'} is {wanted}; {shown} is a number.", f"Name one of its values: {names}."
    )


def does_not_fit(name: str, problem: LiteralProblem, what: str, wanted: Elementary) -> Words:
    where = f" {what} is {wanted}." if what and name == "type-mismatch" else ""
    return Words(name, f"{problem}{where}", problem.way_out)


def not_unasked(what: str, shown: str, found: Type, wanted: Type, function: str) -> Words:
    """That a value of one type does not become another unasked; ``function`` converts it, if there is one."""
    subject = f"{what} is {wanted}" if what else f"{wanted} is needed here"
    return Words("type-mismatch", f"{subject}; {shown} is {found}.", _converted(shown, found, wanted, function))


def _converted(shown: str, found: Type, wanted: Type, function: str) -> str:
    both = (found, wanted) if isinstance(found, Elementary) and isinstance(wanted, Elementary) else None
    if function:
        loses = both is not None and (widens(both[1], both[0]) or is_real(both[0]))
        return f"Convert with {function}({shown}){', if the value always fits' if loses else ''}."
    if both is not None and wanted.family not in ("bool", "duration") and found.family in _TIMES:
        return conversion_advice(both[0].name, both[1].name, shown)
    if wanted is BOOL:
        return "Compare it with a value."
    if found is BOOL:
        return f"Choose a value with SEL({shown}, ..., ...)."
    if wanted.family == "duration":
        return "Multiply a duration by the number, as in T#1s * n."
    return "Use values of one type."


def bad_literal(problem: LiteralProblem) -> Words:
    return Words("bad-literal", str(problem), problem.way_out)


def unknown_value(type_: Enumeration, rest: str, names: list[str]) -> Words:
    return Words("unknown-name", f"{type_} has no value {rest}.", f"Its values are {listed(names)}.")


def ambiguous_value(name: str, owners: Sequence[Enumeration], ways: str) -> Words:
    return Words("ambiguous-value", f"{name} is a value of {len(owners)} enumerations.", f"Write {ways}.")


def only_initial(shown: str, parts: str) -> Words:
    return Words("no-value", f"{shown} can only be an initial value.", f"Assign {parts} one by one.")


def no_literals_of(prefix: str) -> Said:
    return f"{prefix} has no literals.", "Name its fields or elements one by one."
