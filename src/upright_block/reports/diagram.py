"""Where the boxes, pins and wires of a wiring table stand on pages.

Boxes stand in columns. A wire is drawn from one column to the next, in the channel between them; what would have to
pass a box, or comes from another page or from the scan before, is a name at both ends instead, and so is a tag.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Literal

from upright_block.language.nodes import record, state
from upright_block.language.views.graphs import circles
from upright_block.language.views.wires import Box, shown

SIZES = (1280, 800), (1600, 1000)
"""Of a page, in pixels: the larger one where it saves many pages. One with a box that needs more is larger still."""
CHARACTER = 6.02
"""Pixels from one character to the next: labels have a font of 10 pixels, of one width."""
HEAD = 36
"""Pixels of a box above its pins."""
_PITCH = 18
_FOOT = 6
_GAP = 14
_COMMENT = 14
"""Pixels above a box for the comment of its row."""
_WORTH = 0.6
"""The part of the pages that larger ones may be for it to be worth it."""
_WIDEST_SPREAD = 260
_TRACK = 9
_MARGIN = 24
_TOP = 56
_STUB = 10
_MOST_COLUMNS = 4
_LONGEST_LABEL = 46
_SHORT_LABEL = 30
_SHORTEST_LABEL = 12

Kind = Literal["tag", "value", "link", "late", "wire"]
"""What a label names: a tag or an expression of tags, a literal, a pin elsewhere, one in the scan before, a wire."""
Corner = tuple[int, int]


@record
class Label:
    """A text on the line from ``x`` to a pin, or with ``is_output`` from a pin at ``x`` on. It may be cut."""

    text: str
    kind: Kind
    x: int
    y: int
    width: int
    is_output: bool


@record
class Wire:
    """A wire from one output to its pins: straight pieces, and the points where it branches."""

    lines: tuple[tuple[Corner, Corner], ...]
    dots: tuple[Corner, ...]


@record
class Drawn:
    """A box at its place, with the height of each of its pins, and the comment above it, which may be cut."""

    box: Box
    comment: str
    x: int
    y: int
    width: int
    height: int
    inputs: Mapping[str, int]
    outputs: Mapping[str, int]


@record
class Page:
    """A page, in pixels from its upper left corner."""

    width: int
    height: int
    boxes: tuple[Drawn, ...]
    labels: tuple[Label, ...]
    wires: tuple[Wire, ...]


@state
class _Node:
    """A box with the outputs that are shown: those that a tag takes, or another box. The rest is found on the way."""

    box: Box
    outputs: list[str]
    page: int = 0
    column: int = 0
    top: int = 0

    @property
    def above(self) -> int:
        return _COMMENT if self.box.comment else 0

    @property
    def height(self) -> int:
        return self.above + HEAD + max(len(self.box.inputs), len(self.outputs), 1) * _PITCH + _FOOT

    @property
    def bottom(self) -> int:
        return self.top + self.height

    def input_at(self, number: int) -> int:
        return self.top + self.above + HEAD + number * _PITCH + _PITCH // 2

    def output_at(self, name: str) -> int:
        return self.input_at(self.outputs.index(name))


@record
class _Edge:
    """That an input of a box, by its number, reads an output of another one, or of itself."""

    source: _Node
    output: str
    target: _Node
    number: int
    is_late: bool

    @property
    def is_wire(self) -> bool:
        """Whether it can be drawn: from the column before, on the same page, in the same scan."""
        source, target = self.source, self.target
        return not self.is_late and source.page == target.page and source.column == target.column - 1


_Net = tuple[_Node, str]
"""An output of a box."""


def pages(boxes: Sequence[Box]) -> list[Page]:
    """The pages of a drawing, with as many columns as leave room for what is written at the pins."""
    small, large = (_pages(boxes, *size) for size in SIZES)
    return large if len(large) <= _WORTH * len(small) else small


def _pages(boxes: Sequence[Box], width: int, height: int) -> list[Page]:
    nodes = [_Node(box, [output.name for output in box.outputs]) for box in boxes]
    edges = list(_edges(nodes))
    for columns in range(_MOST_COLUMNS, 0, -1):
        _place(_groups(nodes, edges, columns), columns, height)
        drawers = [_Drawer(page, edges_of) for page, edges_of in _by_page(nodes, edges)]
        if columns == 1 or all(drawer.width(_SHORT_LABEL) <= width for drawer in drawers):
            return [drawer.page(width, height) for drawer in drawers]
    return []


def _edges(nodes: Sequence[_Node]) -> Iterator[_Edge]:
    by_root = {node.box.root: node for node in nodes}
    for node in nodes:
        for number, pin in enumerate(node.box.inputs):
            read = {(r.root, r.pin): r for r in pin.reads if not r.tag and r.root in by_root}
            for (root, output), how in read.items():
                source = by_root[root]
                if output not in source.outputs:
                    source.outputs.append(output)
                is_late = how.is_made and source.box.number >= node.box.number
                yield _Edge(source, output, node, number, is_late)


# --- columns and pages ---


def _groups(nodes: Sequence[_Node], edges: Sequence[_Edge], columns: int) -> list[list[_Node]]:
    """Give each box its column, behind those that it reads; the boxes in groups that are wired together."""
    reads: dict[_Node, list[_Node]] = {}
    for edge in edges:
        if edge.source.box.number < edge.target.box.number:
            reads.setdefault(edge.target, []).append(edge.source)
    group_of: dict[_Node, list[_Node]] = {}
    for node in nodes:
        column = max((source.column + 1 for source in reads.get(node, ())), default=0)
        node.column = column if column < columns else 0
        group = group_of[node] = [node]
        for source in reads.get(node, ()):
            other = group_of[source]
            if source.column == node.column - 1 and other is not group:
                group, other = (group, other) if len(group) > len(other) else (other, group)
                group += other
                group_of.update((member, group) for member in other)
    groups = {id(group_of[node]): group_of[node] for node in nodes}
    return [sorted(group, key=lambda node: node.box.number) for group in groups.values()]


def _place(groups: Sequence[list[_Node]], columns: int, high: int) -> None:
    """Give each box its page and its place there; those of a group stay together where a page holds them, and those of
    one that is too high stand wherever there is room.
    """
    page, ends = 0, [_TOP] * columns
    for group in groups:
        heights = [sum(node.height + _GAP for node in group if node.column == c) for c in range(columns)]
        is_high = max(heights) > high - _TOP - _MARGIN
        for part in [[node] for node in group] if is_high else [group]:
            if is_high:
                part[0].column = 0
            steps = range(columns - max(node.column for node in part))
            tops = [max(ends[node.column + step] for node in part) for step in steps]
            step = tops.index(min(tops))
            for node in part:
                node.column += step
            if not _fits(part, ends, high):
                page, ends = page + 1, [_TOP] * columns
                for node in part:
                    node.column -= step
            top = max(ends[node.column] for node in part)
            for column in {node.column for node in part}:
                ends[column] = top
            for node in part:
                node.page, node.top = page, ends[node.column]
                ends[node.column] += node.height + _GAP


def _fits(part: Sequence[_Node], ends: Sequence[int], high: int) -> bool:
    """Whether boxes still go on a page; on an empty one anything does."""
    top = max(ends[node.column] for node in part)
    heights = [sum(n.height + _GAP for n in part if n.column == column) for column in range(len(ends))]
    return max(ends) == _TOP or top + max(heights) - _GAP <= high - _MARGIN


def _by_page(nodes: Sequence[_Node], edges: Sequence[_Edge]) -> Iterator[tuple[list[_Node], list[_Edge]]]:
    """The boxes of each page, and the edges that begin or end there."""
    on: dict[int, tuple[list[_Node], list[_Edge]]] = {}
    for node in nodes:
        on.setdefault(node.page, ([], []))[0].append(node)
    for edge in edges:
        for page in {edge.source.page, edge.target.page}:
            on[page][1].append(edge)
    yield from on.values()


# --- a page ---


class _Drawer:
    """Draws one page."""

    def __init__(self, nodes: list[_Node], edges: list[_Edge]) -> None:
        self.nodes = nodes
        self.columns = max(node.column for node in nodes) + 1
        self.channels = [self._tracks(edges, column) for column in range(self.columns)]
        drawn = {net for channel in self.channels for net in channel}
        self.wired: dict[_Net, list[_Edge]] = {}
        self.named: list[_Edge] = []
        for edge in edges:
            net = edge.source, edge.output
            if edge.is_wire and net in drawn:
                self.wired.setdefault(net, []).append(edge)
            else:
                self.named.append(edge)
        self.before = {node: self._input_texts(node) for node in nodes}
        self.behind = self._output_texts()

    @staticmethod
    def _tracks(edges: Sequence[_Edge], column: int) -> dict[_Net, int]:
        """The outputs that are wired from a column to the next, each with its track, from 1.

        A wire that begins at the height at which another one ends turns off before that does; where two want that of
        each other they are names instead. Wires that do not pass each other share a track.
        """
        ends: dict[_Net, set[int]] = {}
        for edge in edges:
            if edge.is_wire and edge.source.column == column:
                ends.setdefault((edge.source, edge.output), set()).add(edge.target.input_at(edge.number))
        begins = {net[0].output_at(net[1]): net for net in ends}
        first = {net: [begins[y] for y in sorted(found) if begins.get(y, net) != net] for net, found in ends.items()}
        tracks: dict[_Net, int] = {}
        taken: list[list[tuple[int, int]]] = []
        for group in circles(ends, first):
            net = group[0]
            if len(group) > 1:
                continue
            heights = ends[net] | {net[0].output_at(net[1])}
            low, high = min(heights), max(heights)
            track = max((tracks.get(other, 0) for other in first[net]), default=0)
            while track < len(taken) and any(a <= high and low <= b for a, b in taken[track]):
                track += 1
            if track == len(taken):
                taken.append([])
            taken[track].append((low, high))
            tracks[net] = track + 1
        return tracks

    def _input_texts(self, node: _Node) -> dict[int, tuple[str, Kind]]:
        """What is written before each pin; nothing where a wire says it all."""
        wired: dict[int, list[str]] = {}
        for edge in (edge for edges in self.wired.values() for edge in edges if edge.target is node):
            wired.setdefault(edge.number, []).append(_path(edge.source, edge.output))
        named = {edge.number: edge.is_late for edge in self.named if edge.target is node}
        found: dict[int, tuple[str, Kind]] = {}
        for number, pin in enumerate(node.box.inputs):
            kind: Kind = "value" if pin.is_value else "tag"
            if number in named:
                kind = "late" if named[number] else "link"
            elif number in wired:
                kind = "wire"
            if pin.text not in wired.get(number, ()):
                found[number] = pin.text, kind
        return found

    def _output_texts(self) -> dict[_Net, tuple[str, Kind]]:
        """What is written behind each pin: the tags that take it, and the pins to which no wire is drawn."""
        texts: dict[_Net, list[str]] = {}
        for node in self.nodes:
            for output in node.box.outputs:
                texts.setdefault((node, output.name), []).extend(output.targets)
        tagged = {net for net, found in texts.items() if found}
        for edge in self.named:
            if edge.source in self.before:
                pin = edge.target.box.inputs[edge.number].name
                texts.setdefault((edge.source, edge.output), []).append(f"{edge.target.box.name}.{pin}")
        return {
            net: (", ".join(dict.fromkeys(found)), "tag" if net in tagged else "link")
            for net, found in texts.items()
            if found
        }

    # --- across ---

    def _across(self, longest: int, spread: int = 0) -> list[tuple[int, int, int, int]]:
        """Of each column where its labels, its boxes, the labels behind them and its channel begin; columns are
        ``spread`` by so many pixels more than they need.
        """
        found: list[tuple[int, int, int, int]] = []
        x = _MARGIN
        for column in range(self.columns):
            nodes = [node for node in self.nodes if node.column == column]
            before = [text for node in nodes for text, _ in self.before[node].values()]
            behind = [text for (node, _), (text, _) in self.behind.items() if node.column == column]
            left = x + _room(before, longest)
            right = left + max((_box_width(node) for node in nodes), default=0)
            comment = left + max((_room([node.box.comment], longest) for node in nodes if node.box.comment), default=0)
            channel = max(right + _room(behind, longest), comment)
            found.append((x, left, right, channel))
            x = channel + (max(self.channels[column].values(), default=0) + 1) * _TRACK
            x += spread if column < self.columns - 1 else 0
        found.append((x, x, x, x))
        return found

    def width(self, longest: int) -> int:
        """How wide the page is with labels up to a length."""
        return self._across(longest)[-1][0] + _MARGIN

    def page(self, width: int, height: int) -> Page:
        """The page, with labels as long as its width allows."""
        fitting = (n for n in range(_LONGEST_LABEL, _SHORTEST_LABEL, -1) if self.width(n) <= width)
        longest = next(fitting, _SHORTEST_LABEL)
        spare = (width - self.width(longest)) // max(self.columns - 1, 1)
        across = self._across(longest, min(max(spare, 0), _WIDEST_SPREAD))
        return Page(
            max(width, self.width(longest)),
            max(height, *(node.bottom + _MARGIN for node in self.nodes)),
            tuple(self._shown(node, across, longest) for node in self.nodes),
            tuple(self._labels(across, longest)),
            tuple(self._wires(across)),
        )

    @staticmethod
    def _shown(node: _Node, across: Sequence[tuple[int, int, int, int]], longest: int) -> Drawn:
        _, left, right, _ = across[node.column]
        comment = _clipped(node.box.comment, longest)
        inputs = {pin.name: node.input_at(number) for number, pin in enumerate(node.box.inputs)}
        outputs = {name: node.output_at(name) for name in node.outputs}
        top, height = node.top + node.above, node.height - node.above
        return Drawn(node.box, comment, left, top, right - left, height, inputs, outputs)

    def _labels(self, across: Sequence[tuple[int, int, int, int]], longest: int) -> Iterator[Label]:
        for node, texts in self.before.items():
            for number, (text, kind) in texts.items():
                width = _room([text], longest)
                x = across[node.column][1] - width
                yield Label(_clipped(text, longest), kind, x, node.input_at(number), width, is_output=False)
        for (node, output), (text, kind) in self.behind.items():
            x = across[node.column][2]
            width = _room([text], longest)
            yield Label(_clipped(text, longest), kind, x, node.output_at(output), width, is_output=True)

    def _wires(self, across: Sequence[tuple[int, int, int, int]]) -> Iterator[Wire]:
        for column, tracks in enumerate(self.channels):
            left, channel, right = across[column][2], across[column][3], across[column + 1][1]
            for net, track in tracks.items():
                begin = net[0].output_at(net[1])
                ends = sorted({edge.target.input_at(edge.number) for edge in self.wired[net]})
                if ends == [begin]:
                    yield Wire((((left, begin), (right, begin)),), ())
                    continue
                turn = channel + track * _TRACK
                heights = sorted({begin, *ends})
                lines: list[tuple[Corner, Corner]] = [((left, begin), (turn, begin))]
                lines.append(((turn, heights[0]), (turn, heights[-1])))
                lines += [((turn, end), (right, end)) for end in ends]
                branches = {*heights[1:-1], *([begin] if begin in ends else [])}
                yield Wire(tuple(lines), tuple((turn, y) for y in sorted(branches)))


def _path(node: _Node, output: str) -> str:
    name = shown(node.box.root)
    return f"{name}.{output}" if output else name


def _clipped(text: str, longest: int) -> str:
    return text if len(text) <= longest else f"{text[: longest - 1]}…"


def _room(texts: Sequence[str], longest: int) -> int:
    """Pixels for the longest of some labels."""
    length = max((min(len(text), longest) for text in texts), default=0)
    return round(length * CHARACTER) + 2 * _STUB


def _box_width(node: _Node) -> int:
    box = node.box
    pins = max((len(pin.name) for pin in box.inputs), default=0) + max((len(o) for o in node.outputs), default=0)
    return round(max(pins + 3, len(box.name) + 5, len(box.block) + 2) * CHARACTER) + 2 * _STUB
