"""Painting on the Marsh Hen with real mouse and pen events."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QInputDevice, QPointingDevice, QPointingDeviceUniqueId, QTabletEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from hands import Hands
from lucky_fern.core import taking
from lucky_fern.core.compositing.masks import mask_values
from lucky_fern.core.project.document import Brushwork, Decal
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.sheets.picking import SurfaceHit, local_uv, sheet_of
from lucky_fern.core.sheets.region import Rect
from lucky_fern.core.studio import Studio
from lucky_fern.quay.delivery import Delivery
from lucky_fern.ui.views.view import View

LEFT = Qt.MouseButton.LeftButton
PLAIN, ALT, SHIFT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture(autouse=True)
def before_the_cabin(ferry: Hands) -> None:
    """At the Paint station, near the cabin's wall."""
    ferry.parts.looking.go_to("paint")
    view = ferry.window.model_view
    view.set_camera(
        replace(view.camera, yaw=25, pitch=12, target=(1.0, 1.6, 0.8), distance=view.camera.distance * 0.5)
    )
    ferry.wait()


def at(view: View, x: float, y: float) -> np.ndarray:
    return np.array([view.width() * x, view.height() * y])


def click(view: View, point: np.ndarray, modifier: Qt.KeyboardModifier = PLAIN) -> None:
    QTest.mouseClick(view, LEFT, modifier, QPoint(*np.round(point).astype(int)))


def texel(ferry: Hands, hit: SurfaceHit | None, name: str = "colour") -> np.ndarray:
    """What a map holds at a point of the surface."""
    studio = ferry.parts.work.studio
    assert studio is not None and hit is not None
    key = sheet_of(studio.surface, hit)
    assert key is not None
    u, v = local_uv(hit, key)
    whole = taking.whole_map(studio, key, name)
    return np.asarray(whole[min(int((1 - v) * len(whole)), len(whole) - 1), min(int(u * len(whole)), len(whole) - 1)])


def test_strokes_lines_stamps_and_fills_paint_and_are_one_step_each(ferry: Hands) -> None:
    parts, view, painting = ferry.parts, ferry.window.model_view, ferry.parts.painting
    painting.set(size=0.015)
    painting.set_brush(hardness=1.0)
    start, end = at(view, 0.3, 0.45), at(view, 0.55, 0.5)
    middle = view.surface_at((start + end) / 2)
    assert parts.work.project is not None and parts.work.studio is not None
    before = texel(ferry, middle)
    ferry.drag(view, start, end, steps=9)
    layer = parts.selection.layer
    assert layer is not None and isinstance(layer.content, Brushwork)
    assert texel(ferry, middle).tolist() == [0xA3, 0x54, 0x2C]
    assert parts.work.studio.history.undo_label == "Brush stroke"
    parts.work.undo()
    assert np.array_equal(texel(ferry, middle), before)
    parts.work.undo()  # the layer that the first stroke brought
    assert all(one.id != layer.id for one in parts.work.project.walk())
    ferry.drag(view, start, end, steps=9)
    # Another map as well, by a click in the panel; a line held straight by Shift; Alt takes away.
    box, field = ferry.window.late.brush.paints.maps["roughness"]
    box.click()
    field.changed.emit(0.2)
    ferry.window.tools.brushes.buttons["line"].click()
    low, high = at(view, 0.2, 0.6), at(view, 0.5, 0.61)
    QTest.mousePress(view, LEFT, SHIFT, QPoint(*np.round(low).astype(int)))
    QTest.mouseRelease(view, LEFT, SHIFT, QPoint(*np.round(high).astype(int)))
    level = view.surface_at(np.array([(low[0] + high[0]) / 2, low[1]]))
    assert texel(ferry, level, "roughness")[0] == 51
    ferry.window.tools.brushes.buttons["stamp"].click()
    spot = at(view, 0.61, 0.43)
    ferry.drag(view, spot, spot + np.array([0.0, -30.0]))
    beside = view.surface_at(spot + np.array([0.0, -24.0]))
    assert texel(ferry, beside).tolist() == [0xA3, 0x54, 0x2C]
    ferry.window.tools.brushes.buttons["brush"].click()
    QTest.mousePress(view, LEFT, ALT, QPoint(*np.round(spot).astype(int)))
    QTest.mouseRelease(view, LEFT, ALT, QPoint(*np.round(spot).astype(int)))
    assert texel(ferry, view.surface_at(spot)).tolist() != [0xA3, 0x54, 0x2C]
    assert parts.work.studio.history.undo_label == "Erase"
    ferry.window.tools.brushes.buttons["fill"].click()
    parts.filling.fill = "part"
    painting.set(values={**painting.values, "colour": "#102030"})
    roof = view.surface_at(at(view, 0.4, 0.31))
    click(view, at(view, 0.4, 0.31))
    assert texel(ferry, roof).tolist() == [0x10, 0x20, 0x30]
    # Round an outline on the sheet.
    sheet = ferry.window.sheet_view
    assert roof is not None
    key = sheet_of(parts.work.studio.surface, roof)
    assert key is not None
    corner = sheet.tiles.corner(key)
    ring = [
        sheet.pixel_of(corner + np.array(place))
        for place in ((0.1, 0.1), (0.4, 0.1), (0.4, 0.4), (0.1, 0.4), (0.1, 0.1))
    ]
    painting.set(values={**painting.values, "colour": "#ff00ff"})
    QTest.mousePress(sheet, LEFT, PLAIN, QPoint(*np.round(ring[0]).astype(int)))
    for place in ring[1:]:
        ferry.drag_move(sheet, QPoint(*np.round(place).astype(int)))
    QTest.mouseRelease(sheet, LEFT, PLAIN, QPoint(*np.round(ring[-1]).astype(int)))
    whole = taking.whole_map(parts.work.studio, key, "colour")
    inside = whole[int(0.65 * len(whole)) : int(0.85 * len(whole)), int(0.15 * len(whole)) : int(0.35 * len(whole))]
    assert (inside == [255, 0, 255]).all(axis=2).mean() > 0.3


