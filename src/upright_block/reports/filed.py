"""The result of a run as files to be kept: a page, JUnit XML, JSON lines, and a summary in Markdown."""

from __future__ import annotations

import json
import xml.etree.ElementTree as ET
from collections.abc import Iterable, Mapping, Sequence
from itertools import groupby

from upright_block.cases.plan import NotRun
from upright_block.coverage.collected import UnitCoverage
from upright_block.language.literals import shown_duration
from upright_block.language.nodes import record
from upright_block.reasons.tree import Answer
from upright_block.reports.findings import finding_list
from upright_block.reports.page import page_text
from upright_block.reports.styled import plain, visible
from upright_block.reports.verdicts import failure_lines, not_run_data, verdict_data
from upright_block.runs.verdict import Verdict

_WIDTH = 120
_WORDS = {"passed": "good", "failed": "wrong", "fault": "fault", "checks nothing": "checks nothing"}


@record
class Stamp:
    """What a report is of: the library with its version and a digest of all that it read, the tool's version, and the
    time.

    ``time`` is that of the run in UTC (ISO 8601).
    """

    library: str
    version: str
    digest: str
    tool: str
    time: str

    @property
    def data(self) -> dict[str, str]:
        """The same as plain data."""
        return {
            "library": self.library,
            "version": self.version,
            "digest": self.digest,
            "upright": self.tool,
            "time": self.time,
        }


def report_files(
    stamp: Stamp,
    verdicts: Sequence[Verdict],
    not_run: Sequence[NotRun],
    pictures: Mapping[str, Sequence[str]],
    seconds: float = 0.0,
    covered: Sequence[UnitCoverage] = (),
    answers: Mapping[str, Answer] | None = None,
    inside: Mapping[str, Sequence[str]] | None = None,
) -> dict[str, str]:
    """The files of a report, by name; ``pictures`` are those of wrong cases, by the id of the case. Verdicts need their
    tracks.

    ``seconds`` is how long the cases took, ``covered`` what of the units they reached, where that was asked for,
    ``answers`` the reasons of what is wrong first, by the id of the case, ``inside`` the names of the blocks that a
    unit uses, by its own.
    """
    return {
        "index.html": page_text(stamp.data, verdicts, not_run, seconds, covered, answers or {}, inside or {}),
        "junit.xml": _junit(stamp, verdicts, not_run),
        "report.jsonl": _json_lines(stamp, verdicts, not_run),
        "summary.md": _summary(stamp, verdicts, not_run, pictures),
    }


def _failure(verdict: Verdict) -> str:
    """What a wrong case shows, as text that a file may hold."""
    return _clean("\n".join(map(plain, failure_lines(verdict, _WIDTH))))


def _clean(text: str) -> str:
    """A text without what XML cannot hold."""
    return "".join(letter if letter in "\n\t" or letter.isprintable() else visible(letter) for letter in text)


def _junit(stamp: Stamp, verdicts: Sequence[Verdict], not_run: Sequence[NotRun]) -> str:
    """A suite a case file: wrong is a failure, a fault and what could not be run an error, what checks nothing
    skipped.
    """
    root = ET.Element("testsuites", name=stamp.library)
    by_file: dict[str, list[ET.Element]] = {}
    for verdict in verdicts:
        case = verdict.case
        entry = ET.Element("testcase", classname=case.unit_name, name=_clean(case.name), time=f"{verdict.seconds:.6f}")
        entry.set("file", case.file.source.path)
        if verdict.status == "checks nothing":
            ET.SubElement(entry, "skipped", message="the case checks nothing")
        elif verdict.status != "passed":
            made = ET.SubElement(
                entry, "error" if verdict.status == "fault" else "failure", message=_WORDS[verdict.status]
            )
            made.text = _failure(verdict)
        by_file.setdefault(case.file.source.path, []).append(entry)
    for left in not_run:
        entry = ET.Element(
            "testcase", classname=left.unit_name, name=_clean(left.name), time="0", file=left.source.path
        )
        made = ET.SubElement(entry, "error", message=_clean(left.reason))
        made.text = _clean("\n".join(map(plain, finding_list(left.findings, show_all=True))))
        by_file.setdefault(left.source.path, []).append(entry)
    for path, entries in by_file.items():
        counts = {
            kind: sum(entry.find(kind) is not None for entry in entries) for kind in ("failure", "error", "skipped")
        }
        suite = ET.SubElement(root, "testsuite", name=path, tests=str(len(entries)), failures=str(counts["failure"]))
        suite.attrib |= {"errors": str(counts["error"]), "skipped": str(counts["skipped"]), "timestamp": stamp.time}
        properties = ET.SubElement(suite, "properties")
        for name, value in stamp.data.items():
            if name != "time":
                ET.SubElement(properties, "property", name=name, value=value)
        suite.extend(entries)
    ET.indent(root)
    return ET.tostring(root, "unicode", xml_declaration=True) + "\n"


