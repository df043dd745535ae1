"""The project on disk."""

from upright_block.library.files import FileProblem, Files, unread_files
from upright_block.library.library import Library, Texts, check_texts, load_library, read_texts
from upright_block.library.manifest import LibraryProblem, Manifest, find_root
from upright_block.library.toml import Origin, Toml, TomlProblem, read_toml

__all__ = [
    "FileProblem",
    "Files",
    "Library",
    "LibraryProblem",
    "Manifest",
    "Origin",
    "Texts",
    "Toml",
    "TomlProblem",
    "check_texts",
    "find_root",
    "load_library",
    "read_texts",
    "read_toml",
    "unread_files",
]
