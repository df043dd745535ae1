"""What all parts of the checker share: the unit at hand, the scope, and the way to say what is wrong."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from upright_block.language.catalogue import stops
from upright_block.language.findings import Finding, Findings, Related
from upright_block.language.scope import NamedType, Scope
from upright_block.language.syntax import NOWHERE, Node
from upright_block.language.typed import Unit

FindUnit = Callable[[str], Unit | None]


class Problem(Exception):
    """Raised after its finding was recorded; the expression or statement is given up."""


class Reporter:
    """Knows the unit at hand and records findings about it."""

    def __init__(self, unit: Unit, scope: Scope, findings: Findings, find_unit: FindUnit) -> None:
        self.unit = unit
        self.scope = scope
        self.findings = findings
        self._find_unit = find_unit
        self.source = unit.source

    def find_unit(self, name: str) -> Unit | None:
        """The unit that a name in upper case stands for in the unit at hand."""
        home = self.unit.syntax.home
        keys = [name] if home is NOWHERE else home.keys(name)
        return next((found for key in keys if (found := self._find_unit(key))), None)

    def find_type(self, name: str) -> NamedType | None:
        """The type of the library that a name in upper case stands for in the unit at hand."""
        types = {} if self.unit.is_standard else self.scope.types
        return next((types[key] for key in self.unit.syntax.home.keys(name) if key in types), None)

    def report(self, name: str, node: Node, message: str, way_out: str = "", *related: Related) -> None:
        """Record a finding at a node."""
        if stops(name):
            self.unit.is_broken = True
        self.findings.add(Finding(name, self.source, node.start, node.end, message, way_out, related))

    def problem(self, name: str, node: Node, message: str, way_out: str = "", *related: Related) -> Problem:
        """Record an error at a node and return the exception to raise."""
        self.report(name, node, message, way_out, *related)
        return Problem()

    def text(self, node: Node) -> str:
        """The source text of a node, on one line."""
        return " ".join(self.source.text[node.start : node.end].split())

    def unknown(self, name: str, node: Node, what: str, candidates: Iterable[str], otherwise: str) -> Problem:
        """Record that ``name`` is not known and return the exception to raise."""
        return self.problem("unknown-name", node, what, self.findings.did_you_mean(name, candidates) or otherwise)
