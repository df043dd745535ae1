"""All benchmarks, in one table: ``python benchmarks/run.py [a] [b] ... [k]``.

Ratios are taken side by side in this one run; each figure is the best of several tries.
"""

from __future__ import annotations

import ctypes
import gc
import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from statistics import median
from typing import Any

HERE = Path(__file__).parent
DEMO = HERE.parent / "src/upright_block/examples/demo"
VENT = DEMO / "blocks/vent_drive.st"
sys.path.insert(0, str(HERE))

Row = tuple[str, str, str]
INTERVAL = 100_000_000


def best(work: Callable[[], object], tries: int = 5) -> float:
    """The least time of several tries, in seconds."""
    times = []
    for _ in range(tries):
        began = time.perf_counter()
        work()
        times.append(time.perf_counter() - began)
    return min(times)


def side_by_side(ours: Callable[[], object], by_c: Callable[[], object], per: int) -> tuple[float, float, float]:
    """Seconds of one call here and in C, the best of each, and the ratio: the median over many short pairs."""
    pairs = [(best(ours, 1), best(by_c, 1)) for _ in range(31)]
    own, c_time = (min(column) / per for column in zip(*pairs, strict=True))
    return own, c_time, median(a / b for a, b in pairs)


@contextmanager
def fresh_cache() -> Iterator[str]:
    """An empty folder for compiled modules."""
    with tempfile.TemporaryDirectory() as folder:
        before = os.environ.get("UPRIGHT_CACHE")
        os.environ["UPRIGHT_CACHE"] = folder
        os.chmod(folder, 0o700)
        try:
            yield folder
        finally:
            os.environ.pop("UPRIGHT_CACHE")
            if before is not None:
                os.environ["UPRIGHT_CACHE"] = before


def compiled(name: str, folder: Path) -> ctypes.CDLL:
    """A C program by hand, compiled with gcc -O2 into a folder and loaded."""
    library = folder / f"{name}.so"
    command = ["gcc", "-O2", "-shared", "-fPIC", "-o", str(library), str(HERE / name)]
    subprocess.run(command, check=True)
    return ctypes.CDLL(str(library))


def machine_of(unit: str, *texts: str) -> Any:
    """A machine with an instance of a unit of some sources; a scan takes 100 ms."""
    from upright_block.compiler.program import make_program
    from upright_block.language.checking import check_program
    from upright_block.language.forms import statements
    from upright_block.language.scope import Scope
    from upright_block.language.source import Source
    from upright_block.language.telling.findings import Findings
    from upright_block.machine.machine import Machine
    from upright_block.standard import STANDARD

    findings, scope = Findings(), Scope(STANDARD)
    sources = [statements(Source(f"text{n}.st", text, "statements")) for n, text in enumerate(texts)]
    check_program(sources, scope, findings)
    assert not findings.items
    return Machine.of(make_program(scope.units[unit.upper()]))


def against_c(
    what: str, machine: Any, calls: int, total: Callable[[], float], c_name: str, limit: float
) -> tuple[list[Row], float]:
    """Rows for a machine beside a C program that does the same, and the seconds of one of so many calls in a scan.

    ``c_name`` is ``file.c:function``; the function takes scans and returns what ``total`` reads from the machine.
    """
    scans = 1_000_000 // calls

    def ours() -> None:
        machine.reset()
        machine.run(scans, watched=())

    own = best(ours) / scans / calls
    if not shutil.which("gcc"):
        return [(what, f"{own * 1e9:.1f} ns", "")], own
    file, _, function = c_name.partition(":")
    with tempfile.TemporaryDirectory() as folder:
        c = compiled(file, Path(folder))
        run = getattr(c, function)
        run.restype = ctypes.c_double if isinstance(total(), float) else ctypes.c_int64

        def by_c() -> float:
            c.reset()
            found: float = run(scans)
            return found

        ours()
        assert by_c() == total(), "the two do not agree"
        own, c_time, ratio = side_by_side(ours, by_c, scans * calls)
    beside = ("   the same in C, gcc -O2", f"{c_time * 1e9:.1f} ns", f"{ratio:.2f} x C (at most {limit})")
    return [(what, f"{own * 1e9:.1f} ns", ""), beside], own


