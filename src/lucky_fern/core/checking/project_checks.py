"""Checks of a whole project and of what is to be exported, a row each."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from lucky_fern.core.checking.found import Found, Looked, told
from lucky_fern.core.checking.wrong_normals import all_wrong_normals
from lucky_fern.core.compositing.layer_row import layer_chunks
from lucky_fern.core.compositing.sources import Sources, triangles_in
from lucky_fern.core.compositing.stack import composite_alone
from lucky_fern.core.exporting.credits import unlicensed
from lucky_fern.core.exporting.exporter import measured
from lucky_fern.core.exporting.plans import plan_export
from lucky_fern.core.files import safe_name
from lucky_fern.core.maps import GLOW, MAPS
from lucky_fern.core.placing.facts import decal_facts
from lucky_fern.core.placing.way import on_surface
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.sheets.region import rect_of
from lucky_fern.words import tr

_MIPS = 16  # texels round an island that the first four halvings read
_LONGEST_NAME = 64


def _empty(looked: Looked) -> Iterator[Found]:
    """Maps that layers give to and on which nothing is to be seen."""
    project = looked.project
    for name in [name for name, there in looked.shows.items() if not there]:
        if MAPS[name].told_blank:
            writers = [layer for layer in project.walk() if name in layer.active_channels()]
            who = tr("‘{name}’ gives to it", name=writers[-1].name) if writers else tr("a layer gives to it")
            black = bool(writers) and MAPS[name].glows and writers[-1].channels[name].source == "#000000"
            why = tr("it gives black, which is no light") if black else tr("is its mask empty?")
            sentence = tr(
                "Nothing shows on {lower}, though {who}: {why}", lower=MAPS[name].title.lower(), who=who, why=why
            )
            sentence += "." if black else ""
            yield Found("empty", sentence, map=name, layer=writers[-1].id if writers else None)


def _dark(looked: Looked) -> Iterator[Found]:
    """Layers that are to glow and whose mask lets nothing of that through, while others glow."""
    sources, project = looked.sources, looked.project
    for layer in project.walk() if looked.shows.get(GLOW) else ():
        if not layer.visible or GLOW not in layer.active_channels() or not layer.content.own_pixels:
            continue
        source = layer.channels[GLOW].source
        if layer.mask is not None and source != "#000000" and not _lets_through(sources, project, layer):
            sentence = tr(
                "‘{name}’ gives a colour to emissive, but its mask lets nothing through: it will not glow.",
                name=layer.name,
            )
            yield Found("glow", sentence, map=GLOW, layer=layer.id)


def _lets_through(sources: Sources, project: Project, layer: Layer) -> bool:
    """Whether anything of a layer shows on emissive, on any sheet."""
    for key in sources.surface.keys:
        sheet = sources.surface.sheet(key, project.size_of(key))
        for chunk in layer_chunks(sources, project, layer, GLOW, sheet):
            rect = rect_of(chunk, sheet.size)
            if composite_alone(sources, project, GLOW, sheet, rect, layer)[1].any():
                return True
    return False


def _backwards(looked: Looked) -> Iterator[Found]:
    """Lettering that shows backwards on islands that share its texels."""
    sources, project, shared = looked.sources, looked.project, looked.shared
    if shared is None or not shared.any():
        return
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


def _padding(looked: Looked) -> Iterator[Found]:
    """Padding that is too narrow for smaller mips."""
    for setup in looked.setups:
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


def _empty_set(looked: Looked) -> Iterator[Found]:
    """A set of what glows in which nothing does."""
    for setup in looked.setups:
        skipped = plan_export(looked.sources, looked.project, setup, "item").skipped
        if setup.only_light and GLOW in skipped:
            yield Found("empty", tr("Nothing writes to emissive: the emissive set will be empty."), map=GLOW)


def _names(looked: Looked) -> Iterator[Found]:
    """Names that a game may not take."""
    stem = looked.stem
    plans = [plan for setup in looked.setups
             for plan in plan_export(looked.sources, looked.project, setup, stem).files]  # fmt: skip
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


def _too_large(looked: Looked) -> Iterator[Found]:
    """What the files take, against what the item may have."""
    sizes: dict[str, int] = {}
    budget = looked.budget
    if budget is None:
        return
    for setup in looked.setups:
        sizes.update(measured(looked.sources, looked.project, setup, looked.stem, looked.cancelled, looked.finished))
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


def _wrong_normals(looked: Looked) -> Iterator[Found]:
    """Pictures of heights that are given as normals."""
    for wrong in all_wrong_normals(looked.sources, looked.project):
        yield Found("normals", wrong.sentence, map="normal", layer=wrong.layer, title=tr("Take it for height"),
                    command=wrong.remedy)  # fmt: skip


def _unlicensed(looked: Looked) -> Iterator[Found]:
    """Pictures without a licence."""
    without = unlicensed(looked.project)
    if without:
        more = tr(" and {without} more", without=len(without) - 3) if len(without) > 3 else ""
        names = ", ".join(without[:3]) + more
        yield Found("licence", tr("No licence is written down for {names}.", names=names), worry=False)


# In the order in which they are told.
PROJECT_CHECKS: tuple[Callable[[Looked], Iterator[Found]], ...] = (
    _empty, _dark, _backwards, _padding, _empty_set, _names, _too_large, _wrong_normals, _unlicensed,
)  # fmt: skip
