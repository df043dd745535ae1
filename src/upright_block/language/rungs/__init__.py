"""Statements as rungs in characters. IEC 61131-3:2013, 8.1 and 8.2, tables 73 to 76.

`parts` says what a rung is drawn of, `making` makes rungs of statements, `laying` gives the characters of one.
"""

from upright_block.language.rungs.laying import laid_out
from upright_block.language.rungs.making import Drawn, condition_of, rungs_of
from upright_block.language.rungs.parts import Laid, Mark

__all__ = ["Drawn", "Laid", "Mark", "condition_of", "laid_out", "rungs_of"]
