"""What both views share: drawing on demand, the decal's handles, and pictures dropped from the tray."""

from __future__ import annotations

from collections.abc import Callable

import moderngl
import numpy as np
from PySide6.QtCore import QEvent, QPointF, Qt, Signal
from PySide6.QtGui import (
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
    QFocusEvent,
    QHideEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QShowEvent,
    QTabletEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from lucky_fern.core.arrays import F64, I32, U8
from lucky_fern.core.painting.brush import Pen
from lucky_fern.core.project.places import Framed
from lucky_fern.core.selecting.seen import nearest_faces
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.picking import SurfaceHit
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.render.drawing import Canvas, Painter, Wanted
from lucky_fern.render.model_scene import CHECKER_TEXELS
from lucky_fern.render.tint import Coloured
from lucky_fern.ui.gestures.drawn import Drawn
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.grip import Grip
from lucky_fern.ui.session.change import Change
from lucky_fern.ui.session.compositing_thread import Seen
from lucky_fern.ui.views.drawing_thread import NO_GL
from lucky_fern.ui.views.drops import Drops
from lucky_fern.ui.views.matter import Matter
from lucky_fern.ui.views.overlay import Overlay
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.lists import is_delete
from lucky_fern.words import tr

_CLICK = 5  # pixels; a press that goes less far before it ends was a click


@guarded
class View(QWidget):
    """A picture drawn beside the window, with an overlay. Subclasses say what is drawn, and where it is seen."""

    frame_drawn = Signal()  # a new picture is on the screen
    flat = False  # whether this is the view of the sheets
    _came = Signal(object)  # pixels, from the thread that draws

    def __init__(self, title: str, matter: Matter, make_painter: Callable[[moderngl.Context], Painter]) -> None:
        super().__init__()
        self.work, self.selection, self.looking = matter.work, matter.selection, matter.looking
        self.maps, self.comparing, self.faces = matter.maps, matter.comparing, matter.faces
        self.bringing, self._thread = matter.bringing, matter.drawing_thread
        self._wiping = False
        self.maps.lookers.append(self.seen)
        self.setAccessibleName(title)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(160, 160)
        self._drawn = Drawn()
        self.overlay = Overlay(self, self._drawn)
        self.drops = Drops(self.overlay, self.work, self.bringing, matter.recipes, self.drop_picture, self.face_at)
        self.gestures: list[Gesture] = []  # asked in this order; the window hands them over
        self._gesture: Gesture | None = None
        self._pressed = QPointF()
        self._button = Qt.MouseButton.NoButton  # the one that began what goes on
        self._owners: tuple[object, I32, F64] | None = None  # what is seen at which pixel, and what that is of
        self._last = QPointF()
        self._navigating = ""
        self._asked = self._smooth = False  # whether a picture is wanted, and one with smooth edges
        self._coloured: Coloured | None = None
        self._pixels: U8 | None = None  # of the last picture
        self._sent = self._taken = 0  # pictures that were drawn, and that came here
        self._new = False  # whether the last picture was not on the screen yet
        self._came.connect(self._take)
        self.canvas = Canvas(
            self._thread.drawing, make_painter, self._send,
            lambda: self._gesture is not None or self.work.adjusting,
        )  # fmt: skip
        self._thread.drawing.add(self.canvas)
        self._thread.failed.connect(self.hint)
        self.work.studio_changed.connect(self._studio_changed)
        self.work.project_changed.connect(self._follow)
        self.work.layout_changed.connect(self._layout_changed)
        self.selection.changed.connect(self.refresh_hands)
        self.looking.changed.connect(self.refresh)
        self.looking.station_changed.connect(self.refresh)
        self.looking.marker_changed.connect(self._marker_changed)
        matter.handles.changed.connect(self.refresh_hands)
        self.faces.changed.connect(self._tint_changed)
        self.faces.preview_changed.connect(self._preview_changed)
        self.faces.tool_changed.connect(self.refresh_hands)

    # --- what subclasses answer ---------------------------------------------------------------------------

    def picture(self) -> object:
        """What is to be drawn, as it is now, for this view's painter."""
        raise NotImplementedError

    def picture_left(self) -> object | None:
        """What is to be drawn left of the line, where another map is looked at there."""
        return None

    def seen(self) -> Seen:
        """Finds, on any thread, the chunks of each sheet that can be seen here now."""
        raise NotImplementedError

    def grip_of(self, place: Framed, height: float) -> Grip | None:
        """Where a decal lies on the screen, if it can be seen here."""
        raise NotImplementedError

    def moved(self, place: Framed, point: F64) -> Framed | None:
        """The place with its middle under a pixel; None where there is nothing to lie on."""
        raise NotImplementedError

    def surface_at(self, point: F64) -> SurfaceHit | None:
        """The point of the surface under a pixel."""
        raise NotImplementedError

    def place_at(self, point: F64) -> F64 | None:
        """What lies under a pixel as this view measures it: (3,) on the surface, or (2,) in UV space."""
        raise NotImplementedError

    def spot(self, position: F64, normal: F64) -> F64 | None:
        """Where a point of the surface lies on the screen; None where it looks away or lies on no sheet."""
        raise NotImplementedError

    def outline_on_sheet(self, points: F64) -> tuple[SheetKey, F64] | None:
        """A sheet and an outline (N, 2) in its UV space, of one (N, 2) in pixels; None where this view shows none."""
        return None

    def line_of(self, points: F64, normals: F64) -> list[F64]:
        """Lines (N, 2) on the screen that show a path over the surface as far as it is seen."""
        return []

    def line_through(self, points: F64) -> F64 | None:
        """A line (N, 3) in the air on the screen, where this view shows what lies in the air."""
        return None

    def length_of(self, pixels: float, hit: SurfaceHit) -> float:
        """How long, in model units, so many pixels are at a point of the surface."""
        raise NotImplementedError

    def marker_place(self) -> F64 | None:
        """Where the spot lies that the other view points at."""
        raise NotImplementedError

    def hover(self, point: F64) -> None:
        raise NotImplementedError

    def navigate(self, how: str, dx: float, dy: float, point: F64) -> None:
        raise NotImplementedError

    def drop_picture(self, picture: str, point: F64, then: Callable[[], object] = lambda: None) -> bool:
        """Place a kit picture under a pixel, then do ``then``; whether there is anything to lie on."""
        raise NotImplementedError

    def reset_scene(self) -> None:
        """The studio is another one: drop what was made for the old one."""

    def reset_layout(self) -> None:
        """The layout is another one: drop what was made for the old one, and go on looking where one looks."""

    def face_at(self, point: F64) -> int | None:
        """The face under a pixel."""
        raise NotImplementedError

    def standpoint(self) -> object:
        """Where this view looks from and how: it changes when the picture on the screen does."""
        raise NotImplementedError

    def screen_faces(self, surface: Surface) -> F64:
        """Corners (T, 3, 3) of all faces as x, y in pixels and depth."""
        raise NotImplementedError

    # --- drawing --------------------------------------------------------------------------------------------

    def update(self) -> None:  # type: ignore[override]  # whoever asks for a part gets the whole
        """Ask for a new picture."""
        self._asked = True
        super().update()

    def draw_smooth_next(self) -> None:
        """Have the next picture drawn with smooth edges, even where drawing is slow."""
        self._smooth = True
        self.update()

    @property
    def due(self) -> bool:
        """Whether what this view shows is still to be drawn, or to be drawn better."""
        if not self.isVisible() or self._thread.drawing.failed:
            return False
        return self._asked or self._new or self.canvas.busy or self._taken < self._sent

    @property
    def image(self) -> QImage:
        """The last picture; it holds on to pixels of this view, and is true until the next one comes."""
        pixels = self._pixels
        if pixels is None:
            return QImage()
        rows, columns = pixels.shape[:2]
        return QImage(pixels.data, columns, rows, pixels.strides[0], QImage.Format.Format_RGB32)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Say what is wanted, and show what came."""
        if self._asked:
            ratio = self.devicePixelRatio()
            size = (max(int(self.width() * ratio), 1), max(int(self.height() * ratio), 1))
            wanted = Wanted(size, self.picture(), *self._thread.stocks(), self.comparing.wipe, self.picture_left())
            self.canvas.want(wanted, self._smooth)
            self._asked = self._smooth = False
        painter = QPainter(self)
        if self._pixels is None:
            painter.fillRect(self.rect(), self.palette().mid())
        else:
            painter.drawImage(self.rect(), self.image)
        painter.end()
        if self._new:
            self._new = False
            self.frame_drawn.emit()

    def _send(self, pixels: U8) -> None:
        """On the thread that draws: a picture is done."""
        self._sent += 1
        self._came.emit(pixels)

    def _take(self, pixels: U8) -> None:
        self._taken += 1
        self._pixels, self._new = pixels, True
        super().update()  # shows it; nothing is to be drawn anew

    def hint(self, sentence: str) -> None:
        """Say in the middle of the view what there is to do here, or nothing."""
        self.overlay.hint = NO_GL if self._thread.drawing.failed else sentence
        self.overlay.update()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.canvas.set_visible(True)
        self.update()

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self.canvas.set_visible(False)

    def refresh(self) -> None:
        """Draw everything anew."""
        self.refresh_hands()
        self.update()

    def _follow(self, change: Change) -> None:
        """What layers give comes with the maps; a sheet of another size is drawn otherwise at once."""
        if change.whole or change.touches("sheet_size", "sheet_sizes", "pixel_art", "model"):
            self.refresh()
        else:
            self.refresh_hands()

    def refresh_hands(self) -> None:
        """Show what is drawn over the view as it is now: handles, outlines, words."""
        self._drawn.grip = None  # a gesture that has handles to show puts them there
        for gesture in self.gestures:
            gesture.show()
        self.overlay.wipe = self.comparing.wipe if self.comparing.wiping else None
        self.overlay.left, self.overlay.right = self.comparing.left, self.comparing.right
        checker = (
            tr("Each square is {CHECKER_TEXELS} × {CHECKER_TEXELS} texels", CHECKER_TEXELS=CHECKER_TEXELS)
            if self.faces.checker
            else ""
        )
        self.overlay.banner = tr("Without the selected layers") if self.comparing.holding else checker
        self.overlay.update()

    def _tint_changed(self) -> None:
        tinted = self.faces.tint()
        self._coloured = Coloured(tinted.triangles, tinted.colours) if tinted is not None else None
        self.overlay.heat = tinted.heat if tinted is not None else None
        self.refresh()

    def _preview_changed(self) -> None:
        self.preview()
        self.refresh()

    def preview(self) -> None:
        """Follow UVs that are shown for a while."""

    def _studio_changed(self) -> None:
        self.reset_scene()
        self.refresh()

    def _layout_changed(self) -> None:
        self._owners = None
        self.reset_layout()
        self.refresh()

    def owners(self) -> tuple[I32, F64]:
        """The face seen at each pixel (height, width), and the corners of all faces on the screen."""
        studio = self.work.studio
        assert studio is not None
        what = (self.standpoint(), self.width(), self.height(), studio.surface, self.faces.hidden.tobytes())
        if self._owners is None or self._owners[0] != what:
            corners = self.screen_faces(studio.surface)
            owner = nearest_faces(corners, self.width(), self.height(), self.faces.shown)
            self._owners = (what, owner, corners)
        return self._owners[1], self._owners[2]

    def _marker_changed(self) -> None:
        self.overlay.marker = None if self.looking.marker_source is self else self.marker_place()
        self.overlay.update()

    @property
    def drawn(self) -> Drawn:
        return self._drawn

    def redraw(self) -> None:
        """Paint what is drawn over the view anew."""
        self.overlay.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.overlay.resize(self.size())
        self.refresh()

    # --- decals under the pointer ---------------------------------------------------------------------------

    def grip(self) -> Grip | None:
        """The selected decal's handles, if they can be seen here."""
        decal = self.selection.decal
        return None if decal is None else self.grip_of(decal[1], decal[2])

    # --- mouse and keyboard ---------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._button & event.buttons() and self._button != event.button():
            return  # something goes on under another button
        self._button = event.button()
        point = _array(event.position())
        self._last = self._pressed = event.position()
        button, shift = event.button(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if self.comparing.wiping and abs(point[0] - self.comparing.wipe * self.width()) < 7:
            self._wiping = True
            return
        for gesture in self.gestures:
            if gesture.press(point, event):
                self._gesture = gesture
                return
        if button == Qt.MouseButton.RightButton:
            drawing = any(gesture.draws for gesture in self.gestures)
            self._navigating = "orbit" if drawing else "light"
        elif button == Qt.MouseButton.MiddleButton or shift:
            self._navigating = "pan"
        else:
            self._navigating = "orbit"

    def finish(self) -> None:
        """Enter: what is being drawn is done."""
        for gesture in self.gestures:
            gesture.finish()

    def tabletEvent(self, event: QTabletEvent) -> None:
        """A pen: how it is held is remembered, and the mouse event that Qt makes of it does the rest."""
        lean = np.sin(np.radians([event.xTilt(), -event.yTilt()]))  # a tablet's y runs down
        pen = Pen(max(float(event.pressure()), 0.0), float(lean[0]), float(lean[1]))
        for gesture in self.gestures:
            gesture.hold_pen(Pen() if event.type() == event.Type.TabletRelease else pen)
        event.ignore()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        point = _array(event.position())
        if self._gesture is not None:
            self._gesture.move(point, event)
        elif self._wiping:
            self.comparing.set_wipe(float(point[0]) / self.width())
        elif self._navigating:
            delta = event.position() - self._last
            self.navigate(self._navigating, delta.x(), delta.y(), point)
        else:
            self._show_cursor(point)
        self.hover(point)
        self._last = event.position()

    def _show_cursor(self, point: F64) -> None:
        for gesture in self.gestures:
            shape = gesture.cursor(point)
            if shape is not None:
                self.setCursor(shape)
                return
        self.setCursor(Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() != self._button:
            return
        self._button = Qt.MouseButton.NoButton
        point = _array(event.position())
        wiping, self._wiping = self._wiping, False
        self._navigating = ""
        if self._gesture is not None:
            done, self._gesture = self._gesture, None
            done.release(point, event)
        elif not wiping and (event.position() - self._pressed).manhattanLength() < _CLICK:
            for gesture in self.gestures:
                gesture.click(point, event)
        self.work.end_gesture()

    def leaveEvent(self, event: object) -> None:
        self.looking.mark(None, self)

    def wheelEvent(self, event: QWheelEvent) -> None:
        turns = event.angleDelta().y() / 120.0
        if any(gesture.wheel(turns, event) for gesture in self.gestures):
            return
        self.navigate("zoom", 0.0, turns, _array(event.position()))

    def event(self, event: QEvent) -> bool:
        asked = event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and is_delete(event)
        if asked and self.looking.station == "model" and self.faces.any:
            event.accept()  # what is in hand are faces: Del is none of the layers' then
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1),
        }  # fmt: skip
        if event.key() == Qt.Key.Key_K and not event.isAutoRepeat():
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self.maps.pin()
            else:
                self.comparing.hold(True)
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.finish()
            return
        step = steps.get(Qt.Key(event.key()))
        if step is not None and any(gesture.nudge((step[0], -step[1]), event) for gesture in self.gestures):
            return
        middle = np.array([self.width() / 2, self.height() / 2])
        if step is not None:
            how = "pan" if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else "orbit"
            self.navigate(how, -step[0] * 24.0, -step[1] * 24.0, middle)
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.navigate("zoom", 0, 1, middle)
        elif event.key() == Qt.Key.Key_Minus:
            self.navigate("zoom", 0, -1, middle)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_K and not event.isAutoRepeat():
            self.comparing.hold(False)
        else:
            super().keyReleaseEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.comparing.hold(False)
        super().focusOutEvent(event)

    # --- drops ------------------------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        self.drops.enter(event)

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        self.hover(_array(event.position()))
        self.drops.move(event)

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self.drops.end()

    def dropEvent(self, event: QDropEvent) -> None:
        self.drops.drop(event)
        self.setFocus()


def _array(point: QPointF) -> F64:
    return np.array([point.x(), point.y()])
