"""The board's tree: the stack, top first, groups with what they hold × eye, name and maps."""

from __future__ import annotations

import uuid
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from msgspec.structs import replace
from PySide6.QtCore import QAbstractItemModel, QMimeData, QModelIndex, QPersistentModelIndex, Qt

from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.adjustments import MIME, held_of, onto_layers, onto_surface, packed
from lucky_fern.core.project.commands import AddLayer, Command, RenameLayer, SetChannel, SetLayer, Several
from lucky_fern.core.project.document import Channel, Layer, Project
from lucky_fern.core.project.echoes import ECHO, PICTURE, RULE
from lucky_fern.core.project.moves import moved_above, moved_into, shifted
from lucky_fern.core.project.plain import Scope
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.session.adjustments import adjustments_in, put
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.words import tr

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

# What an echo hears that is no map below.
_HEARD = {PICTURE: tr("a picture"), RULE: tr("a rule")}


@dataclass(frozen=True)
class Row:
    """A layer as the board lists it: under which group and where, and whether the groups it lies in are all shown."""

    layer: Layer
    group: int | None
    place: int
    shown: bool
    mask: tuple[bool, bool, bool] | None  # whether its mask is on, is shared, and goes by a rule

    @property
    def look(self) -> tuple[object, ...]:
        """All that is drawn of it."""
        layer = self.layer
        folded = layer.content.folded if layer.content.holds_layers else None
        return (
            layer.id, layer.name, layer.kind, layer.visible, layer.opacity, layer.blend, layer.channels, folded,
            self.shown, self.mask, layer.recipe, layer.content.hears,
        )  # fmt: skip


