"""What is seen on each picture of docs/screenshots, and how one gets there."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from functools import partial
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from lucky_fern.ui.window.main import Window
    from lucky_fern.ui.window.parts import Parts

_CHECKOUT = Path(__file__).parents[4]
# Of a checkout its docs; an installed program writes where one stands.
FOLDER = (
    _CHECKOUT / "docs" / "screenshots" if (_CHECKOUT / "pyproject.toml").is_file() else Path.cwd() / "screenshots"
)


def bow(parts: Parts, window: Window) -> None:
    """A label draped over the curved bow, with its twin on the other side."""
    from dataclasses import replace

    from msgspec.structs import replace as with_changes
    from PySide6.QtWidgets import QPushButton

    from lucky_fern.core.placing.pose import in_mode
    from lucky_fern.core.project.commands import SetLayer, SetPlace
    from lucky_fern.core.sheets.picking import pick
    from lucky_fern.ui.layers.pages.label import change

    assert parts.work.studio is not None and parts.work.project is not None
    for old in [layer.id for layer in parts.work.project.walk() if layer.name in ("Name starboard", "Name port")]:
        parts.work.execute(SetLayer(old, visible=False))
    view = window.model_view
    view.look_from("front")
    view.set_camera(
        replace(view.camera, yaw=58, pitch=8, target=(3.0, 1.3, 0.8), distance=view.camera.distance * 0.32)
    )
    hit = pick(parts.work.studio.model, np.array([3.55, 1.22, 6.0]), np.array([0.0, 0.0, -1.0]))
    assert hit is not None
    parts.dropping.take("label")
    picture = parts.dropping.picture(hit)
    assert picture is not None
    parts.bringing.drop_on_surface(picture, hit, view.camera.axes[1], parts.dropping.landing())
    parts.dropping.take(None)
    window.rest.wait(60)
    change(window.matter, text="OTTERWICK", font="League Spartan", colour="#f4ead2", tracking=0.06)
    assert parts.selection.decal is not None
    layer, place, height = parts.selection.decal
    draped = in_mode(parts.work.studio.surface, with_changes(place, width=1.6, rotate=4.0), height, "drape")
    assert draped is not None
    parts.work.execute(SetPlace(layer.id, draped))
    window.settings.form.named("twin z", QPushButton).click()


def placing(parts: Parts, window: Window, shoot: Callable[[str], None]) -> None:
    """A stripe over hull, deckhouse and canopy, rivets in a ring, cabin labels in a row, a crest through a slide."""
    from dataclasses import replace

    from PySide6.QtCore import QPoint, Qt
    from PySide6.QtTest import QTest

    from lucky_fern.core.pictures.figure import Figure
    from lucky_fern.core.placing.copies import ring, row
    from lucky_fern.core.project.commands import AddLayer, Several
    from lucky_fern.core.project.document import Channel, Decal
    from lucky_fern.core.project.kinds import Place
    from lucky_fern.core.project.places import Along, Drape, Point
    from lucky_fern.core.sheets.picking import pick
    from lucky_fern.demo.world import demo_studio
    from lucky_fern.ui.gestures.slide_handles import SlideBrush

    parts.work.take(demo_studio("ferry"))
    studio = parts.work.studio
    assert studio is not None

    def surface(x: float, y: float, z: float, way: tuple[float, float, float]) -> tuple[Point, Point]:
        direction = np.array(way)
        hit = pick(studio.model, np.array([x, y, z]), direction)
        assert hit is not None
        (px, py, pz), (nx, ny, nz) = hit.position.tolist(), hit.normal.tolist()
        return (px, py, pz), (nx, ny, nz)

    down, in_ = (0.0, -1.0, 0.0), (0.0, 0.0, -1.0)
    over = [surface(x, 9, 0.45, down) for x in (4.2, 3.2, 2.2)]
    over += [surface(2.2, y, 0.45, (-1.0, 0.0, 0.0)) for y in (1.5, 2.2, 2.75)]
    over += [surface(x, 9, 0.45, down) for x in (1.95, 0.8, -0.4, -1.4, -1.8, -2.6, -3.4)]
    bars = studio.keep_figure(Figure("lines", wide=2.0, colour="#f2c14e", count=3, thick=0.6))
    points, normals = zip(*over, strict=True)
    stripe = Along(points, normals, 0.42, smooth=False, corner=0.1)
    middle, facing = surface(-1.0, 1.25, 9, in_)
    rivet = studio.keep_figure(Figure("ellipse", colour="#d8b25a"))
    first = Drape(middle, facing, (0.0, 1.0, 0.0), 0.09)
    shiny = {"colour": Channel("picture"), "metallic": Channel(1.0), "roughness": Channel(0.3)}
    wall, out = surface(0.3, 2.57, 9, in_)
    rivets: list[Place] = [Drape(wall, out, (0.0, 1.0, 0.0), 0.06)]
    around = ring(Drape(wall, out, (0.0, 1.0, 0.0), 0.06), 14, np.array([0.0, 0.0, 1.0]), np.array([0.3, 2.25, 0.0]))
    rivets += [one.place for one in around]
    rivets += [first, *(one.place for one in row(studio.surface, first, 9, 3.0))]
    added = tuple(AddLayer(f"Rivet {k}", Decal(rivet, one), shiny) for k, one in enumerate(rivets, 1))
    parts.work.execute(Several(added, named="Add rivets"))
    parts.work.execute(
        AddLayer("Three lines", Decal(bars, stripe), {"colour": Channel("picture"), "roughness": Channel(0.4)})
    )
    chosen = parts.selection.selected
    view = window.model_view
    view.set_camera(
        replace(view.camera, yaw=42, pitch=24, target=(0.6, 2.0, 0.3), distance=view.camera.distance * 0.72)
    )
    parts.selection.select(chosen)
    window.pages.setCurrentIndex(0)
    shoot("artwork-stripe")
    parts.selection.select(None)
    view.set_camera(
        replace(view.camera, yaw=20, pitch=10, target=(-1.2, 1.3, 0.8), distance=view.camera.distance * 0.62)
    )
    window.pages.setCurrentWidget(window.late.slides)
    window.late.slides.picture.setCurrentText("kettle-and-reed.png")
    window.tools.slide.click()
    parts.sliding.resize(0.8)
    parts.sliding.set_brushing(True)
    parts.sliding.radius = 0.28
    x, y = view.width() / 2, view.height() / 2
    none, left = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.LeftButton
    brush = next(one for one in view.gestures if isinstance(one, SlideBrush))
    QTest.mousePress(view, left, none, QPoint(int(x) - 60, int(y) + 12))
    for step in range(13):
        brush.go(np.array([x - 60 + 9 * step, y + 12 + 14 * np.sin(step)]), False)
    QTest.mouseRelease(view, left, none, QPoint(int(x) + 50, int(y) + 12))
    window.say("", False)
    shoot("slide")
    parts.sliding.put_away()
    window.pages.setCurrentIndex(0)


def painting(parts: Parts, window: Window, shoot: Callable[[str], None]) -> None:
    """Wear along the rails, a shadow under the deckhouse on multiply, a silver line, a splatter."""
    from dataclasses import replace

    from lucky_fern.core.project.commands import SetLayer
    from lucky_fern.demo.world import demo_studio
    from lucky_fern.ui.gestures.brush_strokes import BrushGesture

    parts.work.take(demo_studio("ferry"))
    parts.looking.go_to("paint")
    view = window.model_view
    view.set_camera(
        replace(view.camera, yaw=25, pitch=14, target=(1.0, 1.5, 0.8), distance=view.camera.distance * 0.55)
    )
    hand = next(one for one in view.gestures if isinstance(one, BrushGesture))

    def stroke(points: list[tuple[float, float]]) -> None:
        places = [np.array([x * view.width(), y * view.height()]) for x, y in points]
        hits = []
        for start, end in pairwise(places):
            hits += [view.surface_at(start + (end - start) * k / 40) for k in range(40)]
        hand.stroke_through(hits, False)

    parts.painting.set(size=0.018, used={"colour"}, values={**parts.painting.values, "colour": "#8a8378"})
    parts.painting.set_brush(hardness=0.1, flow=0.3)
    stroke([(0.19, 0.53), (0.4, 0.545), (0.62, 0.54)])
    shadow = parts.selection.selected
    if shadow is not None:
        parts.work.execute(SetLayer(shadow, blend="multiply"))
    parts.selection.select(None)
    parts.painting.set(
        size=0.022,
        values={**parts.painting.values, "colour": "#e6dcc4", "roughness": 0.9},
        used={"colour", "roughness"},
    )
    parts.painting.set_brush(
        tip="edge chip", flow=0.8, spacing=0.7, follow=True, scatter=0.25, flow_jitter=0.6, size_jitter=0.5
    )
    stroke([(0.02, 0.52), (0.3, 0.55), (0.6, 0.552), (0.97, 0.515)])
    parts.painting.set_brush(
        tip=None, hardness=0.9, flow=1.0, spacing=0.15, scatter=0.0, flow_jitter=0.0, size_jitter=0.0
    )
    parts.painting.set(
        size=0.0022, values={**parts.painting.values, "colour": "#e8e8ea", "metallic": 1.0, "roughness": 0.25}
    )
    parts.painting.use("metallic", True)
    stroke([(0.18, 0.40), (0.62, 0.44)])
    parts.painting.set(size=0.05, used={"colour"}, values={**parts.painting.values, "colour": "#2a1a10"})
    parts.painting.set_brush(tip="splatter", flow=0.7)
    stroke([(0.3, 0.585), (0.302, 0.585)])
    window.say("", False)
    shoot("paint")
    _paint_mask(parts, window, shoot, stroke)
    parts.looking.go_to("artwork")


def worn(parts: Parts, window: Window, shoot: Callable[[str], None]) -> None:
    """The Marsh Hen wears; the rule of her worn edges, and stitches along a seam."""
    from dataclasses import replace

    from lucky_fern.core.project.commands import AddLayer
    from lucky_fern.core.project.document import Channel, Relief
    from lucky_fern.core.project.edgings import Edging
    from lucky_fern.core.project.plain import Scope
    from lucky_fern.core.ready import WEAR, chipped_round
    from lucky_fern.core.recipes import put_recipe
    from lucky_fern.demo.world import demo_studio

    parts.work.take(demo_studio("ferry"))
    assert parts.work.project is not None
    name = next(layer.id for layer in parts.work.project.walk() if layer.name == "Name board")
    thread = {"colour": Channel("#e8dcc0"), "height": Channel("picture", relief=Relief())}
    hem = Edging("open", length=0.12, width=0.035, gap=0.06, offset=0.06, whole=True)
    parts.work.execute(AddLayer("Stitches", hem, thread, scope=Scope(tiles=(1011,))))
    _rub_out_one(parts)
    for which in ("dust", "dirt", "runs", "puddle"):
        parts.work.execute(put_recipe(WEAR[which][1]()))
    parts.work.execute(put_recipe(chipped_round(name)))
    parts.work.execute(put_recipe(WEAR["worn edges"][1]()))
    bare = parts.work.project.layers[-1].children[-1]
    parts.selection.select(bare.id)
    window.model_view.look_from("front")
    camera = window.model_view.camera
    window.model_view.set_camera(replace(camera, yaw=40, pitch=12, distance=camera.distance * 0.62))
    window.pages.setCurrentWidget(window.late.masks)
    window.late.masks.list.setCurrentRow(1)
    window.rest.wait(900)
    shoot("wear")
    window.pages.setCurrentIndex(0)


def _rub_out_one(parts: Parts) -> None:
    """A groove below the stitches, and the mask of both taking one of them out."""
    import cv2

    from lucky_fern.core.edging import groove_of
    from lucky_fern.core.jobs.steps import do_step
    from lucky_fern.core.lending import where_shown
    from lucky_fern.core.sheets.picking import at_uv
    from lucky_fern.core.udim import corner_of

    studio, layer = parts.work.studio, parts.selection.layer
    assert studio is not None and layer is not None
    parts.work.execute(groove_of(studio, layer.id))
    key = next(key for key in studio.surface.keys if key.tile == 1011)
    shown = where_shown(studio, key, studio.project.layer(layer.id))
    _, _, stats, middles = cv2.connectedComponentsWithStats(shown.astype(np.uint8))
    number = 1 + int(np.argsort(stats[1:, cv2.CC_STAT_AREA])[len(stats) // 2])  # a stitch like most of them
    column, row = (middles[number] + 0.5) / len(shown)
    hit = at_uv(studio.surface, key.material, corner_of(key.tile) + np.array([column, 1 - row]))
    assert hit is not None
    x, y, z = (float(value) for value in hit.position)
    do_step(studio, {"do": "mask", "layer": layer.name, "kind": "fill", "value": 1}, Path())
    touch = {"do": "stroke", "layer": layer.name, "on": "mask", "erase": True, "radius": 0.07, "hardness": 1}
    do_step(studio, {**touch, "points": [[x, y, z]]}, Path())
    parts.work.refresh()


def lent(parts: Parts, window: Window, shoot: Callable[[str], None]) -> None:
    """A box of the hull, and what is seen of her, in another program's hands; what was painted there is back."""
    from lucky_fern.demo.other_program import paint_on
    from lucky_fern.demo.world import demo_studio
    from lucky_fern.ui.session.lending import Wish

    parts.work.take(demo_studio("ferry"))
    window.rest.wait(300)
    assert parts.work.studio is not None
    key, lending = parts.work.studio.surface.keys[0], parts.lending
    lending.lent.disconnect()  # no other program is opened
    with tempfile.TemporaryDirectory() as folder:
        hull = Path(folder) / "hull planks.ora"
        lending.lend(key, Wish(), hull, (300, 1000, 1500, 1700))
        window.rest.wait(120)
        lending.lend_view(Path(folder) / "port side.png", 1.6)
        window.rest.wait(120)
        paint_on(hull, (250, 120, 950, 330), "#e8c860")
        lending.look()
        window.rest.wait(120)
        window.late.loans.refresh()
        window.pages.setCurrentWidget(window.late.loans)
        window.sheet_view.go_to_triangles(parts.work.studio.surface.placement.triangles[key])
        window.rest.wait(60)
        shoot("loans")
    for name in list(lending.out()):
        lending.forget(name)
    window.sheet_view.frame_all()
    window.pages.setCurrentIndex(0)


