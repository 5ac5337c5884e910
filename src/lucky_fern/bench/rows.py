"""What is measured, one function a row of the design's figures that can be measured by now."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import time
import zipfile
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from pathlib import Path

import cv2
import numpy as np
import zstandard
from PIL import Image

from lucky_fern.bench.measure import Row, random_rgba, side_by_side
from lucky_fern.core.compositing.blend import MODE_NUMBERS, blend_rgba, quantise_8
from lucky_fern.core.compositing.changes import dirtied, everything
from lucky_fern.core.compositing.compositor import MapKey, MapStore, composite_sheet, written_maps
from lucky_fern.core.exporting.exporter import export
from lucky_fern.core.model.load import load_model
from lucky_fern.core.parallel import for_each
from lucky_fern.core.pictures.picture import Picture
from lucky_fern.core.pictures.pyramid import build_pyramid
from lucky_fern.core.placing.placed import draw_placed, touched_chunks
from lucky_fern.core.placing.throw import throw
from lucky_fern.core.project.commands import AddLayer, PaintPixels, SetLayer
from lucky_fern.core.project.document import Brushwork, Channel, Decal, Wash
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.project.painted import encode_chunk, place_name
from lucky_fern.core.project.places import Lay, Throw
from lucky_fern.core.project.presets import PRESETS
from lucky_fern.core.sheets.grid import Chunk, all_chunks, span, square
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.studio import Studio
from lucky_fern.demo.world import demo_studio, ensure_world

PLANE = """v -1 -1 0\nv 1 -1 0\nv 1 1 0\nv -1 1 0
vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nusemtl paint\nf 1/1 2/2 3/3 4/4
"""


def composite(folder: Path) -> Row:
    """Ten 8-bit RGBA layers over a 2K sheet, chunk by chunk on all cores, against Pillow."""
    size, count = 2048, 10
    layers = [random_rgba(seed, size) for seed in range(count)]
    images = [Image.fromarray(layer) for layer in layers]
    chunks = {
        chunk: [np.ascontiguousarray(layer[span(chunk, square(size))]) for layer in layers]
        for chunk in all_chunks(square(size))
    }
    out = np.zeros((size, size, 3), np.uint8)
    everywhere = np.ones((256, 256), np.bool_)

    def ours() -> None:
        def work(chunk: Chunk) -> None:
            acc = np.ones((256, 256, 3), np.float32)
            for layer in chunks[chunk]:
                blend_rgba(acc, layer, 1.0, MODE_NUMBERS["normal"])
            quantise_8(acc, everywhere, out[span(chunk, square(size))])

        for_each(work, chunks)

    def reference() -> None:
        base = Image.new("RGBA", (size, size), "white")
        for image in images:
            base = Image.alpha_composite(base, image)

    mine, other = side_by_side(ours, reference)
    per = count * size * size / 1e6
    detail = f"{mine / per * 1e3:.2f} ms a layer-megapixel against Pillow's {other / per * 1e3:.2f}"
    return Row("composite 10 layers, 8 bit", other / mine, 3.0, "higher", detail)


def throw_decal(folder: Path) -> Row:
    """A 2K picture thrown over the whole of a 2K sheet, against a perspective warp of the same texels."""
    (folder / "plane.obj").write_text(PLANE)
    surface = Surface(load_model(folder / "plane.obj"))
    size = 2048
    sheet = surface.sheet(surface.keys[0], square(size))
    picture = Picture("noise", random_rgba(3, size), True)
    pyramid = build_pyramid(picture, "colour")
    place = Throw((0, 0, 0), (0, 0, 1), (0, 1, 0), 2.0, 2.0, 0.5, rotate=3.0)

    def ours() -> None:
        thrown = throw(surface.model, place, 2.0)
        for_each(
            lambda chunk: draw_placed(thrown, sheet, chunk, pyramid, nearest=False, encode=True),
            sorted(touched_chunks(thrown, sheet)),
        )

    matrix = np.array([[0.99, -0.05, 30.0], [0.05, 0.99, -20.0], [1e-6, 1e-6, 1.0]])

    def reference() -> None:
        cv2.warpPerspective(picture.rgba, matrix, (size, size), flags=cv2.INTER_LINEAR)

    mine, other = side_by_side(ours, reference)
    detail = f"{mine * 1e3:.0f} ms against {other * 1e3:.0f} ms of cv2.warpPerspective"
    return Row("throw a decal over a 2K sheet", mine / other, 4.0, "lower", detail)


def woven_ferry() -> Studio:
    """The ferry as real liveries are, not flat: a woven pattern on every map gives encoders their usual work."""
    studio = demo_studio("ferry", ensure_world())
    woven = {name: Channel("picture", opacity=0.4, picture="canvas-weave.png")
             for name in ("colour", "metallic", "roughness", "height", "occlusion", "emissive")}  # fmt: skip
    studio.execute(AddLayer("Weave", Wash(repeat=(5.3, 5.3), rotate=12.0), woven))
    return studio


def write_maps(folder: Path) -> Row:
    """The ferry's four 2K sheets, six maps each, against encoding the same arrays on two threads."""
    studio = woven_ferry()
    setup = ExportSetup("separate", "out")
    arrays = []
    for file in PRESETS["separate"].files:
        for key in studio.surface.keys:
            if not set(file.told_by) & written_maps(
                studio.sources, studio.project, studio.surface.sheet(key, square(2048))
            ):
                continue
            sheet = studio.surface.sheet(key, square(2048))
            pixels = composite_sheet(studio.sources, studio.project, file.told_by[0], sheet, 8)
            arrays.append(np.ascontiguousarray(pixels[..., ::-1]))

    # As in the window: what the views show is composited already. A job has to do that first.
    store = MapStore(studio.sources)
    begin = time.perf_counter()
    for piece, chunks in everything(studio.sources, studio.project).items():
        store.update(studio.project, piece, chunks)
    composited = time.perf_counter() - begin

    def ours() -> None:
        export(studio.sources, studio.project, setup, "bench", folder / "out", finished=lambda: store)

    def encode(pixels: np.ndarray) -> None:
        cv2.imencode(".png", pixels)

    def reference() -> None:
        with ThreadPoolExecutor(2) as pool:
            list(pool.map(encode, arrays))

    mine, other = side_by_side(ours, reference, runs=3)
    detail = f"{mine:.2f} s for {len(arrays)} files against {other:.2f} s of OpenCV's encoder alone"
    detail += f"; compositing them from nothing took {composited:.1f} s"
    return Row("export 4 sheets × 2K × 6 maps, PNG", mine / other, 1.2, "lower", detail)


