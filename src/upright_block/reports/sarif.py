"""Findings as SARIF 2.1.0, the format of OASIS in which tools exchange what they found."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from typing import Any
from urllib.parse import quote

from upright_block.language.source import Source
from upright_block.language.telling.allowing import Allowance
from upright_block.language.telling.catalogue import catalogue
from upright_block.language.telling.findings import Finding

_SCHEMA = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"


def sarif_text(findings: Sequence[Finding], allowed: Iterable[tuple[Finding, Allowance]]) -> str:
    """A log of one run, in ASCII; what is ``allowed`` is in it as suppressed, with the reason."""
    from upright_block.version import VERSION

    return json.dumps(_log(findings, list(allowed), VERSION), indent=2) + "\n"


def _log(findings: Sequence[Finding], suppressed: Sequence[tuple[Finding, Allowance]], version: str) -> dict[str, Any]:
    names = sorted({f.name for f in findings} | {f.name for f, _ in suppressed})
    index = {name: number for number, name in enumerate(names)}
    entries = catalogue()
    rules = [
        {
            "id": name,
            "shortDescription": {"text": entries[name].says.partition(". ")[0].rstrip(".") + "."},
            "fullDescription": {"text": entries[name].says},
            "defaultConfiguration": {"level": entries[name].level},
        }
        for name in names
    ]
    results = [_result(finding, index) for finding in findings]
    for finding, allowance in suppressed:
        kind = "inSource" if allowance.source.path == finding.source.path else "external"
        suppression = {"kind": kind, "justification": allowance.reason}
        results.append(_result(finding, index) | {"suppressions": [suppression]})
    driver = {"name": "upright", "version": version, "rules": rules}
    run = {"tool": {"driver": driver}, "columnKind": "unicodeCodePoints", "results": results}
    return {"$schema": _SCHEMA, "version": "2.1.0", "runs": [run]}


def _result(finding: Finding, index: dict[str, int]) -> dict[str, Any]:
    said = f"{finding.message} {finding.way_out}".strip()
    found: dict[str, Any] = {
        "ruleId": finding.name,
        "ruleIndex": index[finding.name],
        "level": finding.severity,
        "message": {"text": said},
        "locations": [{"physicalLocation": _place(finding.source, finding.start, finding.end)}],
    }
    if finding.related:
        found["relatedLocations"] = [
            {"id": number, "physicalLocation": _place(r.source, r.start, r.end), "message": {"text": r.message}}
            for number, r in enumerate(finding.related, 1)
        ]
    return found


def _place(source: Source, start: int, end: int) -> dict[str, Any]:
    """A place; in a sheet of a workbook the line is the row, and the column that of the cell."""
    place: dict[str, Any] = {"artifactLocation": {"uri": quote(source.path)}}
    if source.text:
        region: dict[str, Any] = {"startLine": source.line(start), "startColumn": source.column(start)}
        if end > start and "sheet" not in source.place(start):
            region |= {"endLine": source.line(end), "endColumn": source.column(end)}
        place["region"] = region
    return place
