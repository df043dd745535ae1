"""The cases of a library as tests of pytest, and fixtures for tests in Python. It imports nothing else until there is a
library.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

if TYPE_CHECKING:
    from upright_block import Controller, NotRun, OpenLibrary, ReadyCase

_MANIFEST = "upright.toml"
_WIDTH = 100


class _Libraries:
    """The libraries of a session, each read once."""

    def __init__(self) -> None:
        self.opened: dict[Path, OpenLibrary] = {}

    def library(self, folder: Path) -> OpenLibrary:
        """The library of a folder, or of the nearest one above it.

        Raises:
            UprightError: there is none, or it cannot be used.
        """
        from upright_block import open_library

        root = _root(folder) or folder
        if root not in self.opened:
            self.opened[root] = open_library(root)
        return self.opened[root]


_LIBRARIES = pytest.StashKey[_Libraries]()


def pytest_configure(config: pytest.Config) -> None:
    """Make room for the libraries of a session."""
    config.stash[_LIBRARIES] = _Libraries()


def pytest_collect_file(file_path: Path, parent: pytest.Collector) -> pytest.Collector | None:
    """A file of TOML below a library's manifest may be a case file."""
    if file_path.suffix.lower() != ".toml" or file_path.name == _MANIFEST or _root(file_path.parent) is None:
        return None
    found: CaseFile = CaseFile.from_parent(parent, path=file_path)
    return found


def _root(folder: Path) -> Path | None:
    return next((each for each in (folder, *folder.parents) if (each / _MANIFEST).is_file()), None)


class CaseFile(pytest.File):
    """A case file."""

    def collect(self) -> Iterable[pytest.Item]:
        """Its cases, those that can be run and those that cannot; a file that is none has none."""
        from upright_block import UprightError

        try:
            library = self.config.stash[_LIBRARIES].library(self.path.parent)
            everything: list[ReadyCase | NotRun] = [*library.cases, *library.not_run]
        except UprightError as problem:
            raise self.CollectError(str(problem)) from None
        own = [case for case in everything if _is_same(library.root / _source(case), self.path)]
        if not own:
            errors = [
                f
                for f in library.findings
                if _is_same(library.root / f.source.path, self.path) and f.severity == "error"
            ]
            if errors:
                raise self.CollectError("\n".join(str(finding) for finding in errors))
        from upright_block.reports import visible

        return (CaseItem.from_parent(self, name=visible(case.name), library=library, case=case) for case in own)


def _is_same(one: Path, other: Path) -> bool:
    """Whether two paths lead to one file, also by way of links."""
    return one.resolve() == other.resolve()


def _source(case: ReadyCase | NotRun) -> str:
    from upright_block import NotRun

    return case.source.path if isinstance(case, NotRun) else case.file.source.path


class CaseFailed(Exception):
    """A case is wrong, or could not be run; the text says all of it."""


class CaseItem(pytest.Item):
    """A case as a test."""

    def __init__(self, *, library: OpenLibrary, case: ReadyCase | NotRun, **rest: Any) -> None:
        super().__init__(**rest)
        self.library = library
        self.case = case

    def runtest(self) -> None:
        """Run the case; one that checks nothing is skipped."""
        from upright_block import NotRun
        from upright_block.reports import failure_lines, finding_list, plain

        if isinstance(self.case, NotRun):
            findings = "\n".join(map(plain, finding_list(self.case.findings, show_all=True)))
            raise CaseFailed(f"could not be run: {self.case.reason}\n\n{findings}".rstrip())
        (verdict,) = self.library.run([self.case], jobs=1)
        if verdict.status == "checks nothing":
            pytest.skip("the case checks nothing")
        if verdict.status != "passed":
            raise CaseFailed("\n".join(map(plain, failure_lines(verdict, _WIDTH))))

    def repr_failure(self, excinfo: pytest.ExceptionInfo[BaseException], style: Any = None) -> Any:
        """What `upright verify` shows."""
        if isinstance(excinfo.value, CaseFailed):
            return str(excinfo.value)
        return super().repr_failure(excinfo, style)

    def reportinfo(self) -> tuple[Path, int, str]:
        """Where the case stands."""
        from upright_block import NotRun
        from upright_block.reports import visible

        case = self.case
        line = (
            case.source.line(case.start)
            if isinstance(case, NotRun)
            else case.file.source.line(case.written.place.start)
        )
        return self.path, line - 1, visible(f"{case.unit_name}: {case.name}")


@pytest.fixture
def upright_library(request: pytest.FixtureRequest) -> OpenLibrary:
    """The library that the test stands in: that of the nearest manifest above its file."""
    libraries = request.config.stash[_LIBRARIES]
    return libraries.library(request.path.parent)


@pytest.fixture
def upright_machine(upright_library: OpenLibrary) -> Callable[..., Controller]:
    """What makes machines of the library that the test stands in: ``upright_machine("VentDrive", scan="100ms")``."""
    return upright_library.machine
