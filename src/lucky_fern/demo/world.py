"""Making the demo world: models, pictures and projects, the same bytes every time."""

from __future__ import annotations

from pathlib import Path

import platformdirs

from lucky_fern import __version__
from lucky_fern.core.project.commands import AddLayer, SetSheetSize
from lucky_fern.core.project.document import Channel, Decal, Wash
from lucky_fern.core.project.file import SUFFIX
from lucky_fern.core.project.places import Throw
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.studio import Studio
from lucky_fern.demo.models import marsh_hen, soup_flask, tea_kettle
from lucky_fern.demo.pictures import make_pictures

MODELS = {"flask": soup_flask, "ferry": marsh_hen, "kettle": tea_kettle}
TITLES = {"flask": "Soup flask", "ferry": "Marsh Hen", "kettle": "Tea kettle"}
_REVISION = 2  # raise it when what is made here changes


def world_folder() -> Path:
    """Where the demo world is kept on this computer."""
    return Path(platformdirs.user_cache_dir("lucky-fern")) / f"otterwick-{__version__}-{_REVISION}"


def ensure_world(folder: Path | None = None) -> Path:
    """Make the demo world unless it is there; its folder."""
    folder = folder or world_folder()
    done = folder / ".complete"
    if not done.exists():
        (folder / "pictures").mkdir(parents=True, exist_ok=True)
        for name, make in MODELS.items():
            make(folder / f"{name}.obj")
        make_pictures(folder / "pictures")
        for name in MODELS:
            _build(name, folder).save(folder / f"{name}{SUFFIX}")
        done.touch()
    return folder


def demo_studio(which: str = "flask", folder: Path | None = None) -> Studio:
    """A demo project: its model, its first layers, and a filled kit."""
    return Studio.open(ensure_world(folder) / f"{which}{SUFFIX}")


def _build(which: str, folder: Path) -> Studio:
    studio = Studio.new(folder / f"{which}.obj", TITLES[which])
    studio.execute(SetSheetSize({"flask": 1024, "ferry": 2048, "kettle": 64}[which]))
    for path in sorted((folder / "pictures").iterdir()):
        studio.add_picture(path)
    {"flask": _flask, "ferry": _ferry, "kettle": _kettle}[which](studio)
    return studio


def _wash(studio: Studio, name: str, scope: Scope = Scope(), **values: str | float) -> None:
    channels = {map_name: Channel(value) for map_name, value in values.items()}
    studio.execute(AddLayer(name, Wash(), channels, scope=scope))


def _flask(studio: Studio) -> None:
    _wash(studio, "Enamel", colour="#e9dfc6", roughness=0.34, metallic=0.0)
    _wash(studio, "Green lid", Scope(parts=("lid", "foot")), colour="#2f6b4f", roughness=0.42)
    _wash(studio, "Strap cloth", Scope(parts=("strap",)), colour="#7a4a2b", roughness=0.85)
    _wash(studio, "Steel rings", Scope(parts=("rings",)), colour="#c9ccd0", roughness=0.25, metallic=1.0)


def _ferry(studio: Studio) -> None:
    _wash(studio, "Paint", colour="#e9e2d0", roughness=0.45, metallic=0.0)
    _wash(studio, "Hull green", Scope(parts=("hull", "transom")), colour="#2f6b4f", roughness=0.35)
    _wash(studio, "Planks", Scope(parts=("deck", "bench", "door")), colour="#a9744a", roughness=0.8)
    _wash(studio, "Rail", Scope(parts=("rail", "roof", "name board")), colour="#c2512e", roughness=0.5)
    _wash(studio, "Brass", Scope(parts=("porthole rim", "lamp brass", "mast", "handrail", "bollard", "canopy post")),
          colour="#c79a4b", roughness=0.3, metallic=1.0)  # fmt: skip
    _wash(
        studio,
        "Glow",
        Scope(parts=("porthole glass", "lamp glass")),
        colour="#ffd98a",
        emissive="#ffb347",
        roughness=0.1,
    )
    studio.execute(AddLayer("Canvas", Wash(repeat=(6, 6)), {"colour": Channel("picture", picture="canvas-weave.png"),
                   "roughness": Channel(0.95)}, scope=Scope(parts=("canopy", "canopy edge"))))  # fmt: skip
    for sign in (1, -1):
        place = Throw((-1.3, 0.75, 1.6 * sign), (0, 0, sign), (0, 1, 0), 0.62, depth=0.8, stand_off=1.0)
        studio.execute(AddLayer(f"Crest {'starboard' if sign > 0 else 'port'}", Decal("ferry-crest.svg", place),
                       {"colour": Channel("picture"), "roughness": Channel(0.3)}))  # fmt: skip
    board = Throw((2.4, 3.02, 0), (1, 0, 0), (0, 1, 0), 1.7, depth=0.2, stand_off=1.0)
    studio.execute(AddLayer("Name board", Decal("name-marsh-hen.svg", board), {"colour": Channel("picture")}))


def _kettle(studio: Studio) -> None:
    _wash(studio, "Copper", colour="#b8643c", roughness=0.4, metallic=1.0)
    place = Throw((0, 0.25, 0.375), (0, 0, 1), (0, 1, 0), 0.5, depth=0.1, stand_off=1.0)
    studio.execute(AddLayer("Mark", Decal("pixel-teapot.png", place, "nearest"),
                   {"colour": Channel("picture"), "metallic": Channel(0.0)}))  # fmt: skip
