"""Final values of a run by hand taken over as initial values in the sources."""

from __future__ import annotations

from collections.abc import Sequence
from fnmatch import fnmatchcase

from upright_block.cases.overwriting import Overwriting
from upright_block.edits.initials import Initials
from upright_block.edits.words import retaining as words
from upright_block.errors import NotRunnable, UnknownName
from upright_block.language.names import did_you_mean
from upright_block.language.signals import NoSignal, Signal, find_signal
from upright_block.language.telling.edits import Edit
from upright_block.language.telling.findings import Finding, Findings
from upright_block.language.typed import Unit, Variable
from upright_block.language.types import Elementary, String
from upright_block.runs.watched import Watched, parted


def kept(run: Watched, patterns: Sequence[str]) -> tuple[list[Edit], list[str], list[Finding]]:
    """The edits that make what is chosen begin as the run ended, what a pattern fits and leaves out, and what cannot be
    kept.

    What is as it was at the beginning is left alone.

    Raises:
        UnknownName: a pattern chooses nothing.
        NotRunnable: the run stopped with a fault.
    """
    if run.fault is not None:
        raise NotRunnable(*words.run_with_fault_kept())
    unit, machine = run.run.unit, run.machine
    unit = unit.wraps or unit
    findings = Findings()
    initials = Initials(unit, findings, Overwriting(run.run.unit))
    left: list[str] = []
    for pattern in parted(patterns):
        signals, own_left = _chosen(run.run.unit, pattern)
        left += own_left
        for signal in signals:
            slot = machine.slot(signal)
            value = machine.peek(slot)
            if repr(value) != repr(slot.decode(machine.artifact.initial, slot.offset)):
                initials.change(signal, value)
    edits = initials.edits()
    return edits, left, findings.in_order()


def _chosen(unit: Unit, pattern: str) -> tuple[list[Signal], list[str]]:
    """The signals that a pattern chooses, and the names of variables that it fits and that are no single values."""
    own = [v for v in unit.variables.values() if _is_own(v)]
    if any(letter in pattern for letter in "*?"):
        fitting = [v for v in own if fnmatchcase(v.key, pattern.upper().replace("[", "[[]"))]
        if not fitting:
            raise UnknownName(*words.nothing_to_keep(unit.name, pattern))
        single = [v for v in fitting if isinstance(v.type, (Elementary, String))]
        return [find_signal(unit, v.name) for v in single], [v.name for v in fitting if v not in single]
    try:
        signal = find_signal(unit, pattern)
    except NoSignal as problem:
        said = problem.words()
        raise UnknownName(said.message, said.way_out) from None
    if not signal.is_value or signal.variable.is_code:
        near = did_you_mean(pattern, (v.name for v in own)) or "Name a single value, as running.PT."
        raise UnknownName(*words.not_kept(pattern, near))
    return [signal], []


def _is_own(variable: Variable) -> bool:
    return variable.section in ("input", "private") and not variable.is_code and not variable.is_hidden
