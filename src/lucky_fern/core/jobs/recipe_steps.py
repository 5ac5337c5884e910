"""Steps about recipes, and the survey of the model."""

from __future__ import annotations

import msgspec

from lucky_fern.core.errors import CommandError
from lucky_fern.core.files import read_file, target
from lucky_fern.core.jobs.base import Here
from lucky_fern.core.jobs.places import check_scope, named
from lucky_fern.core.limits import MOST_FILE
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.recipe_shelf import at_hand, recipe_called
from lucky_fern.core.recipes import SUFFIX, keep_in_kit, keep_recipe, take_recipe
from lucky_fern.words import tr


class KeepRecipeStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``keep-recipe``: a layer or group, kept as a file to be put onto any project; without ``out`` in the kit."""

    do: str
    layer: str
    out: str | None = None
    name: str = ""


class RecipeStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"source": "from"}, kw_only=True):
    """``recipe``: what a recipe holds (a file's, or that of a name at hand), put on top of the stack."""

    do: str
    source: str
    name: str = ""
    scope: Scope | None = None


def do_keep_recipe(here: Here, step: KeepRecipeStep) -> str:
    """Keep it; a file is written with the job's other files."""
    if step.out is None:
        command, told = keep_in_kit(here.studio, named(here.studio, step.layer).id, step.name)
        here.studio.execute(command)
        here.studio.notes += told
        return step.layer
    studio, place = here.studio, target(here.folder, step.out, CommandError)
    if place.suffix != SUFFIX:
        raise CommandError(tr("a recipe's file ends in {suffix}, not {out}", suffix=SUFFIX, out=step.out))
    data, told = keep_recipe(studio, named(studio, step.layer).id, step.name)
    studio.notes += told
    here.later.append(lambda: {place: data})
    return step.layer


def do_recipe(here: Here, step: RecipeStep) -> str:
    """Put it on."""
    studio = here.studio
    if step.scope is not None:
        check_scope(studio, step.scope)
    kept = None if step.source.endswith(SUFFIX) else recipe_called(studio, step.source)
    if kept is None and not step.source.endswith(SUFFIX):
        known = ", ".join(one.name for one in at_hand(studio))
        raise CommandError(
            tr("there is no recipe {source!r}; there are {known}, or the path of a file that ends in {suffix}",
               source=step.source, known=known, suffix=SUFFIX)
        )  # fmt: skip
    path = here.folder / step.source
    data = read_file(path, CommandError, MOST_FILE) if kept is None else kept.read()
    command = take_recipe(studio, data, path.name, step.name, step.scope)
    studio.execute(command)
    return studio.project.layers[-1].name
