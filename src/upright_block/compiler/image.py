"""A unit and all that it uses as one WebAssembly module, and what is needed to read its memory."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cache
from importlib import resources

from upright_block.compiler.bodies import BodyEmitter, dispatcher
from upright_block.compiler.flow import pinned_variables
from upright_block.compiler.layout import DATA, closure, encode, whole_of
from upright_block.language import typed
from upright_block.language.literals import Value
from upright_block.language.source import Source
from upright_block.language.types import string_type
from upright_block.language.walking import every_statement

_PAGE = 65536
_LARGE = 400_000
"""Characters of the text of one function from which on its machine code is made in one pass."""

Given = Mapping[typed.Variable, Value]


@dataclass(frozen=True, slots=True)
class Site:
    """A place in a source that can fault, and how."""

    unit: typed.Unit
    start: int
    kind: str

    @property
    def source(self) -> Source:
        return self.unit.source

    @property
    def line(self) -> int:
        return self.source.line(self.start)


@dataclass(frozen=True, slots=True)
class Image:
    """A compiled program as text. The data of `layout.whole_of` ``root`` begins at address `DATA`.

    ``is_large`` says that a function of it is too large to be compiled with care. ``initial`` are the bytes of that data before the first scan; the module uses memory up to ``end``.
    At ``writers``, where it is not 0, lies for each byte of data the number of the site that wrote there last, in
    four bytes. Fault site n is ``sites[n - 1]``.
    """

    root: typed.Unit
    text: str
    sites: tuple[Site, ...]
    initial: bytes
    end: int
    is_large: bool = False
    writers: int = 0


@dataclass(slots=True)
class _Builder:
    """Collects what the bodies need: fault sites, constant data, room for data; see `places.Module`."""

    given: Given
    outer: Mapping[typed.Variable, int]
    kinds: Mapping[str, list[typed.Unit]]
    pinned: frozenset[typed.Variable]
    end: int
    checks_overflow: bool
    notes_writers: bool
    sites: list[Site] = field(default_factory=list)
    loops: dict[str, bool] = field(default_factory=dict)
    mending: dict[str, bool] = field(default_factory=dict)
    constants: dict[bytes, int] = field(default_factory=dict)
    virtual: dict[str, typed.Unit] = field(default_factory=dict)

    def site(self, unit: typed.Unit, start: int, kind: str) -> int:
        self.sites.append(Site(unit, start, kind))
        return len(self.sites)

    def value(self, constant: typed.Variable) -> Value:
        value = self.given.get(constant, constant.initial)
        assert isinstance(value, (bool, int, float, str))
        return value

    def has_loops(self, unit: typed.Unit) -> bool:
        known = self.loops.get(unit.key)
        if known is None:
            loops = (typed.For, typed.While, typed.Repeat)
            bodies = (u.body or () for u in self._reached(unit))
            known = any(isinstance(at, loops) for body in bodies for at in every_statement(body))
            self.loops[unit.key] = known
        return known

    def mends(self, function: typed.Unit) -> bool:
        known = self.mending.get(function.key)
        if known is None:
            known = bool(self.pinned) or any(u.section("in_out") or u.shares for u in self._reached(function))
            self.mending[function.key] = known
        return known

    def _reached(self, unit: typed.Unit) -> list[typed.Unit]:
        """A unit, what it uses, and what may run in place of these by the kind of the instance."""
        found = {unit.key: unit}
        waiting = [unit]
        while waiting:
            at = waiting.pop()
            for used in (*at.uses.values(), *self._stand_ins(at).values()):
                if used.key not in found:
                    found[used.key] = used
                    waiting.append(used)
        return list(found.values())

    def _stand_ins(self, unit: typed.Unit) -> dict[int, typed.Unit]:
        """What is run for a method or a block, by the number of the instance's unit."""
        owner = unit.owner or unit
        if not self._has_kinds(owner):
            return {}
        found: dict[int, typed.Unit] = {}
        for kind in self.kinds.get(owner.key, ()):
            own = kind if unit is owner else kind.method(unit.name.upper())
            if own is not None and not (own.owner and own.has("ABSTRACT")):
                found[kind.number] = own
        return found

    @staticmethod
    def _has_kinds(owner: typed.Unit) -> bool:
        """Whether instances of several units may stand for one of this unit."""
        return owner.number != 0 or owner.kind == "INTERFACE"

    def dispatched(self, unit: typed.Unit) -> str:
        if not self._has_kinds(unit.owner or unit):
            return unit.key
        name = f"{unit.key}.by_kind"
        self.virtual[name] = unit
        return name

    def dispatchers(self) -> list[str]:
        """The functions that choose a method or a body by the number of the instance's unit."""
        return [
            dispatcher(name, unit, {number: own.key for number, own in self._stand_ins(unit).items()})
            for name, unit in self.virtual.items()
        ]

    def allocate(self, size: int, alignment: int) -> int:
        address = -(-self.end // alignment) * alignment
        self.end = address + size
        return address

    def data(self, content: bytes, alignment: int) -> int:
        if content not in self.constants:
            self.constants[content] = self.allocate(len(content), alignment)
        return self.constants[content]

    def text(self, text: str, width: int) -> int:
        return self.data(encode(text, string_type(width, len(text))), 8)

    def address(self, shared: typed.Variable) -> int:
        return DATA + self.outer[shared]


def build_image(
    root: typed.Unit, given: Given | None = None, checks_overflow: bool = False, notes_writers: bool = False
) -> Image:
    """Compile ``root``, an unbroken block or program, with every unit that it uses.

    ``given`` are values that constants have instead of their own. With ``checks_overflow`` an integer that
    leaves its type stops the scan instead of wrapping. With ``notes_writers`` all variables live in memory at
    all times, and it is noted which statement wrote each last; see `Image.writers`.
    """
    units = closure(root)
    whole = whole_of(root)
    builder = _Builder(
        given or {},
        whole.outer,
        _kinds(units),
        _everything(units) if notes_writers else pinned_variables(units),
        -(-(DATA + len(whole.initial)) // 16) * 16,
        checks_overflow,
        notes_writers,
    )
    functions = [BodyEmitter(builder, unit).function() for unit in units if unit.kind != "INTERFACE"]
    functions += builder.dispatchers()
    if any("call $text_" in function for function in functions):
        functions.append(_runtime("texts"))
    writers = builder.allocate(0, 16) if notes_writers else 0
    end = builder.end + 4 * builder.end if notes_writers else builder.end
    data = [f'(data (i32.const {at}) "{_escaped(content)}")' for content, at in builder.constants.items()]
    text = "\n".join(
        [
            "(module",
            f'(memory (export "memory") {end // _PAGE + 2})',
            *data,
            "(global $budget (mut i32) (i32.const 0))",
            "(global $caller (mut i32) (i32.const 0))",
            *([f"(global $writers i32 (i32.const {writers}))"] if notes_writers else []),
            *functions,
            f"(func $scan i32.const {DATA} call ${root.key})",
            _runtime("driver"),
            ")",
        ]
    )
    is_large = max(map(len, functions)) > _LARGE
    return Image(root, text, tuple(builder.sites), whole.initial, end, is_large, writers)


def _everything(units: Iterable[typed.Unit]) -> frozenset[typed.Variable]:
    """All variables."""
    return frozenset(
        variable
        for unit in units
        for variable in (*unit.variables.values(), *((unit.result,) if unit.result else ()))
    )


def _kinds(units: Iterable[typed.Unit]) -> dict[str, list[typed.Unit]]:
    """The units that have instances, by the key of each unit that these can stand for."""
    found: dict[str, list[typed.Unit]] = {}
    for unit in units:
        if unit.keeps_data and unit.kind != "INTERFACE":
            for role in unit.roles:
                found.setdefault(role.key, []).append(unit)
    return found


def _escaped(content: bytes) -> str:
    return "".join([f"\\{byte:02x}" for byte in content])


@cache
def _runtime(name: str) -> str:
    """WebAssembly text that ships with the compiler."""
    return (resources.files(__package__) / f"{name}.wat").read_text(encoding="utf-8")
