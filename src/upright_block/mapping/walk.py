"""Moves each input point by itself, and each place that writes an output, and notes what follows.

What follows is what differs from a twin that nobody disturbs: timers and blinkers move by themselves.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import cached_property
from itertools import combinations, islice
from typing import TYPE_CHECKING

from upright_block.compiler.image import build_image
from upright_block.compiler.program import Slot, make_program
from upright_block.language import typed
from upright_block.language.instances import instances
from upright_block.language.nodes import record
from upright_block.language.points import Point, Points
from upright_block.language.scope import Scope
from upright_block.language.signals import Signal, find_signal
from upright_block.language.tag_uses import TagUse, numbers_in, tag_uses, tagged_statements
from upright_block.language.tags import Tag
from upright_block.language.timebase import Timebase
from upright_block.language.types import BOOL, Elementary
from upright_block.machine.machine import Machine, Snapshot
from upright_block.mapping.disturbing import disturbed
from upright_block.mapping.gates import Gates

if TYPE_CHECKING:
    import numpy as np

_SCANS_HELD = 3
_MOST_GROUPS = 4
_MOST_GATES = 10
_MOST_TRIES = 400
_MOST_NUMBERS = 12
_SECTIONS = ("input", "output", "private", "result")


@record
class Reached:
    """A pin or a variable that followed a point; ``is_inverted`` says that a BOOL went the other way than the tag."""

    path: str
    is_inverted: bool
    is_pin: bool


@record
class InputWalk:
    """What followed when the point of an input tag moved.

    ``pins`` are those that the text wires it to and that moved, ``further`` what moved besides. Where nothing did,
    ``opened_by`` are the other inputs with which something does, and ``gates`` those that may decide.
    ``is_used`` says whether any text reads the tag.
    """

    tag: Tag
    pins: tuple[Reached, ...]
    further: tuple[str, ...]
    opened_by: tuple[tuple[Tag, str], ...]
    gates: tuple[Tag, ...]
    is_used: bool


@record
class OutputWalk:
    """Which pins or variables a point followed when they were moved where they are copied to it."""

    tag: Tag
    pins: tuple[str, ...]
    is_written: bool


@record
class Walk:
    """The mapping of a configuration."""

    configuration: typed.Unit
    inputs: tuple[InputWalk, ...]
    outputs: tuple[OutputWalk, ...]


Change = tuple[Slot, bytes]


class _Watch:
    """The pins whose values are compared, by the bytes that they have."""

    def __init__(self, machine: Machine, slots: Sequence[Slot]) -> None:
        import numpy as np

        self.slots = list(slots)
        self.size = len(machine.program.initial)
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
        self.units = [
            u
            for u in typed.closure(configuration)
            if not u.is_standard and u.kind != "CONFIGURATION" and u.name[0] != ":"
        ]

    def walk(self, done: Callable[[], None] | None = None) -> Walk:
        """Move every point that has a tag; ``done`` is called after each."""
        inputs = [tag for tag in self.tags if tag.area == "I" and tag.variable is not None]
        walked: list[InputWalk] = []
        for tag in inputs:
            walked.append(self._input(tag))
            if done:
                done()
        return Walk(self.configuration, tuple(walked), tuple(self._outputs(done)))

    # --- the machine ---

    @cached_property
    def machine(self) -> Machine:
        """The configuration, started: every task has run once."""
        return self._started(self.configuration)

    def _started(self, configuration: typed.Unit) -> Machine:
        machine = Machine(build_image(make_program(configuration)))
        machine.timebase = self.timebase
        self._run(machine, 1)
        return machine

    @staticmethod
    def _run(machine: Machine, scans: int) -> None:
        for _ in machine.pieces(scans):
            pass

    @cached_property
    def start(self) -> Snapshot:
        """The machine after its start."""
        return self.machine.snapshot()

    def _image(self, machine: Machine) -> np.ndarray:
        import numpy as np

        return np.frombuffer(machine.data(), np.uint8)

    def _run_noted(self, machine: Machine, scans: int) -> list[np.ndarray]:
        """The data after each scan."""
        found: list[np.ndarray] = []
        for _ in range(scans):
            self._run(machine, 1)
            found.append(self._image(machine))
        return found

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
        program = self.machine.program
        return _Watch(self.machine, [program.slot(signal) for signal in signals.values()])

    @cached_property
    def uses(self) -> dict[Tag, list[TagUse]]:
        """Where each tag is used."""
        found: dict[Tag, list[TagUse]] = {}
        for use in tag_uses(self.tags, self.units):
            found.setdefault(use.tag, []).append(use)
        return found

    def _wired(self, tag: Tag) -> dict[str, bool]:
        """The paths, in upper case, of what the text wires a tag to, each with whether it is a pin of an instance."""
        found: dict[str, bool] = {}
        for use in self.uses.get(tag, ()):
            if use.kind == "read" and use.pin:
                for path in (*(f"{p}.{use.pin}" for p in self.places.get(use.unit.key, ())), use.pin):
                    found[path.upper()] = use.is_pin
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

    def _changes(self, tag: Tag, machine: Machine) -> Iterator[tuple[Change, bool | None]]:
        """Other values for the point of a tag, each with whether a BOOL becomes TRUE by it."""
        assert tag.point is not None
        if tag.point.width == 1:
            slot = self._slot(tag.point)
            value = not machine.peek(slot)
            yield (slot, slot.encode(value)), value != tag.is_negated
            return
        whole = self._slot(tag.point)
        now = int(machine.peek(whole))
        mask = (1 << tag.point.width) - 1
        full = tag.scale.raw_high & mask if tag.scale else mask
        values = [0, full, (now + 1) & mask, *self._named_values(tag, mask)]
        if tag.is_bits:
            values += [now ^ (1 << bit) for bit in range(tag.point.width)]
        for number in dict.fromkeys(values):
            if number != now:
                yield (whole, whole.encode(number)), None

    def _named_values(self, tag: Tag, mask: int) -> list[int]:
        """Raw values at, below and above the numbers that the text puts beside a tag."""
        numbers = dict.fromkeys(n + step for n in sorted(self.numbers.get(tag, ())) for step in (0, -1, 1))
        if tag.scale is None:
            return [int(n) & mask for n in islice(numbers, _MOST_NUMBERS)]
        return [tag.scale.raw(n) & mask for n in islice(numbers, _MOST_NUMBERS)]

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

    def _slot(self, point: Point) -> Slot:
        area = self.points.areas[point.area]
        type_ = self.points.type_of(point)
        return self.machine.program.slot(Signal(self.points.shown(point), area, area, (), type_, point.start))

    def _input(self, tag: Tag) -> InputWalk:
        scans = self._scans_for(tag)
        moved = self._moved(tag, scans, self.start)
        opened: tuple[tuple[Tag, str], ...] = ()
        gates: list[Tag] = []
        is_used = any(use.kind == "read" for use in self.uses.get(tag, ()))
        if is_used and not moved:
            groups = self.gates.of(tag)
            gates = list(dict.fromkeys(gate for group in groups for gate in group))
            for group in groups[:_MOST_GROUPS]:
                opened, moved = self._opened(tag, group, scans)
                if moved:
                    break
        wired = self._wired(tag)
        pins = [Reached(p, inverted, wired[p.upper()]) for p, inverted in moved.items() if p.upper() in wired]
        further = [path for path in moved if path.upper() not in wired]
        return InputWalk(tag, tuple(pins), tuple(further), opened, tuple(gates), is_used)

    def _twin(self, base: Snapshot, scans: int) -> list[np.ndarray]:
        """What the undisturbed machine has after each scan from a snapshot on."""
        if base is self.start and len(self._kept) >= scans:
            return self._kept[:scans]
        self.machine.restore(base)
        found = self._run_noted(self.machine, scans)
        if base is self.start:
            self._kept = found
        return found

    def _moved(self, tag: Tag, scans: int, base: Snapshot) -> dict[str, bool]:
        """The paths that differ from the twin when a tag moves, each with whether it went the other way."""
        machine, watch = self.machine, self.watch
        twin = self._twin(base, scans)
        machine.restore(base)
        found: dict[int, bool] = {}
        for (slot, content), is_true in list(self._changes(tag, machine)):
            machine.restore(base)
            machine.poke(slot, content)
            for image, other in zip(self._run_noted(machine, scans), twin, strict=True):
                for number in watch.moved(image, other):
                    if number not in found:
                        pin = watch.slots[number]
                        went = bool(image[pin.offset]) if pin.type is BOOL and pin.bit is None else None
                        found[number] = went is not None and is_true is not None and went != is_true
        return {watch.slots[number].path: inverted for number, inverted in sorted(found.items())}

    def _opened(
        self, tag: Tag, gates: Sequence[Tag], scans: int
    ) -> tuple[tuple[tuple[Tag, str], ...], dict[str, bool]]:
        """Values of other inputs with which the tag moves something, by a bounded search."""
        machine = self.machine
        machine.restore(self.start)
        choices = [
            [(gate, change) for change, _ in islice(self._changes(gate, machine), _MOST_NUMBERS)]
            for gate in gates[:_MOST_GATES]
        ]
        single = [(choice,) for ways in choices for choice in ways]
        pairs = [(a, b) for one, other in combinations(choices, 2) for a in one for b in other]
        every = [tuple(ways[0] for ways in choices)] if len(choices) > 2 else []
        for tried in islice((*single, *every, *pairs), _MOST_TRIES):
            machine.restore(self.start)
            for _, (slot, content) in tried:
                machine.poke(slot, content)
            self._run(machine, scans)
            moved = self._moved(tag, scans, machine.snapshot())
            if moved:
                return tuple((gate, self._shown(gate, change)) for gate, change in tried), moved
        return (), {}

    def _shown(self, tag: Tag, change: Change) -> str:
        """A changed value as the name of a tag has it."""
        slot, content = change
        if slot.bit is not None:
            return str(int(bool(content[0]) != tag.is_negated))
        value = int(slot.decode(content, 0))
        if tag.scale is not None and tag.raw is not None:
            return f"{tag.scale.value(tag.raw.wrap(value)):g}"
        return str(value)

    # --- outputs ---

    def _outputs(self, done: Callable[[], None] | None) -> Iterator[OutputWalk]:
        outputs = [tag for tag in self.tags if tag.area == "Q" and tag.variable is not None]
        if not outputs:
            return
        made = disturbed(self.configuration, self.points, self.scope.tags)
        machine = self._started(made.configuration)
        switch = machine.program.slot(Signal("", made.switch, made.switch, (), made.switch.type))
        area = self.points.areas["Q"]
        begin = machine.program.outer[area]
        size = self.points.sizes["Q"]
        slowest = max((task.interval or 0 for task in self.configuration.tasks), default=0)
        scans = max(_SCANS_HELD, self._scans_of(_SCANS_HELD * slowest))
        start = machine.snapshot()
        twin = [image[begin : begin + size] for image in self._run_noted(machine, scans)]
        followed: dict[Tag, list[str]] = {}
        for place in made.places:
            machine.restore(start)
            machine.poke(switch, switch.encode(place.number))
            moved = 0
            for image, other in zip(self._run_noted(machine, scans), twin, strict=True):
                changed = image[begin : begin + size] ^ other
                moved |= int.from_bytes(changed.tobytes(), "little")
            for tag in outputs:
                assert tag.point is not None
                bits = (1 << tag.point.width) - 1 << tag.point.start
                if moved & bits:
                    for path in self.places.get(place.program.key, [""]):
                        followed.setdefault(tag, []).append(f"{path}.{place.pin}" if path else place.pin)
            if done:
                done()
        for tag in outputs:
            is_written = any(use.kind == "write" for use in self.uses.get(tag, ()))
            yield OutputWalk(tag, tuple(dict.fromkeys(followed.get(tag, ()))), is_written)
