"""The Export station's panel: what to write, where, and what was written."""

from __future__ import annotations

import threading
from concurrent.futures import Future
from functools import partial
from pathlib import Path

from PySide6.QtCore import QSignalBlocker, QSize, Signal
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QProgressBar,
    QPushButton,
    QSpinBox,
    QToolButton,
)

from lucky_fern.core import taking
from lucky_fern.core.arrays import U8
from lucky_fern.core.checking.found import told
from lucky_fern.core.errors import Cancelled, LuckyFernError
from lucky_fern.core.exporting.exporter import Exported, export
from lucky_fern.core.exporting.model_files import write_model
from lucky_fern.core.exporting.plans import plan_export
from lucky_fern.core.files import safe_name
from lucky_fern.core.lighting import light_of
from lucky_fern.core.project.commands import SetNumbers
from lucky_fern.core.project.export_setup import DEEP, FORMATS
from lucky_fern.core.project.light import Numbers
from lucky_fern.core.project.presets import PRESETS
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.studio import Studio
from lucky_fern.quay.delivery import Delivery
from lucky_fern.ui.session.beside import beside
from lucky_fern.ui.session.exports import Exports
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.mishaps import LOG
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.stations.export.credit_rows import CreditRows
from lucky_fern.ui.stations.export.own_presets import OwnPresets
from lucky_fern.ui.stations.export.written import Written, looked_at
from lucky_fern.ui.widgets import asking
from lucky_fern.ui.widgets.page import Page, choice, menu_button
from lucky_fern.ui.widgets.quietly import show_check
from lucky_fern.ui.widgets.style import icon, with_text
from lucky_fern.ui.widgets.thumbnails import to_pixmap
from lucky_fern.words import counted, tr

_SIZES = (64, 128, 256, 512, 1024, 2048, 4096, 8192)
_BLOCKS = (
    (tr("what fits"), None),
    (tr("BC7 for colours"), "bc7"),
    (tr("BC6H for glow"), "bc6h"),
    (tr("BC4 for grey"), "bc4"),
)
_ALPHA = (
    (tr("as the preset has it"), None),
    (tr("straight alpha"), "straight"),
    (tr("premultiplied"), "premultiplied"),
    (tr("flattened on"), "flattened"),
    (tr("left out"), "none"),
)
_PADDING = (
    (tr("fill all"), None),
    (tr("4 texels"), 4),
    (tr("8 texels"), 8),
    (tr("16 texels"), 16),
    (tr("32 texels"), 32),
)


