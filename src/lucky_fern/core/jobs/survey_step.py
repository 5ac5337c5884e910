"""The step that measures the model, and carries over what a finer one has."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import msgspec
import numpy as np

from lucky_fern.core.arrays import U16
from lucky_fern.core.errors import CommandError
from lucky_fern.core.exporting.png import encode_png
from lucky_fern.core.jobs.base import Here
from lucky_fern.core.measuring import keep_measured, measure
from lucky_fern.core.model.load import load_model
from lucky_fern.core.parallel import for_each
from lucky_fern.core.pictures.picture import read_picture
from lucky_fern.core.project.commands import AddLayer, AddSequence
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.rules import Crevices, Drips, Edges, Occlusion, Rule, Seams, Thin
from lucky_fern.core.sheets.grid import all_chunks, span
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.studio import Studio
from lucky_fern.core.survey.finer import Finer, check_near
from lucky_fern.words import tr

MEASURES: dict[str, Callable[[], Rule]] = {
    "edges": Edges, "crevices": Crevices, "occlusion": Occlusion, "thin": Thin, "seams": Seams, "drips": Drips,
}  # fmt: skip
CARRIED = ("normal", "height", "occlusion")
_CAGE = 0.02  # of the model's diagonal


class SurveyStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``survey``: measure now what rules ask for, or carry ``what`` over from a finer model into a wash.

    With ``keep``, what the project's rules measure is kept in it.
    """

    do: str
    what: list[str]
    finer: str | None = None
    cage: float | None = None
    layer: str = "Baked"
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
    cage = studio.model.diagonal * _CAGE if step.cage is None else step.cage
    if not 0 < cage < 1e12:
        raise CommandError(tr("'cage' is a length in model units above 0, not {cage:g}", cage=cage))
    path = folder / step.finer
    model = load_model(path)
    check_near(studio.model, model, path.name, cage)
    finer = Finer(studio.model, model, cage)
    pictures: dict[str, dict[str, dict[int, str]]] = {}  # material → map → tile → picture
    lost = texels = 0
    for sheet in studio.surface.sheets(studio.project.size_of):
        made, missed, count = _drawn(finer, sheet, cage)
        lost, texels = lost + missed, texels + count
        for name in what:
            title = f"{step.layer} {name} {sheet.key.material} {sheet.key.tile}.png"
            data = encode_png(made[name])
            identity = studio.keep_picture(data, read_picture(data, title, "data"))
            pictures.setdefault(sheet.key.material, {}).setdefault(name, {})[sheet.key.tile] = identity
    for material, maps in pictures.items():
        channels = {}
        for name, tiles in maps.items():
            title, number = f"{step.layer} {name} {material}", 2
            while title in studio.project.sequences or title in studio.project.pictures:
                title, number = f"{step.layer} {name} {material} {number}", number + 1
            studio.execute(AddSequence(title, tiles))
            channels[name] = Channel("picture", picture=title)
        scope = Scope() if len(pictures) == 1 else Scope(materials=(material,))
        studio.execute(AddLayer(step.layer, Wash(by="tiles"), channels, scope=scope))
    if lost:
        studio.notes.append(
            tr("{layer}: {share:.1%} of the texels found nothing of {name} within {cage:.3g} units; they are left as "
               "they were", layer=step.layer, share=lost / max(texels, 1), name=path.name, cage=cage)
        )  # fmt: skip


def _drawn(finer: Finer, sheet: Sheet, cage: float) -> tuple[dict[str, U16], int, int]:
    """Pictures (size, size, 4) uint16 of a sheet by map, transparent where nothing was found; how many texels so."""
    made = {name: np.zeros((sheet.size, sheet.size, 4), np.uint16) for name in CARRIED}
    chunks = all_chunks(sheet.size)
    lost = texels = 0
    for chunk, found in zip(chunks, for_each(partial(finer.carry, sheet), chunks), strict=True):
        rows, columns = span(chunk, sheet.size)
        alpha = np.where(found.found, 65535, 0).astype(np.uint16)
        values = {
            "normal": found.normal * 0.5 + 0.5,
            "height": np.clip(0.5 + found.height / (2 * cage), 0, 1)[..., None],
            "occlusion": found.open[..., None],
        }
        for name, value in values.items():
            made[name][rows, columns, :3] = np.rint(value * 65535).astype(np.uint16)
            made[name][rows, columns, 3] = alpha
        inside = sheet.owners(chunk) >= 0
        texels += int(inside.sum())
        lost += int((inside & ~found.found).sum())
    return made, lost, texels
