"""Values of expressions as terms: two that are the same object are the same value in one scan.

A term is made of values at the start of the scan, of constants, and of what is computed from them. Terms are made
by `Terms`, which simplifies them as far as their operands tell and gives the same object for the same value.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Sequence
from math import inf, isnan, nextafter
from typing import Any, Literal

from upright_block.language.literals import Value
from upright_block.language.types import BOOL, Elementary, Type, is_real

Number = int | float
Range = tuple[Number, Number]
Ranges = tuple[Range, ...]

MOST_PARTS = 400
"""Terms made of more parts are not looked into."""
_MOST_LEAVES = 24
_MOST_CHOICES = 40
_MOST_RANGES = 200
_WORDS = frozenset(
    {"signed", "unsigned", "bits", "duration", "enumeration", "char", "date", "time of day", "date and time"}
)

Kind = Literal["constant", "start", "any", "named", "made", "not", "and", "or", "xor", "within", "less", "same", "if"]


class Term:
    """A value. ``low`` and ``high`` are the least and the greatest that it can be, where it is a number.

    ``leaves`` are what it is made of at last, None where that is too much; ``key`` tells what a leaf is.
    """

    __slots__ = ("args", "high", "is_bool", "is_real", "key", "kind", "leaves", "low", "size")
    size: int

    def __init__(self, kind: Kind, key: Hashable, args: tuple[Term, ...], shape: Shape) -> None:
        self.kind = kind
        self.key: Any = key
        self.args = args
        self.is_bool, self.is_real, self.low, self.high = shape
        size = 1
        for arg in args:
            size += arg.size
        self.size = size
        self.leaves = self._leaves()

    def _leaves(self) -> frozenset[Term] | None:
        if self.kind == "constant":
            return frozenset()
        if not self.args:
            return frozenset((self,))
        found: frozenset[Term] = frozenset()
        for arg in self.args:
            if arg.leaves is None:
                return None
            found |= arg.leaves
        return found if len(found) <= _MOST_LEAVES else None

    def __repr__(self) -> str:
        inner = ", ".join(map(repr, self.args))
        return f"{self.kind}:{getattr(self.key, 'name', self.key)}" + (f"({inner})" if inner else "")


Shape = tuple[bool, bool, Number | None, Number | None]
"""Whether a term is a truth value or a real, and its bounds."""
_TRUTH: Shape = (True, False, 0, 1)
_OTHER: Shape = (False, False, None, None)


def shape_of(type_: Type) -> Shape:
    """What is known of all values of a type."""
    if type_ is BOOL:
        return _TRUTH
    if isinstance(type_, Elementary):
        if is_real(type_):
            return (False, True, -inf, inf)
        if type_.family in _WORDS:
            return (False, False, type_.low, type_.high)
    return _OTHER


class Terms:
    """Makes terms, each once."""

    def __init__(self) -> None:
        self._known: dict[Hashable, Term] = {}
        self._made = 0
        self.true = self._term("constant", key=True, args=(), shape=(True, False, 1, 1))
        self.false = self._term("constant", key=False, args=(), shape=(True, False, 0, 0))

    def _term(self, kind: Kind, key: Hashable, args: tuple[Term, ...], shape: Shape) -> Term:
        whole = (kind, key, args, shape[0])
        known = self._known.get(whole)
        if known is None:
            known = self._known[whole] = Term(kind, key, args, shape)
        return known

    # --- leaves ---

    def truth(self, value: bool) -> Term:
        """TRUE or FALSE."""
        return self.true if value else self.false

    def constant(self, value: Value | None, type_: Type) -> Term:
        """A value known before the run."""
        if type_ is BOOL:
            return self.truth(bool(value))
        shape = shape_of(type_)
        if isinstance(value, (int, float)) and shape[2] is not None:
            if isinstance(value, float) and isnan(value):
                return self.any(type_)
            return self._term("constant", (value, shape[1]), (), (False, shape[1], value, value))
        return self._term("constant", ("other", type_, str(value)), (), _OTHER)

    def start(self, location: Hashable, type_: Type, values: Ranges | None = None) -> Term:
        """What lies in a location when the scan begins; one of ``values`` where these are known."""
        shape = shape_of(type_)
        if values and shape[2] is not None:
            shape = (shape[0], shape[1], values[0][0], values[-1][1])
            if shape[2] == shape[3] and isinstance(type_, Elementary):
                return self.constant(shape[2], type_)
        return self._term("start", location, (), shape)

    def named(self, constant: Hashable, type_: Type) -> Term:
        """A constant that a case may give another value."""
        return self._term("named", constant, (), shape_of(type_))

    def any(self, type_: Type, values: Ranges | None = None) -> Term:
        """A value of which nothing is known."""
        self._made += 1
        shape = shape_of(type_)
        if values and shape[2] is not None:
            shape = (shape[0], shape[1], values[0][0], values[-1][1])
        return self._term("any", self._made, (), shape)

    def made(
        self, key: Hashable, type_: Type, args: Sequence[Term], low: Number | None = None, high: Number | None = None
    ) -> Term:
        """What is computed from ``args`` in a way that ``key`` names."""
        if sum(arg.size for arg in args) > MOST_PARTS:
            return self.any(type_)
        shape = shape_of(type_)
        if low is not None and high is not None and shape[2] is not None:
            assert shape[3] is not None
            if shape[2] <= low and high <= shape[3]:
                shape = (shape[0], shape[1], low, high)
        return self._term("made", (key, type_), tuple(args), shape)

    def part(self, word: Term, shift: int, type_: Elementary) -> Term:
        """The bits of a word from bit ``shift`` on that are a value of a type."""
        if word.kind == "constant" and isinstance(word.low, int):
            bits = 1 if type_ is BOOL else type_.bits
            return self.constant(word.low >> shift & (1 << bits) - 1, type_)
        return self.made(("part", shift), type_, (word,))

    # --- truth ---

    def negation(self, term: Term) -> Term:
        """NOT"""
        if term.kind == "not":
            return term.args[0]
        if term.kind == "constant":
            return self.truth(not term.key)
        return self._term("not", None, (term,), _TRUTH)

    def both(self, a: Term, b: Term) -> Term:
        """AND"""
        if a is self.false or b is self.false or self._opposed(a, b):
            return self.false
        if a is self.true or a is b or (b.kind == "and" and a in b.args):
            return b
        if b is self.true or (a.kind == "and" and b in a.args):
            return a
        return self._joined("and", a, b)

    def either(self, a: Term, b: Term) -> Term:
        """OR"""
        if a is self.true or b is self.true or self._opposed(a, b):
            return self.true
        if a is self.false or a is b or (b.kind == "or" and a in b.args):
            return b
        if b is self.false or (a.kind == "or" and b in a.args):
            return a
        return self._joined("or", a, b)

    def unlike(self, a: Term, b: Term) -> Term:
        """XOR"""
        for one, other in ((a, b), (b, a)):
            if one is self.false:
                return other
            if one is self.true:
                return self.negation(other)
        if a is b:
            return self.false
        return self._joined("xor", a, b)

    def _joined(self, kind: Kind, a: Term, b: Term) -> Term:
        if a.size + b.size > MOST_PARTS:
            return self.any(BOOL)
        return self._term(kind, None, (a, b), _TRUTH)

    @staticmethod
    def _opposed(a: Term, b: Term) -> bool:
        return (a.kind == "not" and a.args[0] is b) or (b.kind == "not" and b.args[0] is a)

    # --- comparison ---

    def within(self, term: Term, ranges: Ranges) -> Term:
        """Whether a number lies in one of some ranges, both ends included."""
        if term.low is None or term.high is None or len(ranges) > _MOST_RANGES:
            return self.any(BOOL)
        inside = intersection(ranges, ((term.low, term.high),))
        if not inside:
            return self.false
        if not term.is_real and inside == ((term.low, term.high),):
            return self.true
        if term.kind == "constant":
            return self.true
        if term.kind == "if" and term.size <= _MOST_CHOICES:
            condition, a, b = term.args
            return self.choice(condition, self.within(a, ranges), self.within(b, ranges))
        return self._term("within", inside, (term,), _TRUTH)

    def less(self, a: Term, b: Term) -> Term:
        """``a < b``"""
        for one, other, below in ((a, b, False), (b, a, True)):
            if one.kind == "constant" and one.low is not None and other.low is not None:
                return self.within(other, (_beside(one.low, other, below),))
        if a is b:
            return self.false
        if a.low is not None and b.low is not None and not a.is_real:
            assert a.high is not None
            assert b.high is not None
            if a.high < b.low:
                return self.true
            if a.low >= b.high:
                return self.false
        return self._related("less", a, b)

    def same(self, a: Term, b: Term) -> Term:
        """``a = b``"""
        if a.is_bool and b.is_bool:
            return self.negation(self.unlike(a, b))
        for one, other in ((a, b), (b, a)):
            if one.kind == "constant" and one.low is not None and other.low is not None:
                return self.within(other, ((one.low, one.low),))
        if a is b and not a.is_real:
            return self.true
        if a.kind == b.kind == "constant" and a.key[0] == b.key[0] == "other":
            return self.truth(a is b)
        if id(a) > id(b):
            a, b = b, a
        return self._related("same", a, b)

    def _related(self, kind: Kind, a: Term, b: Term) -> Term:
        if a.size + b.size > MOST_PARTS:
            return self.any(BOOL)
        return self._term(kind, None, (a, b), _TRUTH)

    # --- choice ---

    def choice(self, condition: Term, a: Term, b: Term) -> Term:
        """``a`` where the condition holds, else ``b``."""
        if a is b or condition is self.true:
            return a
        if condition is self.false:
            return b
        if a.is_bool and b.is_bool:
            if a.kind == "constant":
                return self.either(condition, b) if a is self.true else self.both(self.negation(condition), b)
            if b.kind == "constant":
                return self.both(condition, a) if b is self.false else self.either(self.negation(condition), a)
        shape = _OTHER
        if a.low is not None and b.low is not None and a.high is not None and b.high is not None:
            shape = (a.is_bool, a.is_real, min(a.low, b.low), max(a.high, b.high))
        if condition.size + a.size + b.size > MOST_PARTS:
            self._made += 1
            return self._term("any", self._made, (), shape)
        return self._term("if", None, (condition, a, b), shape)


def _beside(number: Number, other: Term, below: bool) -> Range:
    """The values of ``other`` below a number, or above it."""
    if other.is_real:
        return (-inf, nextafter(number, -inf)) if below else (nextafter(number, inf), inf)
    assert other.low is not None
    assert other.high is not None
    return (other.low, _whole(number) - 1) if below else (_whole(number) + 1, other.high)


def _whole(number: Number) -> int:
    return int(number)


def intersection(a: Ranges, b: Ranges) -> Ranges:
    """The values that lie in both; ranges stand in order and do not touch."""
    if len(a) == 1 and len(b) == 1:
        low, high = max(a[0][0], b[0][0]), min(a[0][1], b[0][1])
        return ((low, high),) if low <= high else ()
    found: list[Range] = []
    i = j = 0
    while i < len(a) and j < len(b):
        low, high = max(a[i][0], b[j][0]), min(a[i][1], b[j][1])
        if low <= high:
            found.append((low, high))
        if a[i][1] < b[j][1]:
            i += 1
        else:
            j += 1
    return tuple(found)


def complement(ranges: Ranges, term: Term) -> Ranges:
    """The values of a term that lie in none of some ranges."""
    assert term.low is not None
    assert term.high is not None
    found: list[Range] = []
    low: Number = term.low
    for begin, end in ranges:
        before = nextafter(begin, -inf) if term.is_real else begin - 1
        if low <= before and begin > low:
            found.append((low, before))
        low = nextafter(end, inf) if term.is_real else end + 1
        if end == inf:
            return tuple(found)
    if low <= term.high:
        found.append((low, term.high))
    return tuple(found)


def united(values: Iterable[Number]) -> Ranges:
    """Whole numbers as ranges."""
    found: list[list[Number]] = []
    for value in sorted(set(values)):
        if found and found[-1][1] + 1 == value:
            found[-1][1] = value
        else:
            found.append([value, value])
    return tuple((low, high) for low, high in found)
