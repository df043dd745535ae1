"""What is in a library that was read: its units, its tags, its tables, and what was found in them."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from upright_block.errors import NotRunnable, UnknownName
from upright_block.face import words
from upright_block.language.names import did_you_mean, listed
from upright_block.language.nodes import replaced
from upright_block.language.signals import named_in
from upright_block.language.source import Source
from upright_block.language.telling.allowing import Settled, settle
from upright_block.language.words import has_errors
from upright_block.library import Library, unread_files

if TYPE_CHECKING:
    from upright_block.analysis.drawn import Graph
    from upright_block.analysis.facts import Facts
    from upright_block.analysis.references import Reference
    from upright_block.cases.suite import Suite
    from upright_block.edits.rigmaking import Rig
    from upright_block.language.field.tags import Tag
    from upright_block.language.signatures import StandardFunction
    from upright_block.language.telling.findings import Finding
    from upright_block.language.timebase import Timebase
    from upright_block.language.typed import Unit
    from upright_block.language.views.instances import Instance
    from upright_block.library.accepted import Accepted
    from upright_block.library.writing import Changes


class Contents:
    """A library that was read: its units, its tags, its tables, and what was found in them."""

    def __init__(self, library: Library) -> None:
        self._library = library

    @property
    def root(self) -> Path:
        """The folder that holds the manifest."""
        return self._library.root

    @property
    def also(self) -> tuple[Path, ...]:
        """The folders outside that its files may lead to."""
        return self._library.files.also

    @property
    def name(self) -> str:
        """What the manifest calls it."""
        return self._library.manifest.name

    @property
    def version(self) -> str:
        """The version that the manifest gives."""
        return self._library.manifest.version

    @property
    def units(self) -> list[Unit]:
        """Its blocks, functions, programs and classes, by file and place."""
        return self._library.units

    @property
    def sources(self) -> tuple[Source, ...]:
        """The files that its units are in."""
        return self._library.sources

    def find(self, name: str) -> Unit | None:
        """A unit of the library or of the standard, or a configuration; letter case ignored."""
        found = self._library.find(name)
        return found or self._library.scope.configurations.get(name.upper())

    def text_of(self, name: str, form: str, folds: bool = False) -> str:
        """A unit of the library as ``text``, in statements, or as a ``ladder``, whatever form it is written in.

        With ``folds`` a rung that is too wide is carried on in the next one, by a variable.

        Raises:
            UnknownName: there is none, or it has no body that the library writes.
            NotRunnable: it has errors, or rungs that no statements can be as deep as.
        """
        from upright_block.language.converting import TooDeep, unit_text

        unit = self.written_unit(name)
        try:
            return unit_text(unit, form, folds=folds)
        except TooDeep:
            raise NotRunnable(*words.too_deep(unit.name)) from None

    def turned(self, name: str, form: str, folds: bool = False) -> Changes:
        """What the file of a unit becomes with its bodies in a form, as `text_of` has it; nothing where it has that.

        Raises:
            UnknownName: there is none, or it has no body that the library writes.
            NotRunnable: it has errors, or rungs that no statements can be as deep as, or it is a wiring table.
        """
        from upright_block.language.converting import TooDeep, converted
        from upright_block.library.writing import changes

        unit = self.written_unit(name)
        if unit.is_wired:
            raise NotRunnable(*words.stays_a_table(unit.name))
        try:
            return changes(self._library.files, converted(unit, form, folds=folds))
        except TooDeep:
            raise NotRunnable(*words.too_deep(unit.name)) from None

    def mended_rungs(self, names: Sequence[str] = ()) -> Changes:
        """What the files of units, or of all, become with sloppy rungs in order; nothing where they are.

        Raises:
            UnknownName: there is no unit of a name, or it has no body that the library writes.
        """
        from upright_block.language.lexer import tokenize
        from upright_block.language.rungs.mending import mends
        from upright_block.language.telling.findings import Findings
        from upright_block.library.writing import changes

        units = [self._own(name) for name in names] or self.units
        tokens = {source: tokenize(source, Findings()) for source in dict.fromkeys(unit.source for unit in units)}
        edits = (edit for unit in units for edit in mends(tokens[unit.source], unit.syntax))
        return changes(self._library.files, edits)

    def written_unit(self, name: str) -> Unit:
        """A unit without errors whose body the library writes.

        Raises:
            UnknownName: there is none, or it has no body that the library writes.
            NotRunnable: it has errors.
        """
        unit = self._own(name)
        if unit.is_broken:
            raise NotRunnable(*has_errors(unit.name))
        return unit

    def _own(self, name: str) -> Unit:
        """A unit whose body the library writes."""
        unit = self.find(name)
        if unit is None:
            raise UnknownName(*words.no_such_unit(name, self.did_you_mean(name)))
        if unit.is_standard or unit.kind == "CONFIGURATION":
            raise UnknownName(*words.no_body_here(unit.name))
        return unit

    def blocks_in(self, name: str) -> list[str]:
        """The names of the blocks and functions that a unit uses, and those that they use; empty where it is none."""
        unit = self.find(name)
        found: dict[Unit, None] = dict.fromkeys(unit.uses.values()) if unit is not None else {}
        waiting = list(found)
        while waiting:
            more = [inner for inner in waiting.pop().uses.values() if inner not in found]
            found |= dict.fromkeys(more)
            waiting += more
        return [each.full_name for each in found if ":" not in each.full_name]

    @property
    def stand_ins(self) -> list[Unit]:
        """The blocks that ship to stand in for machines, which rigs may use."""
        names = self._library.scope.stand_ins().names
        found = (self._library.find(name) for name in sorted(names))
        return [unit for unit in found if unit is not None and unit.is_standard]

    def write_rig(self, block: str, stand_in: str | None = None) -> tuple[Rig, list[Path]]:
        """Write a rig for a block of the library, with a stand-in by name or the one that fits best; and cases to fill
        in.

        Raises:
            UnknownName: there is no such block or stand-in.
            NotRunnable: it has errors, or a file of that name is there already.
        """
        from upright_block.edits.rigmaking import rig_for

        rig = rig_for(self.units, self.stand_ins, block, stand_in, self._library.scope.tags)
        folder = self.root / self._library.manifest.folders["cases"][0]
        files = {folder / "rigs" / f"{rig.name}.st": rig.program, folder / f"{rig.name}.toml": rig.cases}
        for path in files:
            if path.exists():
                name = path.relative_to(self.root).as_posix()
                raise NotRunnable(*words.is_there(name))
        self.write_texts({path: ("", text) for path, text in files.items()})
        return rig, list(files)

    def function(self, name: str) -> StandardFunction | None:
        """A standard function that the compiler knows, letter case ignored."""
        return self._library.scope.standard.function(name.upper())

    @property
    def tags(self) -> list[Tag]:
        """The tags of its tables, and its global variables AT a point, in the order of their places."""
        return list(self._library.scope.tags.values())

    def did_you_mean(self, name: str) -> str:
        """A sentence that offers what has nearly this name, or else what the library has."""
        known = [*self._library.scope.known_names(), *(tag.name for tag in self.tags)]
        near = did_you_mean(name, known)
        return near or f"The library has {listed(unit.name for unit in self.units) or 'no blocks'}."

    @cached_property
    def _suite(self) -> Suite:
        from upright_block.cases.suite import load_suite

        return load_suite(self._library)

    @cached_property
    def _read(self) -> list[Finding]:
        return [*self._library.findings, *self._suite.findings, *unread_files(self._library.files)]

    @cached_property
    def _settled(self) -> Settled:
        return self._settle(self._read, is_analysed=False)

    def _settle(self, found: Sequence[Finding], is_analysed: bool) -> Settled:
        suite, manifest = self._suite, self._library.manifest
        more = (*self._library.scope.allowances, *(self._accepted.allowances if is_analysed else ()))
        policy = replaced(manifest.policy, allowances=(*manifest.policy.allowances, *more)) if more else manifest.policy
        sources = [manifest.source, *self.sources, *self._library.tables, *suite.sources]
        return settle(found, sources, policy, is_analysed)

    @property
    def _texts(self) -> list[Source]:
        """All that was read of it, of the tables of cases the first lines."""
        vectors = (case.written.vectors for case in self._suite.ready)
        read = [table.source for table in vectors if table is not None]
        tables = [Source(source.path, source.text.split("\n", 1)[0]) for source in read]
        return [*self.sources, *self._library.tables, *self._suite.sources, *tables]

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What reading its units and its cases found, with the levels that its manifest gives."""
        return self._settled.findings

    @property
    def allowed(self) -> list[Finding]:
        """What reading found and is allowed, by a comment or in the manifest."""
        return [finding for finding, _ in self._settled.allowed]

    def check(self, doubtful: bool = False) -> Settled:
        """All that is found before any run, also by the analysis; with ``doubtful`` what may well be meant too.

        Raises:
            LibraryProblem: the file of accepted findings cannot be used.
        """
        from upright_block.analysis import analyse
        from upright_block.analysis.outside import named_outside, unread

        analysed = [f for f in analyse(self._library.scope) if doubtful or not f.is_doubtful]
        if any(f.name == "never-read" for f in analysed):
            analysed = unread(analysed, named_outside(self._texts))
        found = sorted([*self._read, *analysed], key=lambda f: (f.source.path, f.start, f.name))
        return self._settle(found, is_analysed=True)

    @cached_property
    def _facts(self) -> Facts:
        from upright_block.analysis.facts import Facts

        return Facts(self._library.scope)

    def names_data(self, path: str) -> bool:
        """Whether a path leads into a unit, as ``VentDrive.state`` does, or is the name of a global variable."""
        shared = self._library.scope.globals.variables.get(path.strip().upper())
        return named_in(path, self.find) is not None or (shared is not None and not shared.is_hidden)

    def references(self, path: str) -> list[Reference]:
        """Where a unit, a variable or a global is declared, written, read and called: ``VentDrive.state``.

        Raises:
            UnknownName: there is nothing of this name.
        """
        from upright_block.analysis.references import NoSuchThing, references

        try:
            return references(self._facts, path)
        except NoSuchThing as problem:
            raise UnknownName(str(problem), problem.way_out) from None

    def graphs(self, name: str | None = None) -> list[Graph]:
        """Of a unit its states and its steps, or what it uses where it has neither; without a name what uses what.

        Raises:
            UnknownName: there is no unit of this name.
        """
        from upright_block.analysis.drawn import call_graph, state_graphs, step_graph

        if name is None:
            if not self.units:
                raise UnknownName(*words.no_units())
            return [call_graph([*self.configurations, *self.units])]
        unit = self.find(name)
        if unit is None:
            raise UnknownName(*words.no_such_unit(name, self.did_you_mean(name)))
        if unit.is_standard:
            raise UnknownName(*words.unit_of_the_standard(unit.name))
        steps = step_graph(unit)
        return [*([steps] if steps else []), *state_graphs(unit)] or [call_graph([], unit)]

    @cached_property
    def _accepted(self) -> Accepted:
        from upright_block.library.accepted import read_accepted

        return read_accepted(self._library.files)

    @property
    def digest(self) -> str:
        """A digest of all that was read of it: manifest, sources, tables, cases and rules."""
        from hashlib import sha256

        library = self._library
        read = {s.path: s.text for s in (library.manifest.source, *self.sources, *library.tables, *self._suite.sources)}
        waves = [driven.table for case in self._suite.ready for driven in case.written.stimuli]
        tables = [*(case.written.vectors for case in self._suite.ready), *waves]
        read |= {table.source.path: table.source.text for table in tables if table is not None}
        parts = [f"{path}\0{read[path]}".encode("utf-8", "surrogatepass") for path in sorted(read)]
        return sha256(b"\0".join(sha256(part).digest() for part in parts)).hexdigest()

    def _source_at(self, path: Path) -> Source:
        """A file of the library, as edits name it; empty where there is none."""
        return Source(self._library.files.shown(path), self.text_at(path))

    def text_at(self, path: Path) -> str:
        """The text of a file of the library; empty where there is none.

        Raises:
            NotRunnable: it leads out of the library, or cannot be read.
        """
        from upright_block.library import FileProblem

        if not path.exists():
            return ""
        try:
            return self._library.files.read(path).text
        except FileProblem as problem:
            from upright_block.library.writing import refused

            raise refused(self._library.files.shown(path), problem) from None

    def write_texts(self, texts: Changes) -> None:
        """Write texts of the library, all of them or none, by path with what each was and what it is to become.

        Raises:
            NotRunnable: one leads out of the library, is not what it was any more, or cannot be written.
        """
        from upright_block.library.writing import write_texts

        write_texts(self._library.files, texts)

    def configuration(self, name: str | None = None) -> Unit:
        """A configuration; without a name the only one, or the one that a library without any has.

        Raises:
            UnknownName: there is none of that name, or several and no name.
        """
        scope = self._library.scope
        known = [unit for unit in scope.configurations.values() if unit.source not in scope.rigs]
        if name is not None:
            found = scope.configurations.get(name.upper())
            if found is None:
                raise UnknownName(*words.no_such_configuration(name, did_you_mean(name, (unit.name for unit in known))))
            return found
        if not known:
            raise UnknownName(*words.no_programs())
        if len(known) > 1:
            names = listed(unit.name for unit in known)
            raise UnknownName(*words.several_configurations(names))
        return known[0]

    @property
    def configurations(self) -> list[Unit]:
        """All configurations; of a library that has none the one that is made for it."""
        return list(self._library.scope.configurations.values())

    def timebase(self, unit: Unit) -> Timebase:
        """When the scans of a unit start: as its tasks say, else after each ``scan`` of the manifest."""
        from upright_block.language.timebase import Timebase

        return unit.timebase or Timebase(self._library.manifest.scan)

    def instances(self, configuration: str | None = None, standard: bool = False) -> list[Instance]:
        """Every instance in a configuration; those of standard blocks only if asked for.

        Raises:
            UnknownName: as `configuration`.
        """
        from upright_block.language.views.instances import instances

        return list(instances(self.configuration(configuration), standard))
