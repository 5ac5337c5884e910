"""Rules, edgings and recipes in the real window."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from threading import Event

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QComboBox, QMenu

from hands import Hands
from lucky_fern.core.exporting.model_files import model_files
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.project.edgings import Edging
from lucky_fern.core.project.rules import Edges, Grain, Occlusion, Rim, RuleShape
from lucky_fern.core.project.shapes import MaskEntry
from lucky_fern.core.recipes import own_folder
from lucky_fern.core.survey.rays import Rays
from lucky_fern.ui.layers.board_menus import add_menu, layer_menu
from lucky_fern.ui.layers.mask_adding import fill_add_menu
from lucky_fern.ui.layers.rule_part import LOOKS
from lucky_fern.ui.views.drops import RECIPE_MIME
from lucky_fern.ui.widgets import asking
from lucky_fern.ui.widgets.fields import NumberField


def actions(menu: QMenu) -> Iterator[tuple[str, QAction]]:
    for action in menu.actions():
        if action.menu() is not None:
            action.menu().aboutToShow.emit()
            yield from actions(action.menu())
        yield action.text(), action


def press(menu: QMenu, text: str) -> None:
    dict(actions(menu))[text].trigger()


def test_a_rule_is_added_by_one_click_seen_in_colour_and_set_by_sliders(hands: Hands) -> None:
    parts, panel = hands.parts, hands.window.late.masks
    hands.window.pages.setCurrentWidget(panel)
    parts.work.execute(AddLayer("Worn", Wash(), {"colour": Channel("#c0c0c0")}))
    plain = hands.pixels(hands.window.model_view)
    menu = QMenu()
    fill_add_menu(hands.window.matter, menu, panel.add_shape)
    press(menu, "Edges")
    assert parts.comparing.mask_look == "colour"
    assert not np.array_equal(hands.pixels(hands.window.model_view), plain)

    def shape() -> RuleShape:
        found = parts.work.project.masks[parts.selection.layer.mask].entries[0].shape
        assert isinstance(found, RuleShape)
        return found

    for name, value in (("reach", 0.01), ("low", 0.3), ("high", 0.9)):
        box = panel.rule.inputs[name]
        assert isinstance(box, NumberField)
        box.changed.emit(value)
    assert (shape().rule, shape().low, shape().high) == (Edges(0.01), 0.3, 0.9)
    panel.break_up.click()
    entries = parts.work.project.masks[parts.selection.layer.mask].entries
    assert isinstance(entries[1].shape.rule, Grain) and entries[1].mode == "intersect"
    form = panel.rule.inputs["form"]
    assert isinstance(form, QComboBox)
    form.activated.emit(1)
    assert parts.work.project.masks[parts.selection.layer.mask].entries[1].shape.rule.form == "cells"
    hands.wait()
    parts.work.undo()
    assert parts.work.project.masks[parts.selection.layer.mask].entries[1].shape.rule.form == "soft"


@pytest.mark.parametrize("kind", [kind for kind in LOOKS if kind is not Rim])
def test_every_rule_has_its_settings(hands: Hands, kind: type) -> None:
    panel = hands.window.late.masks
    hands.window.pages.setCurrentWidget(panel)
    hands.parts.work.execute(AddLayer("Ruled", Wash(), {"colour": Channel("#c0c0c0")}))
    panel.add_shape(LOOKS[kind].make())
    assert {field.name for field in LOOKS[kind].fields} | {"low", "high", "gamma"} == set(panel.rule.inputs)
    assert LOOKS[kind].title in panel.list.item(0).text()


def test_wear_edgings_and_recipes_come_from_the_menu_and_are_kept(
    hands: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    parts, matter = hands.parts, hands.window.matter
    menu = add_menu(matter, hands.window)
    press(menu, "Worn edges")
    hands.wait()
    group = parts.work.project.layers[-1]
    assert group.name == "Worn edges" and group.recipe == "Worn edges" and len(group.children) == 2
    press(menu, "Stitches")
    hands.wait()
    edging = parts.selection.layer
    assert isinstance(edging.content, Edging) and edging.channels["height"].relief
    box = hands.fields["edging motif"]
    box.activated.emit(2) if box.currentIndex() == 2 else box.setCurrentIndex(2)
    hands.fields["edging length"].changed.emit(0.004)
    assert parts.selection.layer.content.length == 0.004
    hands.fields["edging groove"].click()
    hands.wait()
    names = [layer.name for layer in parts.work.project.layers]
    assert names.index("Groove of Stitches") == names.index("Stitches") - 1
    parts.selection.select(edging.id)
    hands.fields["edging length"].changed.emit(0.3)  # longer than any border
    hands.wait()
    hands.fields["edging fit"].click()
    hands.wait()
    assert parts.selection.layer.content.length < 0.3
    kept = own_folder() / "worn.fernrecipe"
    monkeypatch.setattr(asking, "save_file", lambda *_: kept)
    monkeypatch.setattr(asking, "open_file", lambda *_: kept)
    parts.selection.select(group.id)
    press(layer_menu(matter, group, lambda: None, hands.window), "Keep as recipe …")
    hands.until(kept.is_file)
    hands.wait()
    assert "Kept Worn edges" in hands.window.notice.text()
    count = len(parts.work.project.layers)
    for number, text in enumerate(("Recipe from a file …", "worn"), 1):
        press(menu, text)
        hands.until(lambda number=number: len(parts.work.project.layers) == count + number)
    hands.wait()


def test_recipes_have_pictures_and_are_dragged_onto_a_part_or_onto_everything(hands: Hands) -> None:
    parts, tray, view = hands.parts, hands.window.tray, hands.window.model_view
    tray.kinds.setCurrentIndex(2)
    names = [tray.recipes.items.item(row).text() for row in range(tray.recipes.items.rowCount())]
    at = names.index("Worn edges")
    assert "Rust" in names and tray.recipes.isVisible() and not tray.strip.isVisible()
    blank = tray.recipes.items.item(at).icon().cacheKey()
    hands.until(lambda: tray.drawing == 0, 120)
    assert tray.recipes.items.item(at).icon().cacheKey() != blank
    middle = np.array([view.width() * 0.4, view.height() * 0.6])
    part = parts.work.studio.model.parts[int(parts.work.studio.model.part[view.face_at(middle)])]
    hands.drop(view, "made/Rust", middle, RECIPE_MIME)
    assert parts.selection.layer.recipe == "Rust" and parts.selection.layer.scope.parts == (part,)
    assert parts.work.studio.history.steps[parts.work.studio.history.at].title == "Recipe Rust"
    hands.drop(
        hands.window.sheet_view, "made/Dust on top", middle * 0, RECIPE_MIME, Qt.KeyboardModifier.ShiftModifier
    )
    dust = parts.selection.layer
    assert dust.recipe == "Dust on top" and dust.scope.parts is None
    press(layer_menu(hands.window.matter, dust, lambda: None, hands.window), "Keep as recipe in the project")
    hands.wait()
    assert list(parts.work.project.recipes) == ["Dust on top"]
    tray.search.setText("dust")
    shown = [row for row in range(tray.recipes.items.rowCount()) if not tray.recipes.isRowHidden(row)]
    assert [tray.recipes.items.item(row).text() for row in shown] == ["Dust on top", "Dust on top"]
    kept = parts.recipes.find("project/Dust on top")
    press(tray.recipes.menu_of(kept), "Keep on this computer too")
    hands.wait()
    assert (own_folder() / "Dust on top.fernrecipe").is_file()
    press(tray.recipes.menu_of(kept), "Take out of the project")
    assert not parts.work.project.recipes
    press(tray.recipes.menu_of(parts.recipes.find("mine/Dust on top")), "Put its file aside")
    assert parts.recipes.find("mine/Dust on top") is None
    tray.search.setText("")
    tray.kinds.setCurrentIndex(0)
    assert tray.strip.isVisible()


def test_an_edging_runs_along_strokes_of_the_hand_with_a_picture_of_the_kit(hands: Hands) -> None:
    parts, view = hands.parts, hands.window.model_view
    press(add_menu(hands.window.matter, hands.window), "Rivets")
    hands.wait()
    hands.fields["edging draw"].click()
    assert parts.striping.armed and parts.striping.edging == parts.selection.selected
    middle = np.array([view.width() * 0.4, view.height() * 0.6])
    for number, far in enumerate(((60, 20), (10, -70)), 1):
        hands.drag(view, middle, middle + np.array(far), steps=12)
        hands.wait()
        edging = parts.selection.layer.content
        assert edging.along == "path" and len(edging.paths) == number
        ends = [
            view.spot(np.array(edging.paths[-1].points[at]), np.array(edging.paths[-1].normals[at])) for at in (0, -1)
        ]
        assert np.abs(ends[0] - middle).max() < 2 and np.abs(ends[1] - middle - far).max() < 2
    parts.work.undo()
    assert len(parts.selection.layer.content.paths) == 1
    parts.striping.arm(False)
    hands.wait()
    assert not hands.fields["edging draw"].isChecked()
    motif = hands.fields["edging motif"]
    at = motif.findText(next(iter(parts.work.project.pictures)))
    motif.setCurrentIndex(at)
    motif.activated.emit(at)
    layer = parts.selection.layer
    assert layer.content.picture == motif.itemText(at) and layer.channels["colour"].source == "picture"
    hands.fields["edging whole"].click()
    assert parts.selection.layer.content.whole


def test_a_rule_is_looked_at_alone_at_the_model_station_and_gone_elsewhere(hands: Hands) -> None:
    parts = hands.parts
    plain = hands.pixels(hands.window.model_view)
    parts.looking.go_to("model")
    page = hands.window.late.model_panel.check
    hands.window.late.model_panel.setCurrentWidget(page)
    hands.wait()
    before = hands.pixels(hands.window.sheet_view)
    at = page.heat_box.findText("Facing")
    page.heat_box.setCurrentIndex(at)
    page.heat_box.activated.emit(at)
    hands.wait()
    shown = hands.pixels(hands.window.sheet_view)
    assert not np.array_equal(shown, before) and np.ptp(shown.astype(int).max(2) - shown.min(2)) < 60  # greys
    parts.looking.go_to("artwork")
    assert parts.comparing.rule is None
    assert np.abs(hands.pixels(hands.window.model_view).astype(int) - plain).mean() < 1


def test_a_finer_model_is_baked_within_a_cage_that_is_shown(
    hands: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    parts, view = hands.parts, hands.window.model_view
    parts.looking.go_to("model")
    panel = hands.window.late.model_panel
    panel.setCurrentWidget(panel.survey)
    plain = hands.pixels(view)
    model = parts.work.studio.model
    (tmp_path / "away.obj").write_bytes(
        model_files(replace(model, positions=model.positions + 9 * model.diagonal), "away.obj", None)["away.obj"]
    )
    monkeypatch.setattr(asking, "open_file", lambda *_: tmp_path / "away.obj")
    panel.survey.open.click()
    hands.wait()
    assert "away.obj lies" in panel.survey.apart.text() and not panel.survey.bake.isEnabled()
    panel.survey.move_here.click()
    hands.wait()
    assert panel.survey.apart.isHidden() and panel.survey.bake.isEnabled()
    caged = hands.pixels(view)
    assert np.abs(caged.astype(int) - plain).mean() > 1
    parts.baking.show_cage(False)
    assert np.abs(hands.pixels(view).astype(int) - plain).mean() < 0.5
    panel.survey.maps["occlusion"].click()
    panel.survey.bake.click()
    hands.wait()
    baked = next(layer for layer in reversed(parts.work.project.layers) if layer.name == "Baked")
    assert set(baked.channels) == {"normal", "height"}
    parts.work.undo()
    assert not [layer for layer in parts.work.project.layers if layer.name.startswith("Baked")]


def test_what_is_measured_is_kept_in_the_project_with_a_tick(hands: Hands) -> None:
    parts = hands.parts
    parts.looking.go_to("model")
    panel = hands.window.late.model_panel
    panel.setCurrentWidget(panel.survey)
    assert "No mask has a rule" in panel.survey.state.text() and not panel.survey.measure.isEnabled()
    parts.work.execute(AddLayer("Worn", Wash(), {"colour": Channel("#c0c0c0")}))
    parts.work.execute(AddMaskEntry(parts.selection.selected, MaskEntry(RuleShape(Edges()), "replace")))
    hands.wait()
    assert "1 rule" in panel.survey.state.text()
    panel.survey.measure.click()
    panel.survey.keep.click()
    hands.wait()
    assert parts.work.project.measured is not None and panel.survey.keep.isChecked()
    panel.survey.keep.click()
    assert parts.work.project.measured is None


def test_measuring_is_told_with_its_share_and_stopped_by_taking_the_step_back(
    hands: Hands, monkeypatch: pytest.MonkeyPatch
) -> None:
    parts, strip = hands.parts, hands.window.strip
    parts.work.execute(AddLayer("Worn", Wash(), {"colour": Channel("#c0c0c0")}))
    hands.wait()
    going, measure = Event(), Rays.covered

    def slowly(*asked: object) -> np.ndarray:
        going.wait(20)
        return measure(*asked)

    monkeypatch.setattr(Rays, "covered", slowly)
    rule = RuleShape(Occlusion(rays=9, reach=parts.work.studio.model.diagonal * 0.123))
    parts.work.execute(AddMaskEntry(parts.selection.selected, MaskEntry(rule, "replace")))
    hands.until(lambda: strip.stop.isVisible())
    assert "Measuring" in strip.busy.text() and "%" in strip.busy.text() and "covered" in strip.busy.toolTip()
    strip.stop.click()
    assert parts.selection.layer.mask is None and "Stopped" in hands.window.notice.text()
    going.set()
    hands.wait()
    assert not strip.stop.isVisible() and not strip.busy.isVisible()
    assert parts.work.studio.history.redo_label is not None
