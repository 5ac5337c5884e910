"""Frames at a pace: strips make the same picture as one drawing, and what is shown stays until the next is done."""

from __future__ import annotations

import time
from pathlib import Path

import moderngl
import numpy as np
import pytest

from lucky_fern.core.compositing.changes import everything
from lucky_fern.core.compositing.compositor import MapStore
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.studio import Studio
from lucky_fern.render.camera import Camera
from lucky_fern.render.frames import Box, Frames
from lucky_fern.render.model_scene import Look, ModelScene
from lucky_fern.render.textures import SheetTextures
from samples import PLANE

SIZE = (150, 230)


class Painter:
    """A plane in a colour that can be changed, drawn as views draw."""

    def __init__(self, context: moderngl.Context, folder: Path) -> None:
        (folder / "plane.obj").write_text(PLANE)
        self.studio = Studio.new(folder / "plane.obj", sheet_size=64)
        self.studio.execute(AddLayer("All", Wash(), {"colour": Channel("#c06030"), "emissive": Channel("#404040")}))
        store = MapStore(self.studio.sources)
        self.textures = SheetTextures(context, store)
        for piece, chunks in everything(self.studio.sources, self.studio.project).items():
            self.textures.upload(piece, square(64), store.update(self.studio.project, piece, chunks))
        self.scene = ModelScene(context, self.studio.surface)
        self.look = Look(wires=True, seams=True)
        self.boxes: list[Box] = []

    def draw(self, target: moderngl.Framebuffer, box: Box) -> None:
        self.boxes.append(box)
        target.scissor = box
        camera = Camera(yaw=25, pitch=20).framing(self.studio.model.bounds, SIZE[0] / SIZE[1])
        sizes = dict.fromkeys(self.studio.surface.keys, square(64))
        self.scene.draw(camera, SIZE[0] / SIZE[1], self.look, self.textures, sizes)


@pytest.fixture
def painter(context: moderngl.Context, tmp_path: Path) -> Painter:
    return Painter(context, tmp_path)


def shown(frames: Frames) -> np.ndarray:
    """What comes onto a screen of that size, (rows, columns, 3) int."""
    return frames.picture()[..., 2::-1].astype(int)


@pytest.mark.parametrize("look", [{}, {"bloom": 1.0}, {"shadows": True}])
@pytest.mark.parametrize("smooth", [False, True])
@pytest.mark.parametrize("slowness", [0.0, 0.02, 0.06])  # seconds a strip: they become narrower by it
def test_strips_make_the_picture_that_is_drawn_at_once(
    context: moderngl.Context, painter: Painter, smooth: bool, look: dict[str, object], slowness: float
) -> None:
    def draw(target: moderngl.Framebuffer, box: Box) -> None:
        painter.draw(target, box)
        time.sleep(slowness)

    painter.look = Look(wires=True, **look)  # type: ignore[arg-type]  # its own fields
    frames = Frames(context)
    assert frames.fit(SIZE) and not frames.fit(SIZE) and frames.empty
    frames.draw_now(painter.draw, smooth, coarse=False)
    whole = shown(frames)
    assert np.ptp(whole) > 80 and painter.boxes == [(0, 0, *SIZE)]
    painter.boxes.clear()
    other = Frames(context)
    other.fit(SIZE)
    other.begin_fine(smooth)
    while not other.go_on(draw):
        assert other.under_way
    assert not other.under_way and len(painter.boxes) >= 2
    rows = np.concatenate([np.arange(y, y + height) for _, y, _, height in painter.boxes])
    assert np.array_equal(rows, np.arange(SIZE[1]))  # each row once
    assert np.abs(shown(other) - whole).max() <= 1
    frames.release()
    other.release()


def test_what_is_shown_stays_until_the_next_picture_is_done(context: moderngl.Context, painter: Painter) -> None:
    frames = Frames(context)
    frames.fit(SIZE)

    def slow(target: moderngl.Framebuffer, box: Box) -> None:
        painter.draw(target, box)
        time.sleep(0.03)  # so that strips stay narrow

    for _ in range(3):  # whichever of its framebuffers is shown
        frames.begin_fine(False)
        while not frames.go_on(slow):
            pass
        before = shown(frames)
        painter.look = Look(shading="flat" if painter.look.shading != "flat" else "shaded")
        frames.begin_fine(False)
        assert not frames.go_on(slow)
        assert np.array_equal(shown(frames), before)
        frames.give_up()
        assert not frames.under_way and np.array_equal(shown(frames), before)
    frames.release()


def test_frames_in_motion_become_as_coarse_as_they_have_to(context: moderngl.Context, painter: Painter) -> None:
    frames = Frames(context)
    frames.fit(SIZE)
    frames.draw_now(painter.draw, False, coarse=True)

    def slow(target: moderngl.Framebuffer, box: Box) -> None:
        painter.draw(target, box)
        time.sleep(4e-6 * box[2] * box[3])  # so long a pixel that all of them take 66 ms

    for _ in range(3):
        factor = frames.coarseness
        frames.draw_now(slow, False, coarse=True)
    assert factor > 1 and painter.boxes[-1][2] == round(SIZE[0] / factor)
    coarse = shown(frames)
    frames.draw_now(painter.draw, False, coarse=False)
    assert np.abs(shown(frames) - coarse).mean() < 12  # the same picture, less finely drawn
    frames.release()
