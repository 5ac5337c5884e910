"""Steps that make no layer: paints that are kept, what is known of pictures, the check before an export."""

from __future__ import annotations

import msgspec
import numpy as np

from lucky_fern.core.checking.result import check_result, maps_read
from lucky_fern.core.jobs.base import Here
from lucky_fern.core.layout.check import check_layout
from lucky_fern.core.project.commands import KeepPaint, SetCredit
from lucky_fern.core.project.document import KitPaint
from lucky_fern.core.project.export_setup import ExportSetup, check_setup


class PaintStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``keep-paint``: values kept in the kit under a name, for strokes to use."""

    do: str
    name: str
    values: dict[str, str | float]


class CreditStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``credit``: whose a picture is, under which licence, and where it comes from."""

    do: str
    picture: str
    author: str = ""
    licence: str = ""
    source: str = ""


def do_credit(here: Here, step: CreditStep) -> str:
    """Do the step; the picture's name."""
    here.studio.execute(SetCredit(step.picture, step.author, step.licence, step.source))
    return step.picture


def do_paint(here: Here, step: PaintStep) -> str:
    """Do the step; the paint's name."""
    here.studio.execute(KeepPaint(step.name, KitPaint(step.values)))
    return step.name


class CheckStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``check``: what will go wrong in the game, as warnings; ``budget`` in megabytes for the files of a preset."""

    do: str
    preset: str = "separate"
    padding: int | None = None
    budget: float | None = None


def do_check(here: Here, step: CheckStep) -> str:
    """Do the step; how many sentences there are to worry about."""
    studio = here.studio
    setup = ExportSetup(step.preset, "", padding=step.padding)
    check_setup(setup)
    shared = np.zeros(studio.model.triangle_count, np.bool_)
    for finding in check_layout(studio.surface, studio.project.size_of, studio.pixel_art):
        if finding.kind in ("twins", "overlap"):
            shared[finding.triangles] = True
    budget = None if step.budget is None else int(step.budget * 1e6)
    found = check_result(
        studio.sources,
        studio.project,
        maps_read(studio.sources, studio.project),
        (setup,),
        studio.project.name,
        shared,
        budget,
    )
    studio.notes += [one.sentence for one in found]
    return f"{sum(one.worry for one in found)} to look at"
