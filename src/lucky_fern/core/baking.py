"""What a finer model has, baked: pictures of it for every sheet, as a wash, and marks where nothing was found."""

from __future__ import annotations

from collections.abc import Callable, Container
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import numpy as np

from lucky_fern.core.arrays import F64, U16
from lucky_fern.core.colour import from_hex
from lucky_fern.core.errors import CommandError
from lucky_fern.core.exporting.png import encode_png
from lucky_fern.core.limits import MOST_FINER
from lucky_fern.core.model.load import load_model
from lucky_fern.core.model.model import Model
from lucky_fern.core.parallel import for_each
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.project.commands import AddLayer, AddPicture, AddSequence, SetLayer, Several, Single, free_name
from lucky_fern.core.project.document import Channel, KitPicture, Wash
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.sheets.grid import all_chunks, span
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.studio import Studio
from lucky_fern.core.survey.falls import rounded_normals
from lucky_fern.core.survey.finer import Finer, apart
from lucky_fern.words import tr

CARRIED = ("normal", "height", "occlusion")
CAGE = 0.02  # of the model's diagonal
_MARK = "#e5389b"
_BATCH = 16  # chunks between two words of how far it has come
Told = Callable[[float], object]


@dataclass(frozen=True)
class Asked:
    """What is to be baked: ``maps`` of :data:`CARRIED`, within ``cage`` model units, into a wash called ``layer``."""

    maps: tuple[str, ...] = CARRIED
    cage: float | None = None
    layer: str = "Baked"


@dataclass(frozen=True)
class Baked:
    """The edit that puts it on, one step; the share of texels that found nothing; what there is to say of them."""

    command: Several
    lost: float
    notes: tuple[str, ...]


def cage_of(model: Model, cage: float | None) -> float:
    """A cage in model units; where none is given, a share of the model's diagonal.

    Raises
    ------
    CommandError
        If it is no length above 0.
    """
    units = model.diagonal * CAGE if cage is None else cage
    if not 0 < units < 1e12:
        raise CommandError(tr("'cage' is a length in model units above 0, not {cage:g}", cage=units))
    return units


def read_finer(path: Path) -> Model:
    """A finer model from its file.

    Raises
    ------
    ModelError, CommandError
        If it cannot be used, or has more triangles than can be asked for.
    """
    model = load_model(path)
    if model.triangle_count > MOST_FINER:
        raise CommandError(
            tr("{name} has {count:,} triangles; up to {most:,} are read. Write a lighter copy of it.",
               name=path.name, count=model.triangle_count, most=MOST_FINER)
        )  # fmt: skip
    return model


def check_near(model: Model, finer: Model, name: str, cage: float) -> None:
    """Refuse a finer model that lies elsewhere (CommandError)."""
    far = apart(model, finer, cage)
    if far > 0:
        raise CommandError(
            tr("{name} lies {far:.3g} units away from the model; move it to where the model is", name=name, far=far)
        )


def moved_here(model: Model, finer: Model) -> Model:
    """The finer model with the middle of its box where the model's is."""
    step = model.bounds.mean(axis=0) - finer.bounds.mean(axis=0)
    return replace(finer, positions=finer.positions + step)


@dataclass(frozen=True)
class Cage:
    """The ends (N, 2, 3) of a model's outline edges, and the way away from it there (unit vectors)."""

    ends: F64
    away: F64

    def lines(self, units: float) -> F64:
        """(N, 2, 3) the edges, so many model units away."""
        return np.asarray(self.ends + units * self.away, np.float64)


