"""The thread that draws: what is wanted last is shown, chunks come in meanwhile, and nothing stops it for good."""

from __future__ import annotations

import gc
import threading
import time
import weakref
from collections.abc import Callable, Iterator
from pathlib import Path

import moderngl
import numpy as np
import pytest

from lucky_fern.core.compositing.changes import everything
from lucky_fern.core.compositing.compositor import MapStore
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.sheets.grid import Extent, all_chunks, square
from lucky_fern.core.studio import Studio
from lucky_fern.render import environment
from lucky_fern.render.camera import Camera
from lucky_fern.render.drawing import Canvas, Drawing, Stock, Wanted
from lucky_fern.render.model_painter import ModelPainter, ModelPicture
from lucky_fern.render.model_scene import Look
from lucky_fern.render.parcels import HOME, Parcel, packed
from lucky_fern.render.sheet_painter import SheetPainter, SheetPicture
from lucky_fern.render.sheet_scene import FlatCamera, TileMap
from lucky_fern.render.textures import SheetTextures
from lucky_fern.render.tint import Coloured
from samples import PLANE

SIZE = (160, 120)


class Box:
    """Parcels that are packed when they are wanted."""

    def __init__(self, store: MapStore) -> None:
        self.store = store
        self.ready: list[Parcel] = []

    @property
    def waiting(self) -> bool:
        return bool(self.ready)

    def want_all(self, keys) -> None:
        for key, kept in self.store.maps.items():
            if key.sheet in keys:
                size = Extent(*kept.shape[1::-1])
                self.ready += [packed(self.store, key.sheet, HOME[key.map], size, one) for one in all_chunks(size)]

    def first(self) -> Parcel | None:
        return self.ready[0] if self.ready else None

    def taken(self) -> None:
        self.ready.pop(0)


class Room:
    """A drawing thread with a context of its own, and what it told."""

    def __init__(self) -> None:
        self.idle, self.told = threading.Event(), list[Exception]()
        self.drawing = Drawing(self.context, lambda: None, lambda: True, self.idle.set, self.told.append)
        self.shown: list[np.ndarray] = []

    def context(self) -> moderngl.Context:
        return moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]  # its stubs lack it

    def canvas(self, make: Callable[[moderngl.Context], object] = SheetPainter) -> Canvas:
        made = Canvas(self.drawing, make, self.shown.append, lambda: False)
        made.set_visible(True)
        self.drawing.add(made)
        return made

    def rest(self, canvas: Canvas) -> np.ndarray:
        """The last picture once nothing is due any more, (rows, columns, 3) red, green, blue."""
        end = time.monotonic() + 60
        while canvas.busy and time.monotonic() < end:
            time.sleep(0.005)
        assert not canvas.busy
        return self.shown[-1][..., 2::-1]


@pytest.fixture
def room() -> Iterator[Room]:
    made = Room()
    yield made
    made.drawing.close()


@pytest.fixture
def studio(tmp_path: Path) -> Studio:
    (tmp_path / "plane.obj").write_text(PLANE)
    studio = Studio.new(tmp_path / "plane.obj", sheet_size=64)
    studio.execute(AddLayer("All", Wash(), {"colour": Channel("#c06030")}))
    return studio


def picture(studio: Studio | None, ground: float = 0.5) -> SheetPicture:
    plane = TileMap(studio.surface.keys if studio is not None else ())
    camera = FlatCamera.framing(plane.bounds(), *SIZE)
    return SheetPicture(studio.surface if studio else None, plane, camera, *SIZE, (ground,) * 3, wires=False)


def test_what_is_composited_comes_onto_the_canvas_and_pinned_states_left_of_the_wipe(
    room: Room, studio: Studio
) -> None:
    def stock() -> Stock:
        store = MapStore(studio.sources)
        for piece, chunks in everything(studio.sources, studio.project).items():
            store.update(studio.project, piece, chunks)
        return Stock(store, Box(store), dict.fromkeys(studio.surface.keys, square(64)))

    before = stock()
    studio.execute(AddLayer("Over", Wash(), {"colour": Channel("#2040a0")}))
    after, canvas = stock(), room.canvas()
    room.drawing.start()
    canvas.want(Wanted(SIZE, picture(studio), after))
    assert room.rest(canvas) is not None and (room.shown[0][60, 80, 2::-1] == (0x20, 0x40, 0xA0)).all()  # at once
    assert (room.rest(canvas)[60, 80] == (0x20, 0x40, 0xA0)).all() and not after.parcels.first()
    canvas.want(Wanted(SIZE, picture(studio), after, before, 0.5))
    shown = room.rest(canvas)
    assert (shown[60, 70] == (0xC0, 0x60, 0x30)).all() and (shown[60, 90] == (0x20, 0x40, 0xA0)).all()
    assert (shown[2, 2] == 128).all()  # the ground


