"""Careless and hostile copies of the example: whatever a file holds, a call ends by itself and tells what is wrong.

``UPRIGHT_MUTANTS=20000 pytest tests/cli/test_mutants.py`` makes a long run, ``UPRIGHT_MUTANTS_FROM`` begins it
elsewhere.
"""

from __future__ import annotations

import os
import random
import re
from collections.abc import Callable
from pathlib import Path

import pytest
from click.testing import CliRunner

from tests.helpers import EXAMPLES
from upright_block.cli.main import main

pytestmark = pytest.mark.long

DEMO = {
    path.relative_to(EXAMPLES / "demo").as_posix(): path.read_bytes()
    for path in sorted((EXAMPLES / "demo").rglob("*"))
    if path.is_file()
}
COUNT = int(os.environ.get("UPRIGHT_MUTANTS", "100"))
FIRST = int(os.environ.get("UPRIGHT_MUTANTS_FROM", "0"))
BATCH = 25
ODD = [
    "\0",
    "\r",
    "\u202e",
    "\u2028",
    "\ufeff",
    "\x1b[2J",
    "é",
    "\U0001f331",
    "\x85",
    "\t",
    "''",
    '"',
    '"""',
    "$",
    "\\",
    "#",
    "|",
    "±",
    "\ud800",
    "İ",
    "ﬀ",
    "٣",
]
WORDS = [
    "END_IF",
    "END_VAR",
    "VAR",
    "IF",
    "(*",
    "*)",
    ":=",
    ";",
    "[[case]]",
    "given",
    "force ",
    "hold = true",
    "..",
    "!",
    "release",
    "NaN",
    "1e400",
    "T#",
    "16#",
    "-",
    "0",
    "99999999999999999999",
    "[",
    "]",
    "{",
    "}",
    "(",
    ")",
    ",",
    "EXTENDS",
    "THIS",
    "^",
    "SUPER",
    "ARRAY [1..9] OF",
    "%IX0.3",
    "%IW10.%X3",
    "{1..12}",
    "{1..999999999}",
    "-> horn",
    "NC",
    "stands_for",
    "power",
    "off",
    "cold",
    "stop",
    "RETAIN",
    "case",
    'rig = "Bays"',
    "lost at=1s",
    "Actuator",
]

Mutation = Callable[[random.Random, bytes, bytes], bytes]


def cut(rng: random.Random, text: bytes, other: bytes) -> bytes:
    return text[: rng.randrange(len(text) + 1)]


def drop(rng: random.Random, text: bytes, other: bytes) -> bytes:
    start = rng.randrange(len(text) + 1)
    return text[:start] + text[start + rng.choice([1, 2, 5, 40, 300]) :]


def splice(rng: random.Random, text: bytes, other: bytes) -> bytes:
    start, at = rng.randrange(len(other) + 1), rng.randrange(len(text) + 1)
    return text[:at] + other[start : start + rng.choice([3, 30, 300])] + text[at:]


def odd(rng: random.Random, text: bytes, other: bytes) -> bytes:
    at = rng.randrange(len(text) + 1)
    return text[:at] + rng.choice(ODD).encode("utf-8", "surrogatepass") * rng.choice([1, 1, 3]) + text[at:]


def word(rng: random.Random, text: bytes, other: bytes) -> bytes:
    spaces = [m.start() for m in re.finditer(rb"\s", text)] or [0]
    at = rng.choice(spaces)
    return text[:at] + b" " + rng.choice(WORDS).encode() + b" " + text[at:]


def exchange(rng: random.Random, text: bytes, other: bytes) -> bytes:
    found = list(re.finditer(rb"[A-Za-z_0-9.#]+", text))
    if len(found) < 2:
        return text
    a, b = sorted(rng.sample(found, 2), key=lambda m: m.start())
    return text[: a.start()] + b[0] + text[a.end() : b.start()] + a[0] + text[b.end() :]


