"""What all parts of the checker share: the unit at hand, the scope, and the way to say what is wrong."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from upright_block.language.scope import NamedType, Scope
from upright_block.language.syntax import NOWHERE
from upright_block.language.telling.catalogue import stops
from upright_block.language.telling.findings import Findings, HasPlace, Related, Words
from upright_block.language.typed import Unit, Variable

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

    @property
    def is_rig(self) -> bool:
        """Whether the unit at hand is there for cases alone."""
        return self.source in self.scope.rigs

    def find_unit(self, name: str) -> Unit | None:
        """The unit that a name in upper case stands for in the unit at hand."""
        home = self.unit.syntax.home
        keys = [name] if home is NOWHERE else home.keys(name)
        found = (found for key in keys if (found := self._find_unit(key)))
        return next((unit for unit in found if self.scope.is_seen(unit.source, self.source)), None)

    def unit_names(self, *kinds: str) -> list[str]:
        """The names of the units of some kinds that the unit at hand may use."""
        scope = self.scope
        known = [u.name for u in scope.units.values() if u.kind in kinds and scope.is_seen(u.source, self.source)]
        return known + [name.rpartition(".")[2] for name in scope.names_elsewhere(self.source, *kinds)]

    def find_type(self, name: str) -> NamedType | None:
        """The type of the library that a name in upper case stands for in the unit at hand."""
        types = {} if self.unit.is_standard else self.scope.types
        found = (types[key] for key in self.unit.syntax.home.keys(name) if key in types)
        return next((named for named in found if self.scope.is_seen(named.source, self.source)), None)

    def find_global(self, name: str) -> Variable | None:
        """The global variable that a name in upper case stands for in the unit at hand."""
        found = self.scope.globals.variables.get(name)
        return found if found is not None and self.scope.is_seen(found.source, self.source) else None

    def global_names(self) -> list[str]:
        """The names of the global variables that the unit at hand may use."""
        every = self.scope.globals.variables.values()
        known = [v.name for v in every if not v.is_hidden and self.scope.is_seen(v.source, self.source)]
        return known + list(self.scope.names_elsewhere(self.source, "VARIABLE"))

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
