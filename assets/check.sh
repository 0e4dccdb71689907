#!/bin/sh
# Compares what is committed with a rebuild, where Node is there.
set -eu
cd "$(dirname "$0")"
if ! command -v npm >/dev/null 2>&1; then
  echo "no Node here: the built stylesheet is taken as it is"
  exit 0
fi
npm ci --ignore-scripts --silent --no-audit --no-fund
made=$(mktemp -d)
trap 'rm -rf "$made"' EXIT
sh build.sh "$made"
for file in app.css icons.svg; do
  cmp "$made/$file" "../src/unisequa/web/static/$file" || { echo "$file is not what its sources build; run 'make css'" >&2; exit 1; }
done
echo "stylesheet and icons are what their sources build"