def open_project(folder: Path) -> Row:
    """A painted project to its first composite, against reading and unpacking the same bytes."""
    studio = demo_studio("ferry", ensure_world())
    rng = np.random.default_rng(7)
    for number in range(3):
        studio.execute(AddLayer(f"Painted {number}", Brushwork(), {}))
        layer = studio.project.layers[-1].id
        for key in studio.surface.keys:
            chunks = {}
            for chunk in all_chunks(square(2048)):
                soft = cv2.resize(rng.integers(0, 256, (32, 32, 4), dtype=np.uint8), (256, 256))
                chunks[place_name(chunk)] = studio.blobs.add(encode_chunk(soft))
            studio.execute(PaintPixels(layer, str(key), square(2048), {"colour": chunks}))
    path = folder / "painted.fern"
    studio.save(path)

    def ours() -> None:
        opened = Studio.open(path)
        key = MapKey(opened.surface.keys[0], "colour")
        MapStore(opened.sources).update(opened.project, key, [Chunk(4, 4)], pad=False)

    def reference() -> None:
        with zipfile.ZipFile(path) as archive:
            for name in archive.namelist():
                data = archive.read(name)
                if name.endswith(".zst"):
                    zstandard.ZstdDecompressor().decompress(data, max_output_size=1 << 28)

    mine, other = side_by_side(ours, reference, runs=3)
    size = path.stat().st_size / 2**20
    detail = f"{mine * 1e3:.0f} ms against {other * 1e3:.0f} ms; {size:.0f} MiB, the ferry with three painted layers"
    return Row("open a project to its first composite", mine / other, 2.0, "lower", detail)


