"""The menu bar: which commands stand where."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QMenu, QMenuBar, QWidget

from lucky_fern.ui.widgets.commands import Commands

DEMOS = {"flask": "soup flask", "ferry": "Marsh Hen", "kettle": "tea kettle"}

# "" is a line between commands.
MENUS: dict[str, Sequence[str]] = {
    "&File": ("file.new", "file.open", "file.recent", "", "file.save", "file.save-as", "", "file.pictures",
              "file.export", "", *(f"file.demo-{which}" for which in DEMOS), "", "file.quit"),
    "&Edit": ("edit.undo", "edit.redo", "", "edit.copy", "edit.paste", "edit.copy-map", "", "edit.all", "edit.leave",
              "", "edit.preferences"),
    "&Layer": ("layer.wash", "layer.group", "layer.duplicate", "layer.delete", "", "layer.up", "layer.down"),
    "&View": ("station.model", "station.artwork", "station.paint", "station.check", "station.export", "",
              "view.frame", "view.light", "", "view.whole", "view.side", "view.tray"),
    "&Help": ("help.keys", "help.about"),
}  # fmt: skip


def fill_menu_bar(bar: QMenuBar, commands: Commands) -> dict[str, QMenu]:
    """All commands under their headings; the menus, by heading."""
    made = {}
    for heading, names in MENUS.items():
        menu = bar.addMenu(heading)
        menu.setToolTipsVisible(True)
        for name in names:
            if name == "":
                menu.addSeparator()
            elif name == "file.recent":
                made["recent"] = menu.addMenu("Open again")
                made["recent"].setToolTipsVisible(True)
            elif name in commands:
                menu.addAction(commands[name])
        made[heading] = menu
    return made


def folded(bar: QMenuBar, parent: QWidget) -> QMenu:
    """All of the bar's menus in one, for a button on windows that are too narrow for the bar."""
    whole = QMenu(parent)
    for action in bar.actions():
        whole.addAction(action)
    return whole
