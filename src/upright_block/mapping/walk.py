"""Moves each input point by itself, and each place that writes an output, and notes what follows.

What follows is what differs from a twin that nobody disturbs: timers and blinkers move by themselves.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import cached_property
from itertools import product
from typing import TYPE_CHECKING

from upright_block.compiler.artifact import Slot
from upright_block.compiler.overlay import WRITTEN, Overlay
from upright_block.language import typed
from upright_block.language.field.points import Point, Points
from upright_block.language.field.tag_uses import TagIndex, TagUse, numbers_in, tag_uses, tagged_statements
from upright_block.language.field.tags import Tag
from upright_block.language.nodes import record, replaced
from upright_block.language.scope import Scope
from upright_block.language.signals import NoSignal, Signal, field_signal, find_signal, point_signal
from upright_block.language.timebase import Timebase
from upright_block.language.types import BOOL, Elementary
from upright_block.language.views.instances import instances
from upright_block.language.walking import accesses
from upright_block.machine.machine import Machine
from upright_block.machine.trace import Fault
from upright_block.mapping.bench import Bench
from upright_block.mapping.disturbing import Disturbed, OutputPlace, disturbed
from upright_block.mapping.gates import Gates
from upright_block.runs.session import Checkpoint

if TYPE_CHECKING:
    import numpy as np

_SCANS_HELD = 3
_MOST_GROUPS = 4
_SECTIONS = ("input", "output", "private", "result")


Opening = tuple[tuple[Tag, str], ...]
"""Inputs with the values, as their names have them, with which something moves that does not at rest."""


@record
class Arrival:
    """A pin or a variable that followed a point; ``is_inverted`` says that a BOOL went the other way than the tag.

    ``where`` is the file and the line that wires it to the tag.
    """

    path: str
    is_inverted: bool
    is_pin: bool
    where: str


@record
class InputWalk:
    """What followed when the point of an input tag moved.

    ``pins`` are those that the text wires it to and that moved, ``further`` what moved besides. Where nothing did,
    ``opened_by`` are the other inputs with which something does, and ``gates`` those that may decide.
    ``is_used`` says whether any text reads the tag, ``fault`` what stopped a scan when it moved.
    """

    tag: Tag
    pins: tuple[Arrival, ...]
    further: tuple[str, ...]
    opened_by: Opening
    gates: tuple[Tag, ...]
    is_used: bool
    fault: Fault | None


@record
class OutputWalk:
    """Which pins or variables a point followed when they were moved where they are copied to it.

    ``where`` is the file and the line that does so; ``opened_by`` are the inputs with which it runs, where it does not
    at rest.
    """

    tag: Tag
    pins: tuple[str, ...]
    where: str
    opened_by: Opening
    is_written: bool


@record
class Walk:
    """The mapping of a configuration."""

    configuration: typed.Unit
    inputs: tuple[InputWalk, ...]
    outputs: tuple[OutputWalk, ...]


class _Watch:
    """The pins whose values are compared, by the bytes that they have."""

    def __init__(self, machine: Machine, slots: Sequence[Slot]) -> None:
        import numpy as np

        self.slots = list(slots)
        self.size = len(machine.artifact.initial)
        self.owner = np.full(self.size, -1, np.int32)
        for number, slot in enumerate(self.slots):
            self.owner[slot.offset : slot.offset + slot.size] = number

    def moved(self, one: np.ndarray, other: np.ndarray) -> set[int]:
        """The numbers of the pins that differ."""
        import numpy as np

        owners = self.owner[np.flatnonzero(one != other)]
        return set(np.unique(owners[owners >= 0]).tolist())


class Walker:
    """Walks the points of one configuration."""

    def __init__(self, configuration: typed.Unit, scope: Scope, timebase: Timebase, hold: int) -> None:
        self.configuration = configuration
        self.scope = scope
        self.points: Points = scope.points
        self.timebase = timebase
        self.hold = hold
        self.tags = list(scope.tags.values())
        self._most: dict[int, int] = {}
        self._kept: list[np.ndarray] = []
        self._faults: dict[Tag, Fault] = {}
        self.units = [u for u in typed.closure(configuration) if not u.is_standard and u.name[0] != ":"]

    def walk(self, done: Callable[[], object] | None = None) -> Walk:
        """Move every point that has a tag; ``done`` is called as often as there are inputs and outputs."""
        inputs = [tag for tag in self.tags if tag.area == "I" and tag.variable is not None]
        walked: list[InputWalk] = []
        for tag in inputs:
            whole = self._input(tag, tag)
            parts = [self._input(part, tag) for part in self._parts.get(tag, ())]
            telling = _telling({part.tag: [pin.path for pin in part.pins] for part in parts})
            walked += [whole, *(part for part in parts if part.tag in telling)]
            if done:
                done()
        return Walk(self.configuration, tuple(walked), tuple(self._outputs(done)))

    @cached_property
    def bench(self) -> Bench:
        """The configuration, started."""
        return self._bench()

    def _bench(self, over: Overlay = WRITTEN, more: Sequence[typed.Variable] = ()) -> Bench:
        return Bench(self.configuration, self.timebase, self.points, self.numbers, over, more)

    @cached_property
    def _parts(self) -> dict[Tag, list[Tag]]:
        """By tag what else is walked of its point: the names that stand for it or a part of it, and the bits of a bit
        string.
        """
        found: dict[Tag, list[Tag]] = {}
        for alias in self.tags:
            if "stands_for" not in alias.cells:
                continue
            try:
                signal = find_signal(self.configuration, alias.name)
            except NoSignal:
                continue
            field = field_signal(self.configuration, signal)
            whole = signal.tag
            if whole is None or field is None or whole.variable is None or whole.point is None:
                continue
            width = field.type.bits if isinstance(field.type, Elementary) and field.type is not BOOL else 1
            point = Point(whole.point.area, field.shift or 0, width)
            is_negated = whole.is_negated and signal.shift is None
            found.setdefault(whole, []).append(self._part(alias, whole, point, is_negated))
        for tag in self.tags:
            if tag.area in ("I", "Q") and tag.variable is not None and tag.point is not None and tag.is_bits:
                for bit in range(tag.point.width if tag.point.width > 1 else 0):
                    point = self.points.part(tag.point, bit, 1)
                    known = found.setdefault(tag, [])
                    if all(part.point != point for part in known):
                        made = Tag(f"{tag.name}.{bit}", tag.source, tag.start, tag.end)
                        known.append(self._part(made, tag, point, is_negated=False))
        return found

    def _part(self, named: Tag, whole: Tag, point: Point, is_negated: bool) -> Tag:
        """What is called so as a tag with a point of its own."""
        address = self.points.shown(point)
        return replaced(
            named, variable=whole.variable, point=point, address=address, is_negated=is_negated, meaning=None
        )

    # --- what is watched ---

    @cached_property
    def places(self) -> dict[str, list[str]]:
        """The paths of the instances of each unit, by its key."""
        found: dict[str, list[str]] = {}
        for instance in instances(self.configuration):
            found.setdefault(instance.unit.key, []).append(instance.path)
        return found

    @cached_property
    def watch(self) -> _Watch:
        """The pins and variables of all instances of the library's own blocks, and the tags of outputs."""
        signals: dict[str, Signal] = {}
        for instance in instances(self.configuration, standard=True):
            if instance.unit.is_standard and instance.owner.kind != "PROGRAM":
                continue
            for variable in instance.unit.variables.values():
                is_single = isinstance(variable.type, Elementary) and not variable.is_hidden and not variable.is_code
                if is_single and variable.section in _SECTIONS:
                    path = f"{instance.path}.{variable.name}"
                    signals[path] = find_signal(self.configuration, path)
        for tag in self.tags:
            if tag.area == "Q" and tag.variable is not None and isinstance(tag.variable.type, Elementary):
                signals[tag.name] = find_signal(self.configuration, tag.name)
        for variable in self.scope.globals.variables.values():
            is_single = isinstance(variable.type, Elementary) and not variable.is_hidden and not variable.is_code
            if is_single and variable.key not in self.scope.tags:
                signals[variable.name] = find_signal(self.configuration, variable.name)
        return _Watch(self.bench.machine, list(map(self.bench.machine.slot, signals.values())))

    @cached_property
    def uses(self) -> dict[Tag, list[TagUse]]:
        """Where each tag is used."""
        found: dict[Tag, list[TagUse]] = {}
        for use in tag_uses(self.tags, self.units):
            found.setdefault(use.tag, []).append(use)
        return found

    def _wired(self, tag: Tag) -> dict[str, tuple[bool, str]]:
        """The paths, in upper case, of what the text wires a tag to: whether it is a pin of an instance, and where it
        does.
        """
        found: dict[str, tuple[bool, str]] = {}
        for use in self.uses.get(tag, ()):
            if use.kind == "read" and use.pin:
                for path in (*(f"{p}.{use.pin}" for p in self.places.get(use.unit.key, ())), use.pin):
                    found[path.upper()] = use.is_pin, use.unit.source.shown_line(use.origin.start)
        return found

    @cached_property
    def gates(self) -> Gates:
        """What may decide whether a tag moves anything."""
        return Gates(self.units, self.tags)

    # --- inputs ---

    def _scans_for(self, tag: Tag) -> int:
        """For how many moments a change is held: three scans of the slowest task that sees it."""
        if self.hold:
            return self._scans_of(self.hold)
        slowest = 0
        for task in self.configuration.tasks:
            kinds = [p.type for p in task.programs if isinstance(p.type, typed.Unit)]
            seen = {u.key for kind in kinds for u in typed.closure(kind)}
            if any(use.unit.key in seen for use in self.uses.get(tag, ())):
                slowest = max(slowest, task.interval or 0)
        return max(_SCANS_HELD, self._scans_of(_SCANS_HELD * slowest))

    def _scans_of(self, span: int) -> int:
        """How many scans a change is there for, so that it is there for a span in ns."""
        if span not in self._most:
            self._most[span] = self.timebase.most_within(span)
        return self._most[span]

    @cached_property
    def numbers(self) -> dict[Tag, set[float]]:
        """The numbers that stand in one statement with a tag."""
        found: dict[Tag, set[float]] = {}
        for unit in self.units:
            for part in (unit, *unit.methods.values()):
                for statement, tags in tagged_statements(self.tags, part):
                    for tag in tags:
                        found.setdefault(tag, set()).update(numbers_in(statement))
        return found

    def _input(self, tag: Tag, whole: Tag) -> InputWalk:
        """What follows a tag, or a part of the ``whole`` one."""
        scans = self._scans_for(whole)
        moved = self._moved(tag, scans, self.bench.start)
        opened: Opening = ()
        gates: list[Tag] = []
        is_used = any(use.kind == "read" for use in self.uses.get(whole, ()))
        if is_used and not moved and tag is whole:
            groups = self.gates.of(tag)
            gates = list(dict.fromkeys(gate for group in groups for gate in group))
            for group in groups[:_MOST_GROUPS]:
                opened, moved = self._opened(tag, group, scans)
                if moved:
                    break
        wired = self._wired(whole)
        pins = [Arrival(p, inverted, *wired[p.upper()]) for p, inverted in moved.items() if p.upper() in wired]
        further = [path for path in moved if path.upper() not in wired]
        return InputWalk(tag, tuple(pins), tuple(further), opened, tuple(gates), is_used, self._faults.get(tag))

    def _twin(self, base: Checkpoint, scans: int) -> list[np.ndarray]:
        """What the undisturbed machine has after each scan from a snapshot on."""
        bench = self.bench
        if base is bench.start and len(self._kept) >= scans:
            return self._kept[:scans]
        bench.back(base)
        found = bench.images(scans)
        if base is bench.start:
            self._kept = found
        return found

    def _moved(self, tag: Tag, scans: int, base: Checkpoint) -> dict[str, bool]:
        """The paths that differ from the twin when a tag moves, each with whether it went the other way."""
        bench, watch = self.bench, self.watch
        twin = self._twin(base, scans)
        bench.back(base)
        found: dict[int, bool] = {}
        for (slot, content), is_true in list(bench.changes(tag)):
            bench.back(base)
            bench.machine.poke(slot, content)
            images = bench.images(scans)
            if bench.fault is not None:
                self._faults.setdefault(tag, bench.fault)
            for image, other in zip(images, twin, strict=False):
                for number in watch.moved(image, other):
                    if number not in found:
                        pin = watch.slots[number]
                        went = bool(image[pin.offset]) if pin.type is BOOL and pin.bit is None else None
                        found[number] = went is not None and is_true is not None and went != is_true
        return {watch.slots[number].path: inverted for number, inverted in sorted(found.items())}

    def _opened(self, tag: Tag, gates: Sequence[Tag], scans: int) -> tuple[Opening, dict[str, bool]]:
        """Values of other inputs with which the tag moves something, by a bounded search."""
        bench = self.bench
        for tried in bench.tries(gates):
            if not bench.opened(tried, scans):
                continue
            moved = self._moved(tag, scans, bench.checkpoint())
            if moved:
                return tuple((gate, bench.shown(gate, change)) for gate, change in tried), moved
        return (), {}

    # --- outputs ---

    def _outputs(self, done: Callable[[], object] | None) -> Iterator[OutputWalk]:
        outputs = [tag for tag in self.tags if tag.area == "Q" and tag.variable is not None]
        if not outputs:
            return
        made = disturbed(self.configuration, self.scope.tags)
        bench = self._bench(made.over, [made.switch])
        slowest = max((task.interval or 0 for task in self.configuration.tasks), default=0)
        scans = max(_SCANS_HELD, self._scans_of(_SCANS_HELD * slowest))
        parts = [part for tag in outputs for part in self._parts.get(tag, ())]
        follower = _Follower(bench, made, outputs, parts, self.points)
        followed: dict[Tag, dict[str, None]] = {}
        told = 0
        for number, place in enumerate(made.places, start=1):
            for tag in follower.followed(place, bench.start, scans):
                followed.setdefault(tag, {}).update(dict.fromkeys(self._places_of(place)))
            while done and told * len(made.places) < number * len(outputs):
                told += 1
                done()
        for tag in outputs:
            writers = [place for place in made.places if tag in follower.tags_at(place)]
            opened: Opening = ()
            if tag not in followed and writers:
                opened = self._opened_for(tag, writers, follower, scans, followed)
            is_written = any(use.kind == "write" for use in self.uses.get(tag, ()))
            where = writers[0].unit.source.shown_line(writers[0].origin.start) if writers else ""
            pins = tuple(followed.get(tag, ()))
            yield OutputWalk(tag, pins, where, opened, is_written)
            own = {part: tuple(followed.get(part, ())) for part in self._parts.get(tag, ())}
            for part in _telling(own):
                yield OutputWalk(part, own[part], where, opened, is_written)

    def _places_of(self, place: OutputPlace) -> list[str]:
        """The paths of the pin at a place, in each instance of its unit."""
        return [f"{path}.{place.pin}" for path in self.places.get(place.unit.key, ())] or [place.pin]

    def _opened_for(
        self,
        tag: Tag,
        writers: Sequence[OutputPlace],
        follower: _Follower,
        scans: int,
        followed: dict[Tag, dict[str, None]],
    ) -> Opening:
        """Values of inputs with which a statement that writes an output runs, by a bounded search."""
        bench = follower.bench
        groups = [*self._triggers(writers), *self.gates.of_output(tag)][:_MOST_GROUPS]
        for before, group in product((scans, 0), groups):  # at once too: a rise is over when it has been waited for
            for tried in bench.tries(group):
                if not bench.opened(tried, before):
                    continue
                base = bench.checkpoint()
                for place in writers:
                    for found in follower.followed(place, base, scans):
                        if found is tag or found in self._parts.get(tag, ()):
                            followed.setdefault(found, {}).update(dict.fromkeys(self._places_of(place)))
                if tag in followed:
                    return tuple((gate, bench.shown(gate, change)) for gate, change in tried)
        return ()

    def _triggers(self, writers: Sequence[OutputPlace]) -> Iterator[list[Tag]]:
        """The inputs whose rise starts the tasks that some places are in."""
        by_variable = {tag.variable: tag for tag in self.tags if tag.area == "I" and tag.variable is not None}
        wanted = {place.unit.key for place in writers}
        for task in self.configuration.tasks:
            kinds = [p.type for p in task.programs if isinstance(p.type, typed.Unit)]
            if task.single is not None and any(u.key in wanted for kind in kinds for u in typed.closure(kind)):
                roots = [a.place.root for a in accesses(task.single) if a.place is not None]
                yield [by_variable[root] for root in roots if root in by_variable]


