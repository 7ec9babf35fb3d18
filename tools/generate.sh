#!/bin/sh
# Writes everything that is generated: the API description and the page's types. The tests fail when it is out of date.
set -eu
cd "$(dirname "$0")/.."
PYTHONPATH=src .venv/bin/python -W ignore -m zincplate.recipe.schema >src/zincplate/recipe/recipe.schema.json
./zincplate openapi >docs/openapi.json
(cd web && npx openapi-typescript ../docs/openapi.json -o src/api/generated/api.ts >/dev/null)
./zincplate types >web/src/api/generated/recipe.ts
