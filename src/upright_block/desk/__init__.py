"""A desk to sit at: a machine that stays, with its text and values, driven by keys and typed lines.

`desk` is what it holds and does, `lines` what can be typed, `panes` what is seen, `kept` what is left behind, and
`screen` the terminal, which is the one module that needs ``textual``.
"""