def preparing(parts: Parts, window: Window, shoot: Callable[[str], None]) -> None:
    """The photograph of the sign straightened, its light evened, cut out."""
    from lucky_fern.core.project.preparations import CutOut
    from lucky_fern.demo.world import demo_studio
    from lucky_fern.ui.kit.op_handles import with_corners

    parts.work.take(demo_studio("ferry"))
    window.rest.wait(300)
    preparing = parts.preparing
    preparing.open("sign-photograph.png")
    window.rest.wait(60)
    window.late.preparing_panel.add("straighten")
    window.rest.wait(60)
    preparing.propose_corners(lambda four: preparing.set_op(with_corners(preparing.op or CutOut(), four)))
    window.rest.wait(60)
    window.late.preparing_panel.add("even-light")
    window.rest.wait(60)
    preparing.choose(0)
    window.rest.wait(60)
    shoot("preparing")
    preparing.close()
    window.rest.wait(60)


def recipes(parts: Parts, window: Window, shoot: Callable[[str], None]) -> None:
    """The recipes in the tray, three of them put onto parts of the flask."""
    from lucky_fern.core.project.plain import Scope
    from lucky_fern.demo.world import demo_studio

    parts.work.take(demo_studio("flask"))
    window.tray.kinds.setCurrentIndex(2)
    for name, part in (("Worn paint", "lid"), ("Leather with stitches", "strap"), ("Runs below edges", "body")):
        kept = parts.recipes.find(f"made/{name}")
        assert kept is not None
        parts.recipes.put(kept, Scope(parts=(part,)))
        window.rest.wait(60)
    window.say("", False)
    shoot("recipes")
    window.tray.kinds.setCurrentIndex(0)


