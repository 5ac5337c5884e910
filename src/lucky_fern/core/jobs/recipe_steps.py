"""Steps about recipes, and the survey of the model."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import msgspec

from lucky_fern.core.compositing.rules import Asked, RuleMask
from lucky_fern.core.errors import CommandError
from lucky_fern.core.files import read_file, target
from lucky_fern.core.jobs.places import check_scope, named
from lucky_fern.core.limits import MOST_FILE
from lucky_fern.core.parallel import for_each
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.rules import Crevices, Edges, Occlusion, Rule, RuleShape, Seams, Thin
from lucky_fern.core.recipes import SUFFIX, keep_recipe, take_recipe
from lucky_fern.core.sheets.grid import all_chunks
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr

MEASURES: dict[str, Callable[[], Rule]] = {
    "edges": Edges, "crevices": Crevices, "occlusion": Occlusion, "thin": Thin, "seams": Seams,
}  # fmt: skip


class KeepRecipeStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``keep-recipe``: a layer or group, kept as a file to be put onto any project."""

    do: str
    layer: str
    out: str
    name: str = ""


class RecipeStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"source": "from"}, kw_only=True):
    """``recipe``: what a recipe holds, put on top of the stack."""

    do: str
    source: str
    name: str = ""
    scope: Scope | None = None


class SurveyStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``survey``: measure now what rules ask for, and keep it."""

    do: str
    what: list[str]


def do_keep_recipe(
    studio: Studio, step: KeepRecipeStep, folder: Path, later: list[Callable[[], dict[Path, bytes]]]
) -> str:
    """Keep it; the file is written with the job's other files."""
    place = target(folder, step.out, CommandError)
    if place.suffix != SUFFIX:
        raise CommandError(tr("a recipe's file ends in {suffix}, not {out}", suffix=SUFFIX, out=step.out))
    data, told = keep_recipe(studio, named(studio, step.layer).id, step.name)
    studio.notes += told
    later.append(lambda: {place: data})
    return step.layer


def do_recipe(studio: Studio, step: RecipeStep, folder: Path, into: int | None) -> str:
    """Put it on."""
    if into is not None:
        raise CommandError(tr("'recipe' puts its layers on top of the stack and stands outside groups"))
    if step.scope is not None:
        check_scope(studio, step.scope)
    path = folder / step.source
    command = take_recipe(studio, read_file(path, CommandError, MOST_FILE), path.name, step.name, step.scope)
    studio.execute(command)
    return studio.project.layers[-1].name


def do_survey(studio: Studio, step: SurveyStep) -> str:
    """Measure on all sheets."""
    for name in step.what:
        if name not in MEASURES:
            raise CommandError(
                tr("nothing called {name!r} is measured; there are {known}", name=name, known=", ".join(MEASURES))
            )
    row = RuleMask()
    for name in step.what:
        shape = RuleShape(MEASURES[name]())
        for sheet in studio.surface.sheets(studio.project.size_of):
            every = [Asked(studio.sources, studio.project, sheet, chunk) for chunk in all_chunks(sheet.size)]
            for_each(partial(row.measured, shape), every)
    return ", ".join(step.what)
