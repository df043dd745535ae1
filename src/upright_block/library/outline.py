"""What others can see of a source: the outline of its units, types and global variables, as a digest.

Where the outline of a file is as it was, nothing that is found in other files can have changed with it.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from hashlib import sha256
from typing import Any

from upright_block.language import typed
from upright_block.language.copying import used_globals
from upright_block.language.scope import Scope
from upright_block.language.source import Source
from upright_block.language.types import Enumeration

_NAME = re.compile(r"[A-Za-z_]\w*")


def mentioned(text: str) -> frozenset[str]:
    """All names in a text, in upper case; also those in its comments."""
    return frozenset(map(str.upper, set(_NAME.findall(text))))


def declared(source: Source, scope: Scope) -> tuple[str, ...]:
    """The names that a source gives to units, types, values and global variables, without their namespaces."""
    found = {unit.name.upper() for unit in _units(source, scope)}
    for named in scope.types.values():
        if named.source is source:
            found.add(named.name.upper())
            if isinstance(named.type, Enumeration):
                found |= set(named.type.members)
    found |= {key for key, values in scope.values.items() if any(v.source is source for v in values)}
    found |= {key for key, variable in scope.globals.variables.items() if variable.source is source}
    return tuple(sorted(found))


def outline(source: Source, scope: Scope) -> str:
    """A digest of what a source shows to others."""
    parts: list[Any] = [_unit(unit) for unit in _units(source, scope)]
    for named in scope.types.values():
        if named.source is source:
            node = named.syntax
            parts.append(["type", named.name, str(named.type), repr(named.initial), _text(source, node.start)])
    parts += [_variable(variable) for variable in scope.globals.variables.values() if variable.source is source]
    return sha256(json.dumps(parts, default=str).encode()).hexdigest()


def _text(source: Source, start: int) -> str:
    """The declaration of a type: from its name to the END_TYPE behind it."""
    end = source.text.upper().find("END_TYPE", start)
    return " ".join(source.text[start : end if end >= 0 else len(source.text)].split())


def _units(source: Source, scope: Scope) -> Iterator[typed.Unit]:
    for unit in (*scope.units.values(), *scope.configurations.values()):
        if unit.source is source and unit.is_written:
            yield unit


def _unit(unit: typed.Unit) -> list[Any]:
    read, written = used_globals(unit)
    return [
        unit.kind,
        unit.full_name,
        unit.syntax.qualifiers,
        unit.access,
        unit.is_broken,
        bool(unit.body),
        unit.base.key if unit.base else "",
        [above.key for above in unit.interfaces],
        str(unit.result.type) if unit.result else "",
        [_variable(variable) for variable in unit.variables.values()],
        sorted(unit.edges),
        sorted(variable.name for variable in read),
        sorted(variable.name for variable in written),
        sorted(used.key for used in typed.closure(unit)),
        sorted(unit.refers),
        sorted(unit.virtual_uses),
        unit.cost,
        unit.works_on_itself,
        [[task.name, task.interval, task.priority, [p.name for p in task.programs]] for task in unit.tasks],
        [_unit(method) for method in unit.methods.values()],
    ]


def _variable(variable: typed.Variable) -> list[Any]:
    shown = (variable.initial, variable.has_initial, variable.is_folded, variable.retain)
    return [
        variable.name,
        variable.section,
        str(variable.type),
        variable.constant,
        repr(shown),
        variable.address,
        variable.access,
    ]
