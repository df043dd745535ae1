"""Statements that copy input points to their tags, and tags to their output points."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Literal

from upright_block.language import syntax, typed
from upright_block.language.field.addresses import Address
from upright_block.language.field.points import Points
from upright_block.language.field.tags import Scale, Tag
from upright_block.language.nodes import Side, record
from upright_block.language.source import Source
from upright_block.language.types import BOOL, LREAL, Array, Elementary
from upright_block.language.walking import accesses, every_statement

Way = Literal["in", "out"]
_UNWRITTEN = syntax.Unit(0, 0, "FUNCTION", "", None, (), (), "")


@Side
def used_globals(unit: typed.Unit) -> tuple[frozenset[typed.Variable], frozenset[typed.Variable]]:
    """The global variables that a unit and all that it uses read, and those that they write."""
    read: set[typed.Variable] = set()
    written: set[typed.Variable] = set()
    for used in typed.closure(unit):
        own_read, own_written = _own_globals(used)
        read |= own_read
        written |= own_written
    return frozenset(read), frozenset(written)


@Side
def follows_references(unit: typed.Unit) -> bool:
    """Whether a unit or anything that it uses reads or writes what a reference refers to, which may be any variable."""
    return any(
        _follows(access.place.steps)
        for used in typed.closure(unit)
        for statement in every_statement(used.body or ())
        for access in accesses(statement)
        if access.place is not None
    )


def _follows(steps: Iterable[typed.Step]) -> bool:
    before: typed.Step | None = None
    for step in steps:
        is_in_out = isinstance(before, typed.Member) and before.variable.section == "in_out"
        if isinstance(step, typed.Target) and not is_in_out:
            return True
        before = step
    return False


@Side
def _own_globals(unit: typed.Unit) -> tuple[set[typed.Variable], set[typed.Variable]]:
    """The global variables that the body of a unit itself reads and writes."""
    read: set[typed.Variable] = set()
    written: set[typed.Variable] = set()
    for statement in every_statement(unit.body or ()) if unit.shares else ():
        for access in accesses(statement):
            if access.place is not None and access.place.root.section == "global":
                if access.kind in ("read", "address"):
                    read.add(access.place.root)
                if access.kind in ("write", "address"):
                    written.add(access.place.root)
    return read, written


def copiers(
    calls: Iterable[typed.Statement], way: Way, name: str, points: Points, tags: Iterable[Tag]
) -> list[typed.Unit]:
    """Functions that copy the points of the tags which ``calls`` use: one for each source that declares some.

    Their names begin with ``name``; a fault in one is at the row of the tag.
    """
    read: set[typed.Variable] = set()
    written: set[typed.Variable] = set()
    for access in (access for statement in calls for access in accesses(statement)):
        root = access.place.root if access.place else None
        if access.unit is not None:
            own = used_globals(access.unit)
            read |= own[0]
            written |= own[1]
        elif root is not None and root.section == "global":
            (written if access.kind == "write" else read).add(root)
    wanted = read if way == "in" else written
    found = [tag for tag in tags if tag.variable in wanted and tag.area == ("I" if way == "in" else "Q")]
    return list(_by_source(found, way, name, points))


@record
class FieldCopiers:
    """What a rig sees of the points: functions that take the ``tags`` from their points, and that give those of
    inputs.
    """

    tags: tuple[Tag, ...]
    taken: tuple[typed.Unit, ...]
    given: tuple[typed.Unit, ...]


def written_by_rig(rig: typed.Unit, tags: Iterable[Tag]) -> str | None:
    """What a rig writes that is neither an input nor its own, by name."""
    inputs = {tag.variable for tag in tags if tag.area == "I"}
    others = [variable.name for variable in used_globals(rig)[1] - inputs if variable.name != "%I"]
    return min(others, default=None)


def field_copiers(rig: typed.Unit, name: str, points: Points, tags: Iterable[Tag]) -> FieldCopiers:
    """Functions that copy what a rig uses the other way round: it reads outputs and writes inputs."""
    read, written = used_globals(rig)
    used = tuple(t for t in tags if t.area in ("I", "Q") and t.variable in read | written)
    given = [tag for tag in used if tag.area == "I" and tag.variable in written]
    ways: tuple[tuple[Way, Iterable[Tag]], ...] = (("in", used), ("out", given))
    taken, told = (tuple(_by_source(found, way, f"{name}:{way}", points)) for way, found in ways)
    return FieldCopiers(used, taken, told)


def _by_source(tags: Iterable[Tag], way: Way, name: str, points: Points) -> Iterator[typed.Unit]:
    """A function for each source that declares some of the tags, so that a fault in one is at the row of its tag."""
    by_source: dict[Source, list[Tag]] = {}
    for tag in tags:
        by_source.setdefault(tag.source, []).append(tag)
    for number, (source, found) in enumerate(by_source.items()):
        yield _copier(f":{name}{number}", source, found, points, way)


def located(
    holder: typed.Place, way: Way, points: Points, settings: Mapping[str, Address] | None = None
) -> Iterator[typed.Statement]:
    """What copies the points of the variables of a program AT a point; ``settings`` are those of one instance."""
    unit = holder.type
    assert isinstance(unit, typed.Unit)
    for key, written in unit.located.items():
        address: Address = (settings or {}).get(key, written)
        variable = unit.variables.get(key)
        if address.is_open or address.area != ("I" if way == "in" else "Q") or variable is None:
            continue
        place = typed.Place(holder.root, (*holder.steps, typed.Member(unit, variable)), variable.type, holder.origin)
        point = points.point(address)
        if isinstance(variable.type, Elementary) and way == "in":
            yield typed.Assign(syntax.NO_PLACE, place, points.load(point, variable.type))
        elif isinstance(variable.type, Elementary):
            yield points.store(point, typed.Load(variable.type.base, place))
        else:
            there = points.place(point, variable.type)
            source, target = (there, place) if way == "in" else (place, there)
            yield typed.Assign(syntax.NO_PLACE, target, typed.Load(variable.type, source))


def call(copier: typed.Unit) -> typed.Statement:
    """The statement that runs what `copiers` made."""
    return typed.Evaluate(syntax.NO_PLACE, typed.CallFunction(BOOL, copier, (), (), (), syntax.NO_PLACE))


def _copier(name: str, source: Source, tags: list[Tag], points: Points, way: Way) -> typed.Unit:
    raw = typed.Variable("RAW", "temp", LREAL, 0.0)
    made = typed.Unit("FUNCTION", name, source, _UNWRITTEN, "", {raw.key: raw})
    made.shares = points.globals
    tags = sorted(tags, key=_kind)  # statements of one kind together become one loop
    made.body = tuple(
        statement for tag in tags for statement in (_taken(tag, points) if way == "in" else _given(tag, points, raw))
    )
    return made


def _kind(tag: Tag) -> tuple[str, int, bool, bool]:
    """What tags have in common whose points are copied alike."""
    assert tag.variable is not None
    assert tag.point is not None
    return tag.variable.type.name, tag.point.width, tag.is_negated, tag.scale is not None


def _taken(tag: Tag, points: Points) -> Iterator[typed.Statement]:
    """An input point becomes the value of its tag."""
    variable, point = tag.variable, tag.point
    assert variable is not None
    assert point is not None
    origin = syntax.Made(tag.start, tag.end)
    if isinstance(variable.type, Array):
        yield typed.Assign(origin, typed.whole(variable), typed.Load(variable.type, points.place(point, variable.type)))
        return
    assert isinstance(variable.type, Elementary)
    if tag.scale is not None and tag.raw is not None:
        value = _meaning(typed.Convert(LREAL, points.load(point, tag.raw), tag.start), tag.scale, tag.start)
        value = _from_lreal(value, variable.type.base, tag.start)
    else:
        value = points.load(point, variable.type)
        value = typed.Unary(BOOL, "NOT", value, tag.start) if tag.is_negated else value
    yield typed.Assign(origin, typed.whole(variable), value)


def _given(tag: Tag, points: Points, raw: typed.Variable) -> Iterator[typed.Statement]:
    """The value of a tag goes to its output point; a number beyond the range is clamped, or a fault."""
    variable, point, start = tag.variable, tag.point, tag.start
    assert variable is not None
    assert point is not None
    origin = syntax.Made(start, tag.end)
    if isinstance(variable.type, Array):
        loaded = typed.Load(variable.type, typed.whole(variable))
        yield typed.Assign(origin, points.place(point, variable.type), loaded)
        return
    assert isinstance(variable.type, Elementary)
    value: typed.Expression = typed.Load(variable.type.base, typed.whole(variable))
    if tag.scale is None or tag.raw is None:
        yield points.store(point, typed.Unary(BOOL, "NOT", value, start) if tag.is_negated else value, origin)
        return
    scale = tag.scale
    value = value if variable.type is LREAL else typed.Convert(LREAL, value, start)
    yield typed.Assign(origin, typed.whole(raw), _raw(value, scale, start))
    held = typed.Load(LREAL, typed.whole(raw))
    yield typed.Assert(origin, typed.Binary(BOOL, "=", held, held, start), "no number for an output")
    low, high = (typed.Constant(LREAL, float(end)) for end in sorted((scale.raw_low, scale.raw_high)))
    if points.rules.faults:
        inside = typed.Binary(
            BOOL, "AND", typed.Binary(BOOL, ">=", held, low, start), typed.Binary(BOOL, "<=", held, high, start), start
        )
        yield typed.Assert(origin, inside, "value beyond the range of its output")
    else:
        limited = typed.CallStandard(LREAL, "LIMIT", (low, held, high), start)
        yield typed.Assign(origin, typed.whole(raw), limited)
    yield points.store(point, _from_lreal(held, tag.raw, start), origin)


def _from_lreal(value: typed.Expression, type_: Elementary, start: int) -> typed.Expression:
    """A number as another type; an integer is the nearest one, ties to even."""
    if type_ is LREAL:
        return value
    if type_.family == "real":
        return typed.Convert(type_, value, start)
    return typed.CallStandard(type_, f"LREAL_TO_{type_.name}", (value,), start)


def _meaning(raw: typed.Expression, scale: Scale, start: int) -> typed.Expression:
    """As `Scale.value`, in the language."""
    from_low = _number("-", raw, scale.raw_low, start)
    scaled = _number("/", _number("*", from_low, scale.high - scale.low, start), scale.raw_high - scale.raw_low, start)
    return _number("+", scaled, scale.low, start)


def _raw(value: typed.Expression, scale: Scale, start: int) -> typed.Expression:
    """As `Scale.raw` before it is rounded, in the language."""
    from_low = _number("-", value, scale.low, start)
    scaled = _number("/", _number("*", from_low, scale.raw_high - scale.raw_low, start), scale.high - scale.low, start)
    return _number("+", scaled, scale.raw_low, start)


def _number(operator: str, left: typed.Expression, right: float, start: int) -> typed.Expression:
    return typed.Binary(LREAL, operator, left, typed.Constant(LREAL, float(right)), start)
