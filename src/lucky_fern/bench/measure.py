"""How to measure: two things in turns, and what a row of figures holds."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass

import cv2
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


def random_rgba(seed: int, size: int) -> np.ndarray:
    """(size, size, 4) uint8 of soft noise, straight alpha."""
    rng = np.random.default_rng(seed)
    small = rng.integers(0, 256, (size // 16, size // 16, 4), dtype=np.uint8)
    return np.asarray(cv2.resize(small, (size, size), interpolation=cv2.INTER_LINEAR))
