"""The board and the settings under it: what a click, a key or a typed value does to the project."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QItemSelectionModel, QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from hands import Hands
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import GroupLayers
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.effects import Levels
from lucky_fern.core.project.more_effects import Posterise
from lucky_fern.core.project.places import Throw
from lucky_fern.core.sheets.grid import square
from lucky_fern.ui.layers.adding import add_adjustment
from lucky_fern.ui.layers.board_menus import layer_menu
from lucky_fern.ui.layers.board_model import EYE, FIRST_MAP, MAP_NAMES, NAME
from lucky_fern.ui.layers.echoes import add_echo
from lucky_fern.ui.widgets.colour_field import ColourField
from lucky_fern.ui.widgets.curve_field import CurveField

NONE = Qt.KeyboardModifier.NoModifier


def names(hands: Hands) -> list[str]:
    """Layers as the board lists them, top first."""
    grid = hands.window.board.grid
    at, found = grid.model().index(0, NAME), []
    while at.isValid():
        found.append(at.data())
        at = grid.indexBelow(at).siblingAtColumn(NAME)
    return found


def column(name: str) -> int:
    return FIRST_MAP + list(MAPS).index(name)


def test_rows_are_the_stack_and_keys_move_duplicate_and_delete(hands: Hands) -> None:
    assert names(hands) == ["Steel rings", "Strap cloth", "Green lid", "Enamel"]
    hands.click_cell(3, NAME)
    assert hands.parts.selection.layer.name == "Enamel"
    hands.key(Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert names(hands) == ["Steel rings", "Strap cloth", "Enamel", "Green lid"]
    hands.key(Qt.Key.Key_D)
    assert names(hands) == ["Steel rings", "Strap cloth", "Enamel 2", "Enamel", "Green lid"]
    assert hands.parts.selection.layer.name == "Enamel 2"
    hands.key(Qt.Key.Key_Delete, NONE)
    hands.key(Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert "Enamel 2" not in names(hands)
    for _ in range(4):
        hands.key(Qt.Key.Key_Z)
    assert names(hands) == ["Steel rings", "Strap cloth", "Green lid", "Enamel"]


@pytest.mark.parametrize(
    ("row", "target", "expected"), [(0, 2, "1023"), (3, 0, "3012"), (1, 4, "0231"), (2, 2, "0123"), (2, 3, "0123")]
)
def test_dragging_a_row_puts_it_before_the_row_it_is_dropped_on(
    hands: Hands, row: int, target: int, expected: str
) -> None:
    model, before = hands.window.board.model, names(hands)
    mime = model.mimeData([model.index(row, NAME)])
    model.dropMimeData(mime, Qt.DropAction.MoveAction, target, 0, model.index(-1, -1))
    assert names(hands) == [before[int(digit)] for digit in expected]


def test_adjustments_are_copied_onto_groups_and_other_layers(hands: Hands) -> None:
    parts, matter = hands.parts, hands.window.matter
    work, ids = parts.work, [layer.id for layer in parts.work.project.layers]  # from the bottom up
    effects = [Levels(0.2), Posterise(4)]
    for effect in effects:  # each above the one that was added before
        add_adjustment(matter, "Change", effect)
    made = tuple(layer.id for layer in work.project.layers if layer.id not in ids)
    work.execute(GroupLayers((ids[0], ids[1])))
    group = work.project.layers[0].id

    def press(text: str) -> None:
        menu = layer_menu(matter, parts.selection.layer, lambda: None, hands.window)
        (action,) = [one for one in menu.actions() if one.text().startswith(text)]
        assert action.isEnabled()
        action.trigger()

    parts.selection.select(made[0], made)
    press("Copy adjustments")
    parts.selection.select(group, (group, ids[2]))
    before = work.project
    press("Put Change")
    layers = list(work.project.layers)
    above = next(at for at, layer in enumerate(layers) if layer.id == ids[2]) + 1
    for found in (work.project.layer(group).children[-2:], layers[above : above + 2]):
        assert [one.content.effect for one in found] == effects
        assert all(one.id not in made for one in found)
    work.undo()
    assert work.project == before


def test_levels_are_dragged_on_what_lies_below_and_counted_where_faces_are_selected(hands: Hands) -> None:
    parts, work = hands.parts, hands.parts.work
    add_adjustment(hands.window.matter, "Levels", Levels(0.1, 0.9))
    hands.wait()
    parts.selection.select(work.project.layers[-1].id)
    hands.wait()
    view = hands.fields["histogram"]
    everything = view.counts.copy()
    assert everything.shape == (3, 256) and everything.sum() > 1000
    before = work.project
    drag = [QPointF(view.scale.across(at), 40) for at in (0.9, 0.7, 0.6)]
    kinds = (QEvent.Type.MouseButtonPress, QEvent.Type.MouseMove, QEvent.Type.MouseMove)
    left = Qt.MouseButton.LeftButton
    for kind, at in zip((*kinds, QEvent.Type.MouseButtonRelease), (*drag, drag[-1]), strict=True):
        QApplication.sendEvent(view, QMouseEvent(kind, at, at, left, left, NONE))
    effect = parts.selection.layer.content.effect
    assert abs(effect.white - 0.6) < 0.02 and effect.black == 0.1
    work.undo()
    assert work.project == before  # one step
    hands.wait()
    assert np.array_equal(view.counts, everything)  # what lies below is what it was
    parts.faces.choose(work.studio.model.part == 0)
    hands.wait()
    assert 0 < view.counts.sum() < everything.sum()
    hands.fields["over"].click()  # the same over the map itself
    hands.wait()
    sheets = hands.window.sheet_view
    over = sheets.overlay.drawn.levels
    assert parts.looking.shown_map == "colour" and np.array_equal(over.counts, view.counts)
    middle = over.box.center().y()
    ends = [np.array([over.scale.across(at), middle]) for at in (0.1, 0.3)]
    hands.drag(sheets, *ends)
    effect = parts.selection.layer.content.effect
    assert abs(effect.black - 0.3) < 0.01 and effect.white == 0.9
    assert sheets.overlay.drawn.levels.scale.black == effect.black == view.scale.black
    work.undo()
    assert work.project == before
    parts.selection.select(work.project.layers[0].id)
    hands.wait()
    assert sheets.overlay.drawn.levels is None


def test_a_layer_is_renamed_in_place(hands: Hands) -> None:
    model = hands.window.board.model
    assert model.setData(model.index(2, NAME), "  Cup  ")
    assert names(hands)[2] == "Cup"
    model.setData(model.index(2, NAME), "   ")
    assert names(hands)[2] == "Cup" and "name" in hands.window.notice.text()


def test_the_eye_hides_a_layer_and_cells_switch_single_maps(hands: Hands) -> None:
    before = hands.pixels(hands.window.sheet_view)
    hands.click_cell(2, EYE)
    assert not hands.parts.work.project.layers[1].visible
    assert (hands.pixels(hands.window.sheet_view) != before).any(2).sum() > 5000
    hands.click_cell(2, EYE)
    assert (hands.pixels(hands.window.sheet_view) == before).all()
    hands.click_cell(2, column("colour"))
    assert not hands.parts.work.project.layers[1].channels["colour"].on
    assert hands.parts.work.project.layers[1].channels["roughness"].on
    hands.click_cell(2, column("emissive"))
    assert hands.parts.work.project.layers[1].channels["emissive"].on
    # The cell in focus is switched by the space bar too.
    hands.window.board.grid.setFocus()
    QTest.keyClick(hands.window.board.grid, Qt.Key.Key_Space)
    assert not hands.parts.work.project.layers[1].channels["emissive"].on


def test_headings_show_the_maps_as_they_are(hands: Hands) -> None:
    hands.window.board.refresh_thumbnails()
    image = hands.window.board.heading.pixmaps["colour"].toImage()
    shown = {image.pixelColor(x, y).name() for x in range(0, 64, 4) for y in range(0, 64, 4)}
    assert {"#e9dfc6", "#2f6b4f"} <= shown


def test_a_new_wash_lies_above_the_selected_layer_and_takes_a_colour_from_the_picker(hands: Hands) -> None:
    hands.click_cell(3, NAME)
    QTest.mouseClick(hands.window.board.buttons["wash"], Qt.MouseButton.LeftButton)
    assert names(hands)[3:] == ["Wash", "Enamel"]
    field = hands.fields["colour"]
    field.swatch.click()
    assert field.picker.isVisible()
    steps = len(hands.parts.work.studio.history.titles) - 1
    QTest.mouseClick(field.bar, Qt.MouseButton.LeftButton, NONE, QPoint(field.bar.width() // 3, 5))
    square = field.square
    QTest.mousePress(square, Qt.MouseButton.LeftButton, NONE, QPoint(10, 10))
    for x in (40, 90, square.width() - 1):
        QTest.mouseMove(square, QPoint(x, 2))
    QTest.mouseRelease(square, Qt.MouseButton.LeftButton, NONE, QPoint(square.width() - 1, 1))
    colour = QColor(hands.parts.selection.layer.channels["colour"].source)
    assert colour.green() > 200 and colour.red() < 120 and colour.blue() < 120
    assert len(hands.parts.work.studio.history.titles) - 1 <= steps + 2  # a drag in the picker is one step


def test_opacity_blend_and_a_decals_numbers_are_set_by_typing(hands: Hands) -> None:
    view, settings = hands.window.model_view, hands
    hands.drop(view, "fleet-number.svg", np.array([view.width() * 0.42, view.height() * 0.6]))
    place = hands.parts.selection.decal[1]
    assert isinstance(place, Throw)
    assert "texels from a drawing" in hands.facts()
    for name, text, check in (
        ("width", "0.06", lambda: hands.parts.selection.decal[1].width == pytest.approx(0.06)),
        ("rotate", "-30", lambda: hands.parts.selection.decal[1].rotate == -30),
        ("angle_limit", "60", lambda: hands.parts.selection.decal[1].angle_limit == 60),
        ("height", "0.02", lambda: hands.parts.selection.decal[1].height == pytest.approx(0.02)),
    ):
        number = settings.fields[name]
        number.setFocus()
        number.selectAll()
        QTest.keyClicks(number, text)
        QTest.keyClick(number, Qt.Key.Key_Return)
        assert check(), name
    settings.fields["through"].click()
    settings.fields["square pixels"].click()
    assert hands.parts.selection.decal[1].through and hands.parts.selection.layer.content.sampling == "nearest"
    opacity = settings.fields["opacity"].number
    opacity.selectAll()
    QTest.keyClicks(opacity, "40")
    QTest.keyClick(opacity, Qt.Key.Key_Return)
    blend = settings.fields["blend"]
    blend.setCurrentText("multiply")
    blend.activated.emit(blend.currentIndex())
    assert (hands.parts.selection.layer.opacity, hands.parts.selection.layer.blend) == (
        pytest.approx(0.4),
        "multiply",
    )
    source = settings.fields["colour source"]
    source.setCurrentIndex(1)
    source.activated.emit(1)
    assert str(hands.parts.selection.layer.channels["colour"].source).startswith("#")


def test_the_tray_finds_pictures_and_enter_places_one_in_the_middle(hands: Hands) -> None:
    tray, view = hands.window.tray, hands.window.model_view
    tray.search.setText("crest")
    shown = [row for row in range(tray.model.rowCount()) if not tray.strip.isRowHidden(row)]
    assert [tray.model.item(row).text() for row in shown] == ["ferry crest"]
    tray.strip.setCurrentIndex(tray.strip.index_of("ferry-crest.svg"))
    QTest.keyClick(tray.strip, Qt.Key.Key_Return)
    hands.wait()
    assert hands.parts.selection.layer.name == "Ferry crest"
    assert np.allclose(view.grip().centre, (view.width() / 2, view.height() / 2), atol=1.5)


def test_stations_are_reached_by_keys_and_the_sheet_size_by_the_model_station(hands: Hands) -> None:
    for number, station in enumerate(("model", "artwork", "paint", "check", "export"), 1):
        hands.key(Qt.Key(Qt.Key.Key_0 + number))
        assert hands.parts.looking.station == station and hands.window.strip.buttons[station].isChecked()
        assert hands.window.tools.title.text()
    hands.key(Qt.Key.Key_1)
    box = hands.window.late.model_panel.check.size_box
    box.setCurrentIndex(box.findData(256))
    box.activated.emit(box.currentIndex())
    hands.wait()
    assert set(hands.parts.work.sheet_sizes().values()) == {square(256)}
    hands.window.sheet_view.hover(
        np.array([hands.window.sheet_view.width() / 2, hands.window.sheet_view.height() / 2])
    )
    assert "of 256 × 256" in hands.window.sheet_view.overlay.facts
    assert hands.window.late.model_panel.check.lines["holds"].text().startswith("5 parts")


def test_what_the_mouse_does_on_cells_and_colours_has_keys(hands: Hands) -> None:
    parts, grid = hands.parts, hands.window.board.grid
    top = parts.work.project.layers[-1]
    grid.setFocus()

    def press(column: int, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> Layer:
        grid.selectionModel().setCurrentIndex(
            grid.model().index(0, column), QItemSelectionModel.SelectionFlag.NoUpdate
        )
        QTest.keyClick(grid, key, modifier)
        return parts.work.project.layer(top.id)

    assert not press(EYE, Qt.Key.Key_Space).visible and press(EYE, Qt.Key.Key_Space).visible
    assert press(EYE, Qt.Key.Key_Minus).opacity == pytest.approx(0.95)
    assert press(EYE, Qt.Key.Key_Plus).opacity == 1.0 and press(EYE, Qt.Key.Key_Plus).opacity == 1.0
    colour = FIRST_MAP + list(MAPS).index("colour")
    assert press(colour, Qt.Key.Key_Minus).channels["colour"].opacity == pytest.approx(0.95)
    press(colour, Qt.Key.Key_Space, Qt.KeyboardModifier.ControlModifier)
    assert parts.looking.shown_map == "colour"
    press(colour, Qt.Key.Key_Space, Qt.KeyboardModifier.ControlModifier)
    assert parts.looking.shown_map is None
    curve = CurveField()
    curve.resize(212, 112)
    for key in (Qt.Key.Key_Insert, Qt.Key.Key_Up, Qt.Key.Key_Right):
        QTest.keyClick(curve, key)
    assert curve.points == ((0.0, 0.0), (0.51, 0.51), (1.0, 1.0))
    QTest.keyClick(curve, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(curve, Qt.Key.Key_Space)
    QTest.keyClick(curve, Qt.Key.Key_Down)
    assert curve.points == ((0.0, 0.0), (0.41, 0.51), (1.0, 0.99))
    for _ in range(2):  # to the first one, then to the one in the middle
        QTest.keyClick(curve, Qt.Key.Key_Space)
    QTest.keyClick(curve, Qt.Key.Key_Delete)
    assert curve.points == ((0.0, 0.0), (1.0, 0.99))
    field = ColourField("Paint")
    field.set("#804020")
    got: list[str] = []
    field.changed.connect(got.append)
    QTest.keyClick(field.square, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    more = QColor(got[-1])
    assert more.hsvSaturationF() == pytest.approx(QColor("#804020").hsvSaturationF() + 0.1, abs=0.01)
    QTest.keyClick(field.bar, Qt.Key.Key_Right)
    assert QColor(got[-1]).hsvHueF() == pytest.approx(more.hsvHueF() + 0.02, abs=0.01) and len(got) == 2


def test_an_echo_is_one_click_and_a_spot_tells_what_made_it(ferry: Hands) -> None:
    parts, window = ferry.parts, ferry.window
    add_echo(window.matter, "Glow from one grey")
    ferry.wait()
    layer = parts.selection.layer
    assert layer.content.hears == "colour" and layer.channels["emissive"].source == "echo"
    fields = ferry.fields
    fields["part"].setCurrentIndex(fields["part"].findData("r"))
    fields["part"].activated.emit(0)
    fields["coloured"].click()  # no ramp any more
    ferry.wait()
    assert parts.selection.layer.content.part == "r" and not parts.selection.layer.content.ramp
    window.board.model.toggle(window.board.model.index_of(layer.id, FIRST_MAP + MAP_NAMES.index("metallic")))
    assert parts.selection.layer.channels["metallic"].source == "echo"
    ferry.hover(window.sheet_view, window.sheet_view.pixel_of(window.sheet_view.tiles.corner(
        parts.work.studio.surface.keys[0]) + (0.4, 0.3)))  # fmt: skip
    parts.looking.show_map("emissive")
    ferry.key(Qt.Key.Key_W, Qt.KeyboardModifier.NoModifier)
    panel = window.late.spot
    ferry.until(lambda: any(step.layer == layer.id and step.changed for step in panel.steps))
    assert window.pages.currentWidget() is panel
    parts.selection.select(parts.work.project.layers[0].id)
    items = [panel.tree.topLevelItem(at) for at in range(panel.tree.topLevelItemCount())]
    item = next(item for item in items if item.text(0) == layer.name)
    panel.tree.itemClicked.emit(item, 0)
    assert parts.selection.selected == layer.id
