"""Tags: the rows of tag tables, and global variables AT a point. IEC 61131-3:2013, 6.5.5."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress

from upright_block.language import syntax, typed
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.types import TypeChecker
from upright_block.language.checking.words import tags as words
from upright_block.language.checking.words.program import global_twice
from upright_block.language.field.addresses import NoAddress, parse_address
from upright_block.language.field.points import TYPES, Point
from upright_block.language.field.tags import Scale, Tag, TagTable
from upright_block.language.lexer import KEYWORDS
from upright_block.language.literals import Value
from upright_block.language.parsing import parse_expression, parse_initial, parse_type
from upright_block.language.paths import root_of, with_root
from upright_block.language.scope import Scope
from upright_block.language.source import Cell, Source
from upright_block.language.telling.findings import Related, Words, first_declared
from upright_block.language.types import (
    BOOL,
    BROKEN,
    DINT,
    INT,
    LINT,
    REAL,
    SINT,
    UDINT,
    UINT,
    ULINT,
    USINT,
    Array,
    Elementary,
    Type,
    in_group,
)

_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*\Z")
_SIGNED = {8: SINT, 16: INT, 32: DINT, 64: LINT}
_UNSIGNED = {8: USINT, 16: UINT, 32: UDINT, 64: ULINT}
_YES = ("YES", "TRUE", "1")
_NO = ("NO", "FALSE", "0", "")
_RANGE = ("raw_low", "raw_high", "low", "high")
_PATHS = (syntax.Name, syntax.Member, syntax.Index, syntax.Part, syntax.DirectAddress)

CheckerOf = Callable[[Source], TypeChecker]
"""Makes what reads the cells of a source."""


def declare_tags(tables: Iterable[TagTable], scope: Scope, checker_of: CheckerOf) -> None:
    """Enter the tags of all tables into the scope, and settle what names stand for."""
    for table in tables:
        reader = _TableReader(table, scope, checker_of(table.source))
        for row in table.rows:
            try:
                reader.read(row, table.has_places)
            except Problem:
                reader.give_up(row)
    for tag in scope.tags.values():
        checker = checker_of(tag.source)
        if tag.is_open:
            checker.report(tag, words.never_placed(tag.name, tag.address))
        elif "stands_for" in tag.cells and tag.meaning is not None:
            with suppress(Problem):
                _follow(tag, scope, checker)
    _find_overlaps(scope, checker_of)
    for tag in scope.tags.values():
        if tag.variable is not None:
            scope.enter_output(tag)


class _TableReader:
    """Reads the rows of one table into the scope."""

    def __init__(self, table: TagTable, scope: Scope, checker: TypeChecker) -> None:
        self.table = table
        self.scope = scope
        self.checker = checker
        self.points = scope.points

    def read(self, row: Mapping[str, Cell], has_place: bool) -> None:
        """Enter the tag of a row; without a place, which was told, it is a name and nothing else."""
        name = row.get("tag")
        if name is None:
            raise self._problem(next(iter(row.values())), words.no_name())
        if not _NAME.match(name.text) or name.text.upper() in KEYWORDS:
            raise self._problem(name, words.bad_name(name.text))
        tag = Tag(name.text, self.table.source, name.start, name.end, row)
        found = self.scope.tags.get(tag.key)
        if found is not None and found.is_open:
            self._complete(found, tag)
            return
        other = found or self.scope.globals.variables.get(tag.key)
        if other is not None:
            source = other.source or self.table.source
            raise self._problem(name, global_twice(tag.name), first_declared(source, other, other.name))
        self.scope.tags[tag.key] = tag
        if not has_place:
            raise Problem
        if "stands_for" in row:
            self._alias(tag)
        else:
            self._point(tag, self._address(tag))
            spec = self._spec(tag)
            self._variable(tag, self._type(tag, spec), spec)

    def _complete(self, declared: Tag, row: Tag) -> None:
        """Give a variable ``AT %I*`` the point that its row names."""
        assert declared.variable is not None
        declared.cells = row.cells
        point = self._address(row)
        if point is None:
            raise self._problem(row.cells["tag"], words.still_open(row.name, declared.address))
        if point.area != parse_address(declared.address).area:
            raise self._problem(row.cells["point"], words.other_area(row.name, declared.address))
        self._point(declared, point)
        type_ = declared.variable.type
        if "type" in row.cells and self._type(row, self._spec(row)) is not type_:
            first = first_declared(declared.source, declared, declared.name)
            raise self._problem(row.cells["type"], words.other_type(row.name, type_), first)
        self._variable(declared, type_, None)

    def give_up(self, row: Mapping[str, Cell]) -> None:
        """Declare the name of a row that is wrong, so that its uses are no findings of their own."""
        name = row.get("tag")
        tag = self.scope.tags.get(name.text.upper()) if name else None
        if tag is not None and tag.variable is None and tag.meaning is None:
            declare_broken(tag, self.scope)

    # --- cells ---

    def _problem(self, cell: Cell, said: Words, *related: Related) -> Problem:
        return self.checker.problem(syntax.Node(cell.start, cell.end), said, *related)

    def _address(self, tag: Tag) -> Point | None:
        cell = tag.cells.get("point")
        if cell is None:
            return None
        try:
            address = parse_address(cell.text)
        except NoAddress as problem:
            raise self._problem(cell, problem.words) from None
        if address.is_open:
            raise self._problem(cell, words.point_left_open(cell.text))
        point = self.points.point(address)
        if not self.points.has(point):
            raise self._problem(cell, words.point_too_far(cell.text))
        return point

    def _point(self, tag: Tag, point: Point | None) -> None:
        """Give a tag its point, with its sense and its range."""
        tag.point = point
        tag.address = tag.text("point").upper() or tag.address
        sense = tag.text("sense").upper()
        if sense not in ("", "NO", "NC"):
            raise self._problem(tag.cells["sense"], words.bad_sense(tag.cells["sense"].text))
        tag.is_negated = sense == "NC"
        tag.scale = self._scale(tag, point)
        retain = tag.text("retain").upper()
        if retain not in (*_YES, *_NO):
            raise self._problem(tag.cells["retain"], words.bad_retain(tag.cells["retain"].text))
        tag.is_retained |= retain in _YES

    def _scale(self, tag: Tag, point: Point | None) -> Scale | None:
        given = [column for column in _RANGE if column in tag.cells]
        if not given:
            return None
        if point is None:
            raise self._problem(tag.cells[given[0]], words.range_without_point(tag.name))
        if len(given) < len(_RANGE):
            missing = next(column for column in _RANGE if column not in given)
            raise self._problem(tag.cells[given[0]], words.half_a_range(missing))
        raw_low, raw_high = (self._whole(tag.cells[column]) for column in _RANGE[:2])
        low, high = (self._number(tag.cells[column]) for column in _RANGE[2:])
        for column, ends in (("raw_low", (raw_low, raw_high)), ("low", (low, high))):
            if ends[0] == ends[1]:
                high_column = column.replace("low", "high")
                said = words.range_of_nothing(tag.name, column, high_column, ends[0])
                raise self._problem(tag.cells[column], said)
        tag.raw = _raw_type(raw_low, raw_high, point.width)
        if tag.raw is None:
            raise self._problem(
                tag.cells["raw_low"],
                words.range_beyond_point(tag.name, tag.text("point"), raw_low, raw_high, point.width),
            )
        return Scale(raw_low, raw_high, low, high)

    def _whole(self, cell: Cell) -> int:
        try:
            return int(cell.text)
        except ValueError:
            raise self._problem(cell, words.no_whole_number(cell.text)) from None

    def _number(self, cell: Cell) -> float:
        try:
            found = float(cell.text)
        except ValueError:
            found = math.nan
        if not math.isfinite(found) or "_" in cell.text:
            raise self._problem(cell, words.no_number(cell.text))
        return found

    def _spec(self, tag: Tag) -> syntax.TypeSpec | None:
        """The type as a row writes it; None where it does not."""
        cell = tag.cells.get("type")
        if cell is None or _NAME.match(cell.text):
            return syntax.TypeName(cell.start, cell.end, cell.text) if cell is not None else None
        written = parse_type(self.table.source, self.checker.findings, cell.text, self._inside(cell))
        if written is None:
            raise Problem
        return written

    def _inside(self, cell: Cell) -> int:
        """Where the text of a cell begins, behind a quote."""
        return cell.start + self.table.source.text.startswith('"', cell.start)

    def _type(self, tag: Tag, spec: syntax.TypeSpec | None) -> Type:
        """The type that a row gives; without one that of the point, or REAL where it has a range."""
        if spec is not None:
            return self.checker.type_of(spec)
        if tag.point is None:
            raise self._problem(tag.cells["tag"], words.no_type(tag.name))
        return REAL if tag.scale else TYPES[tag.point.width]

    def _variable(self, tag: Tag, type_: Type, spec: syntax.TypeSpec | None) -> None:
        """Declare what holds the value of a tag; a point of memory holds it itself."""
        check_type(tag, type_, self.checker)
        initial = self._initial(tag, type_, spec)
        if tag.variable is None:
            comment = tag.text("comment")
            tag.variable = typed.Variable(
                tag.name, "global", type_, initial, comment, tag.start, tag.end, source=tag.source
            )
        elif "initial" in tag.cells:
            tag.variable.initial = initial
        settle_tag(tag, "initial" in tag.cells, self.scope)

    def _initial(self, tag: Tag, type_: Type, spec: syntax.TypeSpec | None) -> typed.Initial:
        cell = tag.cells.get("initial")
        if cell is None:
            return typed.default_of(type_) if spec is None or tag.address else self.checker.initial_of(spec, type_)
        written = parse_initial(self.table.source, self.checker.findings, cell.text, self._inside(cell))
        if written is None:
            raise Problem
        name = f"The initial value of {tag.name}"
        if spec is None or isinstance(type_, Elementary):
            return self.checker.constant(written, type_, name)
        if tag.address and isinstance(type_, Array):
            raise self._problem(cell, words.initial_of_array(tag.name, tag.address))
        known = len(self.checker.findings.items)
        found = self.checker.initial(written, type_, tag.name, spec)
        if len(self.checker.findings.items) > known:
            raise Problem
        return found

    # --- aliases ---

    def _alias(self, tag: Tag) -> None:
        """A name for something that has one; sense, range and point belong to what it stands for."""
        cell = tag.cells["stands_for"]
        for column in ("point", "sense", *_RANGE, "initial", "retain"):
            if column in tag.cells:
                raise self._problem(tag.cells[column], words.alias_with(column))
        start = self._inside(cell)
        tag.meaning = parse_expression(self.table.source, self.checker.findings, cell.text, start)
        if tag.meaning is not None and not isinstance(
            tag.meaning, (syntax.Name, syntax.Member, syntax.Index, syntax.Part, syntax.DirectAddress)
        ):
            tag.meaning = None
            raise self._problem(cell, words.alias_of_nothing(cell.text))


def declare_broken(tag: Tag, scope: Scope) -> None:
    """Declare the name of a tag that is wrong, so that its uses are no findings of their own."""
    tag.variable = typed.Variable(tag.name, "global", BROKEN, start=tag.start, end=tag.end, source=tag.source)
    tag.point = tag.meaning = None
    scope.globals.variables[tag.key] = tag.variable


def _raw_type(low: int, high: int, width: int) -> Elementary | None:
    """The integer type of a raw range: a signed one, if it holds it."""
    types = (_SIGNED.get(width), _UNSIGNED.get(width))
    return next((t for t in types if t and all(t.low <= n <= t.high for n in (low, high))), None)


def declare_located(variable: typed.Variable, node: syntax.Declaration, scope: Scope, checker: TypeChecker) -> None:
    """Enter a global variable AT a point as a tag."""
    tag = Tag(variable.name, checker.source, node.start, node.end, variable=variable, address=node.address.upper())
    tag.is_retained = bool(variable.retain)
    try:
        address = parse_address(node.address)
    except NoAddress as problem:
        checker.report(node, problem.words)
        return
    scope.tags[tag.key] = tag
    if address.is_open:
        return
    tag.point = scope.points.point(address)
    if not scope.points.has(tag.point):
        checker.report(node, words.point_too_far(node.address))
        return
    with suppress(Problem):
        check_type(tag, variable.type, checker)
        settle_tag(tag, variable.has_initial, scope)


def check_type(tag: Tag, type_: Type, checker: TypeChecker) -> None:
    """Report a type that the point of a tag cannot hold, and a sense or a range that it cannot have.

    Raises:
        Problem: there is one.
    """
    place = tag.cells.get("type") or tag.cells.get("point") or tag
    if type_ is BROKEN:
        raise Problem
    if isinstance(type_, typed.Unit):
        raise checker.problem(place, words.no_tag_type(tag.name, type_))
    if isinstance(type_, typed.Structure) and tag.address:
        raise checker.problem(place, words.structure_at_point(tag.name, type_, tag.address))
    if "sense" in tag.cells and type_ is not BOOL:
        raise checker.problem(tag.cells["sense"], words.sense_without_bool(tag.name, type_))
    if tag.scale is not None:
        if not isinstance(type_, Elementary) or not in_group(type_, "ANY_NUM"):
            raise checker.problem(tag.cells["raw_low"], words.range_without_number(tag.name, type_))
        if tag.area == "M":
            raise checker.problem(tag.cells["raw_low"], words.range_in_memory(tag.name))
    elif tag.point is not None and not _holds(tag.point, type_, checker.scope.points.is_swapped(tag.point)):
        raise checker.problem(place, words.point_cannot_hold(tag, type_))


def _holds(point: Point, type_: Type, is_swapped: bool) -> bool:
    """Whether a point is as wide as a type; an array begins there."""
    if isinstance(type_, Array):
        element = type_.element
        fits = isinstance(element, Elementary) and element is not BOOL and point.width in (8, element.bits)
        return fits and not is_swapped
    if not isinstance(type_, Elementary) or type_.family == "reference":
        return False
    return point.width == (1 if type_.family == "bool" else type_.bits)


def settle_tag(tag: Tag, has_initial: bool, scope: Scope) -> None:
    """Work out what the point of a tag has at the start, and what its name means."""
    variable = tag.variable
    assert variable is not None
    if isinstance(variable.type, Array) and tag.point is not None and isinstance(variable.type.element, Elementary):
        tag.point = Point(tag.point.area, tag.point.start, variable.type.count * variable.type.element.bits)
    if tag.point is not None:
        scope.points.reach(tag.point)
    if tag.is_retained:
        variable.retain = True
    if tag.area == "M" and isinstance(variable.type, Elementary):
        tag.held, tag.variable = variable.type, None
        address = parse_address(tag.address)
        tag.meaning = syntax.DirectAddress(tag.start, tag.end, address, variable.type)
        scope.globals.variables.pop(tag.key, None)
        tag.rest = variable.initial if has_initial else None
        return
    scope.globals.variables[tag.key] = variable
    if tag.scale is not None and isinstance(variable.initial, (int, float)):
        if has_initial:
            tag.rest = tag.scale.raw(variable.initial)
        else:
            variable.initial = tag.meant(0)
    elif has_initial and isinstance(variable.type, Elementary):
        value = variable.initial
        tag.rest = not value if tag.is_negated else value
    elif tag.is_negated:
        tag.rest = True


def rests(tags: Iterable[Tag]) -> list[tuple[Point, Value, Elementary]]:
    """What the points of tags have at the start, where that is not zero."""
    found: list[tuple[Point, Value, Elementary]] = []
    for tag in tags:
        type_ = tag.raw or tag.type
        if tag.point is not None and isinstance(type_, Elementary) and isinstance(tag.rest, (bool, int, float)):
            found.append((tag.point, tag.rest, type_))
    return found


# --- what names stand for ---


def _follow(tag: Tag, scope: Scope, checker: TypeChecker) -> None:
    """Replace names that stand for something by what they stand for, until one is a variable, a point or a program."""
    cell = tag.cells["stands_for"]
    chain = [tag.name]
    assert tag.meaning is not None
    while True:
        root = root_of(tag.meaning)
        if not isinstance(root, syntax.Name):
            return
        other = scope.tags.get(root.name.upper())
        if other is None or other.meaning is None:
            return
        if other.name in chain:
            declare_broken(tag, scope)
            raise checker.problem(cell, words.alias_circle([*chain, other.name]))
        chain.append(other.name)
        tag.meaning = with_root(tag.meaning, other.meaning)


# --- what shares bits ---


def _find_overlaps(scope: Scope, checker_of: CheckerOf) -> None:
    """Report points that are taken twice, and words that share bits; a single bit of a bit string may have a name."""
    placed = [tag for tag in scope.tags.values() if tag.point is not None and "stands_for" not in tag.cells]
    placed.sort(
        key=lambda tag: (str(tag.area), tag.point.start if tag.point else 0, -tag.point.width if tag.point else 0)
    )
    open_: list[Tag] = []
    for tag in placed:
        assert tag.point is not None
        open_ = [other for other in open_ if other.point is not None and other.point.overlaps(tag.point)]
        for other in open_[-1:]:
            assert other.point is not None
            if other.point == tag.point or not (tag.point.width == 1 and other.is_bits):
                later, first = (tag, other) if _order(tag) >= _order(other) else (other, tag)
                place = later.cells.get("point") or later
                related = Related(first.source, first.start, first.end, f"{first.name} is at {first.address}")
                said = words.point_twice if other.point == tag.point else words.points_overlap
                checker_of(later.source).report(place, said(later, first), related)
        open_.append(tag)


def _order(tag: Tag) -> tuple[str, int]:
    return tag.source.path, tag.start
