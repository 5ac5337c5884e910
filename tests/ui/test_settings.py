"""The settings of each kind of layer, set as hands set them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from hands import Hands
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry
from lucky_fern.core.project.document import Channel, Relief, Wash
from lucky_fern.core.project.effects import Gradient
from lucky_fern.core.project.painted import encode_chunk
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.project.shapes import Fill, MaskEntry, PaintedShape, PictureShape, ScopeShape
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.studio import Studio
from lucky_fern.ui.layers.board_menus import copy_mask, paste_mask
from samples import PLANE
from test_engine import choose, click

LEFT = Qt.MouseButton.LeftButton


def typed(field: object, text: str) -> None:
    """Type a number into a field and press Return."""
    number = getattr(field, "number", field)
    number.setFocus()
    number.selectAll()
    QTest.keyClicks(number, text)
    QTest.keyClick(number, Qt.Key.Key_Return)


def chosen(box: object, text: str) -> None:
    """Choose an entry of a list as a person does."""
    box.setCurrentText(text)
    box.activated.emit(box.currentIndex())
    QApplication.processEvents()


def test_a_painted_mask_goes_to_another_project_with_its_paint(hands: Hands, tmp_path: Path) -> None:
    parts = hands.parts
    click(hands, 3)
    key = str(parts.work.studio.surface.keys[0])
    size = parts.work.project.size_of(parts.work.studio.surface.keys[0]).width
    digest = parts.work.studio.blobs.add(encode_chunk(np.full((256, 256, 1), 200, np.uint8)))
    painted = PaintedShape({key: PaintedSheet(square(size), {"mask": {"0,0": digest}})})
    parts.work.execute(AddMaskEntry(parts.selection.layer.id, MaskEntry(painted)))
    copy_mask(hands.window.matter, parts.selection.layer)
    (tmp_path / "plane.obj").write_text(PLANE)
    hands.open(Studio.new(tmp_path / "plane.obj", sheet_size=256))
    parts.work.execute(AddLayer("base", Wash(), {"colour": Channel("#336699")}))
    parts.selection.select(parts.work.project.layers[-1].id)
    paste_mask(hands.window.matter, False)
    assert parts.selection.layer.mask is not None
    assert hands.save(tmp_path / "other.fern") and Studio.open(tmp_path / "other.fern").project.masks


def test_a_wash_takes_a_picture_that_repeats_over_tiles_or_along_the_axes(hands: Hands) -> None:
    parts, fields = hands.parts, lambda: hands.fields
    click(hands, 3)
    before = hands.pixels(hands.window.sheet_view)
    chosen(fields()["colour source"], "picture")
    chosen(fields()["colour picture"], "canvas-weave.png")
    typed(fields()["repeat 0"], "6")
    typed(fields()["repeat 1"], "4")
    typed(fields()["rotate"], "30")
    wash = parts.selection.layer.content
    assert (wash.repeat, wash.rotate, parts.selection.layer.channels["colour"].picture) == (
        (6.0, 4.0),
        30.0,
        "canvas-weave.png",
    )
    hands.wait()
    by_uv = hands.pixels(hands.window.sheet_view)
    assert (by_uv != before).any(2).sum() > 5000
    chosen(fields()["by"], "along the axes")
    hands.wait()
    assert parts.selection.layer.content.by == "triplanar"
    assert (hands.pixels(hands.window.sheet_view) != by_uv).any(2).sum() > 5000
    chosen(fields()["colour source"], "value")
    assert str(parts.selection.layer.channels["colour"].source).startswith("#") and "by" not in fields()


def test_a_height_that_shapes_normals_bends_the_light(hands: Hands) -> None:
    parts, fields = hands.parts, lambda: hands.fields
    view = hands.window.model_view
    hands.drop(view, "ferry-crest.svg", np.array([view.width() * 0.42, view.height() * 0.6]))
    hands.click_cell(0, 2 + 4)  # height
    chosen(fields()["height source"], "picture")
    hands.wait()
    before = hands.pixels(view)
    fields()["relief"].click()
    typed(fields()["relief strength"], "24")
    hands.wait()
    assert parts.selection.layer.channels["height"].relief == Relief(24)
    assert (hands.pixels(view) != before).any(2).sum() > 300
    chosen(fields()["relief unit"], "units")
    assert parts.selection.layer.channels["height"].relief == Relief(24, "units")


def test_a_layer_is_kept_to_parts_and_tiles_and_a_group_is_put_together_by_itself(hands: Hands) -> None:
    parts, fields = hands.parts, lambda: hands.fields
    click(hands, 3)
    fields()["scope parts"].choose("strap")
    fields()["scope parts"].choose("rings")
    assert parts.selection.layer.scope.parts == ("strap", "rings") and fields()["scope parts"].text() == "2 parts ▾"
    fields()["scope parts"].choose("strap")
    fields()["scope parts"].choose(None)
    assert parts.selection.layer.scope.parts is None
    fields()["scope tiles"].choose(1001)
    assert parts.selection.layer.scope.tiles == (1001,)
    hands.key(Qt.Key.Key_G)
    fields()["isolated"].click()
    assert parts.selection.layer.content.isolated
    hands.click_cell(3, 2)  # the group's colour: shut off
    assert not parts.selection.layer.channels["colour"].on


def test_a_ramp_takes_stops_and_colours(hands: Hands) -> None:
    parts, fields = hands.parts, lambda: hands.fields
    choose(hands.window.board.buttons["plus"].menu(), "Colour ramp")
    QTest.mouseClick(fields()["add stop"], LEFT)
    QApplication.processEvents()
    text = fields()["stop 1"].text
    text.setFocus()
    text.selectAll()
    QTest.keyClicks(text, "#cc4422")
    QTest.keyClick(text, Qt.Key.Key_Return)
    typed(fields()["stop 1 place"], "0.8")
    effect = parts.selection.layer.content.effect
    assert isinstance(effect, Gradient) and effect.stops[1] == (pytest.approx(0.8), "#cc4422")


def test_a_mask_takes_every_kind_of_entry_in_any_order(hands: Hands) -> None:
    parts, panel, view = hands.parts, hands.window.late.masks, hands.window.model_view
    click(hands, 3)
    hands.hover(view, np.array([view.width() * 0.42, view.height() * 0.6]))
    for path in (["Nothing"], ["The island last pointed at"], ["A picture's alpha", "ferry-crest.svg"],
                 ["Painted by hand"]):  # fmt: skip
        panel.add.menu().aboutToShow.emit()
        choose(panel.add.menu(), *path)

    def entries() -> tuple[object, ...]:
        return parts.work.project.masks[parts.selection.layer.mask].entries

    kinds = [type(entry.shape) for entry in entries()]
    assert kinds == [Fill, ScopeShape, PictureShape, PaintedShape] and entries()[1].shape.scope.islands is not None
    assert "island" in panel.list.item(2).text() and "alpha of ferry-crest.svg" in panel.list.item(1).text()
    panel.list.setCurrentRow(1)
    chosen(panel.mode, "subtract")
    typed(panel.numbers["feather"], "3")
    assert (entries()[2].mode, entries()[2].feather) == ("subtract", 3.0)
    panel.numbers["black"].slider.setValue(1000)
    assert entries()[2].black == 0.99 and not hands.window.notice.text()  # black and white keep apart
    panel.numbers["black"].slider.setValue(0)
    panel._move(1)
    assert isinstance(entries()[3].shape, PictureShape) and panel.list.currentRow() == 0
    panel._remove()
    assert len(entries()) == 3
    panel.invert.click()
    panel.on.click()
    mask = parts.work.project.masks[parts.selection.layer.mask]
    assert mask.invert and not mask.on