def edit_on_top(folder: Path) -> Row:
    """The topmost of thirty layers edited on four 4K sheets, against the same chunks of one layer alone."""
    text = ["v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nusemtl hull"]
    for tile in range(4):
        text += [f"vt {tile + u} {v}" for u, v in ((0, 0), (1, 0), (1, 1), (0, 1))]
        text.append("f " + " ".join(f"{k + 1}/{k + 1 + 4 * tile}" for k in range(4)))
    (folder / "four.obj").write_text("\n".join(text))
    studio = Studio.new(folder / "four.obj", sheet_size=4096)
    picture = studio.add_picture(ensure_world() / "pictures" / "canvas-weave.png")
    for number in range(29):
        studio.execute(AddLayer(f"w{number}", Wash(), {"colour": Channel("picture", picture=picture)}, 0.5))
    place = Lay("hull", 1002, (0.5, 0.5), 0.25)
    studio.execute(AddLayer("mark", Decal(picture, place), {"colour": Channel("picture")}))
    alone = Studio.new(folder / "four.obj", sheet_size=4096)
    alone.add_picture(ensure_world() / "pictures" / "canvas-weave.png")
    alone.execute(AddLayer("mark", Decal(picture, place), {"colour": Channel("picture")}))
    stores = {id(one): MapStore(one.sources) for one in (studio, alone)}

    def edit(one: Studio) -> None:
        top, before = one.project.layers[-1], one.project
        one.execute(SetLayer(top.id, opacity=0.4 if top.opacity > 0.5 else 0.9))
        for key, chunks in dirtied(one.sources, before, one.project).items():
            stores[id(one)].update(one.project, key, chunks, focus=top.id)

    mine, other = side_by_side(lambda: edit(studio), lambda: edit(alone))
    detail = f"{mine * 1e3:.1f} ms against {other * 1e3:.1f} ms of the top layer alone on its 25 chunks"
    return Row("edit the top of 30 layers, 4 × 4K", mine / other, 2.0, "lower", detail)


_MEMORY = """
import sys
import numpy as np
from pathlib import Path
from lucky_fern.bench.rows import status
from lucky_fern.core.compositing.changes import everything
from lucky_fern.core.compositing.compositor import MapStore
from lucky_fern.core.project.commands import AddLayer, PaintPixels
from lucky_fern.core.project.document import Brushwork
from lucky_fern.core.project.painted import encode_chunk, place_name
from lucky_fern.core.sheets.grid import all_chunks, square
from lucky_fern.core.studio import Studio
studio = Studio.new(Path(sys.argv[1]), sheet_size=4096)
rng = np.random.default_rng(3)
before, touched = status("VmRSS"), 0
Path("/proc/self/clear_refs").write_text("5")  # the peak counts from here
for number in range(20):
    studio.execute(AddLayer(f"p{number}", Brushwork(), {}))
    layer = studio.project.layers[-1].id
    for key in studio.surface.keys:
        places = [all_chunks(square(4096))[i] for i in rng.choice(256, 13, replace=False)]
        chunks = {}
        for chunk in places:
            texels = rng.integers(0, 256, (256, 256, 4)).astype(np.uint8)
            touched += texels.nbytes
            chunks[place_name(chunk)] = studio.blobs.add(encode_chunk(texels))
        studio.execute(PaintPixels(layer, str(key), square(4096), {"colour": chunks}))
store = MapStore(studio.sources)
for key, chunks in everything(studio.sources, studio.project).items():
    store.update(studio.project, key, chunks)
maps = sum(array.nbytes for array in store.maps.values())
print(status("VmHWM") - before, touched, maps)
"""


def peak_memory(folder: Path) -> Row:
    """Four 4K sheets, twenty layers of painted noise on a twentieth of the chunks each, in its own process."""
    edit_path = folder / "four.obj"
    if not edit_path.exists():
        edit_on_top(folder)
    command = [sys.executable, "-c", _MEMORY, str(edit_path)]
    spent, touched, maps = map(
        int, subprocess.run(command, check=True, capture_output=True, text=True).stdout.split()
    )
    detail = f"{spent >> 20} MiB at the peak; chunks {touched >> 20} MiB and maps {maps >> 20} MiB"
    return Row("peak memory, 4 × 4K, 20 layers on 5 %", spent / (touched + maps), 1.5, "lower", detail)


_EXPORT_MEMORY = """
import gc, sys
from pathlib import Path
from lucky_fern.bench.rows import status, woven_ferry
from lucky_fern.core.compositing.changes import everything
from lucky_fern.core.compositing.compositor import MapStore
from lucky_fern.core.exporting.exporter import export
from lucky_fern.core.project.export_setup import ExportSetup
studio = woven_ferry()
store = MapStore(studio.sources)
for piece, chunks in everything(studio.sources, studio.project).items():
    store.update(studio.project, piece, chunks)
gc.collect()
before = status("VmRSS")
Path("/proc/self/clear_refs").write_text("5")
export(studio.sources, studio.project, ExportSetup("gltf", ""), "bench", Path(sys.argv[1]), finished=lambda: store)
print(status("VmHWM") - before, sum(array.nbytes for array in store.maps.values()) // 2)
"""