def _json_lines(stamp: Stamp, verdicts: Sequence[Verdict], not_run: Sequence[NotRun]) -> str:
    """A line for the library, then one a case, as ``upright verify`` gives them to machines."""
    entries: Iterable[object] = (stamp.data, *map(verdict_data, verdicts), *map(not_run_data, not_run))
    return "".join(json.dumps(entry) + "\n" for entry in entries)


def _summary(
    stamp: Stamp, verdicts: Sequence[Verdict], not_run: Sequence[NotRun], pictures: Mapping[str, Sequence[str]]
) -> str:
    """Counts, a table of blocks, and what is wrong in full."""
    total, good = len(verdicts) + len(not_run), sum(v.status == "passed" for v in verdicts)
    wrong = [v for v in verdicts if v.status in ("failed", "fault")]
    lines = [
        f"# {_cell(stamp.library)} {_cell(stamp.version)}".rstrip(),
        "",
        f"{good:,} of {total:,} case{'' if total == 1 else 's'} good, {len(wrong):,} wrong, {len(not_run):,} not run.",
        "",
        f"Upright {stamp.tool}, {stamp.time}, content `{stamp.digest[:16]}`.",
        "",
        "| block | cases | good | wrong | not run | machine time |",
        "| --- | ---: | ---: | ---: | ---: | ---: |",
    ]
    names = sorted([*(v.case.unit_name for v in verdicts), *(left.unit_name for left in not_run)])
    for name, found in groupby(names):
        own = [v for v in verdicts if v.case.unit_name == name]
        bad = sum(v.status in ("failed", "fault") for v in own)
        left_out = sum(left.unit_name == name for left in not_run)
        time = shown_duration(sum(v.case.plan.timebase.time(v.case.plan.scans) for v in own))
        passed = sum(v.status == "passed" for v in own)
        lines.append(f"| {_cell(name)} | {len(list(found)):,} | {passed:,} | {bad:,} | {left_out:,} | {time} |")
    for verdict in wrong:
        text = _failure(verdict)
        fence = "`" * max(3, 1 + max((len(run) for run in _runs(text, "`")), default=0))
        lines += ["", f"## {_cell(verdict.case.unit_name)}: {_cell(verdict.case.name)}", "", fence, text, fence]
        for picture in pictures.get(verdict.case.id, ()):
            lines += ["", f"![What it did over time]({picture})"]
    if not_run:
        lines += ["", "## Not run", ""]
        lines += [f"- {_cell(left.unit_name)}: {_cell(left.name)}: {_cell(left.reason)}" for left in not_run]
    return "\n".join([*lines, ""])


def _runs(text: str, letter: str) -> list[str]:
    return ["".join(group) for key, group in groupby(text, lambda found: found == letter) if key]


def _cell(text: str) -> str:
    """A text of the library in Markdown, where it means nothing but itself."""
    return "".join(f"\\{letter}" if letter in "\\`*_{}[]<>#|" else letter for letter in _clean(text).replace("\n", " "))
