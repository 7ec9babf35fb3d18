#!/bin/sh
# Everything that is checked, in the order of cheapness. Called by ./zincplate test, which has set up what is needed.
# With arguments, only pytest runs, with them.
set -eu
cd "$(dirname "$0")/.."
step() { printf '== %s\n' "$*"; }
if [ $# -eq 0 ]; then
    step "ruff"; .venv/bin/ruff check -q src tests tools; .venv/bin/ruff format --check -q src tests tools
    step "mypy"; .venv/bin/mypy
    step "import-linter"; .venv/bin/lint-imports --no-cache >var/import-linter.log 2>&1 || { cat var/import-linter.log; exit 1; }
    step "generated files"
    .venv/bin/python -W ignore -m zincplate.recipe.schema | cmp - src/zincplate/recipe/recipe.schema.json || { echo "recipe.schema.json is out of date: run tools/generate.sh"; exit 1; }
    .venv/bin/python -W ignore -m zincplate.cli.main openapi | cmp - docs/openapi.json || { echo "docs/openapi.json is out of date: run tools/generate.sh"; exit 1; }
    .venv/bin/python -W ignore -m zincplate.cli.main types | cmp - web/src/api/generated/recipe.ts || { echo "recipe.ts is out of date: run tools/generate.sh"; exit 1; }
    (cd web && npx openapi-typescript ../docs/openapi.json -o ../var/api.ts >/dev/null 2>&1 && cmp ../var/api.ts src/api/generated/api.ts) || { echo "api.ts is out of date: run tools/generate.sh"; exit 1; }
    step "biome"; (cd web && npx biome check --reporter=summary .)
    step "TypeScript"; (cd web && npx tsc --noEmit)
    step "vitest"; (cd web && npx vitest run --silent)
    step "pytest"
fi
[ $# -gt 0 ] || set -- -n 2 --durations=12
exec .venv/bin/python -W ignore -m pytest "$@"
