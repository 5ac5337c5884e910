#!/usr/bin/env bash
# Everything that must hold: style, types, the import contract, the tests. Called by ./fern test.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
bin=.venv/bin
$bin/ruff check src tests
$bin/ruff format --check src tests
$bin/mypy
$bin/lint-imports
# The core's tests run with no display at all; the window's on a virtual screen of their own.
env -u DISPLAY -u WAYLAND_DISPLAY $bin/python -m pytest tests "$@"
