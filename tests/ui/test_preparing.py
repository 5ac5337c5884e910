"""Pictures made ready in the window: the hand on corners, what every layer shows, rims that are told."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PIL import Image
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from hands import Hands
from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Channel, Decal, KitPicture
from lucky_fern.core.project.places import Lay
from lucky_fern.core.project.preparations import CutOut, MendRim, Straighten
from lucky_fern.core.studio import Studio


def kit_of(hands: Hands, name: str) -> KitPicture:
    assert hands.parts.work.project is not None
    return hands.parts.work.project.pictures[name]


def bring(hands: Hands, path: Path, rgba: np.ndarray) -> None:
    Image.fromarray(rgba.astype(np.uint8)).save(path)
    hands.parts.bringing.bring([path])
    hands.wait()


def at(hands: Hands, x: float, y: float) -> np.ndarray:
    """Where a point of the picture lies in the canvas on the left."""
    place: QPointF = hands.window.late.preparing_view.before.to_widget(x, y)
    return np.array([place.x(), place.y()])


def test_corners_are_dragged_and_every_layer_that_shows_the_picture_follows(hands: Hands, tmp_path: Path) -> None:
    photo = np.full((300, 400, 3), 40)
    photo[60:240, 100:300] = (200, 60, 40)
    bring(hands, tmp_path / "sign.png", photo)
    for number in range(3):
        place = Lay("flask", 1001, (0.2 + 0.3 * number, 0.5), 0.1, 0.1)
        hands.parts.work.execute(AddLayer(f"Sign {number}", Decal("sign.png", place), {"colour": Channel("picture")}))
    hands.wait()
    actions = {one.text(): one for one in hands.window.tray.strip.menu_of(["sign.png"]).actions()}
    actions["Make it ready …"].trigger()
    hands.wait()
    view, panel = hands.window.late.preparing_view, hands.window.late.preparing_panel
    assert view.isVisible() and panel.isVisible() and not hands.window.sheet_view.isVisible()
    panel.add("straighten")
    hands.wait()
    for number, corner in enumerate([(100, 60), (300, 60), (300, 240), (100, 240)]):
        op = hands.parts.preparing.op
        assert isinstance(op, Straighten)
        hands.drag(view.before, at(hands, *op.corners[number]), at(hands, *corner))
    op = hands.parts.preparing.op
    assert isinstance(op, Straighten)
    assert np.abs(np.array(op.corners) - [(100, 60), (300, 60), (300, 240), (100, 240)]).max() < 3
    kit = kit_of(hands, "sign.png")
    assert kit.prepared is not None and abs(kit.width - 200) < 6 and abs(kit.height - 180) < 6
    studio = hands.parts.work.studio
    assert studio is not None
    made = studio.sources.picture(kit).rgba
    assert np.abs(made[10:-10, 10:-10, :3].astype(int) - (200, 60, 40)).max() <= 2
    assert studio.blobs[kit.prepared.original] == (tmp_path / "sign.png").read_bytes()
    key = next(iter(studio.surface.keys))
    store = hands.parts.maps.store
    assert store is not None
    sheet = store.maps[MapKey(key, "colour")]
    for number in range(3):  # all three show it straightened, corner to corner
        column = round((0.2 + 0.3 * number - 0.04) * sheet.shape[1])
        assert np.abs(sheet[sheet.shape[0] // 2, column].astype(int) - (200, 60, 40)).max() <= 3
    QTest.keyClick(hands.window, Qt.Key.Key_Escape)
    hands.wait()
    assert hands.window.sheet_view.isVisible() and not view.isVisible()
    before = kit_of(hands, "sign.png")
    while kit_of(hands, "sign.png").prepared is not None:  # each drag was a step of its own
        hands.parts.work.undo()
        hands.wait()
    assert kit_of(hands, "sign.png") != before and kit_of(hands, "sign.png").width == 400


def test_a_rim_is_told_as_a_picture_comes_in_and_mended_by_one_click(hands: Hands, tmp_path: Path) -> None:
    y, x = np.mgrid[:160, :160]
    inside = 60 - np.hypot(x - 80, y - 80)
    alpha = np.clip(inside + 0.5, 0, 1)
    white = np.clip(1 - inside / 2, 0, 1)[..., None]
    bring(hands, tmp_path / "badge.png", np.dstack([np.array([30, 80, 60]) * (1 - white) + 255 * white, alpha * 255]))
    offer = hands.window.notice.offer
    assert offer.isVisible() and "badge.png has a rim of #f" in hands.window.notice.text()
    offer.click()
    hands.wait()
    made = kit_of(hands, "badge.png").prepared
    assert made is not None and [type(step.op) for step in made.steps] == [MendRim]
    studio = hands.parts.work.studio
    assert studio is not None
    rgba = studio.sources.picture(kit_of(hands, "badge.png")).rgba
    edge = (inside > 0) & (inside < 2)
    assert rgba[edge, :3].mean() < 90


def test_strokes_drop_what_was_kept_and_ops_are_switched_moved_and_taken_out(hands: Hands, tmp_path: Path) -> None:
    photo = np.full((120, 240, 3), (90, 120, 90))
    photo[30:90, 30:90] = photo[30:90, 150:210] = (210, 70, 50)
    bring(hands, tmp_path / "two.png", photo)
    hands.parts.preparing.open("two.png")
    hands.wait()
    view, panel = hands.window.late.preparing_view, hands.window.late.preparing_panel
    panel.add("cut-out")
    hands.wait()
    found = hands.parts.preparing.view
    assert found is not None and found.after is not None
    assert found.after.rgba[60, 60, 3] == found.after.rgba[60, 180, 3] == 255 and found.after.rgba[5, 5, 3] == 0
    op = hands.parts.preparing.op
    assert isinstance(op, CutOut)
    hands.parts.preparing.set_op(replace(op, radius=20.0))
    view.before.do("drop")
    hands.drag(view.before, at(hands, 160, 45), at(hands, 200, 75))
    found = hands.parts.preparing.view
    assert found is not None and found.after is not None
    assert found.after.rgba[60, 60, 3] == 255 and found.after.rgba[60, 180, 3] == 0
    panel.add("invert")
    hands.wait()
    hands.parts.preparing.move(-1)
    hands.parts.preparing.switch(1, False)
    hands.wait()
    made = kit_of(hands, "two.png").prepared
    assert made is not None and [(type(step.op).__name__, step.on) for step in made.steps] == [
        ("Adjust", True), ("CutOut", False)]  # fmt: skip
    panel.list.setCurrentRow(0)
    panel.list.setFocus()
    QTest.keyClick(panel.list, Qt.Key.Key_Delete)
    hands.wait()
    assert [step.on for step in hands.parts.preparing.steps] == [False]
    hands.parts.looking.go_to("paint")  # elsewhere the sheets are back
    QApplication.processEvents()
    assert hands.parts.preparing.picture == "" and hands.window.sheet_view.isVisible()


def test_coverage_takes_the_colour_that_labels_have(hands: Hands, tmp_path: Path) -> None:
    grey = np.zeros((64, 128, 3))
    grey[:, 64:] = 255
    bring(hands, tmp_path / "stain.png", grey)
    menu = next(
        one.menu() for one in hands.window.tray.strip.menu_of(["stain.png"]).actions() if one.menu() is not None
    )
    menu.actions()[0].trigger()
    hands.wait()
    assert kit_of(hands, "stain.png").covers
    hands.parts.preparing.close()
    hands.wait()
    view = hands.window.model_view
    hands.drop(view, "stain.png", np.array([view.width() / 2, view.height() / 2]))
    layer = hands.parts.selection.layer
    assert layer is not None and layer.channels["colour"].source == hands.parts.habits.label_style.colour


def test_what_was_set_last_is_made_on_leaving_and_never_in_another_project(hands: Hands, tmp_path: Path) -> None:
    bring(hands, tmp_path / "grey.png", np.full((900, 1200, 3), 100))
    hands.parts.preparing.open("grey.png")
    hands.wait()
    panel = hands.window.late.preparing_panel
    panel.add("levels")
    hands.parts.preparing.settle()  # under way …
    panel.add("invert")  # … while more is set
    panel.back.click()
    hands.wait()
    made = kit_of(hands, "grey.png").prepared
    assert made is not None and len(made.steps) == 2
    hands.parts.preparing.open("grey.png")
    hands.wait()
    panel.add("spread")
    first = hands.parts.work.studio
    assert first is not None
    other = Studio.of(first.project, first.blobs, "other")
    hands.open(other)
    assert hands.parts.preparing.picture == "" and kit_of(hands, "grey.png").prepared == made


def test_a_pattern_is_made_from_the_tray_and_set_by_its_sliders(hands: Hands) -> None:
    tray, preparing, work = hands.window.tray, hands.parts.preparing, hands.parts.work
    menu = next(one.menu() for one in tray.add.menu().actions() if one.text() == "Make a pattern")
    next(one for one in menu.actions() if one.text() == "Bricks").trigger()
    hands.wait()
    assert preparing.picture == "Bricks" and {"Bricks height", "Bricks normal"} <= work.project.pictures.keys()
    panel, view = hands.window.late.preparing_panel, hands.window.late.preparing_view
    assert not view.before.isVisible() and view.after.isVisible() and "1024 × 1024" in view.told_after.text()
    first = work.project.pictures["Bricks"].digest
    panel._shown["down"].number.setValue(12)
    panel._shown["size"][0].setValue(2048)
    hands.wait()
    assert preparing.op.down == 12 and preparing.op.size == (2048, 1024)
    made = work.project.pictures["Bricks"]
    assert made.digest != first and (made.width, made.height) == (2048, 1024)
    preparing.close()
    hands.wait()
    for _ in range(3):
        if work.project.pictures["Bricks"].digest == first:
            break
        work.undo()
    assert work.project.pictures["Bricks"].digest == first
