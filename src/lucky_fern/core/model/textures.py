"""Pictures that a model's materials name: which statement means which map, and where the files lie."""

from __future__ import annotations

from pathlib import Path, PurePosixPath

from lucky_fern.core.files import inside
from lucky_fern.core.model.model import Texture

# Statements of MTL (and of its common extension for metal and roughness) and the maps they mean.
_MTL_MAPS = {
    "map_kd": "colour", "map_ke": "emissive", "map_d": "opacity", "map_pr": "roughness", "map_pm": "metallic",
    "norm": "normal", "map_kn": "normal", "map_bump": "height", "bump": "height", "disp": "height",
    "map_ao": "occlusion",
}  # fmt: skip
# How many words follow an option of such a statement; "-o 0 0 0" may have fewer.
_MTL_OPTIONS = {"-blendu": 1, "-blendv": 1, "-boost": 1, "-mm": 2, "-o": 3, "-s": 3, "-t": 3, "-texres": 1,
                "-clamp": 1, "-bm": 1, "-imfchan": 1, "-type": 1, "-cc": 1}  # fmt: skip

_MTL_CHANNELS = {"r": "r", "g": "g", "b": "b", "m": "a"}  # matte is what an alpha is called there


def mtl_textures(material: str, statements: dict[str, str]) -> list[Texture]:
    """What the statements of a material name: ``map_Kd -bm 1 skin.png`` and the like."""
    found: list[Texture] = []
    for statement, rest in statements.items():
        map_name = _MTL_MAPS.get(statement.lower())
        if map_name is None or any(one.map == map_name for one in found):
            continue
        words, component = rest.split(), ""
        while words and words[0].lower() in _MTL_OPTIONS:
            option = words.pop(0).lower()
            for _ in range(_MTL_OPTIONS[option]):
                if words and (_MTL_OPTIONS[option] == 1 or _is_number(words[0])):
                    value = words.pop(0)
                    if option == "-imfchan" and value in _MTL_CHANNELS:
                        component = _MTL_CHANNELS[value]
        if words:  # a file's name may hold blanks
            name = rest[rest.index(words[0]) :].strip() if len(words) > 1 else words[0]
            found.append(Texture(material, map_name, name, component))
    return found


def _is_number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True


def find_picture(folder: Path, name: str) -> Path | None:
    """Where a picture lies that a model beside it names: as written, with slashes of other systems, by name alone.

    Case is overlooked where nothing has the exact name. Only what lies in or under the model's folder is found: a
    model from elsewhere must not pull in other files. None if it is nowhere there.
    """
    plain = name.strip().strip('"').replace("\\", "/")
    wanted = PurePosixPath(plain)
    tries = [plain, wanted.name]
    tries += [f"{below}/{wanted.name}" for below in ("textures", "Textures", "tex", "maps", "images")]
    if len(wanted.parts) > 1:
        tries.append(f"{wanted.parts[-2]}/{wanted.name}")
    for one in tries:
        found = inside(folder, one)
        if found is not None:
            return found
        try:
            place = (folder / one).parent
            same = [other.name for other in place.iterdir() if other.name.lower() == PurePosixPath(one).name.lower()]
        except (OSError, ValueError):
            continue
        found = inside(folder, f"{PurePosixPath(one).parent}/{same[0]}") if same else None
        if found is not None:
            return found
    return None