def instances() -> list[Row]:
    """(a) Scans of 500 instances of a real block, against C and Python by hand."""
    import by_hand

    vents = [f"vent{i}" for i in range(50)]
    rows = [f"row{i}" for i in range(10)]
    names = [f"{row}.{vent}" for row in rows for vent in vents]
    calls = "\n".join(f"{v}(open := up, close := NOT up, at_open := top, at_shut := bottom);" for v in vents)
    house = f"""
        FUNCTION_BLOCK Row
        VAR_INPUT up, top, bottom : BOOL; END_VAR
        VAR {", ".join(vents)} : VentDrive; END_VAR
        {calls}
        END_FUNCTION_BLOCK
        FUNCTION_BLOCK House
        VAR count : INT; up, top, bottom : BOOL; {", ".join(rows)} : Row; END_VAR
        count := (count + 1) MOD 600;
        up := count < 300;
        top := count > 150 AND count < 310;
        bottom := count > 480;
        {" ".join(f"{row}(up := up, top := top, bottom := bottom);" for row in rows)}
        END_FUNCTION_BLOCK
    """
    machine = machine_of("House", VENT.read_text(), house)

    def total() -> int:
        state = [int(machine.read(f"{n}.state")) for n in names]
        elapsed = [int(machine.read(f"{n}.running.ET")) for n in names]
        return sum(s * (i + 1) + e % 1_000_003 for i, (s, e) in enumerate(zip(state, elapsed, strict=True)))

    table, own = against_c("a  500 VentDrive, one call", machine, 500, total, "vent_drive.c:run", 1.5)
    python_scans = 600
    machine.reset()
    machine.run(python_scans, watched=())
    assert by_hand.run(python_scans) == total(), "Python does not agree"
    python_time = best(lambda: by_hand.run(python_scans), 3) / (python_scans * 500)
    ratio = python_time / own
    return [*table, ("   the same in Python", f"{python_time * 1e9:.0f} ns", f"{ratio:.0f} x faster (at least 80)")]


HALL = """
FUNCTION_BLOCK Hall
VAR vents : ARRAY [0..499] OF VentDrive; up, top, bottom : ARRAY [0..9] OF BOOL; order : ARRAY [0..49] OF DINT;
    count, phase : INT; i, j : DINT; END_VAR
count := (count + 1) MOD 600;
FOR j := 0 TO 9 DO
    phase := (count + DINT_TO_INT(j) * 60) MOD 600;
    up[j] := phase < 300; top[j] := phase > 150 AND phase < 310; bottom[j] := phase > 480;
END_FOR
FOR i := 0 TO 499 DO
    vents[i](open := up[i / 50], close := NOT up[i / 50], at_open := top[i / 50], at_shut := bottom[i / 50]);
    order[i MOD 50] := order[i MOD 50] + i / 50;
END_FOR
END_FUNCTION_BLOCK
"""


def hall() -> list[Row]:
    """(g) The same 500 instances in an array, called in a FOR, their row by division and MOD."""

    machine = machine_of("Hall", VENT.read_text(), HALL)

    def total() -> int:
        states = [int(machine.read(f"vents[{i}].state")) for i in range(500)]
        orders = [int(machine.read(f"order[{i}]")) for i in range(50)]
        return sum(s * (i + 1) for i, s in enumerate(states)) + sum(orders)

    return against_c("g  500 in an array, one call", machine, 500, total, "vent_drive.c:run_hall", 1.25)[0]


