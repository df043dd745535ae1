"""What the controllers that a library is for cannot have, though the language has it."""

from __future__ import annotations

from collections.abc import Iterator

from upright_block.language import typed
from upright_block.language.checking.words import dialect as words
from upright_block.language.findings import Findings
from upright_block.language.scope import Scope
from upright_block.language.source import Source
from upright_block.language.types import Enumeration

_Named = tuple[str, Source, int, int]
"""A name that is declared, and where."""


def check_names(scope: Scope, findings: Findings) -> None:
    """Report names that are longer than the dialect has them, or have other characters."""
    dialect = scope.dialect
    if not dialect.longest_name and not dialect.name_characters:
        return
    seen: set[tuple[Source, int]] = set()  # of a range of instances the first
    for name, source, start, end in _names(scope):
        if (source, start) in seen:
            continue
        said = None
        if dialect.longest_name and len(name) > dialect.longest_name:
            said = words.name_too_long(name, dialect.longest_name)
        elif strange := [c for c in name if dialect.name_characters and c not in dialect.name_characters]:
            said = words.strange_character(name, strange[0])
        if said is not None:
            seen.add((source, start))
            findings.add(said.told(source, start, end))


def _names(scope: Scope) -> Iterator[_Named]:
    """Every name that the library declares."""
    for tag in scope.tags.values():
        yield tag.name, tag.source, tag.start, tag.end
    for variable in scope.globals.variables.values():
        if variable.key not in scope.tags and variable.source is not None:
            yield from _variable(variable, variable.source)
    for unit in (*scope.units.values(), *scope.configurations.values()):
        if unit.is_standard or not unit.is_written:
            continue
        yield unit.name, unit.source, unit.syntax.start, unit.syntax.end
        for part in (unit, *unit.methods.values()):
            if part is not unit:
                yield part.name, part.source, part.syntax.start, part.syntax.end
            for variable in part.variables.values():
                if variable.section != "external":
                    yield from _variable(variable, part.source)
        for task in unit.tasks:
            yield task.name, unit.source, task.written.start, task.written.end
    for named in scope.types.values():
        yield named.name, named.source, named.syntax.start, named.syntax.end
        if isinstance(named.type, typed.Structure):
            for field in named.type.variables.values():
                yield from _variable(field, named.source)
        if isinstance(named.type, Enumeration):
            for name, _ in named.type.members.values():
                yield name, named.source, named.syntax.start, named.syntax.end


def _variable(variable: typed.Variable, source: Source) -> Iterator[_Named]:
    if not variable.is_hidden:
        yield variable.name, source, variable.start, variable.end
