"""What lies inside the programs of a configuration and is called by a name from outside: aliases and access paths."""

from __future__ import annotations

import re
from collections.abc import Callable
from contextlib import suppress

from upright_block.language import syntax, typed
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.tags import declare_broken
from upright_block.language.checking.types import TypeChecker
from upright_block.language.checking.words import tags as words
from upright_block.language.checking.words.configurations import no_such_path, other_type
from upright_block.language.checking.words.program import declared_twice
from upright_block.language.configured import configured
from upright_block.language.field.copying import used_globals
from upright_block.language.field.tags import Tag
from upright_block.language.paths import moved, root_of, without_head
from upright_block.language.scope import Scope
from upright_block.language.source import Source
from upright_block.language.telling.findings import first_declared
from upright_block.language.types import BROKEN, Elementary, Type

UnitChecker = Callable[[typed.Unit], TypeChecker]
"""Makes what reads the parts of a unit."""


def settle_aliases(scope: Scope, checker_for: UnitChecker) -> None:
    """Find what each alias stands for; one for data of a program becomes a variable that follows it."""
    for tag in scope.tags.values():
        if "stands_for" in tag.cells and tag.meaning is not None:
            try:
                _settle(tag, scope, checker_for)
            except Problem:
                declare_broken(tag, scope)


def _settle(tag: Tag, scope: Scope, checker_for: UnitChecker) -> None:
    assert tag.meaning is not None
    cell, root = tag.cells["stands_for"], root_of(tag.meaning)
    direct = scope.globals.variables.get(re.split(r"[.\[]", cell.text)[0].strip().upper())
    if direct is not None and direct.type is BROKEN:
        raise Problem  # the finding is at the row of that one
    owner: typed.Unit | None = None
    if isinstance(root, syntax.Name) and root.name.upper() not in scope.globals.variables:
        for unit in scope.configurations.values():
            tag.meaning = without_head(tag.meaning, configured(unit).resources)
        root = root_of(tag.meaning)
        assert isinstance(root, syntax.Name)
        key = root.name.upper()
        owner = next((unit for unit in scope.configurations.values() if key in unit.variables), None)
        if owner is None:
            names = [*(t.name for t in scope.tags.values()), *(v.name for v in scope.globals.variables.values())]
            names += [v.name for unit in scope.configurations.values() for v in unit.variables.values()]
            said = words.alias_to_nothing(tag.name, root.name)
            raise checker_for(_looking(tag.source, None)).unknown(root.name, cell, said, names)
    checker = checker_for(_looking(tag.source, owner))
    checker.sees_all = True
    type_ = _type_at(tag.meaning, checker)
    if "type" in tag.cells:
        written = tag.cells["type"]
        if checker.type_of(syntax.TypeName(written.start, written.end, written.text)) is not type_:
            raise checker.problem(written, words.alias_of_other_type(tag.name, type_))
    if owner is None:
        return
    if not isinstance(type_, Elementary):
        raise checker.problem(cell, words.no_tag_type(tag.name, type_))
    assert isinstance(root, syntax.Name)
    tag.inside = owner.variables[root.name.upper()]
    initial, comment = typed.default_of(type_), tag.text("comment")
    tag.variable = typed.Variable(tag.name, "global", type_, initial, comment, tag.start, tag.end, source=tag.source)
    scope.globals.variables[tag.key] = tag.variable


def _type_at(path: syntax.Expression, checker: TypeChecker) -> Type:
    """The type of what a path leads to, which may be an array or a text."""
    if isinstance(path, (syntax.Part, syntax.DirectAddress)):
        return checker.any_value(path).type
    found = checker.place(path).type
    if isinstance(found, typed.Unit):
        checker.any_value(path)  # has no value of its own
    return found


def check_accesses(node: syntax.Configuration, unit: typed.Unit, checker_for: UnitChecker) -> None:
    """Report access paths that lead nowhere, or to another type than they say (6.8.1)."""
    seen: dict[str, syntax.AccessPath] = {}
    for entry in node.accesses:
        checker = checker_for(_looking(unit.source, unit))
        checker.sees_all = True
        first = seen.setdefault(entry.name.upper(), entry)
        if first is not entry:
            related = first_declared(unit.source, first, first.name)
            checker.report(entry, declared_twice(entry.name, unit), related)
        with suppress(Problem):
            if not isinstance(entry.path, (syntax.Name, syntax.Member, syntax.Index, syntax.Part)):
                raise checker.problem(entry.path, no_such_path(checker.text(entry.path)))
            found = _type_at(without_head(entry.path, configured(unit).resources), checker)
            if checker.type_of(entry.type) is not found:
                raise checker.problem(entry.type, other_type(entry.name, found))


def followed(program: typed.Variable, configuration: TypeChecker) -> list[typed.Statement]:
    """What gives the aliases that a program reads the values of what they stand for, before it runs."""
    kind = program.type
    assert isinstance(kind, typed.Unit)
    found: list[typed.Statement] = []
    read = used_globals(kind)[0]
    for tag in configuration.scope.tags.values():
        if tag.inside is None or tag.variable not in read or tag.meaning is None:
            continue
        if tag.inside is program:
            said = words.alias_of_own_data(tag.name, program.name)
            configuration.findings.add(
                said.told(tag.source, tag.cells["stands_for"].start, tag.cells["stands_for"].end)
            )
            continue
        path = moved(tag.meaning, program.start, program.end)
        origin = syntax.Made(program.start, program.end)
        configuration.sees_all = True
        value = configuration.any_value(path)
        configuration.sees_all = False
        found.append(typed.Assign(origin, typed.whole(tag.variable), value))
    return found


def _looking(source: Source, owner: typed.Unit | None) -> typed.Unit:
    """What looks from a source at the data of a unit, or at global variables."""
    written = syntax.Unit(0, 0, "METHOD", "stands_for", None, (), (), "")
    return typed.Unit("METHOD", "stands_for", source, written, "", owner=owner, access="PRIVATE")