def _paint_mask(
    parts: Parts, window: Window, shoot: Callable[[str], None], stroke: Callable[[list[tuple[float, float]]], None]
) -> None:
    """Grime that a picture confines, seen in colour, with the picture's handles."""
    from lucky_fern.core.project.commands import AddLayer
    from lucky_fern.core.project.document import Channel, Wash

    parts.work.execute(AddLayer("Soot", Wash(), {"colour": Channel("#1c1814"), "roughness": Channel(0.95)}))
    view = window.model_view
    parts.looking.mark(view.surface_at(np.array([0.4, 0.45]) * [view.width(), view.height()]), view)
    parts.painting.confine("grime-mask.png")
    parts.painting.set(size=0.06)
    parts.painting.set_brush(tip=None, hardness=0.2, flow=0.3)
    stroke([(0.2, 0.46), (0.6, 0.46)])
    parts.comparing.show_mask("colour")
    window.pages.setCurrentWidget(window.late.masks)
    window.late.masks.list.setCurrentRow(0)
    window.late.masks.handles.click()
    window.say("", False)
    shoot("paint-mask")
    window.late.masks.handles.click()
    parts.comparing.show_mask(None)
    parts.painting.set(on_mask=False)
    window.pages.setCurrentIndex(0)


def texels(parts: Parts, window: Window, shoot: Callable[[str], None]) -> None:
    """The tea kettle at the Paint station, a tool of single texels in hand, its window lit."""
    from lucky_fern.demo.world import demo_studio

    parts.work.take(demo_studio("kettle"))
    parts.commands["paint.texels"].trigger()
    project = parts.work.project
    assert project is not None
    parts.selection.select(next(layer.id for layer in project.layers if layer.name == "Pixels"))
    parts.painting.values["colour"] = "#ffd75e"
    parts.painting.set(used={"colour"})
    window.say("", False)
    shoot("texels")
    parts.painting.set(tool="brush")


