#!/usr/bin/env sh
# Instances of the project-scheduling library PSPLIB, from the source package of their parser, for one test of the core.
# Where they cannot be had the test is skipped and says so.
set -u
test -d .venv/psplib/data && exit 0
mkdir -p .venv/psplib
.venv/bin/python -m pip download --quiet --disable-pip-version-check --no-deps --no-binary psplib psplib==0.4.0 \
    --dest .venv/psplib >/dev/null 2>&1 || { echo "psplib: its instances are not to be had here"; exit 0; }
tar -xzf .venv/psplib/psplib-0.4.0.tar.gz -C .venv/psplib --strip-components=1
