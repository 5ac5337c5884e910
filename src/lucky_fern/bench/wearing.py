"""What a person sees after *Worn edges* was put on the demo ferry, read from the pixels of both views.

``python -m lucky_fern.bench.wearing [busy]`` prints seconds from the click: ``coarse`` and ``fine``, until in both
views half, and nine tenths, of the pixels that it changes are nearer to how they stay than to how they were. Nothing
of it was measured before: what the computer keeps of surveys is another folder meanwhile. With ``busy`` another
process keeps one core busy.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time

from lucky_fern.bench.stage import SIZE, application
from lucky_fern.bench.watching import Watched

_HALF, _MOST = 0.5, 0.9
_LONGEST, _AFTER = 120.0, 3.0  # seconds for all that is seen, and for the last of it to come to the card


def measured(busy: bool = False) -> dict[str, float]:
    """Open the ferry, let it rest, put the recipe on it and watch; seconds as the module says."""
    with application() as running, tempfile.TemporaryDirectory() as folder:
        from lucky_fern.core.ready import WEAR
        from lucky_fern.core.recipes import put_recipe
        from lucky_fern.demo.world import ensure_world
        from lucky_fern.ui.window.main import Window
        from lucky_fern.ui.window.parts import Parts

        ensure_world()
        os.environ["XDG_CACHE_HOME"] = folder
        window = Window(Parts())
        window.resize(*SIZE)
        window.show()
        window.rest.wait(20)
        window.parts.work.open_demo("ferry")
        running.processEvents()
        window.rest.wait(_LONGEST)
        other = subprocess.Popen([sys.executable, "-c", "while True: pass"]) if busy else None
        watched = [Watched(view) for view in (window.model_view, window.sheet_view)]
        done: list[float] = []
        try:
            for one in watched:
                one.look()
                one.view.frame_drawn.connect(one.look)
            window.parts.maps.seen_done.connect(lambda: done.append(time.perf_counter()))
            begin = time.perf_counter()
            window.parts.work.execute(put_recipe(WEAR["worn edges"][1]()))
            while time.perf_counter() < (done[0] + _AFTER if done else begin + _LONGEST):
                running.processEvents()
                time.sleep(0.004)  # not Qt's own waiting, which would hold up all other threads
            for one in watched:
                one.look()
                one.view.frame_drawn.disconnect(one.look)
        finally:
            if other is not None:
                other.kill()
        coarse, fine = (max(one.seen_since(share) for one in watched) - begin for share in (_HALF, _MOST))
        window.parts.close()
        return {"coarse": coarse, "fine": fine}


if __name__ == "__main__":
    json.dump(measured("busy" in sys.argv[1:]), sys.stdout)
