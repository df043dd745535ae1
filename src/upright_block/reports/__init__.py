"""Verdicts, findings and blocks, as text with roles and as plain data."""
