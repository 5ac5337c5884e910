"""The board: the grid of layers × maps, with a live thumbnail heading every map."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QModelIndex, QPoint, QRect, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QFont, QKeyEvent, QMouseEvent, QPainter, QPen, QPixmap
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core import colour
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import DuplicateLayer, RemoveLayer
from lucky_fern.core.project.document import Channel
from lucky_fern.ui.board_model import EYE, FIRST_MAP, MAP_NAMES, NAME, BoardModel
from lucky_fern.ui.desk import Desk
from lucky_fern.ui.style import LIGHT, icon
from lucky_fern.ui.thumbnails import map_thumbnail, to_pixmap

_SHORT = {"colour": "Colour", "metallic": "Metal", "roughness": "Rough", "normal": "Normal", "height": "Height",
          "occlusion": "Occl.", "emissive": "Emiss.", "opacity": "Opac."}  # fmt: skip
CELL, ROW, THUMB = 37, 26, 32


class Heading(QHeaderView):
    """Map thumbnails; a click looks at that map alone."""

    def __init__(self, desk: Desk, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.desk = desk
        self.tones = LIGHT
        self.pixmaps: dict[str, QPixmap] = {}
        self.setSectionsClickable(True)
        self.sectionClicked.connect(self._clicked)

    def sizeHint(self) -> QSize:
        return QSize(super().sizeHint().width(), THUMB + 22)

    def _clicked(self, section: int) -> None:
        if section >= FIRST_MAP:
            self.desk.show_map(MAP_NAMES[section - FIRST_MAP])

    def paintSection(self, painter: QPainter, rect: QRect, section: int) -> None:
        painter.save()
        painter.fillRect(rect, QColor(self.tones.panel))
        if section == NAME:
            painter.setPen(QColor(self.tones.quiet))
            text = "Layers" if self.desk.shown_map is None else f"{MAPS[self.desk.shown_map].title} alone"
            painter.drawText(
                rect.adjusted(4, 0, 0, -5), Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, text
            )
        elif section >= FIRST_MAP:
            name = MAP_NAMES[section - FIRST_MAP]
            active = name == self.desk.shown_map
            box = QRect(rect.center().x() - THUMB // 2 + 1, rect.top() + 3, THUMB, THUMB)
            if name in self.pixmaps:
                painter.drawPixmap(box, self.pixmaps[name])
            painter.setPen(QPen(QColor(self.tones.active if active else self.tones.line), 2 if active else 1))
            painter.drawRect(box.adjusted(0, 0, -1, -1))
            font = QFont(painter.font())
            font.setPixelSize(10)
            font.setBold(active)
            painter.setFont(font)
            painter.setPen(QColor(self.tones.active if active else self.tones.text))
            label = QRect(rect.left() - 3, box.bottom() + 2, rect.width() + 6, 15)
            painter.drawText(label, Qt.AlignmentFlag.AlignCenter, _SHORT[name])
        painter.restore()


class CellPainter(QStyledItemDelegate):
    """Draws eyes and map cells: filled where the layer gives, hollow where it is switched off."""

    def __init__(self, desk: Desk, model: BoardModel, parent: QWidget) -> None:
        super().__init__(parent)
        self.desk, self.board = desk, model
        self.tones = LIGHT

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex) -> None:  # type: ignore[override]
        if index.column() == NAME:
            super().paint(painter, option, index)
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(option.rect, QColor(self.tones.soft_active))
        layer = self.board.layer_at(index.row())
        if layer is not None:
            middle = option.rect.center()
            if index.column() == EYE:
                pixmap = icon("eye" if layer.visible else "eye-off", self.tones.text).pixmap(16, 16)
                painter.drawPixmap(middle.x() - 8, middle.y() - 8, 16, 16, pixmap)
            else:
                name = MAP_NAMES[index.column() - FIRST_MAP]
                self._cell(painter, middle.x(), middle.y(), name, layer.channels.get(name), layer.visible)
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(QColor(self.tones.active), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(option.rect.adjusted(1, 1, -2, -2))
        painter.restore()

    def _cell(self, painter: QPainter, x: int, y: int, name: str, channel: Channel | None, visible: bool) -> None:
        if channel is None:
            painter.setPen(QPen(QColor(self.tones.line), 1))
            painter.drawPoint(x, y)
            painter.setBrush(QColor(self.tones.line))
            painter.drawEllipse(x - 1, y - 1, 3, 3)
            return
        if not visible:
            painter.setOpacity(0.4)
        box = QRect(x - 8, y - 7, 17, 15)
        if not channel.on:
            painter.setPen(QPen(QColor(self.tones.quiet), 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box, 3, 3)
            return
        painter.setPen(QPen(QColor(self.tones.text), 1.2))
        if channel.source == "picture":
            painter.setBrush(QColor(self.tones.field))
            painter.drawRoundedRect(box, 3, 3)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            middle = box.center()
            hills = [middle + QPoint(*step) for step in ((-2, -1), (1, 2), (3, 0))]
            painter.drawPolyline([box.bottomLeft() + QPoint(3, -3), *hills, box.bottomRight() + QPoint(-2, -3)])
        else:
            painter.setBrush(value_colour(name, channel.source))
            painter.drawRoundedRect(box, 3, 3)
        if channel.opacity < 1:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(self.tones.text))
            painter.drawRect(box.left() + 1, box.bottom() + 2, int((box.width() - 2) * channel.opacity), 2)


def value_colour(name: str, value: str | float) -> QColor:
    """A channel's value as a colour to show."""
    if isinstance(value, str):
        return QColor(value) if colour.is_hex(value) else QColor("#888888")
    grey = int(value * 255 + 0.5)
    return QColor(grey, grey, grey)


