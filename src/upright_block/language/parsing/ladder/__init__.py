"""Ladders in characters, read to the statements that they mean. IEC 61131-3:2013, 8.1 and 8.2, tables 73 to 76.

`grid` finds the rungs of a body, `elements` what stands in one, `network` what is linked to what, `meaning` gives the
statements in the order in which a rung is evaluated.
"""

from upright_block.language.parsing.ladder.body import Label, read_condition, read_ladder
from upright_block.language.parsing.ladder.elements import Element, Word, is_word
from upright_block.language.parsing.ladder.grid import ASCII, QUOTED, Line
from upright_block.language.parsing.ladder.meaning import Hidden, Read
from upright_block.language.parsing.ladder.network import RAIL, BoxPin, Feed, Joint, Network, network_of

__all__ = [
    "ASCII",
    "QUOTED",
    "RAIL",
    "BoxPin",
    "Element",
    "Feed",
    "Hidden",
    "Joint",
    "Label",
    "Line",
    "Network",
    "Read",
    "Word",
    "is_word",
    "network_of",
    "read_condition",
    "read_ladder",
]
