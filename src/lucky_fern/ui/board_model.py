"""The board's table: layers (top of the stack first) × eye, name and maps."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QAbstractTableModel, QMimeData, QModelIndex, QPersistentModelIndex, Qt

from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import MoveLayer, RenameLayer, SetChannel, SetLayer
from lucky_fern.core.project.document import Channel, Decal, Layer
from lucky_fern.ui.desk import Desk

EYE, NAME, FIRST_MAP = 0, 1, 2
MAP_NAMES = tuple(MAPS)
LAYER_MIME = "application/x-lucky-fern-layer"
STARTING: dict[str, str | float] = {
    "metallic": 0.0,
    "roughness": 0.5,
    "height": 0.6,
    "occlusion": 1.0,
    "opacity": 1.0,
    "emissive": "#ffd98a",
    "colour": "#8fa3ad",
}
Index = QModelIndex | QPersistentModelIndex


class BoardModel(QAbstractTableModel):
    """Reads the project through the desk; every change goes back as a command."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk

    def layers(self) -> list[Layer]:
        project = self.desk.project
        return list(reversed(project.layers)) if project is not None else []

    def rowCount(self, parent: Index = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.layers())

    def columnCount(self, parent: Index = QModelIndex()) -> int:
        return FIRST_MAP + len(MAP_NAMES)

    def layer_at(self, row: int) -> Layer | None:
        layers = self.layers()
        return layers[row] if 0 <= row < len(layers) else None

    def row_of(self, layer_id: int | None) -> int:
        return next((row for row, layer in enumerate(self.layers()) if layer.id == layer_id), -1)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        layer = self.layer_at(index.row())
        if layer is None:
            return None
        column = index.column()
        if column == NAME and role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return layer.name
        if role == Qt.ItemDataRole.ToolTipRole or role == Qt.ItemDataRole.AccessibleTextRole:
            if column == EYE:
                return "Shown; click to hide" if layer.visible else "Hidden; click to show"
            if column == NAME:
                return f"{layer.name}: {layer.content.__class__.__name__.lower()}, {layer.opacity:.0%}"
            return self._cell_text(layer, MAP_NAMES[column - FIRST_MAP])
        return None

    def _cell_text(self, layer: Layer, name: str) -> str:
        channel = layer.channels.get(name)
        if channel is None:
            return f"{layer.name} gives nothing to {name}; click to add it"
        state = "gives" if channel.on else "would give, but is switched off,"
        what = "its picture" if channel.source == "picture" else str(channel.source)
        return f"{layer.name} {state} {what} to {name} at {channel.opacity:.0%}"

    def flags(self, index: Index) -> Qt.ItemFlag:
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        if not index.isValid():
            return flags | Qt.ItemFlag.ItemIsDropEnabled
        if index.column() == NAME:
            flags |= Qt.ItemFlag.ItemIsEditable | Qt.ItemFlag.ItemIsDragEnabled
        return flags

    def setData(self, index: Index, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        layer = self.layer_at(index.row())
        if layer is None or role != Qt.ItemDataRole.EditRole or index.column() != NAME or value == layer.name:
            return False
        return self.desk.execute(RenameLayer(layer.id, str(value)))

    def toggle(self, row: int, column: int) -> None:
        """Click on a cell: show or hide the layer, or switch what it gives to a map."""
        layer = self.layer_at(row)
        if layer is None or column == NAME:
            return
        if column == EYE:
            self.desk.execute(SetLayer(layer.id, visible=not layer.visible))
            return
        name = MAP_NAMES[column - FIRST_MAP]
        channel = layer.channels.get(name)
        if channel is not None:
            new = Channel(channel.source, not channel.on, channel.opacity, channel.blend, channel.picture)
        elif isinstance(layer.content, Decal):
            new = Channel("picture" if name in ("colour", "emissive", "normal") else STARTING[name])
        elif name == "normal":
            self.desk.said.emit(
                "A wash takes normals from a picture, which the board cannot choose yet; a job file can.",
                False,
            )
            return
        else:
            new = Channel(STARTING[name])
        self.desk.end_gesture()
        self.desk.execute(SetChannel(layer.id, name, new))

    # --- drag to reorder ------------------------------------------------------------------------------------

    def supportedDropActions(self) -> Qt.DropAction:
        return Qt.DropAction.MoveAction

    def mimeTypes(self) -> list[str]:
        return [LAYER_MIME]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        mime = QMimeData()
        layer = self.layer_at(indexes[0].row()) if indexes else None
        if layer is not None:
            mime.setData(LAYER_MIME, str(layer.id).encode())
        return mime

    def dropMimeData(self, data: QMimeData, action: Qt.DropAction, row: int, column: int, parent: Index) -> bool:
        if not data.hasFormat(LAYER_MIME):
            return False
        layer_id = int(bytes(data.data(LAYER_MIME).data()))
        target = row if row >= 0 else (parent.row() if parent.isValid() else self.rowCount())
        return self.move_to_row(layer_id, target)

    def move_to_row(self, layer_id: int, target: int) -> bool:
        """Put a layer in front of the row ``target`` (rows as they are before the move)."""
        row = self.row_of(layer_id)
        if row < 0 or target in (row, row + 1):
            return False
        new_row = target - 1 if target > row else target
        return self.desk.execute(MoveLayer(layer_id, self.rowCount() - 1 - new_row))
