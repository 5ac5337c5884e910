"""The file of material numbers that lies beside exported maps: plain JSON, so that any game's tools can read it."""

from __future__ import annotations

import json
from collections.abc import Mapping

import msgspec

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.light import EVERY, RANGES, Numbers
from lucky_fern.words import tr

NUMBERS = "material-numbers.json"
LARGEST_NUMBERS = 1 << 20
ABOUT = {
    "ambient": tr("How much of the light from all around the colour throws back."),
    "diffuse": tr("How much of a lamp's light the colour throws back."),
    "specular": tr("How strong highlights are; the specular map says where and in which colour."),
    "power": tr("How small and sharp highlights are; the gloss map takes it down to 1."),
    "fresnel_min": tr("Highlights seen straight on, times as strong."),
    "fresnel_max": tr("Highlights at the rims, times as strong."),
    "fresnel_power": tr("How narrow the rims are on which that happens."),
}


def numbers_json(numbers: Mapping[str, Numbers]) -> bytes:
    """``{"formula": …, "materials": {NAME or "*": {…}}}``, in the order of the names."""
    plain = {
        "about": {name: str(text) for name, text in ABOUT.items()},
        "formula": "ambient*D*around + diffuse*D*(n.l) + specular*S*F*(n.h)^(power^G); "
        "F = fresnel_min + (fresnel_max - fresnel_min)*(1 - n.v)^fresnel_power",
        "materials": {name or "*": msgspec.to_builtins(numbers[name]) for name in sorted(numbers)},
    }
    return (json.dumps(plain, indent=1, ensure_ascii=False) + "\n").encode()


def numbers_from_json(data: bytes, name: str) -> dict[str, Numbers]:
    """Material → numbers of such a file.

    Raises
    ------
    CommandError
        With a sentence that names the file and what is wrong in it.
    """
    try:
        every = json.loads(data.decode())["materials"]
        found = {
            EVERY if material == "*" else material: msgspec.convert(
                {key: value for key, value in one.items() if key in RANGES}, Numbers
            )
            for material, one in every.items()
        }
        for one in found.values():
            one.check()
    except CommandError as error:
        raise CommandError(tr("{name}: {error}", name=name, error=error)) from error
    except (ValueError, KeyError, TypeError, AttributeError, msgspec.ValidationError) as error:
        raise CommandError(tr("{name} holds no material numbers: {error}", name=name, error=error)) from error
    return found


def numbers_text(numbers: Mapping[str, Numbers]) -> list[str]:
    """Lines of a text for people: what to type where."""
    lines = []
    for material in sorted(numbers):
        title = material or tr("all materials")
        lines += ["", tr("Numbers for games without metal and roughness, of {title}:", title=title)]
        for key in RANGES:
            lines.append(f"  {key.replace('_', ' ')}: {getattr(numbers[material], key):g}. {ABOUT[key]}")
    return lines
