"""What a check can see before any run: facts across the library, and small checks over them.

A layer over the typed tree. `facts` gathers uses and flows, `flow` walks one body, `terms` are values and `conditions`
compares them; each of `checks` gives findings of one subject.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence

from upright_block.analysis.checks.calls import check_calls, check_late
from upright_block.analysis.checks.contacts import check_contacts
from upright_block.analysis.checks.copies import Slip, check_copies
from upright_block.analysis.checks.decisions import check_decisions, check_loops, check_too_early, check_transitions
from upright_block.analysis.checks.latches import check_latches
from upright_block.analysis.checks.numbers import check_numbers
from upright_block.analysis.checks.siblings import Pins, check_odd, check_open, check_unread, pins_by_source
from upright_block.analysis.checks.states import check_states
from upright_block.analysis.checks.timers import check_timers
from upright_block.analysis.checks.uses import check_uses
from upright_block.analysis.checks.writers import check_overwritten, check_writers
from upright_block.analysis.facts import Facts, Given, merged
from upright_block.analysis.flow import Flow
from upright_block.language.nodes import record
from upright_block.language.scope import Scope
from upright_block.language.source import Source
from upright_block.language.telling.findings import Finding, Findings

_OF_BODIES: tuple[Callable[[Flow, Facts], Iterator[Finding]], ...] = (
    check_overwritten,
    check_calls,
    check_late,
    check_timers,
    check_latches,
    check_decisions,
    check_loops,
    check_transitions,
    check_too_early,
    check_numbers,
    check_contacts,
    check_unread,
)


@record
class Analysed:
    """What the analysis found: ``own`` are findings that a file has by itself and what it uses, ``wide`` those that
    come of all files together. ``pins`` and ``given`` are what the latter are made of, besides what is known of other
    files.
    """

    own: list[Finding]
    wide: list[Finding]
    pins: dict[Source, Pins]
    given: Given


def analyse(scope: Scope) -> list[Finding]:
    """All that the analysis finds in a library that was read, by file and place; what is doubtful among it."""
    found = Findings()
    done = analysed(scope)
    for finding in (*done.own, *done.wide):
        found.add(finding)
    return found.in_order()


def analysed(scope: Scope, outside: Iterable[Pins] = (), given: Given | None = None) -> Analysed:
    """What the analysis finds in the units of a scope; ``outside`` is what files say that are not in it, and ``given``
    the initial values that these give.
    """
    facts = Facts(scope, given)
    found = Findings()
    for finding in check_uses(facts):
        found.add(finding)
    for flow in facts.bodies():
        for check in _OF_BODIES:
            for finding in check(flow, facts):
                found.add(finding)
    slips: list[Slip] = []
    for unit in facts.units:
        slips += check_copies(unit, facts)
        for finding in check_states(unit, facts):
            found.add(finding)
    for slip in slips:
        found.add(slip.finding)
    pins = pins_by_source(facts)
    every = Pins()
    for part in (*pins.values(), *outside):
        every.add(part)
    wide = [*check_writers(facts), *check_odd(every.calls)]
    if facts.is_whole:  # else what cannot be read may give them
        wide += check_open(every, merged(facts.given, given or {}))
    return Analysed(_without_echoes(found.in_order(), slips), wide, pins, facts.given)


def _without_echoes(findings: list[Finding], slips: Sequence[Slip]) -> list[Finding]:
    """Findings without those that only a forgotten name causes, which is told itself."""
    names = {(slip.finding.source.path, name.upper()) for slip in slips for name in slip.names}
    return [
        finding
        for finding in findings
        if finding.name not in _ECHOES or (finding.source.path, _marked(finding)) not in names
    ]


_ECHOES = frozenset(
    {
        "two-writers",
        "latch-one-way",
        "never-written",
        "never-read",
        "never-used",
        "no-effect",
        "result-unused",
        "called-twice",
    }
)


def _marked(finding: Finding) -> str:
    return finding.source.text[finding.start : finding.end].partition(" ")[0].upper()
