"""What comes in with a model and what goes out: newer versions, its pictures and colours, guides, model files."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QListWidget

from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.exporting.model_files import SUFFIXES as WRITTEN
from lucky_fern.core.exporting.model_files import model_files
from lucky_fern.core.exporting.png import encode_png
from lucky_fern.core.exporting.vertex_colours import vertex_colours
from lucky_fern.core.files import WholeFiles
from lucky_fern.core.incoming import Replacement, point_at, prepare_replacement
from lucky_fern.core.layout.guide import GuideLook, draw_guide, guide_svg
from lucky_fern.core.model.load import SUFFIXES
from lucky_fern.core.model.subdivide import subdivided
from lucky_fern.core.pictures.picture import SUFFIXES as PICTURES
from lucky_fern.core.project.commands import AddLayer, free_name
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.project.plain import Scope
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.widgets import asking
from lucky_fern.ui.widgets.page import Page, button, choice, number, whole
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import counted, tr

_FILLS = ((tr("part colours"), "parts"), (tr("islands"), "islands"), (tr("nothing"), "none"))
_GUIDE_SIZES = (512, 1024, 2048, 4096, 8192)


class FilesPage(Page):
    """Everything here works beside the window."""

    open_asked = Signal()

    def __init__(self, work: Work, errands: Errands) -> None:
        super().__init__()
        self.work, self.errands = work, errands
        self.heading(tr("Another model"))
        self.row(
            button(tr("Replace by a newer version …"), tr("Paint stays by UV, decals by pose"), self.replace),
            button(tr("New from another …"), tr("A project of its own"), self.open_asked.emit),
        )  # fmt: skip
        self.report = self.note()
        self._add_brought()
        self._add_guide()
        self._add_model()
        self.column.addStretch(1)
        work.studio_changed.connect(lambda: self.report.setText(""))
        work.studio_changed.connect(self.follow)
        work.project_changed.connect(self.follow)

    # --- what came in -----------------------------------------------------------------------------------------

    def _add_brought(self) -> None:
        self.heading(tr("What the model brings"))
        self.brought = self.note()
        self.missing = QListWidget()
        self.missing.setAccessibleName(tr("Pictures that the model names and that are missing"))
        self.missing.setFixedHeight(with_text(66))
        self.column.addWidget(self.missing)
        self.point = button(
            tr("Point at the picture …"), tr("Show where the chosen picture is"), self.point_at_picture
        )
        self.row(self.point)
        self.colours = button(
            tr("Wash with the materials' colours"), tr("One wash a material"), self._material_washes
        )
        self.vertex = button(
            tr("Wash with the vertex colours"), tr("The colours of the model's points"), self._vertex_wash
        )
        self.row(self.colours, self.vertex)

    def _material_washes(self) -> None:
        """One wash for each material to which the model's file gives a colour."""
        studio = self.work.studio
        for name, colour in studio.model.colours.items() if studio is not None else ():
            self.work.execute(AddLayer(name, Wash(), {"colour": Channel(colour)}, scope=Scope(materials=(name,))))

    def point_at_picture(self) -> None:
        """Ask where a missing picture is, and bring it in."""
        row, studio = max(self.missing.currentRow(), 0), self.work.studio
        if studio is None or row >= len(self.work.missing):
            return
        texture = self.work.missing[row]
        path = asking.open_file(
            self, tr("Where is {file}?", file=texture.file), asking.kinds(tr("Pictures"), PICTURES)
        )
        if path is None:
            return
        try:
            point_at(studio, texture, path)
        except LuckyFernError as error:
            self.work.said.emit(str(error), True)
            return
        # One file may be named for several materials and maps: all of them get it.
        for other in [one for one in self.work.missing if one.file == texture.file and one is not texture]:
            point_at(studio, other, path)
        self.work.missing = [one for one in self.work.missing if one.file != texture.file]
        self.work.refresh()

    def _vertex_wash(self) -> None:
        if self.work.project is not None:
            name = free_name(self.work.project, "Vertex colours")
            self.work.execute(AddLayer(name, Wash(), {"colour": Channel("vertices")}))

    def replace(self) -> None:
        """Ask for a newer version of the model and put it in place."""
        path = asking.open_file(self, tr("A newer version of the model"), asking.kinds(tr("Models"), SUFFIXES))
        if path is not None:
            self.replace_by(path)

    def replace_by(self, path: Path) -> None:
        """Put a newer version in place and tell what moved."""
        studio = self.work.studio
        if studio is None:
            return

        def arrive(made: Replacement) -> None:
            if studio is self.work.studio and self.work.execute(made.command):
                self.report.setText("\n".join(f"{note[:1].upper()}{note[1:]}." for note in made.notes))
                self.work.said.emit(
                    tr("{name} is in place. {capitalize}.", name=path.name, capitalize=made.notes[0].capitalize()),
                    False,
                )

        self.errands.send(tr("Reading {name} …", name=path.name), lambda: prepare_replacement(studio, path), arrive)

    # --- what goes out ----------------------------------------------------------------------------------------

    def _add_guide(self) -> None:
        self.heading(tr("Guide of a sheet"), tr("For drawing elsewhere; it can never get into exported maps"))
        self.sheet = choice(tr("Sheet of the guide"), [])
        self.pixels = choice(tr("Width of the guide in pixels"), [(str(size), size) for size in _GUIDE_SIZES])
        self.pixels.setCurrentIndex(2)
        self.line = number(tr("Width of its lines in pixels"), 0.2, 64, 1.5, 1)
        self.line.setFixedWidth(with_text(50))
        self.row(self.sheet, self.pixels, tr("pixels, lines"), self.line)
        self.fill = choice(tr("What islands are filled with"), _FILLS)
        self.boxes: dict[str, QCheckBox] = {}
        for name, title, on in (
            ("wires", tr("wires"), True),
            ("numbers", tr("numbers"), True),
            ("transparent", tr("transparent"), True),
        ):
            self.boxes[name] = QCheckBox(title, checked=on)
        self.row(tr("filled with"), self.fill, *self.boxes.values())
        self.row(button(tr("Save guide (PNG or SVG) …"), tr("A picture of the layout"), self.save_guide))

    def guide_look(self) -> GuideLook:
        """The look that is set."""
        on: dict[str, Any] = {name: box.isChecked() for name, box in self.boxes.items()}
        return replace(
            GuideLook(**on), size=self.pixels.currentData(), line=self.line.value(), fill=self.fill.currentData()
        )

    def save_guide(self) -> None:
        studio, key = self.work.studio, self.sheet.currentData()
        if studio is None or key is None:
            self.work.said.emit(tr("There is no sheet to draw a guide of: the model has no UVs."), True)
            return
        start = f"{studio.project.name} {key.material} {key.tile} guide.png".replace("/", "-")
        path = asking.save_file(
            self, tr("Save the guide"), start, tr("PNG pictures (*.png);;SVG drawings (*.svg)"), ".png"
        )
        if path is None:
            return
        look, surface = self.guide_look(), studio.surface
        size = studio.project.size_of(key).as_long_as(look.size)
        if path.suffix.lower() not in (".png", ".svg"):
            path = path.with_name(path.name + ".png")

        def work() -> dict[Path, bytes]:
            if path.suffix.lower() == ".svg":
                return {path: guide_svg(surface, key, look, size).encode()}
            return {path: encode_png(draw_guide(surface, key, look, size))}

        self._write(tr("Drawing {name} …", name=path.name), work)

    def _add_model(self) -> None:
        self.heading(tr("The model itself"), tr("With its UVs, materials and parts as they are now"))
        self.with_colours = QCheckBox(tr("with the colour as vertex colours (GLB, PLY)"))
        self.finer = whole(tr("How often the copy is subdivided"), 0, 4, 0)
        self.finer.setFixedWidth(with_text(44))
        self.row(self.with_colours, tr("subdivided"), self.finer, "×")
        self.row(button(tr("Save model (OBJ, GLB or PLY) …"), tr("For the game or another program"), self.save_model))

    def save_model(self) -> None:
        studio = self.work.studio
        if studio is None:
            return
        start = tr("{stem} laid out.glb", stem=Path(studio.model.name).stem)
        path = asking.save_file(self, tr("Save the model"), start, asking.kinds(tr("Models"), WRITTEN), ".glb")
        if path is None:
            return
        steps, colours_too = self.finer.value(), self.with_colours.isChecked()
        if path.suffix.lower() not in WRITTEN:
            path = path.with_name(path.name + ".glb")
        if colours_too and path.suffix.lower() == ".obj":
            self.work.said.emit(tr("OBJ carries no colours of points; save it as GLB or PLY."), True)
            return
        if studio.model.triangle_count * 4**steps > 8_000_000:
            self.work.said.emit(tr("That copy would have more than 8 million triangles; subdivide less."), True)
            return
        project, sources, told = studio.project, studio.sources, []

        def work() -> dict[Path, bytes]:
            model, colours = subdivided(sources.surface.model, steps), None
            if colours_too:
                found = vertex_colours(sources, project, model if steps else None)
                colours = found.colours
                told.extend([found.warning] if found.warning else [])
            return {path.with_name(one): data for one, data in model_files(model, path.name, colours).items()}

        self._write(tr("Writing {name} …", name=path.name), work, told)

    def _write(self, title: str, work: Callable[[], dict[Path, bytes]], told: list[str] | None = None) -> None:
        """Make files beside the window and write them whole, or none."""

        def make() -> list[Path]:
            with WholeFiles() as files:
                for path, data in work().items():
                    files.write(path, data)
                return files.publish()

        def arrive(paths: list[Path]) -> None:
            notes = [f"{note[:1].upper()}{note[1:]}" for note in told or ()]
            self.work.said.emit(" ".join([tr("Wrote {map}.", map=", ".join(map(str, paths))), *notes]), bool(notes))

        self.errands.send(title, make, arrive)

    # --- following --------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        studio = self.work.studio
        if studio is None:
            return
        model = studio.model
        keys = list(studio.surface.keys)
        if [self.sheet.itemData(row) for row in range(self.sheet.count())] != keys:
            self.sheet.clear()
            for key in keys:
                self.sheet.addItem(str(key), key)
        names = [
            tr("{file} ({map} of {material})", file=one.file, map=one.map, material=one.material)
            for one in self.work.missing
        ]
        if [self.missing.item(row).text() for row in range(self.missing.count())] != names:
            self.missing.clear()
            self.missing.addItems(names)
        self.missing.setVisible(bool(names))
        self.point.setVisible(bool(names))
        self.colours.setVisible(bool(model.colours))
        self.vertex.setVisible(model.corner_colours is not None)
        self.brought.setText(self._brought(bool(names)))

    def _brought(self, missing: bool) -> str:
        studio = self.work.studio
        assert studio is not None
        if missing:
            return tr("These pictures, which the model's materials name, were not found beside it:")
        count = len(studio.model.textures)
        if count:
            return tr(
                "Its materials name {pictures}; they became the first washes.", pictures=counted(count, "picture")
            )
        if studio.model.colours or studio.model.corner_colours is not None:
            return tr("Its materials name no pictures; it has colours that can be the start.")
        return tr("Its materials name no pictures and no colours.")
