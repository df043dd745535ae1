"""What a library says of its findings: how much they weigh, and which are meant as they are.

A comment such as ``// allow label-twice: the second is kept for the reader`` allows that finding in its line; one that
stands alone in its line, in the next one. In a case file the comment begins with ``#``.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from fnmatch import fnmatchcase

from upright_block.language.lexer import tokenize
from upright_block.language.nodes import fresh, record, replaced
from upright_block.language.source import Source
from upright_block.language.telling.catalogue import ANALYSED, UNREAD, Level, catalogue, stops
from upright_block.language.telling.edits import without_comment
from upright_block.language.telling.findings import Finding, Findings, Words

_ALLOW = re.compile(r"allow[ \t]+(?P<name>[\w-]+)[ \t]*(?::[ \t]*(?P<reason>.*))?\Z", re.IGNORECASE)
_HASH = re.compile(r"(?m)(?:^|(?<=[ \t]))#[ \t]*(?P<text>allow[ \t]+\S.*?)[ \t\r]*$", re.IGNORECASE)


@record
class Allowance:
    """That findings called ``name`` are meant as they are, at ``start`` to ``end`` of ``source``.

    They are those in ``lines`` of the same source, or with ``path`` those in all sources whose path fits the pattern.
    With ``line`` too they are those in lines of that text in the very file, and ``most`` of them.
    """

    source: Source
    start: int
    end: int
    name: str
    reason: str
    lines: frozenset[int] = frozenset()
    path: str = ""
    line: str | None = None
    most: int = 0

    @property
    def only_file(self) -> str:
        """The file that it is for; empty where there may be several."""
        if self.line is not None:
            return self.path
        return "" if self.path else self.source.path

    def covers(self, finding: Finding) -> bool:
        """Whether it allows a finding."""
        if finding.name != self.name:
            return False
        if self.line is not None:
            return finding.source.path == self.path and finding.source.line_text(finding.line).strip() == self.line
        if self.path:
            return fnmatchcase(finding.source.path, self.path)
        return finding.source.path == self.source.path and finding.line in self.lines


@record
class Policy:
    """What a manifest says of findings: levels by name, and allowances."""

    levels: Mapping[str, Level] = fresh(default_factory=dict)
    allowances: tuple[Allowance, ...] = ()


@record
class Settled:
    """Findings with their levels, and those that are ``allowed``, each with its allowance."""

    findings: tuple[Finding, ...]
    allowed: tuple[tuple[Finding, Allowance], ...]


def settle(found: Sequence[Finding], sources: Iterable[Source], policy: Policy, is_analysed: bool = False) -> Settled:
    """Apply what a library says to its findings; what is wrong with an allowance is a finding itself.

    Where the analysis ``is_analysed`` did not run, nothing is known of allowances for what it finds, and where an error
    kept something from being checked nothing of any.
    """
    about = Findings()
    written = [a for source in sources for a in allowances(source, about)]
    by_place: dict[tuple[str, str], list[Allowance]] = {}
    for allowance in (*written, *policy.allowances):
        by_place.setdefault((allowance.name, allowance.only_file), []).append(allowance)
    kept: list[Finding] = []
    allowed: list[tuple[Finding, Allowance]] = []
    used: Counter[int] = Counter()
    for finding in found:
        covering = [
            a
            for path in (finding.source.path, "")
            for a in by_place.get((finding.name, path), ())
            if finding.name not in UNREAD and a.covers(finding) and (not a.most or used[id(a)] < a.most)
        ]
        used.update(map(id, covering))
        if covering:
            allowed.append((finding, covering[0]))
        else:
            kept.append(finding)
    # What could not be checked may hold what is allowed.
    is_whole = not any(stops(finding.name) for finding in (*found, *about.items))
    left = [a for same in by_place.values() for a in same if id(a) not in used] if is_whole else []
    for allowance in left if is_analysed else (a for a in left if a.name not in ANALYSED):
        place = allowance.source, allowance.start, allowance.end
        about.add(_unused(allowance.name).told(*place, edit=without_comment(*place)))
    levels = policy.levels
    everything = [*kept, *about.items] if about.items else kept
    weighed = [replaced(f, level=levels[f.name]) if f.name in levels else f for f in everything]
    if about.items:
        weighed.sort(key=lambda finding: (finding.source.path, finding.start))
    return Settled(tuple(weighed), tuple(allowed))


def allowances(source: Source, findings: Findings) -> list[Allowance]:
    """The allowances that are written in a source."""
    if "allow" not in source.text and "ALLOW" not in source.text:
        return []
    found: list[Allowance] = []
    for start, end, text in _comments(source):
        match = _ALLOW.match(text)
        if match is None:
            continue
        name, reason = match["name"].lower(), (match["reason"] or "").strip()
        if name not in catalogue():
            findings.add(unknown_finding(name, findings.did_you_mean(name, catalogue())).told(source, start, end))
            continue
        if not reason:
            findings.add(_no_reason(name).told(source, start, end))
        line = source.line(end - 1)
        is_alone = not source.line_text(line)[: source.column(start) - 1].strip()
        lines = {line, line + 1} if is_alone else {line}
        found.append(Allowance(source, start, end, name, reason, frozenset(lines)))
    return found


def _comments(source: Source) -> list[tuple[int, int, str]]:
    """The comments of a source that may be allowances: where each begins and ends, and its words."""
    if source.form == "statements":
        return [(c.start, c.end, c.text) for c in tokenize(source, Findings()).comments]
    return [(m.start(), m.end("text"), m["text"]) for m in _HASH.finditer(source.text)]


# --- what is said ---


def unknown_finding(name: str, near: str) -> Words:
    """That the catalogue has no such finding; ``near`` offers one that it has."""
    return Words("unknown-finding", f"There is no finding {name}.", near or "upright explain lists all findings.")


def _unused(name: str) -> Words:
    return Words("unused-allowance", f"This allows {name}, and there is none here.", "Remove it.")


def _no_reason(name: str) -> Words:
    return Words("bad-allowance", f"This allows {name} and does not say why.", f"Write allow {name}: and the reason.")
