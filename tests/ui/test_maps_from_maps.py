"""Maps made from maps, by hand: echoes of other things, strokes, matched regions, linked layers, two maps, the light."""

from pathlib import Path

import cv2
import numpy as np
from PySide6.QtCore import QMimeData, Qt
from PySide6.QtWidgets import QComboBox, QPushButton

from hands import Hands
from lucky_fern.core.project.adjustments import MIME
from lucky_fern.core.project.commands import AddLayer, LinkLayer, RemoveLayers, SaveSelection
from lucky_fern.core.project.document import Adjustment, Channel, Relief, Wash
from lucky_fern.core.project.echoes import ECHO, Echo
from lucky_fern.core.project.effects import Levels
from lucky_fern.core.project.light import Numbers
from lucky_fern.core.project.more_effects import Dither, Match, Normalise
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.rules import Edges, Grain
from lucky_fern.core.project.strokes import PaintStrokes
from lucky_fern.core.sheets.faces import pack_faces
from lucky_fern.quay.delivery import Delivery
from lucky_fern.ui.layers.adding import add_adjustment
from lucky_fern.ui.layers.board_menus import EFFECTS, layer_menu
from lucky_fern.ui.layers.board_model import LAYER_MIME, NAME
from lucky_fern.ui.layers.echoes import add_echo
from lucky_fern.ui.quay.window import Quay
from lucky_fern.ui.widgets.fields import NumberField
from samples import save_png


def chosen(box: object, words: str) -> None:
    assert isinstance(box, QComboBox)
    at = box.findText(words)
    assert at >= 0, [box.itemText(k) for k in range(box.count())]
    box.setCurrentIndex(at)
    box.activated.emit(at)


def add(hands: Hands, name: str, effect: object) -> None:
    assert add_adjustment(hands.window.matter, name, effect)  # type: ignore[arg-type]
    hands.wait()


def test_an_echo_hears_a_pictures_channel_or_a_rule_and_shows_no_histogram_of_them(
    hands: Hands, tmp_path: Path
) -> None:
    parts = hands.parts
    assert add_echo(hands.window.matter, "Roughness from colour")
    hands.wait()
    assert "histogram" in hands.fields
    chosen(hands.fields["from"], "A rule")
    hands.wait()
    assert isinstance(parts.selection.layer.content.rule, Edges) and "histogram" not in hands.fields
    chosen(hands.fields["rule"], "Grain")
    hands.wait()
    assert isinstance(parts.selection.layer.content.rule, Grain)
    picture = parts.work.studio.add_picture(
        save_png(tmp_path / "packed mask.png", np.full((8, 8, 3), (9, 99, 200), np.uint8))
    )
    chosen(hands.fields["from"], "A picture")
    hands.wait()
    chosen(hands.fields["picture"], picture)
    chosen(hands.fields["part"], "green")
    hands.wait()
    content = parts.selection.layer.content
    assert (content.source, content.picture, content.part) == ("picture", picture, "g")


def test_strokes_go_onto_three_maps_and_ready_settings_and_whole_seeds_set_them(hands: Hands) -> None:
    add(hands, "Brush strokes", PaintStrokes())
    layer = hands.parts.selection.layer
    assert set(layer.channels) == {"colour", "normal", "height"}
    chosen(hands.fields["along"], "along edges of the colour")
    hands.fields["seed"].number.setValue(7)
    hands.wait()
    effect = hands.parts.selection.layer.content.effect
    assert effect.along == "edges" and effect.seed == 7 and isinstance(effect.seed, int)
    chosen(hands.fields["ready"], "Broad and dry")
    hands.wait()
    assert hands.parts.selection.layer.content.effect.size == 32.0
    hands.parts.work.undo()
    assert hands.parts.selection.layer.content.effect == effect


def test_regions_are_matched_by_two_choices(hands: Hands) -> None:
    parts = hands.parts
    studio = parts.work.studio
    for name in ("body", "lid"):
        faces = studio.surface.triangles_of_parts((name,))
        assert faces is not None and faces.any()
        parts.work.execute(SaveSelection(name, pack_faces(faces)))
    add(hands, "Match a region", Match())
    chosen(hands.fields["of"], "body")
    chosen(hands.fields["to"], "lid")
    hands.until(lambda: parts.selection.layer.content.effect.mean != Match().mean)
    effect = parts.selection.layer.content.effect
    assert effect.mean[0] > 0.7 > 0.4 > effect.to_mean[0]  # cream becomes green
    hands.fields["measure"].click()
    hands.wait()


