"""The forms in which units are written: who reads a source, and when."""

from __future__ import annotations

from collections.abc import Callable

from upright_block.language import syntax
from upright_block.language.nodes import node
from upright_block.language.parsing import parse
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings

IsFunction = Callable[[str], bool]
"""Whether a name is that of a function."""
Read = Callable[[Source, Findings, IsFunction], syntax.File]
"""Gives what a source declares; what is wrong with its form becomes findings."""


@node
class Written:
    """A source with who reads it. One that ``asks`` is read when all others have declared their units, and asks what a
    name stands for.
    """

    source: Source
    read: Read
    asks: bool = False


def read_statements(source: Source, findings: Findings, _: IsFunction) -> syntax.File:
    """What a source in the textual language declares (IEC 61131-3:2013, clause 7.3, with steps as in 6.7)."""
    return parse(source, findings)


def statements(source: Source) -> Written:
    """A source in the textual language."""
    return Written(source, read_statements)
