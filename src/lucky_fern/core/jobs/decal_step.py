"""``decal``: one placed picture, label or figure, its copies, or a picture for each tile."""

from __future__ import annotations

from pathlib import Path
from typing import Any, Literal, Protocol

import msgspec
import numpy as np

from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.base import Here, Made, add_layer
from lucky_fern.core.jobs.layer_steps import Moving, channel_of, relief_of
from lucky_fern.core.jobs.places import kept_picture, parse_place
from lucky_fern.core.pictures.figure import Figure
from lucky_fern.core.pictures.label import Label
from lucky_fern.core.pictures.naming import UDIM_MARK, UV_MARK
from lucky_fern.core.pictures.sequences import gather_sequence
from lucky_fern.core.placing.copies import Copy, ring, row, twin, unmoved
from lucky_fern.core.placing.way import on_surface
from lucky_fern.core.project.commands.checks import check_place
from lucky_fern.core.project.document import Channel, Decal, Relief, Wash
from lucky_fern.core.project.kinds import Place
from lucky_fern.core.project.plain import Sampling
from lucky_fern.core.studio import Studio, read_sequence
from lucky_fern.words import tr


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


class Copies(Protocol):
    """A step that asks for copies."""

    @property
    def twin(self) -> Twin | None: ...
    @property
    def row(self) -> Row | None: ...
    @property
    def ring(self) -> Ring | None: ...


class DecalStep(Made, frozen=True, kw_only=True):
    """``decal``: one placed picture, ``label`` or ``figure``, or one picture for each tile."""

    picture: str | None = None
    label: Label | None = None
    figure: Figure | None = None
    place: dict[str, Any]
    channels: dict[str, str | float | Moving] = msgspec.field(default_factory=lambda: {"colour": "picture"})
    sampling: Sampling = "smooth"
    relief: bool | Relief = False
    twin: Twin | None = None
    row: Row | None = None
    ring: Ring | None = None


def do_decal(here: Here, step: DecalStep) -> str:
    studio = here.studio
    channels = {name: channel_of(value, relief_of(step, name)) for name, value in step.channels.items()}
    if not channels:
        raise CommandError(tr("a decal needs at least one map under 'channels'"))
    if step.place.get("mode") == "tiles":
        return _tiles(here, step, channels)
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
        picture, title = kept_picture(here.studio, here.folder, step.picture), Path(step.picture).stem
    place = place.square_pixels(studio.project.size_of, studio.project.picture_size(picture))
    copies = copies_of(studio, step, place)
    for number, other in reversed(list(enumerate(copies, 2))):
        named = msgspec.structs.replace(step, name=f"{step.name or title} {number}")
        add_layer(here, named, "", Decal(picture, other.place, step.sampling), channels)
    return add_layer(here, step, title, Decal(picture, place, step.sampling), channels)


def copies_of(studio: Studio, step: Copies, place: Place) -> list[Copy]:
    """The copies that a step asks for: rows and rings first, then the twins of all of them."""
    if step.twin is None and step.row is None and step.ring is None:
        return []
    if not place.on_surface:
        raise CommandError(tr("a picture laid in UV space has no twin, row or ring; drape, throw or roll it"))
    for asked in (step.row, step.ring):
        if asked is not None and not 1 <= asked.count <= 500:
            raise CommandError(tr("'count' runs from 1 to 500, not {count}", count=asked.count))
    check_place(place)
    made: list[Copy] = []
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
        made += [twin(one, step.twin.across, about, step.twin.readable) for one in (unmoved(place), *made)]
    return made


def _tiles(here: Here, step: DecalStep, channels: dict[str, Channel]) -> str:
    """A picture sequence as one wash with each picture on its tile."""
    if len(step.place) > 1:
        others = ", ".join(key for key in step.place if key != "mode")
        raise CommandError(tr("place mode 'tiles' takes no other keys; leave out {others}", others=others))
    if step.picture is None:
        raise CommandError(tr("place mode 'tiles' takes a 'picture' for each tile"))
    studio = here.studio
    path = here.folder / step.picture
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
    return add_layer(here, step, Path(step.picture).stem, Wash(sampling=step.sampling, by="tiles"), named)


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
