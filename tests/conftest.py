"""Every test run has a cache of compiled modules of its own, and draws the same examples as the run before it.

``UPRIGHT_SEARCH=1 pytest`` draws others each time, to find what is not known yet. Tests marked ``long`` run with
``pytest --long``, and then alone.
"""

from __future__ import annotations

import atexit
import gc
import os
import signal
from collections.abc import Iterator
from pathlib import Path
from shutil import rmtree
from tempfile import mkdtemp

import pytest
from hypothesis import settings

from tests.helpers import upright
from upright_block import cached

settings.register_profile("repeatable", deadline=None, derandomize=True)
settings.register_profile("searching", deadline=None)
settings.load_profile("searching" if "UPRIGHT_SEARCH" in os.environ else "repeatable")


# Where the tests run in the background Ctrl-C may be ignored, and so by what they start.
if signal.getsignal(signal.SIGINT) is signal.SIG_IGN:
    signal.signal(signal.SIGINT, signal.default_int_handler)

# Programs that tests start would compile all packages each time, where nothing is written beside these.
if "PYTHONPYCACHEPREFIX" not in os.environ:
    os.environ["PYTHONPYCACHEPREFIX"] = mkdtemp(prefix="upright-tests-")
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    atexit.register(rmtree, os.environ["PYTHONPYCACHEPREFIX"], ignore_errors=True)


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption(
        "--long", action="store_true", help="run the long tier: random programs, mutants, kills, planted mistakes"
    )


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Keep the tests of the tier that is asked for."""
    tiers: dict[bool, list[pytest.Item]] = {True: [], False: []}
    for item in items:
        tiers[item.get_closest_marker("long") is not None].append(item)
    is_long = bool(config.getoption("--long"))
    config.hook.pytest_deselected(items=tiers[not is_long])
    items[:] = tiers[is_long]


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


@pytest.fixture
def glasshouse(tmp_path: Path) -> Path:
    """The example in a folder of its own."""
    folder = tmp_path / "glasshouse"
    assert upright("demo", folder).exit_code == 0
    return folder


@pytest.fixture
def memory(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    """A cache folder of the test's own, where nothing is remembered yet."""
    folder = tmp_path / "memory"
    folder.mkdir(mode=0o700)
    monkeypatch.setenv("UPRIGHT_CACHE", str(folder))
    cached.cache_folder.cache_clear()
    yield folder
    cached.cache_folder.cache_clear()
