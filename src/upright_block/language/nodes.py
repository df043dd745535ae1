"""The decorator for tree nodes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeVar, dataclass_transform

T = TypeVar("T")


@dataclass_transform(frozen_default=True, eq_default=False)
def node(cls: type[T]) -> type[T]:
    """A dataclass with slots that the type checker holds to be frozen.

    Freezing at run time makes each node three times as slow to build, and a library has a million
    of them; the type checker gives the same promise for nothing. Nodes compare by identity.
    """
    return dataclass(slots=True, eq=False, repr=False)(cls)
