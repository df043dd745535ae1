"""What is said at a desk."""

from __future__ import annotations

from upright_block.errors import Said


def no_such_line(word: str, near: str) -> Said:
    return f"{word} begins no line.", near or "? lists what can be typed."


def wrong_form(word: str, form: str) -> Said:
    return f"That is not how {word} is written.", f"Write {word} {form}."


def nothing_on_cursor(word: str) -> Said:
    return "The cursor is on no signal.", f"Name one: {word} SIGNAL, or pick it with /."


def nothing_picked(part: str) -> Said:
    return f"No path has {part} in it.", "Write a part of the path of a signal."


def not_gone_back() -> Said:
    return "No scans were left by going back.", "This is for after a step back."


def nothing_to_write() -> Said:
    return "There is nothing to write.", "Say keep case, keep initials or keep list first."


def changed_meanwhile() -> Said:
    return "What was to be written has no difference any more.", "Say keep again."


def no_list(name: str, near: str) -> Said:
    return f"There is no watch list desk/{name}.txt.", near or f"Make it with keep list {name}."


def no_list_name(name: str) -> Said:
    return f"{name} is no name for a watch list.", "Use letters, digits and _."


def no_pace(text: str) -> Said:
    return f"{text} is no pace.", "Say machine, or a factor above 0, such as 1 or 10."


def no_bool_to_turn(path: str) -> Said:
    return f"{path} is no BOOL.", f"Say set {path}=VALUE."


def nothing_called() -> Said:
    return "No statement on this line calls a block of the library.", "Say open INSTANCE, or choose another line."


def is_outermost() -> Said:
    return "This is the outermost text.", "Say open INSTANCE for one that it holds."


def no_session(name: str) -> Said:
    return f"There is no session {name}.", "A desk says the name of its session when it is left."


def session_of_other(name: str, target: str) -> Said:
    return f"The session {name} is of {target}.", f"Say upright desk {target} with it."


def session_unread(name: str) -> Said:
    return f"The session {name} cannot be read.", "Begin anew without it."


def nothing_is_given() -> Said:
    return "A session has its own given values and its own time of a scan.", "Leave them out."


def no_place(path: str) -> Said:
    return f"{path} is no variable of a unit of the library.", "Choose one that a block or a program declares."


def wrong_given(text: str) -> Said:
    return f"{text} gives nothing.", "Write NAME=VALUE."
