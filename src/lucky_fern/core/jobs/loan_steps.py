"""Loans to other programs: ``lend`` and ``take-back``."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import msgspec

from lucky_fern.core.errors import CommandError
from lucky_fern.core.files import target
from lucky_fern.core.jobs.base import Here
from lucky_fern.core.lending import files_of, lend, loan_of, read_back, take_back
from lucky_fern.core.project.loans import Box
from lucky_fern.words import tr


class LendStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``lend``: maps of a box of a sheet go out as files."""

    do: str
    name: str
    sheet: str
    out: str
    box: Box | None = None
    maps: tuple[str, ...] = ("colour",)


class TakeBackStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``take-back``: what was changed in them becomes a painted layer."""

    do: str
    name: str
    source: str = msgspec.field(name="from")
    feather: float = 0.0


def do_lend(here: Here, step: LendStep) -> str:
    """Do the step; the loan's name."""
    place = target(here.folder, step.out)
    command = lend(here.studio, step.name, step.sheet, step.box, step.maps, str(place.resolve()))
    here.studio.execute(command)
    loan = loan_of(here.studio, step.name.strip())
    files = files_of(here.studio, loan, place)  # as they are now, whatever later steps do
    here.later.append(partial(dict[Path, bytes], files))
    return step.name


def do_take_back(here: Here, step: TakeBackStep) -> str:
    """Do the step; the loan's name."""
    if not 0 <= step.feather <= 1000:
        raise CommandError(tr("feather runs from 0 to 1000 texels, not {feather:g}", feather=step.feather))
    loan = loan_of(here.studio, step.name)
    files = read_back(loan, here.folder / step.source)
    here.studio.execute(take_back(here.studio, step.name, files, step.feather))
    return step.name
