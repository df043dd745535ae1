"""The user's cache folder, and files in it that nobody else can have written."""

from __future__ import annotations

import os
import stat
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path


@cache
def cache_folder() -> Path:
    """The folder of compiled modules and of what is remembered; ``UPRIGHT_CACHE`` names another one."""
    named = os.environ.get("UPRIGHT_CACHE")
    if named:
        return Path(named)
    import platformdirs

    return Path(platformdirs.user_cache_dir("upright-block", appauthor=False)) / "modules"


@contextmanager
def locked(path: Path) -> Iterator[None]:
    """Keep other processes of this user from what stands at ``path`` meanwhile; where that cannot be, go on without."""
    try:
        import fcntl
    except ImportError:
        yield
        return
    with path.with_suffix(".lock").open("a") as file:
        fcntl.flock(file, fcntl.LOCK_EX)
        yield


def is_ours(path: Path, is_kind: Callable[[int], bool] = stat.S_ISREG) -> bool:
    """Whether ``path`` is a file, or what ``is_kind`` says, that only this user can have written."""
    status = path.lstat()
    if not is_kind(status.st_mode):
        return False
    if not hasattr(os, "getuid"):
        return True
    return status.st_uid == os.getuid() and not status.st_mode & 0o022
