"""Rules and timing rows made ready to be looked at: expressions become probes, which cases share."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from upright_block.cases.rules import Allowed, Occurrence, Phrase, Rule, TimingRow
from upright_block.cases.watch import WatchedRow, WatchedRule, Watching
from upright_block.cases.words import rules as words
from upright_block.compiler.looking import Guard, Probe
from upright_block.language.checking.observing import broken, expression_of, observe
from upright_block.language.scope import Scope
from upright_block.language.signals import Signal, find_signal, signals_in
from upright_block.language.telling.catalogue import stops
from upright_block.language.telling.findings import Findings, Words
from upright_block.language.timebase import Timebase
from upright_block.language.typed import Assign, Constant, Unit

Methods = dict[tuple[str, Unit, bool], Unit | None]
"""The methods of expressions that were read: by text, unit, and whether it is a condition."""


class Watcher:
    """Makes probes for instances of the block ``unit`` in a subject; an expression on one is one probe."""

    def __init__(
        self,
        subject: Unit,
        scope: Scope,
        timebase: Timebase,
        methods: Methods,
        findings: Findings,
        unit: Unit | None = None,
    ) -> None:
        self.subject = subject
        self.unit = unit or subject
        self.is_of_block = unit is not None
        self.path = ""
        self.scope = scope
        self.timebase = timebase
        self.findings = findings
        self.methods = methods
        self.probes: dict[tuple[object, ...], Probe] = {}
        self.named: dict[str, tuple[Signal, ...]] = {}

    def watch(self, rules: Sequence[Rule], rows: Sequence[TimingRow], before: Watching) -> Watching:
        """Look at rules and rows of the instance, and at all that stands in ``before``, which stays as it is."""
        if not rules and not rows:
            return before
        found = Watching([*before.rules], [*before.rows], [*before.probes], before.is_broken, dict(before.numbers))
        self.extend(found, rules, rows)
        return found

    def extend(self, found: Watching, rules: Sequence[Rule], rows: Sequence[TimingRow], path: str = "") -> None:
        """Look at rules and rows of the instance at a path too."""
        if path != self.path:
            self.path, self.probes = path, {}
        for rule in rules:
            self._rule(rule, found)
            found.is_broken &= (
                not self.is_of_block
            )  # of a block what is wrong here is told; the others, and the cases, go on
        for row in rows:
            self._row(row, found)
            found.is_broken &= not self.is_of_block

    def _rule(self, rule: Rule, found: Watching) -> None:
        phrases = [p for p in (rule.expression, rule.during, rule.after, rule.until) if p]
        breaks_when = rule.kind == "never"
        if self.is_of_block and rule.during is not None and rule.after is None and rule.until is None:
            both = self._both(rule, found)
            if both is not None:
                named = self._named(phrases)
                found.rules.append(
                    WatchedRule(
                        rule,
                        self.path,
                        both,
                        breaks_when=True,
                        during=None,
                        after=None,
                        until=None,
                        is_of_block=self.is_of_block,
                        named=named,
                    )
                )
                return
        during, after, until = (
            self._probe(phrase, found, is_condition=True) if phrase else None
            for phrase in (rule.during, rule.after, rule.until)
        )
        guards = [None if number is None else found.probes[number] for number in (during, after, until)]
        expression = self._probe(rule.expression, found, is_condition=True, guard=Guard(*guards))
        if expression is not None and not found.is_broken:
            named = self._named(phrases)
            found.rules.append(
                WatchedRule(rule, self.path, expression, breaks_when, during, after, until, self.is_of_block, named)
            )

    def _both(self, rule: Rule, found: Watching) -> int | None:
        """One probe for a rule with ``while``: that it is broken; None where one of its expressions looks back."""
        assert rule.during is not None
        key = (f"{rule.kind} {rule.expression.text} while {rule.during.text}", self.unit, True)
        if key not in self.methods:
            methods = [self._condition(phrase) for phrase in (rule.during, rule.expression)]
            during, expression = methods
            self.methods[key] = broken(rule.kind, during, expression) if during and expression else None
        method = self.methods[key]
        return (
            None
            if method is None
            else self._number(key[0], is_condition=True, method=method, found=found, guard=Guard(None, None, None))
        )

    def _condition(self, phrase: Phrase) -> Unit | None:
        key = (phrase.text, self.unit, True)
        if key not in self.methods:
            self.methods[key] = self._method(phrase, is_condition=True)
        return self.methods[key]

    def _row(self, row: TimingRow, found: Watching) -> None:
        begin = self._event(row.begin, found)
        end = self._event(row.end, found) if row.end else None
        after, until = (self._probe(p, found, is_condition=True) if p else None for p in (row.after, row.until))
        least, most = (self._bound(bound, row, found) if bound else None for bound in (row.least, row.most))
        if begin is None or found.is_broken:
            return
        phrases = [
            row.begin.expression,
            *([row.end.expression] if row.end else []),
            *(p for p in (row.after, row.until) if p),
        ]
        is_same = row.end is not None and _plain(row.begin.expression.text) == _plain(row.end.expression.text)
        is_period = row.end is not None and is_same and row.begin.edge == row.end.edge
        named = self._named(phrases)
        found.rows.append(
            WatchedRow(row, self.path, begin, end, least or 0, most, after, until, is_period, self.is_of_block, named)
        )

    def _event(self, event: Occurrence, found: Watching) -> int | None:
        return self._probe(event.expression, found, event.edge != "changes")

    def _probe(self, phrase: Phrase, found: Watching, is_condition: bool, guard: Guard | None = None) -> int | None:
        """The number of the probe of an expression, that of a rule where it has a guard; None, with a finding, where it
        is none.
        """
        key = (phrase.text, self.unit, is_condition)
        if key not in self.methods:
            self.methods[key] = self._method(phrase, is_condition)
        method = self.methods[key]
        if method is None:
            found.is_broken = True
            return None
        return self._number(phrase.text, is_condition, method, found, guard)

    def _number(self, text: str, is_condition: bool, method: Unit, found: Watching, guard: Guard | None) -> int:
        """The number of the probe of a method on the instance at hand."""
        guards = (None,) if guard is None else (id(guard.during), id(guard.after), id(guard.until))
        made = Probe(method, self.path, guard is None, guard)
        probe = self.probes.setdefault((text, is_condition, *guards), made)
        if id(probe) not in found.numbers:
            found.numbers[id(probe)] = len(found.probes)
            found.probes.append(probe)
        return found.numbers[id(probe)]

    def _method(self, phrase: Phrase, is_condition: bool) -> Unit | None:
        source, start = (phrase.source, phrase.start) if phrase.is_as_written else (None, 0)
        noted = Findings()
        method = observe(phrase.text, self.unit, self.scope, noted, is_condition, source, start)
        for finding in noted.items:
            if phrase.is_as_written:
                self.findings.add(finding)
            else:
                self._report(phrase, Words(finding.name, finding.message, finding.way_out))
        written = method.body[-1] if method is not None and method.body else None
        if isinstance(written, Assign) and isinstance(written.value, Constant):
            self._report(phrase, words.constant_rule(phrase.text))
            return None
        return None if any(stops(finding.name) for finding in noted.items) else method

    def _report(self, phrase: Phrase, said: Words) -> None:
        self.findings.add(said.told(phrase.source, phrase.start, max(phrase.end, phrase.start + 1)))

    def _bound(self, bound: Allowed, row: TimingRow, found: Watching) -> int:
        """A bound in ns; scans are those of the task that runs what the event at the end names."""
        if not bound.scans:
            return bound.time
        interval = self._interval(row)
        if interval is None:
            self._report(row.name, words.scan_of_no_task(bound.text))
            found.is_broken = True
            return 0
        return max(0, bound.time + bound.scans * interval)

    def _interval(self, row: TimingRow) -> int | None:
        assert row.end is not None
        if self.path:
            named = {find_signal(self.subject, self.path).root}
        else:
            named = {signal.root for signal in self._signals([row.end.expression])}
        intervals = {
            task.interval for task in self.subject.tasks for program in task.programs if not named or program in named
        }
        intervals = intervals or {task.interval for task in self.subject.tasks}
        if not intervals:
            return self.timebase.period if self.timebase.is_even else None
        return next(iter(intervals)) if len(intervals) == 1 else None

    def _named(self, phrases: Sequence[Phrase]) -> tuple[str, ...]:
        """The paths to single values that expressions name, each once."""
        paths = dict.fromkeys(signal.path for signal in self._signals(phrases))
        return tuple(f"{self.path}.{path}" for path in paths) if self.path else tuple(paths)

    def _signals(self, phrases: Sequence[Phrase]) -> Iterator[Signal]:
        """The single values that expressions name, from the block on; of one that is wrong none."""
        for phrase in phrases:
            if phrase.text not in self.named:
                ways = (self.methods.get((phrase.text, self.unit, is_condition)) for is_condition in (True, False))
                method = next((made for made in ways if made is not None), None)
                found = signals_in(self.unit, expression_of(method), phrase.text) if method is not None else ()
                self.named[phrase.text] = tuple(found)
            yield from self.named[phrase.text]


_QUOTED = re.compile(r"""('(?:[^'$]|\$.)*'|"(?:[^"$]|\$.)*")""")


def _plain(text: str) -> str:
    """An expression without what says nothing: letter case outside of texts, blanks, brackets around all of it."""
    parts = _QUOTED.split(text)
    made = "".join(
        part if number % 2 else re.sub(r"\s*(\W)\s*", r"\1", part.upper()) for number, part in enumerate(parts)
    )
    made = made.strip()
    while made.startswith("(") and made.endswith(")") and _closes_last(made):
        made = made[1:-1]
    return made


def _closes_last(text: str) -> bool:
    """Whether the first bracket is closed by the last."""
    depth = 0
    for place, letter in enumerate(_QUOTED.sub("", text)):
        depth += (letter == "(") - (letter == ")")
        if depth == 0:
            return place == len(_QUOTED.sub("", text)) - 1
    return False
