"""The step that measures the model, and carries over what a finer one has."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec

from lucky_fern.core.baking import CARRIED, Asked, bake, moved_here, read_finer
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.base import Here
from lucky_fern.core.measuring import keep_measured, measure
from lucky_fern.core.project.rules import Crevices, Drips, Edges, Occlusion, Rule, Seams, Thin
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr

MEASURES: dict[str, Callable[[], Rule]] = {
    "edges": Edges, "crevices": Crevices, "occlusion": Occlusion, "thin": Thin, "seams": Seams, "drips": Drips,
}  # fmt: skip


class SurveyStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``survey``: measure now what rules ask for, or carry ``what`` over from a finer model into a wash.

    ``move`` brings a finer model that lies elsewhere here. With ``keep``, what the project's rules measure is kept in
    it.
    """

    do: str
    what: list[str]
    finer: str | None = None
    cage: float | None = None
    layer: str = "Baked"
    move: bool = False
    keep: bool = False


def do_survey(here: Here, step: SurveyStep) -> str:
    """Measure, or carry over, on all sheets."""
    studio = here.studio
    known = list(MEASURES) if step.finer is None else list(dict.fromkeys((*CARRIED, *MEASURES)))
    for name in step.what:
        if name not in known:
            raise CommandError(
                tr("nothing called {name!r} is measured; there are {known}", name=name, known=", ".join(known))
            )
    carried = [name for name in step.what if name in CARRIED] if step.finer is not None else []
    if step.finer is not None:
        _carry(studio, step, carried or list(CARRIED), here.folder)
    if step.finer is None and step.cage is not None:
        raise CommandError(tr("a 'cage' is for a 'finer' model; none is named"))
    measure(studio, [MEASURES[name]() for name in step.what if name not in carried])
    if step.keep:
        studio.execute(keep_measured(studio))
    return step.layer if step.finer is not None else ", ".join(step.what)


def _carry(studio: Studio, step: SurveyStep, what: list[str], folder: Path) -> None:
    assert step.finer is not None
    path = folder / step.finer
    finer = read_finer(path)
    if step.move:
        finer = moved_here(studio.model, finer)
    baked = bake(studio, finer, path.name, Asked(tuple(what), step.cage, step.layer))
    studio.execute(baked.command)
    studio.notes += baked.notes
