#!/usr/bin/env bash
# Ruff, mypy, import directions, lengths, golden vectors; the interface's types, linter and formatter.
set -uo pipefail
cd "$(dirname "$0")/.."
PATH="$PWD/.venv/bin:$PATH"
failed=0
ruff check . || failed=1
ruff format --check -q . || { echo "ruff format: some files are not formatted"; failed=1; }
mypy || failed=1
lint-imports --no-cache | tail -n 4 || failed=1
long=$(find gullywind scripts material -name '*.py' ! -path '*/migrations/*' -exec awk 'END { if (NR > 300) print FILENAME ": " NR }' {} \;)
[ -z "$long" ] || { echo "more than 300 lines: $long"; failed=1; }
python -m scripts.golden --check || { echo "tests/golden is not as Python says: python -m scripts.golden"; failed=1; }
python -m scripts.openapi --check || failed=1
(cd web && npm run --silent check) || failed=1
[ $failed = 0 ] && echo "lint: nothing found" || echo "lint: FAILED, see above"
exit $failed
