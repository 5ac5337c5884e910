"""Asking for files: the last folder is where the next question begins, and names get their ending."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QInputDialog, QLineEdit, QWidget

_home = ""  # where a question begins that was not asked before
_last: dict[str, str] = {}  # what was asked for → the folder where it was found


def last_folders() -> dict[str, str]:
    """Where each kind of file was found last, to be remembered."""
    return dict(_last)


def begin_in(folders: dict[str, str], home: str = "") -> None:
    """Begin in folders that were remembered; where there is none, in ``home`` if that is a folder."""
    global _home
    _last.update(folders)
    _home = home if home and Path(home).expanduser().is_dir() else ""


def kinds(words: str, suffixes: Iterable[str]) -> str:
    """A filter of a dialog: ``words`` with the endings."""
    return f"{words} ({' '.join('*' + suffix for suffix in suffixes)})"


def open_file(parent: QWidget, title: str, filter_: str) -> Path | None:
    """Ask for one file that is there."""
    found = open_files(parent, title, filter_, many=False)
    return found[0] if found else None


def open_files(parent: QWidget, title: str, filter_: str, many: bool = True) -> list[Path]:
    """Ask for files that are there."""
    dialog = QFileDialog(parent, title, _begin(title), filter_)
    dialog.setFileMode(QFileDialog.FileMode.ExistingFiles if many else QFileDialog.FileMode.ExistingFile)
    return _asked(dialog, title)


def save_file(parent: QWidget, title: str, start: str, filter_: str, suffix: str = "") -> Path | None:
    """Ask for a file to write; a name without ``suffix`` gets it before the question whether to overwrite."""
    begin = Path(start)
    folder = str(begin.parent) if begin.is_absolute() else _begin(title)
    dialog = QFileDialog(parent, title, folder, filter_)
    dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
    if suffix:
        dialog.setDefaultSuffix(suffix.lstrip("."))
    dialog.selectFile(begin.name)
    found = _asked(dialog, title)
    return found[0] if found else None


def folder(parent: QWidget, title: str, start: str = "") -> Path | None:
    """Ask for a folder."""
    dialog = QFileDialog(parent, title, start or _begin(title))
    dialog.setFileMode(QFileDialog.FileMode.Directory)
    dialog.setOption(QFileDialog.Option.ShowDirsOnly)
    found = _asked(dialog, title)
    return found[0] if found else None


def which(parent: QWidget, title: str, words: str, names: list[str]) -> int | None:
    """Ask for one of several things; its number."""
    name, sure = QInputDialog.getItem(parent, title, words, names, 0, False)
    return names.index(name) if sure else None


def text(parent: QWidget, title: str, words: str, value: str = "") -> str | None:
    """Ask for a line of text."""
    said, sure = QInputDialog.getText(parent, title, words, QLineEdit.EchoMode.Normal, value)
    return said if sure else None


def _begin(title: str) -> str:
    return _last.get(title) or _home or next(iter(reversed(_last.values())), "")


def _asked(dialog: QFileDialog, title: str) -> list[Path]:
    if not dialog.exec():
        return []
    found = [Path(name) for name in dialog.selectedFiles()]
    if found:
        _last.pop(title, None)
        _last[title] = str(found[0].parent)
    return found
