"""Which cases were good when they were run last, and what they and all that they use had in them then."""

from __future__ import annotations

import hashlib
import json
import stat
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from functools import cached_property
from pathlib import Path
from typing import Any

from upright_block.cached import cache_folder, is_ours, locked
from upright_block.cases.plan import BoundCase, NotRun, ReadyCase
from upright_block.language.source import Source
from upright_block.language.typed import Unit
from upright_block.library import Library
from upright_block.runs.verdict import Verdict
from upright_block.whole import write_file

_FORM = 2


class History:
    """What is remembered of the cases of one library, in the user's cache folder; it is never needed for a verdict.

    ``bound`` are its cases by their keys, ``more`` are sources that every case depends on, such as files of rules;
    ``version`` is that of the product.
    """

    def __init__(self, library: Library, bound: Mapping[str, BoundCase], more: Iterable[Source], version: str) -> None:
        self.library = library
        self.bound = bound
        self.more = tuple(more)
        self.version = version
        self.digests: dict[Unit | Source, str] = {}

    @property
    def path(self) -> Path:
        """The file that holds it."""
        name = hashlib.sha256(str(self.library.root.resolve()).encode()).hexdigest()
        return cache_folder() / f"{name}.runs"

    @cached_property
    def known(self) -> dict[str, list[str]]:
        """By the file and the name of a case: what it was good with last, and whether its last run was ``good`` or
        ``wrong``.
        """
        return self._read()

    def _read(self) -> dict[str, list[str]]:
        """What stands in the file now, where nobody else can have written it."""
        try:
            if not is_ours(self.path.parent, stat.S_ISDIR) or not is_ours(self.path):
                return {}
            found: Any = json.loads(self.path.read_text("utf-8"))
            cases = found["cases"] if found["form"] == _FORM else {}
        except (OSError, ValueError, KeyError, TypeError):
            return {}
        is_sound = isinstance(cases, dict) and all(
            isinstance(entry, list) and len(entry) == 2 and all(isinstance(part, str) for part in entry)
            for entry in cases.values()
        )
        return cases if is_sound else {}

    def is_changed(self, case: ReadyCase) -> bool:
        """Whether a case, its block or anything that it uses differs from its last good run."""
        return self.known.get(case.key, [""])[0] != self.digest(case)

    def is_wrong(self, case: ReadyCase) -> bool:
        """Whether the last run of a case was wrong."""
        return self.known.get(case.key, ["", ""])[1] == "wrong"

    def remember(self, verdicts: Sequence[Verdict], cases: Iterable[ReadyCase | NotRun]) -> None:
        """Keep what came of some cases, beside what other calls have kept meanwhile.

        Of a file that is gone, or that was read and has no such case any more, which ``cases`` tell, nothing is kept.
        """
        if not self.path.is_absolute():
            return
        still = {case.key for case in cases}
        read = {key.partition("\0")[0] for key in still}
        with suppress(OSError):  # it is a convenience, and a full disk no reason to fail
            self.path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            with locked(self.path):
                before = self._read()
                kept = {key: entry for key, entry in before.items() if key in still or self._may_be(key, read)}
                for verdict in verdicts:
                    key = verdict.case.key
                    if verdict.status in ("failed", "fault"):
                        kept[key] = [kept.get(key, [""])[0], "wrong"]
                    else:
                        kept[key] = [self.digest(verdict.case), "good"]
                if kept != before:
                    write_file(self.path, json.dumps({"form": _FORM, "cases": kept}).encode(), is_private=True)

    def _may_be(self, key: str, read: set[str]) -> bool:
        """Whether a case may still be there: its file is, and could not be read now."""
        path = key.partition("\0")[0]
        return path not in read and (self.library.root / path).exists()

    # --- content ---

    def digest(self, case: ReadyCase) -> str:
        """A digest of all that decides the verdict on a case."""
        written, bound = case.written, self.bound[case.key]
        tables = [table for table in (written.vectors, *(driven.table for driven in written.stimuli)) if table]
        sources = dict.fromkeys([case.file.source, *(table.source for table in tables)])
        looked = dict.fromkeys(self._of_unit(probe.method) for probe in bound.probes)
        parts = [self._of_unit(bound.unit), *looked, *map(self._of_source, sources), case.id]
        return hashlib.sha256("\0".join(parts).encode()).hexdigest()

    def _of_source(self, source: Source) -> str:
        if source not in self.digests:
            content = f"{source.path}\0{source.text}".encode("utf-8", "surrogatepass")
            self.digests[source] = hashlib.sha256(content).hexdigest()
        return self.digests[source]

    def _of_unit(self, unit: Unit) -> str:
        if unit not in self.digests:
            reached = list(self._reached(unit))
            used = dict.fromkeys(each.source for each in reached if not each.is_standard and each.kind != "METHOD")
            sources = sorted({*map(self._of_source, used), *self._common})
            if any(each.shares is not None for each in reached):
                sources += sorted(map(self._of_source, self.library.tables))
            self.digests[unit] = hashlib.sha256("\0".join(sources).encode()).hexdigest()
        return self.digests[unit]

    @staticmethod
    def _reached(unit: Unit) -> Iterable[Unit]:
        """All that a unit uses, also by reference, by interface, or as what it extends."""
        found = {unit: None}
        waiting = [unit]
        while waiting:
            used = waiting.pop()
            beside = (*used.roles, *used.methods.values(), *([used.owner] if used.owner else ()))
            for other in (*used.uses.values(), *used.refers.values(), *beside):
                if other not in found:
                    found[other] = None
                    waiting.append(other)
        return found

    @cached_property
    def _common(self) -> set[str]:
        """What every case depends on: the manifest, rules, and where types and global variables are declared."""
        scope = self.library.scope
        sources = [self.library.manifest.source, *self.more]
        sources += [named.source for named in scope.types.values()]
        sources += [v.source for v in scope.globals.variables.values() if v.source and v.key not in scope.tags]
        return {self.version, *map(self._of_source, dict.fromkeys(sources))}
