"""What is measured of the work on the surface: checking a layout, selecting, draping."""

from __future__ import annotations

import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from lucky_fern.bench.measure import Row, random_rgba, side_by_side
from lucky_fern.core.compositing.compositor import MapStore
from lucky_fern.core.layout.check import check_layout
from lucky_fern.core.model.load import load_model
from lucky_fern.core.parallel import for_each
from lucky_fern.core.pictures.picture import Picture
from lucky_fern.core.pictures.pyramid import build_pyramid
from lucky_fern.core.placing.drape import drape
from lucky_fern.core.placing.placed import draw_placed, touched_chunks
from lucky_fern.core.project.places import Drape
from lucky_fern.core.selecting.seen import faces_at, nearest_faces, stroke
from lucky_fern.core.selecting.spread import whole
from lucky_fern.core.sheets.grid import Chunk, square
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.demo.world import demo_studio, ensure_world


def _bands(path: Path, rows: int = 250, columns: int = 200) -> None:
    """A bumpy ball of 100 000 triangles with UVs, in ten parts."""
    turn, tilt = 2 * np.pi * np.arange(columns + 1) / columns, np.pi * np.arange(rows + 1) / rows
    text = []
    for a in tilt:
        radius = 1 + 0.1 * np.sin(9 * a) * np.cos(7 * turn)
        x, y, z = radius * np.sin(a) * np.cos(turn), radius * np.cos(a), radius * np.sin(a) * np.sin(turn)
        text += [f"v {p:.6f} {q:.6f} {r:.6f}" for p, q, r in zip(x, y, z, strict=True)]
    for i in range(rows + 1):
        text += [f"vt {0.01 + 0.98 * j / columns:.6f} {0.99 - 0.98 * i / rows:.6f}" for j in range(columns + 1)]
    for i in range(rows):
        text += [f"o band{i // 25}"] if i % 25 == 0 else []
        for j in range(columns):
            k = i * (columns + 1) + j + 1
            text.append("f " + " ".join(f"{n}/{n}" for n in (k, k + 1, k + columns + 2, k + columns + 1)))
    path.write_text("\n".join(text))


def layout_check(folder: Path) -> Row:
    """The whole layout check of 100 000 triangles on a 2K sheet, against trimesh loading the same OBJ."""
    import trimesh

    path = folder / "bands.obj"
    _bands(path)

    def check() -> None:
        # Anew each time, with nothing worked out before but what every model has once it is read.
        check_layout(Surface(replace(model)), lambda key: square(2048))

    model = load_model(path)
    mine, other = side_by_side(check, lambda: trimesh.load(path, process=False), runs=3)
    detail = f"{mine:.2f} s against {other:.2f} s that trimesh takes to load it ({model.triangle_count} triangles)"
    return Row("layout check of 100 000 triangles", mine / other, 3.0, "lower", detail)


def read_model(folder: Path) -> Row:
    """A million triangles read and put together, tangents and all, against trimesh loading the same OBJ."""
    import trimesh

    path = folder / "million.obj"
    _bands(path, 500, 1000)
    mine, other = side_by_side(lambda: load_model(path), lambda: trimesh.load(path, process=False), runs=3)
    detail = f"{mine:.2f} s against {other:.2f} s that trimesh takes, which makes no normals and tangents"
    return Row("read and assemble an OBJ of a million triangles", mine / other, 1.2, "lower", detail)


def select_faces(folder: Path) -> Row:
    """A stroke of selecting on 100 000 triangles once they have been seen, against one sixtieth of a second."""
    path = folder / "bands.obj"
    if not path.exists():
        _bands(path)
    model = load_model(path)
    flat = (model.corners * (250, -250, -1)) + (300, 300, 0)
    owner = nearest_faces(flat, 600, 600)
    none = np.zeros(model.triangle_count, np.bool_)

    def select() -> None:
        mask = stroke(np.array([250.0, 300.0]), np.array([330.0, 310.0]), 30.0, 600, 600)
        none | whole(model, faces_at(owner, mask, flat, False), "face")

    def frame() -> None:
        time.sleep(1 / 60)

    mine, other = side_by_side(select, frame)
    detail = f"{mine * 1e3:.1f} ms a sample of the stroke; a frame at 60 Hz is 16.7"
    return Row("select by painting, 100 000 triangles", mine / other, 1.0, "lower", detail)


def drape_on_hull(folder: Path) -> Row:
    """A name draped over the Marsh Hen's bow on 2K sheets, against ten frames of the model as it is drawn."""
    import moderngl

    from lucky_fern.render.camera import Camera
    from lucky_fern.render.model_scene import Look, ModelScene
    from lucky_fern.render.textures import SheetTextures

    studio = demo_studio("ferry", ensure_world(folder / "world"))
    surface, size = studio.surface, square(2048)
    sheets = [surface.sheet(key, size) for key in surface.keys]
    pyramid = build_pyramid(Picture("noise", random_rgba(5, 512), True), "colour")
    place = Drape((3.55, 1.22, 1.1), (0.4, -0.33, 0.85), (0.0, 1.0, 0.0), 1.6, 0.3)

    def put() -> None:
        placed = drape(studio.model, place, 0.3)
        for sheet in sheets:

            def work(chunk: Chunk, sheet: Sheet = sheet) -> None:
                draw_placed(placed, sheet, chunk, pyramid, False, True)

            for_each(work, sorted(touched_chunks(placed, sheet)))

    context = moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]  # its stubs lack it
    scene, textures = ModelScene(context, surface), SheetTextures(context, MapStore(studio.sources))
    sizes = dict.fromkeys(surface.keys, size)
    frame = context.simple_framebuffer((840, 600))
    camera = Camera().framing(studio.model.bounds, 1.4)

    def draw() -> None:
        for _ in range(10):
            frame.use()
            scene.draw(camera, 1.4, Look(), textures, sizes)
            frame.read()

    mine, other = side_by_side(put, draw)
    detail = f"{mine * 1e3:.0f} ms to unfold, relax and draw it; ten frames {other * 1e3:.0f} ms"
    return Row("drape a name on the bow, 4 × 2K", mine / other, 1.0, "lower", detail)


MEASURES = (layout_check, read_model, select_faces, drape_on_hull)
