"""``upright check``"""

from __future__ import annotations

import click

from upright_block.cases.suite import load_suite
from upright_block.cli.common import library_option, plural, show_findings, show_json, show_lines
from upright_block.library import Library


@click.command(
    "check",
    short_help="List every finding.",
    epilog="Examples:  upright check    upright check --library glasshouse    upright check --strict",
)
@library_option
@click.option("--json", "as_json", is_flag=True, help="Print the findings as JSON.")
@click.option("--all", "show_all", is_flag=True, help="Show all findings, however many a file has.")
@click.option("--strict", is_flag=True, help="Exit with 1 for warnings too.")
def command(library: Library, as_json: bool, show_all: bool, strict: bool) -> None:
    """Read all blocks and cases of a library and list every finding.

    The exit status is 1 when a finding is an error.
    """
    from upright_block.reports.findings import counted, finding_data

    suite = load_suite(library)
    findings = [*library.findings, *suite.findings]
    failed = any(f.severity == "error" or strict for f in findings)
    if as_json:
        show_json({"library": library.manifest.name, "findings": [finding_data(f) for f in findings]})
        raise SystemExit(failed)
    show_findings(findings, show_all)
    read = f"{plural(len(library.units), 'unit')} in {plural(len(library.sources), 'file')}"
    cases = plural(len(suite.ready) + len(suite.not_run), "case")
    show_lines(
        [
            [
                (f"{library.manifest.name}: ", "strong"),
                (f"{read}, {cases}: ", ""),
                (counted(findings) + ".", "bad" if failed else "warn" if findings else "good"),
            ]
        ]
    )
    raise SystemExit(failed)
