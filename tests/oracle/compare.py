"""Run random programs here and as C, and say where they differ."""

from __future__ import annotations

import ctypes
import math
import subprocess
import tempfile
from collections.abc import Sequence
from pathlib import Path
from random import Random
from typing import Any

from tests.oracle.programs import make_program
from tests.oracle.writer import C_HEAD, C_TYPE, ST_HEAD, Unit
from upright_block.compiler.program import USUAL, Mode
from upright_block.compiler.program import make_program as lowered
from upright_block.language.checking import check_program
from upright_block.language.converting import converted
from upright_block.language.forms import statements
from upright_block.language.scope import Scope
from upright_block.language.signals import signals
from upright_block.language.source import Source
from upright_block.language.telling.edits import Edit, laid
from upright_block.language.telling.findings import Findings
from upright_block.language.typed import Unit as Typed
from upright_block.machine.machine import Machine
from upright_block.standard import STANDARD

SCANS = 3
_CTYPES: dict[str, Any] = {
    "uint8_t": ctypes.c_uint8,
    "int8_t": ctypes.c_int8,
    "int16_t": ctypes.c_int16,
    "uint16_t": ctypes.c_uint16,
    "int32_t": ctypes.c_int32,
    "uint32_t": ctypes.c_uint32,
    "int64_t": ctypes.c_int64,
    "uint64_t": ctypes.c_uint64,
    "float": ctypes.c_float,
    "double": ctypes.c_double,
}

Value = int | float


def compare(seed: int, count: int, mode: Mode = USUAL, forms: Sequence[str] = ()) -> list[str]:
    """Make ``count`` programs from ``seed`` and return a line for each value that differs; what runs here was turned into
    each of the ``forms`` before.
    """
    random = Random(seed)
    programs = [make_program(random, n) for n in range(count)]
    inputs = [_inputs(random, program[-1]) for program in programs]
    by_c = _run_c(programs, inputs)
    here = _run_here(programs, inputs, mode, forms)
    differences: list[str] = []
    for program, got, expected in zip(programs, here, by_c, strict=True):
        for (path, scan), value in expected.items():
            if not _same(got[path, scan], value):
                differences.append(
                    f"seed {seed}: {program[-1].name}.{path} after scan {scan}: {got[path, scan]}, C has {value}"
                )
    return differences


def _inputs(random: Random, root: Unit) -> list[dict[str, Value]]:
    return [{name: _value(random, type_) for name, type_ in root.inputs.items()} for _ in range(SCANS)]


