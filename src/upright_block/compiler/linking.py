"""A program as one WebAssembly module, and what is needed to read its memory."""

from __future__ import annotations

import re
import struct
from collections.abc import Iterable, Mapping, Sequence
from functools import cache

from upright_block.compiler.artifact import Artifact, Held, Reachable, Site, UnitName
from upright_block.compiler.bodies import dispatcher, write_code
from upright_block.compiler.code import Code, Noted, Told, has_kinds, level_of
from upright_block.compiler.flow import pinned_variables
from upright_block.compiler.header import addressed
from upright_block.compiler.instructions import constant
from upright_block.compiler.layout import DATA, encode, layout_of, size_of
from upright_block.compiler.overlay import WRITTEN, Overlay
from upright_block.compiler.program import Mode, Program
from upright_block.compiler.remaining import remains
from upright_block.language import typed
from upright_block.language.limits import MOST_TURNS
from upright_block.language.signals import Signal
from upright_block.language.typed import closure
from upright_block.language.types import Array, Elementary, String, Type, string_type
from upright_block.shipped import shipped_text

_PAGE = 65536
_LARGE = 400_000
"""Characters of the text of one function from which on its machine code is made in one pass."""
_MARK_OF_FORCES = re.compile(r"\{(mask|held|under)\}")
_MARK = re.compile(r"\{([a-z])([0-9]+)\}")


class Bodies:
    """The code of units, so that programs of one library share it."""

    def __init__(self) -> None:
        self._known: dict[tuple[typed.Unit, Mode, frozenset[typed.Variable], Overlay], Code] = {}

    def code(self, unit: typed.Unit, mode: Mode, pinned: frozenset[typed.Variable], over: Overlay = WRITTEN) -> Code:
        """The code of a unit; of the ``pinned`` variables only those matter that its functions may hold."""
        units = (unit, *unit.uses.values())
        held = [v for used in units for v in (*used.variables.values(), *((used.result,) if used.result else ()))]
        own = frozenset(held) if mode.is_in_memory else pinned.intersection(held)
        key = (unit, mode, own, over)
        known = self._known.get(key)
        if known is None:
            known = Code(mode, own, over)
            write_code(known, unit)
            self._known[key] = known
        return known


def build_artifact(
    program: Program, bodies: Bodies | None = None, named: Mapping[str, Signal] | None = None
) -> Artifact:
    """Compile a program with every unit that it uses; ``bodies`` are those that it shares with others, ``named`` what
    plans name.
    """
    return build_telling(program, bodies, named)[0]


