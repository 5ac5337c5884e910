"""The canvas of one sheet: how large it is, what of it stays where, and whether its texels are meant to be seen."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from lucky_fern.core.project.commands import SetPixelArt, SetSheetSize, Several
from lucky_fern.core.sheets.grid import LARGEST, SMALLEST, Extent, SheetKey
from lucky_fern.core.texels.canvas import ANCHORS, Anchor, reframe
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.widgets.page import button, choice, offer, whole
from lucky_fern.ui.widgets.quietly import show_check
from lucky_fern.words import tr

_HELD: dict[Anchor, str] = {
    "upper-left": tr("held upper left"), "upper": tr("held above"), "upper-right": tr("held upper right"),
    "left": tr("held on the left"), "centre": tr("held in the middle"), "right": tr("held on the right"),
    "lower-left": tr("held lower left"), "lower": tr("held below"), "lower-right": tr("held lower right"),
}  # fmt: skip


class CanvasPart(QWidget):
    """Follows the project; the sheet that it is about is chosen here."""

    def __init__(self, work: Work, errands: Errands) -> None:
        super().__init__()
        self.work, self.errands = work, errands
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        self.sheet = choice(tr("The sheet whose canvas is shown"), [])
        self.sheet.currentIndexChanged.connect(lambda _: self.show_sheet())
        self.width_ = whole(tr("Texels across"), SMALLEST, LARGEST, 1024)
        self.height_ = whole(tr("Texels down"), SMALLEST, LARGEST, 1024)
        held: list[tuple[str, Anchor | None]] = [(_HELD[anchor], anchor) for anchor in ANCHORS]
        self.how = choice(tr("What happens to what is there"), [*held, (tr("resampled"), None)])
        self.how.setToolTip(tr("Held: every texel and every UV stays on its texel, with more or less room beside "
                               "them. Resampled: all of it is drawn larger or smaller"))  # fmt: skip
        self.apply_ = button(tr("Set"), tr("Give this sheet that canvas"), self.set)
        self.pixels = QCheckBox(tr("Pixel art"))
        self.pixels.setToolTip(tr("Its texels are meant to be seen: nothing smooths them, however large it is shown"))
        self.pixels.clicked.connect(self._set_pixels)
        for items in ((self.sheet, self.width_, self.height_), (self.how, self.apply_, self.pixels)):
            line = QHBoxLayout()
            line.setSpacing(5)
            for item in items:
                line.addWidget(item)
            line.addStretch(1)
            column.addLayout(line)
        self.told = QLabel(
            tr("Some games take powers of two only: 64, 128, 256 …"), objectName="quiet", wordWrap=True
        )
        column.addWidget(self.told)
        for box in (self.width_, self.height_):
            box.valueChanged.connect(lambda _: self._tell())
        self._tell()

    @property
    def key(self) -> SheetKey | None:
        found: SheetKey | None = self.sheet.currentData()
        return found

    def refresh(self) -> None:
        """Show the sheets that there are."""
        studio = self.work.studio
        keys = [] if studio is None else list(studio.surface.keys)
        offer(self.sheet, [(str(key), key) for key in keys])
        self.setVisible(bool(keys))
        self.show_sheet()

    def show_sheet(self) -> None:
        studio, key = self.work.studio, self.key
        if studio is None or key is None:
            return
        size = studio.project.size_of(key)
        self.width_.setValue(size.width)
        self.height_.setValue(size.height)
        show_check(self.pixels, studio.project.is_pixel_art(key))

    def _tell(self) -> None:
        sizes = self.width_.value(), self.height_.value()
        self.told.setVisible(any(size & (size - 1) for size in sizes))

    def set(self) -> None:
        """Give the sheet the canvas that is set."""
        studio, key = self.work.studio, self.key
        size, anchor = Extent(self.width_.value(), self.height_.value()), self.how.currentData()
        if studio is None or key is None or studio.project.size_of(key) == size:
            return
        if anchor is None:
            self.work.execute(SetSheetSize(size, str(key)))
            return
        before = studio.project

        def done(made: tuple[Several, tuple[str, ...]]) -> None:
            if self.work.studio is studio and studio.project is before:
                self.work.execute(made[0])
                if made[1]:
                    self.work.said.emit(". ".join(made[1]), False)

        self.errands.send(tr("Moving texels …"), lambda: reframe(studio, key, size, anchor), done)

    def _set_pixels(self, on: bool) -> None:
        if self.key is not None:
            self.work.execute(SetPixelArt(str(self.key), on))
