"""Every instance of a configuration: where it stands, its settings, and what is wired to it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from upright_block.language import syntax, typed
from upright_block.language.limits import MOST_NESTED
from upright_block.language.nodes import Side, record
from upright_block.language.printing import expression_text
from upright_block.language.source import Source
from upright_block.language.types import Array, Type
from upright_block.language.walking import every_statement


@record
class Instance:
    """An instance of a block, or of a program in a task.

    ``settings`` are the constants that it is called with where they are not those of the block, ``inputs`` what else is
    wired to its pins and ``outputs`` where they go, by the names of the pins. It stands at ``start`` in the source of
    ``owner``, the unit that has it.
    """

    path: str
    unit: typed.Unit
    owner: typed.Unit
    start: int
    settings: Mapping[str, str]
    inputs: Mapping[str, str]
    outputs: Mapping[str, str]
    comment: str

    @property
    def where(self) -> tuple[Source, int]:
        """Where it is declared; a program that no text puts into a task, where its own text begins."""
        return (self.owner.source, self.start) if self.owner.is_written else (self.unit.source, self.unit.syntax.start)


def instances(configuration: typed.Unit, standard: bool = False) -> Iterator[Instance]:
    """The instances in a configuration, each before those inside it; those of standard blocks only if asked for."""
    yield from _inside(configuration, "", standard, 0)


def _inside(owner: typed.Unit, path: str, standard: bool, depth: int) -> Iterator[Instance]:
    if depth > MOST_NESTED:
        return
    calls = _calls(owner)
    for variable in owner.variables.values():
        if variable.is_hidden or variable.section in ("external", "in_out"):
            continue
        for name, unit in _units(variable.name, variable.type):
            if unit.is_standard and not standard:
                continue
            settings, inputs, outputs = _wired(calls.get(name.upper()), unit)
            found = f"{path}{name}"
            yield Instance(
                found, unit, owner, variable.start, settings, inputs, outputs, " ".join(variable.comment.split())
            )
            yield from _inside(unit, f"{found}.", standard, depth + 1)


def _units(name: str, type_: Type) -> Iterator[tuple[str, typed.Unit]]:
    if isinstance(type_, typed.Unit):
        yield name, type_
    elif isinstance(type_, Array) and isinstance(type_.element, typed.Unit):
        for indices in type_.indices():
            yield f"{name}[{','.join(map(str, indices))}]", type_.element


@Side
def _calls(owner: typed.Unit) -> dict[str, typed.CallInstance]:
    """The first call of each instance in the body of its owner, by its name in upper case."""
    found: dict[str, typed.CallInstance] = {}
    for statement in every_statement(owner.body or ()):
        written = statement.origin
        if isinstance(statement, typed.CallInstance) and isinstance(written, syntax.CallStatement):
            found.setdefault(expression_text(written.call.callee).upper(), statement)
    return found


def _wired(
    statement: typed.CallInstance | None, unit: typed.Unit
) -> tuple[dict[str, str], dict[str, str], dict[str, str]]:
    """The settings that differ from those of the block, the other inputs, and the outputs of a call."""
    settings: dict[str, str] = {}
    inputs: dict[str, str] = {}
    outputs: dict[str, str] = {}
    written = statement.origin if statement else None
    if statement is None or not isinstance(written, syntax.CallStatement):
        return settings, inputs, outputs
    constants = {pin: value.value for pin, value in statement.inputs if isinstance(value, typed.Constant)}
    positional = unit.positional
    for number, argument in enumerate(written.call.arguments):
        pin = unit.variables.get(argument.name.upper()) if argument.name else positional[number]
        if pin is None:
            continue
        text = expression_text(argument.value)
        if pin.section == "output":
            outputs[pin.name] = text
        elif pin not in constants:
            inputs[pin.name] = text
        elif constants[pin] != pin.initial:
            settings[pin.name] = text
    return settings, inputs, outputs
