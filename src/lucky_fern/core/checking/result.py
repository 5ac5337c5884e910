"""The check of a project before it is exported: sentences about the composited maps, with what mends them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, U8, U16, Bool
from lucky_fern.core.checking.wrong_normals import all_wrong_normals
from lucky_fern.core.compositing.compositor import Finished, composite_sheet, written_maps
from lucky_fern.core.compositing.layer_row import layer_chunks
from lucky_fern.core.compositing.sources import Sources, triangles_in
from lucky_fern.core.compositing.stack import composite_alone
from lucky_fern.core.exporting.credits import unlicensed
from lucky_fern.core.exporting.exporter import measured, plan_export
from lucky_fern.core.files import safe_name
from lucky_fern.core.maps import MAPS
from lucky_fern.core.placing.facts import decal_facts
from lucky_fern.core.placing.way import on_surface
from lucky_fern.core.project.commands import SetSheetSize, Several
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.sheets.region import rect_of
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.words import tr

Kind = Literal["empty", "range", "normals", "padding", "rims", "twins", "size", "budget", "names", "glow", "licence"]
Mend = Literal["padding", "rims"]  # what a change of the export's set-up mends
Read = Callable[[SheetKey, str], U8 | U16]

_DARK, _BRIGHT = 0.11, 0.95  # encoded; charcoal and fresh snow
_SHARE = 0.02  # of a sheet's texels; less is not spoken of
_SMALL = 16  # texels: nobody saves by going below
_FINE = 2  # 8-bit steps that a sheet may differ from its half before it counts as finer
_MIPS = 16  # texels round an island that the first four halvings read
_RIM = 40  # 8-bit steps between a see-through texel and its visible neighbour
_BLACK, _LIT = 8, 64  # 8-bit steps
_LONGEST_NAME = 64


@dataclass(frozen=True)
class Found:
    """One sentence. ``worry`` False is only good to know; ``command`` or ``mend`` is what a click does about it."""

    kind: Kind
    sentence: str
    worry: bool = True
    sheet: SheetKey | None = None
    map: str | None = None
    layer: int | None = None
    title: str = ""
    command: SetSheetSize | Several | None = None
    mend: Mend | None = None


def maps_read(sources: Sources, project: Project, finished: Finished | None = None) -> Read:
    """Whole maps of a project with 8 bits, out of ``finished`` ones where they are there (see the exporter)."""

    def read(key: SheetKey, name: str) -> U8 | U16:
        sheet = sources.surface.sheet(key, project.size_of(key))
        return composite_sheet(sources, project, name, sheet, 8, finished=finished)

    return read


def check_result(
    sources: Sources, project: Project, read: Read, setups: tuple[ExportSetup, ...], stem: str,
    shared: Bool | None = None, budget: int | None = None, cancelled: Callable[[], bool] | None = None,
    finished: Finished | None = None,
) -> list[Found]:  # fmt: skip
    """Everything that is known, what is to worry about first.

    Parameters
    ----------
    read : a whole map of a sheet, (size, size, n) uint8 or uint16, padded.
    shared : (T,) bool, faces that share their texels with others.
    budget : bytes that all files together may have on disk; None for any. It takes as long as an export.
    finished : maps that are composited already, for that (see the exporter).
    """
    found: list[Found] = []
    surface = sources.surface
    shows: dict[str, bool] = {}  # map → whether anything shows on it, on any sheet
    for key in surface.keys:
        if cancelled is not None and cancelled():
            return []
        sheet = surface.sheet(key, project.size_of(key))
        used = written_maps(sources, project, sheet)
        maps = {name: read(key, name) for name in used}
        for name, pixels in maps.items():
            shows[name] = shows.get(name, False) or _shows(pixels, name, sheet.covered)
        found += _sheet_findings(sheet, maps)
    found += _empty(project, [name for name, there in shows.items() if not there])
    if shows.get("emissive"):
        found += _dark(sources, project)
    if shared is not None and shared.any():
        found += _backwards(sources, project, shared)
    for setup in setups:
        found += _setup_findings(sources, project, setup)
    found += _names(sources, project, setups, stem)
    if budget is not None:
        found += _too_large(sources, project, setups, stem, budget, cancelled, finished)
    for wrong in all_wrong_normals(sources, project):
        found.append(Found("normals", wrong.sentence, map="normal", layer=wrong.layer,
                           title=tr("Take it for height"), command=wrong.remedy))  # fmt: skip
    without = unlicensed(project)
    if without:
        names = ", ".join(without[:3]) + (
            tr(" and {without} more", without=len(without) - 3) if len(without) > 3 else ""
        )
        found.append(Found("licence", tr("No licence is written down for {names}.", names=names), worry=False))
    kept = list({one.sentence: one for one in found}.values())
    return sorted(kept, key=lambda one: not one.worry)


def _many(share: float) -> str:
    return f"{share:.0%}" if share >= 0.01 else tr("a little")


def _shows(pixels: U8 | U16, name: str, inside: Bool) -> bool:
    """Whether a map is anything but its starting value on some island."""
    start = np.floor(np.array(MAPS[name].start) * np.iinfo(pixels.dtype).max + 0.5)
    return bool((pixels[inside] != start).any()) or not inside.any()


def _empty(project: Project, names: list[str]) -> Iterator[Found]:
    """Maps that layers give to and on which nothing is to be seen."""
    for name in names:
        if name in ("metallic", "normal", "height", "emissive"):  # the others may well be meant to be as they start
            writers = [layer for layer in project.walk() if name in layer.active_channels()]
            who = tr("‘{name}’ gives to it", name=writers[-1].name) if writers else tr("a layer gives to it")
            black = bool(writers) and name == "emissive" and writers[-1].channels[name].source == "#000000"
            why = tr("it gives black, which is no light") if black else tr("is its mask empty?")
            sentence = tr(
                "Nothing shows on {lower}, though {who}: {why}", lower=MAPS[name].title.lower(), who=who, why=why
            )
            sentence += "." if black else ""
            yield Found("empty", sentence, map=name, layer=writers[-1].id if writers else None)


def _dark(sources: Sources, project: Project) -> Iterator[Found]:
    """Layers that are to glow and whose mask lets nothing of that through, while others glow."""
    for layer in project.walk():
        if not layer.visible or "emissive" not in layer.active_channels() or not layer.content.own_pixels:
            continue
        source = layer.channels["emissive"].source
        if layer.mask is not None and source != "#000000" and not _lets_through(sources, project, layer):
            sentence = tr(
                "‘{name}’ gives a colour to emissive, but its mask lets nothing through: it will not glow.",
                name=layer.name,
            )
            yield Found("glow", sentence, map="emissive", layer=layer.id)


def _lets_through(sources: Sources, project: Project, layer: Layer) -> bool:
    """Whether anything of a layer shows on emissive, on any sheet."""
    for key in sources.surface.keys:
        sheet = sources.surface.sheet(key, project.size_of(key))
        for chunk in layer_chunks(sources, project, layer, "emissive", sheet):
            rect = rect_of(chunk, sheet.size)
            if composite_alone(sources, project, "emissive", sheet, rect, layer)[1].any():
                return True
    return False


def _sheet_findings(sheet: Sheet, maps: dict[str, U8 | U16]) -> Iterator[Found]:
    key, inside = sheet.key, sheet.covered
    if not inside.any():
        return
    if "colour" in maps:
        yield from _colour_range(key, maps, inside)
    if "normal" in maps:
        yield from _normals(key, maps["normal"], inside)
    if "emissive" in maps and "colour" in maps:
        glow, colour = maps["emissive"].max(axis=2)[inside], maps["colour"].max(axis=2)[inside]
        share = float(((glow > _LIT) & (colour < _BLACK)).sum() / max(int((glow > _LIT).sum()), 1))
        if share > _SHARE:
            sentence = tr(
                "{many} of what glows on {key} has black as its colour: games that multiply the two",
                many=_many(share),
                key=key,
            )
            yield Found("glow", tr("{sentence} show nothing there.", sentence=sentence), sheet=key, map="emissive")
    if "opacity" in maps:
        yield from _rims(key, maps, inside)
    yield from _too_fine(sheet, maps)


def _colour_range(key: SheetKey, maps: dict[str, U8 | U16], inside: Bool) -> Iterator[Found]:
    """Base colours that no real surface has: they stay black or glare under every light."""
    values = maps["colour"][inside].max(axis=1) / 255
    metal = maps["metallic"][inside][:, 0] > 127 if "metallic" in maps else np.zeros(len(values), np.bool_)
    bright = (values > _BRIGHT) & ~metal
    for mask, word in ((values < _DARK, tr("darker than charcoal")), (bright, tr("brighter than fresh snow"))):
        share = float(mask.mean())
        if share > 5 * _SHARE:
            sentence = tr(
                "{many} of the colour of {key} is {word}: light cannot shade it.",
                many=_many(share),
                key=key,
                word=word,
            )
            yield Found("range", sentence, worry=False, sheet=key, map="colour")


def _normals(key: SheetKey, normal: U8 | U16, inside: Bool) -> Iterator[Found]:
    vector = normal[inside] / np.iinfo(normal.dtype).max * 2 - 1
    length = np.linalg.norm(vector, axis=1)
    share = float((np.abs(length - 1) > 0.05).mean())
    if share > 0:
        sentence = tr(
            "{many} of the normals of {key} are not of length 1: their light will be wrong.",
            many=_many(share),
            key=key,
        )
        yield Found("normals", sentence, sheet=key, map="normal")
    share = float((vector[:, 2] < 0).mean())
    if share > 0:
        yield Found(
            "normals",
            tr("{many} of the normals of {key} point into the surface.", many=_many(share), key=key),
            sheet=key,
            map="normal",
        )


def _rims(key: SheetKey, maps: dict[str, U8 | U16], inside: Bool) -> Iterator[Found]:
    """Colours under see-through texels that smooth filtering brings out beside what is to be seen."""
    alpha = maps["opacity"][..., 0]
    clear, seen = inside & (alpha == 0), inside & (alpha > 127)
    if not clear.any() or not seen.any():
        return
    light = (
        maps["colour"].mean(axis=2).astype(np.float32) if "colour" in maps else np.full(alpha.shape, 255, np.float32)
    )
    under, beside = _around(light, clear), _around(light, seen)
    near = clear & np.isfinite(under) & np.isfinite(beside)
    if not near.any():
        return
    differs = under[near] - beside[near]
    for mask, word in ((differs > _RIM, "white"), (differs < -_RIM, "dark")):
        if float(mask.mean()) > 0.1:
            sentence = tr(
                "See-through edges of {key} will have {word} rims: the colour under them is another one.",
                key=key,
                word=word,
            )
            title = tr("Spread the colour under them")
            yield Found("rims", sentence, sheet=key, map="opacity", title=title, mend="rims")


def _around(values: F32, mask: Bool) -> F32:
    """The mean of masked values over 5 × 5 texels; NaN where there is none."""
    weight = mask.astype(np.float32)
    total, count = (
        cv2.boxFilter(values * weight, -1, (5, 5), normalize=False),
        cv2.boxFilter(weight, -1, (5, 5), normalize=False),
    )
    return np.asarray(np.where(count > 0.5, total / np.maximum(count, 1e-6), np.nan), np.float32)


def _too_fine(sheet: Sheet, maps: dict[str, U8 | U16]) -> Iterator[Found]:
    """A sheet that has more texels than anything on it needs."""
    size, smaller = sheet.size, sheet.size
    while smaller.shortest > _SMALL and smaller.width % 2 == smaller.height % 2 == 0 and maps:
        half = smaller.scaled(0.5)
        if not all(_same_in(pixels, half, sheet.covered) for pixels in maps.values()):
            break
        smaller = half
    if smaller != size and size.longest >= 256:
        saved = 1 - smaller.texels / size.texels
        sentence = tr(
            "{smaller} texels would do for {key}: nothing on it is finer. That saves {saved:.0%} of it.",
            smaller=smaller,
            key=sheet.key,
            saved=saved,
        )
        command = SetSheetSize(smaller, str(sheet.key))
        yield Found(
            "size", sentence, False, sheet.key, title=tr("Make it {smaller}", smaller=smaller), command=command
        )


def _same_in(pixels: U8 | U16, half: Extent, inside: Bool) -> bool:
    """Whether a map looks the same when it was brought to a smaller size and back."""
    eight = pixels if pixels.dtype == np.uint8 else (pixels >> 8).astype(np.uint8)
    small = cv2.resize(np.ascontiguousarray(eight), (half.width, half.height), interpolation=cv2.INTER_AREA)
    back = cv2.resize(small, eight.shape[1::-1], interpolation=cv2.INTER_LINEAR).reshape(eight.shape)
    differs = np.abs(back.astype(np.int16) - eight).max(axis=2)[inside]
    return float((differs > _FINE).mean()) < 0.0005


def _backwards(sources: Sources, project: Project, shared: Bool) -> Iterator[Found]:
    """Lettering that shows backwards on islands that share its texels."""
    for layer in project.walk():
        placed = layer.content.placed
        if not layer.visible or placed is None or not (placed[1].framed and placed[1].on_surface):
            continue
        place = on_surface(placed[1])
        height = place.tall(project.picture_size(placed[0]))
        worked = sources.pose(place, height, triangles_in(project, layer.scope))
        for fact in decal_facts(sources.surface, project, layer, place, height, worked, shared):
            if fact.remedy == "apart":
                yield Found("twins", f"‘{layer.name}’: {fact.sentence[0].lower()}{fact.sentence[1:]}", layer=layer.id,
                            worry=fact.backwards)  # fmt: skip


def _setup_findings(sources: Sources, project: Project, setup: ExportSetup) -> Iterator[Found]:
    if setup.padding is not None and setup.padding < _MIPS:
        sentence = tr(
            "{padding} texels of padding bleed on smaller mips: seams will show from afar.", padding=setup.padding
        )
        yield Found(
            "padding",
            tr("{sentence} Fill all of it, or write 16.", sentence=sentence),
            title=tr("Fill all of it"),
            mend="padding",
        )
    plans = plan_export(sources, project, setup, "item")
    for name in plans.skipped:
        if name == "emissive" and setup.preset == "emissive":
            yield Found("empty", tr("Nothing writes to emissive: the emissive set will be empty."), map="emissive")


def _names(sources: Sources, project: Project, setups: tuple[ExportSetup, ...], stem: str) -> Iterator[Found]:
    """Names that a game may not take."""
    plans = [plan for setup in setups for plan in plan_export(sources, project, setup, stem).files]
    names = sorted({plan.name for plan in plans})
    odd = [name for name in names if not name.isascii() or " " in name]
    if odd:
        more = tr(" and {odd} more.", odd=len(odd) - 1) if len(odd) > 1 else "."
        sentence = tr(
            "Some games take no spaces and no letters beyond a to z in names: {odd}{more}", odd=odd[0], more=more
        )
        yield Found(
            "names", tr("{sentence} Save the project as {plain!r}, say.", sentence=sentence, plain=_plain(stem))
        )
    long = next((name for name in names if len(name) > _LONGEST_NAME), None)
    if long is not None:
        yield Found(
            "names",
            tr(
                "{long} has {long_2} letters; some games take {LONGEST_NAME} at most.",
                long=long,
                long_2=len(long),
                LONGEST_NAME=_LONGEST_NAME,
            ),
        )


def _plain(text: str) -> str:
    cleaned = "".join(letter if letter.isascii() and letter.isalnum() else "_" for letter in safe_name(text))
    return cleaned.strip("_") or "item"


def _too_large(
    sources: Sources, project: Project, setups: tuple[ExportSetup, ...], stem: str, budget: int,
    cancelled: Callable[[], bool] | None, finished: Finished | None,
) -> Iterator[Found]:  # fmt: skip
    """What the files take, against what the item may have."""
    sizes: dict[str, int] = {}
    for setup in setups:
        sizes.update(measured(sources, project, setup, stem, cancelled, finished))
    total = sum(sizes.values())
    if total > budget:
        largest = max(sizes, key=lambda name: sizes[name])
        sentence = tr(
            "All files take {told}, more than the {told_2} that this item may have",
            told=told(total),
            told_2=told(budget),
        )
        yield Found(
            "budget",
            tr(
                "{sentence}; the largest is {largest} with {told}.",
                sentence=sentence,
                largest=largest,
                told=told(sizes[largest]),
            ),
        )


def told(count: int) -> str:
    """Bytes in words."""
    return f"{count / 1e6:.1f} MB" if count >= 1e6 else f"{max(count / 1e3, 0.1):.1f} kB"
