"""The quay's own small renderer: maps on the card, and how far two ways of reading them are apart."""

from __future__ import annotations

from dataclasses import dataclass

import moderngl
import numpy as np

from lucky_fern.core.arrays import U8
from lucky_fern.core.compositing.compositor import MapKey, MapStore
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.sheets.grid import Chunk, Extent, SheetKey, all_chunks, square
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.quay.cargo import Maps
from lucky_fern.render.camera import Camera
from lucky_fern.render.model_scene import Look, ModelScene
from lucky_fern.render.textures import SheetTextures

_FIGURE = (480, 360)  # pixels that differences are measured on
NIGHT = {"lamp_gain": 0.03, "ambient_gain": 0.08}


@dataclass(frozen=True)
class Filtering:
    """How the game reads between texels: ``nearest`` as squares, or smoothly; None as each sheet is made for.

    ``mips``: with halvings, but for pixel art where ``nearest`` is None.
    """

    nearest: bool | None = None
    mips: bool = True


class Stage:
    """Maps on a model, on the card; they are sent there bit by bit, so that nobody has to wait for them."""

    def __init__(
        self, context: moderngl.Context, surface: Surface, pixel_art: frozenset[SheetKey] = frozenset()
    ) -> None:
        self.pixel_art = pixel_art
        self.scene = ModelScene(context, surface)
        self._store = MapStore(Sources(surface, Blobs()))
        self._shown: dict[MapKey, U8] = {}
        self._pending: dict[MapKey, set[Chunk]] = {}
        self.sizes: dict[SheetKey, Extent] = dict.fromkeys(surface.keys, square(1))
        self.textures = SheetTextures(context, self._store)

    @classmethod
    def of(cls, context: moderngl.Context, surface: Surface, maps: Maps) -> Stage:
        """A stage with everything on it."""
        made = cls(context, surface)
        made.put(maps)
        made.send()
        return made

    def put(self, maps: Maps) -> None:
        """Have these maps from now on; arrays that were there before are not sent again."""
        wanted = {MapKey(key, name): pixels for key, one in maps.items() for name, pixels in one.items()}
        before = dict(self.sizes)
        for key in self.sizes:
            sizes = [Extent(*pixels.shape[1::-1]) for piece, pixels in wanted.items() if piece.sheet == key]
            self.sizes[key] = max(sizes, key=lambda size: size.texels, default=square(1))
        for piece in self._shown.keys() | wanted.keys():
            pixels, size = wanted.get(piece), self.sizes.get(piece.sheet, square(1))
            same = pixels is self._shown.get(piece) and size == before.get(piece.sheet)
            if piece.sheet not in self.sizes or same:
                continue
            if pixels is None:
                self._store.maps.pop(piece, None)  # its texture then has what the map starts from
            else:
                self._store.maps[piece] = pixels
            self._pending[piece] = set(all_chunks(size))
        self._shown = {piece: pixels for piece, pixels in wanted.items() if piece.sheet in self.sizes}

    def send(self, seconds: float = np.inf) -> bool:
        """Go on sending for about so long; whether all of it is there."""
        self.textures.send(self._pending, self.sizes, seconds)
        if not self._pending:
            self.textures.finish()
        return not self._pending

    def draw(self, camera: Camera, aspect: float, look: Look, filtering: Filtering) -> None:
        self.textures.set_pixel_art(self.pixel_art if filtering.nearest is None else frozenset())
        self.textures.set_filtering(filtering.nearest, filtering.mips)
        self.scene.draw(camera, aspect, look, self.textures, self.sizes)

    def release(self) -> None:
        self.scene.release()
        self.textures.release()


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
