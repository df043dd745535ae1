"""What the runs of cases trace besides their verdicts: what signals did."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.cases.plan import BoundCase, ReadyCase
from upright_block.cases.watch import WatchedRow, WatchedRule
from upright_block.language.nodes import record
from upright_block.language.signals import Signal, every_signal, find_signal
from upright_block.language.typed import Unit
from upright_block.machine.machine import Machine
from upright_block.runs.verdict import Verdict
from upright_block.runs.watched import chosen_by, pins_of
from upright_block.traces.tracks import Gatherer, Tracks


@record
class Tracing:
    """To trace what a case names, in its order, and what ``patterns`` choose besides; of a case that names nothing the
    pins.

    Of a signal with more than ``most`` changes as few are kept; ``begin`` and ``end`` are times in ns.
    """

    patterns: Sequence[str] = ()
    most: int | None = None
    begin: int = 0
    end: int | None = None

    def gatherer(self, bound: BoundCase, machine: Machine) -> Gatherer:
        """What takes the pieces of a run of a case.

        Raises:
            UnknownName: a pattern chooses nothing.
        """
        case, unit = bound.case, bound.unit
        found = {signal.path: signal for path in named_by(case) if (signal := _signal(bound, path)).is_value}
        if self.patterns or not found:
            known = every_signal(unit)
            if not found:
                found = {signal.path: signal for signal in pins_of(unit, known)}
            found |= chosen_by(unit, known, self.patterns)
        signals = [signal for signal in found.values() if not signal.variable.is_code]
        slots = [machine.slot(signal) for signal in signals]
        timebase = case.plan.timebase
        end = None if self.end is None else timebase.scans_before(self.end)
        return Gatherer(unit, signals, slots, timebase, self.most, timebase.scans_before(self.begin), end)

    def of_interest(self, verdict: Verdict, unit: Unit) -> Tracks | None:
        """What was gathered for a verdict, without what only rules of a block name that did not break."""
        tracks = verdict.tracks
        if tracks is None:
            return None
        broken = {id(found.watched) for found in verdict.breaks}
        wanted = set(named_by(verdict.case, broken))
        aside = set(named_by(verdict.case)) - wanted
        if aside and self.patterns:
            aside -= chosen_by(unit, every_signal(unit), self.patterns).keys()
        return Tracks([track for path, track in tracks.items() if path not in aside], tracks.end, tracks.unit)


def named_by(case: ReadyCase, broken: set[int] | None = None) -> list[str]:
    """The paths that a case names, each once: those of its columns, then of its rules and timing rows.

    Rules and rows of a block are among these where they are ``broken``, by identity; all of them without that.
    """
    watch = case.watch
    watched: list[WatchedRule | WatchedRow] = [*watch.rules, *watch.rows]
    asked = (each for each in watched if broken is None or not each.is_of_block or id(each) in broken)
    return list(dict.fromkeys((*case.plan.shown, *(path for each in asked for path in each.named))))


def _signal(bound: BoundCase, path: str) -> Signal:
    return bound.signals.get(path) or find_signal(bound.unit, path)
