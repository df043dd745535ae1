"""The files of a report, read again by other readers."""

from __future__ import annotations

import json
import xml.etree.ElementTree as ET
from pathlib import Path

from tests.helpers import edit, upright, write_files

BLOCK = "FUNCTION_BLOCK B VAR_INPUT d : INT := 1; END_VAR VAR_OUTPUT q : INT; END_VAR q := 6 / d; END_FUNCTION_BLOCK"
CASES = '''block = "B"
scan = "1s"
[[case]]
name = "good"
vectors = """
d | q
2 | 3
"""
[[case]]
name = "wrong <b>&amp; | `x` \\u001b[31m"
vectors = """
d | q
2 | 4
"""
[[case]]
name = "fault"
vectors = """
d | q
0 | 1
"""
[[case]]
name = "nothing"
vectors = """
d
1
"""
[[case]]
name = "not run"
vectors = """
e
1
"""
'''


def test_a_report_says_of_each_case_what_came(tmp_path: Path) -> None:
    write_files(
        tmp_path, {"upright.toml": 'name = "plant"\nversion = "2.1"\n', "blocks/b.st": BLOCK, "cases/c.toml": CASES}
    )
    folder = tmp_path / "out" / "report"
    folder.mkdir(parents=True)
    (folder / "mine.txt").write_text("mine")
    assert upright("verify", "--report", folder, "--library", tmp_path).exit_code == 1
    assert sorted(path.name for path in folder.iterdir()) == [
        "index.html",
        "junit.xml",
        "mine.txt",
        "report.jsonl",
        "summary.md",
    ]

    (suite,) = ET.parse(folder / "junit.xml").getroot().iter("testsuite")
    assert [suite.get(key) for key in ("name", "tests", "failures", "errors", "skipped")] == [
        "cases/c.toml",
        "5",
        "1",
        "2",
        "1",
    ]
    kinds = {case.get("name"): [child.tag for child in case] for case in suite.iter("testcase")}
    wrong = next(name for name in kinds if name and name.startswith("wrong"))
    assert "\x1b" not in wrong
    assert kinds == {"good": [], wrong: ["failure"], "fault": ["error"], "nothing": ["skipped"], "not run": ["error"]}
    texts = {case.get("name"): "".join(case.itertext()) for case in suite.iter("testcase")}
    assert "q is 3 and not 4" in texts[wrong]
    assert "Division by zero" in texts["fault"]
    assert "B has no e" in texts["not run"]
    properties = {entry.get("name"): entry.get("value") for entry in suite.iter("property")}
    assert (properties["library"], properties["version"]) == ("plant", "2.1")

    first, *entries = [json.loads(line) for line in (folder / "report.jsonl").read_text("utf-8").splitlines()]
    assert (first["library"], first["digest"]) == ("plant", properties["digest"])
    assert [entry["status"] for entry in entries] == ["passed", "failed", "fault", "checks nothing", "not run"]

    summary = (folder / "summary.md").read_text("utf-8")
    assert "1 of 5 cases good, 2 wrong, 1 not run." in summary
    assert "| B | 5 | 1 | 2 | 1 | " in summary
    assert "wrong \\<b\\>&amp; \\| \\`x\\`" in summary
    assert "\x1b" not in summary


def test_the_digest_is_that_of_the_content(glasshouse: Path, tmp_path: Path) -> None:
    def digest() -> str:
        upright("verify", "Scale", "--report", tmp_path / "r", "--library", glasshouse)
        found: str = json.loads((tmp_path / "r" / "report.jsonl").read_text("utf-8").splitlines()[0])["digest"]
        return found

    seen = [digest()]
    assert digest() == seen[0]
    for name, old, new in (
        ("blocks/vent_drive.st", "T#40s", "T#41s"),
        ("tags/points.csv", "button: seen", "button: was seen"),
        ("cases/windy_day.csv", "0", "00"),
        ("rules/vent_drive.toml", "never", "# x\nnever"),
        ("wiring/roof.csv", "shut at 14 m/s", "shut at 14"),
        ("upright.toml", "name", "# x\nname"),
    ):
        edit(glasshouse / name, old, new)
        seen.append(digest())
    assert len(set(seen)) == len(seen)


