"""Making the demo world: models, pictures and projects, the same bytes every time."""

from __future__ import annotations

from pathlib import Path

import platformdirs

from lucky_fern import __version__
from lucky_fern.core.compositing.levels import first_look
from lucky_fern.core.model.stored import REVISION as ARRAYS
from lucky_fern.core.project.commands import AddLayer, SetSheetSize
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.project.file import SUFFIX
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.studio import Studio
from lucky_fern.demo.kettle import pixel_kettle
from lucky_fern.demo.livery import paint_ferry
from lucky_fern.demo.models import marsh_hen, soup_flask, tea_kettle
from lucky_fern.demo.pictures import make_pictures

MODELS = {"flask": soup_flask, "ferry": marsh_hen, "kettle": tea_kettle}
TITLES = {"flask": "Soup flask", "ferry": "Marsh Hen", "kettle": "Tea kettle"}
_REVISION = 10


def world_folder() -> Path:
    """Where the demo world is kept on this computer."""
    return Path(platformdirs.user_cache_dir("lucky-fern")) / f"otterwick-{__version__}-{_REVISION}.{ARRAYS}"


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
            studio = _build(name, folder)
            look = first_look(studio.sources, studio.project)
            studio.write(folder / f"{name}{SUFFIX}", studio.project, look=look)
        done.touch()
    return folder


def demo_studio(which: str = "flask", folder: Path | None = None) -> Studio:
    """A demo project: its model, its first layers, and a filled kit."""
    return Studio.open(ensure_world(folder) / f"{which}{SUFFIX}")


def _build(which: str, folder: Path) -> Studio:
    studio = Studio.new(folder / f"{which}.obj", TITLES[which])
    studio.execute(SetSheetSize(square({"flask": 1024, "ferry": 2048, "kettle": 64}[which])))
    for path in sorted((folder / "pictures").iterdir()):
        studio.add_picture(path)
    {"flask": _flask, "ferry": paint_ferry, "kettle": pixel_kettle}[which](studio)
    return studio


def _wash(studio: Studio, name: str, scope: Scope = Scope(), **values: str | float) -> None:
    channels = {map_name: Channel(value) for map_name, value in values.items()}
    studio.execute(AddLayer(name, Wash(), channels, scope=scope))


def _flask(studio: Studio) -> None:
    _wash(studio, "Enamel", colour="#e9dfc6", roughness=0.34, metallic=0.0)
    _wash(studio, "Green lid", Scope(parts=("lid", "foot")), colour="#2f6b4f", roughness=0.42)
    _wash(studio, "Strap cloth", Scope(parts=("strap",)), colour="#7a4a2b", roughness=0.85)
    _wash(studio, "Steel rings", Scope(parts=("rings",)), colour="#c9ccd0", roughness=0.25, metallic=1.0)