def test_the_last_wish_is_shown_and_what_nobody_sees_is_not_drawn(room: Room) -> None:
    canvas = room.canvas()
    room.drawing.start()
    for ground in np.linspace(0, 1, 40):
        canvas.want(Wanted(SIZE, picture(None, ground), None))
    assert (room.rest(canvas) == 255).all()
    count = len(room.shown)
    canvas.set_visible(False)
    canvas.want(Wanted(SIZE, picture(None, 0.0), None))
    assert room.idle.wait(10) and not canvas.busy and len(room.shown) == count
    canvas.set_visible(True)
    assert (room.rest(canvas) == 0).all()
    canvas.want(Wanted((80, 60), picture(None, 1.0), None))  # a view that became smaller
    assert room.rest(canvas).shape == (60, 80, 3)


class Calling:
    """A painter that calls ``then`` once, when it first draws a part of a picture, or any."""

    def __init__(self, then: Callable[[], object], parts: bool) -> None:
        self.then, self.parts, self.called = then, parts, False

    def draw(self, picture, textures, sizes) -> bool:
        box = moderngl.get_context().fbo.scissor
        if not self.called and (not self.parts or box[3] < SIZE[1]):
            self.called = True
            self.then()
        return True

    def release(self) -> None: ...


def test_the_same_picture_wanted_again_while_it_is_drawn_well_is_drawn_to_its_end(room: Room) -> None:
    wanted = Wanted(SIZE, "all there is", None)
    other = room.canvas(lambda context: Calling(lambda: canvas.want(wanted), parts=False))
    canvas = room.canvas(lambda context: Calling(lambda: other.want(wanted), parts=True))
    canvas.want(wanted)
    room.drawing.start()
    room.rest(canvas)
    assert other.painter is not None and other.painter.called  # while a part of it was drawn


def test_wires_are_left_out_where_they_would_hide_the_sheet(room: Room, tmp_path: Path) -> None:
    across = np.linspace(0, 1, 41)
    u, v = np.meshgrid(across, across)
    points = "".join(f"v {a} {b} 0\nvt {a} {b}\n" for a, b in zip(u.ravel(), v.ravel(), strict=True))
    at = 1 + np.arange(41 * 41).reshape(41, 41)
    rows = np.stack([at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]], axis=-1).reshape(-1, 4)
    (tmp_path / "grid.obj").write_text(
        points + "".join("f " + " ".join(f"{n}/{n}" for n in row) + "\n" for row in rows)
    )
    studio = Studio.new(tmp_path / "grid.obj", sheet_size=64)
    store, canvas, found = MapStore(studio.sources), room.canvas(), {}
    room.drawing.start()
    for scale in (30.0, 100.0):
        for wires in (False, True):
            plane = TileMap(studio.surface.keys)
            wanted = SheetPicture(
                studio.surface, plane, FlatCamera((0.5, 0.5), scale), *SIZE, (0.5,) * 3, wires=wires
            )
            canvas.want(Wanted(SIZE, wanted, Stock(store, Box(store), {studio.surface.keys[0]: square(64)})))
            found[scale, wires] = room.rest(canvas)
    assert np.array_equal(found[30.0, False], found[30.0, True])
    assert (found[100.0, True] < found[100.0, False]).any()


