"""Every test run has a cache of compiled modules of its own, and draws the same examples as the run before it.

``UPRIGHT_SEARCH=1 pytest`` draws others each time, to find what is not known yet.
"""

from __future__ import annotations

import gc
import os
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings

settings.register_profile("repeatable", deadline=None, derandomize=True)
settings.register_profile("searching", deadline=None)
settings.load_profile("searching" if "UPRIGHT_SEARCH" in os.environ else "repeatable")


@pytest.fixture(scope="session", autouse=True)
def own_cache(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    folder = tmp_path_factory.mktemp("modules")
    os.environ["UPRIGHT_CACHE"] = str(folder)
    yield folder
    del os.environ["UPRIGHT_CACHE"]


@pytest.fixture(autouse=True)
def collector() -> Iterator[None]:
    """The program switches the collector off for its own short life; the tests go on."""
    yield
    gc.enable()
