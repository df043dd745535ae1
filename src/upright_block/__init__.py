"""Upright Block: a library of function blocks, checked and run with no machine.

`open_library` reads a library; what it returns has the units, the findings and the cases, runs the cases, and makes
machines to set, force, run and read by hand::

    library = open_library("glasshouse")
    vent = library.machine("VentDrive", scan="100ms", given={"travel": "5s"})
    vent.set("open", True)
    vent.run_until("stuck")

All that others may import is named here and in `upright_block.reports`, and the command line uses nothing else. A name
is read when it is used.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from upright_block.lazily import exported

if TYPE_CHECKING:
    from upright_block.cases.byhand import Wishes
    from upright_block.cases.cells import duration
    from upright_block.cases.coverage import Collector, Shortfall, UnitCoverage, lcov, shortfalls
    from upright_block.cases.plan import ReadyCase
    from upright_block.cases.suite import choose
    from upright_block.cases.tracefile import CsvFile, VcdFile, trace_writer
    from upright_block.cases.tracing import Tracing
    from upright_block.cases.tracks import Gatherer, Track, Tracks
    from upright_block.cases.verdict import NotRun, Verdict
    from upright_block.cases.watchlist import EVENT_HEADS, Event, Row, Watched, csv_text, event_table
    from upright_block.controller import Controller, Moment
    from upright_block.errors import BadValue, BadWishes, NeverMet, NotRunnable, ScanFault, UnknownName, UprightError
    from upright_block.language.allowing import Settled
    from upright_block.language.catalogue import catalogue
    from upright_block.language.findings import Finding
    from upright_block.language.names import did_you_mean, listed, nearest
    from upright_block.language.tags import Tag
    from upright_block.library.manifest import LibraryProblem
    from upright_block.library.sheets import Rows
    from upright_block.library.templates import TemplateProblem, write_demo, write_new
    from upright_block.library.writing import Changes
    from upright_block.machine.trace import Trace
    from upright_block.opened import OpenLibrary, is_trace_file, open_library
    from upright_block.rechecking import Checked, check_library
    from upright_block.whole import file_written

__version__ = "0.1.0"

__getattr__ = exported(
    __name__,
    {
        "cases.byhand": ("Wishes",),
        "cases.cells": ("duration",),
        "cases.coverage": ("Collector", "Shortfall", "UnitCoverage", "lcov", "shortfalls"),
        "cases.tracing": ("Tracing",),
        "cases.plan": ("ReadyCase",),
        "cases.suite": ("choose",),
        "cases.tracefile": ("CsvFile", "VcdFile", "trace_writer"),
        "cases.tracks": ("Gatherer", "Track", "Tracks"),
        "cases.verdict": ("NotRun", "Verdict"),
        "cases.watchlist": ("EVENT_HEADS", "Event", "Row", "Watched", "csv_text", "event_table"),
        "controller": ("Controller", "Moment"),
        "errors": ("BadValue", "BadWishes", "NeverMet", "NotRunnable", "ScanFault", "UnknownName", "UprightError"),
        "language.allowing": ("Settled",),
        "language.catalogue": ("catalogue",),
        "language.findings": ("Finding",),
        "language.names": ("did_you_mean", "listed", "nearest"),
        "language.tags": ("Tag",),
        "library.manifest": ("LibraryProblem",),
        "library.sheets": ("Rows",),
        "library.writing": ("Changes",),
        "library.templates": ("TemplateProblem", "write_demo", "write_new"),
        "machine.trace": ("Trace",),
        "opened": ("OpenLibrary", "is_trace_file", "open_library"),
        "rechecking": ("Checked", "check_library"),
        "whole": ("file_written",),
    },
)

__all__ = [
    "EVENT_HEADS",
    "BadValue",
    "BadWishes",
    "Changes",
    "Checked",
    "Collector",
    "Controller",
    "CsvFile",
    "Event",
    "Finding",
    "Gatherer",
    "LibraryProblem",
    "Moment",
    "NeverMet",
    "NotRun",
    "NotRunnable",
    "OpenLibrary",
    "ReadyCase",
    "Row",
    "Rows",
    "ScanFault",
    "Settled",
    "Shortfall",
    "Tag",
    "TemplateProblem",
    "Trace",
    "Tracing",
    "Track",
    "Tracks",
    "UnitCoverage",
    "UnknownName",
    "UprightError",
    "VcdFile",
    "Verdict",
    "Watched",
    "Wishes",
    "catalogue",
    "check_library",
    "choose",
    "csv_text",
    "did_you_mean",
    "duration",
    "event_table",
    "file_written",
    "is_trace_file",
    "lcov",
    "listed",
    "nearest",
    "open_library",
    "shortfalls",
    "trace_writer",
    "write_demo",
    "write_new",
]