def test_a_pen_presses_and_masks_are_painted_and_undone(ferry: Hands) -> None:
    parts, view, painting = ferry.parts, ferry.window.model_view, ferry.parts.painting
    assert parts.work.project is not None and parts.work.studio is not None
    crest = next(layer for layer in parts.work.project.walk() if isinstance(layer.content, Decal))
    parts.selection.select(crest.id)
    painting.set(on_mask=True, erasing=True, size=0.02)
    painting.set_brush(hardness=1.0)
    spot = at(view, 0.35, 0.45)
    pen = QPointingDevice("pen", 1, QInputDevice.DeviceType.Stylus, QPointingDevice.PointerType.Pen,
                          QInputDevice.Capability.Pressure, 1, 1, "", QPointingDeviceUniqueId())  # fmt: skip

    def press(kind: QEvent.Type, pressure: float) -> None:
        place = QPointF(*spot)
        event = QTabletEvent(kind, pen, place, QPointF(view.mapToGlobal(place)), pressure, 0.0, 0.0, 0.0, 0.0, 0.0,
                             PLAIN, LEFT, LEFT)  # fmt: skip
        QApplication.sendEvent(view, event)

    press(QEvent.Type.TabletPress, 0.5)
    assert painting.pen.pressure == pytest.approx(0.5)
    QTest.mousePress(view, LEFT, PLAIN, QPoint(*np.round(spot).astype(int)))
    QTest.mouseRelease(view, LEFT, PLAIN, QPoint(*np.round(spot).astype(int)))
    press(QEvent.Type.TabletRelease, 0.0)
    assert painting.pen.pressure == 1.0
    layer = parts.work.project.layer(crest.id)
    hit = view.surface_at(spot)
    assert layer.mask is not None and hit is not None
    key = sheet_of(parts.work.studio.surface, hit)
    assert key is not None
    size = parts.work.project.size_of(key).width
    u, v = local_uv(hit, key)
    row, column = int((1 - v) * size), int(u * size)
    sheet = parts.work.studio.surface.sheet(key, square(size))

    def shown() -> int:
        found = mask_values(
            parts.work.studio.sources, parts.work.project, layer, sheet, Rect(row, row + 1, column, column + 1)
        )
        return 65535 if found is None else int(found[0, 0])

    assert shown() == pytest.approx(32768, abs=300)
    parts.work.undo()
    assert shown() == 65535