@guarded
class BoardModel(QAbstractItemModel):
    """The stack as it was when it was last taken over; every change goes back as a command."""

    def __init__(self, matter: Matter) -> None:
        super().__init__()
        self.matter = matter
        self._mark = uuid.uuid4().hex  # of what is dragged from here: a layer's number says nothing in another window
        self._rows: dict[int, Row] = {}
        self._inside: dict[int | None, list[int]] = {None: []}  # what a group holds, topmost first

    def take(self, project: Project | None) -> tuple[bool, bool]:
        """Follow the project; whether there are other rows than before, and whether any looks otherwise."""
        rows: dict[int, Row] = {}
        inside: dict[int | None, list[int]] = {None: []}
        masks = Counter(layer.mask for layer in project.walk()) if project is not None else Counter()

        def walk(layers: tuple[Layer, ...], group: int | None, shown: bool) -> None:
            inside[group] = [layer.id for layer in reversed(layers)]
            for place, layer in enumerate(reversed(layers)):
                mask = None
                if layer.mask is not None and project is not None:
                    own = project.masks[layer.mask]
                    ruled = any(entry.shape.rule is not None for entry in own.entries)
                    mask = (own.on, masks[layer.mask] > 1, ruled)
                rows[layer.id] = Row(layer, group, place, shown, mask)
                if layer.content.holds_layers:
                    walk(layer.children, layer.id, shown and layer.visible)

        if project is not None:
            walk(project.layers, None, True)
        moved = inside != self._inside
        changed = moved or any(self._rows[key].look != row.look for key, row in rows.items())
        if moved:
            self.beginResetModel()
        self._rows, self._inside = rows, inside
        if moved:
            self.endResetModel()
        return moved, changed

    # --- the tree -----------------------------------------------------------------------------------------------

    def index(self, row: int, column: int, parent: Index = QModelIndex()) -> QModelIndex:
        inside = self._inside.get(parent.internalId() if parent.isValid() else None, [])
        if 0 <= row < len(inside) and 0 <= column < self.columnCount():
            return self.createIndex(row, column, inside[row])
        return QModelIndex()

    def parent(self, index: Index) -> QModelIndex:  # type: ignore[override]  # QObject's own takes nothing
        row = self.row_of(index)
        return QModelIndex() if row is None or row.group is None else self.index_of(row.group)

    def rowCount(self, parent: Index = QModelIndex()) -> int:
        return len(self._inside.get(parent.internalId() if parent.isValid() else None, []))

    def columnCount(self, parent: Index = QModelIndex()) -> int:
        return FIRST_MAP + len(MAP_NAMES)

    def index_of(self, layer_id: int | None, column: int = 0) -> QModelIndex:
        """Where a layer is listed; not valid if it is not."""
        row = None if layer_id is None else self._rows.get(layer_id)
        return QModelIndex() if row is None else self.createIndex(row.place, column, row.layer.id)

    def row_of(self, index: Index) -> Row | None:
        return self._rows.get(index.internalId()) if index.isValid() else None

    def layer_of(self, index: Index) -> Layer | None:
        row = self.row_of(index)
        return None if row is None else row.layer

    @property
    def groups(self) -> dict[int, bool]:
        """Whether each group is unfolded."""
        return {
            key: not row.layer.content.folded for key, row in self._rows.items() if row.layer.content.holds_layers
        }

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        layer = self.layer_of(index)
        if layer is None:
            return None
        column = index.column()
        if column == NAME and role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return layer.name
        if role == Qt.ItemDataRole.ToolTipRole or role == Qt.ItemDataRole.AccessibleTextRole:
            if column == EYE:
                return tr("Shown; click to hide") if layer.visible else tr("Hidden; click to show")
            if column == NAME:
                mask = "" if layer.mask is None else tr(", masked")
                came = tr(", recipe {name}", name=layer.recipe) if layer.recipe else ""
                return f"{layer.name}: {layer.kind}, {layer.opacity:.0%}, {layer.blend}{mask}{came}"
            return self._cell_text(layer, MAP_NAMES[column - FIRST_MAP])
        return None

    def _cell_text(self, layer: Layer, name: str) -> str:
        channel = layer.channels.get(name)
        if layer.content.holds_layers:
            state = tr("lets through") if channel is None or channel.on else tr("shuts off")
            strength = 1.0 if channel is None else channel.opacity
            return f"{layer.name} {state} {name} at {strength:.0%}"
        if channel is None:
            return tr("{name} gives nothing to {name_2}; click to add it", name=layer.name, name_2=name)
        if layer.content.effect is not None:
            state = "changes" if channel.on else tr("would change, but is switched off,")
            return f"{layer.name} {state} {name} at {channel.opacity:.0%}"
        if layer.content.hears is not None:
            source = _HEARD.get(layer.content.hears, layer.content.hears)
            return tr("{name} turns {source} into {to} at {opacity:.0%}", name=layer.name,
                      source=source, to=name, opacity=channel.opacity)  # fmt: skip
        state = "gives" if channel.on else tr("would give, but is switched off,")
        what = tr("its picture") if channel.pictured else str(channel.source)
        blend = "" if layer.blend_on(channel) == "normal" else f", {layer.blend_on(channel)}"
        return tr(
            "{name} {state} {what} to {name_2} at {opacity:.0%}{blend}",
            name=layer.name,
            state=state,
            what=what,
            name_2=name,
            opacity=channel.opacity,
            blend=blend,
        )

    def flags(self, index: Index) -> Qt.ItemFlag:
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        if not index.isValid():
            return flags | Qt.ItemFlag.ItemIsDropEnabled
        layer = self.layer_of(index)
        if layer is not None:
            flags |= Qt.ItemFlag.ItemIsDropEnabled
        if index.column() == NAME:
            flags |= Qt.ItemFlag.ItemIsEditable | Qt.ItemFlag.ItemIsDragEnabled
        return flags

    def setData(self, index: Index, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        layer = self.layer_of(index)
        if layer is None or role != Qt.ItemDataRole.EditRole or index.column() != NAME or value == layer.name:
            return False
        return self.matter.work.execute(RenameLayer(layer.id, str(value)))

    # --- cells ------------------------------------------------------------------------------------------------

    def toggle(self, index: Index) -> None:
        """Click on a cell: show or hide the selected layers, or switch what they give to a map."""
        layer, column = self.layer_of(index), index.column()
        if layer is None or column == NAME:
            return
        self.matter.work.end_gesture()
        if column == EYE:
            self.matter.selection.execute_each(lambda each: SetLayer(each.id, visible=not layer.visible))
            return
        name = MAP_NAMES[column - FIRST_MAP]
        channel = layer.channels.get(name)
        on = not channel.on if channel is not None else not layer.content.holds_layers
        if name == "normal" and channel is None and layer.content.everywhere:
            self.matter.work.said.emit(
                tr("A wash takes normals from a picture: choose one under the board, by the map's name."), False
            )
            self.matter.selection.execute_each(lambda each: self._normal_picture(each))
            return
        self.matter.selection.execute_each(lambda each: self._switched(each, name, on))

    def _normal_picture(self, layer: Layer) -> Command | None:
        """The kit's first normal map on a wash's normals, to be changed under the board."""
        project = self.matter.work.project
        if project is None or not layer.content.everywhere or "normal" in layer.channels:
            return None
        known = [*project.sequences, *project.pictures]
        named = [name for name in known if "normal" in name.lower()] or known
        return SetChannel(layer.id, "normal", Channel("picture", picture=named[0])) if named else None

    def _switched(self, layer: Layer, name: str, on: bool) -> Command | None:
        channel = layer.channels.get(name)
        if channel is not None:
            return None if channel.on == on else SetChannel(layer.id, name, replace(channel, on=on))
        if layer.content.holds_layers:
            return None if on else SetChannel(layer.id, name, Channel(on=False))
        return SetChannel(layer.id, name, self.fresh_channel(layer, name)) if on else None

    @staticmethod
    def fresh_channel(layer: Layer, name: str) -> Channel:
        """What a layer gives to a map that it gave nothing to so far."""
        if not layer.content.own_pixels:
            return Channel()
        if layer.content.painted is not None:
            return Channel("painted")
        if layer.content.hears is not None:
            return Channel(ECHO)
        if layer.content.place is not None and name in ("colour", "emissive", "normal"):
            return Channel("picture")
        own = next((channel.picture for channel in layer.channels.values() if channel.picture), None)
        if layer.content.everywhere and layer.content.by == "tiles" and own is not None:
            return Channel("picture", picture=own)
        return Channel(STARTING[name])

    def set_strength(self, column: int, strength: float) -> None:
        """Drag on a cell: how strongly the selected layers give to a map; on the eye, how strongly at all."""
        strength = round(min(max(strength, 0.0), 1.0), 3)
        if column == EYE:
            self.matter.selection.execute_each(lambda each: SetLayer(each.id, opacity=strength), merge=True)
            return
        name = MAP_NAMES[column - FIRST_MAP]

        def make(layer: Layer) -> Command | None:
            channel = layer.channels.get(name)
            if channel is None and layer.content.holds_layers:
                channel = Channel()
            return None if channel is None else SetChannel(layer.id, name, replace(channel, opacity=strength))

        self.matter.selection.execute_each(make, merge=True)

    def strength(self, index: Index) -> float | None:
        """What a drag on a cell starts from; None where there is nothing to drag."""
        layer, column = self.layer_of(index), index.column()
        if layer is None or column == NAME:
            return None
        if column == EYE:
            return layer.opacity
        channel = layer.channels.get(MAP_NAMES[column - FIRST_MAP])
        if channel is None:
            return 1.0 if layer.content.holds_layers else None
        return channel.opacity

    # --- drag to reorder ------------------------------------------------------------------------------------

    def supportedDropActions(self) -> Qt.DropAction:
        return Qt.DropAction.MoveAction | Qt.DropAction.CopyAction

    def canDropMimeData(self, data: QMimeData, action: Qt.DropAction, row: int, column: int, parent: Index) -> bool:
        onto = self.layer_of(parent)
        if action == Qt.DropAction.CopyAction or not self._dragged(data):
            return data.hasFormat(MIME)  # copies of adjustments are put onto any layer, else on top
        if onto is not None and not onto.content.holds_layers:
            return False  # only groups are moved into
        return super().canDropMimeData(data, action, row, column, parent)

    def mimeTypes(self) -> list[str]:
        return [LAYER_MIME, MIME]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        mime, project = QMimeData(), self.matter.work.project
        layers = dict.fromkeys(layer.id for index in indexes if (layer := self.layer_of(index)) is not None)
        if layers:
            mime.setData(LAYER_MIME, " ".join([self._mark, *map(str, layers)]).encode())
            held = held_of(tuple(one for one in project.walk() if one.id in layers)) if project is not None else ()
            if held:
                mime.setData(MIME, packed(held))
        return mime

    def _dragged(self, data: QMimeData) -> tuple[int, ...]:
        """The layers (ids) of this window that a drag holds."""
        window, *layers = bytes(data.data(LAYER_MIME).data()).decode().split() or [""]
        return tuple(map(int, layers)) if window == self._mark else ()

    def dropMimeData(self, data: QMimeData, action: Qt.DropAction, row: int, column: int, parent: Index) -> bool:
        layers, onto = self._dragged(data), self.layer_of(parent)
        if action == Qt.DropAction.CopyAction or not layers:
            return put(self.matter.work, self._copies(adjustments_in(data), row, parent))
        if row < 0 and onto is not None:
            return self.move_into(layers, onto)
        return self.move_above(layers, self.rowCount(parent) if row < 0 else row, parent)

    def _copies(self, held: tuple[AddLayer, ...], row: int, parent: Index) -> Several | None:
        """Adjustments onto the layer that they were dropped on, into the gap above a row, or on top of all."""
        onto, project = self.layer_of(parent), self.matter.work.project
        if project is None:
            return None
        if row < 0 and onto is not None:
            return onto_layers(project, held, (onto,))
        inside = self._inside[None if onto is None else onto.id]
        if row < 0 or not inside:
            return onto_surface(project, held, Scope())
        return onto_layers(project, held, (self._rows[inside[min(row, len(inside) - 1)]].layer,), into=False)

    def move_into(self, layers: tuple[int, ...], group: Layer) -> bool:
        """Put layers on top of what a group holds."""
        command = moved_into(group, layers)
        return command is not None and self.matter.work.execute(command)

    def move_above(self, layers: tuple[int, ...], target: int, parent: Index = QModelIndex()) -> bool:
        """Put layers into the gap above a row of what ``parent`` holds (rows as they are before the move)."""
        project = self.matter.work.project
        if project is None:
            return False
        group = self.layer_of(parent)
        inside = self._inside[None if group is None else group.id]
        below = next((layer for layer in inside[target:] if layer not in layers), None)
        return self.matter.work.execute(moved_above(project, layers, below, None if group is None else group.id))

    def shift(self, layers: tuple[int, ...], up: bool) -> bool:
        """Move layers one step among their neighbours, or out of their group at its end."""
        project = self.matter.work.project
        command = None if project is None else shifted(project, layers, up)
        return command is not None and self.matter.work.execute(command)
