#!/usr/bin/env bash
# Every check, in the order of how soon it tells. Called by ./brumel test with the folder of the programs; further arguments go to pytest.
set -euo pipefail
cd "$(dirname "$0")/.."
bin=$1
shift
"$bin/ruff" check .
"$bin/ruff" format --check .
"$bin/mypy"
"$bin/lint-imports" --no-logo 2>/dev/null || "$bin/lint-imports"
# Two at a time, one a core: three slow each other down. Most of a browser test is waiting. A module's database stays with one of them.
exec "$bin/pytest" -n 2 --dist loadfile --no-loadscope-reorder "$@"
