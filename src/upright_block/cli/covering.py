"""What ``upright verify`` does about coverage; read where it is asked for."""

from __future__ import annotations

from collections.abc import Sequence
from fnmatch import fnmatchcase
from typing import Any

from upright_block import Collector, OpenLibrary, Shortfall, UnitCoverage, lcov, shortfalls
from upright_block.cli.common import plural, show_lines, stop, width
from upright_block.reports import (
    coverage_data,
    coverage_lines,
    gap_data,
    gap_lines,
    instance_coverage_lines,
    marked_source_lines,
    shortfall_data,
    shortfall_lines,
)


class Covering:
    """Gathers the coverage of a call. Where only some cases run, units that these do not come to are left out, and
    floors not judged.
    """

    def __init__(self, library: OpenLibrary, runs_all: bool) -> None:
        self.library = library
        self.runs_all = runs_all
        self.collector = Collector()
        self.covered: list[UnitCoverage] = []
        self.left_out = 0
        self.short: list[Shortfall] = []

    def finish(self) -> None:
        """The cases have run."""
        found = self.library.coverage(self.collector)
        self.covered = found if self.runs_all else [unit for unit in found if unit.cases]
        self.left_out = len(found) - len(self.covered)
        if self.runs_all:
            self.short = shortfalls(found, self.library.floors)

    def lcov(self) -> str:
        """The coverage as a tracefile."""
        return lcov(self.covered)

    def data(self, uncovered: bool) -> dict[str, Any]:
        """The coverage as plain data for JSON, with its gaps where these are asked for."""
        data: dict[str, Any] = {"coverage": coverage_data(self.covered), "below_floors": shortfall_data(self.short)}
        return data | ({"gaps": gap_data(self.library.gaps(self.covered))} if uncovered else {})

    def show(self, table: bool, instances: bool, marked: Sequence[str], uncovered: bool, show_all: bool) -> None:
        """Print what is asked for, and always what is below a floor."""
        if table:
            show_lines([[], *coverage_lines(self.covered, show_all, width())])
            if self.left_out:
                show_lines([[(f"  {plural(self.left_out, 'unit')} left out: these cases do not come there.", "dim")]])
        if instances:
            show_lines([[], *instance_coverage_lines(self.covered, width())])
        for pattern in marked:
            units = [unit for unit in self.covered if fnmatchcase(unit.unit.full_name.upper(), pattern.upper())]
            if not units:
                stop(f"No unit that these cases come to is called {pattern}.", "upright show lists all units.")
            for unit in units:
                show_lines([[], *marked_source_lines(unit)])
        if uncovered:
            gaps = self.library.gaps(self.covered)
            show_lines([[], *gap_lines(gaps, show_all)] if gaps else [[], [("Nothing is left uncovered.", "good")]])
        if self.short:
            show_lines([[], *shortfall_lines(self.short)])