def test_wrong_cases_have_pictures(glasshouse: Path, tmp_path: Path) -> None:
    edit(
        glasshouse / "cases" / "closed_loop.toml",
        "70s   | on    .                | 1 ",
        "70s   | on    .                | 0 ",
    )
    upright("verify", "closed_loop", "--report", tmp_path / "r", "--pictures", "--library", glasshouse)
    (picture,) = (tmp_path / "r" / "pictures").iterdir()
    assert "bay1_vent_up" in picture.read_text("utf-8")
    assert f"(pictures/{picture.name})" in (tmp_path / "r" / "summary.md").read_text("utf-8")
    assert upright("verify", "--pictures", "--library", glasshouse).exit_code == 2


def test_a_fault_in_the_first_scan_has_a_page_and_no_picture(tmp_path: Path) -> None:
    write_files(tmp_path, {"blocks/b.st": BLOCK, "cases/c.toml": CASES})
    result = upright("verify", "--report", tmp_path / "r", "--pictures", "--library", tmp_path)
    assert result.exit_code == 1, result.output
    assert [path.name for path in (tmp_path / "r" / "pictures").iterdir()] == ["001_c_wrong_b_amp_x_31m.svg"]
    assert '"status":"fault"' in (tmp_path / "r" / "index.html").read_text("utf-8")
    plotted = upright("plot", "fault", "--terminal", "--library", tmp_path)
    assert (plotted.exit_code, "no scan came to its end" in plotted.output) == (2, True)
    compared = upright("run", "B", "--set", "d=0", "--against", "fault", "--library", tmp_path)
    assert "Nothing was compared with fault" in compared.output


def test_a_picture_of_many_lanes_has_all_its_pages(tmp_path: Path) -> None:
    outputs = [f"q{n}" for n in range(14)]
    block = f"FUNCTION_BLOCK W VAR_INPUT d : INT; END_VAR VAR_OUTPUT {', '.join(outputs)} : INT; END_VAR q0 := d; END_FUNCTION_BLOCK"
    table = f"d {' '.join(outputs)}\n1 {' '.join(['2'] * 14)}"
    case = f'block = "W"\nscan = "1s"\n[[case]]\nname = "wide"\nvectors = """\n{table}\n"""\n'
    write_files(tmp_path, {"blocks/w.st": block, "cases/c.toml": case})
    upright("verify", "--report", tmp_path / "r", "--pictures", "--library", tmp_path)
    names = sorted(path.name for path in (tmp_path / "r" / "pictures").iterdir())
    assert names == ["001_c_wide-2.svg", "001_c_wide.svg"]
    assert ">q13<" in (tmp_path / "r" / "pictures" / names[0]).read_text("utf-8")
    assert all(f"(pictures/{name})" in (tmp_path / "r" / "summary.md").read_text("utf-8") for name in names)


def test_a_folder_that_cannot_be_is_told(glasshouse: Path, tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    result = upright("verify", "Scale", "--report", tmp_path / "file", "--library", glasshouse)
    assert (result.exit_code, "cannot be written" in result.output) == (2, True), result.output


def test_the_page_has_the_reasons_of_what_is_wrong(tmp_path: Path) -> None:
    write_files(tmp_path, {"blocks/b.st": BLOCK, "cases/c.toml": CASES})
    upright("verify", "--report", tmp_path / "out", "--library", tmp_path)
    page = (tmp_path / "out/index.html").read_text("utf-8")
    data = json.loads(page.partition('<script type="application/json" id="data">')[2].partition("</script>")[0])
    reasons = {
        case["name"]: "\n".join("".join(text for text, _ in line) for line in case.get("why", ()))
        for case in data["cases"]
    }
    assert (
        "q 3   q := 6 / d   blocks/b.st:1\n  d 2   driven at 0s   cases/c.toml:13"
        in reasons[next(iter(n for n in reasons if n.startswith("wrong")))]
    )
    assert reasons["fault"].startswith("division by zero at 0s (scan 0)\n")
    assert "d 0   driven at 0s   cases/c.toml:19" in reasons["fault"]
    assert (reasons["good"], reasons["nothing"], reasons["not run"]) == ("", "", "")
