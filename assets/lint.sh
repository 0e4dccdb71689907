#!/bin/sh
# Lints the pages' scripts, checks their types and runs their tests, where Node is there.
set -eu
cd "$(dirname "$0")"
if ! command -v npm >/dev/null 2>&1; then
  echo "no Node here: the scripts are taken as they are"
  exit 0
fi
test -x node_modules/.bin/eslint || npm ci --ignore-scripts --silent --no-audit --no-fund
(cd .. && assets/node_modules/.bin/eslint --config assets/eslint.config.mjs src/unisequa/web/static tests/scripts)
node_modules/.bin/tsc -p tsconfig.json
node_modules/.bin/tsc -p tsconfig.pages.json
node --test --test-reporter=dot ../tests/scripts/*.test.mjs
