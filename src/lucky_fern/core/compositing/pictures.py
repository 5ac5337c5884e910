"""Kit pictures read from their bytes and made ready for filtering, kept while there is room."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from lucky_fern.core.compositing.kept import Kept
from lucky_fern.core.maps import MAPS
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.pictures.picture import SVG_LONGEST, Picture, read_picture
from lucky_fern.core.pictures.pyramid import Flavour, Pyramid, build_pyramid, premultiplied, pyramid_of
from lucky_fern.core.placing.warp import turned_normals, warped
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.document import KitPicture
from lucky_fern.core.project.places import Warp


def flavour_of(map_name: str, taken: Taken) -> Flavour:
    """Colours on colour maps are filtered as light, all else as plain numbers."""
    return "colour" if MAPS[map_name].encoded and taken == "colour" else "data"


class Pictures:
    """The pictures of a kit."""

    def __init__(self, blobs: Blobs, room: int) -> None:
        self.blobs = blobs
        self._kept = Kept(room)

    def read(self, kit: KitPicture) -> Picture:
        """A kit picture, read from its bytes."""
        return self._kept.get(
            ("picture", kit.digest, kit.taken),
            lambda: read_picture(self.blobs[kit.digest], kit.name, kit.taken),
            lambda made: made.rgba.nbytes,
        )

    def pyramid(
        self, kit: KitPicture, flavour: Flavour, flip: bool = False, longest: int = SVG_LONGEST,
        warp: Warp | None = None, leaning: float = 0.0,
    ) -> Pyramid:  # fmt: skip
        """A kit picture ready for filtering.

        ``flip`` turns it left for right, ``warp`` pulls it out of shape; drawings are drawn ``longest`` pixels long.
        ``leaning`` above 0 says that it holds normals, which a warp turns: how wide a pixel is placed for its height.
        """

        def make() -> Pyramid:
            picture = self.read(kit)
            if longest != SVG_LONGEST:
                picture = read_picture(self.blobs[kit.digest], kit.name, kit.taken, longest)
            if flip:
                flipped: Any = np.ascontiguousarray(picture.rgba[:, ::-1])
                picture = replace(picture, rgba=flipped)
            if warp is None:
                return build_pyramid(picture, flavour)
            pulled = warped(premultiplied(picture.rgba, flavour), warp)
            if leaning > 0:
                turned_normals(pulled, warp, leaning, picture.rgba.shape[:2], flip)
            return pyramid_of(pulled)

        lean = leaning if warp is not None else 0.0
        return self._kept.get(
            ("pyramid", kit.digest, kit.taken, flavour, flip, longest, warp, lean),
            make,
            lambda made: made.texels.nbytes,
        )
