"""What the controllers that a library is for cannot have, though the language has it; and names beside the library's
style.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from fnmatch import fnmatchcase

from upright_block.language import typed
from upright_block.language.checking.words import dialect as words
from upright_block.language.scope import Scope
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings
from upright_block.language.types import Enumeration

_Named = tuple[str, str, Source, int, int]
"""The kind of what is declared, its name, and where."""
STYLES = {
    "lower_case": re.compile(r"[a-z][a-z0-9]*(?:_[a-z0-9]+)*"),
    "UPPER_CASE": re.compile(r"[A-Z][A-Z0-9]*(?:_[A-Z0-9]+)*"),
    "CamelCase": re.compile(r"(?:[A-Z][a-z0-9]*)+"),
    "camelCase": re.compile(r"[a-z][a-z0-9]*(?:[A-Z][a-z0-9]*)*"),
}
"""Patterns with a name of their own; others are names with * and ?."""
KINDS = (
    *(
        "block",
        "function",
        "program",
        "class",
        "interface",
        "method",
        "configuration",
        "task",
        "type",
        "value",
        "field",
    ),
    *("input", "output", "in_out", "variable", "instance", "constant", "global", "tag", "step"),
)
"""What can have a style of its own."""
_SECTIONS = {"input": "input", "output": "output", "in_out": "in_out", "field": "field", "global": "global"}


def check_names(scope: Scope, findings: Findings) -> None:
    """Report names that are longer than the dialect has them, have other characters, or do not follow the style."""
    dialect = scope.dialect
    if not dialect.longest_name and not dialect.name_characters and not dialect.styles:
        return
    seen: set[tuple[Source, int]] = set()  # of a range of instances the first
    for kind, name, source, start, end in _names(scope):
        if (source, start) in seen:
            continue
        said = None
        patterns = dialect.styles.get(kind, ())
        if patterns and not any(_follows(name, pattern) for pattern in patterns):
            seen.add((source, start))
            findings.add(words.off_style(name, kind, patterns).told(source, *_name_at(source, name, start, end)))
        if dialect.longest_name and len(name) > dialect.longest_name:
            said = words.name_too_long(name, dialect.longest_name)
        elif strange := [c for c in name if dialect.name_characters and c not in dialect.name_characters]:
            said = words.strange_character(name, strange[0])
        if said is not None:
            seen.add((source, start))
            findings.add(said.told(source, start, end))


def _follows(name: str, pattern: str) -> bool:
    style = STYLES.get(pattern)
    return bool(style.fullmatch(name)) if style else fnmatchcase(name, pattern)


def _name_at(source: Source, name: str, start: int, end: int) -> tuple[int, int]:
    """The name alone, in what declares it."""
    found = source.text.find(name, start, end)
    return (found, found + len(name)) if found >= 0 else (start, end)


def _names(scope: Scope) -> Iterator[_Named]:
    """Every name that the library declares."""
    for tag in scope.tags.values():
        yield "tag", tag.name, tag.source, tag.start, tag.end
    for variable in scope.globals.variables.values():
        if variable.key not in scope.tags and variable.source is not None:
            yield from _variable(variable, variable.source)
    for unit in (*scope.units.values(), *scope.configurations.values()):
        if unit.is_standard or not unit.is_written:
            continue
        for part in (unit, *unit.methods.values()):
            kind = "block" if part.kind == "FUNCTION_BLOCK" else part.kind.lower()
            yield kind, part.name, part.source, part.syntax.start, part.syntax.end
            for variable in part.variables.values():
                if variable.section != "external":
                    yield from _variable(variable, part.source)
        for step in unit.syntax.sequence.steps if unit.syntax.sequence else ():
            yield "step", step.name, unit.source, step.start, step.end
        for task in unit.tasks:
            yield "task", task.name, unit.source, task.written.start, task.written.end
    for named in scope.types.values():
        yield "type", named.name, named.source, named.syntax.start, named.syntax.end
        if isinstance(named.type, typed.Structure):
            for field in named.type.variables.values():
                yield from _variable(field, named.source)
        if isinstance(named.type, Enumeration):
            for name, _ in named.type.members.values():
                yield "value", name, named.source, named.syntax.start, named.syntax.end


def _variable(variable: typed.Variable, source: Source) -> Iterator[_Named]:
    if variable.is_hidden or (isinstance(variable.type, typed.Structure) and variable.type.name == "STEP"):
        return
    kind = "constant" if variable.constant else _SECTIONS.get(variable.section, "variable")
    if kind == "variable" and isinstance(variable.type, typed.Unit):
        kind = "instance"
    yield kind, variable.name, source, variable.start, variable.end
