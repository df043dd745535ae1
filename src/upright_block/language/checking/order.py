"""Values that are used before their block has run in this scan."""

from __future__ import annotations

from upright_block.language import typed
from upright_block.language.checking.words import order as words
from upright_block.language.telling.findings import Findings, Related
from upright_block.language.views.graphs import circles, way
from upright_block.language.views.wires import Root, boxes, shown


def check_order(unit: typed.Unit, findings: Findings) -> None:
    """Report values of instances that the body of a unit reads before it has run them, so that they are one scan old.

    Only statements of the body itself count; of instances that feed each other the members are told, once.
    """
    found = boxes(unit)
    runs: dict[Root, int] = {}
    for box in found:
        runs.setdefault(box.root, box.number)
    feeds = {b.root: dict.fromkeys(r.root for i in b.inputs for r in i.reads) for b in found}
    group_of = {root: number for number, group in enumerate(circles(feeds, feeds)) for root in group}
    told: set[int] = set()
    for box in found:
        for read in (read for pin in box.inputs for read in pin.reads):
            if not read.is_made or runs[read.root] < box.number:
                continue
            group = group_of[box.root]
            is_circle = group == group_of[read.root]
            ring = way(read.root, box.root, feeds) if is_circle and group not in told else []
            told.add(group)
            said = words.one_scan_late(box.name, shown(read.root), [shown(root) for root in ring], is_circle, read.tag)
            variable = read.root[0]
            first = Related(unit.source, variable.start, variable.end, f"{shown(read.root)} is here")
            findings.add(said.told(unit.source, read.access.origin.start, read.access.origin.end, first))
