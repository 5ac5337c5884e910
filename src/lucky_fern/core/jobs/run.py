"""Running a job file: everything is checked and worked out before the first byte is written."""

from __future__ import annotations

import json
import os
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

import msgspec
from msgspec.structs import replace

from lucky_fern.core.checking.wrong_normals import all_wrong_normals
from lucky_fern.core.errors import CommandError, LuckyFernError
from lucky_fern.core.exporting.exporter import export
from lucky_fern.core.exporting.plans import plan_export
from lucky_fern.core.files import WholeFiles, read_file, target
from lucky_fern.core.jobs.base import Later
from lucky_fern.core.jobs.places import convert
from lucky_fern.core.jobs.sizes import Sizing, sized
from lucky_fern.core.jobs.steps import do_step
from lucky_fern.core.limits import MOST_SMALL_FILE
from lucky_fern.core.project.commands import SetSheetSize
from lucky_fern.core.project.export_setup import ExportSetup, check_setup
from lucky_fern.core.project.layouts import Wrap
from lucky_fern.core.project.presets import LARGEST_PRESET, PRESETS, preset_from_json
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr

_T = TypeVar("_T")
Report = Callable[[dict[str, Any]], None]


class JobError(LuckyFernError):
    """The job is wrong; the sentence names the job file and the step. Nothing was written."""


