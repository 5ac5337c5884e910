"""Which files an export writes, of what and how large, and what there is to say before it does."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from msgspec.structs import replace

from lucky_fern.core.compositing.compositor import written_maps
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.errors import CommandError
from lucky_fern.core.exporting.credits import CREDITS, credits_text
from lucky_fern.core.exporting.numbers import NUMBERS
from lucky_fern.core.exporting.openraster import baked_layers
from lucky_fern.core.files import safe_name
from lucky_fern.core.maps import GLOW
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.export_setup import FORMATS, ExportSetup, file_name
from lucky_fern.core.project.presets import MapFile
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.words import tr

_MUCH = 8  # times as many texels along a side as its sheet has: worth a sentence
_BYTES_A_TEXEL = 10  # of a map while it is composited, padded and encoded, as measured
LAYERS = "layers"  # stands for the map in names of layered files


@dataclass(frozen=True)
class Plan:
    """One file to be written: of a sheet's maps (``file``), of its layers (``file`` None), or of the model."""

    name: str
    file: MapFile | None
    maps: tuple[str, ...]
    sheet: SheetKey | None

    @property
    def contents(self) -> object:
        """What tells two plans for one name apart."""
        return self.file, self.maps, self.sheet


@dataclass(frozen=True)
class Plans:
    """All files of an export, the maps left out because no layer writes to them, and what there is to say."""

    files: tuple[Plan, ...]
    skipped: tuple[str, ...]
    notes: tuple[str, ...] = ()


def plan_export(sources: Sources, project: Project, setup: ExportSetup, stem: str) -> Plans:
    """Work out which files an export writes, without writing any.

    Raises
    ------
    CommandError
        If two materials would write the same file, or a size is given to a sheet that is not there.
    """
    surface, preset = sources.surface, setup.what
    known = [str(key) for key in surface.keys]
    for name in setup.sizes:
        if name not in known:
            raise CommandError(
                tr(
                    "there is no sheet {name!r} to give a size to; there are {known}",
                    name=name,
                    known=", ".join(known),
                )
            )
    written = written_by_sheet(sources, project, setup)
    files: list[Plan] = []
    left_out: dict[str, list[str]] = {}
    notes = _enlarged(sources, project, setup)
    materials = [name for name in surface.materials if not setup.only_glowing or GLOW in used_by(written, name)]
    for material in materials:
        keys = [key for key in surface.keys if key.material == material]
        used = used_by(written, material)
        for file in preset.files:
            if not file.always and not set(file.told_by) & used:
                left_out.setdefault(file.word, []).append(material)
                continue
            maps, form = file.needs, setup.format_of(file)
            if file.alpha is not None and file.alpha.of in used and file.blend != "none":
                if not FORMATS[form].alpha and file.blend == "straight":
                    notes.append(
                        tr(
                            "JPEG has no alpha: {word} of {material} is written without its opacity",
                            word=file.word,
                            material=material,
                        )
                    )
                else:
                    maps = (*maps, file.alpha.of)
            for key in keys:
                name = file_name(stem, key, file.word, len(keys) == 1, form, preset.pattern)
                files.append(Plan(name, file, maps, key))
        if preset.layered:
            baked = baked_layers(project)
            if baked and material == materials[0]:
                named = ", ".join(f"'{layer.name}'" for layer in baked[:6])
                notes.append(
                    tr(
                        "OpenRaster cannot say what {named} does: it is put in as it looks on what is below",
                        named=named,
                    )
                )
            for key in keys:
                name = file_name(stem, key, LAYERS, len(keys) == 1, "ora")
                files.append(Plan(name, None, (), key))
    if setup.model_kind is not None and materials:
        files.append(Plan(f"{safe_name(stem)}.{setup.model_kind}", None, (), None))
        if setup.model_kind == "obj":
            files.append(Plan(f"{safe_name(stem)}.mtl", None, (), None))
    names = [plan.name.lower() for plan in files]
    for name in names:
        if names.count(name) > 1:
            raise CommandError(
                tr(
                    "two materials or tiles would both write {name}; rename one of them, or put {{tile}} in the "
                    "pattern",
                    name=name,
                )
            )
    if credits_text(project) and files:
        files.append(Plan(CREDITS, None, (), None))
    if project.numbers and files:
        files.append(Plan(NUMBERS, None, (), None))
    skipped = [
        word if len(lacking) == len(surface.materials) else f"{material}:{word}"
        for word, lacking in left_out.items()
        for material in (lacking[:1] if len(lacking) == len(surface.materials) else lacking)
    ]
    return Plans(tuple(files), tuple(skipped), tuple(notes))


def _enlarged(sources: Sources, project: Project, setup: ExportSetup) -> list[str]:
    """What it costs to write sheets much larger than they are, where nothing is finer."""
    sized = resized(project, setup)
    found = [(key, project.size_of(key), sized.size_of(key)) for key in sources.surface.keys]
    found = [(key, own, asked) for key, own, asked in found if asked.longest >= _MUCH * own.longest]
    if not found:
        return []
    key, own, asked = max(found, key=lambda one: one[2].texels / one[1].texels)
    return [
        tr(
            "{key} is written with {asked} texels from a sheet of {own}, on which nothing is finer: each map of it "
            "is {millions:.0f} million texels and takes some {memory:.0f} MB of memory while it is made",
            key=key,
            asked=asked,
            own=own,
            millions=asked.texels / 1e6,
            memory=asked.texels * _BYTES_A_TEXEL / 1e6,
        )
    ]


def written_by_sheet(sources: Sources, project: Project, setup: ExportSetup) -> dict[SheetKey, set[str]]:
    sized = resized(project, setup)
    surface = sources.surface
    return {key: written_maps(sources, sized, surface.sheet(key, sized.size_of(key))) for key in surface.keys}


def used_by(written: Mapping[SheetKey, set[str]], material: str) -> set[str]:
    return set[str]().union(*(maps for key, maps in written.items() if key.material == material))


def resized(project: Project, setup: ExportSetup, file: MapFile | None = None) -> Project:
    """The project with the sizes that files have: a file's own, a sheet's, that of all, or those of its sheets.

    One number is the longer side's; proportions stay. Sheets of pixel art are as they are, or a whole number of times
    as large.
    """
    longest = setup.size if file is None or file.size is None else file.size
    own = {} if file is not None and file.size is not None else setup.sizes
    sizes = dict(project.sheet_sizes)
    if longest is not None:
        sizes = {name: size.as_long_as(longest) for name, size in sizes.items()}
    for name, texels in own.items():
        sizes[name] = project.sheet_sizes.get(name, project.sheet_size).as_long_as(texels)
    usual = project.sheet_size if longest is None else project.sheet_size.as_long_as(longest)
    for name in project.pixel_art:
        drawn = project.sheet_sizes.get(name, project.sheet_size)
        sizes[name] = drawn.scaled(max(1, sizes.get(name, usual).longest // drawn.longest))
    known = project.sheet_sizes
    if usual == project.sheet_size and all(size == known.get(name, usual) for name, size in sizes.items()):
        return project  # what is composited already will do
    return replace(project, sheet_size=usual, sheet_sizes=sizes)
