"""The exporter: composites every map anew at the depth and size asked for and writes whole files."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor, as_completed
from dataclasses import dataclass, field
from pathlib import Path

from msgspec.structs import replace

from lucky_fern.core.compositing.compositor import Finished, composite_sheet
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.errors import Cancelled
from lucky_fern.core.exporting.channels import Pixels, file_pixels, tinted
from lucky_fern.core.exporting.credits import CREDITS, credits_text
from lucky_fern.core.exporting.formats import encode
from lucky_fern.core.exporting.glb import Image, glb_parts, sheet_skins
from lucky_fern.core.exporting.materialx import write_materialx
from lucky_fern.core.exporting.model_files import textured_obj
from lucky_fern.core.exporting.numbers import NUMBERS, numbers_json
from lucky_fern.core.exporting.openraster import encode_layers
from lucky_fern.core.exporting.plans import Plan, Plans, plan_export, resized, used_by, written_by_sheet
from lucky_fern.core.exporting.room import check_folder, check_room
from lucky_fern.core.exporting.usd import write_usd
from lucky_fern.core.exporting.wires import Wire, wires
from lucky_fern.core.files import WholeFiles, safe_name
from lucky_fern.core.maps import MAPS
from lucky_fern.core.model.as_written import as_written
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.export_setup import FORMATS, ExportSetup, check_setup
from lucky_fern.core.project.presets import MapFile
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.padding import plan_padding

Progress = Callable[[int, int, str], None]
_AT_ONCE = 2  # files that are worked out at the same time


@dataclass(frozen=True)
class Exported:
    """What an export wrote, file by file with its bytes' number."""

    files: tuple[Path, ...]
    skipped: tuple[str, ...]
    notes: tuple[str, ...] = ()
    sizes: Mapping[Path, int] = field(default_factory=dict)


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
    check_folder(folder, [plan.name for plan in plans.files])
    check_room(project, setup, plans, folder)
    work = _Work(sources, project, setup, stem, plans, cancelled, finished)
    sizes: dict[Path, int] = {}
    with WholeFiles() as files, ThreadPoolExecutor(_AT_ONCE, thread_name_prefix="fern-export") as pool:

        def write(plan: Plan) -> tuple[Plan, int]:
            data = work.bytes_of(plan) if plan.sheet is not None else work.parts_of(plan)
            kept = files.write(folder / plan.name, data)
            work.keep(plan, kept)
            return plan, kept.stat().st_size

        def tell(plan: Plan, size: int) -> None:
            sizes[folder / plan.name] = size
            if progress is not None:
                progress(len(sizes), len(plans.files), plan.name)

        # Sheet by sheet, whatever the order of the files: what one map draws serves the next one. Each is on disk
        # before the next one begins, so that no more lie in memory than are worked on.
        order = [plan for key in sources.surface.keys for plan in plans.files if plan.sheet == key]
        sent = [pool.submit(write, plan) for plan in order]
        try:
            for done in map(Future.result, as_completed(sent)):
                tell(*done)
            for plan in plans.files:
                if plan.sheet is None:
                    tell(*write(plan))
        except BaseException:
            for waiting in sent:
                waiting.cancel()
            raise
        finally:
            sent.clear()  # what was raised, and this frame that it knows, would hold on to each other
        files.publish()
        return Exported(tuple(folder / plan.name for plan in plans.files), plans.skipped, plans.notes, sizes)


def measured(
    sources: Sources,
    project: Project,
    setup: ExportSetup,
    stem: str,
    cancelled: Callable[[], bool] | None = None,
    finished: Finished | None = None,
) -> dict[str, int]:
    """File name → bytes that an export would write, all of it worked out and nothing written.

    Raises
    ------
    CommandError, ExportError, Cancelled
        As :func:`export` does.
    """
    check_setup(setup)
    plans = plan_export(sources, project, setup, stem)
    work = _Work(sources, project, setup, stem, plans, cancelled, finished)
    sizes = {}
    with tempfile.TemporaryDirectory(prefix="fern-measure-") as place:  # a GLB takes its pictures from there
        for number, plan in enumerate(plans.files):
            if plan.sheet is not None:
                data = work.bytes_of(plan)
                sizes[plan.name] = len(data)
                if work.serves_glb(plan):
                    kept = Path(place) / str(number)
                    kept.write_bytes(data)
                    work.keep(plan, kept)
            else:
                parts = work.parts_of(plan)
                sizes[plan.name] = len(parts) if isinstance(parts, bytes) else sum(map(len, parts))
    return sizes


