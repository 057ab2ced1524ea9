"""``python -m brumel``."""

from brumel.cli import main

main(prog_name="./brumel")
