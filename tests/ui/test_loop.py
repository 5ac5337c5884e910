"""The whole loop by mouse and keys in the real window, its files compared with the job runner's."""

from __future__ import annotations

import json
import threading
import time
from pathlib import Path

import msgspec
import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from hands import Hands
from lucky_fern.cli import main
from lucky_fern.core.maps import MAPS
from lucky_fern.core.placing.facts import better_draped
from lucky_fern.core.placing.pose import scaled
from lucky_fern.core.project.commands import SetPlace
from lucky_fern.core.project.document import Decal, Project
from lucky_fern.core.project.places import Drape, Lay, Roll, Throw
from lucky_fern.demo.world import demo_studio
from lucky_fern.ui.layers.board_model import FIRST_MAP
from samples import read_png

EMISSIVE = FIRST_MAP + list(MAPS).index("emissive")


def as_job(project: Project, model: str, pictures: Path) -> dict[str, object]:
    """The project's stack as the steps of a job."""
    steps = []
    for layer in project.layers:
        values = {name: channel.source for name, channel in layer.channels.items() if channel.on}
        step: dict[str, object] = {"name": layer.name, "opacity": layer.opacity, "blend": layer.blend,
                                   "scope": msgspec.to_builtins(layer.scope)}  # fmt: skip
        if isinstance(layer.content, Decal):
            step |= {"do": "decal", "picture": str(pictures / layer.content.picture), "channels": values,
                     "place": msgspec.to_builtins(layer.content.place)}  # fmt: skip
        else:
            step |= {"do": "wash", "values": values}
        steps.append(step)
    exports = [{"preset": "separate", "out": "job maps"}, {"preset": "emissive", "out": "job maps"}]
    return {"job": 1, "model": model, "sheet_size": project.sheet_size.plain, "steps": steps, "exports": exports}


