"""Loans to other programs: ``lend`` and ``take-back``."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import msgspec

from lucky_fern.core.errors import CommandError, PictureError
from lucky_fern.core.files import read_file, target
from lucky_fern.core.jobs.base import Here
from lucky_fern.core.lending import files_of, lend, loan_of, read_back, take_back
from lucky_fern.core.lending_views import lend_view, looked, take_view_back
from lucky_fern.core.limits import MOST_FILE
from lucky_fern.core.project.loans import Box
from lucky_fern.words import tr


class Seen(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A lens: where it is, where it looks, which way is up, how many degrees it sees from top to bottom."""

    eye: tuple[float, float, float]
    at: tuple[float, float, float]
    up: tuple[float, float, float] = (0.0, 1.0, 0.0)
    angle: float = 35.0


class LendStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``lend``: maps of a box of a sheet go out as files; ``guides``: with the layout as hidden layers; ``layers``:
    those that are added there come back as layers.
    """

    do: str
    name: str
    out: str
    sheet: str | None = None
    view: Seen | None = None
    size: tuple[int, int] = (1280, 800)
    box: Box | None = None
    maps: tuple[str, ...] = ("colour",)
    guides: bool = False
    feather: float = 0.0
    layers: bool = False


class TakeBackStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``take-back``: what was changed in them becomes a painted layer."""

    do: str
    name: str
    source: str = msgspec.field(name="from")
    feather: float | None = None


def do_lend(here: Here, step: LendStep) -> str:
    """Do the step; the loan's name."""
    place = target(here.folder, step.out)
    if (step.sheet is None) == (step.view is None):
        raise CommandError(tr("a loan is of a 'sheet' or of a 'view', one of them"))
    if step.view is not None:
        return _lend_view(here, step, step.view, place)
    assert step.sheet is not None
    command = lend(here.studio, step.name, step.sheet, step.box, step.maps, str(place.resolve()),
                   step.feather, step.layers)  # fmt: skip
    here.studio.execute(command)
    loan = loan_of(here.studio, step.name.strip())
    files = files_of(here.studio, loan, place, step.guides)  # as they are now, whatever later steps do
    here.later.append(partial(dict[Path, bytes], files))
    return step.name


def _lend_view(here: Here, step: LendStep, view: Seen, place: Path) -> str:
    if place.suffix.lower() != ".png":
        raise CommandError(tr("a view goes out as .png, not {suffix!r}", suffix=place.suffix))
    throw = looked(view.eye, view.at, view.up, view.angle, step.size)
    command = lend_view(here.studio, step.name, throw, step.size, str(place.resolve()))
    here.studio.execute(command)
    assert command.view is not None
    here.later.append(partial(dict[Path, bytes], {place: here.studio.blobs[command.view.lent]}))
    return step.name


def do_take_back(here: Here, step: TakeBackStep) -> str:
    """Do the step; the loan's name."""
    if step.feather is not None and not 0 <= step.feather <= 1000:
        raise CommandError(tr("feather runs from 0 to 1000 texels, not {feather:g}", feather=step.feather))
    if step.name in here.studio.project.lent_views:
        path = here.folder / step.source
        seen_back = take_view_back(here.studio, step.name, read_file(path, PictureError, MOST_FILE), path.name)
        if seen_back is not None:
            here.studio.execute(seen_back)
        return step.name
    loan = loan_of(here.studio, step.name)
    files = read_back(loan, here.folder / step.source)
    here.studio.execute(take_back(here.studio, step.name, files, step.feather))
    return step.name
