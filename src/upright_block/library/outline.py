"""What others can see of a source: the outline of its units, types and global variables, as a digest.

Where the outline of a file is as it was, nothing that is found in other files can have changed with it.
"""

from __future__ import annotations

import json
import re
from hashlib import sha256
from typing import Any

from upright_block.language import syntax, typed
from upright_block.language.field.copying import follows_references, used_globals
from upright_block.language.nodes import fresh, state
from upright_block.language.parsing import parse
from upright_block.language.scope import Elsewhere, NamedType, Scope
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings
from upright_block.language.types import Enumeration

_NAME = re.compile(r"[A-Za-z_]\w*")


_OUTPUTS = "%Q"
"""The name of all outputs together, for what names one by its address."""


_COMMENT = re.compile(
    r"""('(?:[^'$\n]|\$.)*'|"(?:[^"$\n]|\$.)*") | //[^\n]* | \(\*(?:(?!\(\*).)*?\*\) | /\*(?:(?!/\*).)*?\*/""",
    re.VERBOSE | re.DOTALL,
)
"""A comment that holds no other, or a text, which may look like one."""


def mentioned(source: Source) -> frozenset[str]:
    """All names in a source, in upper case; where its comments are simple ones, only those in its code."""
    text = source.text
    code = _COMMENT.sub(r"\1 ", text) if source.form == "statements" else text
    # A comment in a comment hides where the outer one ends, so that code might be taken for a comment.
    is_simple = "(*" not in code and "/*" not in code
    names = set(map(str.upper, set(_NAME.findall(code if is_simple else text))))
    return frozenset(names | {_OUTPUTS} if _OUTPUTS in text.upper() else names)


@state
class Declared:
    """What a source declares: units and configurations, types, values of enumerations (those ``inner`` to a unit
    apart), global variables.
    """

    source: Source
    units: list[typed.Unit] = fresh(default_factory=list)
    types: list[NamedType] = fresh(default_factory=list)
    values: list[str] = fresh(default_factory=list)
    inner: list[str] = fresh(default_factory=list)
    variables: list[typed.Variable] = fresh(default_factory=list)

    @property
    def names(self) -> tuple[str, ...]:
        """The names that it gives, in upper case, without their namespaces."""
        found = {unit.name.upper() for unit in self.units} | {named.name.upper() for named in self.types}
        found |= {member for t in self.types if isinstance(t.type, Enumeration) for member in t.type.members}
        found |= {name.upper() for name in (*self.values, *self.inner)}
        if any(address.area == "Q" for unit in self.units for address in unit.located.values()):
            found.add(_OUTPUTS)
        return tuple(sorted({*found, *(variable.key for variable in self.variables)}))

    def elsewhere(self, is_of_rig: bool) -> list[Elsewhere]:
        """The names that others may be offered, to be known where the source is not read."""
        found: list[tuple[str, str]] = [(unit.full_name, unit.kind) for unit in self.units]
        found += [(named.syntax.home.full(named.name), "TYPE") for named in self.types]
        found += [(value, "VALUE") for value in self.values]
        found += [(variable.name, "VARIABLE") for variable in self.variables if not variable.is_hidden]
        return [Elsewhere(name, kind, is_of_rig) for name, kind in found]

    @property
    def outline(self) -> str:
        """A digest of what others can see of it."""
        parts: list[Any] = [_unit(unit) for unit in self.units]
        for named in self.types:
            text = _text(self.source, named.syntax.start)
            parts.append(["type", named.name, str(named.type), repr(named.initial), text])
        parts += [_variable(variable) for variable in self.variables]
        return sha256(json.dumps(parts, default=str).encode()).hexdigest()


def shown_by(scope: Scope) -> dict[Source, Declared]:
    """What each source of a scope declares."""
    found: dict[Source, Declared] = {}

    def of(source: Source) -> Declared:
        return found.setdefault(source, Declared(source))

    for unit in (*scope.units.values(), *scope.configurations.values()):
        if unit.is_written:
            of(unit.source).units.append(unit)
    for named in scope.types.values():
        of(named.source).types.append(named)
    for key, values in scope.values.items():
        for value in values:
            name = value.enumeration.members[key][0]
            (of(value.source).values if value.unit is None else of(value.source).inner).append(name)
    for variable in scope.globals.variables.values():
        if variable.source is not None:
            of(variable.source).variables.append(variable)
    return found


def declared_names(source: Source) -> frozenset[str]:
    """The names that a source gives by its form alone, in upper case and without their namespaces: at least those of
    `Declared.names`.
    """
    found: set[str] = set()
    for node in syntax.within(parse(source, Findings())):
        if isinstance(node, (syntax.Unit, syntax.Configuration, syntax.TypeDeclaration, syntax.EnumerationMember)):
            found.add(node.name.upper())
        elif isinstance(node, syntax.VariableSection) and node.section == "VAR_GLOBAL":
            found |= {declaration.name.upper() for declaration in node.declarations}
        elif isinstance(node, (syntax.Declaration, syntax.InstanceSetting)) and node.address[:2].upper() == _OUTPUTS:
            found.add(_OUTPUTS)
    return frozenset(found)


def _text(source: Source, start: int) -> str:
    """The declaration of a type: from its name to the END_TYPE behind it."""
    end = source.text.upper().find("END_TYPE", start)
    return " ".join(source.text[start : end if end >= 0 else len(source.text)].split())


def _unit(unit: typed.Unit) -> list[Any]:
    read, written = (frozenset(), frozenset()) if unit.is_broken else used_globals(unit)
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
        not unit.is_broken and follows_references(unit),
        sorted(unit.uses),
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