def build_telling(
    program: Program, bodies: Bodies | None = None, named: Mapping[str, Signal] | None = None
) -> tuple[Artifact, tuple[Told, ...]]:
    """The same, with what the numbers in a trail mean, where scans leave one."""
    units = closure(program.root)
    bodies = bodies or Bodies()
    pinned = pinned_variables(units)
    codes = [bodies.code(unit, program.mode, pinned, program.over) for unit in units if unit.kind != "INTERFACE"]
    linker = _Linker(program, units)
    linker.lay_points(codes)
    functions = [function for code in codes for function in linker.linked(code)]
    functions += _dispatchers(codes, linker.numbers)
    if any("call $text_" in function for function in functions):
        functions.append(_runtime("texts"))
    if program.mode.trails:
        functions.append(addressed(_runtime("trail")))
    writers = linker.room(0, 16) if program.mode.notes_writers else 0
    # Forces lie behind all that is addressed, at one distance from each byte, so that no table of them is needed.
    below = -(-linker.end // 16) * 16
    forces = linker.room(0, 16) + (4 * linker.end if writers else 0) if program.mode.forces else 0
    forces = -(-forces // 16) * 16
    end = forces + 3 * below if forces else linker.end + 4 * linker.end if writers else linker.end
    text = "\n".join(
        [
            "(module",
            f'(memory (export "memory") {end // _PAGE + 2})',
            *(f'(data (i32.const {address}) "{_escaped(content)}")' for content, address in linker.data.items()),
            *(f'(data (i32.const {address}) "{_escaped(content)}")' for address, content in linker.entries),
            "(global $budget (mut i32) (i32.const 0))",
            "(global $caller (mut i32) (i32.const 0))",
            *([f"(global $writers i32 (i32.const {writers}))"] if writers else []),
            *functions,
            _forces(forces, below),
            _event(program.mode),
            f"(func $scan i32.const {DATA} call $u{linker.numbers[program.root]})",
            f'(func (export "look") (global.set $budget (i32.const {MOST_TURNS})) call $scan)',
            addressed(_runtime("driver")),
            ")",
        ]
    )
    is_large = max(map(len, functions)) > _LARGE
    steps = [None if step is None else (step[0], program.own_slot(step[1])) for step in program.steps]
    artifact = Artifact(
        tuple(map(linker.name_of, units)),
        linker.name_of(program.subject),
        Site(linker.name_of(program.subject), program.subject.syntax.start, "body too large to run"),
        text,
        is_large,
        program.initial,
        program.own,
        end,
        writers,
        forces,
        below,
        tuple(linker.sites),
        tuple(linker.points),
        linker.reached,
        linker.held(),
        remains(program),
        program.rig is not None,
        tuple(program.probe_slots),
        program.own_slot(program.phase),
        program.own_slot(program.group),
        program.own_slot(program.done),
        tuple(steps),
        {path: program.slot(signal) for path, signal in (named or {}).items()},
        program.mode.trails,
    )
    return artifact, tuple(linker.told)


def name_of(unit: typed.Unit, number: int = -1) -> UnitName:
    """What an artifact tells of a unit, which has a number in it."""
    owner = unit.owner or unit
    return UnitName(
        number,
        unit.kind,
        unit.name,
        unit.key,
        owner.wraps.key if owner.wraps else owner.key,
        unit.source,
        unit.is_standard,
        unit.keeps_data,
        unit.owner is None or unit.owner.methods.get(unit.name.upper()) is unit,
    )


class _Linker:
    """Gives everything that bodies need its number or its address."""

    def __init__(self, program: Program, units: Sequence[typed.Unit]) -> None:
        self.program = program
        self.numbers = {unit: number for number, unit in enumerate(units)}
        self.end = -(-(DATA + len(program.initial)) // 16) * 16
        self.sites: list[Site] = []
        self.told: list[Told] = []
        self.points: list[tuple[Reachable, str | None] | None] = []
        self.reached = 0
        self.own: dict[int, int] = {}
        self.data: dict[bytes, int] = {}
        self.entries: list[tuple[int, bytes]] = []
        self.nobody = 0
        self.levels: list[int] = []
        self.names: dict[typed.Unit, UnitName] = {}
        self.kinds: dict[Type, Held] = {}

    def name_of(self, unit: typed.Unit) -> UnitName:
        """What an artifact tells of a unit."""
        known = self.names.get(unit)
        if known is None:
            known = self.names[unit] = name_of(unit, self.numbers.get(unit, -1))
        return known

    def held(self) -> Held:
        """Which instances lie in the data."""
        program, offsets = self.program, layout_of(self.program.root).offsets
        members = [("", offsets[program.inside], self._held(program.subject))]
        members += [(target.name, offsets[target], self._held(target.type)) for target in program.targets.values()]
        members += [(variable.name, offset, self._held(variable.type)) for variable, offset in program.outer.items()]
        return Held(None, len(program.initial), tuple(members))

    def _held(self, type_: Type) -> Held:
        known = self.kinds.get(type_)
        if known is not None:
            return known
        members: list[tuple[str, int, Held]] = []
        element: Held | None = None
        bounds: tuple[tuple[int, int], ...] = ()
        if isinstance(type_, Array) and not isinstance(type_.element, (Elementary, String)):
            element, bounds = self._held(type_.element), type_.bounds
        elif isinstance(type_, typed.Compound):
            own = layout_of(type_).offsets.items()
            inside = (
                (v, at) for v, at in own if v.section != "in_out" and not isinstance(v.type, (Elementary, String))
            )
            members = [(variable.name, at, self._held(variable.type)) for variable, at in inside]
        number = self.numbers.get(type_) if isinstance(type_, typed.Unit) else None
        made = self.kinds[type_] = Held(number, size_of(type_), tuple(members), element, bounds)
        return made

    def room(self, size: int, alignment: int) -> int:
        """The address of so many bytes that nothing else uses."""
        address = -(-self.end // alignment) * alignment
        self.end = address + size
        return address

    def known(self, content: bytes, alignment: int) -> int:
        """The address of these bytes, which nobody changes."""
        if content not in self.data:
            self.data[content] = self.room(len(content), alignment)
        return self.data[content]

    def linked(self, code: Code) -> list[str]:
        """The functions of a unit with their marks filled in."""
        program, first = self.program, len(self.sites)
        self.sites += [Site(self.name_of(unit), start, kind) for unit, start, kind in code.sites]
        first_told = len(self.told)
        self.told += code.tells
        points = self.own.get(id(code), 0)
        filled: dict[str, Sequence[object]] = {
            "s": range(first + 1, len(self.sites) + 1),
            "d": [self.known(content, alignment) for content, alignment in code.data],
            "r": [self.room(size, alignment) for size, alignment in code.rooms],
            "g": [DATA + program.outer[variable] for variable in code.shared],
            "k": [self._constant(variable, type_) for variable, type_ in code.constants],
            "p": [points + place if own is None else self.nobody + own for place, (_, own) in enumerate(code.points)],
            "l": self.levels,
            "u": [self.numbers[unit] for unit in code.units],
            "t": [self._table(entries) for entries in code.tables],
            "e": range(first_told + 1, len(self.told) + 1),
        }
        return [_MARK.sub(lambda mark: str(filled[mark[1]][int(mark[2])]), text) for text in code.functions]

    def lay_points(self, codes: Sequence[Code]) -> None:
        """Give each point its byte: of a function one, of a unit with instances one in each of them.

        Those of an instance that nobody knows come first; a table for each level has, by the address of an instance,
        how far its own bytes lie from these.
        """
        numbered: dict[typed.Unit, dict[int, Reachable]] = {}
        for code in codes:
            for noted, number in code.points:
                if number is not None:
                    numbered.setdefault(noted.unit.owner or noted.unit, {})[number] = self._point(noted)
        # A body does not know in which instance it runs until it has an address; a table by addresses turns that into a
        # place for its notes with one load. Addresses that no instance has lead to the bytes of nobody.
        most = max((max(numbers) for numbers in numbered.values()), default=-1)
        size = 4 * (DATA + len(self.program.initial))
        self.levels = [self.room(size, 8) for _ in range(1 + max(map(level_of, numbered), default=-1))]
        self.nobody = self.reached = self.room(most + 1, 1)
        self.points += [None] * (most + 1)
        for code in codes:
            self.own[id(code)] = self._bytes([(self._point(noted), None) for noted, _ in code.points])
        for offset, unit, path in self.program.instances() if numbered else ():
            # What a base does in an instance is noted as the base's own: each of them has its bytes there.
            owner: typed.Unit | None = unit
            while owner is not None:
                numbers = numbered.get(owner)
                if numbers:
                    found = [
                        (numbers[number], path) if number in numbers else None for number in range(max(numbers) + 1)
                    ]
                    own = self._bytes(found)
                    entry = self.levels[level_of(owner)] + 4 * (DATA + offset)
                    self.entries.append((entry, struct.pack("<i", own - self.nobody)))
                owner = owner.base

    def _point(self, noted: Noted) -> Reachable:
        return Reachable(self.name_of(noted.unit), noted.start, noted.kind, noted.way)

    def _bytes(self, points: Sequence[tuple[Reachable, str | None] | None]) -> int:
        """The address of bytes for some points."""
        self.points += points
        return self.room(len(points), 1)

    def _table(self, entries: Sequence[tuple[typed.Variable | None, int]]) -> int:
        """The address of a table of addresses."""
        outer = self.program.outer
        numbers = [offset + (DATA + outer[base] if base is not None else 0) for base, offset in entries]
        return self.known(struct.pack(f"<{len(numbers)}i", *numbers), 8)

    def _constant(self, variable: typed.Variable, type_: Type) -> str:
        """Instructions for the value of a constant."""
        value = self.program.constants.get(variable, variable.initial)
        if isinstance(value, str):
            assert isinstance(type_, String)
            text = encode(value, string_type(type_.width, len(value)))
            return f"i32.const {self.known(text, 8)}"
        assert isinstance(value, (bool, int, float))
        assert isinstance(type_, Elementary)
        return constant(value, type_)


def _dispatchers(codes: Iterable[Code], numbers: Mapping[typed.Unit, int]) -> list[str]:
    """The functions that choose a method or a body by the number of the instance's unit."""
    kinds: dict[typed.Unit, list[typed.Unit]] = {}
    for unit in numbers:
        if unit.keeps_data and unit.kind != "INTERFACE":
            for role in unit.roles:
                kinds.setdefault(role, []).append(unit)
    wanted = dict.fromkeys(unit for code in codes for unit in code.virtual)
    return [dispatcher(f"u{numbers[unit]}.by_kind", unit, _stand_ins(unit, kinds, numbers)) for unit in wanted]


def _stand_ins(
    unit: typed.Unit, kinds: Mapping[typed.Unit, list[typed.Unit]], numbers: Mapping[typed.Unit, int]
) -> dict[int, str]:
    """The function of what is run for a method or a block, by the number of the instance's unit."""
    owner = unit.owner or unit
    found: dict[int, str] = {}
    for kind in kinds.get(owner, ()) if has_kinds(owner) else ():
        own = kind if unit is owner else kind.method(unit.name.upper())
        if own is not None and not (own.owner and own.has("ABSTRACT")):
            found[kind.number] = f"u{numbers[own]}"
    return found


def _event(mode: Mode) -> str:
    """What an event calls."""
    how = "$change" if mode.forces else "$poke"
    told = "(call $tell_written (local.get 0) (i32.const 8))" if mode.trails else ""
    change = f"(call {how} (local.get 0) (local.get 1) (local.get 2))"
    return f'(func $event (export "event") (param i32 i32 i64) {change} {told})'


def _forces(address: int, size: int) -> str:
    """What holds forced values: for each of ``size`` bytes three from ``address`` on; nothing where nothing is
    forced.
    """
    if not address:
        return ""
    marks = {"mask": address, "held": address + size, "under": address + 2 * size}
    return _MARK_OF_FORCES.sub(lambda mark: str(marks[mark[1]]), _runtime("forces"))


def _escaped(content: bytes) -> str:
    return "".join([f"\\{byte:02x}" for byte in content])


@cache
def _runtime(name: str) -> str:
    """WebAssembly text that ships with the compiler."""
    return shipped_text(__package__, f"{name}.wat")