def going_out(parts: Parts, window: Window, shoot: Callable[[str], None]) -> None:
    """The check, and the quay with a map that is read wrongly."""
    from PySide6.QtWidgets import QApplication

    from lucky_fern.core import taking
    from lucky_fern.core.exporting.exporter import export
    from lucky_fern.core.exporting.model_files import write_model
    from lucky_fern.core.project.export_setup import ExportSetup
    from lucky_fern.demo.world import demo_studio
    from lucky_fern.quay.delivery import Delivery
    from lucky_fern.ui.quay.window import Quay

    def work_until(done: Callable[[], bool]) -> None:
        end = time.monotonic() + 60
        while not done() and time.monotonic() < end:
            QApplication.processEvents()
            time.sleep(0.02)

    parts.work.take(demo_studio("ferry"))
    parts.exports.change(padding=4)
    parts.looking.go_to("check")
    work_until(lambda: bool(window.late.check_panel.found) and not parts.errands.busy)
    window.late.check_panel.list.setCurrentRow(0)
    window.late.check_panel.light.shadows.click()
    window.say("", False)
    shoot("check")
    parts.looking.show_map(None)
    studio = parts.work.studio
    assert studio is not None
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place) / "Marsh Hen maps"
        export(studio.sources, studio.project, ExportSetup("separate", ""), "hen", folder)
        model = partial(write_model, studio.model, "hen.obj")
        quay = Quay(
            Delivery(folder, model, painted=lambda: (studio.surface, taking.written(studio, parts.maps.finished)))
        )
        quay.resize(1280, 800)
        quay.show()
        work_until(lambda: "as it was painted" in quay.verdict.text())
        quay.readings["baseColor"].activated.emit(1)
        work_until(lambda: "linear" in quay.verdict.text())
        quay.said.setText("24 maps from ~/otterwick/Marsh Hen maps; it is watched and read again when it changes.")
        quay.grab().save(str(FOLDER / "quay.png"))
        quay.close()
    parts.looking.go_to("artwork")
