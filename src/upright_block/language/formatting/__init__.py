"""Source text in one style: tokens and comments as they stand, with other blanks, line ends and capitals.

`lines` takes the tokens apart into lines, `breaking` lays out one of them, `columns` puts below each other what belongs
there.
"""

from __future__ import annotations

from upright_block.language.formatting.columns import written
from upright_block.language.formatting.lines import Reader
from upright_block.language.lexer import tokenize
from upright_block.language.parsing import parse
from upright_block.language.source import Source
from upright_block.language.telling.catalogue import stops
from upright_block.language.telling.findings import Findings


def formatted(source: Source) -> str | None:
    """The text of a source of statements in one style; None where it has mistakes of form, or rungs."""
    findings = Findings()
    file = parse(source, findings)
    if any(stops(finding.name) for finding in findings.items):
        return None
    text, tokens = source.text, tokenize(source, Findings())
    if "rung" in tokens.kinds:
        return None
    lines = written(Reader(tokens, file).all())
    ending = "\r\n" if text.count("\r\n") * 2 > text.count("\n") else "\n"
    lead = "\ufeff" if text.startswith("\ufeff") else ""
    return lead + "".join(line + ending for line in lines)