def _telling(pins: Mapping[Tag, Sequence[str]]) -> list[Tag]:
    """The parts of a point that are told besides the whole: those with a name, and bits that reach what not all of them
    do.
    """
    reached = [frozenset(own) for own in pins.values() if own]
    common = frozenset.intersection(*reached) if reached else frozenset()
    return [part for part, own in pins.items() if part.cells or set(own) - common]


class _Follower:
    """Tells which output points follow when a place that writes them is disturbed."""

    def __init__(
        self, bench: Bench, made: Disturbed, outputs: Sequence[Tag], parts: Sequence[Tag], points: Points
    ) -> None:
        self.bench = bench
        self.switch = bench.machine.slot(Signal("", made.switch, made.switch, (), made.switch.type))
        self.begin = bench.machine.slot(point_signal(points, Point("Q", 0, 8))).offset
        self.size = points.sizes["Q"]
        self.index = TagIndex(outputs)
        self.by_byte: dict[int, list[Tag]] = {}
        for tag in (*outputs, *parts):
            assert tag.point is not None
            for byte in tag.point.bytes:
                self.by_byte.setdefault(byte, []).append(tag)
        self._twins: dict[int, list[np.ndarray]] = {}

    def tags_at(self, place: OutputPlace) -> set[Tag]:
        """The outputs that a place writes."""
        return set(self.index.tags_at(place.place))

    def followed(self, place: OutputPlace, base: Checkpoint, scans: int) -> list[Tag]:
        """The outputs whose points differ from those of an undisturbed twin."""
        import numpy as np

        bench, moved = self.bench, np.zeros(self.size, np.uint8)
        bench.back(base)
        twin = self._twins.get(id(base)) if base is bench.start else None
        if twin is None:
            twin = self._areas(scans)
            if base is bench.start:
                self._twins[id(base)] = twin
            bench.back(base)
        bench.machine.poke(self.switch, self.switch.encode(place.number))
        for area, other in zip(self._areas(scans), twin, strict=False):
            moved |= area ^ other
        found: dict[Tag, None] = {}
        for byte in np.flatnonzero(moved).tolist():
            for tag in self.by_byte.get(byte, ()):
                assert tag.point is not None
                bits = ((1 << tag.point.width) - 1) << tag.point.start >> 8 * byte
                if int(moved[byte]) & bits:
                    found[tag] = None
        return list(found)

    def _areas(self, scans: int) -> list[np.ndarray]:
        return [image[self.begin : self.begin + self.size] for image in self.bench.images(scans)]
