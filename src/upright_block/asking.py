"""What a way out calls a parameter of a call: as the interface has it through which the call came.

In Python it is ``scan=``; the command line says how it writes its options.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

_WRITTEN: ContextVar[Callable[[str], str]] = ContextVar("written", default="{}=".format)


@contextmanager
def asked_by(written: Callable[[str], str]) -> Iterator[None]:
    """Call parameters as ``written`` makes them from their names."""
    before = _WRITTEN.set(written)
    try:
        yield
    finally:
        _WRITTEN.reset(before)


def asked(parameter: str) -> str:
    """The parameter, as whoever reads the sentence writes it."""
    return _WRITTEN.get()(parameter)
