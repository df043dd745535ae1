"""Lists in columns."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.reports.styled import Line, Role

_GAP = "  "


def column_lines(
    heads: Sequence[str], rows: Sequence[Sequence[str]], width: int, roles: Sequence[Role] = ()
) -> list[Line]:
    """Rows below their heads; empty columns are left out, and the last ones are cut where a line is too long."""
    filled = [number for number in range(len(heads)) if any(row[number] for row in rows)]
    sizes = {n: max(len(heads[n]), *(len(row[n]) for row in rows)) for n in filled} if rows else {}
    lines: list[Line] = []
    for row in ([*heads], *rows) if rows else ():
        line: Line = []
        room = width
        for number in filled:
            is_last = number == filled[-1]
            text = row[number] if is_last else f"{row[number]:<{sizes[number]}}{_GAP}"
            text = text if len(text) <= room else text[: max(room - 1, 0)] + ("…" if room > 0 else "")
            room -= len(text)
            role: Role = "dim" if not lines else roles[number] if number < len(roles) else ""
            line.append((text, role))
        lines.append(line)
    return lines
