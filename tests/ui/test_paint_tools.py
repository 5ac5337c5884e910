"""The other tools of the Paint station, with real mouse and pen events."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QInputDevice, QPointingDevice, QPointingDeviceUniqueId, QTabletEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from hands import Hands
from lucky_fern.core.compositing.brushwork import draw_painted
from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.core.painting.seen import Seen
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry
from lucky_fern.core.project.document import Brushwork, Channel, Wash
from lucky_fern.core.project.looks import TINT
from lucky_fern.core.project.places import Lay
from lucky_fern.core.project.shapes import MaskEntry, PictureShape
from lucky_fern.core.sheets.grid import all_chunks, square
from lucky_fern.core.sheets.picking import SurfaceHit, local_uv, sheet_of
from test_paint_station import ALT, LEFT, PLAIN, at, before_the_cabin, click, texel

CTRL = Qt.KeyboardModifier.ControlModifier
__all__ = ["before_the_cabin"]  # a fixture: used by being there


def wash(ferry: Hands, colour: str) -> int:
    ferry.parts.work.execute(AddLayer("Over", Wash(), {"colour": Channel(colour)}))
    assert ferry.parts.selection.selected is not None
    return ferry.parts.selection.selected


def shown(ferry: Hands, hit: SurfaceHit | None) -> list[int]:
    """What the views' own colour map holds at a point, looks included."""
    ferry.wait()
    studio, store = ferry.parts.work.studio, ferry.parts.maps.store
    assert studio is not None and store is not None and hit is not None
    key = sheet_of(studio.surface, hit)
    assert key is not None
    whole = store.maps[MapKey(key, "colour")]
    u, v = local_uv(hit, key)
    return [int(value) for value in whole[int((1 - v) * len(whole)), int(u * len(whole))]]


def test_cloning_and_smearing_bring_what_is_elsewhere(ferry: Hands) -> None:
    parts, view, painting = ferry.parts, ferry.window.model_view, ferry.parts.painting
    painting.set(size=0.012)
    painting.set_brush(hardness=0.9)
    ferry.window.tools.brushes.buttons["clone"].click()
    source, place = at(view, 0.7, 0.44), at(view, 0.62, 0.62)  # cabin wall → hull
    ferry.drag(view, place, place)
    assert "Ctrl+click" in ferry.window.notice.text()
    click(view, source, CTRL)
    wanted, there = texel(ferry, view.surface_at(source)), view.surface_at(place)
    assert np.abs(texel(ferry, there).astype(int) - wanted).max() > 30
    ferry.drag(view, place, place + np.array([8.0, 0.0]))
    assert np.abs(texel(ferry, there).astype(int) - wanted).max() <= 12
    layer = parts.selection.layer
    assert layer is not None and isinstance(layer.content, Brushwork) and parts.work.project is not None
    assert parts.work.project.layers[-1].id == layer.id  # it lies over all that it shows
    # Smearing from the hull onto the patch takes the hull's colour there.
    ferry.window.tools.brushes.buttons["smear"].click()
    beside = place - np.array([34.0, 0.0])
    hull = texel(ferry, view.surface_at(beside)).astype(int)
    ferry.drag(view, beside, place, steps=20)
    assert np.abs(texel(ferry, there) - hull).max() < np.abs(wanted - hull).max() / 2


