"""What can be asked of a run of what is in a library, from outside: one scan of it, and why a value is what it is."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from upright_block.errors import BadValue, UnknownName
from upright_block.face import words
from upright_block.face.runs import WithRuns
from upright_block.language.literals import shown_duration
from upright_block.language.nodes import replaced

if TYPE_CHECKING:
    from upright_block.cases.byhand import Wishes
    from upright_block.cases.plan import ReadyCase
    from upright_block.compiler.looking import Probe
    from upright_block.language.signals import Signal
    from upright_block.machine.trace import Fault
    from upright_block.reasons.scans import Statements
    from upright_block.reasons.tree import Answer
    from upright_block.runs.following import Followed
    from upright_block.runs.verdict import Verdict


class WithReasons(WithRuns):
    """Single scans of runs, and reasons of values."""

    def follow(
        self, target: str, wishes: Wishes, at: str | int | None = None, probes: Sequence[Probe] = ()
    ) -> tuple[Followed, int]:
        """A run of which any scan can be looked at statement by statement, and the number of the scan at a time;
        without one that in which the condition came true, or the run stopped or ended.

        Raises:
            UnknownName: there is no such target.
            NotRunnable: the target has errors.
            BadValue: a time or the condition does not fit, or the run is over before that time.
            BadWishes: something that is wished for cannot be; it has the findings.
        """
        from upright_block.cases.cells import moment
        from upright_block.runs.following import Followed
        from upright_block.runs.words import after_the_case, after_the_condition

        time = None if at is None else moment(at)
        is_case = self.find(target) is None
        if time is not None and wishes.span is None and wishes.until is None and not is_case:
            wishes = wishes.lasting(f"{max([time, *(own for _, own in wishes.behind(time))]) + 1}ns")
        watched = self.watch(target, wishes)
        plan = watched.run.plan
        last = plan.scans - 1
        if time is None or wishes.until is not None:
            for _ in watched.pieces():
                pass
            last = max(watched.scans - (watched.fault is None), 0)
        number = last if time is None else max(plan.timebase.scans_before(time + 1) - 1, 0)
        if number > last:
            said = after_the_condition if wishes.until is not None and watched.is_met else after_the_case
            raise BadValue(*said(shown_duration(plan.timebase.time(last))))
        return Followed(watched.run.unit, plan, watched.mode, probes), number

    def scan_of(self, target: str, wishes: Wishes, at: str | int | None = None) -> Statements:
        """One scan of a run, statement by statement, as `follow` chooses it.

        Raises:
            UprightError: as of `follow`.
        """
        from upright_block.reasons.scans import Statements

        return Statements.of(*self.follow(target, wishes, at))

    def why(
        self,
        target: str,
        signal: str | None,
        wishes: Wishes,
        at: str | int | None = None,
        *,
        into_rig: bool = False,
        deep: bool = False,
    ) -> Answer:
        """The reasons of the value of a signal, or of an expression, after a scan of a run, as `follow` chooses it.

        Of a case without a time it is the first moment at which that signal is wrong; without a signal what is wrong
        first, which may be a rule, a timing row or a fault. A rig is one reason, unless the tree goes ``into_rig``; it
        has eight levels, unless it goes ``deep``.

        Raises:
            UnknownName: there is no such signal.
            BadValue: without a signal: nothing is wrong. It is no expression, or has no value there.
            UprightError: as of `follow`.
        """
        from upright_block.cases.byhand import Wishes

        case = self._run_of(target, wishes)[2]
        path = None if signal is None else self._asked(target, signal, wishes)
        if case is not None and at is None and wishes == Wishes():
            found = self.explain(self.run([case])[0], path, into_rig=into_rig, deep=deep)
            if found is not None:
                return found
        if path is None:
            raise BadValue(*words.nothing_wrong(target, case is not None))
        return self._answered(target, case, path, signal or "", wishes, at, into_rig=into_rig, deep=deep)

    def explain(
        self, verdict: Verdict, about: Signal | Probe | None = None, *, into_rig: bool = False, deep: bool = False
    ) -> Answer | None:
        """The reasons of what is wrong first in a case, or first of a signal; None where nothing is.

        Raises:
            BadValue: a scan that matters does more than can be followed.
        """
        from upright_block.cases.byhand import Wishes
        from upright_block.compiler.looking import Probe
        from upright_block.machine.trace import Fault
        from upright_block.runs.verdict import Miss

        wrong = None if isinstance(about, Probe) else verdict.first_wrong(None if about is None else about.path)
        if wrong is None:
            return None
        case, wishes, text = verdict.case, Wishes(), ""
        found: Signal | Probe | Fault
        if isinstance(wrong, Miss):
            found = self._asked(case.id, wrong.slot.path, wishes)
        elif isinstance(wrong, Fault):
            found = about or wrong
        else:
            number, text = wrong.watched.judged
            found = self._bound(case).probes[number]
        at = case.plan.timebase.time(wrong.scan)
        answer = self._answered(case.id, case, found, text, wishes, at, into_rig=into_rig, deep=deep)
        return replaced(answer, verdict=verdict, wrong=wrong)

    def _answered(
        self,
        target: str,
        case: ReadyCase | None,
        found: Signal | Probe | Fault,
        text: str,
        wishes: Wishes,
        at: str | int | None,
        *,
        into_rig: bool,
        deep: bool,
    ) -> Answer:
        """The reasons of a signal, of an expression, or of what stopped a run."""
        from upright_block.compiler.looking import Probe
        from upright_block.machine.trace import Fault
        from upright_block.reasons.tree import MOST_DEEP, Answer
        from upright_block.reasons.why import MOST_NODES, Asker

        probes = [replaced(found, is_apart=True, is_early=True, guard=None)] if isinstance(found, Probe) else []
        followed, number = self.follow(target, wishes, at, probes)
        asker = Asker(followed, case, into_rig=into_rig, levels=MOST_NODES if deep else MOST_DEEP)
        if isinstance(found, Fault):
            node = asker.why_fault(found)
        elif isinstance(found, Probe):
            node = asker.why_expression(text, found.method, followed.program.probe_slots[0], number)
        else:
            node = asker.why(found, number)
        return Answer(node, followed.plan.timebase, case, followed.scan(number)[1])

    def _asked(self, target: str, text: str, wishes: Wishes) -> Signal | Probe:
        """The signal that a text names, or what gives the value of an expression.

        Raises:
            UnknownName: it names nothing that has a value.
            BadValue: it is no expression.
        """
        from upright_block.compiler.looking import Probe
        from upright_block.language.checking import observe
        from upright_block.language.signals import NoSignal, find_signal
        from upright_block.language.telling.findings import Findings

        unit = self._run_of(target, wishes)[0]
        try:
            found = find_signal(unit, text)
        except NoSignal as problem:
            said = problem.words()
            if not any(letter in text for letter in "()+-*/<>=&# "):
                raise UnknownName(said.message, said.way_out) from None
        else:
            if found.is_value:
                return found
            raise UnknownName(*words.no_single_value(text))
        findings = Findings()
        method = observe(text, unit, self._library.scope, findings)
        if method is None:
            first = findings.items[0]
            raise BadValue(f"{text}: {first.message}", first.way_out)
        return Probe(method)
