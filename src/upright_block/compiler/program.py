"""What is compiled: a block, a function, a program or a configuration, with what looks at it from outside.

Everything is lowered to one made unit, ``root``, that holds an instance of the subject, the variables of its
in-outs and the values of the probes, and whose body is one scan.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from upright_block.compiler.artifact import Slot, indexed, joined
from upright_block.compiler.layout import Layout, element_number, initial_of, layout_of, size_of
from upright_block.compiler.looking import FIELD, Looks, Probe, chosen, held_by_root
from upright_block.compiler.overlay import WRITTEN, Overlay
from upright_block.language import syntax, typed
from upright_block.language.configured import configured
from upright_block.language.field import copying
from upright_block.language.field.points import points_of
from upright_block.language.literals import Value
from upright_block.language.nodes import Side, node, record, replaced
from upright_block.language.signals import Signal, find_signal, globals_of, tags_of
from upright_block.language.types import BOOL, DINT, Array, Elementary, String, Type

Constants = Mapping[typed.Variable, Value]
"""The values that constants have instead of their own."""


@record
class Mode:
    """How a program is compiled.

    With ``checks_overflow`` an integer that leaves its type stops the scan instead of wrapping. With
    ``notes_writers`` it is noted which statement wrote each variable last. With ``covers`` each statement and each way
    of a branch notes that it was reached. With ``forces`` whatever is written gives way to the forces at once. With
    ``trails`` a scan leaves a trail of all that it does, see `trails`.
    """

    checks_overflow: bool = False
    notes_writers: bool = False
    covers: bool = False
    forces: bool = False
    trails: bool = False

    @property
    def is_in_memory(self) -> bool:
        """Whether all variables of instances live in memory at all times, so that each write of one can be seen."""
        return self.notes_writers or self.forces or self.trails


USUAL = Mode()


@node
class Program:
    """``root`` with its data: ``initial`` are the bytes of it before the first scan.

    ``inside`` is the instance of the ``subject`` in it, ``targets`` are what its in-outs refer to, ``seen`` the
    values of the probes. The bodies that run are those of ``over``. ``outer`` are the offsets of the global variables.
    The values of the probes lie behind all else, from ``own`` on, so that whatever looks at a subject its own data lies
    at the same addresses. ``phase`` is a number that says what of the body runs, where there is a choice: 0 the scan
    and the probes, `BEFORE` the probes before the first scan, `RESTING` the probes while no scan runs, `FIELD` the rig,
    `LEFT` what is left of the probes where one of them faulted. What of them may fault is numbered: ``done`` is the
    last that was begun, 0 outside of them, and ``steps`` have for each the number of its probe, with what says that it
    is over, where it has one; what only keeps values has none. ``group`` says which probes are looked at, where they
    stand in groups.
    """

    subject: typed.Unit
    constants: Constants
    probes: tuple[Probe, ...]
    mode: Mode
    over: Overlay
    root: typed.Unit
    inside: typed.Variable
    targets: dict[typed.Variable, typed.Variable]
    seen: tuple[typed.Variable, ...]
    outer: dict[typed.Variable, int]
    own: int
    initial: bytes
    phase: typed.Variable | None
    group: typed.Variable
    done: typed.Variable
    steps: tuple[tuple[int, typed.Variable | None] | None, ...]

    def __repr__(self) -> str:
        return f"Program({self.subject.full_name!r})"

    @property
    def rig(self) -> typed.Variable | None:
        """The instance of the rig around the subject."""
        return configured(self.subject).rig

    @property
    def probe_slots(self) -> list[Slot]:
        """The value of each probe."""
        return [self.root_slot(variable) for variable in self.seen]

    def own_slot(self, variable: typed.Variable | None) -> Slot | None:
        """Where a variable of the root lies, if it has one."""
        return self.root_slot(variable) if variable in layout_of(self.root).offsets and variable is not None else None

    def root_slot(self, variable: typed.Variable) -> Slot:
        """Where a variable of the root lies."""
        offset = layout_of(self.root).offsets[variable]
        return Slot(variable.name, variable.type, offset)

    def slot(self, signal: Signal | str) -> Slot:
        """Where a signal of the subject lies.

        Raises:
            NoSignal: a path leads nowhere.
        """
        if isinstance(signal, str):
            signal = find_signal(self.subject, signal)
        if signal.variable.is_code:
            return Slot(signal.path, signal.type, -1)
        offset = self._root_offset(signal.root)
        for step in signal.steps:
            if isinstance(step, typed.Member):
                offset += layout_of(step.owner).offsets[step.variable]
            else:
                assert isinstance(step.array, Array)
                offset += element_number(step) * size_of(step.array.element)
        if signal.shift is None:
            return Slot(signal.path, signal.type, offset, None, signal.is_driven)
        bit = signal.shift % 8 if signal.type is BOOL else None
        return Slot(signal.path, signal.type, offset + signal.shift // 8, bit, signal.is_driven)

    def _root_offset(self, variable: typed.Variable) -> int:
        offsets = layout_of(self.root).offsets
        if variable in self.outer:
            return self.outer[variable]
        if variable in self.targets:
            return offsets[self.targets[variable]]
        return offsets[self.inside] + layout_of(self.subject).offsets[variable]

    def instances(self) -> Iterator[tuple[int, typed.Unit, str]]:
        """Every instance of a unit in the data: its offset, its unit, and its path, which is empty for the subject."""
        offsets = layout_of(self.root).offsets
        yield from _instances_in(self.subject, offsets[self.inside], "")
        for target in self.targets.values():
            yield from _instances_in(target.type, offsets[target], target.name)
        for variable, offset in self.outer.items():
            yield from _instances_in(variable.type, offset, variable.name)


def make_program(
    subject: typed.Unit,
    constants: Constants | None = None,
    probes: Sequence[Probe] = (),
    mode: Mode = USUAL,
    groups: Sequence[Sequence[int]] = (),
    over: Overlay = WRITTEN,
    more: Sequence[typed.Variable] = (),
) -> Program:
    """Lower a subject, an unbroken unit: a function is called once in each scan, anything else is run.

    Without ``groups`` all probes are looked at; else those of the group, a list of their numbers, that is chosen.
    Bodies may be laid ``over`` those of units, which then may use ``more`` global variables.

    Raises:
        NoSignal: a probe looks at an instance that is not there.
    """
    subject = as_block(subject)
    inside = held_by_root(":unit", subject)
    targets = {pin: held_by_root(pin.name, pin.type) for pin in subject.section("in_out")}
    shared = tuple((pin, typed.whole(target)) for pin, target in targets.items())
    call = typed.CallInstance(syntax.NO_PLACE, typed.whole(inside), subject, (), shared, ())
    shared_data = globals_of(subject)
    copied = [_copiers(subject, call, way, shared_data) for way in _WAYS]
    before, after = (_located(subject, inside, way, shared_data) for way in _WAYS)
    body: list[typed.Statement] = [*map(copying.call, copied[0]), *before, call, *map(copying.call, copied[1]), *after]
    held = [inside, *targets.values()]
    looks = Looks(subject, inside)
    looked = [looks.at(number, probe) for number, probe in enumerate(probes)]
    field = _Field(subject, inside, shared_data)
    if probes or field.body:
        called = chosen(looked, groups, typed.Load(DINT, typed.whole(looks.group))) if groups else looked
        body = [looks.only_in(0, body), *(statement for look in called for statement in look), *looks.over()]
    if field.body:
        branch = typed.Branch(syntax.NO_PLACE, looks.is_phase(FIELD), tuple(field.body))
        body = [typed.If(syntax.NO_PLACE, (branch,), tuple(body))]
    uses = [subject, *subject.refers.values(), *looks.methods, *copied[0], *copied[1]]
    uses += field.uses
    hidden = looks.variables if probes or field.body else []
    root = typed.Unit(
        "PROGRAM",
        ":scan",
        subject.source,
        _UNWRITTEN,
        "",
        {v.key: v for v in (*held, *field.kept, *hidden)},
        body=tuple(body),
        uses={str(number): unit for number, unit in enumerate(uses)},
        shares=shared_data,
        addressed=[typed.whole(variable) for variable in hidden]
        if looks.steps
        else [],  # a fault must find them in memory
    )
    outer, own = _lay_out(root, [*held, *field.kept], more, hidden)
    return Program(
        subject,
        constants or {},
        tuple(probes),
        mode,
        over,
        root,
        inside,
        targets,
        tuple(looks.seen),
        outer,
        own,
        layout_of(root).initial,
        looks.phase if hidden else None,
        looks.group,
        looks.done,
        tuple(looks.steps),
    )


class _Field:
    """The rig around a subject: it sees outputs as they are in the field, and gives inputs.

    The tags keep what the programs have in them: they are put aside while the rig runs.
    """

    def __init__(self, subject: typed.Unit, inside: typed.Variable, shared: typed.Structure | None) -> None:
        self.body: list[typed.Statement] = []
        self.kept: list[typed.Variable] = []
        self.uses: list[typed.Unit] = []
        rig = configured(subject).rig
        if rig is None or not isinstance(rig.type, typed.Unit):
            return
        instance = typed.Place(inside, (typed.Member(subject, rig),), rig.type, syntax.NO_PLACE)
        call = typed.CallInstance(syntax.NO_PLACE, instance, rig.type, (), (), ())
        points = points_of(shared)
        if points is None:
            self.body = [call]
            return
        field = copying.field_copiers(rig.type, f"{subject.name}:{rig.name}", points, tags_of(shared).values())
        others = [unit for unit in subject.uses.values() if unit is not rig.type]
        of_programs = {variable for unit in others for used in copying.used_globals(unit) for variable in used}
        # A tag that no program has anything of is what the field has.
        tags = [tag.variable for tag in field.tags if tag.variable in of_programs]
        self.kept = [held_by_root(f":kept{number}", variable.type) for number, variable in enumerate(tags)]
        self.uses = [*field.taken, *field.given]
        pairs = list(zip(map(typed.whole, self.kept), map(typed.whole, tags), strict=True))
        self.body = [
            *(_copied(tag, kept) for kept, tag in pairs),
            *map(copying.call, field.taken),
            call,
            *map(copying.call, field.given),
            *(_copied(kept, tag) for kept, tag in pairs),
        ]


def _copied(source: typed.Place, target: typed.Place) -> typed.Statement:
    type_ = source.type.base if isinstance(source.type, Elementary) else source.type
    return typed.Assign(syntax.NO_PLACE, target, typed.Load(type_, source))


_WAYS: tuple[copying.Way, ...] = ("in", "out")


def _located(
    subject: typed.Unit, inside: typed.Variable, way: copying.Way, shared: typed.Structure | None
) -> list[typed.Statement]:
    """What copies the points of the variables that a program has AT one."""
    points = points_of(shared)
    if points is None or subject.kind != "PROGRAM":
        return []
    return list(copying.located(typed.whole(inside), way, points))


def _copiers(
    subject: typed.Unit, call: typed.Statement, way: copying.Way, shared: typed.Structure | None
) -> list[typed.Unit]:
    """What copies points to the tags of a subject and back; a configuration does so for each task."""
    points = points_of(shared)
    if points is None or subject.kind == "CONFIGURATION":
        return []
    known = _copied_around(subject)
    if way not in known:
        known[way] = copying.copiers([call], way, f"{subject.name}:{way}", points, tags_of(shared).values())
    return known[way]


@Side
def _copied_around(_: typed.Unit) -> dict[copying.Way, list[typed.Unit]]:
    """What copies points to the tags of a subject and back."""
    return {}


_UNWRITTEN = syntax.Unit(0, 0, "PROGRAM", ":scan", None, (), (), "")


def _lay_out(
    root: typed.Unit, held: Sequence[typed.Variable], more: Sequence[typed.Variable], seen: Sequence[typed.Variable]
) -> tuple[dict[typed.Variable, int], int]:
    """Give the root its layout; the offsets of the global variables, and where the values of the probes begin."""
    data = bytearray()
    offsets: dict[typed.Variable, int] = {}

    def add(content: bytes, alignment: int = 8) -> int:
        data.extend(bytes(-len(data) % alignment))
        data.extend(content)
        return len(data) - len(content)

    for variable in held:
        offsets[variable] = add(initial_of(variable.type, variable.initial))
    outer: dict[typed.Variable, int] = {}
    if root.shares is not None:
        shared = layout_of(root.shares)
        start = add(shared.initial)
        outer = {variable: start + offset for variable, offset in shared.offsets.items()}
    outer |= {variable: add(initial_of(variable.type, variable.initial)) for variable in more}
    own = add(b"")
    for variable in seen:  # close together, since words are what is looked at for changes
        content = initial_of(variable.type, variable.initial)
        offsets[variable] = add(content, len(content) if len(content) in (1, 2, 4) else 8)
    add(b"")
    layout_of.put(root, Layout(len(data), 8, offsets, bytes(data)))
    return outer, own


def _instances_in(type_: Type, offset: int, path: str) -> Iterator[tuple[int, typed.Unit, str]]:
    if isinstance(type_, typed.Unit):
        yield offset, type_, path
    if isinstance(type_, typed.Compound):
        for variable, start in layout_of(type_).offsets.items():
            if variable.section != "in_out" and not isinstance(variable.type, (Elementary, String)):
                inner = f"{path}.{variable.name}" if path else variable.name
                yield from _instances_in(variable.type, offset + start, inner)
    elif isinstance(type_, Array) and not isinstance(type_.element, (Elementary, String)):
        for number in range(type_.count):
            inner = joined(path, indexed(type_.bounds, number))
            yield from _instances_in(type_.element, offset + number * size_of(type_.element), inner)


def as_block(unit: typed.Unit) -> typed.Unit:
    """``unit`` itself when it keeps data, else a block whose body calls the function once.

    It has the pins of the function, and its result as one more output of the function's name. What the
    function shares with its caller is private data of the block.
    """
    return unit if unit.keeps_data else _made_block(unit)


def with_rig(configuration: typed.Unit, rig: typed.Unit) -> typed.Unit:
    """A configuration with a rig around it, whose data is found under the name of the rig."""
    known = _with_rigs(configuration)
    if rig not in known:
        made = replaced(configuration, kept={})
        variable = typed.Variable(rig.name, "private", rig, comment=rig.comment)
        made.variables = configuration.variables | {variable.key: variable}
        made.uses = configuration.uses | {":rig": rig}
        configured.put(made, replaced(configured(configuration), rig=variable))
        known[rig] = made
    return known[rig]


@Side
def _with_rigs(_: typed.Unit) -> dict[typed.Unit, typed.Unit]:
    """A configuration with a rig around it, by the rig."""
    return {}


@Side
def _made_block(unit: typed.Unit) -> typed.Unit:
    own: dict[str, typed.Variable] = {}
    for v in unit.variables.values():
        if v.section in ("input", "output", "in_out"):
            section: typed.Section = "private" if v.section == "in_out" else v.section
            initial = typed.default_of(v.type) if v.section == "in_out" else v.initial
            own[v.key] = typed.Variable(v.name, section, v.type, initial, v.comment, v.start, v.end)
    written = unit.syntax
    pins = {section: unit.section(section) for section in ("input", "in_out", "output")}
    inputs = tuple(_load(own[v.key]) for v in pins["input"])
    shared = tuple(typed.whole(own[v.key]) for v in pins["in_out"])
    outputs = tuple((v, typed.Receiver(typed.whole(own[v.key]), v.type, None)) for v in pins["output"])
    type_: Type = BOOL if unit.result is None else unit.result.type
    call = typed.CallFunction(type_, unit, inputs, shared, outputs, written)
    body: typed.Statement = typed.Evaluate(syntax.NO_PLACE, call)
    if unit.result is not None:
        result = typed.Variable(
            unit.name, "output", type_, unit.result.initial, unit.comment, written.start, written.end
        )
        own[result.key] = result
        body = typed.Assign(syntax.NO_PLACE, typed.whole(result), call)
    return typed.Unit(
        "FUNCTION_BLOCK",
        unit.name,
        unit.source,
        written,
        unit.comment,
        own,
        body=(body,),
        uses={unit.key: unit},
        refers=unit.refers,
        wraps=unit,
        addressed=list(shared),
    )


def _load(variable: typed.Variable) -> typed.Load:
    type_ = variable.type
    return typed.Load(type_.base if isinstance(type_, Elementary) else type_, typed.whole(variable))