def start() -> list[Row]:
    """(b) Start of the program: help, and verify on the demo and on a new library, with byte code and modules at
    hand.
    """
    environment = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}

    def run(*command: str) -> Callable[[], object]:
        return lambda: subprocess.run(command, check=True, stdout=subprocess.DEVNULL, env=environment)

    with tempfile.TemporaryDirectory() as folder, fresh_cache() as cache:
        environment["UPRIGHT_CACHE"] = cache
        upright = [sys.executable, "-m", "upright_block"]
        demo, fresh = str(Path(folder) / "demo"), str(Path(folder) / "fresh")
        run(*upright, "demo", demo)()
        run(*upright, "new", fresh)()
        verify = run(*upright, "verify", "--library", demo)

        def cold() -> None:
            for entry in Path(cache).glob("*"):
                entry.unlink()
            verify()

        commands = {
            "click": run(sys.executable, "-c", "import click"),
            "help": run(*upright, "--help"),
            "wasmtime": run(sys.executable, "-c", "import click, wasmtime"),
            "fresh": run(*upright, "verify", "--library", fresh),
        }
        rows = [
            ("b  verify the demo, cold", f"{best(cold) * 1e3:.0f} ms", ""),
            ("   verify the demo, cached", f"{best(verify) * 1e3:.0f} ms", ""),
        ]
        for command in commands.values():
            command()
        tries = [{name: best(command, 1) for name, command in commands.items()} for _ in range(15)]
    middle = {name: median(one[name] for one in tries) for name in commands}
    help_, new = middle["help"] / middle["click"], middle["fresh"] / middle["wasmtime"]
    return [
        *rows,
        ("   upright --help", f"{middle['help'] * 1e3:.0f} ms", f"{help_:.2f} x import click (at most 1.2)"),
        (
            "   verify a new library",
            f"{middle['fresh'] * 1e3:.0f} ms",
            f"{new:.2f} x import click, wasmtime (at most 1.8)",
        ),
    ]


BLOCK = """\
// Number {n} of a generated library.
FUNCTION_BLOCK Made{n}
VAR_INPUT
    start  : BOOL;              // begins the work
    halt   : BOOL;              // ends it
    wanted : INT := {n};        // how much
    limit  : TIME := T#{s}s;    // longest time
END_VAR
VAR_OUTPUT
    busy : BOOL;                // works
    late : BOOL;                // took longer than limit
    done : INT;                 // how much was done
END_VAR
VAR
    state : INT;
    timer : TON;
    edge  : R_TRIG;
    level : REAL;
END_VAR

edge(CLK := start AND NOT halt);
CASE state OF
    0:
        IF edge.Q THEN
            state := 1;
            done := 0;
        END_IF
    1:
        done := done + 1;
        level := level * 0.9 + INT_TO_REAL(done) * 0.1;
        IF done >= wanted OR halt THEN
            state := 2;
        ELSIF timer.Q THEN
            state := 3;
        END_IF
    2, 3:
        IF NOT start THEN state := 0; END_IF
END_CASE
busy := state = 1;
late := state = 3;
timer(IN := busy, PT := limit);
END_FUNCTION_BLOCK
"""


def library() -> list[Row]:
    """(c) A generated library of 300 blocks of 40 lines: parse, check, compile."""
    import wasmtime

    from upright_block.compiler.cache import engine
    from upright_block.compiler.linking import build_artifact
    from upright_block.compiler.program import make_program
    from upright_block.language.checking import check_program
    from upright_block.language.forms import statements
    from upright_block.language.parsing import parse
    from upright_block.language.scope import Scope
    from upright_block.language.source import Source
    from upright_block.language.telling.findings import Findings
    from upright_block.standard import STANDARD

    members = "".join(f"m{n} : Made{n}; " for n in range(300))
    calls = "".join(f"m{n}(start := start);\n" for n in range(300))
    whole = f"FUNCTION_BLOCK Whole VAR_INPUT start : BOOL; END_VAR VAR {members} END_VAR {calls} END_FUNCTION_BLOCK"
    sources = [Source(f"made{n}.st", BLOCK.format(n=n, s=n % 50 + 1), "statements") for n in range(300)]
    texts = [*sources, Source("whole", whole, "statements")]
    lines = 300 * BLOCK.count("\n")

    def build() -> tuple[float, float, float, float]:
        began = time.perf_counter()
        for source in sources:
            parse(source, Findings())
        parsed = time.perf_counter() - began
        began = time.perf_counter()
        scope, findings = Scope(STANDARD), Findings()
        check_program([statements(source) for source in texts], scope, findings)
        assert not findings.items
        checked = time.perf_counter() - began
        began = time.perf_counter()
        artifact = build_artifact(make_program(scope.units["WHOLE"]))
        written = time.perf_counter() - began
        began = time.perf_counter()
        wasmtime.Module(engine(), artifact.text)
        return parsed, checked, written, time.perf_counter() - began

    build()
    gc.disable()  # as the program itself does
    tries = [build() for _ in range(5)]
    gc.enable()
    total = min(sum(t[1:]) for t in tries)
    steps = [min(t[i] for t in tries) / lines * 1e6 for i in range(4)]
    steps[1] -= steps[0]  # checking reads the text itself
    rows = [
        (f"c  {name}, 300 blocks", f"{micros:.1f} us a line", "")
        for name, micros in zip(("parse", "check", "write", "compile"), steps, strict=True)
    ]
    return [*rows, ("   all, cold", f"{total:.2f} s", "(at most 1)")]


