"""Rules on chunks: what each makes of the survey, of noise, or of where a layer ends."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, cast

import numpy as np

from lucky_fern.core.arrays import F32, F64, U16, unit_rows
from lucky_fern.core.compositing.masks import Asking, ShapeRow
from lucky_fern.core.compositing.rims import rim_values
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.compositing.stack import composite_below
from lucky_fern.core.placing.leaning import frames
from lucky_fern.core.project.rules import (
    RULES,
    Crevices,
    Drips,
    Edges,
    Facing,
    Grain,
    Height,
    Occlusion,
    Rim,
    Rule,
    RuleShape,
    Seams,
    Thin,
    Vary,
)
from lucky_fern.core.sheets.grid import Chunk
from lucky_fern.core.sheets.region import rect_of
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.survey.grain import grain
from lucky_fern.core.survey.surfels import RIGHT_ANGLE
from lucky_fern.core.survey.survey import numbers_of

# What a length that is left out is, in shares of the model's diagonal.
BENDING, THICKNESS, BORDER, GRAINS, RIM, FALL, STREAK = 0.008, 0.03, 0.02, 0.02, 0.01, 0.05, 0.002


@dataclass(frozen=True)
class Asked:
    """A chunk of a sheet, and whose mask asks for it."""

    asking: Asking
    sheet: Sheet
    chunk: Chunk

    @property
    def sources(self) -> Sources:
        return self.asking.sources

    @property
    def diagonal(self) -> float:
        return self.sources.surface.model.diagonal

    def reach(self, given: float | None, share: float) -> float:
        """A length in model units; where none is given, a share of the model's diagonal."""
        return given if given is not None else self.diagonal * share

    def of_points(self, work: Callable[[F64], F64]) -> F32:
        """(r, c) what ``work`` makes of points (N, 3); 0 outside islands."""
        inside, points, _ = self.sources.survey.spots(self.sheet, self.chunk)
        out = np.zeros(inside.shape, np.float32)
        out[inside] = work(points)
        return out

    def of_normals(self, work: Callable[[F64], F64]) -> F32:
        """(r, c) what ``work`` makes of shading normals (N, 3); 0 outside islands."""
        inside, _, normals, _ = self.sources.survey.places(self.sheet, self.chunk)
        out = np.zeros(inside.shape, np.float32)
        out[inside] = work(normals)
        return out


Work = Callable[[Any, Asked], F32]


class RuleMask(ShapeRow):
    """A rule's value through its levels. What was measured is kept, so another level costs next to nothing."""

    def piece(self, asking: Asking, shape: RuleShape, sheet: Sheet, chunk: Chunk) -> U16 | None:
        asked = Asked(asking, sheet, chunk)
        value = self.measured(shape, asked).astype(np.float32) / np.float32(65535)
        share = np.clip((value - np.float32(shape.low)) / np.float32(shape.high - shape.low), 0, 1)
        if shape.gamma != 1:
            share **= np.float32(1 / shape.gamma)
        return np.asarray(share * np.float32(65535) + np.float32(0.5)).astype(np.uint16)

    def measured(self, shape: RuleShape, asked: Asked) -> U16:
        """(r, c) uint16 the rule's own value, 65535 for 1."""

        def make() -> U16:
            return np.asarray(measures(shape.rule, asked) * np.float32(65535) + np.float32(0.5)).astype(np.uint16)

        if shape.refers().layers or shape.hears:
            return make()  # it changes with those layers, and is kept where they are looked at
        key = ("rule", shape.rule, asked.sheet.key, asked.sheet.size, asked.chunk)
        return asked.sources.kept.get(key, make, lambda made: made.nbytes)


def measures(rule: Rule, asked: Asked) -> F32:
    """(r, c) float32 0…1 a rule's own value, worked out now."""
    return cast(Work, RULES.of(rule))(rule, asked)


def _edges(rule: Edges, asked: Asked) -> F32:
    lean = asked.sources.survey.lean(asked.sheet, asked.chunk, asked.reach(rule.reach, BENDING))
    return np.asarray(np.clip(lean / np.float32(RIGHT_ANGLE), 0, 1), np.float32)


def _crevices(rule: Crevices, asked: Asked) -> F32:
    lean = asked.sources.survey.lean(asked.sheet, asked.chunk, asked.reach(rule.reach, BENDING))
    return np.asarray(np.clip(-lean / np.float32(RIGHT_ANGLE), 0, 1), np.float32)


def _occlusion(rule: Occlusion, asked: Asked) -> F32:
    return asked.sources.survey.covered(asked.sheet, asked.chunk, asked.reach(rule.reach, 1.0), rule.rays)


