"""``python -m brumel``."""

import gc

# Most of what a command makes is its modules, and they stay: walking through them costs a tenth of every start.
gc.set_threshold(50_000, 20, 20)

from brumel.cli import main  # noqa: E402

main(prog_name="./brumel")
