"""``python -m upright_block``"""

from upright_block.cli.ending import program

program()
