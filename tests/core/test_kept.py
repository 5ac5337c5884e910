"""What is kept while there is room for it, and what must not grow."""

from __future__ import annotations

import gc
import threading
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lucky_fern.core.compositing import compositor
from lucky_fern.core.compositing.compositor import MapKey, MapStore
from lucky_fern.core.compositing.kept import Kept
from lucky_fern.core.model.load import load_model
from lucky_fern.core.project.blobs import Blobs, digest_of
from lucky_fern.core.sheets.faces import pack_faces
from lucky_fern.core.sheets.grid import all_chunks, square
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.studio import Studio


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


def test_contents_can_be_added_and_read_while_others_are_forgotten() -> None:
    blobs, stop, failed = Blobs(), threading.Event(), []
    kept = {blobs.add(b"kept %d" % number) for number in range(200)}
    blobs.used(kept)

    def work(seed: int) -> None:
        number = 0
        try:
            while not stop.is_set():
                data = b"%d of %d" % (number, seed)
                assert blobs[blobs.add(data)] == data  # nothing that was just added is forgotten
                later = digest_of(b"later" + data)
                blobs.put_later(later, partial(bytes.__add__, b"later", data))
                blobs.fetch()
                number += 1
        except (AssertionError, KeyError, RuntimeError) as error:
            failed.append(error)

    threads = [threading.Thread(target=work, args=(seed,)) for seed in range(4)]
    for thread in threads:
        thread.start()
    for _ in range(300):
        blobs.keep_only(kept)
    stop.set()
    for thread in threads:
        thread.join()
    assert not failed and all(one in blobs for one in kept)


def test_a_thread_that_did_not_end_in_time_writes_into_no_map_of_the_next(
    plane: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    studio, begun, go = Studio.new(plane, sheet_size=300), threading.Event(), threading.Event()
    key = MapKey(studio.surface.keys[0], "colour")
    store, draw = MapStore(studio.sources), compositor.composite_chunk

    def slowly(*given: Any) -> Any:
        begun.set()
        assert go.wait(10)
        return draw(*given)

    monkeypatch.setattr(compositor, "composite_chunk", slowly)
    stuck = threading.Thread(target=store.update, args=(studio.project, key, all_chunks(square(300))))
    stuck.start()
    assert begun.wait(10)
    other = Studio.new(plane, sheet_size=300)
    store.renew(other.sources)
    mine = store.get(key, square(300))
    mine[:] = 77
    go.set()
    stuck.join()
    assert store.sources is other.sources and store.maps[key] is mine and (mine == 77).all()
