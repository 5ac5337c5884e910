"""Keeps the model view in the project's light; surroundings are worked out beside the window."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject

from lucky_fern.core.lighting import light_of
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.light import Light
from lucky_fern.render import environment
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

STANDING = ("lamp_deg", "lamp_gain", "ambient_gain", "exposure", "shadows", "sky_deg", "behind", "blur")


def kind_of(light: Light, blobs: Blobs) -> str:
    """What the renderer calls a light's surroundings; reads a panorama if there is one."""
    if light.surroundings != "own" or light.panorama is None:
        return light.surroundings if light.surroundings != "own" else environment.STUDIO
    name = panorama_name(light)
    if environment.known(name):
        return name
    return environment.take_panorama(name.partition(":")[2], light_of(blobs, light.panorama))


def panorama_name(light: Light) -> str:
    assert light.panorama is not None
    return f"own:{light.panorama.digest}{'-mirrored' if light.panorama.mirror else ''}"


def prepare(light: Light, blobs: Blobs) -> str:
    """Have a light's surroundings worked out; what the renderer calls them. Takes seconds the first time."""
    kind = kind_of(light, blobs)
    environment.reflections(kind)
    environment.irradiance(kind)
    return kind


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
        kind = panorama_name(light) if light.surroundings == "own" and light.panorama else light.surroundings
        if environment.prepared(kind) and environment.known(kind):
            self._asked = kind
            self._show(surroundings=kind)
        elif studio is not None and kind != self._asked:
            self._asked, blobs = kind, studio.blobs
            self.errands.send(tr("Lighting …"), lambda: prepare(light, blobs), self._arrived)

    def _arrived(self, kind: str) -> None:
        if kind == self._asked:
            self._show(surroundings=kind)
