"""Files that ship inside the package."""

from __future__ import annotations

import os
import sys
from typing import Any


def shipped_text(package: str, name: str) -> str:
    """The text of a file beside the modules of a package, which its loader reads wherever it lies.

    The reader of resources in the standard library would do the same, and take 10 ms of each start to be read itself.
    """
    spec = sys.modules[package].__spec__
    assert spec is not None
    assert spec.origin is not None
    loader: Any = spec.loader
    content: bytes = loader.get_data(os.path.join(os.path.dirname(spec.origin), name))
    return content.decode("utf-8")
