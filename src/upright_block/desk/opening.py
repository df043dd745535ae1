"""How a desk begins and ends."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.desk import kept, words
from upright_block.desk.desk import Desk
from upright_block.errors import BadValue
from upright_block.face.opened import OpenLibrary
from upright_block.language.literals import Value
from upright_block.reports import Line


def opened(
    library: OpenLibrary, target: str, given: Sequence[str], scan: str | None, session: str | None = None
) -> Desk:
    """A desk at a target, which goes on with a session where one is named.

    Raises:
        UprightError: the target, a given value, or the session cannot be had.
    """
    if session is not None:
        known = kept.read_session(session)
        if known.target != target:
            raise BadValue(*words.session_of_other(session, known.target))
        if given or scan is not None:
            raise BadValue(*words.nothing_is_given())
        desk = Desk(library, target, known.given, known.period)
        desk.take_up(known)
        return desk
    values: dict[str, Value] = {}
    for text in given:
        name, mark, value = text.partition("=")
        if not mark or not name.strip():
            raise BadValue(*words.wrong_given(text))
        values[name.strip()] = value.strip()
    return Desk(library, target, values, scan)


def left(desk: Desk, session: str | None) -> tuple[str | None, list[Line]]:
    """Keep the session of a desk that is left: its name, None where it is lost, and what is said then."""
    name = session or kept.free_name(desk.target)
    lines: list[Line] = []
    forced = len(desk.forced)
    if forced:
        were = "force was" if forced == 1 else "forces were"
        lines.append([(f"{forced} {were} left: {', '.join(desk.forced)}", "warn")])
    try:
        kept.write_session(name, desk.session())
    except OSError as problem:
        return None, [*lines, [(f"The session is lost: it cannot be written, {problem.strerror}.", "bad")]]
    return name, lines
