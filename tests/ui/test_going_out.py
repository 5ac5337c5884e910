"""The Check and Export stations and the quay, in the window."""

from __future__ import annotations

import json
import time
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QPushButton

from hands import Hands
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.project.shapes import Fill, MaskEntry
from lucky_fern.quay.advice import NOTES
from lucky_fern.ui.quay.window import Quay
from samples import read_png


def exported(ferry: Hands) -> set[str]:
    """Ctrl+E, and what lies in the folder then."""
    panel = ferry.window.late.export_panel
    ferry.key(Qt.Key.Key_E)
    ferry.until(lambda: not panel.working, 90)
    return {path.name for path in Path(panel.folder.text()).iterdir()}


def test_the_check_lists_what_is_wrong_and_mends_it(ferry: Hands) -> None:
    parts, panel = ferry.parts, ferry.window.late.check_panel
    parts.work.execute(AddLayer("Lamp", Wash(), {"emissive": Channel("#ffee00")}))
    for layer in [one for one in parts.work.project.walk() if "emissive" in one.active_channels()]:
        parts.work.execute(AddMaskEntry(layer.id, MaskEntry(Fill(0.0))))
    parts.exports.change(padding=4)
    ferry.key(Qt.Key.Key_4)
    assert ferry.window.right.currentWidget() is panel
    ferry.until(lambda: bool(panel.found), 60)
    said = {one.kind: row for row, one in reversed(list(enumerate(panel.found)))}
    assert {"empty", "padding"} <= set(said)
    panel.list.setCurrentRow(said["empty"])
    assert parts.looking.shown_map == "emissive" and parts.selection.layer.name == "Lamp"
    panel.list.setCurrentRow(said["padding"])
    panel.remedies.itemAt(0).widget().click()
    assert parts.exports.common.padding is None
    ferry.until(lambda: panel.found and all(one.kind != "padding" for one in panel.found), 60)


def test_an_export_is_set_up_remembered_and_done_again_with_one_key(ferry: Hands, tmp_path: Path) -> None:
    parts, panel = ferry.parts, ferry.window.late.export_panel
    ferry.key(Qt.Key.Key_5)
    for name in ("separate", "emissive"):
        panel.presets[name].click()
        if name == "separate":
            panel.presets["packed"].click()
    panel.format.setCurrentIndex(panel.format.findData("jpeg"))
    panel.format.activated.emit(0)
    assert panel.quality.isVisible() and not panel.boxes["compress"].isVisible() and not panel.bits.isEnabled()
    panel.folder.setText(str(tmp_path / "maps"))
    panel.folder.editingFinished.emit()
    assert {setup.preset for setup in parts.work.project.exports} == {"packed"} and parts.work.project.exports[
        0
    ].format == "jpeg"
    parts.looking.go_to("paint")
    names = exported(ferry)
    assert "Marsh Hen_ferry_orm.1001.jpeg" in names and len(names) == 16
    assert "16 files" in panel.summary.text()
    # A preset of one's own: gloss in place of roughness, and other names.
    panel.own.edit(parts.work.project.exports[0])
    assert panel.own.editor is not None
    panel.own.editor.choose(1, 1, "1 − roughness")
    panel.own.editor.choose(1, 2, "a value")
    panel.own.editor.levels["value"].setValue(0.4)
    panel.own.editor.point(2, 1)
    panel.own.editor.options["size"].setCurrentText("256")
    panel.own.editor.options["size"].activated.emit(0)
    panel.own.editor.pattern.setText("{material}_{nobody}")
    assert not panel.own.editor.keep.isEnabled() and "nobody" in panel.own.editor.example.text()
    panel.own.editor.pattern.setText("{material}-{map}-{tile}.{ext}")
    assert "hull-normal-1001.png" in panel.own.editor.example.text()
    panel.own.editor.keep.click()
    panel.presets["packed"].click()
    panel.format.setCurrentIndex(panel.format.findData("png"))
    panel.format.activated.emit(0)
    panel.folder.setText(str(tmp_path / "own"))
    panel.folder.editingFinished.emit()
    names = exported(ferry)
    assert "ferry-orm-1001.png" in names and not any(name.endswith("jpeg") for name in names)
    rough = parts.maps.store.maps[
        next(key for key in parts.maps.store.maps if key.map == "roughness" and key.sheet.tile == 1001)
    ]
    orm = read_png(tmp_path / "own" / "ferry-orm-1001.png")
    assert (orm[..., 1] == 255 - rough[..., 0]).all() and (orm[..., 2] == 102).all()
    assert read_png(tmp_path / "own" / "ferry-normal-1001.png").shape[0] == 256  # this file has its own size
    panel._set_sheet("ferry:1002", 128)
    assert {setup.sizes["ferry:1002"] for setup in parts.work.project.exports} == {128}
    parts.exports.write_preset(parts.work.project.exports[0], tmp_path / "mine.json")
    assert json.loads((tmp_path / "mine.json").read_text())["pattern"] == "{material}-{map}-{tile}.{ext}"
    parts.exports.take_preset(tmp_path / "mine.json")
    assert any(setup.preset == "mine" for setup in parts.work.project.exports)
    (tmp_path / "broken.json").write_text("{}")
    parts.exports.take_preset(tmp_path / "broken.json")
    assert "broken.json" in ferry.window.notice.text()


