"""Names of a package that are read from their modules when they are used (PEP 562)."""

from __future__ import annotations

import sys
from collections.abc import Callable, Mapping, Sequence
from importlib import import_module
from typing import Any


def exported(package: str, homes: Mapping[str, Sequence[str]]) -> Callable[[str], Any]:
    """The ``__getattr__`` of a package that names what lies in its modules; ``homes`` has the names of each module."""
    home_of = {name: home for home, names in homes.items() for name in names}

    def read(name: str) -> Any:
        if name not in home_of:
            raise AttributeError(f"module {package!r} has no attribute {name!r}")
        found = getattr(import_module(f"{package}.{home_of[name]}"), name)
        setattr(sys.modules[package], name, found)
        return found

    return read
