"""Where everything in the window stands."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QSplitter, QStackedWidget, QTabWidget, QToolButton, QVBoxLayout, QWidget

from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr

BOARD_WIDTH = 440


class Ground(QWidget):
    """From the top: ``above``, the two views beside the side, lines of words, the tray.

    ``right`` is the side: the ``layers`` with the board over ``pages`` about a layer, or what takes its place.
    """

    def __init__(
        self, above: Sequence[QWidget], views: Sequence[QWidget], board: QWidget, words: Sequence[QWidget],
        notice: QWidget, tray: QWidget,
    ) -> None:  # fmt: skip
        super().__init__()
        self.setObjectName("ground")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        for one in above:
            column.addWidget(one)
        beside = QSplitter(Qt.Orientation.Horizontal)
        for view in views:
            beside.addWidget(view)
        beside.setSizes([500, 500])
        self.pages = QTabWidget(documentMode=True)
        self.pages.setAccessibleName(tr("About the layer"))
        layers = QSplitter(Qt.Orientation.Vertical)
        layers.addWidget(board)
        layers.addWidget(self.pages)
        layers.setSizes([320, 290])
        self.splitters = {"views": beside, "layers": layers}
        for splitter in self.splitters.values():
            splitter.setHandleWidth(4)
            splitter.setChildrenCollapsible(False)
        self.layers = QWidget(objectName="panel")
        self.layers.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        inner = QVBoxLayout(self.layers)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addWidget(layers)
        self.right = QStackedWidget()
        self.right.addWidget(self.layers)
        self.right.setFixedWidth(with_text(BOARD_WIDTH))
        middle = QHBoxLayout()
        middle.setSpacing(4)
        self.views = QWidget()  # what lies over the views is its child: a splitter would take it for a view
        inside = QHBoxLayout(self.views)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addWidget(beside)
        middle.addWidget(self.views, 1)
        middle.addWidget(self.right)
        column.addLayout(middle, 1)
        for one in words:
            column.addWidget(one)
        self.call_off = QToolButton(text=tr("Cancel"), toolTip=tr("Give up what this line says is under way"))
        self.call_off.hide()
        line = QHBoxLayout()
        line.setContentsMargins(0, 0, 8, 0)
        line.addWidget(notice, 1)
        line.addWidget(self.call_off)
        column.addLayout(line)
        column.addWidget(tray)
