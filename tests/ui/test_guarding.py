"""Methods that Qt calls: what goes wrong in one is told, and the window goes on."""

from __future__ import annotations

import importlib
import inspect
import logging
import pkgutil
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import QAbstractItemModel, QEvent, QModelIndex, QObject, QSize
from PySide6.QtWidgets import QApplication, QStyledItemDelegate, QTreeView

import lucky_fern.ui
from hands import Hands
from lucky_fern.ui.layers.board_model import BoardModel
from lucky_fern.ui.widgets import guarding
from lucky_fern.ui.widgets.guarding import guarded, is_guarded, overrides


def test_every_method_that_qt_calls_is_guarded() -> None:
    kinds = []
    for found in pkgutil.walk_packages(lucky_fern.ui.__path__, "lucky_fern.ui."):
        module = importlib.import_module(found.name)
        kinds += [one for one in vars(module).values() if inspect.isclass(one) and one.__module__ == found.name]
    bare = [f"{kind.__module__}.{kind.__qualname__}.{name}" for kind in kinds
            for name, method in overrides(kind).items() if name != "update" and not is_guarded(method)]  # fmt: skip
    assert not bare and len(kinds) > 150


@pytest.mark.parametrize(
    "bad", ["data", "flags", "rowCount", "index", "paint", "sizeHint", "paintEvent", "eventFilter"]
)
def test_what_raises_inside_qt_is_told_and_the_view_goes_on(
    bad: str, caplog: pytest.LogCaptureFixture, qapp: QApplication, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(guarding, "_AGAIN", 600.0)  # seconds; this computer may be slow

    def may(name: str, value: Any) -> Any:
        if name == bad:
            raise ValueError(f"broken {name}")
        return value

    @guarded
    class Model(QAbstractItemModel):
        def index(self, row: int, column: int, parent: QModelIndex | None = None) -> QModelIndex:
            return may("index", self.createIndex(row, column))

        def parent(self, index: QModelIndex | None = None) -> QModelIndex:
            return QModelIndex()

        def rowCount(self, parent: QModelIndex | None = None) -> int:
            return may("rowCount", 0 if parent is not None and parent.isValid() else 3)

        def columnCount(self, parent: QModelIndex | None = None) -> int:
            return 2

        def data(self, index: QModelIndex, role: int = 0) -> Any:
            return may("data", None)

        def flags(self, index: QModelIndex) -> Any:
            return may("flags", QAbstractItemModel.flags(self, index))

    @guarded
    class Painter(QStyledItemDelegate):
        def paint(self, *given: Any) -> None:
            may("paint", QStyledItemDelegate.paint(self, *given))

        def sizeHint(self, *given: Any) -> QSize:
            return may("sizeHint", QStyledItemDelegate.sizeHint(self, *given))

    @guarded
    class Tree(QTreeView):
        def paintEvent(self, event: Any) -> None:
            may("paintEvent", QTreeView.paintEvent(self, event))

    @guarded
    class Filter(QObject):
        def eventFilter(self, watched: QObject, event: QEvent) -> bool:
            return may("eventFilter", False)

    tree, ear, painter, model = Tree(), Filter(), Painter(), Model()
    tree.setItemDelegate(painter)
    tree.setModel(model)
    tree.installEventFilter(ear)
    logging.getLogger("lucky_fern").propagate = True
    tree.show()
    for _ in range(20):
        tree.viewport().update()
        QApplication.processEvents()
    told = [record for record in caplog.records if f"broken {bad}" in record.getMessage()]
    # Not at every cell of every frame, which would be hundreds; after other tests two were heard once.
    assert 1 <= len(told) <= 3 and told[0].exc_info
    tree.removeEventFilter(ear)
    tree.close()


def test_a_board_that_cannot_say_what_is_in_it_says_so_and_lets_one_go_on(
    hands: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    hands.parts.mishaps.listen(tmp_path / "mishaps.log")
    board, told = hands.window.board, []
    hands.parts.mishaps.told.connect(lambda sentence, details: told.append(sentence))
    with monkeypatch.context() as broken:
        broken.setattr(BoardModel, "layer_of", lambda *_: 1 / 0)
        for _ in range(5):
            board.grid.viewport().update()
            QApplication.processEvents()
    assert told and all("ZeroDivisionError" in one for one in told) and hands.window.mishap.isVisible()
    board.grid.viewport().update()
    hands.wait()
    assert board.grid.isVisible()
