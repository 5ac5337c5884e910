"""The exporter: composites every map anew at the depth and size asked for and writes whole files."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from msgspec.structs import replace

from lucky_fern.core.arrays import U8, U16
from lucky_fern.core.compositing.compositor import Finished, composite_sheet, written_maps
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.errors import Cancelled, CommandError, ExportError
from lucky_fern.core.exporting.png import encode_png
from lucky_fern.core.exporting.presets import RECIPES, Pixels, Recipe
from lucky_fern.core.exporting.setup import FORMATS, ExportSetup, file_name
from lucky_fern.core.files import WholeFiles
from lucky_fern.core.project.document import Project
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.sheet import LARGEST, SMALLEST, Sheet

Progress = Callable[[int, int, str], None]


@dataclass(frozen=True)
class Plan:
    """One file to be written."""

    name: str
    recipe: Recipe
    maps: tuple[str, ...]
    sheet: SheetKey


@dataclass(frozen=True)
class Plans:
    """All files of an export, and the maps left out because no layer writes to them."""

    files: tuple[Plan, ...]
    skipped: tuple[str, ...]


@dataclass(frozen=True)
class Exported:
    """What an export wrote."""

    files: tuple[Path, ...]
    skipped: tuple[str, ...]


def check_setup(setup: ExportSetup) -> None:
    """Refuse an export that cannot be.

    Raises
    ------
    CommandError
        With a sentence about the key that is wrong.
    """
    if setup.preset not in RECIPES:
        raise CommandError(f"there is no preset {setup.preset!r} yet; there are {', '.join(RECIPES)}")
    if setup.format not in FORMATS:
        raise CommandError(f"format {setup.format!r} is not written yet; there is {', '.join(FORMATS)}")
    if setup.size is not None and not SMALLEST <= setup.size <= LARGEST:
        raise CommandError(f"size runs from {SMALLEST} to {LARGEST} texels, not {setup.size}")
    if setup.padding is not None and not 0 <= setup.padding <= 254:
        raise CommandError(f"padding runs from 0 to 254 texels, not {setup.padding}; leave it out to fill all")


def plan_export(sources: Sources, project: Project, setup: ExportSetup, stem: str) -> Plans:
    """Work out which files an export writes, without writing any.

    Raises
    ------
    CommandError
        If two materials would write the same file.
    """
    surface = sources.surface
    sized = _resized(project, setup)
    written = {key: written_maps(sources, sized, surface.sheet(key, sized.size_of(key))) for key in surface.keys}
    files: list[Plan] = []
    left_out: dict[str, list[str]] = {}
    for material in surface.materials:
        keys = [key for key in surface.keys if key.material == material]
        used = set[str]().union(*(written[key] for key in keys))
        for recipe in RECIPES[setup.preset]:
            if not recipe.always and not set(recipe.sources) <= used:
                left_out.setdefault(recipe.name, []).append(material)
                continue
            maps = (*recipe.sources, *(name for name in recipe.extra if name in used))
            for key in keys:
                name = file_name(stem, key, recipe.name, len(keys) == 1, setup.format)
                files.append(Plan(name, recipe, maps, key))
    names = [plan.name.lower() for plan in files]
    for name in names:
        if names.count(name) > 1:
            raise CommandError(f"two materials would both write {name}; rename one of them")
    skipped = [
        name if len(materials) == len(surface.materials) else f"{material}:{name}"
        for name, materials in left_out.items()
        for material in (materials[:1] if len(materials) == len(surface.materials) else materials)
    ]
    return Plans(tuple(files), tuple(skipped))


def export(
    sources: Sources,
    project: Project,
    setup: ExportSetup,
    stem: str,
    folder: Path,
    progress: Progress | None = None,
    cancelled: Callable[[], bool] | None = None,
    finished: Finished | None = None,
) -> Exported:
    """Write the files of an export into ``folder``; they appear together at the end, or none does.

    ``finished`` answers with maps of this very project that are composited already, or None: what they hold
    at the size and depth asked for is not worked out again. The files are the same either way.

    Raises
    ------
    CommandError
        If the set-up cannot be (nothing was touched).
    ExportError
        If the disk refuses (nothing half-written stays).
    Cancelled
        If ``cancelled()`` answers True.
    """
    check_setup(setup)
    plans = plan_export(sources, project, setup, stem)
    sized = _resized(project, setup)
    if folder.exists() and not folder.is_dir():
        raise ExportError(f"{folder} is a file, not a folder; choose another place for the maps.")
    done = 0
    with WholeFiles() as files, ThreadPoolExecutor(2, thread_name_prefix="fern-export") as pool:

        def work(plan: Plan) -> tuple[Plan, bytes]:
            if cancelled is not None and cancelled():
                raise Cancelled("the export was stopped; nothing was written")
            sheet = sources.surface.sheet(plan.sheet, sized.size_of(plan.sheet))
            kept = finished if setup.size is None else None
            return plan, encode_png(_pixels(sources, sized, setup, plan, sheet, cancelled, kept))

        # Sheet by sheet, whatever the order of the files: what one map draws serves the next one.
        order = sorted(range(len(plans.files)), key=lambda number: plans.files[number].sheet)
        sent = {number: pool.submit(work, plans.files[number]) for number in order}
        waiting = [sent[number] for number in range(len(plans.files))]
        try:
            for future in waiting:
                plan, data = future.result()
                files.write(folder / plan.name, data)
                done += 1
                if progress is not None:
                    progress(done, len(waiting), plan.name)
        except BaseException:
            for future in waiting:
                future.cancel()
            raise
        return Exported(tuple(files.publish()), plans.skipped)


def _resized(project: Project, setup: ExportSetup) -> Project:
    return project if setup.size is None else replace(project, sheet_size=setup.size, sheet_sizes={})


def _pixels(
    sources: Sources,
    project: Project,
    setup: ExportSetup,
    plan: Plan,
    sheet: Sheet,
    cancelled: Callable[[], bool] | None,
    finished: Finished | None,
) -> U8 | U16:
    bits = plan.recipe.bits or setup.bits
    maps: dict[str, Pixels] = {
        name: composite_sheet(sources, project, name, sheet, bits, setup.padding, cancelled, finished)
        for name in plan.maps
    }
    if "normal" in maps and setup.normal_y == "-":
        normal = maps["normal"]
        normal[..., 1] = (255 if bits == 8 else 65535) - normal[..., 1]
    return plan.recipe.combine(maps)
