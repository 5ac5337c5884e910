"""Laying out: flatten, unroll and unwrap faces, and put their islands where they belong."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtWidgets import QButtonGroup, QCheckBox, QToolButton

from lucky_fern.core.arrays import F64, Bool
from lucky_fern.core.layout.flatten import best_cylinder, best_direction
from lucky_fern.core.project.kinds import LayoutEdit
from lucky_fern.core.project.layouts import (
    Align,
    AlongAxis,
    AsBox,
    Distribute,
    EvenDensity,
    FitRectangle,
    FlipV,
    Inside,
    Pack,
    Proportions,
    RoundAxis,
    SendTo,
    Snap,
    StackTwins,
    Transform,
    Unstack,
    Unwrap,
)
from lucky_fern.core.project.places import place_height
from lucky_fern.core.udim import corner_of
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.stations.model.texel_part import TexelPart
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.tools.fitting import Fitting
from lucky_fern.ui.tools.laying import Laying
from lucky_fern.ui.tools.texel_area import TexelArea
from lucky_fern.ui.widgets.page import Page, button, choice, number, whole
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr

if TYPE_CHECKING:
    from lucky_fern.ui.views.model_view import ModelView
    from lucky_fern.ui.views.sheet_view import SheetView

_AXES = {"+X": (1, 0, 0), "−X": (-1, 0, 0), "+Y": (0, 1, 0), "−Y": (0, -1, 0), "+Z": (0, 0, 1), "−Z": (0, 0, -1)}
_DEFAULT_PADDING = 8


def axis_name(direction: F64) -> str:
    """A direction in few words: an axis of the model, or its three parts."""
    for name, axis in _AXES.items():
        if float(np.dot(direction, axis)) > 1 - 1e-6:
            return name
    return " ".join(f"{value:+.2f}".replace("-", "−") for value in direction)


class LayoutPage(Page):
    """Every edit is about the selected faces, or about all of them if nothing is selected."""

    def __init__(
        self,
        work: Work,
        selection: Selection,
        faces: Faces,
        laying: Laying,
        fitting: Fitting,
        model_view: ModelView,
        sheet_view: SheetView,
        area: TexelArea,
    ) -> None:
        super().__init__()
        self.work, self.selection, self.faces, self.laying = work, selection, faces, laying
        self.fitting, self.model_view, self.sheet_view = fitting, model_view, sheet_view
        self._proposed: tuple[object, bytes] | None = None
        self.about = self.note()
        self._add_stay()
        self._add_making()
        self._add_place()
        self._add_order()
        self.heading(tr("By whole texels"), tr("For pixel art: drags go by whole texels there"))
        self.by_texels = TexelPart(work, laying, area, self.do)
        self.column.addWidget(self.by_texels)
        self.column.addStretch(1)
        for signal in (faces.changed, faces.tool_changed, fitting.changed, laying.changed, work.project_changed):
            signal.connect(self.follow)

    def do(self, edit: LayoutEdit, everything: bool = False) -> None:
        """Do an edit to what is selected (or to all there is)."""
        studio = self.work.studio
        if studio is not None:
            chosen = np.ones(studio.model.triangle_count, np.bool_) if everything else None
            self.laying.do(edit, chosen)

    # --- putting the page together ----------------------------------------------------------------------------

    def _add_stay(self) -> None:
        """The switch: does paint follow the surface, or stay in UV space."""
        group = QButtonGroup(self)
        self.stay_buttons: dict[bool, QToolButton] = {}
        for stay, text, tip in (
            (True, tr("on the surface"), tr("What is painted and laid moves along with the islands")),
            (False, tr("where it is on the sheet"), tr("The islands move under the paint")),
        ):
            made = QToolButton(text=text, checkable=True, toolTip=tip)
            made.clicked.connect(lambda _=False, stay=stay: self.laying.set_stay(stay))
            group.addButton(made)
            self.stay_buttons[stay] = made
        self.row(tr("Paint stays"), *self.stay_buttons.values())

    def _add_making(self) -> None:
        self.heading(tr("Make anew from the surface"))
        items = [
            (tr("Proposed"), "proposed"),
            *((name, axis) for name, axis in _AXES.items()),
            (tr("As I look"), "look"),
        ]
        self.axis_box = choice(tr("Direction from which faces are flattened"), items)
        self.row(
            button(
                tr("Flatten"), tr("Straight along a direction, with the proportions of the surface"), self._flatten
            ),
            tr("seen from"),
            self.axis_box,
        )
        axes = [(tr("Proposed"), None), ("X", (1, 0, 0)), ("Y", (0, 1, 0)), ("Z", (0, 0, 1))]
        self.round_box = choice(tr("Axis round which faces are unrolled"), axes)
        self.row(
            button(tr("Unroll"), tr("From a cylinder"), lambda: self.do(RoundAxis(self.round_box.currentData()))),
            tr("round"),
            self.round_box,
            button(
                tr("As a box"), tr("Along whichever of the six directions each face looks"), lambda: self.do(AsBox())
            ),
        )
        self.padding = whole(tr("Padding in texels"), 0, 256, _DEFAULT_PADDING, " tx")
        self.row(
            button(tr("Unwrap"), tr("Cut and unwrap automatically"), lambda: self.do(Unwrap(self.padding.value()))),
            button(tr("Real proportions"), tr("Undo what squeezes islands"), lambda: self.do(Proportions())),
            tr("padding"), self.padding,
        )  # fmt: skip
        self.proposal = self.note()

    def _add_place(self) -> None:
        self.heading(tr("Place"), tr("Drag the handles in the sheet view, or type"))
        self.fields = {
            name: number(tr("{title} of the selected islands, in texels", title=title), -1e6, 1e6, 0, 1)
            for name, title in (
                ("left", "Left"),
                ("low", tr("Lower edge")),
                ("width", tr("Width")),
                ("height", tr("Height")),
            )
        }
        for field in self.fields.values():
            field.setFixedWidth(with_text(66))
            field.editingFinished.connect(self._typed)
        self.row(tr("left"), self.fields["left"], tr("low"), self.fields["low"])
        self.row(
            tr("wide"),
            self.fields["width"],
            tr("high"),
            self.fields["height"],
            tr("texels of the sheet, from lower left"),
        )
        self.turn = number(tr("Turn by degrees, counter-clockwise"), -360, 360, 90, 1, "°")
        self.turn.setFixedWidth(with_text(62))
        self.row(
            button(
                tr("Turn"),
                tr("By this angle, counter-clockwise"),
                lambda: self.do(Transform(rotate=self.turn.value())),
            ),
            self.turn,
            button(tr("Flip across"), tr("Mirror left and right"), lambda: self.do(Transform(scale=(-1.0, 1.0)))),
            button(tr("Flip over"), tr("Mirror top and bottom"), lambda: self.do(Transform(scale=(1.0, -1.0)))),
        )
        self.keep = QCheckBox(tr("keep proportions"))
        self.keep.setToolTip(tr("Fit inside the rectangle instead of filling it"))
        self.fit_drawn = button(
            tr("Drawn"), tr("Draw the rectangle on the sheet: the islands go there in one step"), str
        )
        self.fit_drawn.setCheckable(True)
        self.fit_drawn.clicked.connect(self._fit_drawn)
        self.row(
            tr("Fit to"), self.fit_drawn,
            button(tr("Tile"), tr("The whole tile where they lie"), self._fit_tile),
            button(tr("Decal"), tr("The frame of the selected decal, if it is laid flat"), self._fit_decal),
            self.keep,
        )  # fmt: skip
        self.buttons(
            *((text, tip, lambda to=to: self.do(Align(to))) for text, tip, to in (
                ("⇤", tr("Left edges on one line"), "left"), ("↔", tr("Middles on one upright line"), "middle-u"),
                ("⇥", tr("Right edges on one line"), "right"), ("⤒", tr("Upper edges on one line"), "top"),
                ("↕", tr("Middles on one level line"), "middle-v"), ("⤓", tr("Lower edges on one line"), "bottom"),
            )),
            label=tr("Align"),
        )  # fmt: skip
        self.buttons(
            (tr("across"), tr("Equal gaps from left to right"), lambda: self.do(Distribute("u"))),
            (tr("upwards"), tr("Equal gaps from bottom to top"), lambda: self.do(Distribute("v"))),
            label=tr("Spread"),
        )
        self.snap_box = choice(
            tr("What dragged islands snap to"),
            [
                (tr("nothing"), None),
                (tr("texels"), "texels"),
                (tr("tile border"), "tile"),
                (tr("other islands"), "islands"),
            ],
        )
        self.snap_box.activated.connect(self._set_snap)
        self.row(
            tr("Drags snap to"),
            self.snap_box,
            button(tr("Snap now"), tr("What is selected, as it lies"), self._snap_now),
        )

    def _add_order(self) -> None:
        self.heading(tr("Bring into order"))
        self.turning = QCheckBox(tr("may turn"))
        self.turning.setToolTip(tr("Packing may turn islands by a quarter"))
        self.row(
            button(
                tr("Pack"), tr("As large as they go, apart by the padding, on the tile where they lie"), self._pack
            ),
            self.turning,
            button(
                tr("Same density"), tr("As many texels a unit as the whole model has"), lambda: self.do(EvenDensity())
            ),
        )
        self.buttons(
            (
                tr("Move apart"),
                tr("Islands off those they overlap; twins stay"),
                lambda: self.do(self._unstack(False)),
            ),
            (tr("Twins too"), tr("Twins off each other as well"), lambda: self.do(self._unstack(True))),
            (
                tr("Stack twins"),
                tr("Islands of one shape onto each other, on purpose"),
                lambda: self.do(StackTwins()),
            ),
        )
        self.tile = whole(tr("Tile to send islands to"), 1001, 9999, 1001)
        self.row(
            button(tr("Send to tile"), tr("The same place on it"), lambda: self.do(SendTo(self.tile.value()))),
            self.tile,
            button(tr("Onto one tile"), tr("Islands that cross a border or lie outside"), lambda: self.do(Inside())),
        )
        self.buttons(
            (tr("Turn v over, all of it"), tr("For a model from a program that counts v downwards"), self._flip_all),
        )

    # --- what is more than one edit ---------------------------------------------------------------------------

    def _flatten(self) -> None:
        asked = self.axis_box.currentData()
        if asked == "proposed":
            self.do(AlongAxis())
        elif asked == "look":
            _, up, back = self.model_view.camera.axes
            self.do(AlongAxis(_tuple(back), _tuple(up)))
        else:
            self.do(AlongAxis(_tuple(np.array(asked, np.float64))))

    def _pack(self) -> None:
        self.do(Pack(self.padding.value(), self.turning.isChecked()))

    def _unstack(self, twins: bool) -> Unstack:
        return Unstack(twins, self.padding.value())

    def _flip_all(self) -> None:
        self.do(FlipV(), everything=True)

    def _set_snap(self) -> None:
        self.laying.snap = self.snap_box.currentData()

    def _snap_now(self) -> None:
        to = self.snap_box.currentData()
        self.do(Snap(to if to is not None else "texels"))

    def _fit_drawn(self, on: bool) -> None:
        self.fitting.arm(on, self.keep.isChecked())

    def _fit_tile(self) -> None:
        rows = self._rows()
        if rows is not None and self.work.studio is not None:
            low = np.floor(self.work.studio.model.uv[rows].mean(axis=(0, 1)))
            self.do(FitRectangle(_pair(low), _pair(low + 1), self.keep.isChecked()))

    def _fit_decal(self) -> None:
        layer, project = self.selection.layer, self.work.project
        place = None if layer is None else layer.content.place
        if project is None or layer is None or place is None or place.on_surface:
            self.work.said.emit(tr("Select a decal that is laid flat: the islands go into its frame."), True)
            return
        half = np.array([place.width, place_height(place, project.picture_size(layer.content.picture))]) / 2
        middle = np.array(place.centre) + corner_of(place.tile)
        self.do(FitRectangle(_pair(middle - half), _pair(middle + half), self.keep.isChecked()))

    def _rows(self) -> Bool | None:
        """(T,) bool, the islands that an edit would move."""
        studio = self.work.studio
        if studio is None:
            return None
        faces, islands = self.faces, studio.model.islands
        rows: Bool = islands >= 0
        if faces.any:
            rows &= np.isin(islands, np.unique(islands[faces.chosen]))
        return rows if rows.any() else None

    def _box(self) -> tuple[F64, F64] | None:
        """(2, 2) the box of those islands in UV space, and the width and height of their sheet."""
        rows, studio = self._rows(), self.work.studio
        if rows is None or studio is None:
            return None
        first = int(studio.surface.sheet_of_triangle[rows].max())
        size = studio.project.size_of(studio.surface.keys[first]) if first >= 0 else studio.project.sheet_size
        uv = studio.model.uv[rows]
        return np.stack([uv.min(axis=(0, 1)), uv.max(axis=(0, 1))]), np.array([size.width, size.height])

    def _typed(self) -> None:
        """A value was typed: the islands get that box."""
        found = self._box()
        if found is None:
            return
        box, size = found
        tile = np.floor(box.mean(axis=0))
        asked = {name: field.value() for name, field in self.fields.items()}
        low = tile + np.array([asked["left"], asked["low"]]) / size
        high = low + np.array([asked["width"], asked["height"]]) / size
        if (np.abs(np.stack([low, high]) - box) * size < 0.06).all() or not (high > low).all():
            return
        self.do(FitRectangle(_pair(low), _pair(high)))

    # --- following --------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        for stay, made in self.stay_buttons.items():
            made.setChecked(self.laying.stay is stay)
        self.by_texels.refresh()
        if self.work.studio is None:
            return
        faces = self.faces
        self.about.setText(
            tr("About the {sum} selected triangles, and the islands they are on.", sum=int(faces.chosen.sum()))
            if faces.any
            else tr("About the whole model, as nothing is selected.")
        )
        found = self._box()
        for field in self.fields.values():
            field.setEnabled(found is not None)
        if found is not None:
            box, size = found
            local = (box - np.floor(box.mean(axis=0))) * size
            values = {
                "left": local[0, 0],
                "low": local[0, 1],
                "width": np.ptp(local[:, 0]),
                "height": np.ptp(local[:, 1]),
            }
            for name, value in values.items():
                if not self.fields[name].hasFocus():
                    self.fields[name].setValue(float(value))
        self.fit_drawn.setChecked(self.fitting.armed)
        self._propose()

    def _propose(self) -> None:
        """Say which axes the normals of what is selected speak for."""
        studio, faces = self.work.studio, self.faces
        assert studio is not None
        key = (studio.model.positions, faces.chosen.tobytes())
        if self._proposed is not None and self._proposed[0] is key[0] and self._proposed[1] == key[1]:
            return
        self._proposed = key
        corners = studio.model.corners[faces.chosen] if faces.any else studio.model.corners
        flat, round_ = best_direction(corners), best_cylinder(corners)[0]
        self.proposal.setText(
            tr(
                "Their normals speak for {axis_name} to flatten, for {axis_name_2} to unroll.",
                axis_name=axis_name(flat),
                axis_name_2=axis_name(round_),
            )
        )
        self.axis_box.setItemText(0, tr("Proposed: {axis_name}", axis_name=axis_name(flat)))
        self.round_box.setItemText(0, tr("Proposed: {axis_name}", axis_name=axis_name(round_)))


def _pair(values: F64) -> tuple[float, float]:
    return float(values[0]), float(values[1])


def _tuple(values: F64) -> tuple[float, float, float]:
    return float(values[0]), float(values[1]), float(values[2])
