"""Surroundings of one's own, taken into a project and read from it again."""

from __future__ import annotations

from lucky_fern.core.arrays import F32
from lucky_fern.core.pictures.panorama import panorama_bytes, read_panorama
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.light import Panorama

LARGEST_PANORAMA = 2 << 30  # bytes of a file


def panorama_of(blobs: Blobs, data: bytes, name: str) -> tuple[Panorama, tuple[str, ...]]:
    """A file's panorama as a project keeps it, its contents put among the blobs; and what there is to say.

    Raises
    ------
    PictureError
        If the file is none.
    """
    light, notes = read_panorama(data, name)
    return Panorama(blobs.add(panorama_bytes(light)), name), notes


def light_of(blobs: Blobs, panorama: Panorama) -> F32:
    """(rows, 2 · rows, 3) float32 linear light of a panorama that a project keeps."""
    light, _ = read_panorama(blobs[panorama.digest], f"{panorama.name}.exr")
    return light[:, ::-1] if panorama.mirror else light
