"""Loops are compiled once on a computer, and whoever waits for it is told."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

LOOPS = """
from lucky_fern.core.compiled import kernel, tell_compiling

@kernel
def doubled(values):
    for at in range(len(values)):
        values[at] = two() * values[at]

@kernel
def two():
    return 2.0
"""
ASK = """
import numpy as np, loops
told = []
end = loops.tell_compiling(told.append)
for kind in (np.float64, np.float64, np.float32):
    values = np.ones(3, kind)
    loops.doubled(values)
    assert (values == 2).all()
end()
loops.doubled(np.ones(3, np.int64))
print(told)
"""


def test_who_waits_for_the_compiler_is_told_and_only_then(tmp_path: Path) -> None:
    (tmp_path / "loops.py").write_text(LOOPS)

    def run() -> str:
        env = {**os.environ, "PYTHONPATH": str(tmp_path)}
        done = subprocess.run([sys.executable, "-c", ASK], env=env, capture_output=True, text=True, timeout=120)
        assert done.returncode == 0, done.stderr
        return done.stdout.strip()

    assert run() == "[1, 2, 3]"  # for floats of both sizes, and what they call
    assert run() == "[]"  # the disk keeps them
