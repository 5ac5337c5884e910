"""The steps of a job file, each turned into the command the window would give (see jobs.md)."""

from __future__ import annotations

from pathlib import Path
from typing import Any, Literal, cast

import msgspec
import numpy as np

from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.base import Made, add_layer, of_kind, parted
from lucky_fern.core.jobs.edging_step import EdgingStep, do_edging
from lucky_fern.core.jobs.kit_steps import CheckStep, CreditStep, PaintStep, do_check, do_credit, do_paint
from lucky_fern.core.jobs.layout_steps import LAYOUT_STEPS, Later, do_layout_step
from lucky_fern.core.jobs.mask_steps import OWN_MASKS, MaskStep, ShapeStep, do_mask, do_shape_mask
from lucky_fern.core.jobs.places import check_scope, convert, kept_picture, parse_place
from lucky_fern.core.jobs.recipe_steps import (
    KeepRecipeStep,
    RecipeStep,
    do_keep_recipe,
    do_recipe,
)
from lucky_fern.core.jobs.stroke_step import StrokeStep, do_stroke
from lucky_fern.core.jobs.survey_step import SurveyStep, do_survey
from lucky_fern.core.maps import MAPS
from lucky_fern.core.pictures.figure import Figure
from lucky_fern.core.pictures.label import Label
from lucky_fern.core.pictures.naming import UDIM_MARK, UV_MARK
from lucky_fern.core.pictures.sequences import gather_sequence
from lucky_fern.core.placing.copies import mirror_twin, ring, row
from lucky_fern.core.placing.way import on_surface
from lucky_fern.core.project.commands import SetRelief
from lucky_fern.core.project.commands.checks import check_place
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Decal, Group, Relief, Wash
from lucky_fern.core.project.kinds import CONTENTS, EFFECTS, SHAPES, Place
from lucky_fern.core.project.plain import Sampling
from lucky_fern.core.studio import Studio, read_sequence
from lucky_fern.words import tr


class WashStep(Made, frozen=True):
    """``wash``: values or repeating pictures on every texel in scope."""

    values: dict[str, str | float] = msgspec.field(default_factory=dict)
    pictures: dict[str, str] = msgspec.field(default_factory=dict)
    repeat: tuple[float, float] = (1.0, 1.0)
    offset: tuple[float, float] = (0.0, 0.0)
    rotate: float = 0.0
    sampling: Sampling = "smooth"
    by: Literal["uv", "triplanar"] = "uv"
    relief: bool | Relief = False


