"""Compiled modules on disk, by content.

Loading a compiled module runs its machine code, so an entry is used only when it lies in a folder
and a file that belong to this user and that nobody else can write, and when its own digest agrees.
Anything else is compiled anew; the cache never makes a run fail.
"""

from __future__ import annotations

import hashlib
import platform
import stat
from contextlib import suppress
from functools import cache
from pathlib import Path
from threading import Lock

import wasmtime

from upright_block.cached import cache_folder, is_ours
from upright_block.whole import write_file

_DIGEST = 32
_MOST_ENTRIES = 2000


_MOST_STACK = (2 << 20) - (64 << 10)
"""Bytes of stack that a function may take which is compiled in one pass: it keeps all values there."""
_engines: dict[bool, wasmtime.Engine] = {}
_engines_lock = Lock()


def engine(is_large: bool = False) -> wasmtime.Engine:
    """The one engine that compiles and runs the modules of a kind; modules are shared by all threads.

    A function beyond all measure takes the careful allocation of registers a time that grows with its square, so
    such a module gets machine code that is slower and made in time.
    """
    with _engines_lock:
        if is_large not in _engines:
            config = wasmtime.Config()
            if is_large:
                config.max_wasm_stack = _MOST_STACK
                config.cranelift_opt_level = "none"
                config.cranelift_flag_set("regalloc_algorithm", "single_pass")
            _engines[is_large] = wasmtime.Engine(config)
        return _engines[is_large]


def compiled(text: str, is_large: bool = False) -> wasmtime.Module:
    """The compiled module of a WebAssembly text, from the cache where it is there and sound; see `engine`."""
    path = cache_folder() / f"{_key(text)}.module"
    module = _read(path, is_large)
    if module is None:
        module = wasmtime.Module(engine(is_large), text)
        with suppress(OSError):
            _write(path, bytes(module.serialize()))
    return module


def _key(text: str) -> str:
    """Everything that the compiled bytes depend on; the engine itself refuses those of another version of it."""
    parts = (text, platform.machine(), platform.system())
    return hashlib.sha256("\0".join(parts).encode()).hexdigest()


def _read(path: Path, is_large: bool) -> wasmtime.Module | None:
    try:
        if not is_ours(path.parent, stat.S_ISDIR) or not is_ours(path):
            return None
        data = path.read_bytes()
        digest, payload = data[:_DIGEST], data[_DIGEST:]
        if hashlib.sha256(payload).digest() != digest:
            return None
        return wasmtime.Module.deserialize(engine(is_large), payload)
    except (OSError, wasmtime.WasmtimeError):
        return None


def _write(path: Path, payload: bytes) -> None:
    """Write an entry whole or not at all; two runs that write at once write the same bytes."""
    if not path.is_absolute():
        return  # there is no home folder to keep it in
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    if not is_ours(path.parent, stat.S_ISDIR):
        return
    write_file(path, hashlib.sha256(payload).digest() + payload, is_private=True)
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
