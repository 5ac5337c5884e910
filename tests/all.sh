#!/usr/bin/env bash
# Everything that must hold: style, types, the import contract, the tests. Called by ./fern test.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
bin=.venv/bin
$bin/ruff check src tests
$bin/ruff format --check src tests
$bin/mypy
$bin/lint-imports
# The core and the scenes run with no display at all, the window on a virtual screen of its own. Two processes, side
# by side: a thread that has drawn without a display cannot be given to a window afterwards. The window's tests wait
# for frames more than they compute; what the core's say comes when both are through.
unset DISPLAY WAYLAND_DISPLAY
log=$(mktemp)
export FERN_WORLD=$(mktemp -d)
trap 'rm -rf "$log" "$FERN_WORLD"' EXIT
$bin/python -c 'import os, pathlib; from lucky_fern.demo.world import ensure_world as make; make(pathlib.Path(os.environ["FERN_WORLD"]))'
$bin/python -m pytest tests/core tests/render "$@" >"$log" 2>&1 &
core=$!
window=0
$bin/python -m pytest tests/ui "$@" || window=$?
rest=0
wait "$core" || rest=$?
cat "$log"
# Five: nothing of that part was chosen by the arguments.
[ "$window" = 5 ] && window=0
[ "$rest" = 5 ] && rest=0
exit $((window > rest ? window : rest))
