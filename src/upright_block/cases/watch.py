"""What of rules and timing rows is looked at in a run."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import chain
from typing import TYPE_CHECKING

from upright_block.language.nodes import fresh, node, record, state

if TYPE_CHECKING:
    from upright_block.cases.rules import Rule, TimingRow
    from upright_block.compiler.looking import Probe


@record
class WatchedRule:
    """A rule with the numbers of its probes; ``path`` is the instance that it watches, empty for the subject itself.

    ``named`` are the paths that its expressions name. ``breaks_when`` is the value of the expression that breaks it.
    ``is_of_block`` says that it holds in every case of a block.
    """

    rule: Rule
    path: str
    expression: int
    breaks_when: bool
    during: int | None
    after: int | None
    until: int | None
    is_of_block: bool
    named: tuple[str, ...]

    @property
    def judged(self) -> tuple[int, str]:
        """The probe that is judged, by its number, and its text."""
        return self.expression, self.rule.expression.text


@record
class WatchedRow:
    """A timing row with the numbers of its probes; ``least`` and ``most`` are in ns.

    ``is_period`` says that it goes from an event to the next of the same kind. ``is_of_block`` says that it holds in
    cases that were not made for it: there what never begins, or is not over at the end, is nobody's mistake.
    """

    row: TimingRow
    path: str
    begin: int
    end: int | None
    least: int
    most: int | None
    after: int | None
    until: int | None
    is_period: bool
    is_of_block: bool
    named: tuple[str, ...]

    @property
    def judged(self) -> tuple[int, str]:
        """The probe of the later event, by its number, and its text."""
        number, event = (self.begin, self.row.begin) if self.end is None else (self.end, self.row.end)
        return number, (event or self.row.begin).expression.text


@node
class Watch:
    """The rules and timing rows that are looked at in a run."""

    rules: tuple[WatchedRule, ...] = ()
    rows: tuple[WatchedRow, ...] = ()

    @property
    def checks(self) -> bool:
        """Whether the case or its file says any of it, and not only the rules of a block."""
        return not (all(rule.is_of_block for rule in self.rules) and all(row.is_of_block for row in self.rows))

    @property
    def named(self) -> Iterator[str]:
        """The paths that they name."""
        return chain.from_iterable([each.named for each in self.rules] + [each.named for each in self.rows])


@state
class Watching:
    """What some rules and rows look at: ``probes`` are numbered in their order."""

    rules: list[WatchedRule] = fresh(default_factory=list)
    rows: list[WatchedRow] = fresh(default_factory=list)
    probes: list[Probe] = fresh(default_factory=list)
    is_broken: bool = False
    numbers: dict[int, int] = fresh(default_factory=dict)
    made: list[Watch] = fresh(default_factory=list)

    @property
    def watch(self) -> Watch:
        """The rules and rows as plain data, which all cases share."""
        if not self.made:
            self.made.append(Watch(tuple(self.rules), tuple(self.rows)))
        return self.made[0]
