"""Keeps the model view in the project's light; surroundings are worked out beside the window."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject

from lucky_fern.core.arrays import F32
from lucky_fern.core.lighting import light_of
from lucky_fern.core.project.light import Light, Panorama
from lucky_fern.render import environment
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

STANDING = ("lamp_deg", "lamp_gain", "ambient_gain", "exposure", "shadows", "sky_deg", "behind", "blur")


def kind_of(light: Light) -> str:
    """What the renderer calls a light's surroundings."""
    if light.surroundings != "own":
        return light.surroundings
    return environment.STUDIO if light.panorama is None else environment.own_kind(_named(light.panorama))


def prepare(light: Light, panorama: Callable[[], F32] | None) -> str:
    """Have a light's surroundings worked out; what the renderer calls them. Takes seconds the first time.

    ``panorama`` reads the light's own one, (rows, 2 · rows, 3) of linear light; None where it is not at hand, and
    the studio stands in.
    """
    kind = kind_of(light)
    if not environment.known(kind):
        if panorama is None or light.panorama is None:
            kind = environment.STUDIO
        else:
            environment.take_panorama(_named(light.panorama), panorama())
    environment.reflections(kind)
    environment.irradiance(kind)
    return kind


def _named(panorama: Panorama) -> str:
    return f"{panorama.digest}{'-mirrored' if panorama.mirror else ''}"


class Lighting(QObject):
    """``show`` is handed what of a look the light says, whenever that changes."""

    def __init__(self, work: Work, errands: Errands, show: Callable[..., Any]) -> None:
        super().__init__()
        self.work, self.errands, self._show = work, errands, show
        self._of: Light | None = None
        self._asked = ""
        work.project_changed.connect(lambda _: self._follow())
        work.studio_changed.connect(self._follow)

    def _follow(self) -> None:
        studio = self.work.studio
        light = Light() if studio is None or studio.project.light is None else studio.project.light
        if light == self._of:
            return
        self._of = light
        self._show(**{name: getattr(light, name) for name in STANDING})
        kind = kind_of(light)
        if environment.prepared(kind) and environment.known(kind):
            self._asked = kind
            self._show(surroundings=kind)
        elif studio is not None and kind != self._asked:
            self._asked, blobs, own = kind, studio.blobs, light.panorama
            read = None if own is None else lambda: light_of(blobs, own)
            self.errands.send(tr("Lighting …"), lambda: prepare(light, read), self._arrived)

    def _arrived(self, kind: str) -> None:
        if kind == self._asked:
            self._show(surroundings=kind)
