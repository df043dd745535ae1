"""Branches inside of branches, drawn by the test and computed by it: what is read is what was drawn."""

from __future__ import annotations

from itertools import product

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import machine_of

Tree = tuple[str, object, object]
"""A contact with its sign and its variable, or two parts in a row (``AND``) or beside each other (``OR``)."""

CONTACTS = st.tuples(st.just("contact"), st.sampled_from(" /"), st.sampled_from("abcd"))
TREES: st.SearchStrategy[Tree] = st.recursive(
    CONTACTS, lambda inner: st.tuples(st.sampled_from(["AND", "OR"]), inner, inner), max_leaves=9
)


def holds(tree: Tree, values: dict[str, bool]) -> bool:
    what, first, second = tree
    if what == "contact":
        return values[str(second)] != (first == "/")
    left, right = holds(first, values), holds(second, values)  # type: ignore[arg-type]
    return (left and right) if what == "AND" else (left or right)


def drawn(tree: Tree) -> list[str]:
    """A part as rows of one width; its link goes through the second one."""
    what, first, second = tree
    if what == "contact":
        return [f"   {second}   ", f"--|{first}|--"]
    a, b = drawn(first), drawn(second)  # type: ignore[arg-type]
    if what == "AND":
        high = max(len(a), len(b))
        return [x + y for x, y in zip(taller(a, high), taller(b, high), strict=True)]
    wide = max(len(a[0]), len(b[0]))
    rows = [*wider(a, wide), *wider(b, wide)]
    joint = len(a) + 1
    sides = ["+" if n in (1, joint) else "|" if 1 < n < joint else " " for n in range(len(rows))]
    return [f"{side}{row}{side}" for side, row in zip(sides, rows, strict=True)]


def taller(rows: list[str], high: int) -> list[str]:
    return rows + [" " * len(rows[0])] * (high - len(rows))


def wider(rows: list[str], wide: int) -> list[str]:
    return [row + ("-" if n == 1 else " ") * (wide - len(row)) for n, row in enumerate(rows)]


def rung(tree: Tree) -> str:
    rows = drawn(tree)
    ends = ["  q  ", "-( )-", *["     "] * (len(rows) - 2)]
    rails = ["+" if n == 1 else "|" for n in range(len(rows))]
    return "\n".join(
        f"{rail}{' -'[n == 1]}{row}{end}{rail}"
        for n, (rail, row, end) in enumerate(zip(rails, rows, ends, strict=True))
    )


@given(tree=TREES)
@settings(max_examples=80, deadline=None)
def test_a_network_conducts_where_its_contacts_do(tree: Tree) -> None:
    text = f"FUNCTION_BLOCK B VAR_INPUT a, b, c, d : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR\n{rung(tree)}\nEND_FUNCTION_BLOCK\n"
    machine = machine_of(text)
    for bits in product((False, True), repeat=4):
        values = dict(zip("abcd", bits, strict=True))
        for name, value in values.items():
            machine.write(name, value)
        machine.run(1)
        assert machine.read("q") == holds(tree, values), rung(tree)
