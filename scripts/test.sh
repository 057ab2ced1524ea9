#!/usr/bin/env bash
# Every check, in the order of how soon it tells. Called by ./brumel test; arguments go to pytest.
set -euo pipefail
cd "$(dirname "$0")/.."
bin=$PWD/.venv/bin
"$bin/ruff" check .
"$bin/ruff" format --check .
"$bin/mypy"
"$bin/lint-imports" --no-logo 2>/dev/null || "$bin/lint-imports"
# Three at a time on two cores: most of a browser test is waiting. A module's database stays with one of them.
exec "$bin/pytest" -n 3 --dist loadfile --no-loadscope-reorder "$@"
