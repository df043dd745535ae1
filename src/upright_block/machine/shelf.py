"""Long logs put aside: in a file without a name that the system reads back page by page, so that memory stays
bounded.
"""

from __future__ import annotations

import mmap
from tempfile import TemporaryFile
from typing import IO


class Shelf:
    """Keeps byte strings; those beyond the first ``most`` bytes lie on the disk, in a file that is gone with the
    process.
    """

    def __init__(self, most: int) -> None:
        self._room = most
        self._end = 0
        self._file: IO[bytes] | None = None

    def put(self, content: bytes | memoryview) -> bytes | memoryview:
        """The same bytes, in memory or on the disk."""
        if len(content) <= self._room:
            self._room -= len(content)
            return content
        if self._file is None:
            self._file = TemporaryFile()
        self._file.seek(self._end)
        self._file.write(content)
        self._file.flush()
        found = mmap.mmap(self._file.fileno(), len(content), access=mmap.ACCESS_READ, offset=self._end)
        self._end += -(-len(content) // mmap.ALLOCATIONGRANULARITY) * mmap.ALLOCATIONGRANULARITY
        return memoryview(found)