@dataclass
class _Work:
    """One export under way."""

    sources: Sources
    project: Project
    setup: ExportSetup
    stem: str
    plans: Plans
    cancelled: Callable[[], bool] | None
    finished: Finished | None
    _images: dict[tuple[SheetKey, MapFile], Path] = field(default_factory=dict)

    def bytes_of(self, plan: Plan) -> bytes:
        """A file of one sheet."""
        self._go_on()
        assert plan.sheet is not None
        if plan.file is not None:
            own = self.setup.of(plan.file)
            if self.project.is_pixel_art(plan.sheet):  # halvings mix what must not be mixed
                own = replace(own, mips=False)
            pixels = self._pixels(plan.file, plan.maps, plan.sheet, self.setup)
            return encode(plan.file, pixels, own, self.cancelled)
        sized, times = self._times(resized(self.project, self.setup), plan.sheet)
        sheet = self.sources.surface.sheet(plan.sheet, sized.size_of(plan.sheet))
        return encode_layers(self.sources, sized, sheet, times=times)

    def _times(self, sized: Project, key: SheetKey) -> tuple[Project, int]:
        """The project at the sizes that are drawn, and how often larger a sheet is written: pixel art is drawn as it
        is, each texel then a square of them."""
        if not self.project.is_pixel_art(key):
            return sized, 1
        return self.project, sized.size_of(key).width // self.project.size_of(key).width

    def keep(self, plan: Plan, written: Path) -> None:
        """Remember where a sheet's file lies, if the GLB has use for it."""
        if plan.file is not None and plan.sheet is not None and self.serves_glb(plan):
            self._images[plan.sheet, plan.file] = written

    def parts_of(self, plan: Plan) -> bytes | Iterator[bytes]:
        """A file about all sheets."""
        self._go_on()
        if plan.name == NUMBERS:
            return numbers_json(self.project.numbers)
        if plan.name == CREDITS:
            return credits_text(self.project, self.sources.blobs).encode()
        if plan.name.endswith(".glb"):
            return self._glb()
        if plan.name.endswith(".usda"):
            model = self.sources.surface.model
            return write_usd(as_written(model).model, self._wires(), self.setup.glow, model.repeats)
        if plan.name.endswith(".mtlx"):
            squares = {key.material for key in self.sources.surface.keys if self.project.is_pixel_art(key)}
            return write_materialx(self._wires(), self.setup.glow, self.sources.surface.model.repeats, squares)
        return self._obj()[plan.name]

    def _go_on(self) -> None:
        if self.cancelled is not None and self.cancelled():
            raise Cancelled("the export was stopped; nothing was written")

    def _pixels(self, file: MapFile, maps: tuple[str, ...], key: SheetKey, setup: ExportSetup) -> Pixels:
        """What a file holds of a sheet."""
        sized, own = resized(self.project, setup, file), setup.of(file)
        sized, times = self._times(sized, key)
        sheet = self.sources.surface.sheet(key, sized.size_of(key))
        bits = setup.bits_of(file)
        # What is converted or spread over fewer steps begins with all that there is.
        deep = own.dither or any(not pick.plain and pick.of for pick in file.channels)
        found: dict[str, Pixels] = {}
        for name in maps:
            depth = 16 if deep and MAPS[name].wide else 8 if deep and bits == 8 and not own.dither else bits
            found[name] = composite_sheet(
                self.sources, sized, name, sheet, 16 if own.dither else depth, own.padding, self.cancelled,
                self.finished if sized is self.project else None,
            )  # fmt: skip
            if times > 1:
                found[name] = found[name].repeat(times, axis=0).repeat(times, axis=1)
        for name, pixels in found.items():
            if MAPS[name].directional and own.normal_y == "-":
                pixels[..., 1] = (255 if pixels.dtype.itemsize == 1 else 65535) - pixels[..., 1]
            if MAPS[name].glows and setup.tint is not None:
                found[name] = tinted(pixels, setup.tint)
        if setup.rims and "colour" in found and "opacity" in found and found["opacity"].any():
            plan_padding(found["opacity"][..., 0] > 0).fill(found["colour"])
        return file_pixels(file, found, bits, own.dither, own.in_floats(file))

    # --- the model ----------------------------------------------------------------------------------------------

    @property
    def _plain(self) -> ExportSetup:
        """What a GLB holds, written as it holds it."""
        return replace(self.setup, format="png", bits=8, normal_y="+", own=None, preset="gltf", alpha=None)

    def serves_glb(self, plan: Plan) -> bool:
        """Whether a file's bytes can lie in a GLB as they are."""
        setup, file = self.setup, plan.file
        if setup.model_kind != "glb" or file is None or file not in self._plain.what.files:
            return False
        return FORMATS[setup.format_of(file)].in_glb and setup.bits_of(file) == 8 and setup.of(file).normal_y == "+"

    def _glb(self) -> Iterator[bytes]:
        written = written_by_sheet(self.sources, self.project, self.setup)
        plain = self._plain
        images: dict[SheetKey, dict[str, Image]] = {}
        with tempfile.TemporaryDirectory(prefix="fern-glb-") as place:  # or all maps would lie in memory together
            for key in self._keys():
                used = used_by(written, key.material)
                images[key] = {}
                for file in plain.what.files:
                    if not file.always and not set(file.told_by) & used:
                        continue
                    with_alpha = file.alpha is not None and file.alpha.of in used
                    maps = (*file.needs, *((file.alpha.of,) if file.alpha is not None and with_alpha else ()))
                    where = self._images.get((key, file))
                    if where is None:
                        self._go_on()
                        where = Path(place) / f"{len(images)}-{file.word}.png"
                        where.write_bytes(encode(file, self._pixels(file, maps, key, plain), plain))
                    images[key][file.word] = Image(where, "opacity" in maps)
            written_as = as_written(self.sources.surface.model)
            skins = sheet_skins(self.sources.surface, written_as, images, self.setup.glow, self.project.pixel_art)
            yield from glb_parts(written_as.model, skins)

    def _keys(self) -> list[SheetKey]:
        planned = {plan.sheet for plan in self.plans.files if plan.sheet is not None}
        return [key for key in self.sources.surface.keys if key in planned or not planned]

    def _map_names(self) -> dict[SheetKey, dict[str, str]]:
        """Names of the written files that hold just one map, by what they hold."""
        names: dict[SheetKey, dict[str, str]] = {}
        for plan in self.plans.files:
            held = {pick.of for pick in plan.file.channels} if plan.file is not None else set()
            if len(held) != 1 or plan.sheet is None or plan.file is None:
                continue
            mine = names.setdefault(plan.sheet, {})
            mine.setdefault(held.pop(), plan.name)
            alpha = plan.file.alpha
            if alpha is not None and alpha.of in plan.maps and plan.file.blend != "flattened" and alpha.plain:
                mine.setdefault(f"{alpha.of} in alpha", plan.name)
        return names

    def _wires(self) -> dict[str, dict[str, Wire]]:
        files = [
            (plan.name, plan.file, plan.maps, plan.sheet)
            for plan in self.plans.files
            if plan.file is not None and plan.sheet is not None
        ]
        return wires(files, self.setup)

    def _obj(self) -> dict[str, bytes]:
        return textured_obj(self.sources.surface, f"{safe_name(self.stem)}.obj", self._map_names())
