"""The steps of a job file, each turned into the command the window would give (see jobs.md)."""

from __future__ import annotations

from pathlib import Path
from typing import Any, Literal, TypeVar, cast

import msgspec
import numpy as np

from lucky_fern.core import taking
from lucky_fern.core.compositing.layers.edged import too_short
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.kit_steps import CheckStep, CreditStep, PaintStep, do_check, do_credit, do_paint
from lucky_fern.core.jobs.layout_steps import LAYOUT_STEPS, Later, do_layout_step
from lucky_fern.core.jobs.places import check_scope, convert, kept_picture, named, parse_place
from lucky_fern.core.jobs.recipe_steps import (
    KeepRecipeStep,
    RecipeStep,
    do_keep_recipe,
    do_recipe,
)
from lucky_fern.core.jobs.stroke_step import StrokeStep, do_stroke
from lucky_fern.core.jobs.survey_step import SurveyStep, do_survey
from lucky_fern.core.maps import MAPS, parse_value
from lucky_fern.core.pictures.figure import Figure
from lucky_fern.core.pictures.label import Label
from lucky_fern.core.pictures.naming import UDIM_MARK, UV_MARK
from lucky_fern.core.pictures.sequences import gather_sequence
from lucky_fern.core.placing.copies import mirror_twin, ring, row
from lucky_fern.core.placing.way import on_surface
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry, GiveMask, PasteMask, SetRelief
from lucky_fern.core.project.commands.checks import check_place
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Decal, Group, Relief, Wash
from lucky_fern.core.project.edgings import Edging
from lucky_fern.core.project.kinds import CONTENTS, EFFECTS, SHAPES, Content, Place, Shape, Table
from lucky_fern.core.project.numbers import check_share
from lucky_fern.core.project.plain import Sampling, Scope
from lucky_fern.core.project.rules import RULES, RuleShape
from lucky_fern.core.project.shapes import Fill, MaskEntry, PictureShape, ScopeShape
from lucky_fern.core.studio import Studio, read_sequence
from lucky_fern.words import tr

_S = TypeVar("_S", bound=msgspec.Struct)
_OWN_MASKS = ("picture", "scope", "fill")  # kinds of masks that have words of their own here