def test_a_pictures_licence_is_written_down_and_goes_along(ferry: Hands, tmp_path: Path) -> None:
    parts, panel = ferry.parts, ferry.window.late.export_panel
    ferry.window.tray.strip.menu_of(["deck-planks.png"]).actions()[-1].trigger()
    assert parts.looking.station == "export" and panel.credits.chosen == "deck-planks.png"
    assert "no licence" in panel.credits.pictures.currentText()
    panel.credits.fields["licence"].setText("CC-BY-4.0")
    panel.credits.fields["licence"].editingFinished.emit()
    assert parts.work.project.pictures["deck-planks.png"].licence == "CC-BY-4.0"
    assert "no licence" not in panel.credits.pictures.currentText()
    parts.exports._set((ExportSetup("emissive", str(tmp_path / "maps")),))
    assert "CREDITS.txt" in exported(ferry)
    assert "CC-BY-4.0" in (tmp_path / "maps" / "CREDITS.txt").read_text()


def test_the_light_stays_when_one_leaves_the_check_and_goes_back_as_ever(ferry: Hands) -> None:
    view, panel = ferry.window.model_view, ferry.window.late.check_panel.light
    ferry.parts.looking.go_to("check")
    panel.lights["exposure"].changed.emit(2.5)
    bright = ferry.pixels(view).mean()
    assert view.look.exposure == 2.5
    panel.shadows.click()
    shadowed = ferry.pixels(view).mean()
    assert view.look.shadows and shadowed < bright
    ferry.parts.looking.go_to("artwork")
    assert np.isclose(ferry.pixels(view).mean(), shadowed, rtol=0.05)
    assert view.look.exposure == 2.5 and view.look.shadows and ferry.parts.work.project.light.exposure == 2.5
    button = next(one for one in ferry.window.late.check_panel.findChildren(QPushButton) if one.text() == "As ever")
    button.click()
    ferry.wait()
    assert view.look.exposure == 1.0 and not view.look.shadows and not panel.shadows.isChecked()
    assert ferry.pixels(view).mean() < bright


@pytest.fixture
def quay(ferry: Hands, tmp_path: Path) -> Quay:
    panel = ferry.window.late.export_panel
    ferry.parts.exports._set((ExportSetup("separate", str(tmp_path / "maps")),))
    exported(ferry)
    panel.quay.click()
    return ferry.window.quay.shown


def settled(quay: Quay, done, seconds: float = 20.0) -> None:
    end = time.monotonic() + seconds
    while not done() and time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.02)
    assert done()


def test_the_quay_says_why_files_look_other_than_the_project(quay: Quay, ferry: Hands) -> None:
    parts, panel = ferry.parts, ferry.window.late.export_panel
    settled(quay, lambda: "as it was painted" in quay.verdict.text())
    # Painted since: the files are older, and the left side is the project as it is now once they are read again.
    parts.work.execute(AddLayer("All red", Wash(), {"colour": Channel("#c02020")}))
    ferry.until(lambda: parts.maps.compositing.settled.is_set() and not parts.maps.packing.waiting)
    quay.load()
    settled(quay, lambda: "older than what is painted" in quay.verdict.text() and quay.figure > 5)
    parts.work.undo()
    panel.single.menu().aboutToShow.emit()
    sheet = next(action for action in panel.single.menu().actions() if action.text().startswith("ferry:1001"))
    next(action for action in sheet.menu().actions() if action.text() == "64 texels").trigger()
    assert "1 sheet apart" in panel.single.text()
    exported(ferry)
    settled(quay, lambda: "64 × 64 texels, the sheet 512 × 512" in quay.verdict.text())
    assert "older" not in quay.verdict.text()
    quay.close()


def test_the_quay_catches_wrong_settings_watches_and_writes_notes(quay: Quay) -> None:
    settled(quay, lambda: "as it was painted" in quay.verdict.text())
    quay.readings["baseColor"].activated.emit(1)
    settled(quay, lambda: "read as linear" in quay.verdict.text() and quay.figure > 5)
    quay.readings["baseColor"].activated.emit(0)
    quay.green.activated.emit(1)
    settled(quay, lambda: "wrong way round" in quay.verdict.text())
    quay.green.activated.emit(0)
    settled(quay, lambda: "as it was painted" in quay.verdict.text())
    quay.filters.activated.emit(2)
    settled(quay, lambda: quay.figure > 0.2)
    quay.night.click()
    assert quay.view.look.lamp_gain < 0.1
    quay.notes.click()
    assert "baseColor: colours, sRGB" in (quay.folder / NOTES).read_text()
    # The folder is watched: a file that is written anew is shown anew.
    before = quay.cargo
    file = next(path for path in quay.folder.iterdir() if "baseColor" in path.name)
    file.with_name("new.part").write_bytes(file.read_bytes())
    file.with_name("new.part").replace(file)
    settled(quay, lambda: quay.cargo is not before)
    shown = quay.view.grabFramebuffer()
    assert not shown.isNull() and np.frombuffer(shown.constBits(), np.uint8).std() > 3
    quay.close()
