"""What is said of rules and timing rows."""

from __future__ import annotations

from upright_block.language.literals import LiteralProblem
from upright_block.language.telling.findings import Words

_EXAMPLE = 'Write one such as "opening AND closing".'
_MEANT = {
    **dict.fromkeys(("rise", "rising", "raises", "rised"), "rises"),
    **dict.fromkeys(("fall", "falling", "drops"), "falls"),
    **dict.fromkeys(("change", "changing", "changed"), "changes"),
}
"""What is meant by words that stand in place of rises, falls and changes."""
_ROW = "Write rows below the heads, such as: gives up | opening rises | stuck rises | 5s | 5s+1scan."


def no_rules(kind: str) -> Words:
    return Words("wrong-kind", f"{kind} holds no rule.", f'Write {kind} = ["opening AND closing"].')


def no_rule(kind: str) -> Words:
    return Words(
        "wrong-kind",
        f"An entry of {kind} is an expression in quotes, or a table with one.",
        'Write "NOT opening" or { expr = "NOT opening", while = "stuck" }.',
    )


def unknown_key_of_rule(key: str, near: str) -> Words:
    return Words("unknown-key", f"A rule has no key {key}.", near or "Its keys are expr, while, after, until.")


def no_expression(key: str) -> Words:
    return Words("wrong-kind", f"{key} is no expression in quotes.", _EXAMPLE)


def empty_expression() -> Words:
    return Words("wrong-kind", "The expression is empty.", _EXAMPLE)


def timing_not_text() -> Words:
    return Words("wrong-kind", 'timing is a table between """ and """.', _ROW)


def timing_without_rows() -> Words:
    return Words("empty-table", "The timing table has no rows.", _ROW)


def unknown_timing_column(head: str, near: str) -> Words:
    way_out = near or "Its columns are name, from, to, min, max, count, after, until; | separates them."
    return Words("unknown-key", f"A timing table has no column {head}.", way_out)


def timing_column_twice(head: str) -> Words:
    return Words("column-twice", f"The column {head} stands twice.", "Remove one of the two.")


def timing_without_from() -> Words:
    return Words("missing-column", "A timing table needs the column from.", "Name a column from, with events in it.")


def uneven_timing_row(cells: int, heads: int) -> Words:
    return Words(
        "uneven-row", f"The row has {cells} cells, the heads are {heads}.", "Separate cells by |, empty ones too."
    )


def timing_name_twice(name: str) -> Words:
    return Words("name-twice", f"Two timing rows are called {name}.", "Give one of the two another name.")


def row_without_from() -> Words:
    return Words("missing-cell", "The row has no event in from.", "Write one such as: opening rises.")


def no_event(text: str) -> Words:
    stem, _, last = text.rpartition(" ")
    meant = _MEANT.get(last.lower())
    way_out = f"Write {stem} {meant}." if stem and meant else f"Write {text} rises, {text} falls or {text} changes."
    return Words("bad-value", f"{text} is no event.", way_out)


def bad_time(problem: LiteralProblem) -> Words:
    return Words("bad-value", str(problem), problem.way_out)


def time_below_zero(text: str) -> Words:
    return Words("bad-value", f"{text} lies below zero.", "Write a time of zero or more.")


def time_without_to() -> Words:
    return Words("missing-cell", "A time needs the event at which it ends.", "Write it in to, such as: stuck rises.")


def row_checks_nothing() -> Words:
    return Words("missing-cell", "The row has neither an event in to nor a count.", "Write one of the two.")


def min_above_max(least: str, most: str) -> Words:
    return Words("empty-range", f"No time is at least {least} and at most {most}.", "Exchange min and max.")


def constant_rule(text: str) -> Words:
    return Words("constant-rule", f"{text} never changes.", "Name a pin or a variable in it.")


def scan_of_no_task(text: str) -> Words:
    return Words(
        "bad-value", f"{text} counts scans, and tasks of several intervals may be meant.", "Write a time instead."
    )