def test_maps_that_nobody_looks_at_any_more_are_let_go(room: Room, studio: Studio) -> None:
    def stock() -> Stock:
        store = MapStore(studio.sources)
        return Stock(store, Box(store), dict.fromkeys(studio.surface.keys, square(64)))

    canvas, hidden = room.canvas(), room.canvas()
    room.drawing.start()
    first = stock()
    for one in (canvas, hidden):
        one.want(Wanted(SIZE, picture(studio), first))
        room.rest(one)
    gone = weakref.ref(first.store)
    del first, one
    hidden.set_visible(False)
    canvas.want(Wanted(SIZE, picture(studio), stock()))
    room.rest(canvas)
    gc.collect()
    assert gone() is None
    hidden.set_visible(True)
    hidden.want(Wanted(SIZE, picture(None, 0.0), None))
    assert (room.rest(hidden) == 0).all()


def test_a_painter_that_breaks_ends_neither_the_thread_nor_the_other_view(room: Room, caplog) -> None:
    class Clumsy(SheetPainter):
        def draw(self, picture, textures, sizes) -> bool:
            if picture.ground[0] == 1.0:
                raise ValueError("of no use")
            return super().draw(picture, textures, sizes)

    canvas, other = room.canvas(Clumsy), room.canvas()
    room.drawing.start()
    canvas.want(Wanted(SIZE, picture(None, 1.0), None))
    other.want(Wanted(SIZE, picture(None, 0.0), None))
    assert (room.rest(other) == 0).all() and not canvas.busy and "of no use" in caplog.text
    canvas.want(Wanted(SIZE, picture(None, 0.2), None))
    assert (room.rest(canvas) == 51).all()


def test_a_parcel_that_cannot_be_taken_in_comes_once(
    room: Room, studio: Studio, monkeypatch: pytest.MonkeyPatch, caplog
) -> None:
    store = MapStore(studio.sources)
    for piece, chunks in everything(studio.sources, studio.project).items():
        store.update(studio.project, piece, chunks)
    stock, tried = Stock(store, Box(store), dict.fromkeys(studio.surface.keys, square(64))), []

    def put(self: SheetTextures, parcel: Parcel) -> bool:
        tried.append(parcel)
        raise MemoryError("the card is full")

    monkeypatch.setattr(SheetTextures, "put", put)
    canvas = room.canvas()
    room.drawing.start()
    canvas.want(Wanted(SIZE, picture(studio), stock))
    end = time.monotonic() + 20
    while (not tried or stock.parcels.first() is not None) and time.monotonic() < end:
        time.sleep(0.01)
    room.rest(canvas)
    assert tried and len(tried) == len({id(one) for one in tried}) and "the card is full" in caplog.text


def test_without_a_context_it_says_so_and_nothing_is_waited_for(room: Room, monkeypatch: pytest.MonkeyPatch) -> None:
    def none() -> moderngl.Context:
        raise RuntimeError("no OpenGL here")

    monkeypatch.setattr(room.drawing, "_make_context", none)
    canvas = room.canvas()
    canvas.want(Wanted(SIZE, picture(None), None))
    room.drawing.start()
    room.drawing.close()
    assert "no OpenGL" in str(room.told[0]) and not canvas.busy and not room.shown


def test_a_painter_that_goes_on_draws_what_a_new_one_would(context: moderngl.Context, studio: Studio) -> None:
    environment.reflections()
    environment.irradiance()
    model = studio.surface.model
    count = model.triangle_count
    camera = Camera(yaw=25, pitch=20).framing(model.bounds, SIZE[0] / SIZE[1])
    red = Coloured(np.arange(count, dtype=np.int32), np.tile([1.0, 0.0, 0.0, 0.8], (count, 1)))
    half, moved = np.arange(count) > 0, model.uv + 0.25
    target = context.simple_framebuffer(SIZE)

    def drawn(painter: ModelPainter, **what: object) -> np.ndarray:
        target.use()
        look = Look(checker=True)
        wanted = ModelPicture(studio.surface, camera, SIZE[0] / SIZE[1], look, **what)  # type: ignore[arg-type]  # its own fields
        assert painter.draw(wanted, None, {})
        return np.frombuffer(target.read(), np.uint8).copy()

    steps = [{"coloured": red}, {"shown": half}, {"shown": half, "uv": moved}, {"uv": moved}, {"coloured": red}, {}]
    painter = ModelPainter(context)
    for what in steps:
        new = ModelPainter(context)
        assert np.array_equal(drawn(painter, **what), drawn(new, **what)), what
        new.release()
    painter.release()
