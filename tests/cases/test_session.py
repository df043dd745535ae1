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
from upright_block.runs.judging import RowJudge, RuleJudge
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
never = [{ expr = "on", after = "sum > 20" }]
timing = '''
name  | from      | to        | min   | max
late  | key rises | on rises  | 100ms | 200ms
again | key rises | key rises | 1s    | 2s
'''
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
    """A session in which all is recorded that it remembers: the case's signals and its probes; and which is judged."""

    def __init__(self, bound: BoundCase) -> None:
        shared = Shared([bound])
        program, artifact = shared.artifact(USUAL)
        self.slots = [*(slot for slot in artifact.slots.values() if slot.offset >= 0), *artifact.probes]
        self.recorder = Recorder(self.slots)
        machine = Machine(artifact, find=program.slot)
        case, looked = bound.case, shared.of(bound)
        probes = [artifact.probes[number] for number in looked.numbers]
        self.judges: list[RuleJudge | RowJudge] = [
            *(RuleJudge(rule, probes, looked.numbers, case.plan) for rule in case.watch.rules),
            *(RowJudge(row, probes, looked.numbers, case.plan.timebase) for row in case.watch.rows),
        ]
        self.session = Session(case.plan, machine, looked.group, [self.recorder, *self.judges])

    def go(self, scans: int | None = None) -> None:
        """Go on, to the end of the plan or for some scans."""
        for piece in self.session.pieces(scans=scans):
            assert piece.fault is None

    def judged(self) -> list[str]:
        """What the judges say: what is wrong, and what was measured."""
        measures = [judge.measure() for judge in self.judges if isinstance(judge, RowJudge)]
        found = [broken for judge in self.judges for broken in judge.breaks]
        counts = [f"{judge.wrong}" for judge in self.judges]
        armed = [f"{judge.was_armed}" for judge in self.judges if isinstance(judge, RuleJudge)]
        return [
            *counts,
            *armed,
            *(f"{b.kind} {b.scan} {b.begun}" for b in found),
            *(f"{m.events} {m.least} {m.most}" for m in measures),
        ]

    def all(self) -> list[list[tuple[int, str]]]:
        """The changes of each slot: in which scan, and to what."""
        found: list[list[tuple[int, str]]] = [[] for _ in self.slots]
        for piece in self.recorder.pieces():
            for slot, changes in zip(self.slots, found, strict=True):
                for scan, value in piece.turns(slot):
                    if not changes or changes[-1][1] != repr(value):
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
        kept, before = parted.session.checkpoint(), parted.judged()
        parted.go()
        assert (parted.all(), parted.judged()) == (whole.all(), whole.judged())
        parted.session.back(kept)
        assert (parted.session.scan, parted.judged()) == (kept.scan, before)
    parted.go()
    assert (parted.all(), parted.judged()) == (whole.all(), whole.judged())
    assert parted.session.machine.data() == whole.session.machine.data()


@pytest.fixture(scope="module")
def bound(tmp_path_factory: pytest.TempPathFactory) -> BoundCase:
    (case,) = cases(write_files(tmp_path_factory.mktemp("session"), {"blocks/b.st": BLOCK, "cases/b.toml": CASES}))
    return case


@settings(max_examples=40, deadline=None)
@given(cuts=st.lists(st.integers(0, 30), min_size=1, max_size=4))
def test_a_session_goes_on_from_where_it_was_left_with_all_that_it_remembers(bound: BoundCase, cuts: list[int]) -> None:
    must_be_one(bound, cuts)


def test_rules_are_broken_and_rows_are_late_in_what_is_cut(bound: BoundCase) -> None:
    seen = Seen(bound)
    seen.go()
    assert {line.split()[0] for line in seen.judged()} >= {"broken", "late"}


def test_what_was_recorded_from_two_checkpoints_on_is_kept_apart(bound: BoundCase) -> None:
    seen = Seen(bound)
    seen.go(10)
    first = seen.session.checkpoint()
    seen.go(10)
    second, then = seen.session.checkpoint(), seen.all()
    seen.session.back(first)
    seen.session.machine.write("n", 100)
    seen.go(15)
    seen.session.back(second)
    assert seen.all() == then
    seen.session.back(first)
    assert all(scan < 10 for changes in seen.all() for scan, _ in changes)


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
    session = Session(bound.case.plan, seen.session.machine, observers=[Recorder(kept)])
    other = next(slot for slot in seen.slots if slot.path == "sum")
    changes = [scan for piece in session.pieces([other]) for scan, _ in piece.turns(other)]
    assert len(changes) > 10
