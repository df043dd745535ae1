"""What goes wrong in a call from outside."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from upright_block.language.telling.findings import Finding


Said = tuple[str, str]
"""What is wrong, and what to do: the sentences of an error, as the words modules have them."""


class UprightError(Exception):
    """A call cannot do what it was asked for; the message says why, ``way_out`` what to do."""

    def __init__(self, message: str, way_out: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.way_out = way_out

    def __str__(self) -> str:
        return " ".join(part for part in (self.message, self.way_out) if part)


class UnknownName(UprightError, KeyError):
    """Nothing has this name."""

    __str__ = UprightError.__str__


class BadValue(UprightError, ValueError):
    """A value does not fit where it goes."""


class BadWishes(BadValue):
    """Some of what a run is asked for cannot be; ``findings`` say what, each with its place."""

    def __init__(self, findings: Sequence[Finding]) -> None:
        super().__init__(findings[0].message, findings[0].way_out)
        self.findings = tuple(findings)


class NotRunnable(UprightError):
    """A unit cannot be run: it has errors, or nothing can give it what it needs."""


class ScanFault(UprightError):
    """A scan stopped at a fault; the machine stands before that scan.

    ``kind`` says what it was, such as ``division by zero``, at a ``line`` of a ``file``; ``instance`` is the path of
    what ran, empty for the unit itself, ``scan`` the number of the scan.
    """

    def __init__(
        self,
        message: str,
        way_out: str = "",
        kind: str = "",
        file: str = "",
        line: int = 0,
        instance: str = "",
        scan: int = 0,
    ) -> None:
        super().__init__(message, way_out)
        self.kind = kind
        self.file = file
        self.line = line
        self.instance = instance
        self.scan = scan


class NeverMet(UprightError, TimeoutError):
    """A condition did not come true in the time that it was given."""
