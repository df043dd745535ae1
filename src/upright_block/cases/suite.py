"""All cases of a library: found, read, made ready, and chosen by name."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from fnmatch import translate
from pathlib import Path

from upright_block.cases.casefile import CaseFile, read_case_file
from upright_block.cases.plan import Plan, plan_case
from upright_block.language.findings import Finding, Findings
from upright_block.language.names import did_you_mean
from upright_block.language.typed import Unit
from upright_block.language.types import BROKEN, OpenArray
from upright_block.language.wrapping import as_block
from upright_block.library import Library, files


@dataclass(frozen=True, slots=True)
class Suite:
    """``plans`` are the cases that can run.

    ``blocked`` counts the cases of units that have errors, ``unusable`` those with errors of their own.
    """

    plans: tuple[Plan, ...]
    findings: tuple[Finding, ...]
    blocked: int
    unusable: int


def load_suite(library: Library) -> Suite:
    """Read all case files of a library. Mistakes become findings; a case with one is left out."""
    findings = Findings()
    plans: list[Plan] = []
    blocked = unusable = 0
    blocks: dict[str, Unit] = {}
    for path in files(library.root / library.manifest.cases, (".toml",)):
        file = read_case_file(path, library.root, findings)
        if file is None:
            continue
        unusable += file.unusable
        unit = _unit(file, library, findings)
        if unit is None:
            unusable += len(file.cases)
            continue
        if unit.is_broken:
            blocked += len(file.cases)
            if not _can_be_planned(unit):
                continue
        block = blocks.setdefault(unit.key, as_block(unit))
        for case in file.cases:
            plan = plan_case(file, case, block, findings)
            if plan is None or unit.is_broken:
                unusable += not unit.is_broken
                continue
            if not plan.columns:
                findings.add(
                    Finding(
                        "checks-nothing",
                        file.source,
                        case.place.start,
                        case.place.end,
                        f'The case "{case.name}" checks nothing.',
                        "Add a column for an output.",
                        "warning",
                    )
                )
            plans.append(plan)
    return Suite(tuple(plans), tuple(findings.in_order()), blocked, unusable)


def _can_be_planned(unit: Unit) -> bool:
    """Whether the cases of a broken unit can still be read against its variables."""
    variables = [*unit.variables.values(), *([unit.result] if unit.result else [])]
    return all(
        _can_be_planned(v.type) if isinstance(v.type, Unit) else v.type is not BROKEN for v in variables
    )


def _unit(file: CaseFile, library: Library, findings: Findings) -> Unit | None:
    """The unit that a case file names, where its cases can be run."""
    unit = library.find(file.block)
    if unit is None:
        names = [u.name for u in library.units]
        hint = did_you_mean(file.block, names) or f"The library has {', '.join(names[:8]) or 'no blocks'}."
        problem: tuple[str, str, str] | None = ("unknown-name", f"There is no block {file.block}.", hint)
    else:
        problem = _cannot_run(unit)
    if problem is None:
        return unit
    name, message, way_out = problem
    place = file.block_place
    findings.add(Finding(name, file.source, place.start, place.end, message, way_out))
    return None


def _cannot_run(unit: Unit) -> tuple[str, str, str] | None:
    """The name, message and way out of a finding, where a case cannot give a unit what it needs."""
    if unit.has("ABSTRACT"):
        return (
            "abstract",
            f"{unit.name} is ABSTRACT and has no instances.",
            "Write cases for a block that extends it.",
        )
    for pin in unit.section("in_out"):
        if isinstance(pin.type, OpenArray):
            return (
                "open-array",
                f"{unit.name} works on an array of any length, {pin.name}; a case cannot say how long it is.",
                "Write a small block that gives it an array, and a case for that.",
            )
    for block in unit.refers.values():
        if block.has("ABSTRACT"):
            return (
                "abstract",
                f"{unit.name} works on an instance of {block.name}, which is ABSTRACT; a case cannot give it one.",
                f"Write a small block that gives it one that extends {block.name}, and a case for that.",
            )
    return None


def choose(plans: Sequence[Plan], patterns: Sequence[str]) -> list[Plan]:
    """The plans that any of ``patterns`` names; all of them when there is none.

    A pattern is part of the name of a case, of its block or of its file, letter case ignored; ``*``
    and ``?`` stand for any characters. The path of a case file chooses its cases.
    """
    if not patterns:
        return list(plans)
    return [plan for plan in plans if any(matches(plan, pattern) for pattern in patterns)]


def matches(plan: Plan, pattern: str) -> bool:
    """Whether a pattern names the plan."""
    if pattern.lower().endswith(".toml"):
        return Path(plan.file.source.path).parts[-len(Path(pattern).parts) :] == Path(pattern).parts
    glob = re.compile(translate(f"*{pattern}*"), re.IGNORECASE)
    return any(glob.match(name) for name in (plan.id, plan.case.name, plan.unit.name))
