"""``upright check``"""

from __future__ import annotations

import click

from upright_block import OpenLibrary
from upright_block.cli.common import library_option, plural, show_findings, show_json, show_lines
from upright_block.reports import counted, finding_data


@click.command(
    "check",
    short_help="List every finding.",
    epilog="Examples:  upright check    upright check --library glasshouse    upright check --strict",
)
@library_option
@click.option("--json", "as_json", is_flag=True, help="Print the findings as JSON.")
@click.option("--all", "show_all", is_flag=True, help="Show all findings, however many a file has.")
@click.option("--strict", is_flag=True, help="Exit with 1 for warnings too.")
def command(library: OpenLibrary, as_json: bool, show_all: bool, strict: bool) -> None:
    """Read all blocks and cases of a library and list every finding.

    The exit status is 1 when a finding is an error.
    """
    findings, allowed = library.findings, library.allowed
    failed = any(f.severity == "error" or strict for f in findings)
    if as_json:
        show_json(
            {
                "library": library.name,
                "findings": [finding_data(f) for f in findings],
                "allowed": [finding_data(f) for f in allowed],
            }
        )
        raise SystemExit(failed)
    show_findings(findings, show_all)
    read = f"{plural(len(library.units), 'unit')} in {plural(len(library.sources), 'file')}"
    cases = plural(len(library.cases) + len(library.not_run), "case")
    also = f" {plural(len(allowed), 'finding')} {'is' if len(allowed) == 1 else 'are'} allowed." if allowed else ""
    show_lines(
        [
            [
                (f"{library.name}: ", "strong"),
                (f"{read}, {cases}: ", ""),
                (counted(findings) + ".", "bad" if failed else "warn" if findings else "good"),
                (also, "dim"),
            ]
        ]
    )
    if findings:
        show_lines([[(f"What a finding means: upright explain {findings[0].name}", "dim")]])
    raise SystemExit(failed)