def test_a_stamp_is_seen_before_it_is_let_go_and_is_one_step(ferry: Hands) -> None:
    parts, view, painting = ferry.parts, ferry.window.model_view, ferry.parts.painting
    assert parts.work.studio is not None
    wash(ferry, "#ffffff")
    painting.set_brush(hardness=1.0)
    ferry.window.tools.brushes.buttons["stamp"].click()
    start = at(view, 0.5, 0.42)
    near, far = (view.surface_at(start + np.array([step, 0.0])) for step in (10.0, 55.0))
    QTest.mousePress(view, LEFT, PLAIN, QPoint(*np.round(start).astype(int)))

    def drag(step: float) -> None:
        QTest.qWait(40)  # it is looked at so many times a second
        ferry.drag_move(view, QPoint(*np.round(start + np.array([step, 0.0])).astype(int)))

    drag(60)
    assert texel(ferry, far).tolist() == texel(ferry, near).tolist() == [0xA3, 0x54, 0x2C]
    drag(20)
    assert texel(ferry, far).tolist() == [255, 255, 255]  # smaller again
    assert texel(ferry, near).tolist() == [0xA3, 0x54, 0x2C]
    QTest.mouseRelease(view, LEFT, PLAIN, QPoint(*np.round(start + np.array([20.0, 0.0])).astype(int)))
    assert texel(ferry, near).tolist() == [0xA3, 0x54, 0x2C]
    steps = parts.work.studio.history.at
    parts.work.undo()
    assert texel(ferry, near).tolist() == [255, 255, 255] and parts.work.studio.history.at == steps - 1
    # Dragged out and back it is as large as the brush, as if it was clicked, and it is done.
    painting.set(size=0.02)
    QTest.mousePress(view, LEFT, PLAIN, QPoint(*np.round(start).astype(int)))
    drag(60)
    QTest.mouseRelease(view, LEFT, PLAIN, QPoint(*np.round(start).astype(int)))
    assert texel(ferry, far).tolist() == [255, 255, 255]
    assert parts.work.studio.history.at == steps
    parts.work.undo()
    # From corner to corner it fills the box.
    ferry.window.tools.brushes.dragged.activated.emit(1)
    ferry.drag(view, start, start + np.array([60.0, 24.0]), steps=3)
    inside, above = (view.surface_at(start + np.array([30.0, step])) for step in (12.0, 30.0))
    assert texel(ferry, inside).tolist() == [0xA3, 0x54, 0x2C]
    assert texel(ferry, above).tolist() == [255, 255, 255]


def test_brushes_on_the_screen_and_on_what_is_seen(ferry: Hands) -> None:
    parts, view, painting = ferry.parts, ferry.window.model_view, ferry.parts.painting
    wash(ferry, "#ffffff")
    painting.set(size=0.05)
    painting.set_brush(hardness=1.0, ground="screen")
    spot = at(view, 0.5, 0.45)
    radius = 0.05 * view.height()
    hits = {step: view.surface_at(spot + np.array([step * radius, 0.0])) for step in (0.85, 1.2)}
    ferry.drag(view, spot, spot)
    assert texel(ferry, hits[0.85]).tolist() == [0xA3, 0x54, 0x2C]
    assert texel(ferry, hits[1.2]).tolist() == [255, 255, 255]
    parts.work.undo()
    painting.set_brush(ground="surface")
    painting.set(size=0.06)
    studio = parts.work.studio
    assert studio is not None and parts.looking.eye is not None
    seen = Seen(studio.model, parts.looking.eye)

    def unseen() -> int:
        """Painted texels that the view does not show."""
        layer = parts.selection.layer
        assert layer is not None and isinstance(layer.content, Brushwork)
        count = 0
        for key in studio.surface.keys:
            painted, sheet = layer.content.sheets.get(str(key)), studio.surface.sheet(key, square(512))
            for chunk in all_chunks(square(512)) if painted is not None else ():
                rgba = draw_painted(painted, "colour", square(512), chunk, studio.blobs, studio.sources.kept)
                if rgba is not None:
                    count += int(((rgba[..., 3] > 0) & ~seen.texels(sheet, chunk)).sum())
        return count

    ring = at(view, 0.17, 0.47)  # before the wall hangs a life ring
    ferry.drag(view, ring, ring)
    assert unseen() > 50
    parts.work.undo()
    ferry.window.late.brush.paints.seen.click()
    ferry.drag(view, ring, ring)
    assert unseen() == 0


