"""Adjustments and echoes on the desktop's clipboard or in a drag, and putting them: onto layers, materials, parts."""

from __future__ import annotations

from PySide6.QtCore import QMimeData
from PySide6.QtGui import QGuiApplication

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.adjustments import MIME, held_of, onto_surface, packed, unpacked
from lucky_fern.core.project.commands import AddLayer, Several
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.plain import Scope
from lucky_fern.ui.session.work import Work
from lucky_fern.words import counted, tr


def copy_adjustments(work: Work, layers: tuple[Layer, ...]) -> None:
    """Hold those among layers, to be put elsewhere in this window or another."""
    held, mime = held_of(layers), QMimeData()
    mime.setData(MIME, packed(held))
    QGuiApplication.clipboard().setMimeData(mime)
    work.say(tr("Copied {count}.", count=counted(len(held), "layer")))


def copied_adjustments() -> tuple[AddLayer, ...]:
    """What was copied last, in whatever window; none where that is something else."""
    return adjustments_in(QGuiApplication.clipboard().mimeData())


def adjustments_in(mime: QMimeData) -> tuple[AddLayer, ...]:
    """The adjustments that a clipboard or a drag holds; none that another version wrote in its own way."""
    try:
        return unpacked(bytes(mime.data(MIME).data())) if mime.hasFormat(MIME) else ()
    except CommandError:
        return ()


def put(work: Work, edit: Several | None) -> bool:
    """Put adjustments; whether there were any and they went on."""
    if edit is None:
        return False
    work.end_gesture()
    return work.execute(edit)


def put_on(work: Work, held: tuple[AddLayer, ...], scope: Scope, where: str) -> bool:
    """Put adjustments on top of all for what ``scope`` names, in words ``where``."""
    if work.project is None:
        return False
    done = put(work, onto_surface(work.project, held, scope))
    if done:
        work.say(tr("Put {names} on {where}.", names=", ".join(one.name for one in held), where=where))
    return done