class Job(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The shape of a job file."""

    job: int
    model: str | None = None
    project: str | None = None
    wrap: list[str] = []
    sheet_size: Sizing | dict[str, Sizing] | None = None
    steps: list[Any] = []
    save: str | None = None
    exports: list[Any] = []


@dataclass(frozen=True)
class Outcome:
    """What a job wrote, and what it left out."""

    files: tuple[Path, ...]
    skipped: tuple[str, ...]
    warnings: tuple[str, ...]


def run_job(path: Path, report: Report | None = None, given: bytes | None = None) -> Outcome:
    """Do a job.

    Parameters
    ----------
    report : called after every step with its number, verb and name.
    given : the job itself, where it is no file; ``path`` then says what to call it and where its paths begin.

    Raises
    ------
    JobError
        If the job is wrong; nothing has been written then.
    ExportError
        If writing failed on the way; every file is whole or absent.
    """
    job = _read(path, given)
    folder = path.parent
    studio = _start(job, path)
    later: list[Later] = []
    source = path.parent / (job.model or job.project or "")
    for number, step in enumerate(job.steps, 1):
        verb = step.get("do") if isinstance(step, dict) else None
        located = f"step {number} ({verb})" if isinstance(verb, str) else f"step {number}"
        name = _located(path, located, partial(do_step, studio, step, folder, None, later, source))
        if report is not None:
            report({"step": number, "do": verb, "name": name})
    studio.notes += [wrong.sentence for wrong in all_wrong_normals(studio.sources, studio.project)]
    setups = []
    stem = Path(job.project).stem if job.project is not None else path.stem
    for number, data in enumerate(job.exports, 1):
        preset = data.get("preset") if isinstance(data, dict) else None
        located = f"export {number} ({preset})" if isinstance(preset, str) else f"export {number}"
        setups.append(_located(path, located, partial(_setup, studio, data, stem, folder)))
    _check_targets(path, job, setups, studio, stem)

    files: list[Path] = []
    skipped: list[str] = []
    written: dict[Path, bytes] = {}
    for write in later:
        written.update(write())
    with WholeFiles() as whole:
        for place, data in written.items():
            whole.write(place, data)
        files += whole.publish()
    if job.save is not None:
        studio.save(target(folder, job.save))
        files.append(target(folder, job.save))
    for setup in setups:
        done = export(studio.sources, studio.project, setup, stem, target(folder, setup.out))
        files += [name for name in done.files if name not in files]
        skipped += [name for name in done.skipped if name not in skipped]
    return Outcome(tuple(files), tuple(skipped), (*studio.warnings, *studio.notes))


def _read(path: Path, given: bytes | None) -> Job:
    raw = given if given is not None else _located(path, None, lambda: read_file(path, CommandError, MOST_SMALL_FILE))
    if len(raw) > MOST_SMALL_FILE:
        raise JobError(tr("{name}: is too large for a job", name=path.name))
    try:
        data = json.loads(raw, parse_constant=_no_number)
    except (ValueError, RecursionError) as error:
        what = "it is nested too deeply" if isinstance(error, RecursionError) else error
        raise JobError(tr("{name}: is not valid JSON ({what}); mend it there", name=path.name, what=what)) from error
    if not _is_text(data):
        raise JobError(tr("{name}: holds characters that are none (half of a pair); mend it there", name=path.name))

    def parse() -> Job:
        job = convert(data, Job)
        if job.job != 1:
            raise CommandError(tr('this program reads jobs of version 1, not {job}; write "job": 1', job=job.job))
        if (job.model is None) == (job.project is None):
            raise CommandError(tr("give either 'model' (a new project) or 'project' (an existing one)"))
        return job

    return _located(path, None, parse)


def _is_text(data: object) -> bool:
    """Whether all words in it can be written down: half of a surrogate pair cannot."""
    try:
        json.dumps(data, ensure_ascii=False).encode()
    except (UnicodeEncodeError, RecursionError):
        return False
    return True


def _no_number(word: str) -> float:
    raise ValueError(tr("{word} is no number that JSON has", word=word))


def _start(job: Job, path: Path) -> Studio:
    """The studio that the job begins with, its sheets at the sizes asked for."""

    def begin() -> Studio:
        if job.model is not None:
            studio = Studio.new(path.parent / job.model, path.stem)
        else:
            assert job.project is not None
            studio = Studio.open(path.parent / job.project)
            studio.blobs.fetch()  # what is damaged is said before anything is done
        unwraps = bool(job.wrap) or any(isinstance(step, dict) and step.get("do") == "layout" for step in job.steps)
        if not studio.surface.keys and not unwraps:
            raise CommandError(studio.warnings[-1])
        return studio

    studio = _located(path, "model" if job.model is not None else "project", begin)
    if job.wrap:
        _located(path, "wrap", lambda: _wrap(studio, tuple(job.wrap)))
    _located(path, "sheet_size", lambda: _size_sheets(studio, job.sheet_size))
    return studio


def _wrap(studio: Studio, materials: tuple[str, ...]) -> None:
    studio.notes += studio.lay_out(Wrap(materials))


def _size_sheets(studio: Studio, wanted: Sizing | dict[str, Sizing] | None) -> None:
    if wanted is None:
        return
    sizes = dict(wanted) if isinstance(wanted, dict) else {"default": wanted}
    if "default" in sizes:
        studio.execute(SetSheetSize(sized(sizes.pop("default"))))
    known = [str(key) for key in studio.surface.keys]
    for name, size in sizes.items():
        if name not in known:
            raise CommandError(
                tr("there is no sheet {name!r}; there are {known} and default", name=name, known=", ".join(known))
            )
        studio.execute(SetSheetSize(sized(size), name))


def _setup(studio: Studio, data: object, stem: str, folder: Path) -> ExportSetup:
    setup = convert(data, ExportSetup)
    own = folder / setup.preset
    if setup.own is None and setup.preset not in PRESETS and own.suffix == ".json" and os.path.isfile(own):
        setup = replace(setup, own=preset_from_json(read_file(own, CommandError, LARGEST_PRESET), own.name))
    check_setup(setup)
    plans = plan_export(studio.sources, studio.project, setup, stem)
    studio.notes += [note for note in plans.notes if note not in studio.notes]
    return setup


def _check_targets(path: Path, job: Job, setups: list[ExportSetup], studio: Studio, stem: str) -> None:
    """Refuse targets that cannot be; note where two exports write one file differently."""
    taken: dict[Path, object] = {}
    for number, setup in enumerate(setups, 1):

        def check(setup: ExportSetup = setup) -> None:
            folder = target(path.parent, setup.out, CommandError)
            blocked = next((part for part in (folder, *folder.parents) if os.path.exists(part)), folder)
            if not os.path.isdir(blocked):
                raise CommandError(tr("{blocked} is a file, not a folder; choose another 'out'", blocked=blocked))
            for plan in plan_export(studio.sources, studio.project, setup, stem).files:
                contents = (plan.contents, replace(setup, preset="", out="", own=None))
                place = folder / plan.name
                if taken.get(place, contents) != contents:
                    studio.notes.append(
                        tr("two exports write {name}, each its own way; the later one stands", name=plan.name)
                    )
                taken[place] = contents

        _located(path, f"export {number} ({setup.preset})", check)
    if job.save is not None:
        place = _located(path, "save", lambda: target(path.parent, job.save or "", CommandError))
        if os.path.exists(place) and not os.path.isfile(place):
            raise JobError(
                tr(
                    "{name}: save: {save} is no plain file; name a file that ends in .fern",
                    name=path.name,
                    save=job.save,
                )
            )


def _located(path: Path, place: str | None, work: Callable[[], _T]) -> _T:
    """Do something; what goes wrong is told with the job's name and the place in it, on one line."""
    try:
        return work()
    except LuckyFernError as error:
        sentence = " ".join(str(error).split())
        raise JobError(": ".join(filter(None, (path.name, place, sentence)))) from error
