"""What findings mean, as text."""

from __future__ import annotations

import re
import textwrap
from collections.abc import Iterable, Iterator

from upright_block.language.telling.catalogue import Entry
from upright_block.reports.styled import Line, Role

_WIDEST_TEXT = 100
_CLAUSE = re.compile(r"\(((?:table )?\d+(?:\.\d+)*)(?=\)|,)")
"""A clause of the standard as comments in the source name it."""
_FRAMES = {
    "body": "in a body",
    "case": "in the vectors of a case",
    "file": "in a case file",
    "tags": "in a tag table",
    "wiring": "in a wiring table",
    "library": "in several files",
}


def entry_lines(entry: Entry, width: int) -> list[Line]:
    """A finding: its level, what it means, a text that has it, the same mended, and how it is allowed where it
    stops nothing.
    """
    room = min(width, _WIDEST_TEXT)
    lines: list[Line] = [[(entry.name, "strong"), ("   ", ""), (entry.level, _role(entry))], []]
    lines += [[(part, "")] for part in _wrapped(_CLAUSE.sub("(IEC\u00a061131-3,\u00a0\\1", entry.says), room)]
    frame = _FRAMES.get(entry.kind, "")
    frame += f" with {entry.variables}" if entry.variables else ""
    texts: tuple[tuple[str, str, Role], ...] = (("Wrong", entry.wrong, "bad"), ("Right", entry.right, "good"))
    for title, text, role in texts:
        lines += [[], [(title, role), (f", {frame}" if frame else "", "dim")]]
        lines += [[(f"    {line}", "")] for line in text.strip("\n").split("\n")]
    if entry.level == "error":
        return [*lines, [], [("What has this finding cannot be run until it is mended.", "")]]
    is_table = entry.kind in ("tags", "wiring")
    mark = "#" if entry.kind in ("case", "file") else "//"
    lead = "Where it is meant, its line, or one above it, says so:"
    if is_table:
        lead = "Where it is meant, the manifest says so, since a table has no comments:"
    lines.append([])
    lines += [[(part, "")] for part in textwrap.wrap(lead, room)]
    allowed = f'name = "{entry.name}", path = "{entry.kind}/*.csv", reason = "..."'
    lines.append([(f"    [[allow]] with {allowed}" if is_table else f"    {mark} allow {entry.name}: reason", "")])
    if entry.level == "warning":
        lines.append([("The manifest may make an error of it:", "")])
        lines.append([(f'    levels = {{ {entry.name} = "error" }}', "")])
    return lines


def catalogue_text(entries: Iterable[Entry]) -> str:
    """All findings as a page of Markdown: what each means, a text that has it, the same mended, and how it is
    allowed.
    """
    listed = list(entries)
    lines = [
        "# All findings",
        "",
        "`upright check` lists them, `upright explain NAME` shows one. Made by `upright explain`.",
        "",
        "An error stops what has it from running. A warning does not; `levels` in `upright.toml` makes an "
        "error of it. Where a",
        "finding is meant, a comment in its line, or above it, says so with the reason: `// allow NAME: "
        "reason` in a source,",
        "`# allow NAME: reason` in a case file; for a table the manifest has `[[allow]]` with `name`, "
        "`path` and `reason`.",
        "",
    ]
    for entry in listed:
        frame = _FRAMES.get(entry.kind, "")
        frame += f" with `{entry.variables}`" if entry.variables else ""
        lines += [f"## {entry.name}", "", f"{entry.level.capitalize()}. {entry.says}", ""]
        for title, text in (("Wrong", entry.wrong), ("Right", entry.right)):
            lines += [f"{title}{', ' if frame else ''}{frame}:", "", *_indented(text), ""]
    return "\n".join(lines).rstrip() + "\n"


def _indented(text: str) -> list[str]:
    return [f"    {line}".rstrip() for line in text.strip("\n").split("\n")]


def _wrapped(text: str, room: int) -> list[str]:
    """Lines of a text, which do not break where a no-break space stands."""
    return [line.replace("\u00a0", " ") for line in textwrap.wrap(text, room)]


def list_lines(entries: Iterable[Entry], width: int) -> Iterator[Line]:
    """A line for each finding: its name, its level where it is a warning, and the first sentence of what it means."""
    listed = list(entries)
    longest = max(len(entry.name) for entry in listed)
    for entry in listed:
        first = textwrap.shorten(entry.says, max(20, width - longest - 12), placeholder=" …")
        level = "warning" if entry.level == "warning" else ""
        yield [(f"{entry.name:<{longest}}  ", "name"), (f"{level:<7}  ", "warn"), (first, "")]


def _role(entry: Entry) -> Role:
    return "bad" if entry.level == "error" else "warn"
