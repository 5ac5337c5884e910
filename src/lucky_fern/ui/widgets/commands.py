"""What the person can have done: one action each for button, menu and shortcut."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import QObject, QSize, Qt, Signal
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QToolButton, QWidget

from lucky_fern.ui.widgets.style import icon, tones

Keys = str | QKeySequence.StandardKey


class Commands(QObject):
    """Actions by name. Rooms add theirs; the window puts them into menus and makes their keys work everywhere."""

    keys_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._actions: dict[str, QAction] = {}
        self._within: set[str] = set()  # whose keys work in parts of the window only
        self._first: dict[str, list[QKeySequence]] = {}  # the keys that each was made with
        self._tips: dict[str, str] = {}
        self._own: dict[str, list[str]] = {}  # keys that the person gave, also to what is still to be added

    def add(
        self,
        name: str,
        title: str,
        act: Callable[[], object],
        keys: Keys | Iterable[Keys] = (),
        *,
        tip: str = "",
        icon_name: str = "",
        checkable: bool = False,
    ) -> QAction:
        """Add a command; ``name`` is ``room.what`` and stays the same for ever, as remembered keys go by it."""
        assert name not in self._actions, name
        action = QAction(title, self)
        action.setObjectName(name)
        if icon_name:
            action.setIcon(icon(icon_name, tones().text, tones().active if checkable else ""))
        action.setCheckable(checkable)
        action.triggered.connect(lambda *_: act())
        given = [keys] if isinstance(keys, str | QKeySequence.StandardKey) else list(keys)
        self._actions[name], self._tips[name] = action, tip
        self._first[name] = [one for key in given for one in _sequences(key)]
        self._put_keys(name)
        return action

    def __getitem__(self, name: str) -> QAction:
        return self._actions[name]

    def __contains__(self, name: str) -> bool:
        return name in self._actions

    @property
    def names(self) -> list[str]:
        return list(self._actions)

    def keep_within(self, name: str, *widgets: QWidget) -> None:
        """Have a command's keys work only where one of some widgets has the keyboard."""
        self._within.add(name)
        self._actions[name].setShortcutContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        for widget in widgets:
            widget.addAction(self._actions[name])

    def add_to(self, widget: QWidget) -> None:
        """Have all keys work wherever in a window one is, but those that are kept within parts of it."""
        known = set(widget.actions())
        for name, action in self._actions.items():
            if action not in known and name not in self._within:
                widget.addAction(action)

    def button(self, name: str, text: bool = False) -> QToolButton:
        """A button for a command, with its title beside the icon if ``text``."""
        action = self._actions[name]
        made = QToolButton()
        made.setDefaultAction(action)
        made.setIconSize(QSize(18, 18))
        if text:
            made.setToolButtonStyle(
                Qt.ToolButtonStyle.ToolButtonTextBesideIcon if not action.icon().isNull()
                else Qt.ToolButtonStyle.ToolButtonTextOnly
            )  # fmt: skip
        made.setAccessibleName(self._tips[name] or action.text())
        return made

    def tip(self, name: str, tip: str) -> None:
        """Tell of a command what it would do now."""
        self._tips[name] = tip
        self._show_tip(name)

    # --- keys -------------------------------------------------------------------------------------------------

    def keys_of(self, name: str) -> list[str]:
        """Its keys as they are written on keyboards here."""
        return [key.toString(QKeySequence.SequenceFormat.NativeText) for key in self._actions[name].shortcuts()]

    def used_by(self, keys: str, but: str = "") -> str | None:
        """The command that some keys belong to already."""
        wanted = QKeySequence(keys)
        for name, action in self._actions.items():
            if name != but and wanted in action.shortcuts():
                return name
        return None

    def set_keys(self, name: str, keys: list[str] | None) -> None:
        """Give a command other keys; None gives it back those it was made with."""
        if keys is None:
            self._own.pop(name, None)
        else:
            self._own[name] = keys
        if name in self._actions:
            self._put_keys(name)
        self.keys_changed.emit()

    @property
    def own_keys(self) -> dict[str, list[str]]:
        """What the person changed, to be remembered."""
        return dict(self._own)

    def _put_keys(self, name: str) -> None:
        own = self._own.get(name)
        keys = self._first[name] if own is None else [QKeySequence(key) for key in own]
        self._actions[name].setShortcuts(keys)
        self._show_tip(name)

    def _show_tip(self, name: str) -> None:
        action = self._actions[name]
        tip = self._tips[name] or action.text().replace("&", "").rstrip(" …")
        keys = ", ".join(self.keys_of(name)[:1])
        action.setToolTip(f"{tip} ({keys})" if keys else tip)


def _sequences(key: Keys) -> list[QKeySequence]:
    return [QKeySequence(key)] if isinstance(key, str) else QKeySequence.keyBindings(key)
