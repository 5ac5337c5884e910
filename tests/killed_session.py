"""A session that is killed at a random moment, over and over: what was done must be there afterwards, all of it.

``python tests/killed_session.py 200`` does it so many times. With ``--live SEED FOLDER`` it is the session itself.
"""

from __future__ import annotations

import random
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from lucky_fern.core import easel
from lucky_fern.core.log.place import new_session
from lucky_fern.core.log.reading import lost_sessions, recovered
from lucky_fern.core.log.writing import SessionLog, Snapshot
from lucky_fern.core.painting.brush import Brush
from lucky_fern.core.project.commands import AddLayer, RemoveLayers, SetLayer
from lucky_fern.core.project.document import Brushwork, Channel, Wash
from lucky_fern.core.studio import Studio
from samples import PLANE

LONGEST = 0.6  # seconds that a session lives after its first step, at the most


def session(seed: int, folder: Path) -> Iterator[tuple[Studio, Path | None]]:
    """The same steps for the same seed; the studio after each of them, and where it was saved last."""
    chance = random.Random(seed)
    model = folder / "plane.obj"
    model.write_text(PLANE)
    studio, path = Studio.new(model, sheet_size=512), None
    yield studio, path
    for number in range(100_000):
        layers = [layer.id for layer in studio.project.walk()]
        painted = [layer.id for layer in studio.project.walk() if isinstance(layer.content, Brushwork)]
        what = chance.random()
        if not layers or what < 0.2:
            colour = f"#{chance.randrange(1 << 24):06x}"
            studio.execute(AddLayer(f"Wash {number}", Wash(), {"colour": Channel(colour)}))
        elif not painted or what < 0.3:
            studio.execute(AddLayer(f"Brushwork {number}", Brushwork(), {}))
        elif what < 0.6:
            stroke = easel.begin_stroke(studio, Brush(0.05 + 0.1 * chance.random()))
            studio.history.seal()
            began, layer = studio.project, chance.choice(painted)
            for _ in range(4):
                stroke.go_to(np.array([chance.random(), chance.random(), 0.0]), np.array([0.0, 0.0, 1.0]))
                easel.paint_on_layer(studio, layer, stroke.take_fresh(), {"colour": "#804020"}, began)
            studio.history.seal()
        elif what < 0.8:
            studio.execute(SetLayer(chance.choice(layers), opacity=round(chance.random(), 3)))
            studio.history.seal()
        elif what < 0.9:
            studio.jump(chance.randrange(len(studio.history.steps)))
        elif what < 0.95 and len(layers) > 3:
            studio.execute(RemoveLayers((chance.choice(layers),)))
        else:
            path = folder / "saved.fern"
            studio.save(path)
        yield studio, path


def live(seed: int, folder: Path) -> None:
    """Live it, and tell after each step that it is done."""
    log = None
    for number, (studio, path) in enumerate(session(seed, folder)):
        if log is None:
            log = SessionLog(new_session(folder / "sessions"), studio.blobs, None, sys.exit)
            log.begin(studio.project, studio.project.name, None)
        log.note(Snapshot(studio.history.steps, studio.history.at, studio.saved, path))
        print(number, flush=True)


def killed(seed: int) -> int:
    """Kill one and compare what comes back with the same steps done again; how many steps it had done."""
    chance = random.Random(seed)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        command = [sys.executable, __file__, "--live", str(seed), name]
        process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert process.stdout is not None
        process.stdout.readline()
        time.sleep(chance.random() * LONGEST)
        process.send_signal(signal.SIGKILL)
        told, _ = process.communicate()
        done = max([0, *(int(line) for line in told.split("\n")[:-1])])
        found = lost_sessions(folder / "sessions")
        again = folder / "again"
        again.mkdir()
        steps = session(seed, again)
        now, _ = next(steps)
        for _ in range(done):
            now, _ = next(steps)
        if not found:  # only where nothing was unsaved
            changed = now.changed
            next(steps)  # it may have been saved between the step and its word for it
            assert not changed or not now.changed, f"seed {seed}: nothing comes back of {done} steps"
            return done
        back, _ = recovered(found[0].id, folder / "sessions")
        if back.project != now.project or back.history.titles != now.history.titles:
            next(steps)  # killed between the step and its word for it
        assert back.project == now.project, f"seed {seed}: another state came back after {done} steps"
        assert back.history.titles == now.history.titles and back.history.at == now.history.at, f"seed {seed}"
        assert back.changed == now.changed
        return done


def main() -> None:
    if sys.argv[1] == "--live":
        live(int(sys.argv[2]), Path(sys.argv[3]))
        return
    count = int(sys.argv[1])
    done = [killed(seed) for seed in range(count)]
    print(f"killed {count} sessions after {min(done)} to {max(done)} steps: everything came back")


if __name__ == "__main__":
    main()
