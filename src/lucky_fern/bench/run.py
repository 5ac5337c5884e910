"""The benchmark: each row a ratio of our time to a reference's, medians of alternating runs."""

from __future__ import annotations

import json
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np


@dataclass(frozen=True)
class Row:
    """One figure. ``better`` says on which side of ``goal`` the ratio should be."""

    name: str
    ratio: float
    goal: float
    better: str
    detail: str


def side_by_side(ours: Callable[[], object], reference: Callable[[], object], runs: int = 7) -> tuple[float, float]:
    """Median seconds of both, run in turns after a warm-up, so that a noisy machine is noisy to both."""
    ours()
    reference()
    times: tuple[list[float], list[float]] = ([], [])
    for _ in range(runs):
        for work, kept in ((ours, times[0]), (reference, times[1])):
            start = time.perf_counter()
            work()
            kept.append(time.perf_counter() - start)
    return statistics.median(times[0]), statistics.median(times[1])


def run(as_json: bool) -> int:
    """Measure every row there is and print them; always exit code 0: a figure is no failure."""
    from lucky_fern.bench.rows import MEASURES

    rows = []
    with tempfile.TemporaryDirectory() as folder:
        for measure in MEASURES:
            rows.append(measure(Path(folder)))
            row = rows[-1]
            if not as_json:
                met = row.ratio >= row.goal if row.better == "higher" else row.ratio <= row.goal
                sign = "≥" if row.better == "higher" else "≤"
                verdict = "met" if met else "NOT MET"
                print(f"{row.name}: {row.ratio:.2f} (goal {sign} {row.goal:g}) {verdict}; {row.detail}")
                sys.stdout.flush()
    if as_json:
        print(json.dumps({"rows": [asdict(row) for row in rows]}))
    return 0


def random_rgba(seed: int, size: int) -> np.ndarray:
    """(size, size, 4) uint8 of soft noise, straight alpha."""
    import cv2

    rng = np.random.default_rng(seed)
    small = rng.integers(0, 256, (size // 16, size // 16, 4), dtype=np.uint8)
    return np.asarray(cv2.resize(small, (size, size), interpolation=cv2.INTER_LINEAR))