class ExportPanel(Page):
    """Writes in the background; the window stays free and the work can be cancelled."""

    _progress = Signal(int, int, str)
    _done = Signal(object, object, float)
    _failed = Signal(str)
    quay_asked = Signal(object)  # a Delivery to be shown in the stand-in game

    def __init__(self, work: Work, looking: Looking, maps: Maps, exports: Exports) -> None:
        super().__init__()
        self.work, self.looking, self.maps, self.exports = work, looking, maps, exports
        self._cancel = threading.Event()
        self._run: Future[None] | None = None
        self.column.setSpacing(5)
        self._what_part()
        self._how_part()
        self._where_part()
        self._progress.connect(self._show_progress)
        self._done.connect(self._show_done)
        self._failed.connect(self._show_failed)
        work.project_changed.connect(self.follow)
        looking.station_changed.connect(self.follow)
        work.studio_changed.connect(self._new_studio)
        self.refresh()

    # --- its parts ------------------------------------------------------------------------------------------

    def _what_part(self) -> None:
        self.heading(tr("What to write"))
        self.presets: dict[str, QCheckBox] = {}
        for name, preset in PRESETS.items():
            box = QCheckBox(preset.title)
            box.toggled.connect(partial(self.exports.use, name))
            self.presets[name] = box
            self.column.addWidget(box)
        self.own = OwnPresets(self.exports)
        self.column.addWidget(self.own)

    def _how_part(self) -> None:
        self.format = choice(tr("Format of the files"), [(name.upper(), name) for name in FORMATS])
        self.format.activated.connect(lambda _: self._set_format())
        self.bits = choice(tr("Bits per channel"), [(tr("8 bits"), 8), (tr("16 bits"), 16)])
        self.bits.activated.connect(lambda _: self.exports.change(bits=self.bits.currentData()))
        self.normal = choice(
            tr("Direction of green in normal maps"), [(tr("normals +Y"), "+"), (tr("normals −Y"), "-")]
        )
        self.normal.activated.connect(lambda _: self.exports.change(normal_y=self.normal.currentData()))
        self.row(self.format, self.bits, self.normal)
        sizes: list[tuple[str, object]] = [
            (tr("as the sheets are"), None),
            *((counted(size, "texel"), size) for size in _SIZES),
        ]
        self.size_box = choice(tr("Size of the files"), sizes)
        self.size_box.activated.connect(lambda _: self.exports.change(size=self.size_box.currentData()))
        self.padding = choice(tr("How far islands are spread outwards"), _PADDING)
        self.padding.activated.connect(lambda _: self.exports.change(padding=self.padding.currentData()))
        self.row(tr("Size"), self.size_box, tr("padding"), self.padding)
        self.single = menu_button(
            tr("Single sheets"), tr("Give single sheets another size in the files"), self._fill_sheets
        )
        models = [
            (tr("none"), None),
            (tr("GLB, maps inside"), "glb"),
            (tr("OBJ with MTL"), "obj"),
            ("USD", "usda"),
            (tr("MaterialX, materials alone"), "mtlx"),
        ]
        self.model = choice(tr("A model that is written along"), models)
        self.model.activated.connect(lambda _: self.exports.change(model=self.model.currentData()))
        self.row(tr("Model along"), self.model, self.single)
        self.alpha = choice(tr("How opacity is put into files"), _ALPHA)
        self.alpha.activated.connect(lambda _: self.exports.change(alpha=self.alpha.currentData()))
        self.ground = QLineEdit(objectName="plain", placeholderText="#rrggbb")
        self.ground.setAccessibleName(tr("Ground"))
        self.ground.setToolTip(tr("The colour that it is flattened on"))
        self.ground.setFixedWidth(with_text(84))
        self.ground.editingFinished.connect(self._set_ground)
        self.row(tr("Opacity"), self.alpha, self.ground)
        self.boxes: dict[str, QCheckBox] = {}
        flags = (("dither", tr("Dither"), tr("Spreads what 8 bits lose, so that soft ramps show no steps")),
                 ("rims", tr("Mend rims"), tr("Spreads the colour of what is seen under what is not")),
                 ("compress", tr("In blocks"), tr("BC1, BC3 and BC5: a quarter of the size and less")),
                 ("marked", tr("Colours marked as sRGB"), tr("In the newer header, for games that ask for it")),
                 ("mips", tr("Mips"), tr("With all their halvings")),
                 ("full", tr("32-bit floats"), tr("Instead of half floats or whole numbers")))  # fmt: skip
        line = QHBoxLayout()
        for name, title, tip in flags:
            box = QCheckBox(title)
            box.setToolTip(tip)
            box.toggled.connect(lambda on, name=name: self.exports.change(**{name: on}))
            self.boxes[name] = box
            line.addWidget(box)
        self.blocks = choice(tr("Blocks of a DDS"), _BLOCKS)
        self.blocks.activated.connect(lambda _: self.exports.change(blocks=self.blocks.currentData()))
        line.addWidget(self.blocks)
        self.quality = QSpinBox(minimum=1, maximum=100, prefix=tr("quality "))
        self.quality.setAccessibleName(tr("Quality"))
        self.quality.valueChanged.connect(lambda value: self.exports.change(quality=value))
        line.addWidget(self.quality)
        line.addStretch(1)
        self.column.addLayout(line)
        self.glow = QDoubleSpinBox(minimum=0.0, maximum=1000.0, decimals=1, prefix="× ")
        self.glow.setAccessibleName(tr("Strength of the glow"))
        self.glow.setToolTip(tr("How many times as bright it glows; the GLB tells that to the game"))
        self.glow.valueChanged.connect(lambda value: self.exports.change(glow=round(value, 3)))
        self.tint = QLineEdit(objectName="plain", placeholderText="#rrggbb")
        self.tint.setAccessibleName(tr("Colour of the glow"))
        self.tint.setToolTip(tr("Have its brightness glow in another colour; empty: in its own"))
        self.tint.setFixedWidth(with_text(84))
        self.tint.editingFinished.connect(self._set_tint)
        self.only = QCheckBox(tr("Only what glows"))
        self.only.setToolTip(tr("Leave out materials on which nothing glows"))
        self.only.toggled.connect(lambda on: self.exports.change(only_glowing=on))
        self.row(tr("Glow"), self.glow, tr("tint"), self.tint, self.only)

    def _where_part(self) -> None:
        self.heading(tr("Folder"))
        row = QHBoxLayout()
        self.folder = QLineEdit(objectName="plain")
        self.folder.setAccessibleName(tr("Folder for the maps"))
        self.folder.textChanged.connect(self._set_folder)
        browse = QToolButton(icon=icon("folder"))
        browse.setToolTip(tr("Choose a folder"))
        browse.setAccessibleName(tr("Choose a folder"))
        browse.clicked.connect(self._browse)
        row.addWidget(self.folder, 1)
        row.addWidget(browse)
        self.column.addLayout(row)
        self.plan = self.note()
        row = QHBoxLayout()
        self.button = QPushButton(tr("Export"), objectName="primary")
        self.button.setToolTip(tr("Write the files (Ctrl+E at every station)"))
        self.button.clicked.connect(self.start)
        self.cancel = QPushButton(tr("Cancel"))
        self.cancel.clicked.connect(self._cancel.set)
        self.cancel.hide()
        self.progress = QProgressBar(textVisible=False)
        self.progress.hide()
        self.quay = QPushButton(tr("Open the quay"))
        self.quay.setToolTip(tr("The stand-in game: it shows what a game makes of the files, read from disk"))
        self.quay.clicked.connect(self.open_quay)
        row.addWidget(self.button)
        row.addWidget(self.quay)
        row.addWidget(self.progress, 1)
        row.addWidget(self.cancel)
        row.addStretch(0)
        self.column.addLayout(row)
        self.summary = QLabel()
        self.summary.setWordWrap(True)
        self.column.addWidget(self.summary)
        self.files = QListWidget()
        self.files.setIconSize(QSize(48, 48))
        self.files.setAccessibleName(tr("Files written"))
        self.files.setWordWrap(True)
        self.files.setMinimumHeight(120)
        self.column.addWidget(self.files, 1)
        self.heading(tr("Pictures and their licences"))
        self.credits = CreditRows(self.work)
        self.column.addWidget(self.credits)

    # --- following --------------------------------------------------------------------------------------------

    def _new_studio(self) -> None:
        self.files.clear()
        self.summary.clear()
        self.follow()

    @property
    def working(self) -> bool:
        """Whether an export is under way or its end not yet shown."""
        return self.exports.working

    def refresh(self) -> None:
        """Show the set-up, and say beforehand what would be written and what left out."""
        setups, common = self.exports.setups, self.exports.common
        used = {setup.preset for setup in setups}
        for name, box in self.presets.items():
            show_check(box, name in used)
        self.own.refresh()
        pairs: tuple[tuple[QComboBox, object], ...] = (
            (self.format, common.format), (self.bits, common.bits), (self.normal, common.normal_y),
            (self.size_box, common.size), (self.padding, common.padding), (self.model, common.model),
            (self.blocks, common.blocks), (self.alpha, common.alpha),
        )  # fmt: skip
        for combo, value in pairs:
            combo.setCurrentIndex(max(combo.findData(value), 0))
        self.bits.setEnabled(common.format in DEEP)
        for name, box in self.boxes.items():
            show_check(box, bool(getattr(common, name)))
        form = common.format
        row = FORMATS[form]
        shown_for = {"compress": row.blocks, "marked": row.blocks, "mips": row.blocks, "full": row.full,
                     "dither": common.bits == 8 and not row.floats, "rims": True}  # fmt: skip
        for name, shown in shown_for.items():
            self.boxes[name].setVisible(shown)
        self.blocks.setVisible(row.blocks and common.compress)
        apart = len(common.sizes)
        self.single.setText(
            tr("{sheets} apart ▾", sheets=counted(apart, "sheet")) if apart else tr("Single sheets ▾")
        )
        self.quality.setVisible(row.quality or (row.blocks and common.blocks in ("bc7", "bc6h")))
        with QSignalBlocker(self.quality), QSignalBlocker(self.glow):
            self.quality.setValue(common.quality)
            self.glow.setValue(common.glow)
        self.tint.setText(common.tint or "")
        self.ground.setText(common.ground)
        self.ground.setVisible(common.alpha == "flattened")
        show_check(self.only, common.only_glowing)
        if self.folder.text().strip() != common.out and not self.folder.hasFocus():
            with QSignalBlocker(self.folder):
                self.folder.setText(common.out)
        self.credits.refresh()
        self._show_plan()

    def _show_plan(self) -> None:
        studio = self.work.studio
        ready = studio is not None and bool(studio.surface.keys)
        busy = self._run is not None and not self._run.done()
        setups, out = self.exports.setups, self.exports.common.out
        self.button.setEnabled(ready and bool(setups) and bool(out) and not busy)
        if not ready or studio is None or self.looking.station != "export":
            return
        names, skipped, notes = dict[str, None](), dict[str, None](), dict[str, None]()
        try:
            for setup in setups:
                plans = plan_export(studio.sources, studio.project, setup, self.exports.stem)
                names.update(dict.fromkeys(plan.name for plan in plans.files))
                skipped.update(dict.fromkeys(plans.skipped))
                notes.update(dict.fromkeys(plans.notes))
        except LuckyFernError as error:
            self.plan.setText(str(error))
            return
        example = next(iter(names), "")
        text = (
            tr("{files}, {example} first.", files=counted(len(names), "file"), example=example)
            if names
            else tr("No file.")
        )
        folder = Path(out).expanduser()
        there = sum((folder / name).exists() for name in names) if folder.is_dir() else 0
        if there:
            text += tr(
                " {there} of them {part} there already and will be replaced.",
                there=there,
                part="is" if there == 1 else "are",
            )
        if skipped:
            text += tr(" Left out, since nothing writes to them: {skipped}.", skipped=", ".join(skipped))
        self.plan.setText(" ".join([text, *(f"{note}." for note in notes)]))

    # --- acting -----------------------------------------------------------------------------------------------

    def _set_format(self) -> None:
        form = self.format.currentData()
        self.exports.change(format=form, **({} if form in DEEP else {"bits": 8}))

    def _set_folder(self, text: str) -> None:
        self.exports.change(out=text.strip())
        self._show_plan()

    def _set_tint(self) -> None:
        if not self.exports.change(tint=self.tint.text().strip() or None):
            self.refresh()

    def _set_ground(self) -> None:
        if not self.exports.change(ground=self.ground.text().strip()):
            self.refresh()

    def _fill_sheets(self, menu: QMenu) -> None:
        menu.clear()
        sizes, studio = self.exports.common.sizes, self.work.studio
        for key in studio.surface.keys if studio is not None else ():
            name = str(key)
            known = counted(sizes[name], "texel") if name in sizes else tr("as all")
            part = menu.addMenu(f"{name}: {known}")
            part.addAction(tr("as all"), partial(self._set_sheet, name, None))
            for size in _SIZES:
                part.addAction(counted(size, "texel"), partial(self._set_sheet, name, size))

    def _set_sheet(self, name: str, size: int | None) -> None:
        """Give one sheet's files a size of their own, or that of all again."""
        sizes = {other: kept for other, kept in self.exports.common.sizes.items() if other != name}
        self.exports.change(sizes=sizes if size is None else {**sizes, name: size})

    def _browse(self) -> None:
        chosen = asking.folder(self, tr("Folder for the maps"), self.folder.text())
        if chosen is not None:
            self.folder.setText(str(chosen))

    def start(self) -> None:
        """Write everything that is ticked."""
        studio = self.work.studio
        if studio is None or (self._run is not None and not self._run.done()):
            return
        self._cancel.clear()
        setups, project, stem = self.exports.setups, studio.project, self.exports.stem
        folder = Path(self.exports.common.out or self.exports.folder).expanduser()

        def work() -> None:
            import time

            begin, done = time.monotonic(), list[Exported]()
            try:
                for setup in setups:
                    done.append(
                        export(
                            studio.sources, project, setup, stem, folder, self._progress.emit, self._cancel.is_set,
                            lambda: self.maps.finished(project),
                        )
                    )  # fmt: skip
                seconds = time.monotonic() - begin
                listed = [looked_at(*one) for each in done for one in each.sizes.items()]
            except Cancelled:
                self._failed.emit(tr("The export was cancelled; the file being written was left out."))
            except LuckyFernError as error:
                self._failed.emit(str(error))
            except Exception as error:  # noqa: BLE001  # a defect of ours must not leave the window waiting
                LOG.exception("The export went wrong inside.")
                self._failed.emit(
                    tr("The export went wrong inside ({error!r}); look at what is in the folder.", error=error)
                )
            else:
                self._done.emit(done, listed, seconds)

        self.button.setEnabled(False)
        self.progress.setRange(0, 0)
        self.progress.show()
        self.cancel.show()
        self.summary.clear()
        self.exports.set_working(True)
        self._run = beside("The export", work)

    def open_quay(self) -> None:
        """Show the exported files in a window of their own, on the model as it is laid out now."""
        studio, folder = self.work.studio, Path(self.exports.common.out).expanduser()
        if studio is None:
            return
        if not folder.is_dir():
            self.work.said.emit(tr("Export first: there is nothing in that folder yet."), True)
            return
        model = partial(write_model, studio.model, f"{safe_name(self.exports.stem)}.obj")
        own = [setup.own for setup in self.exports.setups if setup.own is not None]
        down = self.exports.common.normal_y == "-"
        art = self.work.pixel_art()
        light = studio.project.light
        panorama = None if light is None else light.panorama

        def keep(material: str, numbers: Numbers) -> None:
            if self.work.studio is studio:  # else another project is open by now
                self.work.execute(SetNumbers(material, numbers), merge=True)

        self.quay_asked.emit(
            Delivery(
                folder, model, down, own, art, partial(self._painted, studio), light,
                None if panorama is None else partial(light_of, studio.blobs, panorama), studio.project.numbers,
                keep,
            )
        )  # fmt: skip

    def _painted(self, studio: Studio) -> tuple[Surface, dict[SheetKey, dict[str, U8]]]:
        """The project's own maps as they are now; asked for from another thread."""
        reader = object()
        self.work.readers.add(reader)
        try:
            return studio.surface, taking.written(studio, self.maps.finished)
        finally:
            self.work.readers.discard(reader)

    def _show_progress(self, done: int, total: int, name: str) -> None:
        self.progress.setRange(0, total)
        self.progress.setValue(done)
        self.summary.setText(tr("{done} of {total}: {name}", done=done, total=total, name=name))

    def _finish(self) -> None:
        self._run = None
        self.exports.set_working(False)
        self.progress.hide()
        self.cancel.hide()
        self.refresh()

    def _show_failed(self, sentence: str) -> None:
        self._finish()
        self.summary.setText(sentence)
        self.work.said.emit(sentence, True)

    def _show_done(self, done: list[Exported], written: list[Written], seconds: float) -> None:
        self._finish()
        sizes = {path: size for one in done for path, size in one.sizes.items()}
        skipped = list(dict.fromkeys(name for one in done for name in one.skipped))
        notes = list(dict.fromkeys(note for one in done for note in one.notes))
        words = [
            tr(
                "Wrote {sizes} files, {told}, in {seconds:.1f} s.",
                sizes=len(sizes),
                told=told(sum(sizes.values())),
                seconds=seconds,
            )
        ]
        if skipped:
            words.append(tr("Left out: {skipped}.", skipped=", ".join(skipped)))
        self.summary.setText(" ".join([*words, *(f"{note}." for note in notes)]))
        self.files.clear()
        for one in {one.path: one for one in written}.values():
            item = QListWidgetItem(one.words)
            item.setToolTip(str(one.path))
            if one.small is not None:
                item.setIcon(QIcon(to_pixmap(one.small)))
            self.files.addItem(item)
        where = next(iter(sizes)).parent if sizes else None
        self.work.said.emit(
            tr("Exported to {where}.", where=where) if where is not None else tr("Nothing was written."), False
        )
