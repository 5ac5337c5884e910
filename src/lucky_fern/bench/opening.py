"""What a person sees after *Demo: Marsh Hen*, read from the pixels of both views as they come.

``python -m lucky_fern.bench.opening [busy] [PROJECT.fern]`` prints seconds: ``livery`` and ``settled``, until both
views differ from what they show in the end by less than 12 of 255 on the average, and by less than 1; ``oldest``, the
longest time that chunks which were done waited for the next picture of a view, until that was settled; ``still``, the
longest time without any new picture till then; ``rest``, until nothing is to be done any more; ``processor``, spent
until both were settled; and ``peak``, the most memory that it took, in MB. With ``busy`` another process keeps one
core busy meanwhile.
"""

from __future__ import annotations

import json
import resource
import subprocess
import sys
import time
from pathlib import Path

from lucky_fern.bench.stage import SIZE, application
from lucky_fern.bench.watching import SETTLED, Watched

_LIVERY = 12.0  # of 255, the mean of all pixels and channels
_LONGEST = 240.0  # seconds


def measured(busy: bool = False, project: Path | None = None) -> dict[str, float]:
    """Open the ferry, or a project, in a window and watch it come; seconds as the module says."""
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
        watched = [Watched(view) for view in (window.model_view, window.sheet_view)]
        try:
            for one in watched:
                one.view.frame_drawn.connect(one.look)
                window.parts.maps.changed.connect(one.hear)
            begin, spent = time.perf_counter(), time.process_time()
            if project is None:
                window.parts.work.open_demo("ferry")
            else:
                window.parts.work.open(project)
            running.processEvents()
            window.rest.wait(_LONGEST)
            rest = time.perf_counter() - begin
            for one in watched:
                one.look()
                one.view.frame_drawn.disconnect(one.look)
        finally:
            if other is not None:
                other.kill()
        livery = max(one.since_when(_LIVERY)[0] for one in watched) - begin
        settled, processor = (max(one.since_when(SETTLED)[at] for one in watched) for at in (0, 1))
        window.parts.close()
        return {
            "livery": livery, "settled": settled - begin,
            "oldest": max(one.oldest() for one in watched), "still": max(one.still(begin) for one in watched),
            "rest": rest, "processor": processor - spent,
            "peak": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024,
        }  # fmt: skip


if __name__ == "__main__":
    projects = [Path(one) for one in sys.argv[1:] if one.endswith(".fern")]
    json.dump(measured("busy" in sys.argv[1:], projects[0] if projects else None), sys.stdout)
