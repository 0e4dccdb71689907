#!/bin/sh
# Builds what the pages are served with into the folder given: stylesheet, fonts, scripts, icons.
set -eu
out=$1
here=$(dirname "$0")
cd "$here"
mkdir -p "$out/fonts" "$out/vendor"
node_modules/.bin/tailwindcss -i app.css -o "$out/app.css" --minify 2>/dev/null
for family in barlow barlow-semi-condensed; do
  for weight in 400 500 600; do
    cp "node_modules/@fontsource/$family/files/$family-latin-$weight-normal.woff2" "$out/fonts/"
  done
  cp "node_modules/@fontsource/$family/LICENSE" "$out/fonts/$family-LICENSE"
done
cp node_modules/@alpinejs/csp/dist/cdn.min.js "$out/vendor/alpine-csp.min.js"
cp node_modules/htmx.org/dist/htmx.min.js "$out/vendor/htmx.min.js"
cp node_modules/htmx.org/dist/ext/hx-alpine-compat.min.js "$out/vendor/"
cp node_modules/htmx.org/LICENSE "$out/vendor/htmx-LICENSE"
node icons.mjs > "$out/icons.svg"
cp node_modules/lucide-static/LICENSE "$out/vendor/lucide-LICENSE"
