"""Short ways to the product for tests."""

from __future__ import annotations

from pathlib import Path

from click.testing import CliRunner, Result

from upright_block.cli.main import main
from upright_block.compiler.program import USUAL, Mode, make_program
from upright_block.language.checking import check_program
from upright_block.language.forms import statements
from upright_block.language.scope import Scope
from upright_block.language.source import Source
from upright_block.language.telling.findings import Finding, Findings
from upright_block.language.timebase import Timebase
from upright_block.language.typed import Unit
from upright_block.machine.machine import Machine
from upright_block.standard import STANDARD

ROOT = Path(__file__).parent.parent
EXAMPLES = ROOT / "src" / "upright_block" / "examples"
SECOND = 1_000_000_000


def checked(text: str) -> tuple[Scope, list[Finding]]:
    """The scope and the findings of a source text."""
    findings, scope = Findings(), Scope(STANDARD)
    check_program([statements(Source("t.st", text, "statements"))], scope, findings)
    return scope, findings.in_order()


def findings_of(text: str) -> list[str]:
    """The findings of a source text, as ``line:column name``."""
    return [f"{f.line}:{f.column} {f.name}" for f in checked(text)[1]]


def machine_of(text: str, unit: str = "B", mode: Mode = USUAL) -> Machine:
    """A machine with one instance of a block of the text; a scan takes a second."""
    scope, findings = checked(text)
    assert not [f for f in findings if f.severity == "error"], [str(f) for f in findings]
    return machine_for(scope.units[unit.upper()], mode)


def machine_for(unit: Unit, mode: Mode = USUAL) -> Machine:
    """A machine with one instance of a unit; a scan takes a second."""
    machine = Machine.of(make_program(unit, mode=mode))
    machine.timebase = Timebase(SECOND)
    return machine


def block(variables: str, body: str) -> str:
    """A block named B with private variables only."""
    return f"FUNCTION_BLOCK B\nVAR {variables} END_VAR\n{body}\nEND_FUNCTION_BLOCK\n"


def value_of(expression: str, type_: str, variables: str = "") -> bool | int | float:
    """The value of an expression as the machine computes it."""
    machine = machine_of(block(f"r : {type_}; {variables}", f"r := {expression};"))
    trace = machine.run(1)
    assert trace.fault is None, trace.fault
    value = machine.read("r")
    assert not isinstance(value, str)
    return value


def write_files(folder: Path, files: dict[str, str]) -> Path:
    """Write files below a folder; a manifest too, where there is none among them."""
    for path, text in ({"upright.toml": ""} | files).items():
        target = folder / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_text(text, encoding="utf-8")
    return folder


def upright(*arguments: object) -> Result:
    """Call the program; anything but a plain end is a mistake of ours."""
    result = CliRunner().invoke(main, [str(a) for a in arguments], prog_name="upright")
    assert result.exception is None or isinstance(result.exception, SystemExit), result.exception
    return result


def edit(path: Path, old: str, new: str) -> None:
    """Exchange the first place of a text in a file, which must be there."""
    text = path.read_text(encoding="utf-8")
    assert old in text
    path.write_text(text.replace(old, new, 1), encoding="utf-8")


def library_of(folder: Path, manifest: str, block: str, cases: str) -> Path:
    """A library with one block and its cases."""
    for name in ("blocks", "cases"):
        (folder / name).mkdir(parents=True)
    (folder / "upright.toml").write_text(manifest)
    (folder / "blocks" / "b.st").write_text(block)
    (folder / "cases" / "b.toml").write_text(cases)
    return folder