def test_masks_are_looked_at_and_their_pictures_moved(ferry: Hands) -> None:
    parts, view, sheet = ferry.parts, ferry.window.model_view, ferry.window.sheet_view
    assert parts.work.project is not None and parts.work.studio is not None
    layer = wash(ferry, "#00ff00")
    picture = next(name for name in parts.work.project.pictures if "crest" in name)
    key = parts.work.studio.surface.keys[0]
    place = Lay(key.material, key.tile, (0.5, 0.5), 0.4, 0.4)
    parts.work.execute(AddMaskEntry(layer, MaskEntry(PictureShape(picture, place))))
    hit, bare = view.surface_at(at(view, 0.5, 0.42)), view.surface_at(at(view, 0.4, 0.31))
    before = shown(ferry, bare)
    looks = ferry.window.late.masks.looks
    looks["alone"].click()
    assert shown(ferry, bare) == [0, 0, 0] and parts.looking.shown_map == "colour"
    looks["colour"].click()
    assert shown(ferry, bare) == before and parts.looking.shown_map is None
    parts.work.execute(AddMaskEntry(layer, MaskEntry(PictureShape(picture, place), "add", invert=True)))
    tint = [int(TINT[k : k + 2], 16) for k in (1, 3, 5)]
    assert np.abs(np.array(shown(ferry, hit)) - np.mean([tint, [0, 255, 0]], axis=0)).max() < 20
    looks["colour"].click()
    assert shown(ferry, hit) == [0, 255, 0]
    ferry.window.pages.setCurrentWidget(ferry.window.late.masks)
    ferry.window.late.masks.list.setCurrentRow(1)
    ferry.window.late.masks.handles.click()
    corner = sheet.tiles.corner(key)
    middle, aim = sheet.pixel_of(corner + np.array([0.5, 0.5])), sheet.pixel_of(corner + np.array([0.7, 0.6]))
    ferry.drag(sheet, middle, aim)
    moved = parts.work.project.masks[parts.work.project.layer(layer).mask or 0].entries[0].shape
    assert isinstance(moved, PictureShape) and isinstance(moved.place, Lay)
    assert moved.place.centre == pytest.approx((0.7, 0.6), abs=0.02)
    ferry.window.late.masks.repeat.click()
    again = parts.work.project.masks[parts.work.project.layer(layer).mask or 0].entries[0].shape
    assert isinstance(again, PictureShape) and isinstance(again.place, Lay) and again.place.repeat


def test_tips_paints_rectangles_and_flat_gradients(ferry: Hands) -> None:
    parts, sheet, painting, panel = (
        ferry.parts,
        ferry.window.sheet_view,
        ferry.parts.painting,
        ferry.window.late.brush,
    )
    assert parts.work.studio is not None and parts.work.project is not None
    key = parts.work.studio.surface.keys[0]
    corner = sheet.tiles.corner(key)

    def pixel(u: float, v: float) -> np.ndarray:
        return np.asarray(sheet.pixel_of(corner + np.array([u, v])))

    # A tip from what is on the sheet.
    painting.set(picking_tip=True)
    ferry.drag(sheet, pixel(0.2, 0.6), pixel(0.6, 0.9))
    assert painting.brush.tip is not None and painting.brush.tip.startswith("tip 1") and not painting.picking_tip
    painting.set_brush(tip=None)
    # A paint is kept under a name and taken again.
    painting.set(used={"colour", "roughness"}, values={**painting.values, "colour": "#123456", "roughness": 0.25})
    panel.paints.kit.setEditText("Harbour blue")
    panel.paints.keep.click()
    painting.set(used={"metallic"}, values={**painting.values, "colour": "#ffffff"})
    panel.paints.kit.activated.emit(panel.paints.kit.findText("Harbour blue"))
    assert dict(painting.paint) == {"colour": "#123456", "roughness": 0.25}
    # A rectangle on the sheet, then a round gradient there.
    ferry.window.tools.brushes.buttons["fill"].click()
    ferry.window.tools.brushes.drawn.activated.emit(1)
    ferry.drag(sheet, pixel(0.1, 0.1), pixel(0.6, 0.5))
    hits = [sheet.surface_at(pixel(u, v)) for u, v in ((0.15, 0.15), (0.35, 0.3), (0.55, 0.45))]
    for hit in hits:
        if hit is not None:
            assert texel(ferry, hit).tolist() == [0x12, 0x34, 0x56]
    assert any(hit is not None for hit in hits)
    ferry.window.tools.brushes.buttons["gradient"].click()
    parts.filling.fill = "tile"
    ferry.window.tools.brushes.runs.activated.emit(1)
    painting.set(values={**painting.values, "colour": "#ffffff"}, used={"colour"})
    middle = next(
        place for place in ((0.35, 0.3), (0.3, 0.2), (0.5, 0.3)) if sheet.surface_at(pixel(*place)) is not None
    )
    ferry.drag(sheet, pixel(*middle), pixel(middle[0] + 0.2, middle[1]))
    near = texel(ferry, sheet.surface_at(pixel(*middle)))
    assert near.min() > 225