def test_drop_move_scale_turn_switch_undo_save_reopen_export(hands: Hands, world: Path, tmp_path: Path) -> None:
    window, parts = hands.window, hands.parts
    hands.open(demo_studio("flask", world))  # at its full size: files are compared with those of a job
    model_view, sheet_view = window.model_view, window.sheet_view
    before = hands.pixels(model_view), hands.pixels(sheet_view)
    washes = parts.work.project.layers

    # Dropped on the model, the decal appears where it was dropped and shows in both views.
    spot = np.array([model_view.width() * 0.42, model_view.height() * 0.6])
    hands.drop(model_view, "kettle-and-reed.png", spot)
    layer, place, _ = parts.selection.decal
    assert len(parts.work.project.layers) == len(washes) + 1 and isinstance(place, Throw)
    assert np.allclose(model_view.grip().centre, spot, atol=1.5)
    assert (hands.pixels(model_view) != before[0]).any(2).sum() > 500
    assert (hands.pixels(sheet_view) != before[1]).any(2).sum() > 300

    # Scaled by a corner, moved by its middle, turned by the knob: in the model view …
    grip = model_view.grip()
    hands.drag(model_view, grip.at(1, 1), grip.at(1.5, 1.5))
    assert parts.selection.decal[1].width == pytest.approx(place.width * 1.5, rel=0.05)
    grip = model_view.grip()
    hands.drag(model_view, grip.at(0.3, -0.3), grip.at(0.3, -0.3) + (0, -40))
    assert parts.selection.decal[1].point[1] > place.point[1] + 0.005 and parts.selection.decal[1].normal[
        1
    ] == pytest.approx(0, abs=0.03)
    grip = model_view.grip()
    hands.drag(model_view, grip.knob, grip.centre - grip.half_x + (-30, 0))
    assert parts.selection.decal[1].rotate == pytest.approx(90, abs=8)
    # … and in the sheet view.
    now, grip = parts.selection.decal[1], sheet_view.grip()
    hands.drag(sheet_view, grip.centre, grip.centre + (25, 0))
    assert np.allclose(sheet_view.grip().centre, grip.centre + (25, 0), atol=2)
    assert np.linalg.norm(np.subtract(parts.selection.decal[1].point, now.point)) > 0.005
    grip = sheet_view.grip()
    hands.drag(sheet_view, grip.at(-1, -1), grip.at(-0.7, -0.7))
    assert parts.selection.decal[1].width == pytest.approx(now.width * 0.7, rel=0.06)
    steps = len(parts.work.studio.history.titles) - 1
    assert steps == 6  # one for the drop, one for each drag

    # The board: the decal is its top row; a click makes it glow too.
    hands.click_cell(0, EMISSIVE)
    assert parts.work.project.layer(layer.id).channels["emissive"].source == "picture"

    # The base wash takes another colour and roughness.
    hands.click_cell(len(parts.work.project.layers) - 1, 1)
    assert parts.selection.layer.name == "Enamel"
    field = hands.fields["colour"].text
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, "#204060")
    QTest.keyClick(field, Qt.Key.Key_Return)
    number = hands.fields["roughness"].number
    number.selectAll()
    QTest.keyClicks(number, "0.75")
    QTest.keyClick(number, Qt.Key.Key_Return)
    hands.wait()
    base = parts.work.project.layers[0].channels
    assert (base["colour"].source, base["roughness"].source) == ("#204060", 0.75)

    # Everything can be taken back by keys, and done again.
    final = parts.work.project
    model_view.setFocus()
    while parts.work.studio.history.undo_label is not None:
        hands.key(Qt.Key.Key_Z)
    assert parts.work.project.layers == washes
    while parts.work.studio.history.redo_label is not None:
        hands.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert parts.work.project == final

    # Saved with Ctrl+S, opened again, it is the same.
    parts.work.path = tmp_path / "flask.fern"
    hands.key(Qt.Key.Key_S)
    assert not parts.work.studio.changed and window.strip.saved.text() == "saved"
    parts.work.open(tmp_path / "flask.fern")
    hands.wait()
    assert parts.work.project == final

    # Exported at the Export station; the files are listed with thumbnails and equal the job runner's.
    hands.key(Qt.Key.Key_5)
    panel = window.late.export_panel
    assert window.right.currentWidget() is panel and "normal" in panel.plan.text()
    panel.folder.setText(str(tmp_path / "maps"))
    QTest.mouseClick(panel.button, Qt.MouseButton.LeftButton)
    end = time.monotonic() + 60
    while panel.working and time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.01)
    listed = {panel.files.item(row).text().partition("\n")[0] for row in range(panel.files.count())}
    assert listed == {path.name for path in (tmp_path / "maps").iterdir()}
    assert listed == {
        f"flask_flask_{name}.png" for name in ("baseColor", "metallic", "roughness", "emissive", "emissiveMask")
    }
    assert not panel.files.item(0).icon().isNull()
    job = as_job(final, str(world / "flask.obj"), world / "pictures")
    (tmp_path / "flask.json").write_text(json.dumps(job))
    assert main(["run", str(tmp_path / "flask.json")]) == 0
    for path in (tmp_path / "maps").iterdir():
        assert path.read_bytes() == (tmp_path / "job maps" / path.name).read_bytes(), path.name
    assert read_png(tmp_path / "maps/flask_flask_emissive.png").max() > 100


def test_a_picture_dropped_on_the_sheet_lies_there_and_can_be_thrown_instead(hands: Hands) -> None:
    sheet_view, parts = hands.window.sheet_view, hands.parts
    spot = np.array([sheet_view.width() * 0.4, sheet_view.height() * 0.35])
    hands.drop(sheet_view, "ferry-crest.svg", spot)
    place = parts.selection.decal[1]
    assert isinstance(place, Lay) and np.allclose(sheet_view.grip().centre, spot, atol=1.5)
    QTest.mouseClick(hands.window.tools.mode_buttons["throw"], Qt.MouseButton.LeftButton)
    assert isinstance(parts.selection.decal[1], Throw)
    assert np.allclose(sheet_view.grip().centre, spot, atol=2)
    assert np.linalg.norm(sheet_view.grip().half_x) == pytest.approx(0.15 * sheet_view.camera.scale, rel=0.03)


def test_pointing_at_one_view_marks_the_same_spot_in_the_other(hands: Hands) -> None:
    model_view, sheet_view = hands.window.model_view, hands.window.sheet_view
    at = np.array([model_view.width() * 0.4, model_view.height() * 0.5])
    hands.hover(model_view, at)
    mark = sheet_view.overlay.marker
    assert mark is not None and model_view.overlay.marker is None
    hands.hover(sheet_view, mark)
    assert model_view.overlay.marker is not None and np.linalg.norm(model_view.overlay.marker - at) < 2.5
    hands.hover(model_view, np.array([3.0, 3.0]))
    assert sheet_view.overlay.marker is None


