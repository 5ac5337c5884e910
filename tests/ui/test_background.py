"""Work beside the window: nothing is lost, nothing late is shown, everything can be called off."""

from __future__ import annotations

import sys
import threading
import time
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication

from hands import Hands
from lucky_fern.core.compositing.compositor import MapKey, MapStore, composite_sheet
from lucky_fern.core.compositing.levels import Levels
from lucky_fern.core.errors import LuckyFernError, PictureError
from lucky_fern.core.project.commands import AddLayer, SetChannel, SetLayer, SetSheetSize
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.project.file import save_project
from lucky_fern.core.sheets.grid import Chunk, all_chunks, square
from lucky_fern.core.sheets.needs import UNSEEN
from lucky_fern.ui.session.compositing_thread import CompositingThread, Order
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.stations.model.check_page import CheckPage
from lucky_fern.ui.views.drawing_thread import NO_GL
from lucky_fern.ui.window.main import Window
from lucky_fern.ui.window.parts import Parts
from samples import save_png


def until(done, seconds: float = 20.0) -> None:
    end = time.monotonic() + seconds
    while not done() and time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.005)
    assert done()


def test_errands_come_back_in_order_and_failures_are_told(qapp: QApplication) -> None:
    errands, got, told = Errands(), [], []
    errands.failed.connect(told.append)

    def fail() -> None:
        raise PictureError("x.png cannot be read")

    errands.send("one", lambda: (time.sleep(0.05), 1)[1], got.append)
    errands.send("two", fail, got.append)
    errands.send("three", lambda: threading.current_thread().name, got.append)
    until(lambda: not errands.busy)
    assert got[0] == 1 and got[1].startswith("fern-beside") and told == ["x.png cannot be read"]


def test_what_was_called_off_is_dropped_even_if_it_still_arrives(qapp: QApplication) -> None:
    errands, got, gate = Errands(), [], threading.Event()
    errands.send("slow", lambda: gate.wait(5), got.append)
    errands.send("next", lambda: 2, got.append)
    errands.call_off()
    gate.set()
    errands.send("after", lambda: 3, got.append)
    until(lambda: bool(got) and not errands.busy)
    assert got == [3]


def test_a_storm_of_edits_ends_with_the_maps_of_the_last_one(hands: Hands) -> None:
    parts = hands.parts
    base = parts.work.project.layers[0].id
    rng = np.random.default_rng(3)
    for step in range(40):
        if step % 7 == 3:
            parts.work.execute(SetSheetSize(square(int(rng.choice([256, 512, 1024])))))
        if step % 5 == 2:
            parts.work.execute(SetLayer(parts.work.project.layers[1].id, visible=bool(step % 2)))
        colour = "#" + "".join(f"{v:02x}" for v in rng.integers(0, 256, 3))
        parts.work.execute(SetChannel(base, "colour", Channel(colour)), merge=True)
        QApplication.processEvents()
    hands.wait()
    key = parts.work.studio.surface.keys[0]
    size = parts.work.project.size_of(key).width
    for name in ("colour", "roughness", "metallic"):
        fresh = composite_sheet(
            parts.work.studio.sources, parts.work.project, name, parts.work.studio.surface.sheet(key, square(size)), 8
        )
        assert (parts.maps.store.get(MapKey(key, name), square(size)) == fresh).all(), name


def test_sheets_may_become_smaller_before_they_are_composited(hands: Hands) -> None:
    studio = hands.parts.work.studio
    studio.execute(SetSheetSize(square(1024)))
    large = studio.project
    studio.execute(SetSheetSize(square(256)))
    small, key = studio.project, studio.surface.keys[0]

    class Interrupted(MapStore):
        """In the middle of the first maps the sheets become smaller."""

        def update(self, project, *rest):
            if project is large:
                thread.request(small)
            return super().update(project, *rest)

    store = Interrupted(studio.sources)
    thread = CompositingThread(Levels(studio.sources, store))
    try:
        thread.request(large)
        assert thread.settled.wait(60)
    finally:
        thread.close()
    for name in ("colour", "roughness"):
        fresh = composite_sheet(studio.sources, small, name, studio.surface.sheet(key, square(256)), 8)
        assert np.array_equal(store.get(MapKey(key, name), square(256)), fresh), name


