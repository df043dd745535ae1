"""Compiled modules on disk: used when sound, rebuilt when not, never trusted when others can write."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
import wasmtime

from upright_block import cached
from upright_block.compiler import cache

TEXT = '(module (func (export "f") (result i32) i32.const 7))'


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    monkeypatch.setenv("UPRIGHT_CACHE", str(tmp_path / "modules"))
    cached.cache_folder.cache_clear()
    yield tmp_path / "modules"
    cached.cache_folder.cache_clear()


def entries(folder: Path) -> list[Path]:
    return sorted(folder.glob("*"))


def test_a_module_is_kept_for_its_user_alone(folder: Path) -> None:
    cache.compiled(TEXT)
    (entry,) = entries(folder)
    assert stat.S_IMODE(folder.stat().st_mode) & 0o077 == 0
    assert stat.S_IMODE(entry.stat().st_mode) & 0o077 == 0


def test_a_kept_module_is_used(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    cache.compiled(TEXT)
    monkeypatch.setattr(wasmtime, "Module", Refusing)
    with pytest.raises(AssertionError, match="compiled anew"):
        cache.compiled(TEXT.replace("7", "8"))
    Refusing.loaded = False
    cache.compiled(TEXT)
    assert Refusing.loaded


class Refusing:
    """A stand-in that may be loaded and not built."""

    loaded = False

    def __init__(self, *_: object) -> None:
        raise AssertionError("compiled anew")

    @classmethod
    def deserialize(cls, *_: object) -> Refusing:
        cls.loaded = True
        return object.__new__(cls)


@pytest.mark.parametrize("damage", [b"", b"short", b"\0" * 5000])
def test_a_damaged_entry_is_rebuilt(folder: Path, damage: bytes) -> None:
    cache.compiled(TEXT)
    (entry,) = entries(folder)
    sound = entry.read_bytes()
    entry.write_bytes(damage)
    cache.compiled(TEXT)
    assert entry.read_bytes() == sound


def test_a_flipped_bit_is_noticed(folder: Path) -> None:
    cache.compiled(TEXT)
    (entry,) = entries(folder)
    sound = entry.read_bytes()
    damaged = bytearray(sound)
    damaged[len(sound) // 2] ^= 1
    entry.write_bytes(damaged)
    cache.compiled(TEXT)
    assert entry.read_bytes() == sound


@pytest.mark.skipif(not hasattr(os, "getuid"), reason="file modes of this system say nothing")
@pytest.mark.parametrize("what", ["folder", "entry"])
def test_what_others_can_write_is_not_run(folder: Path, what: str, monkeypatch: pytest.MonkeyPatch) -> None:
    cache.compiled(TEXT)
    (folder if what == "folder" else entries(folder)[0]).chmod(0o777)
    monkeypatch.setattr(wasmtime, "Module", Refusing)
    with pytest.raises(AssertionError, match="compiled anew"):
        cache.compiled(TEXT)


def test_a_link_is_not_followed(folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    cache.compiled(TEXT)
    (entry,) = entries(folder)
    entry.rename(tmp_path / "elsewhere")
    entry.symlink_to(tmp_path / "elsewhere")
    monkeypatch.setattr(wasmtime, "Module", Refusing)
    with pytest.raises(AssertionError, match="compiled anew"):
        cache.compiled(TEXT)


def test_a_folder_that_cannot_be_written_does_no_harm(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "file").write_text("in the way")
    monkeypatch.setenv("UPRIGHT_CACHE", str(tmp_path / "file" / "modules"))
    cached.cache_folder.cache_clear()
    assert cache.compiled(TEXT) is not None
    cached.cache_folder.cache_clear()


def test_two_that_write_at_once_leave_one_sound_entry(folder: Path) -> None:
    with ThreadPoolExecutor(8) as pool:
        list(pool.map(cache.compiled, [TEXT] * 32))
    assert len(entries(folder)) == 1
    assert cache.compiled(TEXT) is not None


def test_without_a_home_nothing_is_kept(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("UPRIGHT_CACHE", "~/.cache/modules")
    cached.cache_folder.cache_clear()
    cache.compiled(TEXT)
    assert list(tmp_path.iterdir()) == []
    cached.cache_folder.cache_clear()


@pytest.mark.skipif(not hasattr(os, "mkfifo"), reason="has no pipes with names")
def test_an_entry_that_is_no_file_is_passed_over(folder: Path) -> None:
    cache.compiled(TEXT)
    (entry,) = entries(folder)
    entry.unlink()
    os.mkfifo(entry, 0o600)
    cache.compiled(TEXT)
    assert [stat.S_ISREG(e.stat().st_mode) for e in entries(folder)] == [True]
