"""Where units of which form lie in a library: a new form is one more entry here, and nothing else asks for folders or
suffixes.
"""

from __future__ import annotations

from upright_block.language import syntax
from upright_block.language.forms import IsFunction, Read, Written, read_statements
from upright_block.language.nodes import record
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings


@record
class Form:
    """The folders of the manifest that sources of a form lie in, how their names end, who reads them, and whether that
    asks for names.
    """

    folders: tuple[str, ...]
    suffixes: tuple[str, ...]
    read: Read
    asks: bool = False


def _read_table(source: Source, findings: Findings, is_function: IsFunction) -> syntax.File:
    from upright_block.library.wiringtable import read_wiring

    return read_wiring(source, findings, is_function)


FORMS = {
    "statements": Form(("blocks", "programs"), (".st",), read_statements),
    "table": Form(("wiring",), (".csv", ".xlsx"), _read_table, asks=True),
}
"""By the name that a `Source` has as its ``form``."""


def written(source: Source) -> Written:
    """A source of units with who reads it."""
    form = FORMS[source.form]
    return Written(source, form.read, form.asks)