def cage_round(model: Model, most: int = 200_000) -> Cage:
    """The cage round a model, of ``most`` lines."""
    edges = model.outline_edges
    if len(edges) > most:
        edges = edges[:: -(-len(edges) // most)]
    away, corners = rounded_normals(model), model.corners
    rows, first, second = edges[:, 0], edges[:, 1], edges[:, 2]
    ends = np.stack([corners[rows, first], corners[rows, second]], axis=1)
    return Cage(ends, np.stack([away[rows, first], away[rows, second]], axis=1))


def bake(studio: Studio, finer: Model, name: str, asked: Asked, told: Told = lambda _: None) -> Baked:
    """Carry over what a finer model (called ``name`` in sentences) has, on all sheets; nothing changes yet.

    ``told`` hears the share that is done; what it raises ends it.

    Raises
    ------
    CommandError
        If the finer model lies elsewhere, or the cage is none.
    """
    cage = cage_of(studio.model, asked.cage)
    check_near(studio.model, finer, name, cage)
    rays = Finer(studio.model, finer, cage)
    sheets = list(studio.surface.sheets(studio.project.size_of))
    every = sum(len(all_chunks(sheet.size)) for sheet in sheets)
    done = lost = texels = 0
    commands: list[Single] = []
    names: dict[str, dict[str, dict[int, str]]] = {}  # material → map → tile → picture
    layer = free_name(studio.project, asked.layer)
    for sheet in sheets:
        made, missed, count = _drawn(rays, sheet, asked.maps, partial(_tell, told, done, every))
        done += len(all_chunks(sheet.size))
        lost, texels = lost + missed, texels + count
        for what in (*asked.maps, *(["missed"] if missed else [])):
            title = f"{layer} {what} {sheet.key.material} {sheet.key.tile}.png"
            kit = _kit(studio, made[what], title, "colour" if what == "missed" else "data")
            identity = _free(title, studio.project.pictures)
            commands.append(AddPicture(identity, kit))
            names.setdefault(sheet.key.material, {}).setdefault(what, {})[sheet.key.tile] = identity
    number = studio.project.next_id
    for material, maps in names.items():
        channels = {}
        for what, tiles in maps.items():
            title = _free(f"{layer} {what} {material}", {**studio.project.sequences, **studio.project.pictures})
            commands.append(AddSequence(title, tiles))
            channels[what] = Channel("picture", picture=title)
        scope = Scope() if len(names) == 1 else Scope(materials=(material,))
        missed_in = channels.pop("missed", None)
        commands.append(AddLayer(layer, Wash(by="tiles"), channels, scope=scope))
        number += 1
        if missed_in is not None:
            marks = {"colour": Channel("picture", picture=missed_in.picture)}
            commands.append(AddLayer(tr("{layer}: nothing found", layer=layer), Wash(by="tiles"), marks, scope=scope))
            commands.append(SetLayer(number, visible=False))
            number += 1
    share = lost / max(texels, 1)
    notes: tuple[str, ...] = ()
    if lost:
        notes = (
            tr("{layer}: {share:.1%} of the texels found nothing of {name} within {cage:.3g} units; they are left as "
               "they were, and marked by the hidden layer '{layer}: nothing found'", layer=layer, share=share,
               name=name, cage=cage),
        )  # fmt: skip
    return Baked(Several(tuple(commands), named=tr("Bake {name}", name=name)), share, notes)


def _tell(told: Told, done: int, every: int, chunks: int) -> None:
    told((done + chunks) / every)


def _kit(studio: Studio, pixels: U16, title: str, taken: Taken) -> KitPicture:
    data = encode_png(pixels)
    rows, columns = pixels.shape[:2]
    return KitPicture(title, studio.blobs.add(data), columns, rows, taken, tr("baked"))


def _free(name: str, taken: Container[str]) -> str:
    title, number = name, 2
    path = Path(name)
    while title in taken:
        title, number = f"{path.stem} {number}{path.suffix}", number + 1
    return title


def _drawn(
    finer: Finer, sheet: Sheet, maps: tuple[str, ...], told: Callable[[int], object]
) -> tuple[dict[str, U16], int, int]:  # fmt: skip
    """Pictures (rows, columns, 4) uint16 of a sheet by map, clear where nothing was found (``missed``: the other
    way round); how many texels that were, and of how many.
    """
    made = {name: np.zeros((*sheet.size.shape, 4), np.uint16) for name in (*maps, "missed")}
    mark = np.rint(np.array(from_hex(_MARK)) * 65535).astype(np.uint16)
    carry = partial(finer.carry, sheet, cover="occlusion" in maps)
    chunks = all_chunks(sheet.size)
    lost = texels = 0
    for start in range(0, len(chunks), _BATCH):
        told(start)
        some = chunks[start : start + _BATCH]
        for chunk, found in zip(some, for_each(carry, some), strict=True):
            rows, columns = span(chunk, sheet.size)
            values = {
                "normal": found.normal * 0.5 + 0.5,
                "height": np.clip(0.5 + found.height / (2 * finer.cage), 0, 1)[..., None],
                "occlusion": found.open[..., None],
            }
            for name in maps:
                made[name][rows, columns, :3] = np.rint(values[name] * 65535).astype(np.uint16)
                made[name][rows, columns, 3] = np.where(found.found, 65535, 0)
            inside = sheet.owners(chunk) >= 0
            made["missed"][rows, columns, :3] = mark
            made["missed"][rows, columns, 3] = np.where(inside & ~found.found, 65535, 0)
            texels += int(inside.sum())
            lost += int((inside & ~found.found).sum())
    return made, lost, texels
