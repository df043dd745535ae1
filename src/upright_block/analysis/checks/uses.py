"""Variables that nobody writes, reads or uses, instances that nobody calls, and names that hide others."""

from __future__ import annotations

from collections.abc import Iterator

from upright_block.analysis.facts import Facts, held, is_understood
from upright_block.analysis.words import uses as words
from upright_block.language import typed
from upright_block.language.telling.edits import without_declaration
from upright_block.language.telling.findings import Finding, Related, Words
from upright_block.language.types import Array


def check_uses(facts: Facts) -> Iterator[Finding]:
    """Report what the variables of each unit lack."""
    extended = {base for unit in facts.units for base in unit.ancestors[1:]}
    for unit in facts.units:
        for part in (unit, *unit.methods.values()) if is_understood(unit) else ():
            if part.body is None or (part.owner and _is_promise(part)):
                continue
            inherited = set(unit.base.variables.values()) if unit.base and part is unit else set[typed.Variable]()
            for variable in part.variables.values():
                if variable in inherited or variable.is_hidden or variable.section in ("external", "this"):
                    continue
                said = _lacks(variable, part, facts, unit in extended)
                if said is not None:
                    is_unused = said.name == "never-used"
                    edit = without_declaration(unit.source, variable.start) if is_unused else None
                    yield said.told(unit.source, variable.start, variable.end, edit=edit)
                yield from _hides(variable, part, facts)


def _is_promise(method: typed.Unit) -> bool:
    """Whether a method has its pins from elsewhere: it is abstract, of an interface, or overrides another."""
    owner = method.owner
    assert owner is not None
    roles = (role for role in owner.roles[1:] if role.method(method.key.rpartition(".")[2]))
    return method.has("ABSTRACT") or owner.kind == "INTERFACE" or next(roles, None) is not None


def _lacks(variable: typed.Variable, unit: typed.Unit, facts: Facts, is_extended: bool) -> Words | None:
    uses = facts.uses(variable)
    if variable.constant:
        used = variable.is_folded or uses.is_read or variable.section != "private" or is_extended
        bodies = (facts.flow(part) for part in (unit, *unit.methods.values()) if part.body is not None)
        return None if used or any(variable in flow.constants for flow in bodies) else words.never_used(variable, unit)
    if unit.kind in ("INTERFACE", "CLASS") or unit.has("ABSTRACT"):
        used = uses.is_read or variable.section != "private"
        return None if used or uses.writes else words.never_used(variable, unit)
    inside = [use for use in uses.reads if _is_within(use.unit, unit)]
    written = [use for use in uses.writes if _is_within(use.unit, unit)]
    block = held(variable.type)[0]
    if block is not None and variable.section == "private":
        if uses.calls or any(use.kind == "address" for use in inside):
            return None
        if not inside and not written:
            return words.never_used(variable, unit)
        if block.kind == "FUNCTION_BLOCK" and block.body:
            return words.never_called(variable, block, bool(inside))
        return None
    match variable.section:
        case "output":
            if not written and not is_extended and not variable.has_initial:
                return words.output_never_written(variable, unit)
        case "input":
            if not inside and not is_extended and variable.key not in ("EN", *unit.edges):
                return words.input_never_read(variable, unit)
        case "in_out":
            if not inside and not written and not uses.calls and not is_extended:
                return words.input_never_read(variable, unit)
        case "private" | "temp":
            return _of_private(variable, unit, bool(inside or uses.calls), bool(written), uses.is_received)
    return None


def _of_private(
    variable: typed.Variable, unit: typed.Unit, is_read: bool, is_written: bool, is_received: bool
) -> Words | None:
    if variable.address or unit.syntax.sequence is not None:
        return None
    if not is_read and not is_written:
        return words.never_used(variable, unit)
    if not is_written and not variable.has_initial and not isinstance(variable.type, (typed.Structure, Array)):
        return words.variable_never_written(variable)
    if not is_read and not is_received and unit.kind != "PROGRAM":
        return words.variable_never_read(variable)
    return None


def _is_within(unit: typed.Unit, owner: typed.Unit) -> bool:
    """Whether a body belongs to a unit, or to one that extends it."""
    whole = unit.owner if unit.owner is not None and owner.owner is None else unit
    return owner in whole.ancestors


def _hides(variable: typed.Variable, unit: typed.Unit, facts: Facts) -> Iterator[Finding]:
    if variable.section not in ("private", "temp"):
        return
    other = facts.scope.globals.variables.get(variable.key)
    if other is None or other.source is None or other in facts.tags or other.source in facts.scope.rigs:
        return
    first = Related(other.source, other.start, other.end, f"the global variable {other.name}")
    yield words.hidden_global(variable, unit).told(unit.source, variable.start, variable.end, first)
