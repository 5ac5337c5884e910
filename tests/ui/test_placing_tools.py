"""Stripes, figures, slides, pulled pictures, snapping and scopes, with real mouse and key events on the Marsh Hen."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from msgspec import structs
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from hands import Hands
from lucky_fern.core.compositing.masks import mask_values
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Channel, Decal, Wash
from lucky_fern.core.project.places import Along, Throw
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.sheets.region import Rect
from lucky_fern.ui.gestures.pull_handles import pulled_points
from lucky_fern.ui.gestures.slide_handles import SlideHandles
from lucky_fern.ui.views.view import View

LEFT = Qt.MouseButton.LeftButton
PLAIN = Qt.KeyboardModifier.NoModifier


def click(view: View, at: np.ndarray, modifier: Qt.KeyboardModifier = PLAIN) -> None:
    QTest.mouseClick(view, LEFT, modifier, QPoint(*np.round(at).astype(int)))


@pytest.fixture(autouse=True)
def at_the_artwork_station(ferry: Hands) -> None:
    ferry.parts.looking.go_to("artwork")
    ferry.wait()


def test_a_stripe_is_clicked_dragged_curved_and_closed(ferry: Hands) -> None:
    window, parts, view = ferry.window, ferry.parts, ferry.window.model_view
    size = np.array([view.width(), view.height()])
    window.tools.stripe.click()
    for at in ((0.25, 0.585), (0.45, 0.625), (0.65, 0.645)):
        click(view, size * at)
    QTest.keyClick(view, Qt.Key.Key_Return)
    assert not parts.striping.armed
    assert parts.selection.stripe is not None
    layer, place, length = parts.selection.stripe
    assert len(place.points) == 3
    assert parts.work.project is not None and parts.work.studio is not None
    stripe = parts.work.studio.sources.stripe(place, length, None)
    assert stripe.lost == 0
    # Its picked points lie on it.
    far = np.linalg.norm(stripe.path.points[:, None] - np.array(place.points), axis=2)
    assert far.min(axis=0).max() < 0.05
    spot = view.spot(np.array(place.points[1]), np.array(place.normals[1]))
    assert spot is not None
    ferry.drag(view, spot, spot + np.array([0.0, -14.0]))
    moved = parts.selection.stripe[1]
    assert moved.points[1] != place.points[1]
    assert (moved.points[0], moved.points[2]) == (place.points[0], place.points[2])
    knots = [view.spot(np.array(p), np.array(n)) for p, n in zip(moved.points, moved.normals, strict=True)]
    assert knots[0] is not None and knots[1] is not None
    middle = (knots[0] + knots[1]) / 2
    ferry.drag(view, middle, middle + np.array([0.0, 6.0]))
    assert len(parts.selection.stripe[1].points) == 4
    spot = view.spot(np.array(parts.selection.stripe[1].points[1]), np.array(parts.selection.stripe[1].normals[1]))
    assert spot is not None
    click(view, spot, Qt.KeyboardModifier.ControlModifier)
    assert len(parts.selection.stripe[1].points) == 3
    fields = ferry.fields
    fields["stripe width"].setValue(0.4)
    fields["stripe smooth"].click()
    fields["figure form"].setCurrentIndex(4)
    fields["figure form"].activated.emit(4)
    assert isinstance(parts.selection.stripe[1], Along)
    assert (parts.selection.stripe[1].width, parts.selection.stripe[1].smooth) == (0.4, True)
    kit = parts.work.project.pictures[parts.selection.layer.content.picture]
    assert kit.figure is not None and kit.figure.form == "bars"
    fields["twin z"].click()
    twin = next(one for one in parts.work.project.walk() if one.name == f"{layer.name} 2")
    assert isinstance(twin.content, Decal) and isinstance(twin.content.place, Along)
    assert twin.content.place.points[-1][2] == pytest.approx(-parts.selection.stripe[1].points[0][2], abs=0.02)
    # Points may be picked on the sheet as well.
    sheet = window.sheet_view
    window.tools.stripe.click()
    ends = [sheet.spot(np.array(p), np.array(n)) for p, n in zip(place.points[:2], place.normals[:2], strict=True)]
    for end in ends:
        assert end is not None
        click(sheet, end, Qt.KeyboardModifier.AltModifier)
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert parts.selection.stripe[0].id not in (layer.id, twin.id)
    assert np.linalg.norm(np.subtract(parts.selection.stripe[1].points[0], place.points[0])) < 0.1


def test_a_slide_is_held_dragged_printed_and_brushed_on(ferry: Hands) -> None:
    window, parts, view = ferry.window, ferry.parts, ferry.window.model_view
    view.set_camera(
        replace(view.camera, yaw=25, pitch=12, target=(1.0, 1.6, 0.8), distance=view.camera.distance * 0.5)
    )
    parts.selection.select(None)
    window.pages.setCurrentWidget(window.late.slides)
    window.late.slides.picture.setCurrentText("ferry-crest.svg")
    window.tools.slide.click()
    handles = next(one for one in view.gestures if isinstance(one, SlideHandles))
    grip = handles.grip()
    assert grip is not None and view.drawn.slide is not None
    ferry.drag(view, grip.centre, grip.centre + np.array([-60.0, 40.0]))
    moved = handles.grip()
    assert moved is not None
    assert np.linalg.norm(moved.centre - grip.centre - (-60, 40)) < 2
    # It goes with the view, until it is pinned.
    view.navigate("orbit", 60, 0, grip.centre)
    followed = handles.grip()
    assert followed is not None and np.linalg.norm(followed.centre - moved.centre) < 2
    view.navigate("orbit", -60, 0, grip.centre)
    window.late.slides.names.setCurrentText("front")
    window.late.slides.keep.click()
    window.late.slides.pinned.click()
    place = parts.sliding.slide.place
    view.navigate("orbit", 60, 0, grip.centre)
    assert parts.sliding.slide is not None and parts.sliding.slide.place == place
    window.late.slides.back.click()
    back = handles.grip()
    assert back is not None
    assert np.linalg.norm(back.half_x) / np.linalg.norm(back.half_y) == pytest.approx(1.0, abs=0.01)  # seen straight
    before = len(list(parts.work.project.walk()))
    window.late.slides.brush.click()
    parts.sliding.radius = 0.3
    start = back.at(-0.5, 0.0)
    ferry.drag(view, start, back.at(0.3, 0.0), steps=6)
    assert parts.work.project is not None and parts.work.studio is not None and parts.selection.layer is not None
    assert len(list(parts.work.project.walk())) == before + 1
    assert not parts.sliding.hidden
    layer = parts.selection.layer
    assert isinstance(layer.content, Decal) and isinstance(layer.content.place, Throw)
    assert layer.content.place.lens is not None
    hit = view.surface_at(back.at(-0.1, 0.0))
    assert hit is not None and layer.mask is not None

    def shown(where: np.ndarray) -> int:
        key = parts.work.studio.surface.keys[int(parts.work.studio.surface.sheet_of_triangle[hit.triangle])]
        size = parts.work.project.size_of(key).width
        sheet = parts.work.studio.surface.sheet(key, square(size))
        row, column = int((1 - where[1] % 1) * size), int(where[0] % 1 * size)
        values = mask_values(
            parts.work.studio.sources, parts.work.project, layer, sheet, Rect(row, row + 1, column, column + 1)
        )
        return int(values[0, 0]) if values is not None else -1

    assert shown(hit.uv) > 60000
    # Alt takes away again, on the same layer; one step of undo each.
    QTest.mousePress(view, LEFT, Qt.KeyboardModifier.AltModifier, QPoint(*np.round(back.at(-0.1, 0.0)).astype(int)))
    QTest.mouseRelease(view, LEFT, Qt.KeyboardModifier.AltModifier, QPoint(*np.round(back.at(-0.1, 0.0)).astype(int)))
    ferry.wait()
    assert len(list(parts.work.project.walk())) == before + 1
    assert shown(hit.uv) < 5000
    parts.work.undo()
    assert shown(hit.uv) > 60000
    QTest.keyClick(window, Qt.Key.Key_Escape)
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert not parts.sliding.up
    parts.sliding.take("front")
    window.late.slides.print_all.click()
    assert len(list(parts.work.project.walk())) == before + 2
    window.late.slides.print_kept.click()  # each fades where its faces turn away, so that several blend
    last = parts.work.project.layers[-1]
    assert last.name == "front" and isinstance(last.content, Decal) and isinstance(last.content.place, Throw)
    assert last.content.place.fade > 20


def test_a_decal_is_pulled_by_its_corners_and_by_a_grid(ferry: Hands) -> None:
    parts, view = ferry.parts, ferry.window.model_view
    view.set_camera(
        replace(view.camera, yaw=35, pitch=14, target=(1.0, 1.6, 0.8), distance=view.camera.distance * 0.6)
    )
    view.drop_picture("ferry-crest.svg", np.array([view.width() * 0.5, view.height() * 0.5]))
    ferry.wait()
    ferry.fields["pull 2"].click()
    grip = view.grip()
    assert grip is not None and parts.selection.decal is not None and parts.selection.decal[1].warp is not None
    points = pulled_points(grip, parts.selection.decal[1].warp)
    ferry.drag(view, points[0], points[0] + np.array([18.0, 12.0]))
    warp = parts.selection.decal[1].warp
    assert warp is not None
    assert pulled_points(grip, warp)[0] == pytest.approx(points[0] + np.array([18.0, 12.0]), abs=1.0)
    assert warp.points[1:] == ((1.0, 0.0), (0.0, 1.0), (1.0, 1.0))
    ferry.fields["pull 3"].click()
    assert parts.selection.decal[1].warp.columns == 3
    assert parts.selection.decal[1].warp.points[0] == pytest.approx(warp.points[0], abs=1e-4)
    ferry.fields["pull 0"].click()
    assert parts.selection.decal[1].warp is None


def test_decals_snap_take_scopes_by_clicks_and_are_sized_in_texels(ferry: Hands) -> None:
    window, parts, view = ferry.window, ferry.parts, ferry.window.model_view
    window.model_view.look_from("front")
    view.look_from("top")
    view.drop_picture("fleet-number.svg", np.array([view.width() * 0.5, view.height() * 0.53]))
    ferry.wait()
    assert parts.selection.decal is not None and parts.work.studio is not None
    about = parts.work.studio.model.bounds.mean(axis=0)
    grip = view.grip()
    assert grip is not None
    middle = view.to_screen(np.array([*parts.selection.decal[1].point[:2], about[2]]))
    ferry.drag(view, grip.centre, middle + np.array([0.0, 4.0]))
    assert parts.selection.decal[1].point[2] == pytest.approx(about[2], abs=1e-6)
    fields = ferry.fields
    fields["unit"].setCurrentIndex(1)
    fields["unit"].activated.emit(1)
    fields["width"].setValue(200.0)
    assert "Gets 200 × " in ferry.facts()
    parts.habits.in_texels = False
    fields["click parts"].click()
    spot = view.surface_at(grip.centre)
    assert spot is not None
    click(view, grip.centre)
    part = parts.work.studio.model.parts[parts.work.studio.model.part[spot.triangle]]
    assert parts.selection.layer is not None and parts.selection.layer.scope.parts == (part,)
    click(view, grip.centre)
    assert parts.selection.layer.scope.parts is None
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert parts.handles.scope_kind is None
    fields["thickness"].setValue(0.1)
    assert parts.selection.layer.channels["height"].relief
    fields["finish"].setCurrentIndex(5)
    fields["finish"].activated.emit(5)
    assert parts.selection.layer.channels["metallic"].source == 1.0
    # A second one over it is told, and goes under it with a click.
    name = parts.selection.layer.name
    view.drop_picture("ferry-crest.svg", view.grip().centre)
    ferry.wait()
    lower = next(layer for layer in parts.work.project.walk() if layer.name == name)
    parts.selection.select(lower.id)
    assert "lies under" in ferry.facts()
    ferry.fields["mend top"].click()
    assert "lies under" not in ferry.facts()
    assert parts.work.project is not None and parts.work.project.layers[-1].id == lower.id


def test_a_label_lands_where_one_clicks_in_a_colour_that_shows(ferry: Hands) -> None:
    parts, window, hands = ferry.parts, ferry.window, ferry
    parts.work.execute(AddLayer("Night", Wash(), {"colour": Channel("#101014")}))
    parts.habits.label_style = structs.replace(parts.habits.label_style, colour="#18181c")
    window.model_view.look_from("right")
    hands.wait()
    window.tools.label.click()
    assert parts.dropping.thing == "label" and window.tools.label.isChecked()
    layers = len(parts.work.project.layers)
    QTest.mouseClick(window.model_view, Qt.MouseButton.LeftButton, pos=QPoint(4, 4))  # beside the model
    assert "no surface" in window.notice.text() and len(parts.work.project.layers) == layers
    point = np.array([window.model_view.width() / 2 + 20, window.model_view.height() / 2 + 30]).round()
    hit = window.model_view.surface_at(point)
    QTest.mouseClick(window.model_view, Qt.MouseButton.LeftButton, pos=QPoint(*point.astype(int)))
    hands.wait()
    layer = parts.selection.layer
    assert parts.dropping.thing is None and np.allclose(layer.content.place.point, hit.position, atol=1e-9)
    assert (
        parts.work.project.pictures[layer.content.picture].text.colour == "#ffffff"
    )  # black on black would not show
    window.tools.figure.click()
    QTest.keyClick(window.model_view, Qt.Key.Key_Escape)
    assert parts.dropping.thing is None and not window.tools.figure.isChecked()
    window.tools.figure.click()
    QTest.keyClick(window.model_view, Qt.Key.Key_Return)
    hands.wait()
    assert len(parts.work.project.layers) == layers + 2