def test_sliders_of_adjustments_and_echoes_end_where_those_do(hands: Hands) -> None:
    parts, tried = hands.parts, 0
    contents = [Adjustment(kind()) for kind in EFFECTS.values()]
    for content in (*contents, Echo(), Echo("normal", "rise")):
        channels = {"height": Channel(ECHO)} if isinstance(content, Echo) else {"colour": Channel()}
        if content == Adjustment(Normalise()):
            continue
        assert parts.work.execute(AddLayer("One", content, channels))
        parts.selection.select(parts.work.project.layers[-1].id)
        hands.until(lambda: not hands.window.settings.being_made)
        settings = content.effect if isinstance(content, Adjustment) else content
        for name in settings.__struct_fields__:
            if name not in hands.fields or not isinstance(hands.fields[name], NumberField):
                continue
            for end in (0, 1000, 500):
                hands.window.notice.say("", False)
                hands.fields[name].slider.setValue(end)
                assert not hands.window.notice.text(), (content, name, end)
                tried += 1
        parts.work.execute(RemoveLayers((parts.work.project.layers[-1].id,)))
    assert tried > 60


def test_layers_are_set_as_another_by_the_menu_and_copied_by_a_drag(hands: Hands) -> None:
    parts, matter = hands.parts, hands.window.matter
    add(hands, "One", Levels(0.1))
    one = parts.selection.layer
    add(hands, "Two", Dither())
    two = parts.selection.layer
    menu = layer_menu(matter, two, lambda: None, hands.window)
    same = next(action.menu() for action in menu.actions() if action.text() == "Same as")
    next(action for action in same.actions() if action.text() == one.name).trigger()
    assert parts.work.project.layer(two.id).content == one.content
    assert parts.work.project.layer(two.id).link == parts.work.project.layer(one.id).link is not None
    parts.work.execute(LinkLayer(two.id, None))
    model = hands.window.board.model
    mime = model.mimeData([model.index_of(one.id, NAME)])
    wash = next(layer for layer in parts.work.project.layers if isinstance(layer.content, Wash))
    grid, before = hands.window.board.grid, parts.work.project
    row = grid.visualRect(model.index_of(wash.id, NAME)).center()
    hands.drop(grid.viewport(), mime, np.array([row.x(), row.y()]), keys=Qt.KeyboardModifier.ShiftModifier)
    assert parts.work.project is before, "only groups are moved into"
    hands.drop(grid.viewport(), mime, np.array([row.x(), row.y()]), keys=Qt.KeyboardModifier.ControlModifier)
    names = [layer.name for layer in parts.work.project.layers]
    above = parts.work.project.layers[names.index(wash.name) + 1]
    assert above.content == one.content and above.id not in (one.id, two.id)
    top = model.index_of(parts.work.project.layers[-1].id, NAME)
    hands.drop(grid.viewport(), mime, np.array([row.x(), grid.visualRect(top).bottom()]),
               keys=Qt.KeyboardModifier.ControlModifier)  # fmt: skip
    below_top = parts.work.project.layers[-2]  # in the gap there
    assert below_top.content == one.content and below_top.id > above.id


