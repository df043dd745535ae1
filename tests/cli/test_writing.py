"""What is written: inside the library alone, only over what was read, all files or none, and never what could not be
read again.
"""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.helpers import upright, write_files
from upright_block import NotRunnable, open_library

BLOCK = """FUNCTION_BLOCK B VAR_INPUT n : INT := 1; s : STRING := 'a'; END_VAR VAR_OUTPUT m : INT; t : STRING; END_VAR
VAR k : INT; END_VAR
m := 2 * n; t := s;
END_FUNCTION_BLOCK
"""
CASE = 'block = "B"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\nn | m\n1 | .\n"""\n'
TAGS = "tag,point,type\nkey,%IX0.0,BOOL\nlamp,%QX0.0,BOOL\n"
PLANT = {
    "blocks/b.st": BLOCK,
    "cases/b.toml": CASE,
    "tags/t.csv": TAGS,
    "programs/p.st": "PROGRAM P VAR b : B; END_VAR b(n := 3); lamp := key; END_PROGRAM",
    "wiring/w.csv": "order,instance,block,n,m\n20,B2,B,1,\n10,B1,B,unknown_name,\n",
}


def tree(folder: Path) -> dict[str, bytes]:
    return {str(path.relative_to(folder)): path.read_bytes() for path in sorted(folder.rglob("*")) if path.is_file()}


CALLS: list[tuple[str, list[str]]] = [
    ("tags", ["tags", "--import", "{new}", "--into", "t", "--write"]),
    ("tags", ["tags", "--import", "{new}", "--into", "u", "--write"]),
    ("tags", ["tags", "--adopt", "--into", "t", "--write"]),
    ("cases", ["run", "B", "--for", "1s", "--save-as", "b/d", "--write"]),
    ("cases", ["run", "B", "--for", "1s", "--save-as", "other/d", "--write"]),
    ("cases", ["verify", "--record", "b/c", "--write"]),
    ("cases", ["new", "--with-rig", "B"]),
    ("blocks", ["run", "B", "--set", "n=5", "--for", "1s", "--keep", "n", "--write"]),
    ("blocks", ["check", "--fix", "--write"]),
    ("wiring", ["instances", "--put-in-order", "w", "--write"]),
    ("accepted.toml", ["check", "--accept-present", "--write"]),
    ("walk.csv", ["walk", "--approve", "--write"]),
]


@pytest.mark.parametrize(
    ("below", "call"), CALLS, ids=lambda value: " ".join(value)[:30] if isinstance(value, list) else value
)
def test_nothing_outside_is_written_through_a_link(below: str, call: list[str], tmp_path: Path) -> None:
    """A folder, or a file, of the library is a link to somewhere else: reading may be refused before, or writing."""
    library, outside = write_files(tmp_path / "l", PLANT), tmp_path / "outside"
    new = tmp_path / "new.csv"
    new.write_text("tag,point,type\nfresh,%IX1.0,BOOL\n")
    inner = library / below
    outside.mkdir()
    if inner.is_dir():
        shutil.move(inner, outside / below)
    else:
        (outside / below).write_text("")
    inner.symlink_to(outside / below)
    before = tree(outside)
    result = upright(*[part.replace("{new}", str(new)) for part in call], "--library", library)
    assert tree(outside) == before, result.output


@pytest.mark.parametrize("folder", ["../outside", "/tmp"])
def test_a_folder_that_the_manifest_names_is_not_written_outside(folder: str, tmp_path: Path) -> None:
    library = write_files(
        tmp_path / "l", {"upright.toml": f'tags = "{folder}"\ncases = "{folder}"\n', "blocks/b.st": BLOCK}
    )
    new = tmp_path / "new.csv"
    new.write_text(TAGS)
    (tmp_path / "outside").mkdir()
    for call in (
        ["tags", "--import", new, "--into", "upright_never", "--write"],
        ["run", "B", "--for", "1s", "--save-as", "upright_never/c", "--write"],
    ):
        result = upright(*call, "--library", library)
        assert result.exit_code == 2, result.output
    assert not list((tmp_path / "outside").iterdir())
    assert not list(Path("/tmp").glob("upright_never*"))


def test_a_text_that_changed_since_it_was_read_is_not_overwritten(tmp_path: Path) -> None:
    root = write_files(tmp_path, PLANT)
    library = open_library(root)
    texts, _, _ = library.record(library.cases)
    (root / "cases/b.toml").write_text(CASE + "# mine\n")
    with pytest.raises(NotRunnable, match="has changed since"):
        library.write_texts(texts)
    assert (root / "cases/b.toml").read_text().endswith("# mine\n")


def test_of_several_files_all_are_written_or_none(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    root = write_files(tmp_path, PLANT)
    library = open_library(root)
    before = tree(root)
    texts = {
        root / "a.csv": ("", "new"),
        root / "blocks/b.st": (BLOCK, BLOCK + "\n"),
        root / "cases/b.toml": (CASE, CASE + "\n"),
    }
    replace: Callable[[Path, Path], Path] = Path.replace
    moves = []

    def failing(path: Path, target: Path) -> Path:
        moves.append(target)
        if len(moves) == 3:
            raise OSError(28, "No space left on device", str(target))
        return replace(path, target)

    monkeypatch.setattr(Path, "replace", failing)
    with pytest.raises(NotRunnable, match=r"cases/b.toml cannot be written: No space left"):
        library.write_texts(texts)
    assert tree(root) == before


def test_what_could_not_be_read_again_is_not_written(tmp_path: Path) -> None:
    root = write_files(tmp_path, PLANT)
    with pytest.raises(NotRunnable, match="could not be read again"):
        open_library(root).write_texts({root / "cases/b.toml": (CASE, CASE + '"""')})
    assert (root / "cases/b.toml").read_text() == CASE


TEXTS = ['"""', "it's", "''''''", "\\", "a\\", '""""', "x | y", " lead", "#"]


@pytest.mark.parametrize("text", TEXTS)
def test_a_saved_and_a_recorded_case_hold_any_text(text: str, tmp_path: Path) -> None:
    wide = BLOCK.replace("STRING", "WSTRING").replace("'a'", '"a"')
    root = write_files(tmp_path, {"blocks/b.st": wide})
    literal = '"' + text.replace("$", "$$").replace('"', '$"') + '"'
    call = ["run", "B", "--library", root, "--for", "1s", "--watch", "t"]
    result = upright(*call, "--given", f"s={literal}", "--save-as", "b/c", "--write")
    assert result.exit_code == 0, result.output
    result = upright("verify", "--library", root)
    assert "1 good" in result.output, (root / "cases/b.toml").read_text()
    assert next(case.plan.given for case in open_library(root).cases)[0][1] == text


def test_two_cases_with_one_table_are_recorded_together(tmp_path: Path) -> None:
    cases = "".join(f'[[case]]\nname = "{name}"\nvectors = "v.csv"\n' for name in "ab")
    rows = "n,m\n" + "".join(f"{n},\n" for n in range(40))
    root = write_files(
        tmp_path, {"blocks/b.st": BLOCK, "cases/b.toml": f'block = "B"\nscan = "1s"\n{cases}', "cases/v.csv": rows}
    )
    result = upright("verify", "--record", "b", "--write", "--library", root)
    assert result.exit_code == 0, result.output
    assert (root / "cases/v.csv").read_text() == "n,m\n" + "".join(f"{n},{2 * n}\n" for n in range(40))
    assert "2 good" in upright("verify", "--library", root).output
