"""How long the window does not answer, at the worst."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

from lucky_fern.bench.measure import Row

_LONGEST = 0.1  # seconds


def longest_gap(folder: Path) -> Row:
    """The longest gap of the event loop in a scripted session, against 100 ms."""
    command = [sys.executable, "-m", "lucky_fern.bench.session"]
    env = {**os.environ, "XDG_STATE_HOME": str(folder / "state"), "XDG_CONFIG_HOME": str(folder / "config")}
    done = subprocess.run(command, check=True, env=env, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
    gaps: dict[str, float] = json.loads(done.stdout)
    worst = sorted(gaps.items(), key=lambda item: -item[1])
    detail = ", ".join(f"{part} {gap * 1e3:.0f} ms" for part, gap in worst[:5])
    return Row("longest gap of the event loop", worst[0][1] / _LONGEST, 1.0, "lower", f"the worst: {detail}")


MEASURES = (longest_gap,)