def test_an_adjustment_dragged_onto_a_view_is_for_the_material_there_and_into_another_window_a_copy(
    hands: Hands,
) -> None:
    parts, view, model = hands.parts, hands.window.sheet_view, hands.window.board.model
    add(hands, "One", Levels(0.1))
    one = parts.selection.layer
    mime = model.mimeData([model.index_of(one.id, NAME)])
    spots = (np.array([x, y], float) for y in range(9, view.height(), 9) for x in range(9, view.width(), 9))
    middle, face = next((spot, face) for spot in spots if (face := view.face_at(spot)) is not None)
    built = parts.work.studio.model
    hands.drop(view, mime, middle)
    put = parts.work.project.layers[-1]
    assert put.content == one.content and put.scope == Scope(materials=(built.materials[built.material[face]],))
    hands.drop(view, mime, middle, keys=Qt.KeyboardModifier.ControlModifier)
    assert parts.work.project.layers[-1].scope == Scope(parts=(built.parts[built.part[face]],))
    count = len(parts.work.project.layers)
    hands.drop(view, mime, np.array([2.0, 2.0]))
    assert len(parts.work.project.layers) == count and "no surface there" in hands.window.notice.text()
    foreign = QMimeData()  # of another window, where layers' numbers say something else
    foreign.setData(LAYER_MIME, f"elsewhere {parts.work.project.layers[0].id}".encode())
    foreign.setData(MIME, mime.data(MIME))
    grid = hands.window.board.grid
    hands.drop(grid.viewport(), foreign, np.array([40.0, grid.viewport().height() - 4.0]))
    names = [layer.name for layer in parts.work.project.walk()]
    assert names[-1].startswith("One ") and len(set(names)) == len(names)
    assert len(parts.work.project.layers) == count + 1 and parts.work.project.layers[-1].scope == Scope()
    parts.selection.select(one.id)
    menu = layer_menu(hands.window.matter, one, lambda: None, hands.window)
    next(action for action in menu.actions() if action.text() == "Copy adjustments").trigger()
    menu = layer_menu(hands.window.matter, one, lambda: None, hands.window)
    onto = next(action.menu() for action in menu.actions() if "on a material" in action.text())
    onto.actions()[0].trigger()
    assert parts.work.project.layers[-1].scope == Scope(materials=(onto.actions()[0].text(),))
    parts.selection.select(parts.work.project.layers[0].id)
    parts.commands["edit.paste"].trigger()
    assert parts.work.project.layers[1].content == one.content


