"""Statements as rungs in characters. IEC 61131-3:2013, 8.1 and 8.2, tables 73 to 76.

`parts` says what a rung is drawn of, `circuits` and `making` make
rungs of expressions and statements, `laying` gives their characters.
"""

from upright_block.language.rungs.laying import laid_out
from upright_block.language.rungs.making import Maker, condition_of
from upright_block.language.rungs.notes import Notes
from upright_block.language.rungs.parts import Laid, Mark

__all__ = ["Laid", "Maker", "Mark", "Notes", "condition_of", "laid_out"]