class _Step(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    do: str
    name: str | None = None


class _Made(_Step, frozen=True):
    """A step that makes a layer."""

    blend: str = "normal"
    opacity: float = 1.0
    scope: Scope = Scope()


class WashStep(_Made, frozen=True):
    """``wash``: values or repeating pictures on every texel in scope."""

    values: dict[str, str | float] = {}
    pictures: dict[str, str] = {}
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


class DecalStep(_Made, frozen=True, kw_only=True):
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


class BrushworkStep(_Made, frozen=True):
    """``brushwork``: an empty painted layer."""


class AdjustStep(_Made, frozen=True, kw_only=True):
    """``adjust``: an adjustment of what is below, on one map; further keys are those of its ``kind``."""

    kind: str
    map: str = "colour"


class LayerStep(_Made, frozen=True, kw_only=True):
    """``layer``: a layer of any kind; further keys are those of its ``kind``."""

    kind: str
    channels: dict[str, str | float] = msgspec.field(default_factory=dict)


class ShapeStep(_Step, frozen=True, kw_only=True):
    """``mask`` with a ``kind`` of its own; further keys are those of it."""

    layer: str
    kind: str
    mode: Literal["replace", "add", "subtract", "intersect", "confine"] = "replace"
    invert: bool = False
    feather: float = 0.0
    black: float = 0.0
    white: float = 1.0
    gamma: float = 1.0
    opacity: float = 1.0
    grow: int = 0
    smooth: float = 0.0


class EdgingStep(_Made, frozen=True, kw_only=True):
    """``edging``: a motif along borders, edges or a path; with ``along`` ``path``, further keys are those of it."""

    along: Literal["islands", "parts", "sharp", "open", "path"] = "islands"
    motif: Literal["stitch", "dash", "rivet", "tooth"] = "stitch"
    picture: str | None = None
    offset: float = 0.0
    length: float | None = None
    width: float | None = None
    gap: float | None = None
    round: float = 1.0
    jitter: float = 0.0
    height: float | None = None
    angle: float = 30.0
    seed: int = 0
    channels: dict[str, str | float] | None = None


class GroupStep(_Made, frozen=True, kw_only=True):
    """``group``: a group that holds the layers its steps make."""

    steps: list[Any]
    isolated: bool = False


class MaskStep(_Step, frozen=True, kw_only=True):
    """``mask``: an entry of a layer's mask; or, with ``share`` or ``copy``, another layer's mask."""

    layer: str
    kind: Literal["picture", "scope", "fill", "share", "copy", "map", "colour"]
    picture: str | None = None
    place: dict[str, Any] | None = None
    use: Literal["alpha", "luminance"] = "alpha"
    scope: Scope | None = None
    value: float = 1.0
    mode: Literal["replace", "add", "subtract", "intersect", "confine"] = "replace"
    invert: bool = False
    feather: float = 0.0
    black: float = 0.0
    white: float = 1.0
    gamma: float = 1.0
    opacity: float = 1.0
    grow: int = 0
    smooth: float = 0.0
    of: str | None = None
    map: str = "colour"
    colour: str | float | None = None
    tolerance: float = 0.1
    soft: float = 0.05


STEPS: dict[str, type[msgspec.Struct]] = {
    "wash": WashStep, "decal": DecalStep, "brushwork": BrushworkStep, "mask": MaskStep, "adjust": AdjustStep,
    "layer": LayerStep, "group": GroupStep, "stroke": StrokeStep, "keep-paint": PaintStep, "credit": CreditStep,
    "check": CheckStep, "edging": EdgingStep, "recipe": RecipeStep, "keep-recipe": KeepRecipeStep,
    "survey": SurveyStep,
}  # fmt: skip
OPEN: dict[str, type[_Made]] = {"adjust": AdjustStep, "layer": LayerStep}  # steps with keys of their kind


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
    if verb == "mask" and step.get("kind") in SHAPES.tags and step["kind"] not in _OWN_MASKS:
        return _shape_mask(studio, *_parted(step, ShapeStep))
    if verb in OPEN:
        made, own = _parted(step, OPEN[verb])
        check_scope(studio, made.scope)
        return (
            _adjust(studio, made, own, into)
            if isinstance(made, AdjustStep)
            else _layer(studio, cast(LayerStep, made), own, into)
        )
    if verb == "edging":
        return _edging(studio, *_parted(step, EdgingStep), folder, into)
    parsed = convert(step, STEPS[verb])
    if isinstance(parsed, MaskStep):
        return _mask(studio, parsed, folder)
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
    assert isinstance(parsed, _Made)
    check_scope(studio, parsed.scope)
    if isinstance(parsed, WashStep):
        return _wash(studio, parsed, folder, into)
    if isinstance(parsed, DecalStep):
        return _decal(studio, parsed, folder, into)
    if isinstance(parsed, GroupStep):
        return _group(studio, parsed, folder, into)
    return _add(studio, parsed, "Brushwork", Brushwork(), {}, into)


def _add(
    studio: Studio, step: _Made, name: str, content: Content, channels: dict[str, Channel], into: int | None
) -> str:
    name = step.name or name
    studio.execute(AddLayer(name, content, channels, step.opacity, step.blend, step.scope, into=into))
    return name


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
    return _add(studio, step, "Wash", content, channels, into)


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
        _add(studio, named, "", Decal(picture, other, step.sampling), channels, into)
    return _add(studio, step, title, Decal(picture, place, step.sampling), channels, into)


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
    return _add(studio, step, Path(step.picture).stem, Wash(sampling=step.sampling, by="tiles"), named, into)


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


def _parted(step: dict[str, Any], kind: type[_S]) -> tuple[_S, dict[str, Any]]:
    """A step without the keys of its kind, and those."""
    known = {one.encode_name for one in msgspec.structs.fields(kind)}
    return (convert({key: value for key, value in step.items() if key in known}, kind),
            {key: value for key, value in step.items() if key not in known})  # fmt: skip


def _of_kind(table: Table[Any], tag: str, own: dict[str, Any], noun: str) -> Any:
    """A value of one of a table's kinds from the keys of a step."""
    if tag not in table.tags:
        raise CommandError(
            tr("there is no {noun} {tag!r}; there are {tags}", noun=noun, tag=tag, tags=", ".join(table.tags))
        )
    kind: Any = table.kind(tag)
    fields = [one.encode_name for one in msgspec.structs.fields(kind)]
    for key in own:
        if key not in fields:
            raise CommandError(
                tr(
                    "{noun} {tag!r} has no key {key!r}; it has {value}",
                    noun=noun,
                    tag=tag,
                    key=key,
                    value=", ".join(sorted(fields)) or "none",
                )
            )
    return convert({kind.__struct_config__.tag_field: tag, **own}, kind)


def _adjust(studio: Studio, step: AdjustStep, own: dict[str, Any], into: int | None) -> str:
    effect = _of_kind(EFFECTS, step.kind, own, "adjustment")
    return _add(studio, step, step.kind.capitalize(), Adjustment(effect), {step.map: Channel()}, into)


def _layer(studio: Studio, step: LayerStep, own: dict[str, Any], into: int | None) -> str:
    content = _of_kind(CONTENTS, step.kind, own, "layer")
    channels = {name: Channel(value) for name, value in step.channels.items()}
    return _add(studio, step, step.kind.capitalize(), content, channels, into)


def _shape_mask(studio: Studio, step: ShapeStep, own: dict[str, Any]) -> str:
    shape = _rule(studio, step, own) if step.kind == "rule" else _of_kind(SHAPES, step.kind, own, "mask")
    gamma = 1.0 if step.kind == "rule" else step.gamma  # a rule has its own
    entry = MaskEntry(shape, step.mode, step.invert, step.feather, step.black, step.white, gamma,
                      opacity=step.opacity, grow=step.grow, smooth=step.smooth)  # fmt: skip
    studio.execute(AddMaskEntry(named(studio, step.layer).id, entry))
    return step.layer


def _rule(studio: Studio, step: ShapeStep, own: dict[str, Any]) -> RuleShape:
    """A rule's keys stand beside those of its mask entry; layers are named."""
    own = dict(own)
    tag, low, high = own.pop("rule", None), own.pop("low", 0.0), own.pop("high", 1.0)
    if not isinstance(tag, str):
        raise CommandError(tr("a mask of kind 'rule' needs a 'rule'; there are {tags}", tags=", ".join(RULES.tags)))
    if tag == "rim":
        if not isinstance(own.get("of"), str):
            raise CommandError(tr("rule 'rim' needs 'of', the name of the layer whose rim is meant"))
        own["of"] = named(studio, own["of"]).id
    rule = _of_kind(RULES, tag, own, "rule")
    for name, value in (("low", low), ("high", high)):
        if not isinstance(value, int | float) or isinstance(value, bool):
            raise CommandError(tr("{name} of a rule is a number, not {value!r}", name=name, value=value))
    return RuleShape(rule, float(low), float(high), step.gamma)


def _edging(studio: Studio, step: EdgingStep, own: dict[str, Any], folder: Path, into: int | None) -> str:
    check_scope(studio, step.scope)
    if own and step.along != "path":
        raise CommandError(
            tr("an edging has no key {key!r}; only one along a 'path' takes the keys of one", key=next(iter(own)))
        )
    path = None
    if step.along == "path":
        width = step.width if step.width is not None else studio.model.diagonal * 0.01
        path = parse_place(studio, {"mode": "along", "width": width, **own})
    picture = None if step.picture is None else kept_picture(studio, folder / step.picture)
    given = step.channels
    if given is None:
        given = {"colour": "picture"} if picture is not None else {"colour": "#d8cba8"}
    channels = {name: Channel(value) for name, value in given.items()}
    if step.height is not None and "height" not in channels and picture is None:
        channels["height"] = Channel("picture", relief=True)
    height = 0.5 if step.height is None else step.height
    edging = Edging(step.along, step.motif, picture, step.offset, step.length, step.width, step.gap, step.round,
                    step.jitter, height, step.angle, step.seed, path)  # fmt: skip
    name = _add(studio, step, "Edging", edging, channels, into)
    note = too_short(studio.sources, edging)
    if note:
        studio.notes.append(f"{name}: {note}")
    return name


def _group(studio: Studio, step: GroupStep, folder: Path, into: int | None) -> str:
    name = _add(studio, step, "Group", Group(isolated=step.isolated), {}, into)
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


def _mask(studio: Studio, step: MaskStep, folder: Path) -> str:
    layer = named(studio, step.layer)
    if step.kind in ("share", "copy"):
        other = named(studio, step.of or "")
        if other.mask is None:
            raise CommandError(tr("'{name}' has no mask to {kind}", name=other.name, kind=step.kind))
        if step.kind == "share":
            studio.execute(GiveMask((layer.id,), other.mask))
        else:
            studio.execute(PasteMask((layer.id,), studio.project.masks[other.mask], step.invert))
        return step.layer
    shape = _shape(studio, step, folder, layer.id)
    entry = MaskEntry(shape, step.mode, step.invert, step.feather, step.black, step.white, step.gamma,
                      opacity=step.opacity, grow=step.grow, smooth=step.smooth)  # fmt: skip
    studio.execute(AddMaskEntry(layer.id, entry))
    return step.layer


def _shape(studio: Studio, step: MaskStep, folder: Path, layer_id: int) -> Shape:
    if step.kind in ("map", "colour") and step.map not in MAPS:
        raise CommandError(
            tr("there is no map called {map!r}; the maps are {MAPS}", map=step.map, MAPS=", ".join(MAPS))
        )
    if step.kind == "map":
        return taking.shape_of_map(studio, layer_id, step.map)
    if step.kind == "colour":
        check_share("tolerance", step.tolerance)
        check_share("soft", step.soft)
        try:
            wanted = parse_value(step.map, step.colour)
        except ValueError as error:
            raise CommandError(tr("a mask of kind 'colour' needs a 'colour': {error}", error=error)) from error
        return taking.shape_of_colour(studio, layer_id, step.map, wanted, step.tolerance, step.soft)
    if step.kind == "fill":
        if step.value not in (0, 1):
            raise CommandError(tr("value of a fill is 0 or 1, not {value:g}", value=step.value))
        return Fill(float(step.value))
    if step.kind == "scope":
        if step.scope is None:
            raise CommandError(tr("a mask of kind 'scope' needs a 'scope'"))
        check_scope(studio, step.scope)
        return ScopeShape(step.scope)
    if step.picture is None or step.place is None:
        raise CommandError(tr("a mask of kind 'picture' needs a 'picture' and a 'place'"))
    place = parse_place(studio, step.place)
    return PictureShape(kept_picture(studio, folder / step.picture), place, step.use)
