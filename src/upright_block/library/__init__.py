"""The project on disk."""

from upright_block.library.library import Library, files, load_library, read_source, shown_path
from upright_block.library.manifest import LibraryProblem, Manifest, find_root

__all__ = [
    "Library",
    "LibraryProblem",
    "Manifest",
    "files",
    "find_root",
    "load_library",
    "read_source",
    "shown_path",
]
