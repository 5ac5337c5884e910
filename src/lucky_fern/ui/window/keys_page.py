"""All shortcuts, to be searched and changed."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QKeySequenceEdit,
    QLabel,
    QLineEdit,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.ui.widgets.commands import Commands
from lucky_fern.words import tr

_NAME = Qt.ItemDataRole.UserRole
# What the hand does in views with keys held, or with keys of its own: told, not to be changed.
FIXED = (
    (tr("Turn the view"), tr("drag, or Ctrl+arrow keys")),
    (tr("Move the view"), tr("drag with Shift, or Shift+arrow keys")),
    (tr("Nearer and farther"), tr("wheel, + and −")),
    (tr("Turn the light"), tr("drag with the right button")),
    (tr("Move a decal by a texel"), tr("arrow keys; with Shift by ten")),
    (tr("Without the selected layers"), tr("hold K")),
    (tr("Pin this state"), "Shift+K"),
    (tr("End a stripe"), "Enter"),
    (tr("Larger and smaller brush"), tr("Ctrl+wheel")),
    (tr("Straight on from the last stroke"), tr("Shift+click")),
    (tr("The opposite of the brush"), tr("hold Alt")),
)


class KeysPage(QDialog):
    """A list that is searched by typing; the chosen command's keys stand below it."""

    def __init__(self, parent: QWidget, commands: Commands) -> None:
        super().__init__(parent)
        self.commands = commands
        self.setWindowTitle(tr("Shortcuts"))
        self.resize(520, 560)
        column = QVBoxLayout(self)
        self.search = QLineEdit(placeholderText=tr("Search commands and keys"), clearButtonEnabled=True)
        self.search.setAccessibleName(tr("Search commands and keys"))
        self.search.textChanged.connect(self._filter)
        column.addWidget(self.search)
        self.tree = QTreeWidget(columnCount=2, rootIsDecorated=False)
        self.tree.setHeaderLabels([tr("Command"), tr("Keys")])
        self.tree.setAccessibleName(tr("Commands and their keys"))
        self.tree.currentItemChanged.connect(self._show)
        column.addWidget(self.tree, 1)
        row = QHBoxLayout()
        label = QLabel(tr("&Keys of the chosen one"))
        self.keys = QKeySequenceEdit(clearButtonEnabled=True)
        label.setBuddy(self.keys)
        self.keys.editingFinished.connect(self._change)
        first = QPushButton(tr("As at first"))
        first.clicked.connect(self._back)
        for widget in (label, self.keys, first):
            row.addWidget(widget)
        column.addLayout(row)
        self.words = QLabel(objectName="warn")
        self.words.setWordWrap(True)
        column.addWidget(self.words)
        self._fill()

    def _fill(self) -> None:
        self.tree.clear()
        for name in self.commands.names:
            item = QTreeWidgetItem([_title(self.commands, name), ", ".join(self.commands.keys_of(name))])
            item.setData(0, _NAME, name)
            self.tree.addTopLevelItem(item)
        for title, keys in FIXED:
            item = QTreeWidgetItem([title, keys])
            item.setDisabled(True)
            self.tree.addTopLevelItem(item)
        self.tree.resizeColumnToContents(0)
        self._filter()

    def _filter(self) -> None:
        wanted = self.search.text().lower()
        for at in range(self.tree.topLevelItemCount()):
            item = self.tree.topLevelItem(at)
            if item is not None:
                item.setHidden(wanted not in f"{item.text(0)} {item.text(1)}".lower())

    def _chosen(self) -> str | None:
        item = self.tree.currentItem()
        return item.data(0, _NAME) if item is not None else None

    def _show(self) -> None:
        name = self._chosen()
        self.words.clear()
        self.keys.setEnabled(name is not None)
        shortcuts = self.commands[name].shortcuts() if name is not None else []
        if shortcuts:
            self.keys.setKeySequence(shortcuts[0])
        else:
            self.keys.clear()

    def _change(self) -> None:
        name = self._chosen()
        if name is None:
            return
        keys = self.keys.keySequence().toString()
        other = self.commands.used_by(keys, name) if keys else None
        if other is not None:
            self.words.setText(
                tr(
                    "{keys} belongs to ‘{title}’; give that another key first.",
                    keys=keys,
                    title=_title(self.commands, other),
                )
            )
            return
        self.words.clear()
        self._put(name, [keys] if keys else [])

    def _back(self) -> None:
        name = self._chosen()
        if name is not None:
            self._put(name, None)
            self._show()

    def _put(self, name: str, keys: list[str] | None) -> None:
        self.commands.set_keys(name, keys)
        item = self.tree.currentItem()
        if item is not None:
            item.setText(1, ", ".join(self.commands.keys_of(name)))


def _title(commands: Commands, name: str) -> str:
    return commands[name].text().replace("&", "").rstrip(" …")