def ten_thousand(root: Path, blocks: int, head: str) -> list[str]:
    """A library of 10,000 cases in 100 files for so many blocks, and the call that verifies it."""
    table = "at | start halt | busy done\n0s | 0 0 | 0 0\n0.1s | 1 0 | 1 0\n0.2s | 1 0 | . 1\n0.5s | 1 1 | 0 .\n"
    for part in ("blocks", "cases"):
        (root / part).mkdir(parents=True)
    (root / "upright.toml").write_text('name = "many"\n')
    for n in range(blocks):
        (root / "blocks" / f"made{n}.st").write_text(BLOCK.format(n=n, s=n % 50 + 1))
    for n in range(100):
        made = "".join(
            f'[[case]]\nname = "case {i}"\ngiven = {{ wanted = {i + 5} }}\nvectors = """\n{table}"""\n'
            for i in range(100)
        )
        own = head.replace("@", str(n))
        (root / "cases" / f"made{n}.toml").write_text(f'block = "Made{n % blocks}"\nscan = "100ms"\n{own}{made}')
    return [sys.executable, "-m", "upright_block", "verify", "--library", str(root)]


def cases() -> list[Row]:
    """(d) 10,000 small cases."""
    with tempfile.TemporaryDirectory() as folder, fresh_cache():
        command = ten_thousand(Path(folder) / "many", 100, "")

        def run() -> str:
            return subprocess.run(command, check=True, capture_output=True, text=True).stdout

        assert "10,000 good" in run()
        return [("d  10,000 small cases", f"{best(run, 3):.1f} s", "(at most 10)")]


def ruled_plant(root: Path, has_rules: bool) -> None:
    """500 instances, each watched by two rules of its block."""
    plant(root, 500)
    (root / "cases").mkdir()
    table = "at | v0_want | check v0_want\n0s | 1 | .\n1h | 0 | 0\n"
    (root / "cases" / "c.toml").write_text(
        f'scan = "1s"\n[[case]]\nname = "c"\nrun_for = "2h"\nvectors = """\n{table}"""\n'
    )
    if has_rules:
        (root / "rules").mkdir()
        (root / "rules" / "vent_drive.toml").write_text(
            'block = "VentDrive"\nnever = ["opening AND closing"]\nalways = [{ expr = "NOT opening", while '
            '= "stuck" }]\n'
        )


def ruled_day(root: Path, has_rules: bool) -> None:
    """A day of the example at 10 ms, watched by 20 rules."""
    shutil.copytree(DEMO, root)
    shutil.rmtree(root / "cases")
    (root / "cases").mkdir()
    tasks = root / "programs" / "glasshouse.st"
    tasks.write_text(tasks.read_text().replace("T#100ms", "T#10ms"))
    bays = [n % 12 + 1 for n in range(20)]
    rules = [f"bay{bay}_vent_up AND bay{bay}_vent_down AND wind > {n}.0" for n, bay in enumerate(bays)]
    table = "at | bay1_open_button | check bay1_open_button\n0s | 1 | .\n1h | 0 | 0\n"
    (root / "cases" / "c.toml").write_text(
        (f"never = {json.dumps(rules)}\n" if has_rules else "")
        + f'[[case]]\nname = "c"\nrun_for = "24h"\nvectors = """\n{table}"""\n'
    )


