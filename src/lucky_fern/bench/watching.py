"""Pictures of the window's views as they come, and how far each is from how it stays."""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from lucky_fern.core.arrays import F64, U8

if TYPE_CHECKING:
    from lucky_fern.ui.views.view import View

SETTLED = 1.0  # of 255, the mean of all pixels and channels
_CHANGED = 24  # of 765, the sum of three channels: a pixel that an edit changed


@dataclass
class Watched:
    """The pictures of a view with the times at which they came, and processor seconds spent till then."""

    view: View
    came: list[tuple[float, float, U8]] = field(default_factory=list)
    waited: list[tuple[float, float]] = field(default_factory=list)  # from when until when chunks waited to be seen
    since: float | None = None  # when the first of those came that wait now

    def hear(self) -> None:
        """Chunks are done."""
        self.since = time.perf_counter() if self.since is None else self.since

    def look(self) -> None:
        image = self.view.image
        pixels = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine() // 4, 4)
        if self.since is not None:
            self.waited.append((self.since, time.perf_counter()))
            self.since = None
        self.came.append((time.perf_counter(), time.process_time(), pixels[:, : image.width(), :3].copy()))

    def off(self) -> list[float]:
        """How far each picture is from the last one."""
        last = self.came[-1][2].astype(np.int16)
        return [float(np.abs(one - last).mean()) if one.shape == last.shape else 255.0 for *_, one in self.came]

    def since_when(self, least: float) -> tuple[float, float]:
        """When, and after how many processor seconds, it was nearer than that for good."""
        off = self.off()
        far = [at for at, value in enumerate(off) if value >= least]
        return self.came[min(far[-1] + 1 if far else 0, len(self.came) - 1)][:2]

    def oldest(self) -> float:
        """The longest time that chunks which were done waited for a picture, until it was settled."""
        end = self.since_when(SETTLED)[0]
        return max((until - since for since, until in self.waited if until <= end), default=0.0)

    def still(self, begin: float) -> float:
        """The longest time without a new picture until it was settled."""
        end = self.since_when(SETTLED)[0]
        times = [begin, *(at for at, *_ in self.came if at <= end)]
        return float(np.diff(times).max()) if len(times) > 1 else 0.0

    def seen(self) -> F64:
        """Of each picture: of the pixels that are another colour in the end, the share that is nearer to that."""
        first, last = (self.came[at][2].astype(np.int16) for at in (0, -1))
        changed = np.abs(first - last).sum(axis=2) > _CHANGED
        shares = []
        for *_, one in self.came:
            if one.shape != last.shape or not changed.any():
                shares.append(0.0)
                continue
            there = one[changed].astype(np.int16)
            nearer = np.abs(there - last[changed]).sum(axis=1) < np.abs(there - first[changed]).sum(axis=1)
            shares.append(float(nearer.mean()))
        return np.array(shares)

    def seen_since(self, share: float) -> float:
        """When so much of a change was seen for good."""
        less = np.flatnonzero(self.seen() < share)
        return self.came[min(int(less[-1]) + 1 if len(less) else 0, len(self.came) - 1)][0]
