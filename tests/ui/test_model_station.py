"""The Model station by mouse and keys: selecting, hiding, laying out, mending, naming, bringing in and writing out."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import shiboken6
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton, QWidget

from hands import Hands
from lucky_fern.core.model.load import load_model
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.studio import Studio
from lucky_fern.ui.widgets import asking
from samples import read_png, save_png
from small_models import SIDE_BY_SIDE

LEFT, NONE, SHIFT, CTRL = (
    Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
)  # fmt: skip
CORNERS = ((0, 0), (1, 0), (1, 1), (0, 1))


@pytest.fixture
def station(empty_hands: Hands, tmp_path: Path) -> Hands:
    """Two boards side by side, at the Model station."""
    (tmp_path / "two.obj").write_text(SIDE_BY_SIDE)
    hands = empty_hands
    hands.open(Studio.new(tmp_path / "two.obj", sheet_size=128))
    hands.key(Qt.Key.Key_1)
    hands.parts.faces.use(tool="pick", unit="face")
    hands.window.model_view.look_from("front")
    hands.until(lambda: not hands.parts.layout_watch.busy)
    hands.wait()
    return hands


def at_part(hands: Hands, part: int) -> np.ndarray:
    """The pixel of the model view at the middle of a part."""
    model = hands.parts.work.studio.model
    return hands.window.model_view.to_screen(model.corners[model.part == part].mean(axis=(0, 1)))


def on_sheet(hands: Hands, u: float, v: float) -> np.ndarray:
    view = hands.window.sheet_view
    return view.camera.to_screen(np.array([u, v]), view.width(), view.height())


def click(view: QWidget, at: np.ndarray, keys: Qt.KeyboardModifier = NONE) -> None:
    QTest.mouseClick(view, LEFT, keys, QPoint(*np.round(at).astype(int)))


def push(hands: Hands, page: QWidget, text: str) -> None:
    """Press a button by its words, and wait for what comes of it."""
    hands.wait()
    made = [one for one in page.findChildren(QPushButton) if one.text() == text and not one.isHidden()]
    assert len(made) == 1, (text, [one.text() for one in page.findChildren(QPushButton)])
    made[0].click()
    hands.until(lambda: not hands.parts.errands.busy and not hands.parts.layout_watch.busy)
    hands.wait()


def test_faces_are_selected_in_both_views_hidden_and_kept_under_a_name(station: Hands) -> None:
    parts, faces, panel = station.parts, station.parts.faces, station.window.late.model_panel
    model_view, sheet_view = station.window.model_view, station.window.sheet_view
    part = parts.work.studio.model.part
    panel.setCurrentWidget(panel.select)
    plain = station.pixels(sheet_view)
    click(model_view, at_part(station, 0))
    station.wait()
    assert np.array_equal(faces.chosen, part == 0) and "2 of 4 triangles" in panel.select.state.text()
    tinted = station.pixels(sheet_view).astype(int) - plain
    x, y = np.round(on_sheet(station, 0.1, 0.7)).astype(int)
    assert tinted[y, x, 0] < -40 and tinted[y, x, 1] > -60  # fern green over white
    click(sheet_view, on_sheet(station, 0.75, 0.2), SHIFT)
    assert faces.chosen.all()
    click(model_view, at_part(station, 0), CTRL)
    assert np.array_equal(faces.chosen, part == 1)
    click(model_view, np.array([5.0, 5.0]))
    assert not faces.any
    faces.use(tool="rectangle")
    station.drag(model_view, np.array([2.0, 2.0]), (at_part(station, 0) + at_part(station, 1)) / 2)
    assert np.array_equal(faces.chosen, part == 0)
    faces.use(tool="pick")
    panel.select.name.setText("left half")
    QTest.keyClick(panel.select.name, Qt.Key.Key_Return)
    assert list(parts.work.project.selections) == ["left half"]
    parts.work.execute(AddLayer("Red", Wash(), {"colour": Channel("#c00000")}))
    push(station, panel.select, "Show the layer only there")
    assert parts.selection.layer.scope.selections == ("left half",)
    push(station, panel.select, "Hide")
    assert np.array_equal(faces.hidden, part == 0) and model_view.face_at(at_part(station, 0)) is None
    push(station, panel.select, "Show everything")
    assert model_view.face_at(at_part(station, 0)) is not None
    station.key(Qt.Key.Key_A)
    assert faces.chosen.all()


@pytest.mark.parametrize("stay", [True, False])
def test_islands_are_dragged_by_their_handles_with_or_without_their_paint(station: Hands, stay: bool) -> None:
    parts, sheet_view = station.parts, station.window.sheet_view
    before, part = parts.work.studio.model.uv, parts.work.studio.model.part
    parts.laying.set_stay(stay)
    click(sheet_view, on_sheet(station, 0.25, 0.5))
    station.wait()
    grip = sheet_view.drawn.grip
    assert grip is not None
    # The upper right corner, dragged to half the way: as large by half, from the lower left.
    end = (grip.at(1, 1) + grip.at(-1, -1)) / 2
    station.drag(sheet_view, grip.at(1, 1), end)
    station.until(lambda: not parts.errands.busy)
    after = parts.work.studio.model.uv
    expected = (before[part == 0] - 0.02) / 2 + 0.02
    assert np.allclose(after[part == 0], expected, atol=3e-3) and np.array_equal(after[part == 1], before[part == 1])
    assert parts.faces.preview is None and parts.work.studio.history.undo_label == "Move islands"
    # Its inside moves it, and what is undone is as it was.
    middle = sheet_view.drawn.grip.centre
    station.drag(sheet_view, middle, middle + (40, 0))
    station.until(lambda: not parts.errands.busy)
    assert np.allclose(
        parts.work.studio.model.uv[part == 0] - after[part == 0], (40 / sheet_view.camera.scale, 0), atol=3e-3
    )
    parts.work.undo()
    parts.work.undo()
    station.wait()
    assert np.array_equal(parts.work.studio.model.uv, before) and parts.maps.compositing.settled.is_set()


def test_islands_are_fitted_to_a_drawn_rectangle_and_to_typed_values(station: Hands) -> None:
    parts, sheet_view, panel = station.parts, station.window.sheet_view, station.window.late.model_panel
    panel.setCurrentWidget(panel.lay_out)
    click(sheet_view, on_sheet(station, 0.75, 0.5))
    panel.lay_out.fit_drawn.click()
    station.drag(sheet_view, on_sheet(station, 0.6, 0.2), on_sheet(station, 0.9, 0.4))
    station.until(lambda: not parts.errands.busy)
    right = parts.work.studio.model.part == 1

    def box() -> np.ndarray:
        uv = parts.work.studio.model.uv[right]
        return np.stack([uv.min(axis=(0, 1)), uv.max(axis=(0, 1))])

    assert np.allclose(box(), [(0.6, 0.2), (0.9, 0.4)], atol=4e-3) and not panel.lay_out.fit_drawn.isChecked()
    for name, value in (("left", 64), ("low", 32), ("width", 32), ("height", 16)):
        panel.lay_out.fields[name].setValue(value)
    panel.lay_out.fields["height"].editingFinished.emit()
    station.until(lambda: not parts.errands.busy)
    assert np.allclose(box(), [(0.5, 0.25), (0.75, 0.375)], atol=1e-9)
    assert "+Z" in panel.lay_out.proposal.text()


def test_a_complaint_is_mended_by_two_clicks(station: Hands, tmp_path: Path) -> None:
    sides = ((1, 2, 4, 3), (5, 7, 8, 6), (1, 5, 6, 2), (3, 4, 8, 7), (1, 3, 7, 5), (2, 6, 8, 4))
    points = [f"v {x} {2 * y} {3 * z}" for x in (0, 1) for y in (0, 1) for z in (0, 1)]
    faces = ["f " + " ".join(f"{v}/{k + 1}" for k, v in enumerate(side)) for side in sides]
    (tmp_path / "box.obj").write_text("\n".join([*points, *(f"vt {u} {v}" for u, v in CORNERS), *faces]))
    parts, page = station.parts, station.window.late.model_panel.check
    parts.work.open(tmp_path / "box.obj")
    station.until(lambda: parts.work.studio is not None and parts.work.studio.model.name == "box.obj")
    station.until(lambda: not parts.layout_watch.busy and page.findings.count() > 0)
    assert "overlap, up to 6 in one place" in page.findings.item(0).text()
    QTest.mouseClick(
        page.findings.viewport(), LEFT, NONE, page.findings.visualItemRect(page.findings.item(0)).center()
    )
    push(station, page, "Lay out as a box")
    assert page.findings.count() == 0 and page.check_state.text() == "nothing to worry about"


def test_faces_get_a_material_of_their_own_and_names_change(station: Hands) -> None:
    parts, page = station.parts, station.window.late.model_panel.names
    station.window.late.model_panel.setCurrentWidget(page)
    click(station.window.model_view, at_part(station, 1))
    page.material.setCurrentText("glass")
    push(station, page, "Give")
    assert parts.work.studio.model.materials == ("paint", "glass")
    assert {str(key) for key in parts.work.studio.surface.keys} == {"paint:1001", "glass:1001"}
    page.tree.topLevelItem(1).child(0).setText(0, "port")
    station.until(lambda: parts.work.studio.model.parts == ("port", "right"))
    station.wait()
    ticked = page.tree.topLevelItem(0).child(1)
    there: list[bool] = []
    page.tree.itemChanged.connect(lambda *_: there.append(shiboken6.isValid(ticked)))
    ticked.setCheckState(0, Qt.CheckState.Unchecked)
    assert all(there)  # Qt goes on with it afterwards
    QApplication.processEvents()
    assert np.array_equal(parts.faces.hidden, parts.work.studio.model.material == 1)
    station.window.sheet_view.reset_scene()
    station.wait()


def test_models_are_replaced_pictures_pointed_at_guides_and_models_written(
    station: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    parts, page = station.parts, station.window.late.model_panel.files
    station.window.late.model_panel.setCurrentWidget(page)
    answers: list[str] = []
    for name in ("open_file", "save_file"):
        monkeypatch.setattr(asking, name, lambda *_: Path(answers.pop(0)))
    (tmp_path / "newer.obj").write_text(SIDE_BY_SIDE.replace("v 3 0 0", "v 3 0 1").replace("v 3 2 0", "v 3 2 1"))
    answers.append(str(tmp_path / "newer.obj"))
    push(station, page, "Replace by a newer version …")
    assert "lies elsewhere than before (right)" in page.report.text() and parts.work.studio.model.bounds[1, 2] == 1
    answers += [str(tmp_path / "guide.png"), str(tmp_path / "out.obj")]
    push(station, page, "Save guide (PNG or SVG) …")
    push(station, page, "Save model (OBJ, GLB or PLY) …")
    assert read_png(tmp_path / "guide.png").shape == (2048, 2048, 4)
    assert load_model(tmp_path / "out.obj").triangle_count == 4 and (tmp_path / "out.mtl").exists()

    (tmp_path / "skin").mkdir()
    save_png(tmp_path / "skin" / "other.png", np.full((8, 8, 3), (10, 120, 60), np.uint8))
    (tmp_path / "s.obj").write_text("mtllib s.mtl\n" + SIDE_BY_SIDE)
    (tmp_path / "s.mtl").write_text("newmtl paint\nmap_Kd lost.png\n")
    parts.work.open(tmp_path / "s.obj")
    station.until(lambda: parts.work.studio is not None and parts.work.studio.model.name == "s.obj")
    assert "lost.png" in station.window.notice.text() and page.missing.count() == 1
    answers.append(str(tmp_path / "skin" / "other.png"))
    push(station, page, "Point at the picture …")
    assert page.missing.isHidden() and [layer.name for layer in parts.work.project.layers] == ["paint from the file"]


def test_faces_are_compared_by_a_kit_picture_that_lies_over_the_tile(station: Hands, tmp_path: Path) -> None:
    parts, page = station.parts, station.window.late.model_panel.select
    halves = np.zeros((8, 16, 3), np.uint8)
    halves[:, :8, 0], halves[:, 8:, 2] = 200, 200
    parts.bringing.bring([save_png(tmp_path / "halves.png", halves), save_png(tmp_path / "one.png", halves[:, :8])])
    station.until(lambda: len(parts.work.project.pictures) == 2)
    station.window.late.model_panel.setCurrentWidget(page)
    click(station.window.model_view, at_part(station, 0))
    station.wait()
    assert page.map_box.findData("one.png") > 0
    for name, found in (("one.png", (0, 1)), ("halves.png", (0,))):
        page.map_box.setCurrentIndex(page.map_box.findData(name))
        push(station, page, "Same colour")
        assert np.array_equal(parts.faces.chosen, np.isin(parts.work.studio.model.part, found))
