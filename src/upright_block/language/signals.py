"""Single values of a unit, named from outside by a path such as ``bays[2].running.ET`` or ``status.3``."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress

from upright_block.language import syntax
from upright_block.language.configured import configured
from upright_block.language.field.points import Point, Points, points_of
from upright_block.language.field.tags import Tag, tags_among
from upright_block.language.literals import LiteralProblem, Value, parse_integer
from upright_block.language.names import did_you_mean, listed
from upright_block.language.nodes import Side, record, replaced
from upright_block.language.parsing import parse_expression
from upright_block.language.paths import moved, paths_in, without_head
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings, Words
from upright_block.language.typed import Compound, Constant, Element, Member, Structure, Unit, Variable, closure
from upright_block.language.types import DINT, PARTS, Array, Elementary, String, Type

_MOST_SHOWN = 256
_ALL_BITS = 1 << 32


@record
class Signal:
    """A place in an instance of a unit, or a global variable.

    ``path`` is written as declared. ``root`` is the first variable that it names, ``variable`` the last one;
    ``steps`` lead from the root on, and ``shift`` is the lowest bit where it is a part of a bit string. ``tag`` is that
    of which it is the value, or a part of it.
    """

    path: str
    root: Variable
    variable: Variable
    steps: tuple[Member | Element, ...]
    type: Type
    shift: int | None = None
    tag: Tag | None = None
    is_read_only: bool = False

    @property
    def is_pin(self) -> bool:
        """Whether it is a pin of the unit itself, or a part of one."""
        return self.root.section != "private"

    @property
    def is_driven(self) -> bool:
        """Whether a column of it drives: an input of the unit, a part of one, an input point or the tag of one."""
        is_input_tag = self.tag is not None and self.tag.area == "I"
        return self.root.section == "input" or self.root.name == "%I" or is_input_tag

    @property
    def is_step(self) -> bool:
        """Whether it says that a step of a sequence is active."""
        if self.variable.name != "X" or not self.steps or not isinstance(self.steps[-1], Member):
            return False
        outer = self.steps[-2] if len(self.steps) > 1 else None
        holder = self.root if outer is None else outer.variable if isinstance(outer, Member) else None
        return holder is not None and holder.type.name == "STEP"

    @property
    def place(self) -> tuple[Variable | tuple[int, ...], ...]:
        """The same for all paths that lead to the same variable, whatever part of it they name."""
        found: list[Variable | tuple[int, ...]] = [self.root]
        for step in self.steps:
            if isinstance(step, Member):
                found.append(step.variable)
            else:
                found.append(tuple(int(i.value) for i in step.indices if isinstance(i, Constant)))
        return tuple(found)

    @property
    def bits(self) -> tuple[int, int]:
        """The first bit of its variable that it takes, and the one behind its last."""
        return (0, _ALL_BITS) if self.shift is None else (self.shift, self.shift + _width(self.type))

    def overlaps(self, other: Signal) -> bool:
        """Whether two signals of the same variable share bits."""
        return self.bits[0] < other.bits[1] and other.bits[0] < self.bits[1]

    def covers(self, other: Signal) -> bool:
        """Whether all of another signal is a part of this one, or the same."""
        return self.place == other.place and self.bits[0] <= other.bits[0] and other.bits[1] <= self.bits[1]

    def part_of(self, value: Value, whole: Signal) -> Value:
        """What a value of a signal that covers this one makes of it."""
        if self.shift == whole.shift:
            return value
        bits = int(value) >> self.bits[0] - whole.bits[0] & (1 << _width(self.type)) - 1
        return bool(bits) if self.type.family == "bool" else bits

    @property
    def is_value(self) -> bool:
        """Whether it has a value of its own, and not only parts that have one."""
        return isinstance(self.type, (Elementary, String))


class NoSignal(Exception):
    """A path leads nowhere. ``start`` is where in its text, ``owner`` what the part before names."""

    def __init__(self, path: str, start: int, owner: Type, name: str) -> None:
        super().__init__(name)
        self.path = path
        self.start = start
        self.owner = owner
        self.name = name

    def words(self, near: Callable[[str, Iterable[str]], str] = did_you_mean) -> Words:
        """What is wrong, and the way out; ``near`` offers a name that is nearly right."""
        owner, name = self.owner, self.name.strip(". ")
        if name.startswith("%"):
            message = f"Nothing that {owner.name} uses is at {name}."
            return Words("no-such-point", message, "Name a point that its text or a tag names.")
        if isinstance(owner, Compound) and not name.startswith("["):
            known = [v.name for v in owner.variables.values() if not v.is_hidden]
            shared = globals_of(owner) if isinstance(owner, Unit) and self.start == 0 else None
            beside = [v.name for v in shared.variables.values() if not v.is_hidden] if shared else []
            beside += [tag.name for tag in tags_of(shared).values()]
            more = " and the tags: upright tags" if tags_of(shared) else ""
            way_out = near(self.name, [*known, *beside]) or f"It has {listed(known)}{more}."
            return Words("unknown-name", f"{owner.name} has no {self.name}.", way_out)
        if isinstance(owner, Array):
            return Words("unknown-name", f"{owner} has no {name}.", f"It is {owner}.")
        before = self.path[: self.start].rstrip(".")
        message = f"{before} is {owner} and has no {name}."
        if isinstance(owner, Elementary) and owner.family == "bits":
            return Words("unknown-name", message, f"It has bits 0 to {owner.bits - 1}.")
        return Words("unknown-name", message, f"Remove {self.path[len(before) :]}.")


def no_value(signal: Signal, path: str) -> Words:
    """What is wrong with a path to something that has no value of its own, and the way out."""
    type_ = signal.type
    what = f"an instance of {type_.name}" if isinstance(type_, Unit) else str(type_)
    inner = next((part.path for part in values_in(signal)), "")
    way_out = f"Name a part of it{f', such as {inner}' if inner else ''}."
    return Words("no-value", f"{path} is {what} and has no value of its own.", way_out)


@Side
def _known_signals(_: Unit) -> dict[str, Signal]:
    """The signals of a unit that somebody has asked for, by their paths as written."""
    return {}


def find_signal(unit: Unit, path: str) -> Signal:
    """What a path leads to, letter case ignored; it may have parts of its own.

    Raises:
        NoSignal: some part of the path names nothing.
    """
    known = _known_signals(unit)
    found = known.get(path)
    if found is None:
        found = known[path] = _Finder(unit, path).signal()
    return found


def signal_of(unit: Unit, written: syntax.Expression, text: str) -> Signal:
    """What a path that was read leads to; ``text`` is that in which its places are.

    Raises:
        NoSignal: some part of the path names nothing.
    """
    return _Finder(unit, text).begin(written)


def signals_in(unit: Unit, written: syntax.Node, text: str) -> Iterator[Signal]:
    """The single values of the data that an expression names, each once; what is no path to one is passed over."""
    found: dict[str, Signal] = {}
    for path in paths_in(written):
        with suppress(NoSignal):
            signal = signal_of(unit, path, text)
            if signal.is_value and not signal.variable.is_code:
                found.setdefault(signal.path, signal)
    return iter(found.values())


def named_in(text: str, find: Callable[[str], Unit | None]) -> tuple[Unit, str] | None:
    """The unit that a path begins with, by its longest name, and what is behind that; None where it begins with
    none.
    """
    node = parse_expression(Source("", text), Findings())
    ends = [len(text)]
    while isinstance(node, (syntax.Member, syntax.Index, syntax.Part)):
        node = node.base
        ends.append(node.end)
    for end in ends:
        unit = find(text[:end].strip())
        if unit is not None:
            return unit, text[end:].strip().removeprefix(".")
    return None


def find_declared(unit: Unit, path: str) -> Signal:
    """What a path names, though it may have no place in the data: an in-out of an instance, a constant with several
    values.

    Raises:
        NoSignal: some part of the path names nothing.
    """
    return _Finder(unit, path, is_of_declarations=True).signal()


class _Finder:
    def __init__(self, unit: Unit, path: str, is_of_declarations: bool = False) -> None:
        self.unit = unit
        self.path = path
        self.is_of_declarations = is_of_declarations

    def has_place(self, variable: Variable) -> bool:
        """Whether a variable has a place in the data, or is meant wherever it is."""
        is_list = variable.is_code and not isinstance(variable.type, (Elementary, String))
        return self.is_of_declarations or not is_list

    def signal(self) -> Signal:
        findings = Findings()
        written = parse_expression(Source("", self.path), findings)
        if written is not None:
            return self.begin(written)
        end = min((finding.start for finding in findings.items), default=0)
        before = self.path[:end].strip()
        owner = find_signal(self.unit, before).type if before and end < len(self.path) else self.unit
        raise NoSignal(self.path, end, owner, self.path[end:])

    def begin(self, written: syntax.Expression) -> Signal:
        resources = configured(self.unit).resources if isinstance(self.unit, Unit) else None
        return self.led_to(without_head(written, resources) if resources else written)

    def led_to(self, node: syntax.Expression) -> Signal:
        match node:
            case syntax.Name():
                return self.named(node)
            case syntax.Member():
                return self.member(node)
            case syntax.Index():
                return self.element(node)
            case syntax.Part():
                return self.part(node)
            case syntax.DirectAddress():
                return self.point(node)
        raise NoSignal(self.path, node.start, self.unit, self.path[node.start :])

    def named(self, node: syntax.Name) -> Signal:
        variable = self.unit.variables.get(node.name.upper())
        if variable is not None and variable.section == "external":
            variable = variable.shared
        tag = None
        access = configured(self.unit).accesses.get(node.name.upper()) if isinstance(self.unit, Unit) else None
        if access is not None:
            found = self.led_to(moved(access.path, node.start, node.end))
            return replaced(found, path=access.name, is_read_only=not access.is_writable)
        if variable is None:
            shared = globals_of(self.unit)
            variable = shared.variables.get(node.name.upper()) if shared else None
            tag = tags_of(shared).get(node.name.upper())
            is_whole = isinstance(self.unit, Unit) and self.unit.kind == "CONFIGURATION"
            if tag is not None and tag.meaning is not None and (tag.inside is None or is_whole):
                return self.meant(tag, node)
        if variable is None or not self.has_place(variable):
            raise NoSignal(self.path, node.start, self.unit, node.name)
        return Signal(variable.name, variable, variable, (), variable.type, tag=tag)

    def meant(self, tag: Tag, node: syntax.Name) -> Signal:
        """What a name stands for; a point of memory is called by its name."""
        assert tag.meaning is not None
        found = self.led_to(moved(tag.meaning, node.start, node.end))
        if tag.inside is not None:
            return replaced(found, is_read_only=found.variable.section != "input")
        return replaced(found, path=tag.name, tag=tag) if tag.held is not None else found

    def member(self, node: syntax.Member) -> Signal:
        base = self.led_to(node.base)
        owner = base.type
        variable = owner.variables.get(node.name.upper()) if isinstance(owner, Compound) else None
        if variable is not None and variable.section == "external":
            variable = variable.shared
        is_elsewhere = variable is not None and variable.section == "in_out" and not self.is_of_declarations
        if variable is None or is_elsewhere or not self.has_place(variable):
            raise NoSignal(self.path, node.name_start, owner, node.name)
        assert isinstance(owner, Compound)
        path = f"{base.path}.{variable.name}"
        if variable.section == "global":
            return Signal(path, variable, variable, (), variable.type)
        return member_signal(base, variable)

    def point(self, node: syntax.DirectAddress) -> Signal:
        """A point that something in the library names."""
        shared = globals_of(self.unit)
        points = points_of(shared)
        point = points.point(node.address) if points else None
        if points is None or point is None or not points.has(point):
            raise NoSignal(self.path, node.start, self.unit, self.path[node.start : node.end])
        return point_signal(points, point, node.held if isinstance(node.held, Elementary) else None)

    def element(self, node: syntax.Index) -> Signal:
        base = self.led_to(node.base)
        array = base.type
        indices = [self.index(index) for index in node.indices]
        written = self.path[node.base.end : node.end].strip()
        if not isinstance(array, Array) or len(indices) != len(array.bounds):
            raise NoSignal(self.path, node.base.end, array, written)
        if any(i is None or not low <= i <= high for i, (low, high) in zip(indices, array.bounds, strict=True)):
            raise NoSignal(self.path, node.base.end, array, written)
        numbers = tuple(i for i in indices if i is not None)
        return element_signal(base, array, numbers)

    def index(self, node: syntax.Expression) -> int | None:
        """A whole number, or a constant of the unit that is one."""
        if isinstance(node, syntax.Unary) and node.operator in "+-":
            inner = self.index(node.operand)
            return inner if inner is None or node.operator == "+" else -inner
        if isinstance(node, syntax.Name):
            constant = self.unit.variables.get(node.name.upper())
            value = constant.initial if constant is not None and constant.is_code else None
            return value if isinstance(value, int) and not isinstance(value, bool) else None
        try:
            return parse_integer(node.text) if isinstance(node, syntax.Literal) else None
        except LiteralProblem:
            return None

    def part(self, node: syntax.Part) -> Signal:
        """Some bits of a bit string (6.4.2, table 17)."""
        base = self.led_to(node.base)
        type_ = PARTS[node.size]
        whole = base.type
        bits = whole.bits if isinstance(whole, Elementary) and whole.family == "bits" else 0
        if (base.shift is not None and base.root.name[:1] != "%") or (node.number + 1) * _width(type_) > bits:
            raise NoSignal(self.path, node.part_start, whole, self.path[node.part_start : node.end])
        mark = "" if node.size == "X" else f"%{node.size}"
        path = f"{base.path}.{mark}{node.number}"
        shift = (base.shift or 0) + node.number * _width(type_)
        return Signal(path, base.root, base.variable, base.steps, type_, shift, base.tag)


def _width(part: Type) -> int:
    """The bits of a part of a bit string."""
    assert isinstance(part, Elementary)
    return 1 if part.family == "bool" else part.bits


def member_signal(base: Signal, variable: Variable) -> Signal:
    """A field of a structure, or a variable of an instance."""
    assert isinstance(base.type, Compound)
    steps = (*base.steps, Member(base.type, variable))
    return Signal(f"{base.path}.{variable.name}", base.root, variable, steps, variable.type, tag=base.tag)


def element_signal(base: Signal, array: Array, indices: tuple[int, ...]) -> Signal:
    """An element of an array."""
    step = Element(array, tuple(Constant(DINT, index) for index in indices), 0)
    path = f"{base.path}[{','.join(map(str, indices))}]"
    return Signal(path, base.root, base.variable, (*base.steps, step), array.element, tag=base.tag)


def point_signal(points: Points, point: Point, type_: Elementary | None = None) -> Signal:
    """The bits at a point, as a type or as they stand in memory."""
    area = points.areas[point.area]
    return Signal(points.shown(point), area, area, (), type_ or points.type_of(point), point.start)


def tags_of(shared: Structure | None) -> dict[str, Tag]:
    """The tags of a library, by their names in upper case."""
    return tags_among(shared) if shared is not None else {}


def field_signal(unit: Unit, signal: Signal) -> Signal | None:
    """The bits of the point that a tag, or a part of one, has its value from or gives it to; None where it is none."""
    tag = signal.tag
    if tag is None or tag.point is None or tag.area == "M":
        return None
    points = points_of(globals_of(unit))
    if points is None:
        return None
    point = tag.point
    if signal.steps:
        step, type_ = signal.steps[0], signal.variable.type
        if not isinstance(step, Element) or not isinstance(type_, Array) or not isinstance(type_.element, Elementary):
            return None
        (low, _), *_ = type_.bounds
        (index, *others) = (int(i.value) for i in step.indices if isinstance(i, Constant))
        if others:
            return None
        bits = type_.element.bits
        point = Point(point.area, point.start + (index - low) * bits, bits)
    if signal.shift is not None:
        point = points.part(point, signal.shift, _width(signal.type))
    return point_signal(points, point)


def globals_of(unit: Unit) -> Structure | None:
    """The global variables, where the unit or one that it uses names one."""
    return next((used.shares for used in closure(unit) if used.shares), None)


def signals(unit: Unit) -> Iterator[Signal]:
    """Every value of an instance and of what it contains, as declared; large arrays are left out."""
    for signal in own_signals(unit):
        yield from values_in(signal)


def own_signals(unit: Unit) -> Iterator[Signal]:
    """The variables of an instance, as declared."""
    for variable in unit.variables.values():
        if not variable.is_hidden and not variable.is_code and variable.section != "external":
            yield Signal(variable.name, variable, variable, (), variable.type)


def values_in(signal: Signal, *, keeps_large: bool = False) -> Iterator[Signal]:
    """Every value at a place; large arrays are left out, or with ``keeps_large`` given as a whole."""
    if isinstance(signal.type, Compound):
        for inner in signal.type.variables.values():
            if not inner.is_hidden and not inner.is_code and inner.section not in ("in_out", "external"):
                yield from values_in(member_signal(signal, inner), keeps_large=keeps_large)
    elif isinstance(signal.type, Array):
        if signal.type.count <= _MOST_SHOWN:
            for indices in signal.type.indices():
                yield from values_in(element_signal(signal, signal.type, indices), keeps_large=keeps_large)
        elif keeps_large:
            yield signal
    elif signal.is_value:
        yield signal


def every_signal(unit: Unit) -> dict[str, Signal]:
    """All that can be watched in a unit, by path: the tags and the global variables that it sees, and all that its
    instances hold; large arrays are left out.
    """
    shared = (each for place in shared_signals(unit) for each in values_in(place))
    return {signal.path: signal for signal in (*shared, *signals(unit))}


def shared_signals(unit: Unit) -> Iterator[Signal]:
    """The tags that a unit sees, in the order of their tables, and the global variables besides."""
    shared = globals_of(unit)
    tags = tags_of(shared)
    for tag in tags.values():
        yield find_signal(unit, tag.name)
    for variable in shared.variables.values() if shared is not None else ():
        if variable.key not in tags and not variable.is_hidden and not variable.is_code:
            yield Signal(variable.name, variable, variable, (), variable.type)
