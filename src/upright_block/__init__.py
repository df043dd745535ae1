"""Upright Block: a library of function blocks, checked and run with no machine."""

__version__ = "0.1.0"
