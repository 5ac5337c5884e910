"""Steps about recipes, and the survey of the model."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec

from lucky_fern.core.errors import CommandError
from lucky_fern.core.files import read_file, target
from lucky_fern.core.jobs.places import check_scope, named
from lucky_fern.core.limits import MOST_FILE
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.recipes import SUFFIX, keep_recipe, take_recipe
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr


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
