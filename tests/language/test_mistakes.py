"""The mistakes that people make most, each a small file with exactly what is found in it."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import checked

FILES = sorted((Path(__file__).parent.parent / "mistakes").glob("*.st"))
MARK = "//! "


@pytest.mark.parametrize("path", FILES, ids=lambda path: path.stem)
def test_a_mistake_is_found_once_and_with_a_way_out(path: Path) -> None:
    """A file begins with its findings, each in a line ``//! line:column severity name: message way out``."""
    lines = path.read_text(encoding="utf-8").splitlines(keepends=True)
    expected = [line.removeprefix(MARK).rstrip("\n") for line in lines if line.startswith(MARK)]
    text = "".join(line for line in lines if not line.startswith(MARK))
    found = checked(text)[1]
    assert [
        f"{f.line}:{f.column} {f.severity} {f.name}: {f.message} {f.way_out}".rstrip() for f in found
    ] == expected
    assert len(found) == 1
    assert found[0].way_out


def test_there_are_many_of_them() -> None:
    assert len(FILES) >= 180
