"""What units inherit and promise: EXTENDS, IMPLEMENTS and methods. IEC 61131-3:2013, 6.6.5 to 6.6.7."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from itertools import zip_longest

from upright_block.language import syntax, typed
from upright_block.language.checking.types import TypeChecker
from upright_block.language.checking.words import objects as words
from upright_block.language.limits import MOST_NESTED
from upright_block.language.telling.findings import Related

Checker = Callable[[typed.Unit], TypeChecker]
_ACCESS: tuple[typed.Visibility, ...] = ("PUBLIC", "PROTECTED", "PRIVATE", "INTERNAL")
_EXTENDS = {"FUNCTION_BLOCK": ("FUNCTION_BLOCK", "CLASS"), "CLASS": ("CLASS",), "INTERFACE": ("INTERFACE",)}


def retain_of(qualifiers: Iterable[str]) -> bool | None:
    """What RETAIN or NON_RETAIN says (6.5.6); None where neither is written."""
    return next((word == "RETAIN" for word in qualifiers if word in ("RETAIN", "NON_RETAIN")), None)


def access_of(qualifiers: Iterable[str], otherwise: typed.Visibility = "PROTECTED") -> typed.Visibility:
    """The access that qualifiers give (6.6.5.10)."""
    return next((a for a in _ACCESS if a in qualifiers), otherwise)


def inherit(unit: typed.Unit, checker: TypeChecker) -> None:
    """Note what a unit extends and implements."""
    for named in unit.syntax.bases:
        base = _named(named, checker, "EXTENDS", _EXTENDS.get(unit.kind, ()))
        if base is None:
            continue
        if base.has("FINAL"):
            checker.report(named, words.base_is_final(base))
        elif unit.kind == "INTERFACE":
            unit.interfaces.append(base)
        elif unit.base is not None:
            checker.report(named, words.two_bases(unit))
        else:
            unit.base = base
    for named in unit.syntax.interfaces:
        interface = _named(named, checker, "IMPLEMENTS", ("INTERFACE",))
        if interface is not None:
            unit.interfaces.append(interface)


def _named(node: syntax.TypeName, checker: TypeChecker, keyword: str, kinds: tuple[str, ...]) -> typed.Unit | None:
    found = checker.find_unit(node.name.upper())
    if found is None:
        checker.unknown(node.name, node, words.unknown_base(kinds, node.name), checker.unit_names(*kinds))
        return None
    if found.kind not in kinds:
        wanted = " or ".join(kinds) or "nothing"
        checker.report(node, words.takes_other_kind(keyword, wanted, found))
        return None
    return found


def check_methods(unit: typed.Unit, checker: Checker) -> None:
    """Report methods that do not fit what the unit inherits or promises."""
    above = unit.base
    for method in unit.methods.values():
        written = syntax.Node(method.syntax.start, method.syntax.end)
        own = checker(method)
        inherited = above.method(method.key.rpartition(".")[2]) if above else None
        if inherited is None:
            if method.has("OVERRIDE"):
                own.report(written, words.nothing_to_override(unit, method))
            continue
        if not method.has("OVERRIDE"):
            own.report(written, words.missing_override(method, inherited), _declared(inherited))
        if inherited.has("FINAL"):
            own.report(written, words.method_is_final(inherited, method))
        _check_same(own, written, method, inherited)
    if unit.kind != "INTERFACE":
        _check_promises(unit, checker(unit))


def _declared(method: typed.Unit) -> Related:
    return Related(
        method.source, method.syntax.start, method.syntax.end, f"{method.owner}.{method.name} is declared here"
    )


def _check_promises(unit: typed.Unit, checker: TypeChecker) -> None:
    """Every method of an interface is there; abstract ones are made real in a unit that is not abstract."""
    written = syntax.Node(unit.syntax.start, unit.syntax.end)
    for interface in unit.interfaces:
        for wanted in _promised(interface):
            key = wanted.name.upper()
            found = unit.method(key)
            if found is None:
                checker.report(written, words.missing_method(unit, interface, wanted), _declared(wanted))
            else:
                _check_same(checker, written, found, wanted)
    if not unit.has("ABSTRACT"):
        for key in dict.fromkeys(k for u in unit.ancestors for k in u.methods):
            method = unit.method(key)
            if method is not None and method.has("ABSTRACT"):
                checker.report(written, words.abstract_method(unit, method), _declared(method))


def _promised(interface: typed.Unit) -> list[typed.Unit]:
    found = list(interface.methods.values())
    for base in interface.interfaces:
        found += _promised(base)
    return found


def _check_same(checker: TypeChecker, node: syntax.Node, method: typed.Unit, wanted: typed.Unit) -> None:
    """A method that stands for another has its pins and its result."""
    pairs = zip_longest(_pins(method), _pins(wanted))
    result = (method.result.type if method.result else None, wanted.result.type if wanted.result else None)
    if result[0] is not result[1] or any(
        a is None or b is None or (a.key, a.section, a.type) != (b.key, b.section, b.type) for a, b in pairs
    ):
        checker.report(node, words.other_pins(method, wanted), _declared(wanted))


def _pins(method: typed.Unit) -> list[typed.Variable]:
    return [v for v in method.variables.values() if v.section in ("input", "output", "in_out")]


def cut_above(units: Iterable[typed.Unit], checker_of: Callable[[typed.Unit], TypeChecker]) -> None:
    """Report units that extend themselves, or too many others one after the other, and cut them off there."""
    levels: dict[typed.Unit, int] = {}
    for root in units:
        path: dict[typed.Unit, list[typed.Unit]] = {}
        stack = [root] if root not in levels else []
        while stack:
            unit = stack[-1]
            waiting = path.setdefault(unit, _above(unit))
            if not waiting:
                levels[unit] = 1 + max((levels[above] for above in _above(unit)), default=0)
                if levels[unit] > MOST_NESTED:
                    checker_of(unit).report(_written(unit, unit), words.extends_too_deep(unit))
                    unit.base, unit.interfaces, levels[unit] = None, [], 1
                del path[unit]
                stack.pop()
                continue
            above = waiting.pop()
            if above in path:
                checker_of(unit).report(_written(unit, above), words.extends_itself(unit))
                unit.base = None if unit.base is above else unit.base
                unit.interfaces = [i for i in unit.interfaces if i is not above]
            elif above not in levels:
                stack.append(above)


def _above(unit: typed.Unit) -> list[typed.Unit]:
    return [*unit.interfaces, *([unit.base] if unit.base else [])]


def _written(unit: typed.Unit, above: typed.Unit) -> syntax.Node:
    """Where a unit names one above it; else its first."""
    names = (*unit.syntax.bases, *unit.syntax.interfaces)
    return next((n for n in names if n.name.upper().rpartition(".")[2] == above.name.upper()), names[0])


def number_units(units: Iterable[typed.Unit]) -> None:
    """Give those units a number whose instances can stand for ones of another unit."""
    family: dict[str, typed.Unit] = {}
    for unit in units:
        if unit.base is not None or (unit.interfaces and unit.kind != "INTERFACE"):
            family |= {u.key: u for u in unit.ancestors}
    for number, key in enumerate(sorted(family), start=1):
        family[key].number = number