def test_two_maps_are_looked_at_by_the_headings_menu(hands: Hands) -> None:
    parts, view = hands.parts, hands.window.sheet_view
    heading = hands.window.board.heading

    def pick(name: str, words: str) -> None:
        menu = heading.menu(name)
        next(action for action in menu.actions() if action.text() == words).trigger()
        hands.wait()

    parts.looking.show_map("colour")
    hands.wait()
    colour = hands.pixels(view)
    parts.looking.show_map("roughness")
    hands.wait()
    rough = hands.pixels(view)
    parts.looking.show_map("colour")
    pick("roughness", "Left of a line")
    parts.comparing.set_wipe(0.5)
    hands.wait()
    both, half = hands.pixels(view), view.width() // 2
    assert np.array_equal(both[40:-60, : half - 20], rough[40:-60, : half - 20])
    assert np.array_equal(both[40:-60, half + 20 :], colour[40:-60, half + 20 :])
    pick("roughness", "In the sheet view")
    assert np.array_equal(hands.pixels(view)[40:-60], rough[40:-60]) and parts.looking.shown_map == "colour"
    pick("colour", "As it differs from what is shown")  # from itself: nothing, in the darkest of false colours
    inside = hands.pixels(view)[view.height() // 2, view.width() // 2]
    assert np.abs(inside[:3].astype(int) - np.array([0.07, 0.09, 0.28]) * 255).max() <= 2
    pick("roughness", "False colours")
    pick("roughness", "Without it again")
    assert parts.looking.false_colours and parts.looking.against is None


def test_normals_that_are_heights_are_told_and_mended_on_the_page(hands: Hands, tmp_path: Path) -> None:
    parts = hands.parts
    grey = np.repeat(np.random.default_rng(2).integers(0, 256, (32, 32, 1), np.uint8), 3, axis=2)
    picture = parts.work.studio.add_picture(save_png(tmp_path / "bricks normal.png", grey))
    parts.work.execute(AddLayer("Bricks", Wash(), {"normal": Channel("picture", picture=picture)}))
    hands.until(lambda: "grey" in hands.fields["normals told"].text())
    mend = hands.fields["mend normals"]
    assert isinstance(mend, QPushButton) and not mend.isHidden()
    mend.click()
    hands.wait()
    layer = parts.selection.layer
    assert set(layer.channels) == {"height"} and layer.channels["height"].relief == Relief()


def test_ones_own_surroundings_come_from_a_file_hold_everywhere_and_are_undone(hands: Hands, tmp_path: Path) -> None:
    parts, view = hands.parts, hands.window.model_view
    light = np.zeros((32, 64, 3), np.float32)
    light[..., 2] = 2.0  # red, as the library writes it
    cv2.imwrite(str(tmp_path / "red dock.hdr"), light)
    before = hands.pixels(view)
    parts.looking.go_to("check")
    rows = hands.window.late.check_panel.light
    rows.take(tmp_path / "red dock.hdr")
    hands.until(lambda: view.look.surroundings.startswith("own:"))
    hands.wait()
    assert not rows.mirror.isHidden() and rows.surroundings.currentText() == "red dock.hdr"
    parts.looking.go_to("artwork")
    hands.wait()
    after = hands.pixels(view)
    assert after[5, 5, 0] > 150 > 100 > after[5, 5, 2] and (before != after).any()
    rows.behind.click()
    hands.wait()
    assert np.ptp(hands.pixels(view)[5, 5, :3].astype(int)) < 10
    parts.work.undo()
    parts.work.undo()
    hands.wait()
    assert parts.work.project.light is None and view.look.surroundings == "studio"


def test_the_quay_shades_by_numbers_and_keeps_them(hands: Hands, tmp_path: Path) -> None:
    from lucky_fern.core.exporting.exporter import export
    from lucky_fern.core.project.export_setup import ExportSetup

    studio = hands.parts.work.studio
    export(studio.sources, studio.project, ExportSetup("classic", str(tmp_path)), "flask", tmp_path)
    kept: list[tuple[str, Numbers]] = []
    quay = Quay(Delivery(tmp_path, hands.world / "flask.obj", numbers={"": Numbers(power=20)},
                         keep=lambda material, numbers: kept.append((material, numbers))))  # fmt: skip
    quay.resize(1100, 700)
    quay.show()
    try:
        hands.until(lambda: bool(quay.verdict.text()))
        assert quay.height() <= 800
        chosen(quay.shading, quay.shading.itemText(1))
        assert dict(quay.view.look.numbers)[""].power == 20 and not quay.by_numbers.isHidden()
        quay.by_numbers.fields["specular"].number.setValue(2.5)
        assert kept[-1] == ("", Numbers(power=20, specular=2.5))
        quay.write_notes()
        notes = (tmp_path / "IMPORT-NOTES.txt").read_text()
        assert "specular: 2.5" in notes and "fresnel power: 4" in notes
        assert '"specular": 2.5' in (tmp_path / "material-numbers.json").read_text()
        chosen(quay.shading, quay.shading.itemText(0))
        assert quay.view.look.numbers == ()
    finally:
        quay.close()


def test_one_maps_picture_is_dragged_and_scaled_on_its_sheet(hands: Hands, tmp_path: Path) -> None:
    parts, view = hands.parts, hands.window.sheet_view
    parts.looking.go_to("artwork")
    names = [parts.work.studio.add_picture(save_png(tmp_path / name, np.full((8, 8, 3), 99, np.uint8)))
             for name in ("coat.png", "coat roughness.png")]  # fmt: skip
    channels = {"colour": Channel("picture", picture=names[0]), "roughness": Channel("picture", picture=names[1])}
    parts.work.execute(AddLayer("Coat", Wash((2.0, 2.0)), channels))
    hands.wait()
    hands.fields["roughness grip"].click()
    hands.wait()
    grip = view.drawn.grip
    assert grip is not None
    unit = view.tiles.unit["flask"][0] * view.camera.scale  # pixels of a tile
    middle = grip.centre
    hands.drag(view, middle, middle + np.array([0.125 * unit, -0.0625 * unit]))
    hands.wait()
    channel = parts.selection.layer.channels["roughness"]
    assert np.allclose(channel.shift, (0.125, 0.0625), atol=0.01) and channel.scale == 1.0
    assert not parts.selection.layer.channels["colour"].moved
    corner = view.drawn.grip.at(1, 1)
    hands.drag(view, corner, corner + np.array([0.1 * unit, -0.1 * unit]))
    hands.wait()
    channel = parts.selection.layer.channels["roughness"]
    assert 1.1 < channel.scale < 1.6
    parts.selection.select(parts.work.project.layers[0].id)
    hands.wait()
    assert parts.handles.moved_map is None
