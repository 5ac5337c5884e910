"""The board: the grid of layers × maps, with a live thumbnail heading every map."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QModelIndex, QPoint, QRect, QSignalBlocker, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QContextMenuEvent, QFont, QKeyEvent, QMouseEvent, QPainter, QPen, QPixmap
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QMenu,
    QStyleOptionViewItem,
    QToolButton,
    QTreeView,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core.arrays import U8
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import DuplicateLayers, RemoveLayers, SetGroup
from lucky_fern.core.project.document import Layer
from lucky_fern.ui.layers.adding import add_wash
from lucky_fern.ui.layers.board_cells import CELL, INDENT, CellPainter
from lucky_fern.ui.layers.board_menus import add_menu, cell_menu, group, layer_menu
from lucky_fern.ui.layers.board_model import EYE, FIRST_MAP, MAP_NAMES, NAME, BoardModel, Index, Row
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.session.looking import Against
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.style import icon, tones, with_text
from lucky_fern.ui.widgets.thumbnails import map_thumbnail, to_pixmap
from lucky_fern.words import tr

_SHORT = {
    "colour": tr("Colour"),
    "metallic": tr("Metal"),
    "roughness": tr("Rough"),
    "normal": tr("Norm."),
    "height": tr("Height"),
    "occlusion": tr("Occl."),
    "emissive": tr("Emiss."),
    "opacity": tr("Opac."),
}
THUMB, _MOST_DRAWN = 30, 400

_ON_LAYERS = ("group", "duplicate", "up", "down", "delete")  # commands that need selected layers

_CTRL, _STEP = Qt.KeyboardModifier.ControlModifier, 0.05  # of a cell's strength
_THUMBNAILS, _THUMBNAILS_MEANWHILE = 400, 4000  # milliseconds after a change; while maps are worked out


@guarded
class Heading(QHeaderView):
    """Map thumbnails; a click looks at that map alone."""

    def __init__(self, matter: Matter, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.matter = matter
        self.tones = tones()
        self.pixmaps: dict[str, QPixmap] = {}
        self.sectionClicked.connect(self.look_at)

    def sizeHint(self) -> QSize:
        return QSize(super().sizeHint().width(), THUMB + with_text(22))

    def look_at(self, section: int) -> None:
        """Look at the map of a column alone, or at all of them again."""
        if section >= FIRST_MAP:
            self.matter.looking.show_map(MAP_NAMES[section - FIRST_MAP])

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        section = self.logicalIndexAt(event.pos())
        if section >= FIRST_MAP:
            self.menu(MAP_NAMES[section - FIRST_MAP]).popup(event.globalPos())

    def menu(self, name: str) -> QMenu:
        """How a map can be looked at beside the one that is shown."""
        looking = self.matter.looking
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction(tr("Look at it alone"), partial(looking.show_map, name)).setEnabled(name != looking.shown_map)
        menu.addSeparator()
        titles: tuple[tuple[str, Against], ...] = (
            (tr("Left of a line"), "wipe"), (tr("In the sheet view"), "beside"),
            (tr("As it differs from what is shown"), "difference"),
        )  # fmt: skip
        for title, how in titles:
            action = menu.addAction(title, partial(looking.compare, name, how))
            action.setCheckable(True)
            action.setChecked(looking.against == name and looking.how == how)
        menu.addAction(tr("Without it again"), partial(looking.compare, None)).setEnabled(looking.against is not None)
        menu.addSeparator()
        false = menu.addAction(tr("False colours"), partial(looking.show_false_colours, not looking.false_colours))
        false.setToolTip(tr("Maps of one number in colours that the eye tells apart"))
        false.setCheckable(True)
        false.setChecked(looking.false_colours)
        return menu

    def _label(self) -> str:
        """What is looked at, over the names of layers."""
        looking = self.matter.looking
        if looking.against is None:
            shown = looking.shown_map
            return tr("Layers") if shown is None else tr("{map} alone", map=MAPS[shown].title)
        now = MAPS[looking.shown_map].title if looking.shown_map is not None else tr("all")
        mark = {"wipe": "|", "beside": "·", "difference": "−"}[looking.how]
        return f"{MAPS[looking.against].title} {mark} {now}"

    def paintSection(self, painter: QPainter, rect: QRect, section: int) -> None:
        painter.save()
        painter.fillRect(rect, QColor(self.tones.panel))
        if section == NAME:
            painter.setPen(QColor(self.tones.quiet))
            painter.drawText(
                rect.adjusted(4, 0, 0, -5), Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, self._label()
            )
        elif section >= FIRST_MAP:
            name = MAP_NAMES[section - FIRST_MAP]
            active = name in (self.matter.looking.shown_map, self.matter.looking.against)
            box = QRect(rect.center().x() - THUMB // 2 + 1, rect.top() + 3, THUMB, THUMB)
            if name in self.pixmaps:
                painter.drawPixmap(box, self.pixmaps[name])
            painter.setPen(QPen(QColor(self.tones.active if active else self.tones.line), 2 if active else 1))
            painter.drawRect(box.adjusted(0, 0, -1, -1))
            font = QFont(painter.font())
            font.setPixelSize(min(with_text(10), 12))
            font.setBold(active)
            painter.setFont(font)
            painter.setPen(QColor(self.tones.active if active else self.tones.text))
            label = QRect(rect.left() - 3, box.bottom() + 2, rect.width() + 6, with_text(15))
            painter.drawText(label, Qt.AlignmentFlag.AlignCenter, _SHORT[name])
        painter.restore()


@guarded
class Grid(QTreeView):
    """The tree itself: clicks switch cells, drags along them set their strength.

    By keys: Left and Right go from cell to cell, Space switches one, or folds a group; plus and minus set a cell's
    strength; Ctrl+Space looks at the map of a column alone.
    """

    cell_switched = Signal(QModelIndex)
    strength_set = Signal(int, float)
    strength_done = Signal()
    folded = Signal(int)
    map_asked = Signal(int)
    menu_asked = Signal(QModelIndex, QPoint)

    def __init__(self, model: BoardModel) -> None:
        super().__init__()
        self.board_model = model
        self.setModel(model)
        self.cells = CellPainter(model, self)
        self.setItemDelegate(self.cells)
        self.setUniformRowHeights(True)
        self.setRootIsDecorated(False)
        self.setItemsExpandable(False)  # folding is a step of the history
        self.setExpandsOnDoubleClick(False)
        self.setIndentation(INDENT)
        self._pressed: tuple[QModelIndex, QPoint, float | None] | None = None
        self._dragging = False
        self._drawn: dict[
            int, tuple[tuple[object, ...], QPixmap]
        ] = {}  # rows by layer, and what they were drawn from

    def drawRow(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        """Draw a row in one go: what is asked for cell by cell waits for the interpreter each time."""
        row = self.board_model.row_of(index)
        if row is None:
            return
        now, box = self.currentIndex(), option.rect
        selected = self.selectionModel().isRowSelected(index.row(), index.parent())
        here = self.hasFocus() and now.isValid() and now.internalId() == index.internalId()
        inside = self.visualRect(self.board_model.index_of(row.layer.id, NAME)).left() - box.left()
        look = (row.look, selected, now.column() if here else -1, inside, box.width(), box.height())
        kept = self._drawn.get(row.layer.id)
        if kept is None or kept[0] != look:
            if len(self._drawn) > _MOST_DRAWN:
                self._drawn.clear()
            kept = self._drawn[row.layer.id] = (look, self._picture(row, selected, look[2], inside, box.size()))
        painter.drawPixmap(box.topLeft(), kept[1])

    def _picture(self, row: Row, selected: bool, focused: int, inside: int, size: QSize) -> QPixmap:
        """A row as it is drawn; its name begins so far ``inside``."""
        picture = QPixmap(size * self.devicePixelRatio())
        picture.setDevicePixelRatio(self.devicePixelRatio())
        picture.fill(QColor(self.cells.tones.soft_active if selected else self.cells.tones.panel))
        painter, heading = QPainter(picture), self.header()
        middles: dict[str, QPoint] = {}
        painter.setFont(self.font())
        for column in range(self.board_model.columnCount()):
            cell = QRect(heading.sectionViewportPosition(column), 0, heading.sectionSize(column), size.height())
            if column == NAME:
                cell.setLeft(inside)
            self.cells.draw(painter, cell, row, column, focused == column)
            if column >= FIRST_MAP:
                middles[MAP_NAMES[column - FIRST_MAP]] = cell.center()
        self.cells.echo(painter, row.layer, middles)
        painter.end()
        return picture

    def drawBranches(self, painter: QPainter, rect: QRect, index: Index) -> None:
        """Fold marks are drawn with the names."""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position().toPoint()
        index = self.indexAt(at)
        layer = self.board_model.layer_of(index)
        if layer is not None and event.button() == Qt.MouseButton.LeftButton:
            inside = index.column() == NAME and self.cells.fold_box(self.visualRect(index)).contains(at)
            if inside and layer.content.holds_layers:
                self.folded.emit(layer.id)
                return
            if index.column() != NAME:
                self._pressed = (index, at, self.board_model.strength(index))
                self._dragging = False
                if not self.selectionModel().isRowSelected(index.row(), index.parent()) or event.modifiers():
                    super().mousePressEvent(event)
                else:
                    self.selectionModel().setCurrentIndex(index, self.selectionModel().SelectionFlag.NoUpdate)
                return
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            super().mouseMoveEvent(event)
            return
        index, at, strength = self._pressed
        across = event.position().x() - at.x()
        if strength is not None and (self._dragging or abs(across) > 4):
            self._dragging = True
            self.strength_set.emit(index.column(), strength + across / 100.0)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            super().mouseReleaseEvent(event)
            return
        index, self._pressed = self._pressed[0], None
        if self._dragging:
            self._dragging = False
            self.strength_done.emit()
        elif not event.modifiers():
            self.cell_switched.emit(index)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        index = self.currentIndex() if event.reason() == event.Reason.Keyboard else self.indexAt(event.pos())
        if index.isValid():
            self.menu_asked.emit(index, event.globalPos())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not (self.currentIndex().isValid() and self._key(event, self.currentIndex())):
            super().keyPressEvent(event)

    def _key(self, event: QKeyEvent, index: QModelIndex) -> bool:
        """What the mouse does on a cell, by keys; whether it was one of them."""
        column = index.column()
        steps = {Qt.Key.Key_Plus: _STEP, Qt.Key.Key_Minus: -_STEP}
        across = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        if event.key() in across:
            aside = index.siblingAtColumn(column + across[Qt.Key(event.key())])
            if aside.isValid():
                self.selectionModel().setCurrentIndex(aside, self.selectionModel().SelectionFlag.NoUpdate)
                self.viewport().update()
        elif event.key() == Qt.Key.Key_Space and column >= FIRST_MAP and event.modifiers() & _CTRL:
            self.map_asked.emit(column)
        elif event.key() == Qt.Key.Key_Space and column != NAME:
            self.cell_switched.emit(index)
        elif event.key() == Qt.Key.Key_Space:
            layer = self.board_model.layer_of(index)
            if layer is None or not layer.content.holds_layers:
                return False
            self.folded.emit(layer.id)
        elif event.key() in steps and column != NAME:
            strength = self.board_model.strength(index)
            if strength is None:
                return False
            self.strength_set.emit(column, min(max(strength + steps[Qt.Key(event.key())], 0.0), 1.0))
            self.strength_done.emit()
        else:
            return False
        return True


class Board(QWidget):
    """Grid, and the few things one does with whole layers."""

    def __init__(self, matter: Matter) -> None:
        super().__init__()
        self.matter = matter
        self._column = NAME
        self.model = BoardModel(matter)
        self.grid = Grid(self.model)
        self.grid.setAccessibleName(tr("Board: layers and maps"))
        self.heading = Heading(matter, self.grid)
        self.grid.setHeader(self.heading)
        self.grid.setTreePosition(NAME)
        self.heading.setStretchLastSection(False)
        self.heading.setSectionsClickable(True)  # a tree takes that off the heading that it is given
        self.grid.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.grid.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.grid.setTabKeyNavigation(False)
        self.grid.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        # Not InternalMove: that calls every drop a move, whatever key is held.
        self.grid.setDragDropMode(QAbstractItemView.DragDropMode.DragDrop)
        self.grid.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.grid.setDragDropOverwriteMode(False)
        self.grid.setDropIndicatorShown(True)
        self.grid.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.heading.setMinimumSectionSize(20)
        self.heading.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.heading.resizeSection(EYE, 24)
        for column in range(FIRST_MAP, FIRST_MAP + len(MAP_NAMES)):
            self.heading.resizeSection(column, with_text(CELL))
        self.heading.setSectionResizeMode(NAME, QHeaderView.ResizeMode.Stretch)
        self.grid.cell_switched.connect(self._switched)
        self.grid.strength_set.connect(self.model.set_strength)
        self.grid.strength_done.connect(matter.work.end_gesture)
        self.grid.folded.connect(self._fold)
        self.grid.map_asked.connect(self.heading.look_at)
        self.grid.menu_asked.connect(self._show_menu)
        self.grid.selectionModel().selectionChanged.connect(lambda *_: self._rows_chosen())

        column_ = QVBoxLayout(self)
        column_.setContentsMargins(0, 0, 0, 0)
        column_.setSpacing(0)
        column_.addWidget(self.grid, 1)
        self.empty = QLabel(tr("No layers yet: drag a picture onto a view, or add a wash."), objectName="quiet")
        self.empty.setWordWrap(True)
        self.empty.setContentsMargins(10, 6, 10, 6)
        column_.addWidget(self.empty)
        column_.addLayout(self._buttons())
        self._thumbnail_timer = QTimer(self, singleShot=True)
        self._thumbnail_timer.timeout.connect(self._ask_thumbnails)
        matter.work.project_changed.connect(self.refresh)
        matter.selection.changed.connect(self._follow_selection)
        matter.maps.changed.connect(self._maps_changed)
        matter.maps.rested.connect(self._maps_changed)
        matter.looking.changed.connect(self.heading.viewport().update)
        self.refresh()

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(6, 3, 6, 3)
        row.setSpacing(2)
        commands = self.matter.commands
        commands.add("layer.wash", tr("Wash"), partial(add_wash, self.matter), icon_name="wash",
                     tip=tr("Add a wash: values over everything"))  # fmt: skip
        commands.add("layer.group", tr("Group"), partial(group, self.matter), "Ctrl+G", icon_name="folder",
                     tip=tr("Group the selected layers"))  # fmt: skip
        commands.add("layer.duplicate", tr("Duplicate"), self._duplicate, "Ctrl+D", icon_name="duplicate",
                     tip=tr("Duplicate the selected layers"))  # fmt: skip
        commands.add("layer.up", tr("Move up"), partial(self._shift, True), "Alt+Up", icon_name="up")
        commands.add("layer.down", tr("Move down"), partial(self._shift, False), "Alt+Down", icon_name="down")
        commands.add("layer.delete", tr("Delete"), self._delete, "Del", icon_name="delete",
                     tip=tr("Delete the selected layers"))  # fmt: skip
        self.buttons: dict[str, QToolButton] = {"wash": commands.button("layer.wash", text=True)}
        plus = QToolButton(icon=icon("plus"), text=tr("Add"), toolTip=tr("Add another kind of layer"))
        plus.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        plus.setMenu(add_menu(self.matter, self))
        plus.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        plus.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        self.buttons["plus"] = plus
        for name in _ON_LAYERS:
            self.buttons[name] = commands.button(f"layer.{name}")
        for name, button in self.buttons.items():
            button.setIconSize(QSize(17, 17))
            row.addWidget(button)
            if name == "plus":
                row.addStretch(1)
        return row

    def _shift(self, up: bool) -> None:
        self.model.shift(self.matter.selection.chosen, up)

    # --- following the work -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the stack as it is now."""
        self._column = self.grid.currentIndex().column() if self.grid.currentIndex().isValid() else self._column
        moved, changed = self.model.take(self.matter.work.project)
        if moved:
            self.grid.expandAll()
        for group_, open_ in self.model.groups.items():
            self.grid.setExpanded(self.model.index_of(group_), open_)
        self._show_selection()
        if changed:
            self.grid.viewport().update()
        self.empty.setVisible(self.model.rowCount() == 0 and self.matter.work.studio is not None)
        for name in _ON_LAYERS:
            self.matter.commands[f"layer.{name}"].setEnabled(bool(self.matter.selection.chosen))
        self.buttons["plus"].setEnabled(self.matter.work.studio is not None)
        self.matter.commands["layer.wash"].setEnabled(self.matter.work.studio is not None)
        self._thumbnail_timer.start(_THUMBNAILS)

    def _show_selection(self) -> None:
        """Select the rows of the layers that are selected."""
        selection = self.grid.selectionModel()
        flags = selection.SelectionFlag
        now = self.model.index_of(self.matter.selection.selected, self._column)
        with QSignalBlocker(selection):
            if now.isValid():
                selection.setCurrentIndex(now, flags.NoUpdate)
            selection.clearSelection()
            for layer in self.matter.selection.chosen:
                if (row := self.model.index_of(layer)).isValid():
                    selection.select(row, flags.Select | flags.Rows)

    def _follow_selection(self) -> None:
        self._show_selection()
        self.grid.viewport().update()

    def _maps_changed(self) -> None:
        wait = _THUMBNAILS if self.matter.maps.settled else _THUMBNAILS_MEANWHILE
        if not self._thumbnail_timer.isActive() or self._thumbnail_timer.remainingTime() > wait:
            self._thumbnail_timer.start(wait)

    def _draw_thumbnails(self) -> Callable[[], dict[str, U8]] | None:
        """What draws the headings' pictures from the maps as they are now."""
        levels, studio = self.matter.maps.levels, self.matter.work.studio
        if levels is None or studio is None:
            return None
        keys = list(studio.surface.keys)
        return lambda: {name: map_thumbnail(levels, keys, name, THUMB * 2) for name in MAP_NAMES}

    def refresh_thumbnails(self) -> None:
        """Show the headings' pictures of the maps as they are now."""
        draw = self._draw_thumbnails()
        self._show_thumbnails({} if draw is None else draw())

    def _ask_thumbnails(self) -> None:
        """The same, drawn beside the window."""
        draw = self._draw_thumbnails()
        if draw is None:
            self._show_thumbnails({})
        else:
            self.matter.answers.ask("pictures of the maps", draw, self._show_thumbnails)

    def _show_thumbnails(self, pixels: dict[str, U8]) -> None:
        self.heading.pixmaps = {name: to_pixmap(one) for name, one in pixels.items()}
        self.heading.viewport().update()

    # --- acting -------------------------------------------------------------------------------------------------

    def _switched(self, index: QModelIndex) -> None:
        layer = self.model.layer_of(index)
        if layer is not None:
            if layer.id not in self.matter.selection.chosen:
                self.matter.selection.select(layer.id)
            self.model.toggle(index)

    def _rows_chosen(self) -> None:
        rows = self.grid.selectionModel().selectedRows()
        chosen = {layer.id for index in rows if (layer := self.model.layer_of(index)) is not None}
        project = self.matter.work.project
        layers = [layer.id for layer in project.walk() if layer.id in chosen] if project is not None else []
        now = self.model.layer_of(self.grid.currentIndex())
        if layers:
            self.matter.selection.select(
                now.id if now is not None and now.id in layers else layers[-1], tuple(layers)
            )

    def _fold(self, layer_id: int) -> None:
        group_ = self.matter.work.studio.project.layer(layer_id) if self.matter.work.studio is not None else None
        if group_ is not None and group_.content.holds_layers:
            self.matter.work.execute(SetGroup(layer_id, folded=not group_.content.folded))

    def _show_menu(self, index: QModelIndex, at: QPoint) -> None:
        layer = self.model.layer_of(index)
        if layer is not None:
            self.menu_of(layer, index.column()).popup(at)

    def menu_of(self, layer: Layer, column: int) -> QMenu:
        """The menu of a cell, or of the layer."""
        if layer.id not in self.matter.selection.chosen:
            self.matter.selection.select(layer.id)
        if column >= FIRST_MAP:
            return cell_menu(self.matter, layer, MAP_NAMES[column - FIRST_MAP], self)
        name = self.model.index_of(layer.id, NAME)
        return layer_menu(self.matter, layer, lambda: self.grid.edit(name), self)

    def _duplicate(self) -> None:
        if self.matter.selection.chosen:
            self.matter.work.execute(DuplicateLayers(self.matter.selection.chosen))

    def _delete(self) -> None:
        if self.matter.selection.chosen:
            self.matter.work.execute(RemoveLayers(self.matter.selection.chosen))
