"""Every finding has an entry, and every example of an entry shows what it says."""

from __future__ import annotations

import ast
import re
from pathlib import Path

import pytest

from tests.helpers import ROOT, block, checked, write_files
from upright_block import open_library
from upright_block.analysis import analyse
from upright_block.cases.suite import load_suite
from upright_block.language.source import Source
from upright_block.language.telling.allowing import Policy, settle
from upright_block.language.telling.catalogue import ANALYSED, WARNINGS, Entry, catalogue
from upright_block.library import load_library

ENTRIES = catalogue()
SHOWN = [entry for entry in ENTRIES.values() if entry.kind != "outside"]
PUMP = """FUNCTION_BLOCK Pump
VAR_INPUT start, stop : BOOL; END_VAR VAR_OUTPUT run : BOOL; starts : INT; END_VAR
END_FUNCTION_BLOCK
"""


def analysed_in(entry: Entry, text: str, folder: Path) -> list[str]:
    """The names of all findings in a text of an entry of the analysis."""
    if entry.kind == "library":
        write_files(folder, dict(re.findall(r"(?ms)^== (\S+)\n(.*?)(?=^== |\Z)", text)))
        return [finding.name for finding in open_library(folder).check().findings]
    scope, findings = checked(text)
    return [finding.name for finding in [*findings, *analyse(scope)] if not finding.is_doubtful]


def found_in(entry: Entry, text: str, folder: Path) -> list[str]:
    """The names of the findings in a text of an entry."""
    if entry.name in ANALYSED and entry.kind in ("source", "library"):
        return analysed_in(entry, text, folder)
    if entry.kind in ("case", "file"):
        for name in ("blocks", "cases"):
            (folder / name).mkdir(exist_ok=True)
        (folder / "upright.toml").write_text('name = "l"\n')
        (folder / "blocks" / "pump.st").write_text(PUMP)
        case = f'block = "Pump"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\n{text}"""\n'
        (folder / "cases" / "c.toml").write_text(text if entry.kind == "file" else case)
        return [finding.name for finding in load_suite(load_library(folder)).findings]
    if entry.kind == "wiring":
        write_files(folder, {"blocks/pump.st": PUMP, "wiring/w.csv": text})
        return [finding.name for finding in load_library(folder).findings]
    if entry.kind == "tags":
        write_files(folder, {"tags/t.csv": text, "programs/p.st": user_of(text, entry.variables)})
        return [finding.name for finding in load_library(folder).findings]
    source = block(entry.variables, text) if entry.kind == "body" else text
    settled = settle(checked(source)[1], [Source("t.st", source, "statements")], Policy())
    return [finding.name for finding in settled.findings]


def user_of(table: str, variables: str) -> str:
    """A program that reads every input of a tag table and writes every output, but for those called ``unused``."""
    rows = [row.split(",") for row in table.split("\n")[1:]]
    uses = [f"IF {row[0]} = {row[0]} THEN ; END_IF" for row in rows if "%I" in row[1] and row[0] != "unused"]
    uses += [f"{row[0]} := {row[0]};" for row in rows if "%Q" in row[1] and row[0] != "unused"]
    is_open = "tag," in table and all(re.fullmatch(r"[a-z]\w*", row[0]) for row in rows)
    return f"PROGRAM P VAR {variables} END_VAR {' '.join(uses) if is_open else ''} END_PROGRAM"


@pytest.mark.parametrize("entry", SHOWN, ids=lambda entry: entry.name)
def test_the_wrong_text_has_the_finding_and_the_right_one_has_none(entry: Entry, tmp_path: Path) -> None:
    assert found_in(entry, entry.wrong, tmp_path) == [entry.name]
    assert found_in(entry, entry.right, tmp_path) == []


def test_every_name_in_the_code_has_an_entry_and_every_entry_is_in_the_code() -> None:
    words: set[str] = set()
    said: set[str] = set()
    for path in (ROOT / "src" / "upright_block").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Constant) and isinstance(node.value, str):
                words.add(node.value)
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "Words":
                said |= {str(node.args[0].value)} if isinstance(node.args[0], ast.Constant) else set()
    assert said - ENTRIES.keys() == set()
    mistakes = (ROOT / "tests" / "mistakes").glob("*.st")
    shown = {m[1] for path in mistakes for m in re.finditer(r"^//! \S+ \w+ ([\w-]+):", path.read_text(), re.MULTILINE)}
    assert shown - ENTRIES.keys() == set()
    made = {f"missing-{keyword}" for keyword in ("do", "from", "of", "then", "to")}
    assert ENTRIES.keys() - words - made == set()
    assert WARNINGS - ENTRIES.keys() == set()


def test_entries_stand_in_the_order_of_their_names() -> None:
    assert list(ENTRIES) == sorted(ENTRIES)
    for entry in ENTRIES.values():
        assert entry.says.endswith(".")
        assert entry.wrong != entry.right