def ruled(folder: Path) -> list[Row]:
    """(i) Runs that rules watch, against the same without."""
    from upright_block import open_library

    def seconds(root: Path) -> float:
        (verdict,) = open_library(root).run()
        assert verdict.status == "passed", verdict.breaks
        return verdict.seconds

    found: list[Row] = []
    for what, most, make in (
        ("500 instances, two rules each", 1.5, ruled_plant),
        ("a day of the example, 20 rules", 1.2, ruled_day),
    ):
        roots = [folder / f"{make.__name__}{kind}" for kind in (1, 0)]
        for root, has_rules in zip(roots, (True, False), strict=True):
            make(root, has_rules)
            seconds(root)
        pairs = [(seconds(roots[0]), seconds(roots[1])) for _ in range(5)]
        ratio = median(own / bare for own, bare in pairs)
        found.append((f"i  {what}", f"{min(own for own, _ in pairs):.2f} s", f"{ratio:.2f} x without (at most {most})"))
    return found


RULES = '''never = ["busy AND halt AND start AND wanted = @"]
always = [{ expr = "busy OR NOT start OR halt OR done > 0", while = "wanted > @" }]
timing = """
name   | from        | to                     | max
begins | start rises | busy OR done > 0 rises | 1scan
"""
'''


def rules() -> list[Row]:
    """(i) Two rules and a timing row of its own in each of a hundred files, against the same cases without."""
    with tempfile.TemporaryDirectory() as folder, fresh_cache():
        plain = ten_thousand(Path(folder) / "plain", 1, "")
        own_rules = ten_thousand(Path(folder) / "ruled", 1, RULES)
        for command in (plain, own_rules):
            found = subprocess.run(command, check=False, capture_output=True, text=True).stdout
            assert "10,000 good" in found, found[-500:]
        pairs = [
            tuple(best(partial(subprocess.run, call, capture_output=True), 1) for call in (own_rules, plain))
            for _ in range(3)
        ]
        own, without = (min(column) for column in zip(*pairs, strict=True))
        ratio = median(with_rules / bare for with_rules, bare in pairs)
        return [
            *ruled(Path(folder)),
            ("i  10,000 cases, rules in each file", f"{own:.1f} s", f"{ratio:.2f} x the same without (at most 2)"),
            ("   the same without", f"{without:.1f} s", ""),
        ]


def arrays() -> list[Row]:
    """(e) A block of arrays, structures and loops, 100 instances in an array, against C by hand."""
    machine = machine_of("Bays", (HERE / "climate.st").read_text())

    def total() -> float:
        bays = [f"bays[{i}]" for i in range(1, 101)]
        return sum(float(machine.read(f"{b}.mean")) + int(machine.read(f"{b}.range")) for b in bays)

    return against_c("e  Climate, one call", machine, 100, total, "climate.c:run", 1.3)[0]


DAY = """
import resource, sys, time
sys.path.insert(0, "@HERE@")
from run import machine_of
from upright_block.language.timebase import Timebase
from upright_block.machine.machine import spans_of

names = [f"b{i}" for i in range(50)]
body = " ".join(f"{name} := n > {1000 + 17 * i};" for i, name in enumerate(names))
text = (
    f"FUNCTION_BLOCK B VAR n : DINT; {', '.join(names)} : BOOL; END_VAR n := (n + 1) MOD 2000; {body} "
    "END_FUNCTION_BLOCK"
)
machine = machine_of("B", text)
machine.timebase = Timebase(10_000_000)
for watched in (spans_of(map(machine.slot, names)), []):
    machine.reset()
    began = time.perf_counter()
    changes = sum(len(piece.log) // 16 for piece in machine.pieces(8_640_000, spans=watched))
    print(time.perf_counter() - began, changes, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024)
"""


def day() -> list[Row]:
    """(f) A day at 10 ms with 50 Booleans watched, against the same day with nothing watched."""
    printed = subprocess.run(
        [sys.executable, "-c", DAY.replace("@HERE@", str(HERE))], check=True, capture_output=True, text=True
    ).stdout
    (seconds, changes, memory), (bare, _, _) = (line.split() for line in printed.splitlines())
    return [
        ("f  a day at 10 ms, 50 BOOL watched", f"{float(seconds):.2f} s", "(at most 0.8)"),
        ("   the same, nothing watched", f"{float(bare):.2f} s", f"{float(seconds) / float(bare):.2f} x"),
        ("   changes, memory", f"{int(changes):,}", f"{memory} MB (at most 100)"),
    ]


