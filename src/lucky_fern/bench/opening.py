"""What a person sees after *Demo: Marsh Hen*, read from the pixels of both views as they come.

``python -m lucky_fern.bench.opening [busy]`` prints seconds: ``livery`` and ``settled``, until both views differ from
what they show in the end by less than 12 of 255 on the average, and by less than 1; ``oldest``, the longest time that
a view's picture was not renewed while it was not yet what it became; ``rest``, until nothing is to be done any more;
``processor``, spent until both were settled. With ``busy`` another process keeps one core busy meanwhile.
"""

from __future__ import annotations

import json
import subprocess
import sys
import time
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from lucky_fern.bench.stage import SIZE, application
from lucky_fern.core.arrays import U8

if TYPE_CHECKING:
    from lucky_fern.ui.views.view import View

_LIVERY, _SETTLED = 12.0, 1.0  # of 255, the mean of all pixels and channels
_LONGEST = 240.0  # seconds


@dataclass
class _Watched:
    """The pictures of a view with the times at which they came, and processor seconds spent till then."""

    view: View
    came: list[tuple[float, float, U8]] = field(default_factory=list)

    def look(self) -> None:
        image = self.view.image
        pixels = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine() // 4, 4)
        self.came.append((time.perf_counter(), time.process_time(), pixels[:, : image.width(), :3].copy()))

    def off(self) -> list[float]:
        """How far each picture is from the last one."""
        last = self.came[-1][2].astype(np.int16)
        return [float(np.abs(one - last).mean()) if one.shape == last.shape else 255.0 for *_, one in self.came]

    def since(self, least: float) -> tuple[float, float]:
        """When, and after how many processor seconds, it was nearer than that for good."""
        off = self.off()
        far = [at for at, value in enumerate(off) if value >= least]
        return self.came[min(far[-1] + 1 if far else 0, len(self.came) - 1)][:2]

    def oldest(self, begin: float) -> float:
        """The longest time without a new picture until it was settled."""
        end = self.since(_SETTLED)[0]
        times = [begin, *(at for at, *_ in self.came if at <= end)]
        return float(np.diff(times).max()) if len(times) > 1 else 0.0


def measured(busy: bool = False, demo: str = "ferry") -> dict[str, float]:
    """Open a demo in a window and watch it come; seconds as the module says."""
    with application() as running:
        from lucky_fern.demo.world import ensure_world
        from lucky_fern.ui.window.main import Window
        from lucky_fern.ui.window.parts import Parts

        ensure_world()
        window = Window(Parts())
        window.resize(*SIZE)
        window.show()
        window.rest.wait(20)
        other = subprocess.Popen([sys.executable, "-c", "while True: pass"]) if busy else None
        watched = [_Watched(view) for view in (window.model_view, window.sheet_view)]
        try:
            for one in watched:
                one.view.frame_drawn.connect(one.look)
            begin, spent = time.perf_counter(), time.process_time()
            window.parts.work.open_demo(demo)
            running.processEvents()
            window.rest.wait(_LONGEST)
            rest = time.perf_counter() - begin
            for one in watched:
                one.look()
                one.view.frame_drawn.disconnect(one.look)
        finally:
            if other is not None:
                other.kill()
        livery = max(one.since(_LIVERY)[0] for one in watched) - begin
        settled, processor = (max(one.since(_SETTLED)[at] for one in watched) for at in (0, 1))
        window.parts.close()
        return {
            "livery": livery, "settled": settled - begin, "oldest": max(one.oldest(begin) for one in watched),
            "rest": rest, "processor": processor - spent,
        }  # fmt: skip


if __name__ == "__main__":
    json.dump(measured("busy" in sys.argv[1:]), sys.stdout)
