"""Types, globals and units: their names, interfaces and bodies, and who uses whom. IEC 61131-3:2013, 6.5, 6.6."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from typing import cast

from upright_block.language import syntax, typed
from upright_block.language.checking.configurations import (
    check_configuration,
    declare_programs,
    find_idle,
    make_configuration,
    make_programs,
)
from upright_block.language.checking.dialect import check_names
from upright_block.language.checking.members import check_accesses, settle_aliases
from upright_block.language.checking.objects import (
    access_of,
    check_methods,
    cut_above,
    inherit,
    number_units,
    retain_of,
)
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.sequences import check_sequence, declare_sequence, sequence_body
from upright_block.language.checking.tagging import check_tags
from upright_block.language.checking.tags import check_type, declare_located, declare_tags, rests
from upright_block.language.checking.types import TypeChecker
from upright_block.language.checking.uses import bind_overrides, find_recursion, note_accesses, spread_broken
from upright_block.language.checking.words import program as words
from upright_block.language.checking.words.tags import output_twice, point_too_far
from upright_block.language.configured import at_memory
from upright_block.language.field.addresses import NoAddress, parse_address
from upright_block.language.field.tags import Tag, TagTable, tags_among
from upright_block.language.forms import Written
from upright_block.language.parsing import parse
from upright_block.language.scope import NamedType, Scope
from upright_block.language.source import Source
from upright_block.language.telling.catalogue import stops
from upright_block.language.telling.findings import Finding, Findings, Related, Words, first_declared
from upright_block.language.types import BOOL, BROKEN, ELEMENTARY, Array, Type
from upright_block.language.walking import accesses, every_statement

_SECTIONS: dict[str, typed.Section] = {
    "VAR_INPUT": "input",
    "VAR_OUTPUT": "output",
    "VAR_IN_OUT": "in_out",
    "VAR": "private",
    "VAR_TEMP": "temp",
    "VAR_EXTERNAL": "external",
}


def check_program(
    sources: Iterable[Written], scope: Scope, findings: Findings, tables: Iterable[TagTable] = ()
) -> None:
    """Read and check all ``sources`` and the tags of all ``tables`` into ``scope``. Every mistake becomes a finding;
    nothing is raised.

    Units that a mistake reaches, in themselves or in a unit that they use, are marked as broken. Those of the sources
    that are `Scope.rigs` are there for cases alone.
    """
    declared: list[typed.Unit] = []
    configurations: list[tuple[Source, syntax.Configuration]] = []
    shared: list[tuple[Source, syntax.VariableSection]] = []

    def is_function(name: str) -> bool:
        unit = find_unit(name.upper(), scope)
        return scope.standard.function(name.upper()) is not None or (unit is not None and unit.kind == "FUNCTION")

    for written in sorted(sources, key=lambda written: written.asks):
        known, source = len(findings.items), written.source
        file = written.read(source, findings, is_function)
        scope.allowances += file.allowances
        broken = any(stops(f.name) for f in findings.items[known:])
        for type_at in file.types:
            _declare_type(type_at, source, scope, findings)
        shared += [(source, section) for section in file.globals]
        configurations += [(source, node) for node in file.configurations]
        declared += [
            u for u in (declare(node, source, scope, findings, broken) for node in file.units) if u is not None
        ]
    # Constants first: types have them in their bounds. Then types, since all else has one; then what may be of any
    # type.
    for source, section in shared:
        if "CONSTANT" in section.qualifiers:
            _globals(source, section, scope, findings)
    _types(scope, findings)
    for source, section in shared:
        if "CONSTANT" not in section.qualifiers:
            _globals(source, section, scope, findings)
    # Tags become global variables before any unit is looked at, so that a body finds them as it finds the others.
    declare_tags(tables, scope, lambda source: checker_of(_outside(source), scope, findings))
    # Who extends whom is known before interfaces, which take what is inherited; circles are cut, so that nobody runs
    # in one.
    for unit in declared:
        inherit(unit, checker_of(unit, scope, findings))
    cut_above(declared, lambda unit: checker_of(unit, scope, findings))
    number_units(declared)
    for unit in declared:
        _interface(unit, scope, findings)
    # Initial values of instances name pins of units that may be declared further down: they wait for all interfaces.
    for settle in scope.postponed:
        settle()
    made = [_configuration(node, source, scope, findings) for source, node in configurations]
    own = [node for source, node in configurations if source not in scope.rigs]
    programs = [unit for unit in declared if unit.kind == "PROGRAM" and unit.source not in scope.rigs]
    whole = _whole(scope, programs, findings) if programs and not own else None
    # A tag that stands for data of an instance needs the configuration that has it, and bodies need what tags stand
    # for.
    settle_aliases(scope, lambda unit: checker_of(unit, scope, findings))
    for unit in declared:
        check_methods(unit, lambda node: checker_of(node, scope, findings))
    for unit in declared:
        for part in (unit, *unit.methods.values()):
            _check_body(part, scope, findings)
    # The order of rows is a matter of what each reads, which their bodies tell.
    wired = [unit for unit in declared if unit.is_wired]
    if wired:
        from upright_block.language.checking.order import check_order

        for unit in wired:
            check_order(unit, findings)
    for unit, (_, configuration) in zip(made, configurations, strict=True):
        check_configuration(configuration, unit, checker_of(unit, scope, findings))
        check_accesses(configuration, unit, lambda looking: checker_of(looking, scope, findings))
    find_idle([unit for unit in declared if unit.source not in scope.rigs], own, findings)
    if whole is not None:
        make_configuration(checker_of(whole, scope, findings))
    # All bodies are known from here on: what is used nowhere, by two, or by itself.
    check_names(scope, findings)
    every = (*declared, *scope.configurations.values())
    check_tags([unit for unit in every if unit.source not in scope.rigs], scope, findings)
    bind_overrides(declared)
    # Areas of points get their size last: any body may have named one more point.
    scope.points.settle(rests(scope.tags.values()))
    tags_among.put(scope.globals, scope.tags)
    find_recursion(scope, findings)
    spread_broken(scope)
    if scope.tags or scope.points.areas:
        for unit in (*scope.units.values(), *scope.configurations.values()):
            if unit.kind in ("PROGRAM", "CONFIGURATION"):
                unit.shares = scope.globals  # cases name tags and points that no body uses
    for unit in scope.configurations.values():
        unit.is_broken |= any(used.is_broken for used in unit.uses.values())


def _whole(scope: Scope, programs: list[typed.Unit], findings: Findings) -> typed.Unit:
    """The configuration of a library that has none: its programs in the order of their files, then its tables."""
    programs.sort(key=lambda unit: (unit.is_wired, unit.source.path, unit.syntax.start))
    written = syntax.Unit(0, 0, "CONFIGURATION", scope.name, None, (), (), "")
    unit = typed.Unit("CONFIGURATION", scope.name, programs[0].source, written, "")
    make_programs(programs, checker_of(unit, scope, findings))
    return scope.configurations.setdefault(unit.name.upper(), unit)


def _configuration(node: syntax.Configuration, source: Source, scope: Scope, findings: Findings) -> typed.Unit:
    """Enter a configuration with its programs into the scope."""
    written = syntax.Unit(node.start, node.start + len("CONFIGURATION"), "CONFIGURATION", node.name, None, (), (), "")
    unit = typed.Unit("CONFIGURATION", node.name, source, written, "")
    declare_programs(node, unit, checker_of(unit, scope, findings))
    other = scope.configurations.setdefault(node.name.upper(), unit)
    if other is not unit:
        findings.add(_twice(written, source, other, words.configuration_twice(node.name)))
    named = scope.units.get(node.name.upper())
    if named is not None and not named.is_standard:
        findings.add(_twice(written, source, named, words.configuration_as_unit(node.name)))
    for setting in node.settings:
        with suppress(NoAddress):
            name, address = ".".join(part.name for part in setting.path), parse_address(setting.address)
            if not address.is_open:
                at = setting.address.upper()
                scope.enter_output(
                    Tag(name, source, node.start, node.end, point=scope.points.point(address), address=at)
                )
    return unit


def _declare_type(node: syntax.TypeDeclaration, source: Source, scope: Scope, findings: Findings) -> None:
    """Enter the name of a type into the scope."""
    if _is_free(node, source, scope, findings):
        scope.types[node.home.full(node.name).upper()] = NamedType(node.name, source, node)


def _is_free(node: syntax.TypeDeclaration | syntax.Unit, source: Source, scope: Scope, findings: Findings) -> bool:
    """Whether a name may be given to a type or a unit; if not, that is reported."""
    name = node.name.upper()
    key = node.home.full(name).upper()
    if key in ELEMENTARY or key in _OTHER_NAMES or scope.standard.source(key) or scope.standard.function(key):
        findings.add(words.name_of_standard(node).told(source, node.start, node.end))
        return False
    other = scope.units.get(key) or scope.types.get(key)
    if other is not None:
        findings.add(_twice(node, source, other, words.unit_twice(node.name)))
    return other is None


def _twice(node: syntax.Node, source: Source, other: typed.Unit | NamedType, said: Words) -> Finding:
    """That a name is given again which ``other`` has already."""
    return said.told(source, node.start, node.end, first_declared(other.source, other.syntax, other.name))


def _outside(source: Source) -> typed.Unit:
    """What stands for the unit at hand where a source declares something outside of any."""
    return typed.Unit("FUNCTION", "VAR_GLOBAL", source, _EMPTY, "")


def _types(scope: Scope, findings: Findings) -> None:
    """Read every type of the library, whether a variable is of it or not."""
    for named in list(scope.types.values()):
        unit = typed.Unit("FUNCTION", named.name, named.source, _EMPTY, "")
        with suppress(Problem):
            checker_of(unit, scope, findings).named_type(named, named.syntax)


_OTHER_NAMES = ("STRING", "WSTRING", "REF", "ASSERT", "LOWER_BOUND", "UPPER_BOUND")
_EMPTY = syntax.Unit(0, 0, "FUNCTION", "", None, (), (), "")


def _globals(source: Source, section: syntax.VariableSection, scope: Scope, findings: Findings) -> None:
    """Enter the variables of a VAR_GLOBAL section into the scope."""
    checker = checker_of(_outside(source), scope, findings)
    constant = "CONSTANT" in section.qualifiers
    for declaration in section.declarations:
        key = declaration.name.upper()
        other = scope.globals.variables.get(key)
        if other is not None:
            first = first_declared(other.source or source, other, other.name)
            checker.report(declaration, words.global_twice(declaration.name), first)
            continue
        type_ = checker.type_in(declaration)
        scope.globals.variables[key] = typed.Variable(
            declaration.name,
            "global",
            type_,
            constant=constant,
            comment=declaration.comment,
            start=declaration.start,
            end=declaration.end,
            address=declaration.address,
            source=source,
            retain=retain_of(section.qualifiers),
        )
        checker.settle_initial(scope.globals.variables[key], declaration)
        if declaration.address:
            declare_located(scope.globals.variables[key], declaration, scope, checker)


def declare(
    node: syntax.Unit, source: Source, scope: Scope, findings: Findings, broken: bool = False
) -> typed.Unit | None:
    """Enter the name of a unit into the scope; None when it has none or the name is taken."""
    if not node.name:
        return None
    if not _is_free(node, source, scope, findings):
        return None
    unit = typed.Unit(cast("typed.UnitKind", node.kind), node.name, source, node, node.comment, is_broken=broken)
    scope.units[unit.key] = unit
    for method_at in node.methods:
        _declare_method(method_at, unit, findings)
    return unit


def _declare_method(node: syntax.Unit, owner: typed.Unit, findings: Findings) -> None:
    """Enter a method into its unit."""
    if not node.name:
        return
    key = node.name.upper()
    other = owner.methods.get(key)
    if other is not None:
        findings.add(_twice(node, owner.source, other, words.method_twice(owner, node.name)))
        return
    method = typed.Unit("METHOD", node.name, owner.source, node, node.comment, is_broken=owner.is_broken)
    method.owner = owner
    method.access = access_of(node.qualifiers, "PUBLIC" if owner.kind == "INTERFACE" else "PROTECTED")
    owner.methods[key] = method


def find_unit(name: str, scope: Scope) -> typed.Unit | None:
    """The unit called ``name`` (in upper case); a standard unit or a stand-in is read on its first use."""
    found = scope.units.get(name)
    if found is not None:
        return found
    source = scope.standard.source(name)
    if source is None:
        source = scope.stand_ins().source(name)
        if source is None:
            return None
        scope.rigs.add(source)
    findings = Findings()
    for written in parse(source, findings).units:
        unit = typed.Unit(
            cast("typed.UnitKind", written.kind), written.name, source, written, written.comment, is_standard=True
        )
        scope.units[unit.key] = unit
        begun = len(scope.postponed)
        _interface(unit, scope, findings)
        while len(scope.postponed) > begun:
            scope.postponed.pop()()
        _check_body(unit, scope, findings)
    assert not findings.items, [str(f) for f in findings.items]
    return scope.units[name]


def named_unit(name: str, scope: Scope) -> typed.Unit | None:
    """The unit that a person may call ``name``: one of the library, of the standard but for its helpers, or a
    stand-in.
    """
    unit = find_unit(name, scope)
    if unit is None or not unit.is_standard or name in scope.standard.names or unit.source in scope.rigs:
        return unit
    return None


def checker_of(unit: typed.Unit, scope: Scope, findings: Findings) -> TypeChecker:
    """What reads the parts of a unit."""
    return TypeChecker(unit, scope, findings, lambda name: find_unit(name, scope))


# --- interfaces ---


def _interface(unit: typed.Unit, scope: Scope, findings: Findings) -> None:
    """Fill in the variables of a unit and of its methods, with their types and initial values."""
    if unit.variables:
        return
    checker = checker_of(unit, scope, findings)
    if unit.base is not None:
        _interface(unit.base, scope, findings)
        unit.variables |= unit.base.variables
        unit.edges |= unit.base.edges
        unit.use(unit.base, unit.syntax.bases[0] if unit.syntax.bases else unit.syntax, 0)
    result = unit.syntax.result
    if result is not None:
        type_ = checker.type_of(result)
        if isinstance(type_, typed.Unit):
            checker.report(result, words.block_as_result(type_))
            type_ = BROKEN
        unit.result = typed.Variable(
            unit.name, "result", type_, checker.initial_of(result, type_), start=unit.syntax.start, end=unit.syntax.end
        )
    for section in unit.syntax.sections:
        if section.section not in _SECTIONS:
            unit.is_broken = True
            continue
        for declaration in section.declarations:
            if not isinstance(declaration.type, syntax.ResultOf):
                _variable(unit, section, declaration, checker)
    if unit.syntax.sequence is not None:
        declare_sequence(unit.syntax.sequence, unit, checker)
    for method in unit.methods.values():
        _interface(method, scope, findings)
    for part in (unit, *unit.methods.values()) if unit.owner is None else ():
        _results(part, scope, findings)


def _results(unit: typed.Unit, scope: Scope, findings: Findings) -> None:
    """Declare what has the type of what an expression gives, which may call any method of the unit."""
    checker = checker_of(unit, scope, findings)
    for section in unit.syntax.sections:
        for declaration in section.declarations:
            if isinstance(declaration.type, syntax.ResultOf):
                _variable(unit, section, declaration, checker)


def _variable(
    unit: typed.Unit, section: syntax.VariableSection, node: syntax.Declaration, checker: TypeChecker
) -> None:
    key = node.name.upper()
    other = unit.variables.get(key)
    if other is not None:
        owner = [u for u in unit.ancestors if other in u.variables.values()][-1]
        first = first_declared(owner.source, other, other.name)
        checker.report(node, words.declared_twice(node.name, unit), first)
        return
    if not unit.keeps_data and key == unit.name.upper():
        checker.report(node, words.name_of_result(node.name, unit))
        return
    constant = "CONSTANT" in section.qualifiers
    kind = _SECTIONS[section.section]
    type_ = checker.type_in(node, is_in_out=kind == "in_out")
    if node.address and not _locate(unit, node, type_, checker):
        return
    variable = typed.Variable(
        node.name,
        kind,
        type_,
        constant=constant,
        comment=node.comment,
        start=node.start,
        end=node.end,
        address=node.address,
        access=access_of(section.qualifiers),
        has_initial=node.initial is not None,
        retain=retain_of(section.qualifiers),
    )
    unit.variables[key] = variable
    if kind == "external":
        variable.shared = _external(node, type_, checker)
        return
    checker.settle_initial(variable, node)
    if constant and kind not in ("private", "temp"):
        checker.report(node, words.constant_pin(node.name))
    if variable.retain and (constant or kind in ("temp", "in_out") or not unit.keeps_data):
        checker.report(node, words.nothing_to_retain(node.name))
    if kind == "in_out" and node.initial is not None:
        checker.report(node.initial, words.initial_in_out(node.name))
    if node.edge:
        _edge(unit, node, variable, checker)
    _instances(unit, node, type_, checker)


def _edge(unit: typed.Unit, node: syntax.Declaration, variable: typed.Variable, checker: TypeChecker) -> None:
    """The detector of an input with R_EDGE or F_EDGE."""
    if variable.type is not BOOL or variable.section != "input" or not unit.keeps_data:
        checker.report(node, words.edge_of_other(node.edge))
        return
    block = checker.find_unit(f"{node.edge[0]}_TRIG")
    assert block is not None
    unit.use(block, node)
    detector = typed.Variable(f"{node.name}:edge", "private", block, start=node.start, end=node.end)
    unit.variables[detector.key] = detector
    unit.edges[variable.key] = detector


def _locate(unit: typed.Unit, node: syntax.Declaration, type_: Type, checker: TypeChecker) -> bool:
    """Note the address of a variable; False where it is in memory, which holds it itself, or cannot be there."""
    try:
        address = parse_address(node.address)
    except NoAddress as problem:
        checker.report(node, problem.words)
        return True
    if unit.kind != "PROGRAM" and (not address.is_open or not unit.keeps_data):
        checker.report(node, words.address_in_block(node.name, node.address, unit))
        return True
    unit.located[node.name.upper()] = address
    if address.is_open or type_ is BROKEN:
        return True
    point = checker.scope.points.point(address)
    tag = Tag(f"{unit.name}.{node.name}", unit.source, node.start, node.end, point=point, address=node.address.upper())
    if not checker.scope.points.has(point):
        checker.report(node, point_too_far(node.address))
        return True
    with suppress(Problem):
        check_type(tag, type_, checker)
    checker.scope.points.reach(point)
    _output(tag, checker)
    if address.area != "M":
        return True
    at_memory(unit)[node.name.upper()] = syntax.DirectAddress(0, 0, address, type_)
    return False


def _output(tag: Tag, checker: TypeChecker) -> None:
    """Enter what a program has AT an output; a bit of a bit string there may have a name of its own."""
    point = tag.point
    assert point is not None
    for other in checker.scope.outputs_at(point):
        assert other.point is not None
        if other.point == point or 1 not in (point.width, other.point.width):
            related = Related(other.source, other.start, other.end, f"{other.name} is at {other.address}")
            checker.report(tag, output_twice(tag, other), related)
            break
    checker.scope.enter_output(tag)


def _external(node: syntax.Declaration, type_: Type, checker: TypeChecker) -> typed.Variable | None:
    """The global variable that an external one is (6.5.2.3)."""
    tag = checker.scope.tags.get(node.name.upper())
    if tag is not None and tag.held is not None:
        if tag.held is not type_ and type_ is not BROKEN:
            checker.report(node.type, words.other_type_than_global(node.name, type_, tag.held))
        return None
    shared = checker.find_global(node.name.upper())
    if shared is None:
        checker.unknown(node.name, node, words.unknown_global(node.name), checker.global_names())
    elif shared.type is not type_ and BROKEN not in (shared.type, type_):
        checker.report(node.type, words.other_type_than_global(node.name, type_, shared.type))
    return shared


def _instances(unit: typed.Unit, node: syntax.Declaration, type_: Type, checker: TypeChecker) -> None:
    """Note the blocks that a variable holds instances of; only a block can hold them."""
    for block in _blocks_in(type_):
        if unit.variables[node.name.upper()].section == "in_out":
            unit.refers[block.key] = block
            continue
        unit.use(block, node.type, 0)
        if block.has("ABSTRACT"):
            checker.report(node.type, words.abstract_instance(block))
        if not unit.keeps_data:
            checker.report(node, words.instance_in_function(node.name, block, unit))


def _blocks_in(type_: Type) -> list[typed.Unit]:
    """The blocks that values of a type contain instances of."""
    if isinstance(type_, typed.Unit):
        return [type_]
    if isinstance(type_, Array):
        return _blocks_in(type_.element)
    if isinstance(type_, typed.Structure):
        return [block for field in type_.variables.values() for block in _blocks_in(field.type)]
    return []


# --- bodies ---


def _check_body(unit: typed.Unit, scope: Scope, findings: Findings) -> None:
    checker = checker_of(unit, scope, findings)
    statements = unit.syntax.body
    if unit.syntax.sequence is not None:
        check_sequence(unit.syntax.sequence, unit, checker)
        statements = () if unit.is_broken else sequence_body(unit.syntax.sequence, unit)
    body = checker.body(statements)
    if body and unit.kind in ("CLASS", "INTERFACE"):
        checker.report(unit.syntax.body[0], words.body_of_its_own(unit))
    body = (*_guard(unit), *_detect(unit), *body)
    note_accesses(unit, body, scope.globals)
    if not unit.is_broken:
        unit.body = body
    result = unit.result
    is_real = not (unit.owner and (unit.has("ABSTRACT") or unit.owner.kind == "INTERFACE"))
    if result is not None and is_real and not unit.is_broken and not _assigns(body, result):
        findings.add(words.result_never_set(unit).told(unit.source, unit.syntax.start, unit.syntax.end))


def _detect(unit: typed.Unit) -> list[typed.Statement]:
    """The calls of the detectors of inputs with an edge."""
    found: list[typed.Statement] = []
    for key, detector in unit.edges.items():
        block, pin = detector.type, unit.variables[key]
        assert isinstance(block, typed.Unit)
        made = syntax.Made(pin.start, pin.end)
        signal = typed.Load(BOOL, typed.whole(pin, made))
        inputs = ((block.variables["CLK"], signal),)
        found.append(typed.CallInstance(made, typed.whole(detector, made), block, inputs, (), ()))
    return found


def _guard(unit: typed.Unit) -> tuple[typed.Statement, ...]:
    """What a unit that declares EN or ENO does first: without EN it does nothing (6.6.1.5)."""
    enable, told = unit.variables.get("EN"), unit.variables.get("ENO")
    tell: list[typed.Statement] = []
    if told is not None and told.section == "output" and told.type is BOOL:
        made = syntax.Made(told.start, told.end)
        place = typed.whole(told, made)
        tell = [typed.Assign(made, place, typed.Constant(BOOL, value)) for value in (False, True)]
    found: list[typed.Statement] = []
    if enable is not None and enable.section == "input" and enable.type is BOOL:
        made = syntax.Made(enable.start, enable.end, role="disable")
        off = typed.Unary(BOOL, "NOT", typed.Load(BOOL, typed.whole(enable, made)), enable.start)
        branch = typed.Branch(made, off, (*tell[:1], typed.Return(made)))
        found.append(typed.If(made, (branch,), ()))
    return (*found, *tell[1:])


def _assigns(body: Iterable[typed.Statement], variable: typed.Variable) -> bool:
    return any(
        access.kind in ("write", "address") and access.place is not None and access.place.root is variable
        for statement in every_statement(body)
        for access in accesses(statement)
    )
