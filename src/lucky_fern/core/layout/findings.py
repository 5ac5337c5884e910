"""What is said about a layout: sentences, each with the triangles it is about and what can be done."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from lucky_fern.core.arrays import I32, Bool

Kind = Literal[
    "no-uv", "outside", "crossing", "overlap", "folded", "twins", "flipped", "zero-area", "stretch", "density", "gap",
    "edges", "polygons", "inside-out",
]  # fmt: skip


@dataclass(frozen=True)
class Finding:
    """One sentence. ``worry`` False is for what is well known to be meant, and only good to know."""

    kind: Kind
    sentence: str
    triangles: I32
    worry: bool = True


def shared_faces(findings: Sequence[Finding], count: int) -> Bool:
    """(T,) bool, the faces of a model of ``count`` triangles that share their texels with others."""
    shared = np.zeros(count, np.bool_)
    for finding in findings:
        # A layout that was just changed may have findings of more faces still.
        if finding.kind in ("twins", "overlap") and int(finding.triangles.max(initial=-1)) < count:
            shared[finding.triangles] = True
    return shared
