"""A library from outside."""
