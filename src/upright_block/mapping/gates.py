"""What stands between a tag and what it should move, by the text alone."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from upright_block.language import typed
from upright_block.language.field.tag_uses import TagIndex
from upright_block.language.field.tags import Tag
from upright_block.language.walking import accesses, every_statement, inner_bodies

_DEEPEST = 4


class Gates:
    """Finds the input tags on which it may hang whether a tag moves anything."""

    def __init__(self, units: Iterable[typed.Unit], tags: Iterable[Tag]) -> None:
        self.units = [part for unit in units for part in (unit, *unit.methods.values())]
        self.tags = list(tags)
        self.index = TagIndex(self.tags)
        self._reads: dict[typed.Variable, list[set[typed.Variable]]] | None = None

    def of(self, tag: Tag) -> list[list[Tag]]:
        """The other input tags that decide with it, for each place that reads it, nearest first."""
        found: dict[tuple[Tag, ...], None] = {}
        for together in self._uses().get(tag.variable, ()) if tag.variable else ():
            group = self._cone(together, tag.variable)
            if group:
                found[tuple(group)] = None
        return [list(group) for group in found]

    def of_output(self, tag: Tag) -> list[list[Tag]]:
        """The input tags that decide whether an output is written, and what it becomes, for each place that does so."""
        together = self._writers().get(tag.variable, ()) if tag.variable else ()
        groups = [self._cone(made_of, tag.variable) for made_of in together]
        return [group for group in groups if group]

    def _cone(self, together: Iterable[typed.Variable], own: typed.Variable | None) -> list[Tag]:
        """The input tags that some variables are made from."""
        found: dict[Tag, None] = {}
        near = sorted(together, key=lambda v: v.key)
        seen = {own}
        for _ in range(_DEEPEST):
            further: dict[typed.Variable, None] = {}
            for variable in near:
                if variable in seen:
                    continue
                seen.add(variable)
                other = self.index.by_variable.get(variable)
                if other is not None and other.area == "I":
                    found[other] = None
                else:
                    for made_of in self._writers().get(variable, ()):
                        further |= dict.fromkeys(sorted(made_of, key=lambda v: v.key))
            near = list(further)
        return list(found)

    def _uses(self) -> dict[typed.Variable, list[set[typed.Variable]]]:
        """For each variable the sets of those that are read where it is read."""
        if self._reads is None:
            self._reads = {}
            self._writes: dict[typed.Variable, list[set[typed.Variable]]] = {}
            for unit in self.units:
                self._body(unit.body or (), set())
        return self._reads

    def _writers(self) -> dict[typed.Variable, list[set[typed.Variable]]]:
        self._uses()
        return self._writes

    def _body(self, body: Iterable[typed.Statement], conditions: set[typed.Variable]) -> None:
        assert self._reads is not None
        for statement in body:
            own = set(_read(statement))
            if isinstance(statement, typed.CallInstance):
                for _, value in statement.inputs:
                    together = {a.place.root for a in accesses(value) if a.place is not None} | conditions
                    for variable in together - conditions:
                        self._reads.setdefault(variable, []).append(together)
                for variable in _written(statement):
                    self._writes.setdefault(variable, []).append(own | conditions)
                continue
            inside = {v for b in inner_bodies(statement) for s in every_statement(b) for v in _read(s)}
            together = own | conditions | inside
            for variable in own:
                self._reads.setdefault(variable, []).append(together)
            for variable in _written(statement):
                self._writes.setdefault(variable, []).append(own | conditions)
            for inner in inner_bodies(statement):
                self._body(inner, conditions | own)


def _read(statement: typed.Statement) -> Iterator[typed.Variable]:
    for access in accesses(statement):
        if access.place is not None and access.kind in ("read", "address"):
            yield access.place.root


def _written(statement: typed.Statement) -> Iterator[typed.Variable]:
    for access in accesses(statement):
        if access.place is not None and access.kind in ("write", "address", "call"):
            yield access.place.root
