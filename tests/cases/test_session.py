"""A session that is left, goes on, and comes back is the same run as one in a single piece."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import EXAMPLES, write_files
from upright_block.cases.plan import BoundCase
from upright_block.cases.suite import load_suite
from upright_block.compiler.program import USUAL
from upright_block.library import load_library
from upright_block.machine.machine import Machine
from upright_block.runs.runner import Shared
from upright_block.runs.session import Recorder, Session

BLOCK = """FUNCTION_BLOCK B
VAR_INPUT key : BOOL; n : INT; END_VAR
VAR_OUTPUT on : BOOL; sum : DINT; shown : DT; END_VAR
VAR late : TON; edge : R_TRIG; END_VAR
VAR RETAIN kept : DINT; END_VAR
late(IN := key, PT := T#300ms);
edge(CLK := key);
IF edge.Q THEN kept := kept + 1; END_IF;
on := late.Q; sum := sum + n + kept; shown := CLOCK_NOW();
END_FUNCTION_BLOCK
"""
CASES = """block = "B"
scan = "100ms"
always = ["age(key) < T#2s OR on", "prev(sum) <= sum OR NOT key"]
[[case]]
name = "all"
run_for = "6s"
clock = "2026-03-29 00:59:58"
drive = '''
pin | shape
n | noise around=0 by=3 seed=5
'''
vectors = '''
at    | key power | force kept | clock               | sum
0s    | 0   .     | .          | .                   | .
0.5s  | 1   .     | .          | .                   | .
1s    | 1   .     | 7          | 2026-10-25-02:59:59 | .
1.5s  | 0   off   | .          | .                   | .
2s    | 1   on    | .          | .                   | .
3s    | 1   .     | release    | .                   | .
3.5s  | 1   stop  | .          | .                   | .
4s    | 0   run   | .          | 2027-01-01-00:00:00 | 5
'''
"""


class Seen:
    """A session in which all is recorded that it remembers: the case's signals and its probes."""

    def __init__(self, bound: BoundCase) -> None:
        shared = Shared([bound])
        program, artifact = shared.artifact(USUAL)
        self.slots = [*(slot for slot in artifact.slots.values() if slot.offset >= 0), *artifact.probes]
        self.recorder = Recorder(self.slots)
        machine = Machine(artifact, find=program.slot)
        self.session = Session(bound.case.plan, machine, shared.of(bound).group, self.recorder)

    def go(self, scans: int | None = None) -> None:
        """Go on, to the end of the plan or for some scans."""
        for piece in self.session.pieces(scans=scans):
            assert piece.fault is None

    def all(self) -> list[list[tuple[int, str]]]:
        """The changes of each slot: in which scan, and to what."""
        found: list[list[tuple[int, str]]] = [[] for _ in self.slots]
        for piece, end in self.recorder._pieces:
            for slot, changes in zip(self.slots, found, strict=True):
                for scan, value in piece.turns(slot):
                    if scan < end and (not changes or changes[-1][1] != repr(value)):
                        changes.append((scan, repr(value)))
        return found


def cases(folder: Path) -> list[BoundCase]:
    suite = load_suite(load_library(folder))
    assert [str(f) for f in suite.findings] == []
    return list(suite.bound.values())


def must_be_one(bound: BoundCase, cuts: list[int]) -> None:
    """A session that is left after some scans, goes on to its end each time and comes back, has done the same as one
    that was not.
    """
    whole, parted = Seen(bound), Seen(bound)
    whole.go()
    for scans in cuts:
        parted.go(min(scans, bound.case.plan.scans - parted.session.scan))
        kept = parted.session.checkpoint()
        parted.go()
        assert parted.all() == whole.all()
        parted.session.back(kept)
        assert parted.session.scan == kept.scan
    parted.go()
    assert parted.all() == whole.all()
    assert parted.session.machine.data() == whole.session.machine.data()


@pytest.fixture(scope="module")
def bound(tmp_path_factory: pytest.TempPathFactory) -> BoundCase:
    (case,) = cases(write_files(tmp_path_factory.mktemp("session"), {"blocks/b.st": BLOCK, "cases/b.toml": CASES}))
    return case


@settings(max_examples=40, deadline=None)
@given(cuts=st.lists(st.integers(0, 30), min_size=1, max_size=4))
def test_a_session_goes_on_from_where_it_was_left_with_all_that_it_remembers(bound: BoundCase, cuts: list[int]) -> None:
    must_be_one(bound, cuts)


@pytest.mark.parametrize("number", range(0, 36, 3))
def test_so_does_each_case_of_the_example(number: int) -> None:
    case = cases(EXAMPLES / "demo")[number]
    must_be_one(case, [case.case.plan.scans // 3, 1, case.case.plan.scans // 2])


def test_another_machine_of_the_subject_takes_over_all_but_what_probes_keep(bound: BoundCase) -> None:
    whole, other = Seen(bound), Seen(bound)
    whole.go()
    other.go(17)
    program, artifact = Shared([bound]).artifact(USUAL)
    other.session.exchange(Machine(artifact, find=program.slot))
    other.go()
    own = artifact.own
    assert other.session.machine.data()[:own] == whole.session.machine.data()[:own]
    assert other.all()[: -len(artifact.probes)] == whole.all()[: -len(artifact.probes)]


def test_another_machine_looks_at_the_probes_of_the_case(tmp_path: Path) -> None:
    text = 'block = "B"\nscan = "100ms"\n'
    for name in ("first", "second"):
        text += f'[[case]]\nname = "{name}"\nrun_for = "1s"\nalways = ["key OR sum >= 0 OR {name == "first"}"]\n'
    both = cases(write_files(tmp_path, {"blocks/b.st": BLOCK, "cases/b.toml": text}))
    shared = Shared(both)
    program, artifact = shared.artifact(USUAL)
    looked = shared.of(both[1])
    session = Session(both[1].case.plan, Machine(artifact, find=program.slot), looked.group)
    session.exchange(Machine(artifact, find=program.slot))
    session.advance(1)
    assert (looked.group, [session.machine.peek(artifact.probes[n]) for n in looked.numbers]) == (1, [True])


def test_what_is_watched_is_given_beside_what_is_recorded(bound: BoundCase) -> None:
    seen = Seen(bound)
    kept = seen.recorder.slots[:1]
    session = Session(bound.case.plan, seen.session.machine, recorder=Recorder(kept))
    other = next(slot for slot in seen.slots if slot.path == "sum")
    changes = [scan for piece in session.pieces([other]) for scan, _ in piece.turns(other)]
    assert len(changes) > 10