def test_planes_of_ones_own_pens_that_lean_and_faces_that_look_away(ferry: Hands) -> None:
    parts, view, painting = ferry.parts, ferry.window.model_view, ferry.parts.painting
    assert parts.work.studio is not None
    model = parts.work.studio.model
    wall = view.surface_at(at(view, 0.5, 0.42))
    assert wall is not None
    ferry.window.late.brush.symmetry.plane.menu().actions()[2].trigger()
    assert painting.normal is None and "Select faces" in ferry.window.notice.text()
    parts.faces.choose(np.arange(model.triangle_count) == wall.triangle, whole_units=False)
    ferry.window.late.brush.symmetry.plane.menu().actions()[2].trigger()
    assert painting.symmetry is not None and painting.symmetry.normal is not None
    assert np.abs(np.array(painting.symmetry.normal) @ wall.normal) > 0.999
    view.refresh()
    assert view.drawn.planes
    ferry.window.late.brush.symmetry.plane.menu().actions()[0].trigger()
    assert painting.symmetry is None
    pen = QPointingDevice("pen", 2, QInputDevice.DeviceType.Stylus, QPointingDevice.PointerType.Pen,
                          QInputDevice.Capability.Pressure, 1, 1, "", QPointingDeviceUniqueId())  # fmt: skip
    spot = QPointF(*at(view, 0.5, 0.42))
    event = QTabletEvent(QEvent.Type.TabletMove, pen, spot, QPointF(view.mapToGlobal(spot)), 0.7, 30.0, -45.0, 0.0, 0.0,
                         0.0, PLAIN, LEFT, LEFT)  # fmt: skip
    QApplication.sendEvent(view, event)
    assert painting.pen.pressure == pytest.approx(0.7)
    assert (painting.pen.right, painting.pen.up) == pytest.approx((0.5, np.sqrt(0.5)), abs=0.01)
    # From inside the cabin one sees its wall from behind; without such faces one looks through it.
    inside = wall.position - wall.normal * 0.3
    view.set_camera(replace(view.camera, yaw=view.camera.yaw + 180, target=tuple(inside), distance=0.05))
    points = [at(view, x, 0.5) for x in (0.3, 0.5, 0.7)]

    def faces_away() -> list[bool]:
        hits = [hit for hit in map(view.hit, points) if hit is not None]
        return [bool(hit.normal @ (view.camera.eye - hit.position) < 0) for hit in hits]

    assert any(faces_away())
    view.set_look(front_only=True)
    assert not any(faces_away())
    view.set_look(front_only=False)


def test_alt_takes_away_what_a_stroke_left(ferry: Hands) -> None:
    view, painting = ferry.window.model_view, ferry.parts.painting
    painting.set(size=0.02, used={"colour", "metallic"})
    painting.set_brush(hardness=1.0)
    spot = at(view, 0.5, 0.42)
    before = texel(ferry, view.surface_at(spot))
    ferry.drag(view, spot, spot)
    QTest.mousePress(view, LEFT, ALT, QPoint(*np.round(spot).astype(int)))
    QTest.mouseRelease(view, LEFT, ALT, QPoint(*np.round(spot).astype(int)))
    assert np.abs(texel(ferry, view.surface_at(spot)).astype(int) - before).max() <= 1
