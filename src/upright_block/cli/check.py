"""``upright check``"""

from __future__ import annotations

import click

from upright_block.cases.suite import load_suite
from upright_block.cli.common import library_option, show_json, show_lines
from upright_block.library import Library


@click.command(
    "check", short_help="List every finding.", epilog="Example:  upright check --library glasshouse"
)
@library_option
@click.option("--json", "as_json", is_flag=True, help="Print the findings as JSON.")
def command(library: Library, as_json: bool) -> None:
    """Read all blocks and cases of a library and list every finding.

    The exit status is 1 when a finding is an error.
    """
    from upright_block.reports.findings import counted, finding_data, finding_lines

    suite = load_suite(library)
    findings = [*library.findings, *suite.findings]
    failed = any(f.severity == "error" for f in findings)
    if as_json:
        show_json({"library": library.manifest.name, "findings": [finding_data(f) for f in findings]})
        raise SystemExit(failed)
    for finding in findings:
        show_lines([*finding_lines(finding), []])
    files = len(library.sources)
    read = f"{len(library.units)} unit{'' if len(library.units) == 1 else 's'} in {files} file{'' if files == 1 else 's'}"
    cases = len(suite.plans) + suite.blocked + suite.unusable
    show_lines(
        [
            [
                (f"{library.manifest.name}: ", "strong"),
                (f"{read}, {cases} case{'' if cases == 1 else 's'}: ", ""),
                (counted(findings) + ".", "bad" if failed else "warn" if findings else "good"),
            ]
        ]
    )
    raise SystemExit(failed)
