"""Steps of a job about what helps while one works: pinned pictures and guides of sheets."""

from __future__ import annotations

import msgspec

from lucky_fern.core.jobs.base import Here
from lucky_fern.core.jobs.places import kept_picture
from lucky_fern.core.jobs.texel_steps import sheet_called
from lucky_fern.core.project.commands import PinPicture, SetGuides
from lucky_fern.core.project.helps import Corner, Guides, Pinned


class _Step(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    do: str


class PinStep(_Step, frozen=True, kw_only=True):
    """``pin``: a picture (path or kit name) in a corner of the window; ``off`` takes it away."""

    picture: str
    corner: Corner = "lower-left"
    share: float = 0.3
    off: bool = False


class GuidesStep(_Step, frozen=True, kw_only=True):
    """``guides``: lines on a sheet, in texels from its left and from above, in place of those that it has."""

    sheet: str
    upright: tuple[float, ...] = ()
    level: tuple[float, ...] = ()


def do_pin(here: Here, step: PinStep) -> str:
    name = kept_picture(here.studio, here.folder, step.picture)
    here.studio.execute(PinPicture(name, None if step.off else Pinned(step.corner, step.share)))
    return step.picture


def do_guides(here: Here, step: GuidesStep) -> str:
    sheet_called(here.studio, step.sheet)
    here.studio.execute(SetGuides(step.sheet, Guides(step.upright, step.level)))
    return step.sheet