def test_one_map_alone_shows_its_stored_values_in_both_views(hands: Hands) -> None:
    header = hands.window.board.heading
    place = header.sectionViewportPosition(FIRST_MAP + list(MAPS).index("roughness")) + 10
    QTest.mouseClick(
        header.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPointF(place, 20).toPoint()
    )
    hands.wait()
    hands.window.sheet_view.set_wires(False)
    pixels = hands.pixels(hands.window.sheet_view)
    enamel = round(0.34 * 255)
    assert ((pixels == enamel).all(2)).sum() > 10000
    assert (hands.pixels(hands.window.model_view) == enamel).all(2).sum() > 5000
    hands.key(Qt.Key.Key_Escape, Qt.KeyboardModifier.NoModifier)
    assert hands.parts.looking.shown_map is None


def test_looks_axis_views_and_wires_change_the_picture_and_framing_keeps_the_model_in_view(hands: Hands) -> None:
    view, tools = hands.window.model_view, hands.window.tools
    shown = [hands.pixels(view)]
    for button in (tools.wires, tools.seams, tools.flat, tools.parallel):
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        hands.wait()
        shown.append(hands.pixels(view))
        assert (shown[-1] != shown[-2]).any(), button.toolTip()
    for name in ("front", "back", "left", "right", "top", "bottom"):
        view.look_from(name)
        corners = np.stack(np.meshgrid(*hands.parts.work.studio.model.bounds.T), axis=-1).reshape(-1, 3)
        on_screen = view.to_screen(corners)
        assert (on_screen >= 0).all() and (on_screen <= (view.width(), view.height())).all(), name
    light = view.look.lamp_deg
    view.navigate("light", 50, 0, np.zeros(2))
    assert view.look.lamp_deg != light


def test_what_cannot_be_opened_gives_a_sentence_and_loses_nothing(hands: Hands, tmp_path: Path) -> None:
    project = hands.parts.work.project
    for name, data in (("notes.png", b"hello"), ("bad.obj", b"v 0 0 0\nf 1 2 3\n"), ("old.fern", b"PK12")):
        (tmp_path / name).write_bytes(data)
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(tmp_path / name))])
        rest = Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        QApplication.sendEvent(hands.window, QDragEnterEvent(QPointF(5, 5).toPoint(), *rest))
        QApplication.sendEvent(hands.window, QDropEvent(QPointF(5, 5), *rest))
        hands.wait()
        assert name in hands.window.notice.text() and hands.window.notice.isVisible()
        assert hands.parts.work.project is project
    (tmp_path / "flat.obj").write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    hands.parts.work.open(tmp_path / "flat.obj")
    hands.wait()
    assert "no UVs" in hands.window.sheet_view.overlay.hint
    button = hands.window.sheet_view.unwrap
    assert button.isVisible()
    button.click()
    hands.wait()
    assert not button.isVisible() and not hands.window.sheet_view.overlay.hint
    assert hands.parts.work.studio.surface.keys and not any(
        "no UVs" in text for text in hands.parts.work.studio.warnings
    )
    assert hands.save(tmp_path / "called so.fern") and hands.window.windowTitle().startswith("called so")
    assert (hands.pixels(hands.window.model_view) != hands.pixels(hands.window.model_view)[0, 0]).any()


def test_an_export_can_be_cancelled_and_closing_leaves_no_thread(hands: Hands, tmp_path: Path) -> None:
    panel = hands.window.late.export_panel
    hands.parts.looking.go_to("export")
    panel.folder.setText(str(tmp_path / "maps"))
    panel.start()
    panel.cancel.click()
    while panel.working:
        QApplication.processEvents()
    assert (
        "cancelled" in panel.summary.text()
        and not list(tmp_path.rglob("*.png"))
        and not list(tmp_path.rglob("*.part"))
    )
    hands.window.close()
    names = {thread.name for thread in threading.enumerate()}
    assert not names & {"fern-compositing", "fern-export-work"}