def export_memory(folder: Path) -> Row:
    """The ferry's glTF set with its GLB, over the idle program, against the composited maps of two of her sheets."""
    command = [sys.executable, "-c", _EXPORT_MEMORY, str(folder / "memory")]
    spent, maps = map(int, subprocess.run(command, check=True, capture_output=True, text=True).stdout.split())
    detail = f"{spent / 1e6:.0f} MB at the peak, a GLB among the files; maps of two sheets take {maps / 1e6:.0f} MB"
    return Row("peak memory of an export", spent / maps, 1.0, "lower", detail)


def status(name: str) -> int:
    """Bytes that Linux tells of this process: VmRSS now, VmHWM at the peak."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) * 1024 for line in lines if line.startswith(name))


_BARE = """
import sys, time
from PySide6.QtCore import QTimer
from PySide6.QtGui import QSurfaceFormat
from PySide6.QtOpenGLWidgets import QOpenGLWidget
from PySide6.QtWidgets import QApplication, QMainWindow
import moderngl
kind = QSurfaceFormat(); kind.setVersion(3, 3); kind.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
QSurfaceFormat.setDefaultFormat(kind)
app = QApplication([])
class View(QOpenGLWidget):
    def initializeGL(self): self.context_ = moderngl.create_context()
    def paintGL(self):
        self.context_.detect_framebuffer().use(); self.context_.clear(.5, .5, .5, 1)
        QTimer.singleShot(0, app.quit)
window = QMainWindow(); window.setCentralWidget(View()); window.resize(1280, 800); window.show(); app.exec()
"""
_OURS = """
import sys
from PySide6.QtCore import Qt, QTimer
from lucky_fern.ui.widgets.application import make_application
app = make_application()
from lucky_fern.ui.window.main import Window
window = Window(); window.resize(1280, 800)
def furnish():
    from lucky_fern.ui.window.parts import Parts
    window.furnish(Parts())
    window.model_view.frame_drawn.connect(lambda: QTimer.singleShot(0, app.quit))
whole = sys.argv[1] == "views"
window.start_page.painted.connect(lambda: QTimer.singleShot(0, furnish if whole else app.quit),
                                  Qt.ConnectionType.SingleShotConnection)
window.show(); app.exec()
if whole: window.parts.close()
"""


@cache
def bare_start() -> float:
    """Seconds from nothing to the first frame of a bare window, the median of three."""
    from lucky_fern.ui.widgets.application import ensure_screen

    screen, times = ensure_screen(), []
    try:
        for _ in range(4):
            begin = time.perf_counter()
            subprocess.run([sys.executable, "-c", _BARE], check=True, env=os.environ, stderr=subprocess.DEVNULL)
            times.append(time.perf_counter() - begin)
    finally:
        if screen is not None:
            screen.terminate()
            screen.wait()
            os.environ.pop("DISPLAY", None)
    return statistics.median(times[1:])


def start_up(folder: Path) -> Row:
    """A fresh process to the window's first frame, against a bare window with a moderngl view."""
    from lucky_fern.ui.widgets.application import ensure_screen

    screen = ensure_screen()
    try:

        def start(script: str, what: str = "") -> None:
            command = [sys.executable, "-c", script, what]
            subprocess.run(command, check=True, env=os.environ, stderr=subprocess.DEVNULL)

        mine, other = side_by_side(lambda: start(_OURS), lambda: start(_BARE), runs=5)
        views = side_by_side(lambda: start(_OURS, "views"), lambda: start(_BARE), runs=3)[0]
    finally:
        if screen is not None:
            screen.terminate()
            screen.wait()
            os.environ.pop("DISPLAY", None)
            time.sleep(0.1)
    detail = (
        f"{mine:.2f} s to the window with its start page, {views:.2f} s to its first drawn view, both with what "
        f"ending takes; {other:.2f} s of a bare PySide6 and moderngl window"
    )
    return Row("start to first drawn frame (warm)", mine / other, 2.0, "lower", detail)


MEASURES = (
    composite,
    edit_on_top,
    throw_decal,
    write_maps,
    export_memory,
    open_project,
    start_up,
    peak_memory,
)
