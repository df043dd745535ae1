"""``upright check``"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import click

from upright_block import Checked, Finding, LibraryProblem, catalogue, check_library, did_you_mean
from upright_block.cli.common import (
    beside,
    no_library,
    only_with,
    place_options,
    plural,
    propose,
    show_findings,
    show_json,
    show_lines,
    stop,
    write_out,
)
from upright_block.reports import counted, finding_data, finding_line, sarif_text


def _names(_: click.Context, __: click.Parameter, written: Sequence[str]) -> list[tuple[str, ...]]:
    """The names of findings in some texts, with commas between them, each one of the catalogue."""
    found: list[tuple[str, ...]] = []
    for text in written:
        found.append(tuple(name.strip().lower().replace("_", "-") for name in text.split(",") if name.strip()))
        for name in found[-1]:
            if name not in catalogue():
                stop(f"There is no finding {name}.", did_you_mean(name, catalogue()) or "upright explain lists all.")
    return found


@click.command(
    "check",
    short_help="List every finding.",
    epilog="Examples:  upright check    upright check --only stays-on,two-writers    upright check --fix --write",
)
@place_options
@click.option("--only", multiple=True, callback=_names, metavar="NAMES", help="Only these findings.")
@click.option("--skip", multiple=True, callback=_names, metavar="NAMES", help="All but these findings.")
@click.option("--doubtful", is_flag=True, help="Also what may be meant, as far as the text tells.")
@click.option("--all", "show_all", is_flag=True, help="Show all findings, however many a file has.")
@click.option("--lines", "as_lines", is_flag=True, help="One line each: file:line:column, level, message, name.")
@click.option("--json", "as_json", is_flag=True, help="Print the findings as JSON.")
@click.option(
    "--sarif", metavar="FILE", type=click.Path(path_type=Path), help="Write the findings as SARIF 2.1.0 as well."
)
@click.option("--fix", is_flag=True, help="Show the edits of findings whose way out is one sure edit.")
@click.option("--accept-present", "accept", is_flag=True, help="Take over what an old library has, into accepted.toml.")
@click.option("--write", is_flag=True, help="With --fix or --accept-present: write the files.")
@click.option("--strict", is_flag=True, help="Exit with 1 for warnings too.")
def command(
    folder: Path,
    also: tuple[Path, ...],
    only: tuple[tuple[str, ...], ...],
    skip: tuple[tuple[str, ...], ...],
    doubtful: bool,
    show_all: bool,
    as_lines: bool,
    as_json: bool,
    sarif: Path | None,
    fix: bool,
    accept: bool,
    write: bool,
    strict: bool,
) -> None:
    """Read all blocks and cases of a library and list every finding, without running anything.

    The exit status is 1 when a finding is an error.
    """
    if not (fix or accept):
        only_with("--fix or --accept-present", "--write")
    try:
        checked = check_library(folder, also, doubtful or accept)
    except LibraryProblem as problem:
        no_library(problem, as_json)
    wanted, unwanted = {n for names in only for n in names}, {n for names in skip for n in names}
    findings = [
        f
        for f in checked.settled.findings
        if (not wanted or f.name in wanted) and f.name not in unwanted and (doubtful or not f.is_doubtful)
    ]
    if fix:
        beside("--fix", "--write", "--only", "--skip", "--doubtful")
        _fix(checked, findings, write)
        return
    if accept:
        beside("--accept-present", "--write", "--only", "--skip", "--doubtful")
        propose(checked, {checked.accepted_path: (checked.accepted.text, checked.accepting(findings))}, write)
        return
    failed = any(f.severity == "error" or strict for f in findings)
    if sarif is not None:
        write_out(sarif, sarif_text(findings, checked.settled.allowed).encode())
    if as_json:
        _show_json(checked, findings)
    elif as_lines:
        show_lines([finding_line(f) for f in findings])
    else:
        show_findings(findings, show_all)
        _sum_up(checked, findings, failed)
    raise SystemExit(failed)


def _show_json(checked: Checked, findings: Sequence[Finding]) -> None:
    show_json(
        {
            "library": checked.name,
            "findings": [finding_data(f) for f in findings],
            "allowed": [finding_data(f) for f, _ in checked.settled.allowed],
        }
    )


def _sum_up(checked: Checked, findings: Sequence[Finding], failed: bool) -> None:
    read = f"{plural(checked.units, 'unit')} in {plural(checked.files, 'file')}"
    cases = plural(checked.cases, "case")
    allowed = len(checked.settled.allowed)
    also = f" {plural(allowed, 'finding')} {'is' if allowed == 1 else 'are'} allowed." if allowed else ""
    show_lines(
        [
            [
                (f"{checked.name}: ", "strong"),
                (f"{read}, {cases}: ", ""),
                (counted(findings) + ".", "bad" if failed else "warn" if findings else "good"),
                (also, "dim"),
            ]
        ]
    )
    if findings:
        show_lines([[(f"What a finding means: upright explain {findings[0].name}", "dim")]])


def _fix(checked: Checked, findings: Sequence[Finding], write: bool) -> None:
    """Propose the edits of findings, a file at a time."""
    mended = checked.mended(findings)
    if not mended:
        show_lines([[("None of the findings has a way out that is one sure edit.", "")]])
        return
    propose(checked, {checked.root / path: (made.before, made.after) for path, made in mended.items()}, write)
    count = sum(made.count for made in mended.values())
    left = len(findings) - count
    show_lines([[(f"{plural(count, 'edit')}; {plural(left, 'finding')} without one.", "dim")]])
