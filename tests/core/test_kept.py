"""What is kept while there is room for it, and what must not grow."""

from __future__ import annotations

import gc
import threading
from functools import partial
from pathlib import Path

import numpy as np

from lucky_fern.core.compositing.kept import Kept
from lucky_fern.core.model.load import load_model
from lucky_fern.core.sheets.faces import pack_faces
from lucky_fern.core.sheets.surface import Surface


def test_a_value_is_made_once_for_all_who_wait_and_no_lock_stays() -> None:
    kept, made = Kept(1000), []
    ready = threading.Barrier(8)

    def note(number: int) -> int:
        made.append(number)
        return number

    def ask(once: bool) -> None:
        ready.wait()
        for number in range(100):
            make = partial(note, number)
            if once:
                assert kept.like(("like", number), "ground", make, lambda _: 1, once=True) == number
            else:
                assert kept.get(number, make, lambda _: 1) == number

    for once in (False, True):
        made.clear()
        threads = [threading.Thread(target=ask, args=(once,)) for _ in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        assert sorted(made) == list(range(100))
    gc.collect()
    assert len(kept._making) == 0


def test_selections_of_the_past_are_not_kept_for_ever(plane: Path) -> None:
    surface = Surface(load_model(plane))
    count = surface.model.triangle_count
    packed = pack_faces(np.ones(count, np.bool_))
    for number in range(300):
        surface.triangles_of((None, None, (packed + " " * number,)))
        surface.triangles_of(((f"part {number}",), None, None))
    assert len(surface._packed) <= 64 and len(surface._chosen) <= 64
    assert surface.triangles_of((None, None, (packed,))).sum() == count
