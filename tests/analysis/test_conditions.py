"""What is said of conditions is what trying all values says."""

from __future__ import annotations

from itertools import pairwise, product
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from upright_block.analysis.conditions import can_hold, excluded, follows
from upright_block.analysis.terms import Term, Terms, complement, intersection, united
from upright_block.language import typed
from upright_block.language.types import BOOL, INT, Subrange

SMALL = Subrange("INT (-3..3)", "signed", 16, INT, -3, 3)


def variable(name: str, type_: Any, section: typed.Section = "input") -> typed.Variable:
    return typed.Variable(name, section, type_)


FLAGS = [variable(name, BOOL) for name in "abc"]
NUMBERS = [variable(name, SMALL) for name in "nm"]
Shape = tuple[Any, ...]
ATOMS = st.one_of(
    st.tuples(st.just("flag"), st.integers(0, 2)),
    st.tuples(st.just("<"), st.integers(0, 1), st.integers(-4, 4)),
    st.tuples(st.just("="), st.integers(0, 1), st.integers(-4, 4)),
    st.tuples(st.just("pair"), st.sampled_from("<=")),
)
SHAPES: st.SearchStrategy[Shape] = st.recursive(
    ATOMS,
    lambda inner: st.one_of(
        st.tuples(st.just("NOT"), inner),
        st.tuples(st.sampled_from(["AND", "OR", "XOR"]), inner, inner),
        st.tuples(st.just("IF"), inner, inner, inner),
    ),
    max_leaves=8,
)


def term_of(shape: Shape, terms: Terms) -> Term:
    match shape:
        case ("flag", index):
            return terms.start(FLAGS[index], BOOL)
        case ("<", index, number):
            return terms.less(terms.start(NUMBERS[index], SMALL), terms.constant(number, INT))
        case ("=", index, number):
            return terms.same(terms.constant(number, INT), terms.start(NUMBERS[index], SMALL))
        case ("pair", sign):
            a, b = (terms.start(number, SMALL) for number in NUMBERS)
            return terms.less(a, b) if sign == "<" else terms.same(a, b)
        case ("NOT", inner):
            return terms.negation(term_of(inner, terms))
        case ("IF", condition, a, b):
            return terms.choice(*(term_of(part, terms) for part in (condition, a, b)))
    operator, a, b = shape
    join = {"AND": terms.both, "OR": terms.either, "XOR": terms.unlike}[operator]
    return join(term_of(a, terms), term_of(b, terms))


def value_of(shape: Shape, flags: tuple[bool, ...], numbers: tuple[int, ...]) -> bool:
    match shape:
        case ("flag", index):
            return flags[index]
        case ("<", index, number):
            return bool(numbers[index] < number)
        case ("=", index, number):
            return bool(numbers[index] == number)
        case ("pair", sign):
            return numbers[0] < numbers[1] if sign == "<" else numbers[0] == numbers[1]
        case ("NOT", inner):
            return not value_of(inner, flags, numbers)
        case ("IF", condition, a, b):
            return value_of(a if value_of(condition, flags, numbers) else b, flags, numbers)
    operator, a, b = shape
    x, y = value_of(a, flags, numbers), value_of(b, flags, numbers)
    return (x and y) if operator == "AND" else (x or y) if operator == "OR" else x != y


def worlds() -> Any:
    return product(product((False, True), repeat=3), product(range(-3, 4), repeat=2))


@pytest.mark.long
@settings(max_examples=400, deadline=None)
@given(SHAPES, SHAPES)
def test_what_cannot_hold_holds_nowhere_and_what_can_does_somewhere(first: Shape, second: Shape) -> None:
    terms = Terms()
    a, b = term_of(first, terms), term_of(second, terms)
    truths = [(value_of(first, *world), value_of(second, *world)) for world in worlds()]
    both = any(x and y for x, y in truths)
    answer = can_hold([(a, True), (b, True)])
    assert answer != ("no" if both else "yes")
    assert not (excluded(a, b) and both)
    assert not follows([(a, True)], b) or all(y for x, y in truths if x)
    assert can_hold([(a, False)]) != "no" or all(x for x, _ in truths)


@settings(max_examples=300, deadline=None)
@given(st.lists(st.integers(-3, 3)), st.lists(st.integers(-3, 3)))
def test_ranges_are_sets(a: list[int], b: list[int]) -> None:
    number = Terms().start(NUMBERS[0], SMALL)

    def members(ranges: Any) -> set[int]:
        return {n for low, high in ranges for n in range(int(low), int(high) + 1)}

    assert members(intersection(united(a), united(b))) == set(a) & set(b)
    assert members(complement(united(a), number)) == set(range(-3, 4)) - set(a)


def test_a_real_may_be_no_number_and_then_no_comparison_holds() -> None:
    from upright_block.language.types import REAL

    terms = Terms()
    x = terms.start(variable("x", REAL), REAL)
    above, rest = terms.less(terms.constant(3.0, REAL), x), terms.within(x, ((float("-inf"), 3.0),))
    assert can_hold([(above, True), (rest, True)]) == "no"
    assert can_hold([(above, False), (rest, False)]) != "no"


def test_many_alternatives_are_given_up_and_not_taken_for_impossible() -> None:
    terms = Terms()
    flags = [terms.start(variable(f"f{n}", BOOL), BOOL) for n in range(40)]
    parity = flags[0]
    for flag in flags[1:]:
        parity = terms.unlike(parity, flag)
    facts = [(parity, True), *((terms.unlike(a, b), True) for a, b in pairwise(flags))]
    assert can_hold(facts) == "perhaps"
