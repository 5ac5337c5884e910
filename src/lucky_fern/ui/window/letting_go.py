"""What a project held that was closed for another one, given back."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer
from PySide6.QtGui import QGuiApplication

from lucky_fern.ui.widgets.tidying import Tidying

_ENDED = 3000  # milliseconds after which threads that still worked on it have ended


def let_go(window: QObject) -> None:
    """Look for garbage everywhere, then give freed memory back, unless the window is gone by then."""
    from lucky_fern.core.spare import give_back  # the first sight of the window needs nothing of the core
    from lucky_fern.ui.session.beside import beside

    application = QGuiApplication.instance()
    tidying = application.findChild(Tidying) if application is not None else None
    if tidying is not None:
        QTimer.singleShot(0, tidying, tidying.look_everywhere)
    QTimer.singleShot(_ENDED, window, lambda: beside("Giving memory back", give_back))
