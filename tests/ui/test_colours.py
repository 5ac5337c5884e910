"""Colours: typed in several ways, taken from either view or any picture, kept in palettes."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from hands import Hands
from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.ui.views.view import View
from lucky_fern.ui.widgets.colour_field import ColourField, parsed

LEFT, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def field(hands: Hands) -> ColourField:
    """The colour of the flask's base wash."""
    hands.parts.selection.select(hands.parts.work.project.layers[0].id)
    hands.wait()
    found = hands.fields["colour"]
    assert isinstance(found, ColourField)
    return found


@pytest.mark.parametrize(
    ("typed", "found"),
    [("#A1B2C3", "#a1b2c3"), ("a1b2c3", "#a1b2c3"), ("#f80", "#ff8800"), ("120 100 100", "#00ff00"),
     ("hsv(210, 50%, 80%)", "#6699cc"), ("0° 0 50", "#808080"), ("400 1 1", None), ("red", None), ("", None)],
)  # fmt: skip
def test_colours_are_typed_in_several_ways(typed: str, found: str | None) -> None:
    assert parsed(typed) == found


def centre(view: View) -> QPoint:
    return QPoint(view.width() // 2, view.height() // 2)


def test_a_field_takes_its_colour_from_a_view_and_from_pictures(hands: Hands, field: ColourField) -> None:
    work, view, tray = hands.parts.work, hands.window.model_view, hands.window.tray
    field.dropper.click()
    layers = len(work.project.layers)
    QTest.mouseClick(view, LEFT, PLAIN, centre(view))
    hands.wait()
    assert not hands.parts.colour_picking.active and len(work.project.layers) == layers
    hit = view.surface_at(np.array([view.width() / 2, view.height() / 2]))
    key = work.studio.surface.keys[0]
    store, size = hands.parts.maps.store, work.project.size_of(key).width
    assert hit is not None and store.maps[MapKey(key, "colour")].shape[0] == size
    taken = work.project.layers[0].channels["colour"].source
    assert taken == field.hex and taken in hands.window.notice.text()
    field.dropper.click()
    strip = tray.strip
    at = strip.visualRect(strip.index_of("leek-soup-label.png")).center()
    QTest.mouseClick(strip.viewport(), LEFT, PLAIN, QPoint(at.x(), at.y() - 14))
    shown = strip.viewport().grab().toImage().pixelColor(at.x(), at.y() - 14)
    assert max(abs(int(field.hex[k : k + 2], 16) - part) for k, part in ((1, shown.red()), (3, shown.green()))) < 60
    field.dropper.click()
    QTest.keyClick(hands.window, Qt.Key.Key_Escape)
    assert not hands.parts.colour_picking.active


def test_the_paint_takes_all_values_of_a_place(hands: Hands) -> None:
    painting, view = hands.parts.painting, hands.window.model_view
    hands.parts.looking.go_to("paint")
    painting.set(used={"colour", "roughness", "metallic"})
    hands.wait()
    hands.parts.commands["edit.take-values"].trigger()
    QTest.mouseClick(view, LEFT, PLAIN, centre(view))
    hands.wait()
    hit = view.surface_at(np.array([view.width() // 2, view.height() // 2], float))
    assert hit is not None and painting.used == {"colour", "roughness", "metallic"}
    assert "Roughness" in hands.window.notice.text() and 0 <= float(painting.values["roughness"]) <= 1
    assert not any(layer.kind == "brushwork" for layer in hands.parts.work.project.layers)  # nothing was painted


def test_palettes_are_kept_read_and_taken_from(hands: Hands, field: ColourField, tmp_path: Path) -> None:
    work = hands.parts.work
    (tmp_path / "sea.txt").write_text("#102030\n#405060\n")
    field.swatch.click()
    assert not field.swatches.isVisible()
    hands.window.colours.read(tmp_path / "sea.txt", field)
    hands.wait()
    assert work.project.palettes == {"sea": ("#102030", "#405060")} and field.swatches.isVisible()
    QTest.mouseClick(field.swatches, LEFT, PLAIN, QPoint(24, 8))
    assert work.project.layers[0].channels["colour"].source == "#405060"
    QTest.keyClick(field.swatches, Qt.Key.Key_Left)
    QTest.keyClick(field.swatches, Qt.Key.Key_Return)
    assert field.hex == "#102030"
    field.numbers[0].setValue(0)
    field.take("#ff8800")
    next(one for one in field.picker.findChildren(type(hands.window.notice.offer)) if one.text() == "Keep").click()
    assert work.project.palettes["sea"][-1] == "#ff8800"
    assert [box.value() for box in field.numbers] == [32, 100, 100]
    work.undo()
    assert work.project.palettes["sea"] == ("#102030", "#405060")
