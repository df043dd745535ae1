"""What is said of lists of points."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.asking import asked
from upright_block.errors import Said
from upright_block.language.names import listed

_KEEP = "Write it there and import the list again."


def unreadable(file: str, reason: str) -> Said:
    return f"{file} cannot be read: {reason}.", "Check that it exists and may be read."


def not_utf8(file: str, line: int) -> Said:
    return (
        f"{file} is not UTF-8: line {line} has a byte that is no character of it.",
        "Save it as CSV with UTF-8, or as .xlsx.",
    )


def open_quote(place: str) -> Said:
    return f"{place}: a quote is not closed, or stands beside other text.", 'Write "" for a quote inside a cell.'


def nothing_there(file: str) -> Said:
    return f"{file} is empty.", "Give a list with a row of heads, and a row for each tag."


def no_sheets(file: str) -> Said:
    return f"{file} has no sheets.", f"Leave {asked('sheet')} out."


def no_sheet(file: str, name: str, near: str, sheets: Sequence[str]) -> Said:
    return f"{file} has no sheet {name}.", near or f"It has {listed(sheets)}."


def no_head_row(file: str, where: str, texts: Sequence[str]) -> Said:
    first = " ".join(texts[0].split()) if texts else "HEAD"
    way_out = f"Say which head stands above the names: {asked('columns')} tag=HEAD"
    if len(texts) > 1:
        way_out = f'If the heads are {listed(texts, 8)} ({where}), write {asked("columns")} "tag={first}".'
    return f"No row of {file} names a column of tags.", way_out


def no_heads_in_row(file: str, number: int, texts: Sequence[str]) -> Said:
    if not texts:
        return f"{file} has nothing in row {number}.", "Name the row in which the heads stand."
    return (
        f"Row {number} of {file} names no column of tags: it has {listed(texts, 8)}.",
        f"Say which of them stands above the names: {asked('columns')} tag=HEAD",
    )


def no_column(column: str, near: str) -> Said:
    return f"A tag table has no column {column}.", near or "docs/tags.md lists its columns."


def no_head(file: str, head: str, near: str, texts: Sequence[str]) -> Said:
    return f"{file} has no head {head}.", near or f"It has {listed(dict.fromkeys(texts), 20)}."


def two_columns(place: str, column: str, first: str, second: str) -> Said:
    what = "names" if column == "tag" else "points"
    return (
        f"{place}: two columns could hold the {what}: {first} and {second}.",
        f"Say which one does: {asked('columns')} {column}=HEAD. If each has some of them, put all into one column.",
    )


def by_card(place: str, texts: Sequence[str]) -> Said:
    return (
        f"{place}: the list says its points by {listed(texts)}, and has no column of addresses.",
        f"Add a column point with the address of each row, such as %IX0.3. {_KEEP}",
    )


def no_points(file: str, texts: Sequence[str]) -> Said:
    return (
        f"No column of {file} holds the points, and none their types: its heads are {listed(texts, 20)}.",
        f"Say which one does: {asked('columns')} point=HEAD",
    )


def turned(place: str, text: str) -> Said:
    return (
        f"{place}: the spreadsheet made a date of what was typed here: {text}.",
        "Format the cell as text and type it again.",
    )


def no_saved_value(place: str) -> Said:
    return (
        f"{place}: the cell has a formula, and no value was saved with it.",
        "Open the workbook in a spreadsheet and save it, or write the value itself.",
    )


def error_value(place: str, text: str) -> Said:
    return f"{place}: the formula of the cell gives {text}.", "Mend the formula, or write the value itself."


def undecided(place: str, text: str, small: str, large: str) -> Said:
    return (
        f"{place}: {text} is {small} or {large}, and no other number of the list tells.",
        f"Say what its decimals stand behind: {asked('decimal')} , or {asked('decimal')} .",
    )


def no_decimal(text: str) -> Said:
    return f"{text} is no decimal sign.", f"Write {asked('decimal')} , or {asked('decimal')} ."


def one_name_of_two(name: str, first: str, first_place: str, second: str, second_place: str) -> Said:
    return (
        f"{first} ({first_place}) and {second} ({second_place}) both become {name}: a name has letters, digits and _.",
        "Rename one of them in the list.",
    )


def two_of_one_name(name: str, column: str, first: str, first_place: str, second: str, second_place: str) -> Said:
    return (
        f"{name} stands twice, and its {column} differs: {first} ({first_place}) and {second} ({second_place}).",
        "Correct one of the two in the list, or remove it.",
    )


def table_with_flaws(path: str) -> Said:
    return f"{path} has rows that do not fit its columns, so nothing can be laid over it.", "upright check names them."


def no_rows(file: str) -> Said:
    return f"{file} has heads, and no row with a tag below them.", "Write a row for each tag."
