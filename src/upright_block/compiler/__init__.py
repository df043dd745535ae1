"""Typed tree to WebAssembly, and the layout of its memory."""
