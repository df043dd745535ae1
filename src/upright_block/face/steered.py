"""A machine in Python that answers why."""

from __future__ import annotations

from typing import Any

from upright_block.errors import BadValue
from upright_block.face import words
from upright_block.language.timebase import Timebase
from upright_block.reasons.tree import Node
from upright_block.reasons.why import Asker
from upright_block.reports import plain, why_data, why_lines
from upright_block.runs.controller import Controller

_WIDTH = 120


class Explanation:
    """The reasons of a value; it prints as ``upright why`` does."""

    def __init__(self, node: Node, timebase: Timebase) -> None:
        self.node = node
        self._timebase = timebase

    def data(self) -> dict[str, Any]:
        """The tree as plain data, see the documents."""
        return why_data(self.node, self._timebase)

    def __str__(self) -> str:
        return "\n".join(plain(line) for line in why_lines(self.node, self._timebase, _WIDTH, show_all=True))


class Steered(Controller):
    """A controller of which reasons can be asked."""

    def why(self, path: str) -> Explanation:
        """Why the value at a path is what it is, after the last scan.

        Raises:
            UnknownName: the path leads to no value.
            BadValue: no scan has run.
        """
        signal = self._signal(path)
        followed = self.followed()
        if not followed.plan.scans or signal.variable.is_code:
            raise BadValue(*words.nothing_ran(path))
        node = Asker(followed, None).why(signal, followed.plan.scans - 1)
        return Explanation(node, followed.plan.timebase)
