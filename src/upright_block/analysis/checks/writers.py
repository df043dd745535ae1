"""Values that nobody sees: overwritten in the same scan, by the same body or by another unit."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator

from upright_block.analysis.conditions import can_hold
from upright_block.analysis.facts import Facts, held
from upright_block.analysis.flow import Call, Flow, Write
from upright_block.analysis.locations import Location, last_variable, location_name, location_of, root_of
from upright_block.analysis.terms import Term
from upright_block.analysis.words import writers as words
from upright_block.language import typed
from upright_block.language.field.tag_uses import TagUse, tag_uses
from upright_block.language.field.tags import Tag
from upright_block.language.nodes import node
from upright_block.language.telling.edits import without_copy
from upright_block.language.telling.findings import Finding, Related, doubtful

_MOST_PAIRS = 8
_MOST_PLACES = 6
_MOST_DRIVERS = 40
_MOST_BEFORE = 100
"""Writes behind more conditions than that are not compared."""


def check_overwritten(flow: Flow, facts: Facts) -> Iterator[Finding]:
    """Report writes of a body of which no value is ever seen."""
    told: dict[tuple[Location, Write | None], list[Write]] = {}
    for write in flow.writes:
        if write.is_made or write.is_weak:
            continue
        if _is_own_value(write):
            place = flow.unit.source, write.origin.start, write.origin.end
            yield words.itself(location_name(write.location)).told(
                *place, edit=without_copy(flow.unit.source, write.origin.start)
            )
        elif not write.is_seen and (write.winner is None or not write.winner.is_made):
            told.setdefault((write.location, write.winner), []).append(write)
    for (location, winner), writes in told.items():
        finding = _unseen(location, winner, writes, flow, facts)
        if finding is not None:
            yield finding
    yield from _undone(flow, facts)
    yield from _again(flow)
    yield from _driven_twice(flow)


def _driven_twice(flow: Flow) -> Iterator[Finding]:
    """Two blocks, or two rows of a table, that drive one output or tag and may do so in one scan."""
    by_location: dict[Location, list[Write]] = {}
    for write in flow.writes:
        if not write.is_made and not write.loops and (write.call is not None or flow.unit.is_wired):
            by_location.setdefault(write.location, []).append(write)
    source = flow.unit.source
    for location, writes in by_location.items():
        if len(writes) < 2 or not is_seen_outside(location):
            continue
        pairs = ((a, b) for n, a in enumerate(writes) for b in writes[n + 1 : n + _MOST_DRIVERS])
        for first, second in pairs:
            if not first.is_seen or (
                first.call is not None and second.call and first.call.location == second.call.location
            ):
                continue  # told as overwritten, or as an instance that is called twice
            answer = can_hold([(first.condition, True), (second.condition, True)])
            if answer == "no":
                continue
            line = source.line(second.origin.start)
            related = Related(source, second.origin.start, second.origin.end, "this one wins")
            said = words.driven_twice(location_name(location), line)
            finding = said.told(source, first.origin.start, first.origin.end, related)
            yield finding if answer == "yes" else doubtful(finding)
            if answer == "yes":
                break


def _again(flow: Flow) -> Iterator[Finding]:
    """Outputs that get one value, which the body reads, and another that has nothing to do with it."""
    by_location: dict[Location, list[Write]] = {}
    for write in flow.writes:
        by_location.setdefault(write.location, []).append(write)
    for location, writes in by_location.items():
        plain = [w for w in writes if not w.is_weak and not w.is_made and not w.loops and w.value.kind != "constant"]
        if len(plain) != 2 or len(writes) != 2 or not is_seen_outside(location):
            continue
        first, second = plain
        is_plain = first.condition is second.condition and first.is_seen and first.statement is not second.statement
        if not is_plain or first.value is second.value or first.value.leaves is None or second.value.leaves is None:
            continue
        reads = [
            read
            for read in flow.reads_of(root_of(location))
            if read.location == location and read.statement is second.statement
        ]
        if not reads and not _is_made_of(second.value, first.value):
            source = flow.unit.source
            related = Related(source, second.origin.start, second.origin.end, "this one goes out")
            line = source.line(second.origin.start)
            said = words.value_in_between(location_name(location), line)
            yield said.told(source, first.origin.start, first.origin.end, related)


def _is_made_of(value: Term, part: Term) -> bool:
    """Whether a value has another one in it."""
    waiting = [value]
    while waiting:
        term = waiting.pop()
        if term is part:
            return True
        waiting += term.args
    return False


def _is_own_value(write: Write) -> bool:
    """``x := x;``"""
    value = write.written
    if not isinstance(value, typed.Load):
        return False
    location, is_exact = location_of(value.place)
    return is_exact and write.location == location


def _unseen(location: Location, winner: Write | None, writes: list[Write], flow: Flow, facts: Facts) -> Finding | None:
    first = writes[0]
    source = flow.unit.source
    root = root_of(location)
    name = location_name(location)
    if winner is None:
        if not facts.uses(last_variable(location)).is_read or root.section not in ("private", "temp"):
            return None  # that nothing reads it at all is told of the variable
        return words.no_effect(name, "").told(source, first.origin.start, first.origin.end)
    if first.condition is not flow.terms.true and first.condition is winner.condition and _is_latch(first, winner):
        return None
    shown = f"line {source.line(winner.origin.start)}"
    places = [winner, *writes[1:_MOST_PLACES]]
    related = [
        Related(source, w.origin.start, w.origin.end, "this one wins" if w is winner else "this one is never seen too")
        for w in places
    ]
    is_default = (
        first.value.kind == "constant"
        and winner.condition is not first.condition
        and can_hold([(winner.condition, True), (first.condition, False)]) == "no"
    )
    if is_seen_outside(location):
        said = words.two_writers(_kind(root, facts), name, source.line(first.origin.start), shown)
    else:
        said = words.no_effect(name, shown)
    finding = said.told(source, first.origin.start, first.origin.end, *related)
    return doubtful(finding) if is_default else finding


def _kind(variable: typed.Variable, facts: Facts) -> str:
    """What a variable is called that is seen outside."""
    if variable.section == "global":
        return "tag" if variable in facts.tags or variable.is_hidden else "global variable"
    return {"in_out": "in-out"}.get(variable.section, variable.section)


def _is_latch(first: Write, second: Write) -> bool:
    """Whether the one sets and the other resets, which is told as a latch that goes one way."""
    return first.value.is_bool and first.value.kind == second.value.kind == "constant"


def is_seen_outside(location: Location) -> bool:
    """Whether what a location holds goes out of the unit."""
    return root_of(location).section in ("output", "global", "in_out", "result")


def _undone(flow: Flow, facts: Facts) -> Iterator[Finding]:
    """Writes under a condition that are overwritten wherever they happen, or may be."""
    by_location: dict[Location, list[Write]] = {}
    for write in flow.writes:
        is_plain = not write.is_weak and not write.is_made and not write.loops
        if is_plain and write.condition is not flow.terms.true and write.condition.size <= _MOST_BEFORE:
            by_location.setdefault(write.location, []).append(write)
    read_at: dict[Location, list[int]] = {}
    for read in flow.reads:
        if read.location in by_location:
            read_at.setdefault(read.location, []).append(read.order)
    for location, writes in by_location.items():
        for index, first in enumerate(writes if len(writes) > 1 else ()):
            for second in writes[index + 1 : index + _MOST_PAIRS]:
                if first.value is second.value or not is_seen_outside(location) or not first.is_seen:
                    continue
                if any(first.order < order < second.order for order in read_at.get(location, ())):
                    continue
                finding = _pair(first, second, location, flow, facts)
                if finding is not None:
                    yield finding
                    break


def _pair(first: Write, second: Write, location: Location, flow: Flow, facts: Facts) -> Finding | None:
    source = flow.unit.source
    line = f"line {source.line(second.origin.start)}"
    related = Related(source, second.origin.start, second.origin.end, "this one wins")
    place = (source, first.origin.start, first.origin.end)
    if can_hold([(first.condition, True)]) == "no":
        return None
    if can_hold([(first.condition, True), (second.condition, False)]) == "no":
        if _is_latch(first, second):
            return None
        kind = _kind(root_of(location), facts)
        said = words.two_writers(kind, location_name(location), source.line(first.origin.start), line)
        return said.told(*place, related)
    if first.value.kind == second.value.kind == "constant":
        return None  # one sets and the other resets
    if can_hold([(first.condition, True), (second.condition, True)]) != "no":
        return doubtful(words.may_both(location_name(location), line).told(*place, related))
    return None


# --- several units ---


@node
class _Writer:
    """That a unit writes a tag: where, and the flow and the write itself where these are known."""

    use: TagUse
    write: Write | None


def check_writers(facts: Facts) -> Iterator[Finding]:
    """Report tags that several units write in one scan, or one block with several instances."""
    if not facts.is_whole:
        return
    counts = _instances(facts)
    for tag, writers in _writers(facts, counts).items():
        if len(writers) > 1:
            finding = _several(tag, writers, facts)
            if finding is not None:
                yield finding
        else:
            ((unit, found),) = writers.items()
            if counts[unit] > 1:
                said = words.same_unit_twice(tag.name, unit.name, counts[unit])
                use = found[0].use
                yield said.told(unit.source, use.origin.start, use.origin.end)


def _instances(facts: Facts) -> Counter[typed.Unit]:
    """How many instances of each unit run; of what no configuration has there is nothing."""
    known: dict[typed.Unit, Counter[typed.Unit]] = {}
    counts: Counter[typed.Unit] = Counter()
    for configuration in facts.configurations:
        counts += _contained(configuration, known)
    return counts


def _contained(unit: typed.Unit, known: dict[typed.Unit, Counter[typed.Unit]]) -> Counter[typed.Unit]:
    """How many instances of each unit are in one of a unit, those inside others counted too."""
    if unit not in known:
        known[unit] = Counter()  # of a ring, which is an error of its own
        direct: Counter[typed.Unit] = Counter()
        for variable in unit.variables.values():
            block, count = held(variable.type)
            if block is not None and not block.is_standard and variable.section not in ("in_out", "external"):
                direct[block] += count
        found = Counter(direct)
        for block, count in direct.items():
            for inner, each in _contained(block, known).items():
                found[inner] += count * each
        known[unit] = found
    return known[unit]


def _writers(facts: Facts, counts: Counter[typed.Unit]) -> dict[Tag, dict[typed.Unit, list[_Writer]]]:
    tags = [tag for tag in facts.scope.tags.values() if tag.area != "I"]
    found: dict[Tag, dict[typed.Unit, list[_Writer]]] = {}
    by_origin: dict[int, Write] = {}
    units = [unit for unit in facts.units if counts.get(unit)]
    seen: set[typed.Unit] = set()
    for use in tag_uses(tags, units):
        if use.kind != "write":
            continue
        if use.unit not in seen:
            seen.add(use.unit)
            by_origin |= {id(write.origin): write for write in facts.flow(use.unit).writes}
        unit = use.unit.owner or use.unit
        found.setdefault(use.tag, {}).setdefault(unit, []).append(_Writer(use, by_origin.get(id(use.origin))))
    return found


def _by_name(unit: typed.Unit, use: TagUse, tag: Tag) -> tuple[str, str]:
    """A unit, and the name that it has for a tag where that is a second one."""
    written = use.unit.source.text[use.origin.start : use.origin.end]
    return unit.name, "" if written.upper() == tag.key else written


def _several(tag: Tag, writers: dict[typed.Unit, list[_Writer]], facts: Facts) -> Finding | None:
    units = _in_order(list(writers), facts)
    for index, first in enumerate(units):
        for second in units[index + 1 :]:
            if _is_inside(first, second) or _is_inside(second, first):
                continue  # the one calls the other, and has its own order in its body
            answer = _together(first, writers[first], second, writers[second], facts)
            if answer == "no":
                continue
            one, other = writers[first][0].use, writers[second][0].use
            related = Related(second.source, other.origin.start, other.origin.end, f"{second.name} writes it here")
            same_task = _task(first, facts) is _task(second, facts)
            said = words.two_units(tag.name, _by_name(first, one, tag), _by_name(second, other, tag), same_task)
            finding = said.told(first.source, one.origin.start, one.origin.end, related)
            return finding if answer == "yes" else doubtful(finding)
    return None


def _is_inside(inner: typed.Unit, outer: typed.Unit) -> bool:
    """Whether a unit calls another, itself or through others."""
    return inner in typed.closure(outer)


def _in_order(units: list[typed.Unit], facts: Facts) -> list[typed.Unit]:
    """Units in the order in which their programs run, as far as they are programs."""
    order: dict[typed.Unit, int] = {}
    for configuration in facts.configurations:
        for task in sorted(configuration.tasks, key=lambda task: task.priority):
            for program in task.programs:
                if isinstance(program.type, typed.Unit):
                    order.setdefault(program.type, len(order))
        for variable in configuration.variables.values():
            if isinstance(variable.type, typed.Unit):
                order.setdefault(variable.type, len(order))
    return sorted(units, key=lambda unit: order.get(unit, len(order)))


def _task(unit: typed.Unit, facts: Facts) -> typed.Task | None:
    for configuration in facts.configurations:
        for task in configuration.tasks:
            if any(program.type is unit for program in task.programs):
                return task
    return None


def _together(a: typed.Unit, first: list[_Writer], b: typed.Unit, second: list[_Writer], facts: Facts) -> str:
    """Whether two units write in one scan."""
    ways_a, ways_b = _ways(a, first, facts), _ways(b, second, facts)
    answers = {can_hold(((x, True), (y, True))) for x in ways_a for y in ways_b}
    return "yes" if "yes" in answers else "perhaps" if "perhaps" in answers else "no"


def _ways(unit: typed.Unit, writers: list[_Writer], facts: Facts) -> list[Term]:
    """The conditions under which a unit writes, those of its calls taken in."""
    own = {w.write.condition if w.write else facts.terms.true for w in writers}
    calls = [call.condition for call in _called(unit, facts)][:_MOST_PAIRS]
    return [
        facts.terms.both(outer, inner) for outer in calls or (facts.terms.true,) for inner in list(own)[:_MOST_PAIRS]
    ]


def _called(unit: typed.Unit, facts: Facts) -> Iterable[Call]:
    return [call for _, call in facts.calls_of(unit)] if unit.kind != "PROGRAM" else []
