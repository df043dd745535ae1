"""Upright Block: a library of function blocks, checked and run with no machine.

`open_library` reads a library; what it returns has the units, the findings and the cases, runs the cases, and makes
machines to set, force, run and read by hand::

    library = open_library("glasshouse")
    vent = library.machine("VentDrive", scan="100ms", given={"travel": "5s"})
    vent.set("open", True)
    vent.run_until("stuck")

What there is, by what it is for:

    OpenLibrary      a library that was read; open_library makes it
    Controller       a machine: one unit that is set, forced, run and read; library.machine makes it
    Moment           what a machine holds at a moment, to come back to
    Finding          what a check tells of a place; Checked and Settled hold those of a library, with what is allowed
    Tag              a name of a field point
    ReadyCase        a case that can be run; NotRun one that cannot, and why
    Verdict          what a run of a case found
    Wishes           what a run by hand is asked for; Watched is that run, Row its values, Turn a rise or fall in it
    Answer           why a value is what it is
    Tracing          what a run of cases is to record; Tracks and Track are what signals did over time
    Trace            the changes in a piece of a run; Gatherer makes tracks of pieces
    CsvFile, VcdFile files that a trace is written to while it runs
    Collector        gathers what cases reach; UnitCoverage and Shortfall tell what they do and do not
    Rows             what a spreadsheet shows, as CSV or a workbook
    UprightError     what goes wrong in a call, with a message and a way_out. It is one of: UnknownName, BadValue,
                     BadWishes (with findings), NotRunnable, ScanFault (with kind, file, line, instance, scan), NeverMet
    LibraryProblem   there is no library to read; TemplateProblem a folder cannot be written

All that others may import is named here and in `upright_block.reports`, and the command line uses nothing else. A name
is read when it is used.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from upright_block.lazily import exported
from upright_block.version import VERSION

if TYPE_CHECKING:
    from upright_block.cases.byhand import Wishes
    from upright_block.cases.cells import duration
    from upright_block.cases.plan import NotRun, ReadyCase
    from upright_block.cases.suite import choose
    from upright_block.coverage.collected import Collector, Shortfall, UnitCoverage, lcov, shortfalls
    from upright_block.errors import BadValue, BadWishes, NeverMet, NotRunnable, ScanFault, UnknownName, UprightError
    from upright_block.face.opened import OpenLibrary, open_library
    from upright_block.face.runs import is_trace_file
    from upright_block.language.field.tags import Tag
    from upright_block.language.names import did_you_mean, listed, nearest
    from upright_block.language.telling.allowing import Settled
    from upright_block.language.telling.catalogue import catalogue
    from upright_block.language.telling.findings import Finding
    from upright_block.library.manifest import LibraryProblem
    from upright_block.library.sheets import Rows, csv_lines
    from upright_block.library.templates import TemplateProblem, write_demo, write_new
    from upright_block.library.writing import Changes
    from upright_block.machine.trace import Trace
    from upright_block.reasons.tree import Answer
    from upright_block.remembered.rechecking import Checked, check_library
    from upright_block.runs.controller import Controller, Moment
    from upright_block.runs.tracing import Tracing
    from upright_block.runs.verdict import Verdict
    from upright_block.runs.watched import EVENT_HEADS, Row, Turn, Watched, event_table
    from upright_block.traces.tracefile import CsvFile, VcdFile, trace_writer
    from upright_block.traces.tracks import Gatherer, Track, Tracks
    from upright_block.whole import file_written

__version__ = VERSION

__getattr__ = exported(
    __name__,
    {
        "cases.byhand": ("Wishes",),
        "cases.cells": ("duration",),
        "coverage.collected": ("Collector", "Shortfall", "UnitCoverage", "lcov", "shortfalls"),
        "runs.tracing": ("Tracing",),
        "cases.plan": ("NotRun", "ReadyCase"),
        "cases.suite": ("choose",),
        "traces.tracefile": ("CsvFile", "VcdFile", "trace_writer"),
        "traces.tracks": ("Gatherer", "Track", "Tracks"),
        "runs.verdict": ("Verdict",),
        "runs.watched": ("EVENT_HEADS", "Row", "Turn", "Watched", "event_table"),
        "runs.controller": ("Controller", "Moment"),
        "errors": ("BadValue", "BadWishes", "NeverMet", "NotRunnable", "ScanFault", "UnknownName", "UprightError"),
        "language.telling.allowing": ("Settled",),
        "language.telling.catalogue": ("catalogue",),
        "language.telling.findings": ("Finding",),
        "language.names": ("did_you_mean", "listed", "nearest"),
        "language.field.tags": ("Tag",),
        "library.manifest": ("LibraryProblem",),
        "library.sheets": ("Rows", "csv_lines"),
        "library.writing": ("Changes",),
        "library.templates": ("TemplateProblem", "write_demo", "write_new"),
        "machine.trace": ("Trace",),
        "reasons.tree": ("Answer",),
        "face.opened": ("OpenLibrary", "open_library"),
        "face.runs": ("is_trace_file",),
        "remembered.rechecking": ("Checked", "check_library"),
        "whole": ("file_written",),
    },
)

__all__ = [
    "EVENT_HEADS",
    "Answer",
    "BadValue",
    "BadWishes",
    "Changes",
    "Checked",
    "Collector",
    "Controller",
    "CsvFile",
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
    "Turn",
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
    "csv_lines",
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


def __dir__() -> list[str]:
    """What there is, though it is read when it is used."""
    return list(__all__)