def _thin(rule: Thin, asked: Asked) -> F32:
    return asked.sources.survey.thin(asked.sheet, asked.chunk, asked.reach(rule.reach, THICKNESS), rule.rays)


def _facing(rule: Facing, asked: Asked) -> F32:
    direction = np.array(rule.direction) / np.linalg.norm(rule.direction)
    if rule.relief:
        return _facing_relief(rule, direction, asked)

    def work(normals: F64) -> F64:
        angle = np.degrees(np.arccos(np.clip(normals @ direction, -1, 1)))
        return np.asarray(np.clip(1 - angle / rule.angle, 0, 1), np.float64)

    return asked.of_normals(work)


def _facing_relief(rule: Facing, direction: F64, asked: Asked) -> F32:
    """By the normals that the layers below make."""
    sheet, chunk, asking = asked.sheet, asked.chunk, asked.asking
    stored = composite_below(
        asking.sources, asking.project, asking.layer, "normal", sheet, rect_of(chunk, sheet.size)
    )
    owner = asked.sources.owners(sheet, chunk)
    rows, columns = (one.astype(np.int64) for one in np.nonzero(owner >= 0))
    lean = stored[rows, columns].astype(np.float64) * 2 - 1
    frame = frames(sheet, chunk, rows, columns, owner[rows, columns])
    normal = unit_rows(sum((lean[:, k : k + 1] * frame[k] for k in range(3)), np.zeros_like(lean)))
    out = np.zeros(owner.shape, np.float32)
    angle = np.degrees(np.arccos(np.clip(normal @ direction, -1, 1)))
    out[rows, columns] = np.clip(1 - angle / rule.angle, 0, 1)
    return out


def _height(rule: Height, asked: Asked) -> F32:
    axis = "xyz".index(rule.axis)
    low, high = asked.sources.surface.model.bounds[:, axis]
    start, end = (low if rule.start is None else rule.start), (high if rule.end is None else rule.end)
    if start == end:
        end = start + 1e-12
    return asked.of_points(lambda points: np.clip((points[:, axis] - start) / (end - start), 0, 1))


def _seams(rule: Seams, asked: Asked) -> F32:
    reach = asked.reach(rule.reach, BORDER)
    return asked.sources.survey.near_border(asked.sheet, asked.chunk, reach, rule.of, rule.angle)


def _vary(rule: Vary, asked: Asked) -> F32:
    def make() -> F32:
        names, number = numbers_of(asked.sources.surface, rule.by)
        values = np.array([_share(f"{rule.by} {name} {rule.seed}") for name in names] or [0.0])
        return np.where(number >= 0, values[np.maximum(number, 0)], 0).astype(np.float32)

    of_face = asked.sources.kept.get(("vary", rule), make, lambda made: made.nbytes)
    owner = asked.sources.owners(asked.sheet, asked.chunk)
    return np.where(owner >= 0, of_face[asked.sheet.triangle[owner]], np.float32(0))


def _share(words: str) -> float:
    """A number 0…1 that goes by words alone."""
    return int.from_bytes(hashlib.sha256(words.encode()).digest()[:6], "big") / float(1 << 48)


def _grain(rule: Grain, asked: Asked) -> F32:
    size = asked.reach(rule.size, GRAINS)
    drawn_out = np.array([1.0, rule.stretch, 1.0])
    return asked.of_points(lambda points: grain(points / drawn_out, rule.form, size, rule.octaves, rule.seed))


def _drips(rule: Drips, asked: Asked) -> F32:
    reach, width = asked.reach(rule.reach, FALL), asked.reach(rule.width, STREAK)
    down = np.array(rule.down) / np.linalg.norm(rule.down)
    return asked.sources.survey.drips(asked.sheet, asked.chunk, reach, width, rule.angle, down, rule.seed)


def _rim(rule: Rim, asked: Asked) -> F32:
    reach = asked.reach(rule.reach, RIM)
    return rim_values(
        asked.sources, asked.asking.project, rule.of, asked.asking.layer, reach, asked.sheet, asked.chunk
    )


RULES.add(Edges, _edges)
RULES.add(Crevices, _crevices)
RULES.add(Occlusion, _occlusion)
RULES.add(Thin, _thin)
RULES.add(Facing, _facing)
RULES.add(Height, _height)
RULES.add(Seams, _seams)
RULES.add(Vary, _vary)
RULES.add(Grain, _grain)
RULES.add(Drips, _drips)
RULES.add(Rim, _rim)
