"""How long the window does not answer, at the worst, what its views cost, and how often they draw."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from functools import cache
from pathlib import Path

from lucky_fern.bench.measure import Row

_LONGEST = 0.1  # seconds
_RUNS = 3


def longest_gap(folder: Path) -> Row:
    """The longest gap of the event loop in a scripted session, against 100 ms; the median of several sessions."""
    runs = sorted((_asked("session", folder) for _ in range(_RUNS)), key=lambda gaps: max(gaps.values()))
    gaps = runs[_RUNS // 2]
    worst = sorted(gaps.items(), key=lambda item: -item[1])
    detail = ", ".join(f"{part} {gap * 1e3:.0f} ms" for part, gap in worst[:5])
    return Row("longest gap of the event loop", worst[0][1] / _LONGEST, 1.0, "lower", f"the worst: {detail}")


def _asked(module: str, folder: Path) -> dict[str, float]:
    """What a module of the bench prints, in a process of its own."""
    command = [sys.executable, "-m", f"lucky_fern.bench.{module}"]
    env = {**os.environ, "XDG_STATE_HOME": str(folder / "state"), "XDG_CONFIG_HOME": str(folder / "config")}
    done = subprocess.run(command, check=True, env=env, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
    found: dict[str, float] = json.loads(done.stdout)
    return found


@cache
def _views(folder: Path) -> dict[str, float]:
    return _asked("window", folder)


def cost_of_views(folder: Path) -> Row:
    """Compositing with a window against without."""
    alone, window = _views(folder)["alone"], _views(folder)["window"]
    detail = f"{window:.1f} s until all maps are there; without a window {alone:.1f} s"
    return Row("the ferry with a window, 4 × 2K", window / alone, 1.3, "lower", detail)


def frames_in_motion(folder: Path) -> Row:
    """Twenty frames a second against those that are drawn while the view turns."""
    frames = _views(folder)["frames"]
    return Row("a frame in motion", 20 / frames, 1.0, "lower", f"{frames:.0f} frames a second; the goal is 20")


def slider_of_a_rule(folder: Path) -> Row:
    """From a move of a rule's slider to a frame with its first chunks, against two frames of the program."""
    seconds, frame = _views(folder)["slider"], 1 / _views(folder)["frames"]
    detail = f"{seconds * 1e3:.0f} ms; a frame takes {frame * 1e3:.0f} ms"
    return Row("a rule's slider, first chunks", seconds / (2 * frame), 1.0, "lower", detail)


MEASURES = (longest_gap, cost_of_views, frames_in_motion, slider_of_a_rule)