class Twin(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One more on the other side, across ``x``, ``y`` or ``z`` of the model's middle (or ``at``)."""

    across: Literal["x", "y", "z"]
    at: float | None = None
    readable: bool = True


class Row(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """So many in all to the right, ``gap`` widths from middle to middle."""

    count: int
    gap: float = 1.5


class Ring(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """So many in all round an axis."""

    count: int
    axis: tuple[float, float, float]
    point: tuple[float, float, float]


class DecalStep(Made, frozen=True, kw_only=True):
    """``decal``: one placed picture, ``label`` or ``figure``, or one picture for each tile."""

    picture: str | None = None
    label: Label | None = None
    figure: Figure | None = None
    place: dict[str, Any]
    channels: dict[str, str | float] = msgspec.field(default_factory=lambda: {"colour": "picture"})
    sampling: Sampling = "smooth"
    relief: bool | Relief = False
    twin: Twin | None = None
    row: Row | None = None
    ring: Ring | None = None


class BrushworkStep(Made, frozen=True):
    """``brushwork``: an empty painted layer."""


class AdjustStep(Made, frozen=True, kw_only=True):
    """``adjust``: an adjustment of what is below, on one map; further keys are those of its ``kind``."""

    kind: str
    map: str = "colour"


class LayerStep(Made, frozen=True, kw_only=True):
    """``layer``: a layer of any kind; further keys are those of its ``kind``."""

    kind: str
    channels: dict[str, str | float] = msgspec.field(default_factory=dict)


class GroupStep(Made, frozen=True, kw_only=True):
    """``group``: a group that holds the layers its steps make."""

    steps: list[Any]
    isolated: bool = False


STEPS: dict[str, type[msgspec.Struct]] = {
    "wash": WashStep, "decal": DecalStep, "brushwork": BrushworkStep, "mask": MaskStep, "adjust": AdjustStep,
    "layer": LayerStep, "group": GroupStep, "stroke": StrokeStep, "keep-paint": PaintStep, "credit": CreditStep,
    "check": CheckStep, "edging": EdgingStep, "recipe": RecipeStep, "keep-recipe": KeepRecipeStep,
    "survey": SurveyStep,
}  # fmt: skip
OPEN: dict[str, type[Made]] = {"adjust": AdjustStep, "layer": LayerStep}  # steps with keys of their kind


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
    verb = step["do"]
    if verb in LAYOUT_STEPS:
        if into is not None:
            raise CommandError(tr("'{verb}' makes no layer and stands outside groups", verb=verb))
        return do_layout_step(studio, step, folder, [] if later is None else later, source)
    if verb not in STEPS:
        raise CommandError(
            tr("there is no step '{verb}'; there are {value}", verb=verb, value=", ".join((*STEPS, *LAYOUT_STEPS)))
        )
    if verb == "mask" and step.get("kind") in SHAPES.tags and step["kind"] not in OWN_MASKS:
        return do_shape_mask(studio, *parted(step, ShapeStep))
    if verb in OPEN:
        made, own = parted(step, OPEN[verb])
        check_scope(studio, made.scope)
        return (
            _adjust(studio, made, own, into)
            if isinstance(made, AdjustStep)
            else _layer(studio, cast(LayerStep, made), own, into)
        )
    if verb == "edging":
        return do_edging(studio, *parted(step, EdgingStep), folder, into)
    parsed = convert(step, STEPS[verb])
    if isinstance(parsed, MaskStep):
        return do_mask(studio, parsed, folder)
    if isinstance(parsed, StrokeStep):
        return do_stroke(studio, parsed, folder)
    if isinstance(parsed, PaintStep):
        return do_paint(studio, parsed)
    if isinstance(parsed, CreditStep):
        return do_credit(studio, parsed)
    if isinstance(parsed, CheckStep):
        return do_check(studio, parsed)
    if isinstance(parsed, RecipeStep):
        return do_recipe(studio, parsed, folder, into)
    if isinstance(parsed, KeepRecipeStep):
        return do_keep_recipe(studio, parsed, folder, [] if later is None else later)
    if isinstance(parsed, SurveyStep):
        return do_survey(studio, parsed, folder)
    assert isinstance(parsed, Made)
    check_scope(studio, parsed.scope)
    if isinstance(parsed, WashStep):
        return _wash(studio, parsed, folder, into)
    if isinstance(parsed, DecalStep):
        return _decal(studio, parsed, folder, into)
    if isinstance(parsed, GroupStep):
        return _group(studio, parsed, folder, into)
    return add_layer(studio, parsed, "Brushwork", Brushwork(), {}, into)


def _wash(studio: Studio, step: WashStep, folder: Path, into: int | None) -> str:
    _set_relief(studio, step)
    channels = {name: Channel(value, relief=_relief(step, name)) for name, value in step.values.items()}
    if "picture" in step.values.values():
        raise CommandError(tr('a wash takes pictures under \'pictures\': {"colour": "file.png"}'))
    for name, path in step.pictures.items():
        if name not in MAPS:
            raise CommandError(
                tr("there is no map called {name!r}; the maps are {MAPS}", name=name, MAPS=", ".join(MAPS))
            )
        picture = kept_picture(studio, folder / path)
        channels[name] = Channel("picture", picture=picture, relief=_relief(step, name))
    if not channels:
        raise CommandError(tr("a wash needs 'values' or 'pictures'"))
    content = Wash(step.repeat, step.offset, step.rotate, step.sampling, step.by)
    return add_layer(studio, step, "Wash", content, channels, into)


def _relief(step: WashStep | DecalStep, name: str) -> bool:
    """Whether a step's height shapes normals; how strongly all that do is the project's."""
    return step.relief is not False and name == "height"


def _set_relief(studio: Studio, step: WashStep | DecalStep) -> None:
    if isinstance(step.relief, Relief):
        studio.execute(SetRelief(step.relief))


def _decal(studio: Studio, step: DecalStep, folder: Path, into: int | None) -> str:
    _set_relief(studio, step)
    channels = {name: Channel(value, relief=_relief(step, name)) for name, value in step.channels.items()}
    if not channels:
        raise CommandError(tr("a decal needs at least one map under 'channels'"))
    if step.place.get("mode") == "tiles":
        return _tiles(studio, step, folder, channels, into)
    place = parse_place(studio, step.place)
    if sum(given is not None for given in (step.picture, step.label, step.figure)) != 1:
        raise CommandError(
            tr("a decal takes one of 'picture' (a path), 'label' (what to write) or 'figure' (what to draw)")
        )
    if step.label is not None:
        picture = studio.keep_label(step.label)
        title = " ".join(step.label.text.split())[:40]
    elif step.figure is not None:
        picture, title = studio.keep_figure(step.figure), step.figure.form.capitalize()
    else:
        assert step.picture is not None
        picture, title = kept_picture(studio, folder / step.picture), Path(step.picture).stem
    copies = _copies(studio, step, place)
    for number, other in reversed(list(enumerate(copies, 2))):
        named = msgspec.structs.replace(step, name=f"{step.name or title} {number}")
        add_layer(studio, named, "", Decal(picture, other, step.sampling), channels, into)
    return add_layer(studio, step, title, Decal(picture, place, step.sampling), channels, into)


def _copies(studio: Studio, step: DecalStep, place: Place) -> list[Place]:
    """The other places that a decal step asks for: rows and rings first, then the twins of all of them."""
    if step.twin is None and step.row is None and step.ring is None:
        return []
    if not place.on_surface:
        raise CommandError(tr("a picture laid in UV space has no twin, row or ring; drape, throw or roll it"))
    for asked in (step.row, step.ring):
        if asked is not None and not 1 <= asked.count <= 500:
            raise CommandError(tr("'count' runs from 1 to 500, not {count}", count=asked.count))
    check_place(place)
    made: list[Place] = []
    if not place.framed:
        if step.row is not None or step.ring is not None:
            raise CommandError(tr("a stripe has no row or ring; a 'twin' it may have"))
    elif step.row is not None:
        made += row(studio.surface, on_surface(place), step.row.count - 1, step.row.gap)
        if len(made) < step.row.count - 1:
            studio.notes.append(
                tr("the surface ends after {made} of {count} in the row", made=len(made) + 1, count=step.row.count)
            )
    if step.ring is not None and place.framed:
        if not any(step.ring.axis):
            raise CommandError(tr("the ring's axis must point somewhere; [0, 0, 0] does not"))
        made += ring(on_surface(place), step.ring.count, np.array(step.ring.axis), np.array(step.ring.point))
    if step.twin is not None:
        number = "xyz".index(step.twin.across)
        about = float(studio.model.bounds[:, number].mean()) if step.twin.at is None else step.twin.at
        made += [mirror_twin(one, step.twin.across, about, step.twin.readable)
                 for one in (place, *made)]  # fmt: skip
    return made


def _tiles(studio: Studio, step: DecalStep, folder: Path, channels: dict[str, Channel], into: int | None) -> str:
    """A picture sequence as one wash with each picture on its tile."""
    if len(step.place) > 1:
        others = ", ".join(key for key in step.place if key != "mode")
        raise CommandError(tr("place mode 'tiles' takes no other keys; leave out {others}", others=others))
    if step.picture is None:
        raise CommandError(tr("place mode 'tiles' takes a 'picture' for each tile"))
    path = folder / step.picture
    if UDIM_MARK not in path.name and UV_MARK not in path.name:
        raise CommandError(
            tr(
                "'picture' holds {UDIM_MARK} or {UV_MARK} where the tile stands; {name} does not",
                UDIM_MARK=UDIM_MARK,
                UV_MARK=UV_MARK,
                name=path.name,
            )
        )
    found = gather_sequence(path.parent, path.name)
    identity = studio.keep_sequence(found, read_sequence(found))
    studio.notes += sequence_notes(found.pattern, found.missing(studio.tiles()), found.extra(studio.tiles()))
    named = {
        name: Channel(channel.source, picture=identity, relief=channel.relief) for name, channel in channels.items()
    }
    return add_layer(studio, step, Path(step.picture).stem, Wash(sampling=step.sampling, by="tiles"), named, into)


def sequence_notes(pattern: str, missing: list[int], extra: list[int]) -> list[str]:
    """Sentences about tiles without a picture and pictures without a tile."""
    notes = []
    if missing:
        notes.append(
            tr(
                "{pattern}: no picture for tile {map}; nothing shows there.",
                pattern=pattern,
                map=", ".join(map(str, missing)),
            )
        )
    if extra:
        notes.append(
            tr(
                "{pattern}: the model has no tile {map}; those pictures are not used.",
                pattern=pattern,
                map=", ".join(map(str, extra)),
            )
        )
    return notes


def _adjust(studio: Studio, step: AdjustStep, own: dict[str, Any], into: int | None) -> str:
    effect = of_kind(EFFECTS, step.kind, own, "adjustment")
    return add_layer(studio, step, step.kind.capitalize(), Adjustment(effect), {step.map: Channel()}, into)


def _layer(studio: Studio, step: LayerStep, own: dict[str, Any], into: int | None) -> str:
    content = of_kind(CONTENTS, step.kind, own, "layer")
    channels = {name: Channel(value) for name, value in step.channels.items()}
    return add_layer(studio, step, step.kind.capitalize(), content, channels, into)


def _group(studio: Studio, step: GroupStep, folder: Path, into: int | None) -> str:
    name = add_layer(studio, step, "Group", Group(isolated=step.isolated), {}, into)
    group = studio.project.next_id - 1
    for number, inner in enumerate(step.steps, 1):
        try:
            do_step(studio, inner, folder, group)
        except CommandError as error:
            verb = inner.get("do") if isinstance(inner, dict) else None
            raise CommandError(
                tr("its step {number} ({verb}): {error}", number=number, verb=verb, error=error)
            ) from error
    return name
