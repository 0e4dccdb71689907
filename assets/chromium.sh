#!/bin/sh
# Chromium for the browser tests, from Debian's packages where they may be installed.
command -v chromium >/dev/null 2>&1 && exit 0
if command -v apt-get >/dev/null 2>&1; then
  sudo=""
  [ "$(id -u)" = 0 ] || sudo="sudo -n"
  $sudo apt-get update -qq && $sudo apt-get install -y -qq --no-install-recommends chromium >/dev/null
fi
command -v chromium >/dev/null 2>&1 && exit 0
echo "Chromium is needed for the browser tests; install the package 'chromium'." >&2
exit 1
