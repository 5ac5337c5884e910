"""What measuring the model costs, against the packages that answer the same questions, and what an edging costs."""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np

from lucky_fern.bench.measure import Row, side_by_side
from lucky_fern.core.compositing.layers.edged import Edged, laid
from lucky_fern.core.parallel import for_each
from lucky_fern.core.project.document import Channel, Layer
from lucky_fern.core.project.edgings import Edging
from lucky_fern.core.sheets.grid import all_chunks, square
from lucky_fern.core.studio import Studio
from lucky_fern.core.survey.rays import cosine_disc
from lucky_fern.core.survey.survey import Survey
from lucky_fern.demo.world import demo_studio

_SIZE, _RAYS = square(2048), 32
_SHARE = 32  # of the points, that the tree is asked about: its time is counted so many times


def _ferry() -> tuple[Studio, Survey]:
    studio = demo_studio("ferry")
    return studio, Survey(studio.surface)


def occlusion(folder: Path) -> Row:
    """Cover of one of the ferry's sheets at 2K, 32 rays a texel, against Embree casting as many rays alone."""
    studio, survey = _ferry()
    sheet = studio.surface.sheet(studio.surface.keys[0], _SIZE)
    reach = studio.model.diagonal
    places = for_each(lambda chunk: survey.places(sheet, chunk), all_chunks(_SIZE))
    points = np.concatenate([one[1] for one in places])
    faces = np.concatenate([one[3] for one in places])
    rays, way = survey.rays, cosine_disc(_RAYS, 1.0)
    chosen = np.random.default_rng(0).integers(0, _RAYS, len(points))
    # As many rays, all over the ferry, in pieces as large as ours.
    spread = np.ascontiguousarray(faces + way[chosen][:, [2, 0, 1]] * 0.5, np.float32)
    origins = np.ascontiguousarray(points + faces * reach * 2e-5, np.float32)

    def alone() -> None:
        far = np.full(1 << 17, reach, np.float32)
        pieces = [slice(at, at + (1 << 17)) for at in range(0, len(origins) - (1 << 17), 1 << 17)]
        for _ in range(_RAYS):
            for_each(lambda some: rays.scene.run(origins[some], spread[some], dists=far, query="OCCLUDED"), pieces)

    mine, other = side_by_side(
        lambda: for_each(lambda chunk: survey.covered(sheet, chunk, reach, _RAYS), all_chunks(_SIZE)), alone, runs=3
    )
    detail = f"{mine:.2f} s against {other:.2f} s for {len(points) * _RAYS / 1e6:.0f} million rays"
    return Row("survey: occlusion, 32 rays, 2K", mine / other, 1.4, "lower", detail)


def edges(folder: Path) -> Row:
    """Edges of one of the ferry's sheets at 2K against SciPy's cKDTree finding the same neighbourhoods."""
    from scipy.spatial import cKDTree

    studio, survey = _ferry()
    sheet = studio.surface.sheet(studio.surface.keys[0], _SIZE)
    reach = studio.model.diagonal * 0.02
    places = for_each(lambda chunk: survey.places(sheet, chunk), all_chunks(_SIZE))
    points = np.concatenate([one[1] for one in places])
    tree = cKDTree(survey.pieces(points, reach).middle)
    mine, other = side_by_side(
        lambda: for_each(lambda chunk: survey.lean(sheet, chunk, reach), all_chunks(_SIZE)),
        lambda: tree.query_ball_point(points[::_SHARE], reach, workers=2), runs=3,
    )  # fmt: skip
    other *= _SHARE
    detail = f"{mine:.2f} s against {other:.1f} s (from each {_SHARE}nd point), {len(points) / 1e6:.1f} M points"
    return Row("survey: edges, 2K", mine / other, 0.5, "lower", detail)


def edging(folder: Path) -> Row:
    """An edging of about 5 000 stitches drawn, against a throw over the same chunks of the same sheet."""
    studio, _ = _ferry()
    key = studio.surface.keys[0]
    sheet = studio.surface.sheet(key, _SIZE)
    sources = studio.sources
    length = studio.model.diagonal * 0.004
    content = Edging("islands", length=length, gap=length / 2)
    row, layer = Edged(), Layer(1 << 20, "Stitches", content, {"colour": Channel("#ffffff")})
    count = int(laid(sources, content).whole.sum())
    chunks = sorted(row.chunks(sources, studio.project, layer, "colour", sheet))
    thrown = next(one for one in studio.project.walk() if one.name == "Name starboard")
    from lucky_fern.core.compositing.layer_row import layer_chunks, row_of

    touched = sorted(layer_chunks(sources, studio.project, thrown, "colour", sheet))

    def ours() -> None:
        sources.kept.clear()
        for_each(lambda chunk: row.stamp(sources, studio.project, layer, "colour", sheet, chunk), chunks)

    def other() -> float:
        sources.kept.clear()
        begin = time.perf_counter()
        for_each(lambda chunk: row_of(thrown).stamp(sources, studio.project, thrown, "colour", sheet, chunk), touched)
        return time.perf_counter() - begin

    other()
    mine, theirs = side_by_side(ours, other, runs=3)
    a_chunk, throw_chunk = mine / max(len(chunks), 1), theirs / max(len(touched), 1)
    detail = f"{a_chunk * 1e3:.1f} ms a chunk for {count} stitches; a throw {throw_chunk * 1e3:.1f} ms"
    return Row("an edging, a chunk", a_chunk / throw_chunk, 2.0, "lower", detail)


MEASURES = (occlusion, edges, edging)
