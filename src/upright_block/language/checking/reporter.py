"""What all parts of the checker share: the unit at hand, the scope, and the way to say what is wrong."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from upright_block.language.catalogue import stops
from upright_block.language.findings import Findings, HasPlace, Related, Words
from upright_block.language.scope import NamedType, Scope
from upright_block.language.syntax import NOWHERE
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

    def report(self, node: HasPlace, words: Words, *related: Related) -> None:
        """Record a finding at a node."""
        if stops(words.name):
            self.unit.is_broken = True
        self.findings.add(words.told(self.source, node.start, node.end, *related))

    def problem(self, node: HasPlace, words: Words, *related: Related) -> Problem:
        """Record an error at a node and return the exception to raise."""
        self.report(node, words, *related)
        return Problem()

    def text(self, node: HasPlace) -> str:
        """The source text of a node, on one line."""
        return " ".join(self.source.text[node.start : node.end].split())

    def unknown(self, name: str, node: HasPlace, words: Words, candidates: Iterable[str]) -> Problem:
        """Record that ``name`` is not known, with the nearest candidate as the way out, and return the exception."""
        way_out = self.findings.did_you_mean(name, candidates) or words.way_out
        return self.problem(node, Words(words.name, words.message, way_out))