def test_a_label_is_typed_draped_and_gets_its_twin(hands: Hands) -> None:
    parts, window = hands.parts, hands.window
    window.model_view.look_from("front")
    hands.wait()
    hands.put_label()
    assert parts.selection.layer.name == "Text"
    hands.fields["label text"].setPlainText("KETTLE")
    hands.wait()
    kit = parts.work.project.pictures[parts.selection.layer.content.picture]
    assert kit.text is not None and kit.text.text == "KETTLE"
    for mode, kind in (("throw", Throw), ("drape", Drape), ("roll", Roll)):
        QTest.mouseClick(window.tools.mode_buttons[mode], Qt.MouseButton.LeftButton)
        hands.wait()
        assert isinstance(parts.selection.layer.content.place, kind) and window.tools.mode_buttons[mode].isChecked()
        assert window.model_view.grip() is not None and "texels" in hands.facts()
    # The flask stands on its axis, so that is what it is rolled round.
    place = parts.selection.layer.content.place
    assert np.allclose(np.abs(place.axis), (0, 1, 0)) and np.abs(np.array(place.axis_point)[[0, 2]]).max() < 1e-3
    layers = len(parts.work.project.layers)
    hands.fields["twin z"].click()
    hands.wait()
    twin = parts.work.project.layers[-1].content.place
    assert len(parts.work.project.layers) == layers + 1 and twin.point[2] == pytest.approx(-place.point[2], abs=1e-6)
    parts.work.undo()
    assert len(parts.work.project.layers) == layers


def test_a_large_drop_drapes_shows_its_stretch_takes_another_picture_and_is_nudged(hands: Hands) -> None:
    parts, window = hands.parts, hands.window
    view = window.model_view
    hands.drop(view, "kettle-and-reed.png", np.array([view.width() * 0.42, view.height() * 0.6]))
    layer, place, height = parts.selection.decal
    wide = scaled(place, height, 3.0, 3.0, 1e-6)
    parts.work.execute(SetPlace(layer.id, wide))
    hands.wait()
    fields = hands.fields
    assert "stretched" in hands.facts() and not fields["mend drape"].isHidden()
    fields["show stretch"].setChecked(True)
    hands.wait()
    assert view.overlay.heat is not None and view.overlay.heat.title == "Stretch"
    fields["mend drape"].click()
    hands.wait()
    draped = parts.selection.layer.content.place
    assert isinstance(draped, Drape) and draped.point == wide.point
    assert "stretched" not in hands.facts()
    hands.fields["show stretch"].setChecked(False)
    hands.wait()
    assert view.overlay.heat is None
    hands.fields["picture"].textActivated.emit("fleet-number.svg")
    hands.wait()
    assert (
        parts.selection.layer.content.picture == "fleet-number.svg" and parts.selection.layer.content.place == draped
    )
    sheet = window.sheet_view
    before = sheet.grip().centre
    QTest.keyClick(sheet, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    hands.wait()
    size = next(iter(parts.work.sheet_sizes().values())).width
    assert np.allclose(sheet.grip().centre - before, (10 / size * sheet.camera.scale, 0), atol=0.5)
    # From the next drop on the program chooses by itself: where throwing would stretch it, it drapes.
    assert better_draped(parts.work.studio.model, parts.work.studio.sources.pose(wide, height * 3, None),
                         lambda: parts.work.studio.sources.pose(draped, height * 3, None))  # fmt: skip


def test_lines_of_a_label_spread_over_what_is_selected(hands: Hands) -> None:
    parts, window = hands.parts, hands.window
    window.model_view.look_from("front")
    hands.wait()
    hands.put_label()
    hands.fields["label text"].setPlainText("LEEK\nSORREL\nBROTH")
    hands.wait()
    count = len(parts.work.project.layers)
    hands.fields["label spread"].click()
    assert "Select the faces" in window.notice.text() and len(parts.work.project.layers) == count
    model = parts.work.studio.model
    pieces = np.unique(model.pieces)[:2]
    parts.faces.choose(np.isin(model.pieces, pieces), whole_units=False)
    hands.fields["label spread"].click()
    hands.wait()
    assert [layer.name for layer in parts.work.project.layers[-2:]] == ["LEEK", "SORREL"]
    assert "1 line found no piece" in window.notice.text()
    sizes = [parts.work.project.pictures[layer.content.picture].width / layer.content.place.width
             for layer in parts.work.project.layers[-3:]]  # fmt: skip
    assert sizes == pytest.approx([sizes[0]] * 3)  # all letters are of one size
    parts.work.undo()
    assert len(parts.work.project.layers) == count
