"""``upright explain``"""

from __future__ import annotations

import click

from upright_block import catalogue, did_you_mean
from upright_block.cli.common import beside, show_json, show_lines, stop, width
from upright_block.reports import catalogue_text, entry_lines, list_lines


@click.command(
    "explain",
    short_help="Tell what a finding means.",
    epilog="Examples:  upright explain label-twice    upright explain",
)
@click.argument("finding", required=False)
@click.option("--markdown", is_flag=True, help="Print all findings as one page of Markdown.")
@click.option("--json", "as_json", is_flag=True, help="Print it as JSON.")
def command(finding: str | None, markdown: bool, as_json: bool) -> None:
    """Tell what a finding means, why it is told, and how it is mended or allowed.

    FINDING is its name, such as label-twice. Without one all are listed.
    """
    entries = catalogue()
    if markdown:
        beside("--markdown")
        show_lines([[(line, "")] for line in catalogue_text(entries.values()).splitlines()])
        return
    if finding is None:
        if as_json:
            show_json([{"name": entry.name, "level": entry.level} for entry in entries.values()])
        else:
            show_lines(list_lines(entries.values(), width()))
        return
    entry = entries.get(finding.strip().lower().replace("_", "-"))
    if entry is None:
        stop(f"There is no finding {finding}.", did_you_mean(finding, entries) or "upright explain lists all.")
    if as_json:
        show_json(
            {"name": entry.name, "level": entry.level, "says": entry.says, "wrong": entry.wrong, "right": entry.right}
        )
    else:
        show_lines(entry_lines(entry, width()))