def deep(rng: random.Random, text: bytes, other: bytes) -> bytes:
    at = rng.randrange(len(text) + 1)
    return (
        text[:at]
        + rng.choice([b"(", b"[", b"{", b"NOT ", b"-", b"!", b"IF x THEN ", b"(*", b"a."]) * rng.choice([80, 3000])
        + text[at:]
    )


def huge(rng: random.Random, text: bytes, other: bytes) -> bytes:
    lines = text.splitlines(keepends=True) or [b"x"]
    at = rng.randrange(len(lines))
    return b"".join(lines[:at]) + lines[at] * rng.choice([50, 2000]) + b"".join(lines[at:])


def flip(rng: random.Random, text: bytes, other: bytes) -> bytes:
    made = bytearray(text)
    for _ in range(rng.choice([1, 3, 10])):
        if made:
            made[rng.randrange(len(made))] = rng.randrange(256)
    return bytes(made)


def digits(rng: random.Random, text: bytes, other: bytes) -> bytes:
    found = list(re.finditer(rb"[0-9]+", text))
    if not found:
        return text
    m = rng.choice(found)
    new = rng.choice([b"0", b"-1", b"1" * 30, b"1" * 5000, b"1.5", b"1e400", b"nan", b"16#FF", b"\xd9\xa3"])
    return text[: m.start()] + new + text[m.end() :]


MUTATIONS: list[Mutation] = [
    cut,
    drop,
    drop,
    splice,
    splice,
    odd,
    odd,
    word,
    word,
    exchange,
    exchange,
    exchange,
    deep,
    huge,
    flip,
    digits,
    digits,
]


def mutant(seed: int) -> dict[str, bytes]:
    """The files of the example after one to four mutations."""
    rng = random.Random(seed)
    files = dict(DEMO)
    for _ in range(rng.choice([1, 1, 1, 2, 4])):
        name = rng.choice([n for n in files if n != "upright.toml" or rng.random() < 0.2])
        files[name] = rng.choice(MUTATIONS)(rng, files[name], files[rng.choice(list(files))])
    return files


@pytest.mark.parametrize("batch", range(FIRST, FIRST + COUNT, BATCH))
def test_every_call_on_a_mutant_ends_in_findings(tmp_path: Path, batch: int) -> None:
    for folder in {str(Path(name).parent) for name in DEMO}:
        (tmp_path / folder).mkdir(exist_ok=True, parents=True)
    for seed in range(batch, batch + BATCH):
        for name, content in mutant(seed).items():
            (tmp_path / name).write_bytes(content)
        commands = [["check"], ["verify"]]
        if seed % 10 == 0:
            commands += [["verify", "--json"], ["show", "VentDrive"], ["show", "roof"], ["show", "wind"]]
            commands += [["tags"], ["instances"], ["walk"], ["tags", "--adopt"], ["show"]]
            commands += [["verify", "--changed", "--failed"], ["verify", "--record", "*", "--over"]]
            commands += [
                ["run", "VentDrive", "--set=open=1"],
                ["run", "Glasshouse", "--for=2s"],
                ["verify", "--coverage", "--uncovered", "--instances", "--marked", "*"],
                ["run", "VentDrive", "--set=open=1", "--for=3s", "--keep", "*"],
            ]
            commands += [["plot", "half open", "--terminal"]]
            commands += [["verify", "--report", str(tmp_path.parent / f"report{batch}"), "--coverage", "--pictures"]]
        for command in commands:
            result = CliRunner().invoke(main, [*command, "--library", str(tmp_path)], prog_name="upright")
            what = f"seed {seed}: {' '.join(command)}"
            assert result.exception is None or isinstance(result.exception, SystemExit), what
            assert result.exit_code in (0, 1, 2), what
            assert "\x1b" not in result.output, what
            assert command == ["verify", "--json"] or len(result.output) <= 200_000, what