def plant(folder: Path, size: int) -> None:
    """A library with so many instances from a wiring table, three points each."""
    for part in ("blocks", "tags", "wiring"):
        (folder / part).mkdir(parents=True)
    (folder / "upright.toml").write_text("")
    shutil.copy(VENT, folder / "blocks")
    tags = ["tag,point,sense"]
    wiring = ["instance,block,open,at_open,travel,opening"]
    for i in range(size):
        byte, bit = i // 2, i % 2 * 4
        tags += [f"v{i}_want,%IX{byte}.{bit},", f"v{i}_opened,%IX{byte}.{bit + 1},NC", f"v{i}_cmd,%QX{i // 8}.{i % 8},"]
        wiring.append(f"Vent{i},VentDrive,v{i}_want,v{i}_opened,40s,-> v{i}_cmd")
    (folder / "tags" / "points.csv").write_text("\n".join(tags) + "\n")
    (folder / "wiring" / "roof.csv").write_text("\n".join(wiring) + "\n")


def one_plant(root: Path, size: int, most: str) -> list[Row]:
    """A plant of one size, read, compiled, and run beside the same in C; the walk of a small one."""
    from upright_block import Wishes, open_library
    from upright_block.compiler.program import make_program
    from upright_block.language.timebase import Timebase
    from upright_block.library import load_library
    from upright_block.machine.machine import Machine

    plant(root, size)
    began = time.perf_counter()
    library = load_library(root)
    read = time.perf_counter() - began
    machine = Machine.of(make_program(library.scope.configurations["LIBRARY"]))
    made = time.perf_counter() - began - read
    rows = [(f"h  {size:,} instances: read and checked", f"{read:.2f} s", f"compiled in {made:.2f} s")]
    if size == 500:
        began = time.perf_counter()
        found = open_library(root).walk()
        rows.append(
            (f"   the walk of its {len(found):,} points", f"{time.perf_counter() - began:.1f} s", "(at most 5)")
        )
        wanted = Wishes(set=("v17_want=1@100s",))
        asked = best(lambda: open_library(root).why("Roof", "v17_cmd", wanted, "1h"), 3)
        rows.append(("   why, after an hour at 100 ms", f"{asked:.1f} s", "(at most 2)"))
    held = len(machine.artifact.initial) / size
    machine.timebase = Timebase(INTERVAL)
    for i in range(size):
        machine.write(f"%IX{i // 2}.{i % 2 * 4}", i % 3 == 0)
    if not shutil.which("gcc"):
        return [*rows, ("   no gcc here", "", f"{held:.0f} bytes each")]
    c = compiled("vent_drive.c", root)
    c.run_plant.restype = ctypes.c_int64
    c.build(size)
    machine.run(450, watched=())
    states = sum(int(machine.read(f"roof.Vent{i}.state")) * (i + 1) for i in range(size))
    assert c.run_plant(0, 450) == states, "the two do not agree"
    scans = 500_000 // size
    own, c_time, ratio = side_by_side(
        lambda: machine.run(scans, watched=()), lambda: c.run_plant(450, scans), scans * size
    )
    return [
        *rows,
        ("   a call, points and tags included", f"{own * 1e9:.1f} ns", f"{held:.0f} bytes each"),
        ("   the same in C, gcc -O2", f"{c_time * 1e9:.1f} ns", f"{ratio:.2f} x C{most}"),
    ]


def plants() -> list[Row]:
    """(h) Plants of three sizes from wiring tables."""
    rows: list[Row] = []
    for size, most in ((500, " (at most 1.3)"), (5_000, ""), (50_000, " (at most 1.5)")):
        with tempfile.TemporaryDirectory() as place, fresh_cache():
            rows += one_plant(Path(place) / "plant", size, most)
    return rows