def test_what_could_not_be_worked_out_is_told_stays_to_be_done_and_is_never_taken_as_finished(hands: Hands) -> None:
    parts, studio = hands.parts, hands.parts.work.studio
    key, said = studio.surface.keys[0], []
    whole, broken = studio.project.size_of(key), [True]

    class Breaks(MapStore):
        def update(self, project, key, *rest):
            if broken[0] and key.map == "roughness":
                raise LuckyFernError("the moss has grown over")
            return super().update(project, key, *rest)

    store = Breaks(studio.sources)
    thread = CompositingThread(Levels(studio.sources, store))
    thread.failed.connect(said.append, Qt.ConnectionType.DirectConnection)
    rested = threading.Event()
    thread.rested.connect(lambda serial: serial and rested.set(), Qt.ConnectionType.DirectConnection)
    try:
        thread.request(studio.project)
        assert rested.wait(60) and not thread.settled.is_set() and said == ["the moss has grown over"]
        fresh = composite_sheet(studio.sources, studio.project, "colour", studio.surface.sheet(key, whole), 8)
        assert np.array_equal(store.get(MapKey(key, "colour"), whole), fresh)  # the others are there
        mine, parts.maps.compositing = parts.maps.compositing, thread
        assert parts.maps.finished(studio.project) is None
        parts.maps.compositing = mine
        rested.clear()
        thread.request(studio.project)
        assert rested.wait(60) and not thread.settled.is_set() and len(said) == 1  # told once
        broken[0] = False
        thread.request(studio.project)
        assert thread.settled.wait(60)
    finally:
        thread.close()
    fresh = composite_sheet(studio.sources, studio.project, "roughness", studio.surface.sheet(key, whole), 8)
    assert np.array_equal(store.get(MapKey(key, "roughness"), whole), fresh)


def test_a_thread_that_hangs_holds_nobody_up_and_writes_into_no_store_of_another(
    hands: Hands, monkeypatch: pytest.MonkeyPatch
) -> None:
    studio = hands.parts.work.studio
    key = studio.surface.keys[0]
    size = studio.project.size_of(key)
    hangs, going_on = threading.Event(), threading.Event()

    class Hangs(MapStore):
        def update(self, project, key, *rest):
            if threading.current_thread() is first._thread:
                kept = self.get(key, project.size_of(key.sheet))
                hangs.set()
                going_on.wait(60)
                kept[:] = 77  # a late write
            return super().update(project, key, *rest)

    monkeypatch.setattr("lucky_fern.ui.session.compositing_thread._PATIENT", 0.2)
    store = Hangs(studio.sources)
    levels = Levels(studio.sources, store)
    first = CompositingThread(levels)
    first.request(studio.project)
    assert hangs.wait(60)
    begin = time.perf_counter()
    first.stop()
    second = CompositingThread(levels, studio.sources, frozenset(), first)
    second.request(studio.project)
    assert time.perf_counter() - begin < 0.15  # nobody waits here
    try:
        assert second.settled.wait(60)
        going_on.set()
        assert first.ended(60)
    finally:
        second.close()
    fresh = composite_sheet(studio.sources, studio.project, "colour", studio.surface.sheet(key, size), 8)
    assert np.array_equal(store.get(MapKey(key, "colour"), size), fresh)


