"""What of rules and timing rows is looked at in a run."""

from __future__ import annotations

from upright_block.cases.rules import Rule, TimingRow
from upright_block.language.nodes import record


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


@record
class WatchedRow:
    """A timing row with the numbers of its probes; ``least`` and ``most`` are in ns.

    ``is_period`` says that it goes from an event to the next of the same kind. ``is_of_block`` says that it holds in cases
    that were not made for it: there what never begins, or is not over at the end, is nobody's mistake.
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
