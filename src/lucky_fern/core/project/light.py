"""The light that one looks by, and the material numbers that older games take in place of maps: plain data."""

from __future__ import annotations

from typing import Literal

from lucky_fern.core.project.numbers import check_range, check_share
from lucky_fern.core.project.plain import Plain

Surroundings = Literal["studio", "harbour", "dusk", "own"]


class Panorama(Plain, frozen=True):
    """Surroundings of one's own: the digest of an OpenEXR panorama twice as wide as high, and its file's name.

    ``mirror`` shows it left for right.
    """

    digest: str
    name: str
    mirror: bool = False


class Light(Plain, frozen=True):
    """How the model is lit while one looks at it; nothing of it is exported.

    ``lamp_deg`` turns the sun and all surroundings, ``sky_deg`` the surroundings alone; gains are times as strong.
    ``behind`` shows surroundings of one's own behind the model, ``blur`` 0…1 softly.
    """

    lamp_deg: float = 0.0
    lamp_gain: float = 1.0
    ambient_gain: float = 1.0
    exposure: float = 1.0
    surroundings: Surroundings = "studio"
    shadows: bool = False
    sky_deg: float = 0.0
    behind: bool = True
    blur: float = 0.3
    panorama: Panorama | None = None

    def check(self) -> None:
        """Refuse numbers out of range (CommandError)."""
        check_range("lamp_deg", self.lamp_deg, -3600, 3600)
        check_range("sky_deg", self.sky_deg, -3600, 3600)
        check_range("lamp_gain", self.lamp_gain, 0, 100)
        check_range("ambient_gain", self.ambient_gain, 0, 100)
        check_range("exposure", self.exposure, 0.001, 1000)
        check_share("blur", self.blur)


class Numbers(Plain, frozen=True):
    """What a material is in games that know no metal and roughness.

    With normal n, light l, half vector h and view v, diffuse map D, specular map S and gloss map G (all 0…1):
    ``ambient`` · D · light from all around + ``diffuse`` · D · (n · l) + ``specular`` · S · F · (n · h) ^ p, where
    p = ``power`` ^ G and F = ``fresnel_min`` + (``fresnel_max`` − ``fresnel_min``) · (1 − n · v) ^ ``fresnel_power``.
    Highlights after J. F. Blinn, "Models of light reflection for computer synthesized pictures" (1977); the Fresnel
    term is that of C. Schlick, "An inexpensive BRDF model for physically-based rendering" (1994), its numbers free.
    """

    ambient: float = 1.0
    diffuse: float = 1.0
    specular: float = 1.0
    power: float = 48.0
    fresnel_min: float = 0.2
    fresnel_max: float = 1.0
    fresnel_power: float = 4.0

    def check(self) -> None:
        """Refuse numbers out of range (CommandError)."""
        for name, (low, high) in RANGES.items():
            check_range(name, getattr(self, name), low, high)


RANGES = {
    "ambient": (0.0, 4.0), "diffuse": (0.0, 4.0), "specular": (0.0, 10.0), "power": (1.0, 1024.0),
    "fresnel_min": (0.0, 10.0), "fresnel_max": (0.0, 10.0), "fresnel_power": (0.0, 20.0),
}  # fmt: skip
EVERY = ""  # in place of a material's name: all that have no numbers of their own