def test_a_check_of_the_layout_that_breaks_does_not_say_that_all_is_well(
    hands: Hands, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    hands.parts.mishaps.listen(tmp_path / "mishaps.log")

    def breaks(*_: object) -> None:
        raise ValueError("of no use")

    with monkeypatch.context() as patch:
        patch.setattr("lucky_fern.ui.session.layout_watch.check_layout", breaks)
        hands.parts.work.execute(SetSheetSize(square(128)))
        hands.parts.looking.go_to("model")
        hands.wait()
    page = hands.window.findChild(CheckPage)
    assert "went wrong" in page.check_state.text() and "nothing to worry" not in page.check_state.text()


def test_all_that_is_seen_comes_coarsely_then_as_finely_as_it_is_seen_then_the_rest(hands: Hands) -> None:
    studio = hands.parts.work.studio
    studio.execute(SetSheetSize(square(2048)))
    key = studio.surface.keys[0]
    colour = MapKey(key, "colour")
    need = np.full((8, 8), 2, np.int8)
    need[:, 4:] = UNSEEN
    need[0, 0] = 0  # a place that is seen texel by texel
    answers: list[tuple[MapKey, int, frozenset[Chunk]]] = []
    seen: list[int] = []  # answers until what is seen was there
    levels = Levels(studio.sources)
    thread = CompositingThread(levels)
    thread.chunks_done.connect(
        lambda key, chunks, level: answers.append((key, level, frozenset(chunks))), Qt.ConnectionType.DirectConnection
    )
    thread.seen_done.connect(lambda: seen.append(len(answers)), Qt.ConnectionType.DirectConnection)
    order = Order(seen=lambda: {key: need})
    try:
        thread.request(studio.project, order)
        assert thread.settled.wait(120)
        assert levels.shown == {key: 0}  # the finest that is needed anywhere
        before = [level for _, level, _ in answers[: seen[0]]]
        assert before == sorted(before, reverse=True) and set(before) == {3, 2, 0}
        near = [chunks for key, level, chunks in answers[: seen[0]] if level == 0]
        assert near and all(chunks == {Chunk(0, 0)} for chunks in near)
        middle = set().union(*(chunks for one, level, chunks in answers[: seen[0]] if (one, level) == (colour, 2)))
        assert middle == {Chunk(0, 0), Chunk(1, 0)}  # the left half
        size, coarse = square(2048), levels.level(3).store.get(colour, square(256))
        fine = composite_sheet(studio.sources, studio.project, "colour", studio.surface.sheet(key, size), 8)
        assert np.array_equal(levels.store.get(colour, size), fine)
        far = np.abs(coarse[:, :128].repeat(8, axis=0).repeat(8, axis=1).astype(int) - fine[:, :1024]).max(axis=2)
        assert np.median(far) <= 1 and (far > 16).mean() < 0.1  # only where pictures have detail
        # An edit of all that takes longer than a moment goes the same way; a small one is made at its own size.
        answers.clear()
        edited = SetChannel(studio.project.layers[0].id, "colour", Channel("#204060")).apply(studio.project)
        edited = SetChannel(studio.project.layers[0].id, "roughness", Channel(0.9)).apply(edited)
        thread._pace = 1.0
        thread.request(edited, order)
        assert thread.settled.wait(120)
        assert [level for _, level, _ in answers[:2]] == [3, 3] and answers[0][0] == colour
        answers.clear()
        thread._pace = 0.0
        thread.request(studio.project, order)
        assert thread.settled.wait(120) and {level for _, level, _ in answers} == {0}
        # Nothing is to be done where one turns to what is there.
        answers.clear()
        thread.look(Order(seen=lambda: {key: np.zeros((8, 8), np.int8)}))
        until(lambda: thread.resting)
        assert not answers
    finally:
        thread.close()


def test_opening_can_be_called_off_and_keeps_what_is_open(hands: Hands, tmp_path: Path) -> None:
    project = hands.parts.work.project
    other = tmp_path / "other.fern"
    save_project(other, AddLayer("On top", Wash(), {}).apply(project), hands.parts.work.studio.blobs)
    hands.parts.work.open(other)
    assert hands.window.ground.call_off.isVisible() and "other.fern" in hands.window.notice.text()
    hands.window.ground.call_off.click()
    hands.wait()
    assert hands.parts.work.project is project and not hands.window.ground.call_off.isVisible()
    hands.parts.work.open(other)
    hands.wait()
    assert hands.parts.work.project.layers[-1].name == "On top" and hands.parts.work.path == other


def test_a_save_waits_for_nothing_and_is_told_as_it_ended(hands: Hands, tmp_path: Path) -> None:
    work, window, gate, told = hands.parts.work, hands.window, threading.Event(), []
    path, writing = tmp_path / "kept.fern", threading.Event()
    hands.parts.errands.send("Opening something …", gate.wait, lambda _: None)
    work.save(path, told.append)
    until(lambda: bool(told))
    assert told == [True] and path.exists() and hands.parts.errands.busy
    gate.set()
    until(lambda: not hands.parts.errands.busy)
    gate.clear()
    before, write = path.read_bytes(), work.studio.write

    def slowly(*given: Any) -> None:
        writing.set()
        gate.wait()
        write(*given)

    work.studio.write = slowly
    hands.parts.errands.send("Opening another …", gate.wait, lambda _: None)
    assert work.execute(AddLayer("On top", Wash(), {}))
    work.save(path, told.append)
    assert writing.wait(5)
    window.ground.call_off.click()  # what is being opened, as the line says
    assert "kept.fern" in window.notice.text() and window.ground.call_off.isVisible()
    window.ground.call_off.click()  # the save
    gate.set()
    until(lambda: len(told) == 2)
    assert told == [True, False] and path.read_bytes() == before and work.studio.changed
    assert "Not saved" in window.notice.text() and list(tmp_path.iterdir()) == [path]
    del work.studio.write
    work.save(path, told.append)
    until(lambda: len(told) == 3)
    assert told[-1] and path.read_bytes() != before and not work.studio.changed


def test_a_picture_file_joins_the_kit_once_and_says_what_was_done_to_it(hands: Hands, tmp_path: Path) -> None:
    count = len(hands.parts.work.project.pictures)
    path = save_png(tmp_path / "new mark.png", np.full((4, 6, 3), 99, np.uint8))
    for _ in range(2):
        hands.parts.bringing.bring([path])
        hands.wait()
    assert len(hands.parts.work.project.pictures) == count + 1
    assert hands.window.tray.strip.index_of("new mark.png").isValid()
    hands.parts.work.undo()
    assert len(hands.parts.work.project.pictures) == count


@pytest.mark.parametrize("picture", ["gone.png", "text.png"])
def test_a_picture_that_cannot_be_read_is_named(hands: Hands, tmp_path: Path, picture: str) -> None:
    (tmp_path / "text.png").write_text("hello")
    hands.parts.bringing.bring([tmp_path / picture])
    hands.wait()
    assert picture in hands.window.notice.text() and hands.window.notice.label.objectName() == "warn"


def test_drawing_and_editing_lose_no_references(hands: Hands) -> None:
    """A binding that drops a reference at every call from Qt ends the program after minutes."""
    window = hands.window

    def work() -> None:
        for widget in (window.board.grid.viewport(), window.board.heading.viewport(), window.model_view.overlay):
            widget.repaint()
        window.board.refresh()
        window.settings.refresh()
        QApplication.processEvents()

    work()
    before = sys.getrefcount(None)
    for _ in range(50):
        work()
    assert sys.getrefcount(None) > before - 50


def test_chunks_on_their_way_to_the_card_may_be_closed_meanwhile(hands: Hands) -> None:
    packing = hands.parts.maps.packing
    key = next(iter(hands.parts.maps.store.maps))
    hands.window.drawing_thread.close()  # nobody takes them
    packing.want(key, set(all_chunks(hands.parts.work.sheet_sizes()[key.sheet])))
    until(lambda: packing.first() is not None)
    packing.close()
    packing.taken()  # by whoever asked before it was closed
    assert packing.first() is None and not packing.waiting


def test_without_opengl_the_views_say_what_to_do_and_the_rest_works(
    hands: Hands, monkeypatch: pytest.MonkeyPatch
) -> None:
    def missing(**_: object) -> None:
        raise ValueError("Requested OpenGL version 330, got version 210")

    monkeypatch.setattr("lucky_fern.ui.views.drawing_thread.moderngl.create_context", missing)
    window = Window(Parts())
    window.show()
    window.parts.work.take(hands.parts.work.studio)
    assert window.rest.wait(30), window.rest.under_way
    assert window.model_view.overlay.hint == window.sheet_view.overlay.hint == NO_GL
    assert window.parts.work.execute(AddLayer("Blind", Wash(), {"colour": Channel("#ff0000")}))
    assert window.rest.wait(30)
    monkeypatch.setattr(window, "may_leave", lambda: True)
    window.close()
    window.deleteLater()
