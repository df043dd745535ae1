"""What a configuration says of the instances in it, beside the typed tree."""

from __future__ import annotations

from upright_block.language import syntax
from upright_block.language.field.addresses import Address
from upright_block.language.nodes import Side, fresh, state
from upright_block.language.typed import Unit, Variable


@state
class Configured:
    """What a configuration says of the instances in it, by the names of their programs in upper case.

    ``resources`` are the names that a path may begin with, ``settings`` the addresses of variables that have an open
    one, ``connections`` what is given to the pins of programs, ``accesses`` the names for variables from outside;
    ``rig`` is the instance of the rig around it.
    """

    resources: set[str] = fresh(default_factory=set)
    settings: dict[str, dict[str, Address]] = fresh(default_factory=dict)
    connections: dict[str, tuple[syntax.Argument, ...]] = fresh(default_factory=dict)
    accesses: dict[str, syntax.AccessPath] = fresh(default_factory=dict)
    rig: Variable | None = None


@Side
def at_memory(_: Unit) -> dict[str, syntax.DirectAddress]:
    """The points of memory that variables of a unit stand for, by the names of these in upper case."""
    return {}


@Side
def configured(_: Unit) -> Configured:
    """What a unit says of the instances in it, where it is a configuration."""
    return Configured()
