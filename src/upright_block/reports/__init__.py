"""Verdicts, findings and blocks as lines of text with roles, and as plain data."""

from __future__ import annotations

from typing import TYPE_CHECKING

from upright_block.lazily import exported

if TYPE_CHECKING:
    from upright_block.reports.blocks import block_data, block_lines, function_data, function_lines, text_lines
    from upright_block.reports.catalogue import catalogue_text, entry_lines, list_lines
    from upright_block.reports.configurations import configuration_data, configuration_lines, run_lines
    from upright_block.reports.contents import content_data, content_lines
    from upright_block.reports.coverage import (
        coverage_data,
        coverage_lines,
        gap_data,
        gap_lines,
        instance_coverage_lines,
        marked_source_lines,
        shortfall_data,
        shortfall_lines,
    )
    from upright_block.reports.diagrams import case_diagram, trace_diagram
    from upright_block.reports.drawing import wiring_pictures
    from upright_block.reports.filed import Stamp, report_files
    from upright_block.reports.findings import counted, finding_data, finding_line, finding_list
    from upright_block.reports.graphs import graph_data, graph_fits, graph_lines, graph_picture
    from upright_block.reports.instances import (
        instance_data,
        instance_list,
        instance_rows,
        retained_data,
        retained_list,
        retained_rows,
    )
    from upright_block.reports.ladders import rung_data, rung_lines, rungs_by_line
    from upright_block.reports.lanes import Diagram
    from upright_block.reports.listing import column_lines
    from upright_block.reports.page import MOST_CHANGES
    from upright_block.reports.plotting import diagram_pages
    from upright_block.reports.references import reference_data, reference_lines
    from upright_block.reports.rules import measure_lines, unarmed_data, unarmed_lines
    from upright_block.reports.run import (
        comparison_lines,
        condensed,
        end_lines,
        event_lines,
        run_data,
        stop_lines,
        tree_lines,
        watch_lines,
    )
    from upright_block.reports.rungs import rung_pictures
    from upright_block.reports.sarif import sarif_text
    from upright_block.reports.scans import (
        entry_data,
        lines_as_run,
        order_lines,
        scan_data,
        scan_head,
        scan_lines,
        step_line,
    )
    from upright_block.reports.styled import Line, Role, clipped, plain, visible
    from upright_block.reports.tags import tag_data, tag_lines, tag_list, use_data
    from upright_block.reports.taken import taken_lines
    from upright_block.reports.textplot import diagram_lines
    from upright_block.reports.verdicts import (
        failure_lines,
        fault_data,
        not_run_data,
        not_run_line,
        summary_line,
        verdict_data,
        verdict_line,
        wrong_data,
        wrong_lines,
    )
    from upright_block.reports.walk import proposal_lines, walk_data, walk_lines
    from upright_block.reports.why import why_data, why_lines

__getattr__ = exported(
    __name__,
    {
        "blocks": ("block_data", "block_lines", "function_data", "function_lines", "text_lines"),
        "catalogue": ("catalogue_text", "entry_lines", "list_lines"),
        "configurations": ("configuration_data", "configuration_lines", "run_lines"),
        "contents": ("content_data", "content_lines"),
        "coverage": (
            "coverage_data",
            "coverage_lines",
            "gap_data",
            "gap_lines",
            "graph_data",
            "graph_fits",
            "graph_lines",
            "graph_picture",
            "instance_coverage_lines",
            "marked_source_lines",
            "shortfall_data",
            "shortfall_lines",
        ),
        "drawing": ("wiring_pictures",),
        "findings": ("counted", "finding_data", "finding_line", "finding_list"),
        "graphs": ("graph_data", "graph_fits", "graph_lines", "graph_picture"),
        "instances": (
            "instance_data",
            "instance_list",
            "instance_rows",
            "retained_data",
            "retained_list",
            "retained_rows",
        ),
        "filed": ("Stamp", "report_files"),
        "diagrams": ("case_diagram", "trace_diagram"),
        "ladders": ("rung_data", "rung_lines", "rungs_by_line"),
        "lanes": ("Diagram",),
        "page": ("MOST_CHANGES",),
        "plotting": ("diagram_pages",),
        "textplot": ("diagram_lines",),
        "listing": ("column_lines",),
        "taken": ("taken_lines",),
        "tags": ("tag_data", "tag_lines", "tag_list", "use_data"),
        "references": ("reference_data", "reference_lines"),
        "rules": ("measure_lines", "unarmed_data", "unarmed_lines"),
        "run": (
            "comparison_lines",
            "condensed",
            "end_lines",
            "event_lines",
            "run_data",
            "stop_lines",
            "tree_lines",
            "watch_lines",
        ),
        "rungs": ("rung_pictures",),
        "sarif": ("sarif_text",),
        "scans": ("entry_data", "order_lines", "scan_data", "scan_head", "scan_lines", "step_line", "lines_as_run"),
        "styled": ("Line", "Role", "clipped", "plain", "visible"),
        "walk": ("proposal_lines", "walk_data", "walk_lines"),
        "why": ("why_data", "why_lines"),
        "verdicts": (
            "failure_lines",
            "fault_data",
            "wrong_data",
            "wrong_lines",
            "not_run_data",
            "not_run_line",
            "summary_line",
            "verdict_data",
            "verdict_line",
        ),
    },
)

__all__ = [
    "MOST_CHANGES",
    "Diagram",
    "Line",
    "Role",
    "Stamp",
    "block_data",
    "block_lines",
    "case_diagram",
    "catalogue_text",
    "clipped",
    "column_lines",
    "comparison_lines",
    "condensed",
    "configuration_data",
    "configuration_lines",
    "content_data",
    "content_lines",
    "counted",
    "coverage_data",
    "coverage_lines",
    "diagram_lines",
    "diagram_pages",
    "end_lines",
    "entry_data",
    "entry_lines",
    "event_lines",
    "failure_lines",
    "fault_data",
    "finding_data",
    "finding_line",
    "finding_list",
    "function_data",
    "function_lines",
    "gap_data",
    "gap_lines",
    "graph_data",
    "graph_fits",
    "graph_lines",
    "graph_picture",
    "instance_coverage_lines",
    "instance_data",
    "instance_list",
    "instance_rows",
    "lines_as_run",
    "list_lines",
    "marked_source_lines",
    "measure_lines",
    "not_run_data",
    "not_run_line",
    "order_lines",
    "plain",
    "proposal_lines",
    "reference_data",
    "reference_lines",
    "report_files",
    "retained_data",
    "retained_list",
    "retained_rows",
    "run_data",
    "run_lines",
    "rung_data",
    "rung_lines",
    "rung_pictures",
    "rungs_by_line",
    "sarif_text",
    "scan_data",
    "scan_head",
    "scan_lines",
    "shortfall_data",
    "shortfall_lines",
    "step_line",
    "stop_lines",
    "summary_line",
    "tag_data",
    "tag_lines",
    "tag_list",
    "taken_lines",
    "text_lines",
    "trace_diagram",
    "tree_lines",
    "unarmed_data",
    "unarmed_lines",
    "use_data",
    "verdict_data",
    "verdict_line",
    "visible",
    "walk_data",
    "walk_lines",
    "watch_lines",
    "why_data",
    "why_lines",
    "wiring_pictures",
    "wrong_data",
    "wrong_lines",
]