def test_strokes_cross_tiles_are_mirrored_and_steadied(ferry: Hands) -> None:
    parts, view, painting = ferry.parts, ferry.window.model_view, ferry.parts.painting
    assert parts.work.studio is not None
    painting.set(size=0.02, planes="z", steadying="string", steady_strength=20.0)
    painting.set_brush(hardness=1.0)
    start, end = at(view, 0.3, 0.5), at(view, 0.3, 0.63)  # from the cabin's wall down over the hull
    ferry.drag(view, start, end, steps=20)
    layer = parts.selection.layer
    assert layer is not None and isinstance(layer.content, Brushwork)
    assert len(layer.content.sheets) >= 2
    hit = view.surface_at(end)  # the string catches up with the hand
    assert texel(ferry, hit).tolist() == [0xA3, 0x54, 0x2C]
    view.set_camera(replace(view.camera, yaw=155))
    about = parts.work.studio.model.bounds[:, 2].mean()
    assert hit is not None
    other = view.to_screen(np.array([hit.position[0], hit.position[1], 2 * about - hit.position[2]]))
    assert texel(ferry, view.surface_at(other)).tolist() == [0xA3, 0x54, 0x2C]


def test_effects_are_brushed_on_and_gradients_run_out(ferry: Hands) -> None:
    parts, view, painting, panel = ferry.parts, ferry.window.model_view, ferry.parts.painting, ferry.window.late.brush
    assert parts.work.project is not None
    spot = at(view, 0.61, 0.43)
    hit = view.surface_at(spot)
    before = texel(ferry, hit)
    panel.paints.effects.setCurrentIndex(4)
    panel.paints.effects.activated.emit(4)  # darken
    assert parts.selection.layer is not None and parts.selection.layer.name == "Darken" and painting.on_mask
    assert np.array_equal(texel(ferry, hit), before)  # its mask is empty yet
    ferry.drag(view, spot, spot + np.array([4.0, 0.0]))
    after = texel(ferry, hit)
    assert (after.astype(int) < before - 10).all()
    parts.filling.fill = "part"
    painting.set(on_mask=False, tool="gradient", values={**painting.values, "colour": "#0000ff"}, used={"colour"})
    low, high = at(view, 0.5, 0.36), at(view, 0.5, 0.50)
    ends = [view.surface_at(low), view.surface_at(high)]
    ferry.drag(view, low, high)
    first, last = (texel(ferry, end) for end in ends)
    assert first[2] > 240 and first[0] < 30
    assert last[0] > 80
    ferry.key(Qt.Key.Key_U, PLAIN)
    assert ferry.window.tools.flat.isChecked()


def test_what_goes_on_ends_by_esc_by_its_own_button_and_with_its_model(ferry: Hands, plane: Path) -> None:
    parts, view = ferry.parts, ferry.window.model_view
    parts.painting.set(picking_tip=True)
    ferry.key(Qt.Key.Key_Escape, PLAIN)
    assert not parts.painting.picking_tip
    parts.lending.draw_box(True)
    ferry.key(Qt.Key.Key_Escape, PLAIN)
    assert not parts.lending.drawing

    parts.painting.set(tool="clone")
    click(view, at(view, 0.5, 0.5), Qt.KeyboardModifier.ControlModifier)
    assert parts.painting.source is not None
    first, second = (QPoint(*at(view, x, 0.5).astype(int)) for x in (0.45, 0.55))
    QTest.mousePress(view, LEFT, PLAIN, first)
    for act in (QTest.mousePress, QTest.mouseRelease):
        act(view, Qt.MouseButton.RightButton, PLAIN, first)
    QTest.mouseMove(view, second)
    assert view._gesture is not None
    QTest.mouseRelease(view, LEFT, PLAIN, second)
    ferry.wait()
    assert view._gesture is None and parts.work.studio.history.titles[1:] == ["Add Brushwork", "Brush stroke"]

    parts.work.take(Studio.new(plane))
    assert parts.painting.source is None
    ferry.wait()
    ferry.hover(view, at(view, 0.5, 0.5))


def test_the_quay_closes_with_the_window(ferry: Hands, tmp_path: Path) -> None:
    ferry.window.quay.open(Delivery(tmp_path))
    assert ferry.window.quay.shown is not None and ferry.window.quay.shown.isVisible()
    ferry.window.close()
    assert not ferry.window.quay.shown.isVisible()
