"""Graphs of calls, states and steps: what leads where, and where it lies in a picture."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.helpers import EXAMPLES, upright, write_files
from upright_block import open_library
from upright_block.analysis.drawn import Arrow, Graph, Vertex
from upright_block.reports.graphs import graph_lines, graph_picture, laid_out
from upright_block.reports.styled import plain

DEMO = EXAMPLES / "demo"


def test_states_have_the_conditions_that_lead_from_one_to_the_other() -> None:
    (graph,) = open_library(DEMO).graphs("VentDrive")
    arrows = {(a.start, a.end): a.label for a in graph.arrows}
    assert arrows["RESTS", "OPENS"] == "open AND NOT close AND NOT at_open"
    assert arrows["OPENS", "FAILED"] == "running.Q"
    assert arrows["ELSE", "RESTS"] == ""
    assert [v.name for v in graph.vertices if v.is_first] == ["RESTS"]


def test_steps_have_their_actions_and_transitions() -> None:
    (graph,) = open_library(DEMO).graphs("rota")
    assert [(v.name, v.text) for v in graph.vertices][1:3] == [("Primes", "pump S"), ("Waters", "Open N")]
    assert Arrow("Primes", "Waters", "Primes.T >= T#10s", 43) in graph.arrows


def test_what_uses_what_counts_instances() -> None:
    (whole,) = open_library(DEMO).graphs()
    labels = {(a.start, a.end): a.label for a in whole.arrows}
    assert labels["roof", "VentDrive"] == "12 x"
    assert labels["Heating", "Scale"] == ""
    (own,) = open_library(DEMO).graphs("RoofRow")
    assert [v.name for v in own.vertices] == ["RoofRow", "VentDrive"]


def test_lines_stay_inside_the_width(tmp_path: Path) -> None:
    result = upright("graph", "VentDrive", "--library", DEMO)
    assert result.output.startswith("VentDrive.state\n\nRESTS  begins here\n  ─▸ OPENS   open AND NOT close")
    long = Graph("g", (Vertex("a"), Vertex("b")), (Arrow("a", "b", "x AND " * 60 + "y", 7),))
    assert all(len(plain(line)) <= 80 for line in graph_lines(long, 80))


def test_a_graph_as_json_and_a_name_that_there_is_not() -> None:
    (data,) = json.loads(upright("graph", "Rota", "--json", "--library", DEMO).output)
    assert data["arrows"][0] == {"from": "Waits", "to": "Primes", "label": data["arrows"][0]["label"], "line": 41}
    wrong = upright("graph", "VentDrve", "--library", DEMO)
    assert wrong.exit_code == 2
    assert "Did you mean VentDrive?" in wrong.output


@pytest.mark.parametrize("kind", ["svg", "png"])
def test_the_same_graph_gives_the_same_picture(kind: str) -> None:
    (graph,) = open_library(DEMO).graphs("VentDrive")
    assert graph_picture(graph, kind) == graph_picture(graph, kind)


@pytest.mark.parametrize("name", [None, "VentDrive", "Rota", "Glasshouse"])
def test_boxes_of_a_picture_do_not_touch_and_arrows_around_pass_none(name: str | None) -> None:
    for graph in open_library(DEMO).graphs(name):
        plan = laid_out(graph)
        edges = [
            (b.x - b.width / 2, b.y - b.height / 2, b.x + b.width / 2, b.y + b.height / 2) for b in plan.boxes.values()
        ]
        for n, (left, top, right, bottom) in enumerate(edges):
            assert left >= 0
            assert right <= plan.width
            assert bottom <= plan.height
            for other in edges[n + 1 :]:
                assert other[0] > right or other[2] < left or other[1] > bottom or other[3] < top
        for way in plan.ways.values():
            for (x1, y1), (x2, y2) in zip(way.corners[1:-2], way.corners[2:-1], strict=True):
                for left, top, right, bottom in edges:
                    is_clear = max(x1, x2) < left or min(x1, x2) > right or max(y1, y2) < top or min(y1, y2) > bottom
                    assert is_clear, graph.title


def test_references_say_where_a_thing_is_written_read_and_called(tmp_path: Path) -> None:
    output = upright("show", "VentDrive.state", "--library", DEMO).output.splitlines()
    assert output[0].startswith("declared   blocks/vent_drive.st:26")
    assert sum(line.startswith("written") for line in output) == 9
    shared = {
        "blocks/g.st": "VAR_GLOBAL level : INT; END_VAR\nFUNCTION_BLOCK B VAR_OUTPUT y : INT; END_VAR\ny := level;\nEND_FUNCTION_BLOCK\n"
    }
    write_files(tmp_path, shared)
    assert upright("show", "level", "--library", tmp_path).output.splitlines()[1].startswith("read       blocks/g.st:3")
    wrong = upright("show", "VentDrive.stat", "--library", DEMO)
    assert wrong.exit_code == 2
    assert "Did you mean state?" in wrong.output


def test_show_of_a_block_says_who_uses_it() -> None:
    output = upright("show", "Threshold", "--library", DEMO).output
    assert "contained  blocks/screen_by_sun.st:12  strong : Threshold;" in output
    uses = json.loads(upright("show", "Threshold", "--json", "--library", DEMO).output)["uses"]
    assert {
        "kind": "called",
        "unit": "ScreenBySun",
        "file": "blocks/screen_by_sun.st",
        "line": 20,
        "column": 11,
    } in uses


def test_references_of_a_path_are_those_of_that_instance_alone() -> None:
    output = upright("show", "VentDrive.running.Q", "--library", DEMO).output
    assert [line.split()[1] for line in output.splitlines()[1:]] == [
        "blocks/vent_drive.st:41",
        "blocks/vent_drive.st:47",
    ]
    first = upright("show", "RoofRow.first.opening", "--library", DEMO).output
    assert "roof_row.st:28" in first
    assert "vent_drive.st:62" in first
    assert "roof_row.st:31" not in first


@pytest.mark.parametrize("options", [[], ["--picture", "g.svg"]])
def test_what_cannot_be_drawn_is_told(options: list[str], tmp_path: Path) -> None:
    write_files(tmp_path, {})
    for name in ([], ["TON"]):
        result = upright("graph", *name, *options, "--library", tmp_path)
        assert result.exit_code == 2
        assert len(result.output.splitlines()) == 2
