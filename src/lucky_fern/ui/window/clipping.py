"""Copying and pasting: layers between projects, pictures from and to other programs."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QMimeData
from PySide6.QtGui import QGuiApplication, QImage, QKeySequence

from lucky_fern.core.bundles import MIME, bundle_of, take_bundle
from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.core.pictures.picture import read_picture
from lucky_fern.core.project.adjustments import MIME as ADJUSTMENTS
from lucky_fern.core.project.adjustments import onto_layers, onto_surface
from lucky_fern.core.project.commands import TakeLayers
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.tree import outermost
from lucky_fern.core.sheets.picking import sheet_of
from lucky_fern.ui.session.adjustments import adjustments_in, put
from lucky_fern.ui.window.clipboard import as_image, pasted
from lucky_fern.ui.window.parts import Parts
from lucky_fern.words import counted, tr

TEXELS = "application/x-lucky-fern-texels"  # what was copied here is kept here


class Clipping:
    """The commands of the clipboard; ``place`` puts a kit picture where new things go."""

    def __init__(self, parts: Parts, say: Callable[[str, bool], None], place: Callable[[str], object]) -> None:
        self.parts, self.say, self.place = parts, say, place
        add, key = parts.commands.add, QKeySequence.StandardKey
        parts.blocks.copied.connect(self._offer_texels)
        add("edit.copy", tr("Copy layers"), self.copy_layers, key.Copy)
        add("edit.paste", tr("Paste"), self.paste, key.Paste, tip=tr("Layers, or a picture from another program"))
        add("edit.copy-map", tr("Copy this map as a picture"), self.copy_map, "Ctrl+Shift+C",
            tip=tr("The map that is looked at (or colour), of the sheet that was pointed at last"))  # fmt: skip

    def paste(self) -> None:
        """A picture that was copied elsewhere lands as a decal in the middle of the model view."""
        mime = QGuiApplication.clipboard().mimeData()
        if self.parts.blocks.active and not mime.hasFormat(MIME):
            self._paste_texels(mime)
            return
        if mime.hasFormat(MIME):
            self._paste_layers(bytes(mime.data(MIME).data()))
            return
        held, project = adjustments_in(mime), self.parts.work.project
        if mime.hasFormat(ADJUSTMENTS) and not held:
            self.say(tr("What was copied cannot be read here: another version of the program wrote it."), True)
            return
        if held and project is not None:
            chosen = self.parts.selection.chosen
            onto = outermost(project, chosen) if chosen else ()
            edit = onto_layers(project, held, onto) if onto else onto_surface(project, held, Scope())
            put(self.parts.work, edit)
            return
        found = pasted(mime)
        if found is None:
            self.say(tr("There is no picture to paste: copy one in another program first."), True)
        elif isinstance(found, list):
            self.parts.bringing.bring(found, self.place)
        else:
            self.parts.bringing.bring_data(*found, self.place)

    def _paste_texels(self, mime: QMimeData) -> None:
        """While texels are worked on, what was copied is a block: our own, or a picture of another program."""
        blocks = self.parts.blocks
        if blocks.kept is not None and mime.hasFormat(TEXELS):
            blocks.take(blocks.kept)
            return
        found = pasted(mime)
        if found is None:
            self.say(tr("There is no picture to paste: copy one in another program first."), True)
        elif isinstance(found, list):
            blocks.take_file(found[0])
        else:
            data, name = found
            self.parts.errands.send(tr("Pasting …"), lambda: read_picture(data, name).rgba, blocks.take_picture)

    def _offer_texels(self) -> None:
        """Texels that were copied, for this program and, as a picture, for others."""
        block = self.parts.blocks.kept
        if block is None:
            return
        rgba = block.rgba()
        rows, columns, _ = rgba.shape
        mime = QMimeData()
        mime.setData(TEXELS, b"kept")
        mime.setImageData(QImage(rgba.data, columns, rows, columns * 4, QImage.Format.Format_RGBA8888).copy())
        QGuiApplication.clipboard().setMimeData(mime)

    def copy_layers(self) -> None:
        """The selected layers, for this project or one in another window; chosen texels while those are worked on."""
        if self.parts.blocks.active and self.parts.area.any:
            self.parts.blocks.copy()
            return
        studio, chosen = self.parts.work.studio, self.parts.selection.chosen
        if studio is None or not chosen:
            self.say(tr("There is no layer to copy: select it on the board first."), True)
            return

        def hold(data: bytes) -> None:
            mime = QMimeData()
            mime.setData(MIME, data)
            QGuiApplication.clipboard().setMimeData(mime)
            count = len(chosen)
            self.say(tr("Copied {layers}; paste here or in another project.", layers=counted(count, "layer")), False)

        self.parts.errands.send(tr("Copying layers …"), lambda: bundle_of(studio, chosen), hold)

    def _paste_layers(self, data: bytes) -> None:
        studio, above = self.parts.work.studio, self.parts.selection.selected
        if studio is None:
            self.say(tr("Open a project to paste layers into."), True)
            return

        def put(taken: tuple[TakeLayers, list[str]]) -> None:
            if self.parts.work.studio is studio and self.parts.work.execute(taken[0]) and taken[1]:
                self.parts.work.warn(" ".join(taken[1]))

        self.parts.errands.send(tr("Pasting layers …"), lambda: take_bundle(studio, data, above), put)

    def copy_map(self) -> None:
        studio, store, hit = self.parts.work.studio, self.parts.maps.store, self.parts.looking.last_hit
        if studio is None or store is None or not studio.surface.keys:
            return
        key = (None if hit is None else sheet_of(studio.surface, hit)) or studio.surface.keys[0]
        shown = self.parts.looking.shown_map or "colour"
        pixels = store.maps.get(MapKey(key, shown))
        if pixels is None:
            self.say(
                tr("No layer gives anything to {shown} of {key}: there is nothing to copy.", shown=shown, key=key),
                True,
            )
            return
        QGuiApplication.clipboard().setImage(as_image(pixels))
        self.say(
            tr(
                "Copied {shown} of {key}, {shape} × {shape_2}.",
                shown=shown,
                key=key,
                shape=pixels.shape[1],
                shape_2=pixels.shape[0],
            ),
            False,
        )
