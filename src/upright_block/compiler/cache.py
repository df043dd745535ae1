"""Compiled modules on disk, by content.

Loading a compiled module runs its machine code, so an entry is used only when it lies in a folder
and a file that belong to this user and that nobody else can write, and when its own digest agrees.
Anything else is compiled anew; the cache never makes a run fail.
"""

from __future__ import annotations

import hashlib
import os
import platform
import stat
import tempfile
from contextlib import suppress
from functools import cache
from importlib.metadata import version
from pathlib import Path

import platformdirs
import wasmtime

_DIGEST = 32
_MOST_ENTRIES = 2000


ENGINE = wasmtime.Engine(wasmtime.Config())
"""The one engine of the process; modules are shared by all threads."""


@cache
def cache_folder() -> Path:
    """The folder of compiled modules; ``UPRIGHT_CACHE`` names another one."""
    named = os.environ.get("UPRIGHT_CACHE")
    return (
        Path(named)
        if named
        else Path(platformdirs.user_cache_dir("upright-block", appauthor=False)) / "modules"
    )


def compiled(text: str) -> wasmtime.Module:
    """The compiled module of a WebAssembly text, from the cache where it is there and sound."""
    path = cache_folder() / f"{_key(text)}.module"
    module = _read(path)
    if module is None:
        module = wasmtime.Module(ENGINE, text)
        with suppress(OSError):
            _write(path, bytes(module.serialize()))
    return module


def _key(text: str) -> str:
    """Everything that the compiled bytes depend on."""
    parts = (text, version("wasmtime"), platform.machine(), platform.system())
    return hashlib.sha256("\0".join(parts).encode()).hexdigest()


def _read(path: Path) -> wasmtime.Module | None:
    try:
        if not _is_ours(path.parent) or not _is_ours(path):
            return None
        data = path.read_bytes()
        digest, payload = data[:_DIGEST], data[_DIGEST:]
        if hashlib.sha256(payload).digest() != digest:
            return None
        return wasmtime.Module.deserialize(ENGINE, payload)
    except (OSError, wasmtime.WasmtimeError):
        return None


def _is_ours(path: Path) -> bool:
    """Whether only this user can have written ``path``."""
    status = path.lstat()
    if stat.S_ISLNK(status.st_mode):
        return False
    if not hasattr(os, "getuid"):
        return True
    return status.st_uid == os.getuid() and not status.st_mode & 0o022


def _write(path: Path, payload: bytes) -> None:
    """Write an entry whole or not at all; two runs that write at once write the same bytes."""
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    if not _is_ours(path.parent):
        return
    handle, name = tempfile.mkstemp(dir=path.parent, suffix=".part")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(hashlib.sha256(payload).digest() + payload)
        os.replace(name, path)
    except BaseException:
        with suppress(OSError):
            os.unlink(name)
        raise
    _prune(path.parent)


@cache
def _prune(folder: Path) -> None:
    """Drop the oldest entries when there are too many; once in a run."""
    entries = list(folder.glob("*.module"))
    if len(entries) > _MOST_ENTRIES:
        entries.sort(key=lambda entry: entry.stat().st_mtime)
        for entry in entries[: len(entries) // 2]:
            with suppress(OSError):
                entry.unlink()
