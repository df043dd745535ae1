"""A unit and all that it uses as one WebAssembly module, and what is needed to read its memory."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cache
from importlib import resources

from upright_block.compiler.bodies import BodyEmitter
from upright_block.compiler.layout import layout_of
from upright_block.language import typed
from upright_block.language.literals import Value
from upright_block.language.source import Source

DATA = 128
"""Where instance data begins; the header of the driver lies before it."""

_PAGE = 65536

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
    """A compiled program as text. The instance of ``root`` begins at address `DATA`.

    ``initial`` are the bytes of that instance before the first scan; fault site n is ``sites[n - 1]``.
    """

    root: typed.Unit
    text: str
    sites: tuple[Site, ...]
    initial: bytes


@dataclass(slots=True)
class _Builder:
    """Collects the fault sites of all bodies; see `expressions.Module`."""

    given: Given
    sites: list[Site] = field(default_factory=list)
    loops: dict[str, bool] = field(default_factory=dict)

    def site(self, unit: typed.Unit, start: int, kind: str) -> int:
        self.sites.append(Site(unit, start, kind))
        return len(self.sites)

    def value(self, constant: typed.Variable) -> Value:
        value = self.given.get(constant, constant.initial)
        assert value is not None
        return value

    def has_loops(self, unit: typed.Unit) -> bool:
        known = self.loops.get(unit.key)
        if known is None:
            assert unit.body is not None
            known = _contains_loop(unit.body) or any(self.has_loops(used) for used in unit.uses.values())
            self.loops[unit.key] = known
        return known


def build_image(root: typed.Unit, given: Given | None = None) -> Image:
    """Compile ``root``, an unbroken function block, with every unit that it uses.

    ``given`` are values that constants have instead of their own.
    """
    builder = _Builder(given or {})
    functions = [BodyEmitter(builder, unit).function() for unit in closure(root)]
    initial = layout_of(root).initial
    pages = (DATA + len(initial)) // _PAGE + 2
    text = "\n".join(
        [
            "(module",
            f'(memory (export "memory") {pages})',
            "(global $budget (mut i32) (i32.const 0))",
            *functions,
            f"(func $scan i32.const {DATA} call $u.{root.key})",
            _driver(),
            ")",
        ]
    )
    return Image(root, text, tuple(builder.sites), initial)


def closure(root: typed.Unit) -> list[typed.Unit]:
    """The unit and all that it uses, each once."""
    found = {root.key: root}
    waiting = [root]
    while waiting:
        for used in waiting.pop().uses.values():
            if used.key not in found:
                found[used.key] = used
                waiting.append(used)
    return list(found.values())


def _contains_loop(body: Iterable[typed.Statement]) -> bool:
    for at in body:
        match at:
            case typed.For() | typed.While() | typed.Repeat():
                return True
            case typed.If(branches=branches, otherwise=otherwise):
                if any(_contains_loop(b) for _, b in branches) or _contains_loop(otherwise):
                    return True
            case typed.Case(arms=arms, otherwise=otherwise):
                if any(_contains_loop(b) for _, b in arms) or _contains_loop(otherwise):
                    return True
    return False


@cache
def _driver() -> str:
    return (resources.files(__package__) / "driver.wat").read_text(encoding="utf-8")