def _value(random: Random, type_: str) -> Value:
    if type_ == "BOOL":
        return random.randrange(2)
    if C_TYPE[type_] in ("float", "double"):
        return random.choice([0.0, 1.5, -2.25, 1e6, -1e-3, 3.0])
    bits = ctypes.sizeof(_CTYPES[C_TYPE[type_]]) * 8
    low, high = (0, (1 << bits) - 1) if C_TYPE[type_].startswith("u") else (-(1 << (bits - 1)), (1 << (bits - 1)) - 1)
    return random.choice([0, 1, 2, 5, high, low, random.randint(low, high), random.randint(low, high) >> (bits // 2)])


def _same(a: Value, b: Value) -> bool:
    if isinstance(a, float) and isinstance(b, float):
        return (a == b and math.copysign(1, a) == math.copysign(1, b)) or (a != a and b != b)
    return a == b


def _run_c(programs: list[list[Unit]], inputs: list[list[dict[str, Value]]]) -> list[dict[tuple[str, int], Value]]:
    text = [C_HEAD]
    for program in programs:
        root = program[-1]
        text += [unit.c for unit in program]
        text.append(
            f"{root.name}_data data_{root.name}; void run_{root.name}(void) {{ {root.name}(&data_{root.name}); }}"
        )
        offsets = [f"__builtin_offsetof({root.name}_data, {c})" for _, c in root.fields().values()]
        text.append(f"uint32_t at_{root.name}[] = {{ {', '.join(offsets)} }};")
    with tempfile.TemporaryDirectory() as folder:
        source, library = Path(folder) / "p.c", Path(folder) / "p.so"
        source.write_text("\n".join(text))
        flags = ["-O0", "-w", "-fwrapv", "-ffp-contract=off", "-shared", "-fPIC"]
        subprocess.run(["gcc", *flags, "-o", str(library), str(source), "-lm"], check=True)
        c = ctypes.CDLL(str(library))
        return [_run_one(c, program[-1], given) for program, given in zip(programs, inputs, strict=True)]


def _run_one(c: ctypes.CDLL, root: Unit, inputs: list[dict[str, Value]]) -> dict[tuple[str, int], Value]:
    fields = root.fields()
    start = ctypes.addressof(ctypes.c_uint8.in_dll(c, f"data_{root.name}"))
    offsets = (ctypes.c_uint32 * len(fields)).in_dll(c, f"at_{root.name}")
    places = {
        path: _CTYPES[C_TYPE[type_]].from_address(start + offset)
        for (path, (type_, _)), offset in zip(fields.items(), offsets, strict=True)
    }
    found: dict[tuple[str, int], Value] = {}
    run = getattr(c, f"run_{root.name}")
    for scan, given in enumerate(inputs):
        for name, value in given.items():
            places[name].value = value
        run()
        found |= {(path, scan): place.value for path, place in places.items()}
    return found


def whole_of(programs: list[list[Unit]], forms: Sequence[str] = ()) -> Typed:
    """A block with an instance of each program, which it calls, its text turned into each of the ``forms``."""
    roots = [program[-1] for program in programs]
    text = ST_HEAD + "\n".join(unit.st for program in programs for unit in program)
    members = " ".join(f"{root.name}_one : {root.name};" for root in roots)
    calls = " ".join(f"{root.name}_one();" for root in roots)
    text += f"\nFUNCTION_BLOCK Whole VAR {members} END_VAR {calls} END_FUNCTION_BLOCK"
    scope = _checked(text)
    for form in forms:
        edits = [edit for unit in scope.units.values() if not unit.owner for edit in _turned(unit, form)]
        scope = _checked(laid(edits)["p.st"].after if edits else text)
    return scope.units["WHOLE"]


def _turned(unit: Typed, form: str) -> list[Edit]:
    return converted(unit, form.removesuffix(" folded"), folds=form.endswith(" folded"))


def _checked(text: str) -> Scope:
    findings, scope = Findings(), Scope(STANDARD)
    check_program([statements(Source("p.st", text, "statements"))], scope, findings)
    errors = [f for f in findings.items if f.severity == "error"]
    assert not errors, f"{errors[0]}\n{text}"
    return scope


def _run_here(
    programs: list[list[Unit]], inputs: list[list[dict[str, Value]]], mode: Mode, forms: Sequence[str]
) -> list[dict[tuple[str, int], Value]]:
    """All programs as instances of one block, each called once a scan."""
    roots = [program[-1] for program in programs]
    whole = whole_of(programs, forms)
    machine = Machine.of(lowered(whole, mode=mode))
    by_path = {signal.path: machine.slot(signal) for signal in signals(whole)}
    places = [{path: by_path[f"{root.name}_one.{path}"] for path in root.fields()} for root in roots]
    found: list[dict[tuple[str, int], Value]] = [{} for _ in programs]
    for scan in range(SCANS):
        for own, given in zip(places, inputs, strict=True):
            for name, value in given[scan].items():
                machine.poke(own[name], own[name].encode(value))
        trace = machine.run(1)
        assert trace.fault is None, trace.fault
        for own, values in zip(places, found, strict=True):
            for path, slot in own.items():
                got = machine.peek(slot)
                assert not isinstance(got, str)
                values[path, scan] = got
    return found