def looking_day(root: Path) -> None:
    """A block with fifty values, of which some change in every scan, and a case of a day at 10 ms."""
    lines = ["FUNCTION_BLOCK Day", "VAR_OUTPUT"]
    lines += [f"    b{i} : BOOL;" for i in range(30)] + [f"    r{i} : REAL;" for i in range(10)]
    lines += [f"    c{i} : DINT;" for i in range(5)]
    lines += ["END_VAR", "VAR", "    n : UDINT;", *(f"    t{i} : TON;" for i in range(5)), "END_VAR", "n := n + 1;"]
    lines += [f"b{i} := (n / {100 * (i + 1) ** 2}) MOD 2 = 0;" for i in range(30)]
    for i in range(10):
        lines.append(f"IF n MOD {10 * (i + 1)} = 0 THEN r{i} := SIN(UDINT_TO_REAL(n) * {0.0001 * (i + 1)}); END_IF;")
    lines += [f"c{i} := UDINT_TO_DINT(n / {3**i * 10});" for i in range(5)]
    lines += [f"t{i}(IN := b{i + 10}, PT := T#{i + 1}m);" for i in range(5)]
    case = (
        'block = "Day"\nscan = "10ms"\n[[case]]\nname = "day"\nrun_for = "24h"\nvectors = """\nat | b0\n0s | 1\n"""\n'
    )
    texts = {"upright.toml": "", "blocks/day.st": "\n".join([*lines, "END_FUNCTION_BLOCK"]), "cases/day.toml": case}
    for name, text in texts.items():
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_text(text)


def looking() -> list[Row]:
    """(j) Diagrams, pages and coverage."""
    from upright_block import Collector, open_library

    def called(*arguments: object) -> float:
        call = [sys.executable, "-m", "upright_block", *map(str, arguments)]
        return best(lambda: subprocess.run(call, check=True, stdout=subprocess.DEVNULL), 3)

    rows: list[Row] = []
    with tempfile.TemporaryDirectory() as place, fresh_cache():
        root = Path(place) / "day"
        looking_day(root)
        drawn = called("plot", "day", "--watch", "*.ET,b*,r*,c*", "--out", root / "day.png", "--library", root)
        rows.append(("j  50 lanes of a day at 10 ms, drawn", f"{drawn:.1f} s", "(at most 5)"))
        many = Path(place) / "many"
        shutil.copytree(DEMO, many)
        for path in sorted((many / "cases").glob("*.toml")):
            for copy in range(27):
                path.with_stem(f"{path.stem}_{copy}").write_text(path.read_text())
        plain = called("verify", "--failing", "--library", many)
        paged = called("verify", "--failing", "--report", many / "out", "--library", many)
        page = many / "out" / "index.html"
        size = f"{page.stat().st_size / 1e6:.1f} MB (at most 10)"
        rows.append(("   the page of 1,008 cases", f"{paged:.1f} s", f"{plain:.1f} s without, at most 5 more; {size}"))
        browser = shutil.which("chromium")
        if browser:
            (many / "blank.html").write_text("<p>nothing")
            options = [
                "--headless",
                "--no-sandbox",
                "--disable-gpu",
                "--no-first-run",
                "--disable-background-networking",
            ]
            head = [browser, *options, f"--user-data-dir={many / 'browser'}", "--dump-dom"]
            opened, blank = (
                best(partial(subprocess.run, [*head, file.as_uri()], check=True, capture_output=True), 3)
                for file in (page, many / "blank.html")
            )
            rows.append(
                (
                    "   opened in a browser",
                    f"{opened - blank:.2f} s",
                    f"more than an empty page, {blank:.2f} s (at most 2)",
                )
            )
        library = open_library(many)
        pairs = [
            (best(lambda: library.run(jobs=1), 1), best(lambda: library.run(jobs=1, collector=Collector()), 1))
            for _ in range(7)
        ]
        plain_run, covered = (min(column) for column in zip(*pairs, strict=True))
        ratio = f"{median(b / a for a, b in pairs):.2f} x (at most 1.5)"
        rows.append(("   the same cases with coverage", f"{covered:.2f} s", f"{plain_run:.2f} s without, {ratio}"))
    return rows


