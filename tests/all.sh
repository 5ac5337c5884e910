#!/usr/bin/env bash
# Everything that must hold: style, types, the import contract, the tests. Called by ./fern test.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
bin=.venv/bin
$bin/ruff check src tests
$bin/ruff format --check src tests
$bin/mypy
$bin/lint-imports
# The core and the scenes run with no display at all, the window on a virtual screen of its own. Two
# processes: a thread that has drawn without a display cannot be given to a window afterwards.
unset DISPLAY WAYLAND_DISPLAY
$bin/python -m pytest tests/core tests/render "$@"
$bin/python -m pytest tests/ui "$@"
