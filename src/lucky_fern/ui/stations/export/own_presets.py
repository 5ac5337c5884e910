"""Presets of one's own: taken from files, made from others, written down, taken out again."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QHBoxLayout, QMenu, QVBoxLayout, QWidget

from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.project.presets import Preset
from lucky_fern.ui.session.exports import Exports
from lucky_fern.ui.stations.export.preset_editor import PresetEditor
from lucky_fern.ui.widgets import asking
from lucky_fern.ui.widgets.lists import ShrinkingList
from lucky_fern.ui.widgets.page import menu_button
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr


class OwnPresets(QWidget):
    """The list, the menus round it, and the editor of one while it is changed."""

    def __init__(self, exports: Exports) -> None:
        super().__init__()
        self.exports = exports
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.list = ShrinkingList()
        self.list.remove_asked.connect(self._remove)
        self.list.setAccessibleName(tr("Presets of your own"))
        self.list.setFixedHeight(with_text(44))
        self.list.itemDoubleClicked.connect(self._remove)
        self.list.setToolTip(tr("Double-click or Del takes one out"))
        column.addWidget(self.list)
        self.take = menu_button(
            tr("Own preset"),
            tr("Which map goes to which channel of which file, and what it is called"),
            self._fill_take,
        )
        self.write = menu_button(tr("Write a preset's file"), tr("To change it, or to share it"), self._fill_write)
        self.change = menu_button(
            tr("Change one"), tr("A preset of your own, made from one that is ticked"), self._fill_change
        )
        row = QHBoxLayout()
        for button in (self.take, self.change, self.write):
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        self.editor: PresetEditor | None = None
        self._editor_place = QVBoxLayout()
        column.addLayout(self._editor_place)

    def refresh(self) -> None:
        """List those that are used."""
        own = [setup for setup in self.exports.setups if setup.own is not None]
        self.list.setVisible(bool(own))
        self.list.clear()
        for setup in own:
            self.list.addItem(f"{setup.preset}  – {setup.what.title}")

    def _remove(self, *_: object) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.exports.use(item.text().split("  –")[0], False)

    def _take_file(self) -> None:
        path = asking.open_file(self, tr("A preset"), tr("Presets (*.json)"))
        if path is not None:
            self.exports.take_preset(path)

    def _fill_take(self, menu: QMenu) -> None:
        """From a file, or one of those that were used on this computer before."""
        menu.clear()
        menu.addAction(tr("From a file …"), self._take_file)
        shelf = self.exports.shelf
        if shelf:
            menu.addSeparator()
            for name, preset in sorted(shelf.items()):
                menu.addAction(f"{name}  – {preset.title}", partial(self.exports.use, name, True, preset))
            forget = menu.addMenu(tr("Forget"))
            for name in sorted(shelf):
                forget.addAction(name, partial(shelf.pop, name, None))

    def _fill_write(self, menu: QMenu) -> None:
        menu.clear()
        for setup in self.exports.setups:
            menu.addAction(setup.what.title, partial(self._write, setup))

    def _fill_change(self, menu: QMenu) -> None:
        menu.clear()
        for setup in self.exports.setups:
            menu.addAction(setup.what.title, partial(self.edit, setup))

    def edit(self, setup: ExportSetup) -> None:
        """Change a preset; a built-in one becomes one of one's own under another name."""
        self._end_edit()
        name = setup.preset if setup.own is not None else f"own {setup.preset}"

        def kept(preset: Preset | None) -> None:
            self._end_edit()
            if preset is not None:
                self.exports.use(name, True, preset)

        self.editor = PresetEditor(setup.what, kept)
        self._editor_place.addWidget(self.editor)

    def _end_edit(self) -> None:
        if self.editor is not None:
            self.editor.hide()
            self.editor.deleteLater()
            self.editor = None

    def _write(self, setup: ExportSetup) -> None:
        start = f"{setup.preset}.json"
        path = asking.save_file(self, tr("Write the preset"), start, tr("Presets (*.json)"), ".json")
        if path is not None:
            self.exports.write_preset(setup, path)
