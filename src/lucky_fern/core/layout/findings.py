"""What is said about a layout: sentences, each with the triangles it is about and what can be done."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from lucky_fern.core.arrays import I32

Kind = Literal[
    "no-uv", "outside", "crossing", "overlap", "folded", "twins", "flipped", "zero-area", "stretch", "density", "gap",
    "edges", "polygons",
]  # fmt: skip


@dataclass(frozen=True)
class Finding:
    """One sentence. ``worry`` False is for what is well known to be meant, and only good to know."""

    kind: Kind
    sentence: str
    triangles: I32
    worry: bool = True
