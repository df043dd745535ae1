"""What is said of the files of a library: its manifest, tables, what cannot be read or written."""

from __future__ import annotations

from upright_block.asking import asked
from upright_block.errors import Said


def accepted_no_toml(place: str, problem: object) -> Said:
    return f"{place} is not valid TOML: {problem}.", "Correct it, or remove the file."


def outside_library(path: str, done: str) -> Said:
    return (
        f"{path} leads out of the library; nothing outside is {done}.",
        f"Move what it leads to into the library, or allow its folder in the call: {asked('also')} DIR.",
    )


def file_unreadable(reason: str) -> Said:
    return f"The file cannot be read: {reason}.", "Check that it exists and may be read."


def not_utf8(kind: str) -> Said:
    return f"The file is {kind}.", "Save it as UTF-8."


def no_such_character() -> Said:
    return "The name holds a character that no file name has.", "Correct the name."


def folder_unreadable(reason: str) -> Said:
    return f"The folder cannot be read: {reason}.", "Check that it may be read."


def no_manifest(name: str, folder: object) -> Said:
    return f"There is no {name} in {folder} or above it.", "Start a library with: upright new DIR"


def no_folder_named(key: str, place: str) -> Said:
    return f"{key} in {place} names no folder.", f'Write {key} = "...", or {key} = ["...", "..."].'


def no_time(key: str, place: str) -> Said:
    return f"{key} in {place} is no time above zero.", f'Write {key} = "100ms", or another duration.'


def no_number(key: str, place: str) -> Said:
    return f"{key} in {place} is no number above zero.", f"Write {key} = 24, or another number."


def no_characters(key: str, place: str) -> Said:
    return f"{key} in {place} names no characters.", f'Write {key} = "A-Za-z0-9_".'


def points_no_table(place: str) -> Said:
    return f"points in {place} is no table.", 'Write [points], and below it order = "big".'


def names_no_table(place: str) -> Said:
    return f"names in {place} is no table.", 'Write [names], and below it block = "CamelCase".'


def no_such_start(start: object) -> Said:
    return f"There is no folder {start}.", "Name the folder that holds upright.toml."


def start_unreadable(start: object, problem: object) -> Said:
    return f"{start} cannot be looked into: {problem}.", "Name another folder."


def manifest_no_toml(place: str, problem: object) -> Said:
    return f"{place} is not valid TOML: {problem}.", 'Write each line as name = "text".'


def unknown_key(place: str, key: str, hint: str) -> Said:
    return f"{place} has a key {key}, which is not known.", hint


def no_text(key: str, place: str) -> Said:
    return f"{key} in {place} is not a text.", f'Write {key} = "...".'


def no_choice(key: str, place: str, value: str, hint: str) -> Said:
    return f"{key} in {place} is {value!r}.", hint


def no_such_folder(place: str, folder: str) -> Said:
    return f"{place}: there is no folder {folder}.", "Correct the name, or make the folder."


def no_range(key: str, place: str, single: str, high: str, low: str) -> Said:
    return f"{key} in {place} has {single}, which is no range.", f"Write {high}-{low}."


def unknown_key_of_points(place: str, key: str, hint: str) -> Said:
    return f"{place}: points has no key {key}.", hint


def no_way_of_points(place: str, key: str, value: str, ways: str) -> Said:
    return f"{place}: {key} is {value!r}.", f"Write {key} = {ways}."


def no_kind_of_names(place: str, kind: str, hint: str) -> Said:
    return f"{place}: names are of no kind {kind}.", hint


def no_pattern_of(place: str, kind: str, style: str) -> Said:
    return f"{place}: {kind} has no pattern.", f'Write {kind} = "{style}".'


def no_pattern(place: str, pattern: str, hint: str) -> Said:
    return f"{place}: {pattern} is no pattern of names.", hint


def missing_column(missing: str) -> Said:
    return (
        f"The table has no column {missing}.",
        f"Add it to its first line, or choose another table: {asked('into')} NAME.",
    )


def no_tag_table(reason: object) -> Said:
    return f"This is no tag table: {reason}.", "Give one whose first line names its columns."


def is_a_file(folder: object) -> Said:
    return f"{folder} is a file.", "Name a folder that does not exist yet."


def not_written(folder: object, what: str) -> Said:
    return f"{folder} {what}; nothing was written.", "Name another folder."


def not_writable(folder: object, reason: object) -> Said:
    return f"{folder} cannot be written: {reason}.", "Name a folder that you may write to."


def cannot_be_written(name: str, reason: object) -> Said:
    return f"{name} cannot be written: {reason}.", "Nothing was changed."


def has_changed(name: str) -> Said:
    return (
        f"{name} has changed since it was read; nothing was written.",
        "Call it again, so that it starts from the text as it is now.",
    )


def not_read_again(name: str, problem: object) -> Said:
    return (
        f"{name} could not be read again as it would be written: {problem}.",
        "Nothing was written; make this change by hand.",
    )
