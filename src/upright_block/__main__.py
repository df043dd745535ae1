"""``python -m upright_block``"""

from upright_block.cli.main import main

main(prog_name="upright")
