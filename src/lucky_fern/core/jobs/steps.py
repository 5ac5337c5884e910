"""The steps of a job file: a row for each verb (see jobs.md)."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.base import Here, Later, Made, Verb, add_layer, closed, open_ended
from lucky_fern.core.jobs.changing_steps import OrderStep, RemoveStep, SetStep, do_order, do_remove, do_set
from lucky_fern.core.jobs.copies_step import CopiesStep, do_copies
from lucky_fern.core.jobs.decal_step import DecalStep, do_decal
from lucky_fern.core.jobs.echo_step import EchoStep, do_echo
from lucky_fern.core.jobs.edging_step import (
    EdgingStep,
    FitStep,
    GrooveStep,
    PathStep,
    do_edging,
    do_fit,
    do_groove,
    do_path,
)
from lucky_fern.core.jobs.help_steps import GuidesStep, PinStep, do_guides, do_pin
from lucky_fern.core.jobs.kit_steps import CheckStep, CreditStep, PaintStep, do_check, do_credit, do_paint
from lucky_fern.core.jobs.layer_steps import (
    AdjustStep,
    BrushworkStep,
    LayerStep,
    WashStep,
    do_adjust,
    do_brushwork,
    do_layer,
    do_wash,
)
from lucky_fern.core.jobs.layout_steps import (
    LayoutStep,
    ModelStep,
    SelectStep,
    TemplateStep,
    TexturesStep,
    do_layout,
    do_model,
    do_select,
    do_template,
    do_textures,
)
from lucky_fern.core.jobs.light_steps import LightStep, NumbersStep, do_light, do_numbers
from lucky_fern.core.jobs.loan_steps import LendStep, TakeBackStep, do_lend, do_take_back
from lucky_fern.core.jobs.mask_steps import do_mask
from lucky_fern.core.jobs.prepare_step import (
    PatternStep,
    PrepareStep,
    ReloadStep,
    ReplaceStep,
    do_pattern,
    do_prepare,
    do_reload,
    do_replace,
)
from lucky_fern.core.jobs.recipe_steps import KeepRecipeStep, RecipeStep, do_keep_recipe, do_recipe
from lucky_fern.core.jobs.shelf_steps import (
    DescribeStep,
    KeepPictureStep,
    PackStep,
    PaletteStep,
    RemovePictureStep,
    do_describe,
    do_keep_picture,
    do_pack,
    do_palette,
    do_remove_pictures,
)
from lucky_fern.core.jobs.stroke_step import StrokeStep, do_stroke
from lucky_fern.core.jobs.survey_step import SurveyStep, do_survey
from lucky_fern.core.jobs.texel_steps import SheetStep, TexelsStep, do_sheet, do_texels
from lucky_fern.core.project.document import Group
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr


class GroupStep(Made, frozen=True, kw_only=True):
    """``group``: a group that holds the layers its steps make."""

    steps: list[Any]
    isolated: bool = False


def do_group(here: Here, step: GroupStep) -> str:
    name = add_layer(here, step, "Group", Group(isolated=step.isolated), {})
    group = here.studio.project.next_id - 1
    for number, inner in enumerate(step.steps, 1):
        try:
            do_step(here.studio, inner, here.folder, group, here.later)
        except CommandError as error:
            verb = inner.get("do") if isinstance(inner, dict) else None
            raise CommandError(
                tr("its step {number} ({verb}): {error}", number=number, verb=verb, error=error)
            ) from error
    return name


VERBS: dict[str, Verb] = {
    "wash": closed(WashStep, do_wash),
    "decal": closed(DecalStep, do_decal),
    "brushwork": closed(BrushworkStep, do_brushwork),
    "adjust": open_ended(AdjustStep, do_adjust),
    "layer": open_ended(LayerStep, do_layer),
    "echo": open_ended(EchoStep, do_echo),
    "group": closed(GroupStep, do_group),
    "edging": open_ended(EdgingStep, do_edging),
    "path": open_ended(PathStep, do_path),
    "groove": closed(GrooveStep, do_groove),
    "fit": closed(FitStep, do_fit),
    "stroke": closed(StrokeStep, do_stroke),
    "mask": Verb(do_mask),
    "set": open_ended(SetStep, do_set),
    "remove": closed(RemoveStep, do_remove),
    "order": closed(OrderStep, do_order),
    "copies": closed(CopiesStep, do_copies),
    "recipe": closed(RecipeStep, do_recipe, in_groups=False),
    "keep-recipe": closed(KeepRecipeStep, do_keep_recipe),
    "sheet": closed(SheetStep, do_sheet, in_groups=False),
    "texels": closed(TexelsStep, do_texels),
    "pin": closed(PinStep, do_pin, in_groups=False),
    "guides": closed(GuidesStep, do_guides, in_groups=False),
    "light": closed(LightStep, do_light, in_groups=False),
    "material-numbers": closed(NumbersStep, do_numbers, in_groups=False),
    "survey": closed(SurveyStep, do_survey),
    "prepare": closed(PrepareStep, do_prepare, in_groups=False),
    "pattern": open_ended(PatternStep, do_pattern, in_groups=False),
    "replace-picture": closed(ReplaceStep, do_replace, in_groups=False),
    "reload": closed(ReloadStep, do_reload, in_groups=False),
    "lend": closed(LendStep, do_lend, in_groups=False),
    "take-back": closed(TakeBackStep, do_take_back, in_groups=False),
    "describe": closed(DescribeStep, do_describe, in_groups=False),
    "remove-pictures": closed(RemovePictureStep, do_remove_pictures, in_groups=False),
    "pack": closed(PackStep, do_pack, in_groups=False),
    "keep-picture": closed(KeepPictureStep, do_keep_picture, in_groups=False),
    "palette": closed(PaletteStep, do_palette, in_groups=False),
    "keep-paint": closed(PaintStep, do_paint),
    "credit": closed(CreditStep, do_credit),
    "check": closed(CheckStep, do_check),
    "select": closed(SelectStep, do_select, in_groups=False),
    "layout": open_ended(LayoutStep, do_layout, in_groups=False),
    "template": closed(TemplateStep, do_template, in_groups=False),
    "write-model": closed(ModelStep, do_model, in_groups=False),
    "textures": closed(TexturesStep, do_textures, in_groups=False),
}


def do_step(
    studio: Studio, step: object, folder: Path, into: int | None = None, later: list[Later] | None = None,
    source: Path = Path(),
) -> str:  # fmt: skip
    """Do one step on a studio, inside the group ``into`` if one is named; the name of the layer it is about.

    What steps write is put into ``later``; ``source`` is where the job's model lies.

    Raises
    ------
    LuckyFernError
        With a sentence that says which key is wrong and what it may be.
    """
    if not isinstance(step, dict) or not isinstance(step.get("do"), str):
        raise CommandError(tr('a step is an object with a \'do\', for example {"do": "wash", …}'))
    name = step["do"]
    if name not in VERBS:
        raise CommandError(tr("there is no step '{verb}'; there are {value}", verb=name, value=", ".join(VERBS)))
    verb = VERBS[name]
    if into is not None and not verb.in_groups:
        raise CommandError(tr("'{verb}' stands outside groups", verb=name))
    return verb.run(Here(studio, folder, into, [] if later is None else later, source), step)
