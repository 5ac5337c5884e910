"""The quay's own small renderer: a cargo on the card, and how far two ways of reading it are apart."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import moderngl
import numpy as np

from lucky_fern.core.arrays import U8
from lucky_fern.core.compositing.compositor import MapKey, MapStore
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.sheets.grid import SheetKey, all_chunks
from lucky_fern.quay.cargo import Cargo, maps_of
from lucky_fern.render.camera import Camera
from lucky_fern.render.model_scene import Look, ModelScene
from lucky_fern.render.textures import SheetTextures

_FIGURE = (480, 360)  # pixels that differences are measured on
NIGHT = {"lamp_gain": 0.03, "ambient_gain": 0.08}


@dataclass(frozen=True)
class Filtering:
    """How the game reads between texels: ``nearest`` as squares; with halvings or without."""

    nearest: bool = False
    mips: bool = True


class Stage:
    """One cargo as one way of reading has it."""

    def __init__(self, context: moderngl.Context, cargo: Cargo) -> None:
        self.scene = ModelScene(context, cargo.surface)
        store = MapStore(Sources(cargo.surface, Blobs()))
        self.sizes: dict[SheetKey, int] = {}
        for key, maps in maps_of(cargo).items():
            self.sizes[key] = max((pixels.shape[0] for pixels in maps.values()), default=1)
            for name, pixels in maps.items():
                store.maps[MapKey(key, name)] = _sized(pixels, self.sizes[key])
        for key in cargo.surface.keys:
            self.sizes.setdefault(key, 1)
        self.textures = SheetTextures(context, store)
        for piece in store.maps:
            self.textures.upload(piece, self.sizes[piece.sheet], all_chunks(self.sizes[piece.sheet]))
        self.textures.finish()

    def draw(self, camera: Camera, aspect: float, look: Look, filtering: Filtering) -> None:
        self.textures.set_filtering(True if filtering.nearest else None, filtering.mips)
        self.scene.draw(camera, aspect, look, self.textures, self.sizes)

    def release(self) -> None:
        self.scene.release()
        self.textures.release()


def _sized(pixels: U8, size: int) -> U8:
    if pixels.shape[0] == size:
        return pixels
    made = cv2.resize(pixels, (size, size), interpolation=cv2.INTER_LINEAR)
    return np.asarray(made, np.uint8).reshape(size, size, pixels.shape[2])


def picture(
    context: moderngl.Context, stage: Stage, camera: Camera, look: Look, filtering: Filtering,
    size: tuple[int, int] = _FIGURE,
) -> tuple[U8, np.ndarray]:  # fmt: skip
    """(rows, columns, 3) uint8 of what is drawn, and (rows, columns) bool of where the model is."""
    colour, depth = context.texture(size, 4), context.depth_texture(size)
    target = context.framebuffer([colour], depth)
    target.use()
    target.viewport = (0, 0, *size)
    stage.draw(camera, size[0] / size[1], look, filtering)
    rgba = np.frombuffer(colour.read(), np.uint8).reshape(size[1], size[0], 4)[::-1]
    far = np.frombuffer(depth.read(), np.float32).reshape(size[1], size[0])[::-1]
    for made in (target, colour, depth):
        made.release()
    return rgba[..., :3].copy(), far < 1


def difference(
    context: moderngl.Context, first: Stage, second: Stage, camera: Camera, look: Look,
    filtering: tuple[Filtering, Filtering] = (Filtering(), Filtering()),
) -> float:  # fmt: skip
    """Mean difference, of 255, of two stages' pictures where the model is."""
    one, there = picture(context, first, camera, look, filtering[0])
    other, _ = picture(context, second, camera, look, filtering[1])
    return float(np.abs(one.astype(np.int16) - other)[there].mean()) if there.any() else 0.0