class Grid(QTableView):
    """The table itself: clicks switch cells, Space switches the cell in focus."""

    cell_switched = Signal(int, int)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        index = self.indexAt(event.position().toPoint())
        if index.isValid() and index.column() != NAME and event.button() == Qt.MouseButton.LeftButton:
            self.cell_switched.emit(index.row(), index.column())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        index = self.currentIndex()
        if event.key() == Qt.Key.Key_Space and index.isValid() and index.column() != NAME:
            self.cell_switched.emit(index.row(), index.column())
            return
        super().keyPressEvent(event)


class Board(QWidget):
    """Grid, and the few things one does with whole layers."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.model = BoardModel(desk)
        self.grid = Grid()
        self.grid.setModel(self.model)
        self.grid.setAccessibleName("Board: layers and maps")
        self.painter_ = CellPainter(desk, self.model, self.grid)
        self.grid.setItemDelegate(self.painter_)
        self.heading = Heading(desk, self.grid)
        self.grid.setHorizontalHeader(self.heading)
        self.grid.verticalHeader().hide()
        self.grid.verticalHeader().setDefaultSectionSize(ROW)
        self.grid.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.grid.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.grid.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        self.grid.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.grid.setDragDropOverwriteMode(False)
        self.grid.setDropIndicatorShown(True)
        self.grid.setShowGrid(False)
        self.grid.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.heading.setMinimumSectionSize(20)
        self.heading.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.heading.resizeSection(EYE, 26)
        for column in range(FIRST_MAP, FIRST_MAP + len(MAP_NAMES)):
            self.heading.resizeSection(column, CELL)
        self.heading.setSectionResizeMode(NAME, QHeaderView.ResizeMode.Stretch)
        self.grid.cell_switched.connect(self._switched)
        self.grid.selectionModel().currentRowChanged.connect(self._row_chosen)

        column_ = QVBoxLayout(self)
        column_.setContentsMargins(0, 0, 0, 0)
        column_.setSpacing(0)
        column_.addWidget(self.grid, 1)
        self.empty = QLabel("No layers yet: drag a picture onto a view, or add a wash.", objectName="quiet")
        self.empty.setWordWrap(True)
        self.empty.setContentsMargins(10, 6, 10, 6)
        column_.addWidget(self.empty)
        column_.addLayout(self._buttons())
        self._thumbnail_timer = QTimer(self, singleShot=True, interval=150)
        self._thumbnail_timer.timeout.connect(self.refresh_thumbnails)
        desk.project_changed.connect(self.refresh)
        desk.selection_changed.connect(self._follow_selection)
        desk.maps_changed.connect(self._maps_changed)
        desk.view_changed.connect(self.heading.viewport().update)
        self.refresh()

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(6, 3, 6, 3)
        row.setSpacing(2)
        actions: list[tuple[str, str, str, Callable[[], object]]] = [
            ("wash", "Wash", "Add a wash: values over everything", self.desk.add_wash),
            ("duplicate", "", "Duplicate the selected layer (Ctrl+D)", self._duplicate),
            ("up", "", "Move the layer up (Alt+Up)", lambda: self._shift(-1)),
            ("down", "", "Move the layer down (Alt+Down)", lambda: self._shift(1)),
            ("delete", "", "Delete the selected layer (Del)", self._delete),
        ]
        keys = {"duplicate": "Ctrl+D", "up": "Alt+Up", "down": "Alt+Down", "delete": "Del"}
        self.buttons: dict[str, QToolButton] = {}
        for name, text, tip, action in actions:
            button = QToolButton(icon=icon(name), text=text)
            button.setIconSize(QSize(17, 17))
            if text:
                button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            if name in keys:
                button.setShortcut(keys[name])
            button.clicked.connect(lambda _=False, action=action: action())
            self.buttons[name] = button
            row.addWidget(button)
            if name == "wash":
                row.addStretch(1)
        return row

    # --- following the desk -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the stack as it is now."""
        selection = self.grid.selectionModel()
        blocked = selection.blockSignals(True)
        focus = self.grid.currentIndex()
        self.model.layoutAboutToBeChanged.emit()
        self.model.beginResetModel()
        self.model.endResetModel()
        self.model.layoutChanged.emit()
        row = self.model.row_of(self.desk.selected)
        if row >= 0:
            column = focus.column() if focus.isValid() else NAME
            self.grid.setCurrentIndex(self.model.index(row, column))
        selection.blockSignals(blocked)
        self.grid.viewport().update()
        self.empty.setVisible(self.model.rowCount() == 0 and self.desk.studio is not None)
        for name in ("duplicate", "up", "down", "delete"):
            self.buttons[name].setEnabled(row >= 0)
        self.buttons["wash"].setEnabled(self.desk.studio is not None)
        self._thumbnail_timer.start()

    def _follow_selection(self) -> None:
        row = self.model.row_of(self.desk.selected)
        if row >= 0 and row != self.grid.currentIndex().row():
            selection = self.grid.selectionModel()
            blocked = selection.blockSignals(True)
            self.grid.setCurrentIndex(self.model.index(row, NAME))
            selection.blockSignals(blocked)
            self.grid.viewport().update()

    def _maps_changed(self) -> None:
        if not self._thumbnail_timer.isActive():
            self._thumbnail_timer.start()

    def refresh_thumbnails(self) -> None:
        """Draw the headings' pictures from the maps as they are now."""
        store, studio = self.desk.store, self.desk.studio
        if store is None or studio is None:
            self.heading.pixmaps = {}
        else:
            keys = list(studio.surface.keys)
            self.heading.pixmaps = {
                name: to_pixmap(map_thumbnail(store, keys, name, THUMB * 2)) for name in MAP_NAMES
            }
        self.heading.viewport().update()

    # --- acting -------------------------------------------------------------------------------------------------

    def _switched(self, row: int, column: int) -> None:
        layer = self.model.layer_at(row)
        if layer is not None:
            self.desk.select(layer.id)
            self.model.toggle(row, column)

    def _row_chosen(self, now: QModelIndex, _before: QModelIndex) -> None:
        layer = self.model.layer_at(now.row())
        if layer is not None:
            self.desk.select(layer.id)

    def _duplicate(self) -> None:
        layer, studio = self.desk.layer, self.desk.studio
        if layer is not None and studio is not None and self.desk.execute(DuplicateLayer(layer.id)):
            self.desk.select(studio.project.next_id - 1)

    def _delete(self) -> None:
        if self.desk.layer is not None:
            self.desk.execute(RemoveLayer(self.desk.layer.id))

    def _shift(self, rows: int) -> None:
        layer = self.desk.layer
        if layer is None:
            return
        row = self.model.row_of(layer.id)
        target = row - 1 if rows < 0 else row + 2
        if 0 <= target <= self.model.rowCount():
            self.model.move_to_row(layer.id, target)