def many_blocks(root: Path, groups: int, with_cases: bool) -> None:
    """The blocks of the example over and over, each time with other names; with the cases of each where asked for."""
    blocks = {path: path.read_text() for path in DEMO.glob("blocks/*.st")}
    names = {match[1] for text in blocks.values() for match in re.finditer(r"FUNCTION(?:_BLOCK)? (\w+)", text)} | {
        "Bed"
    }
    name = re.compile(rf"\b({'|'.join(sorted(names))})\b")
    for part in ("blocks", "cases"):
        (root / part).mkdir(parents=True)
    (root / "upright.toml").write_text("")
    files = [*((path, "blocks", text) for path, text in blocks.items())]
    if with_cases:
        own = [path for path in DEMO.glob("cases/*.toml") if path.stem not in ("glasshouse", "closed_loop")]
        files += [(path, "cases", path.read_text()) for path in own]
        shutil.copy(DEMO / "cases" / "windy_day.csv", root / "cases")
    for number in range(groups):
        for path, part, text in files:
            (root / part / f"{path.stem}{number}{path.suffix}").write_text(name.sub(rf"\g<1>{number}", text))


def checked(root: Path, cache: Path | None, tries: int) -> float:
    """Seconds of a check: with nothing in the ``cache``, or without one after a file was changed; the best of
    several.
    """
    changed = root / "blocks" / "alarm7.st"
    times = []
    for number in range(tries):
        for kept in cache.glob("*.check") if cache else ():
            kept.unlink()
        if cache is None:
            changed.write_text(f"{changed.read_text()}// {number}\n")
        command = [sys.executable, "-m", "upright_block", "check", "--library", str(root)]
        began = time.perf_counter()
        subprocess.run(command, check=True, capture_output=True)
        times.append(time.perf_counter() - began)
    return min(times)


def asked_again(root: Path) -> str:
    """Milliseconds of checks of a library whose texts are in memory, after each of some changes of one file."""
    from upright_block.language.nodes import replaced
    from upright_block.language.source import Source
    from upright_block.library import read_texts
    from upright_block.remembered.rechecking import Checking

    texts, checking = read_texts(root), Checking()
    checking.check(texts)
    by_path = {source.path: source for source in texts.own}
    blink = by_path["blocks/blink7.st"].text
    changes = {
        "a body changed": ("blocks/alarm7.st", by_path["blocks/alarm7.st"].text.replace(";", " ;", 3)),
        "a used block renamed": ("blocks/blink7.st", blink.replace("Blink7", "Blynk7")),
        "a file added": ("blocks/more.st", blink.replace("Blink7", "More")),
    }
    said: list[str] = []
    for what, (path, text) in changes.items():
        changed = {**by_path, path: Source(path, text, "statements")}
        own = tuple(changed[path] for path in sorted(changed))
        began = time.perf_counter()
        checking.check(replaced(texts, own=own))
        said.append(f"{what} {1000 * (time.perf_counter() - began):.0f} ms")
        checking.check(texts)
    return ", ".join(said) + " (at most 300 each)"


def checks() -> list[Row]:
    """(k) A library of 1,000 blocks with all findings: cold, and after one file was changed."""
    rows: list[Row] = []
    for with_cases, what in ((False, "1,008 blocks"), (True, "   the same with 2,000 cases")):
        with tempfile.TemporaryDirectory() as folder, fresh_cache() as cache:
            root = Path(folder) / "many"
            many_blocks(root, 72, with_cases)
            cold, warm = checked(root, Path(cache), 3), checked(root, None, 5)
            inside = asked_again(root)
        limits = " (at most 5, 1)" if not with_cases else ""
        rows.append(
            (f"{'k  ' if not with_cases else ''}{what}", f"{cold:.2f} s", f"one file changed {warm:.2f} s{limits}")
        )
        rows.append(("   the same in memory", "", inside))
    return rows


def main() -> None:
    """Run the chosen benchmarks and print the table."""
    chosen = sys.argv[1:] or ["a", "b", "c", "d", "e", "f", "g", "h", "i", "j", "k"]
    parts = {
        "a": instances,
        "b": start,
        "c": library,
        "d": cases,
        "e": arrays,
        "f": day,
        "g": hall,
        "h": plants,
        "i": rules,
        "j": looking,
        "k": checks,
    }
    for name in chosen:
        for what, figure, ratio in parts[name]():
            print(f"{what:<36}{figure:>16}   {ratio}", flush=True)


if __name__ == "__main__":
    main()
