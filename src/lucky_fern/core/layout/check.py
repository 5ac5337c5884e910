"""The layout check: everything that practitioners find too late, found at once and said in plain words."""

from __future__ import annotations

from collections.abc import Callable
from collections.abc import Set as AbstractSet
from dataclasses import replace

import numpy as np

from lucky_fern.core.arrays import F64, I32, Bool, box_of
from lucky_fern.core.layout.findings import Finding
from lucky_fern.core.layout.gaps import tight_gaps
from lucky_fern.core.layout.islands import meetings, overlaps
from lucky_fern.core.layout.measure import Measures, measure
from lucky_fern.core.model.model import Model, edge_counts, groups
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.survey.survey import numbers_of
from lucky_fern.words import counted, tr

STRETCHED = 1.5  # longer one way than the other by so much counts
THIN = 2.0  # so much less detail than the whole counts
_TINY = 1e-6
_INWARD = 0.5  # of all there is: an open piece that looks inward so much is inside out
_WORTH_TELLING = 0.002  # of the surface; less of it is not spoken of


def check_layout(
    surface: Surface, size_of: Callable[[SheetKey], Extent], pixel_art: AbstractSet[SheetKey] = frozenset()
) -> list[Finding]:
    """All findings, the worrying ones first.

    Two islands that cover each other are twins, made on purpose; anything else that overlaps is an accident, but on
    ``pixel_art``, where parts share texels as they like, and need no room between them, as nothing is smoothed.
    """
    model = surface.model
    measures = measure(model, surface.proportions(size_of))
    meeting = _meeting(surface, measures)
    touched = [np.unique(model.islands[one.triangles]) for one in meeting if one.kind in ("overlap", "folded")]
    overlapping = np.concatenate([np.empty(0, np.int32), *touched])
    found = [
        *_without_uv(model),
        *_outside(surface),
        *_zero_area(model, measures),
        *(_calm(surface, one, pixel_art) for one in meeting),
        *_flipped(model, measures),
        *_stretched(model, measures),
        *_thin(model, measures),
        *_gaps(surface, size_of, overlapping, pixel_art),
        *_edges(model),
        *_inside_out(surface),
    ]
    return sorted(found, key=lambda one: not one.worry)


def _where(model: Model, triangles: I32) -> str:
    """The parts that some triangles belong to, in few words."""
    numbers, count = np.unique(model.part[triangles], return_counts=True)
    names = [model.parts[number] for number in numbers[np.argsort(-count)]]
    return names[0] if len(names) == 1 else f"{names[0]} and {counted(len(names) - 1, 'other part')}"


def _rows(mask: Bool) -> I32:
    return np.flatnonzero(mask).astype(np.int32)


def _without_uv(model: Model) -> list[Finding]:
    bare = _rows(~model.has_uv)
    if not len(bare):
        return []
    if len(bare) == model.triangle_count:
        return [Finding("no-uv", tr("The model has no UVs: nothing can be painted until it is unwrapped."), bare)]
    sentence = tr(
        "{triangles} of {where} have no UVs and stay unpainted.",
        triangles=counted(len(bare), "triangle"),
        where=_where(model, bare),
    )
    return [Finding("no-uv", sentence, bare)]


def _outside(surface: Surface) -> list[Finding]:
    model = surface.model
    found = []
    lost = _rows(model.has_uv & (surface.sheet_of_triangle < 0))
    if len(lost):
        sentence = tr(
            "{triangles} of {where} lie on no tile (u 0 to 10, v from 0 up).",
            triangles=counted(len(lost), "triangle"),
            where=_where(model, lost),
        )
        found.append(Finding("outside", tr("{sentence} Move them onto one.", sentence=sentence), lost))
    uv = np.nan_to_num(model.uv)
    low, high = box_of(uv)
    low, high = np.floor(low + _TINY), np.ceil(high - _TINY) - 1
    across = model.has_uv & (high > low).any(axis=1)
    islands = np.unique(model.islands[across])
    # An island may also cross between two of its triangles.
    middle = np.floor(uv.mean(axis=1))
    for axis in range(2):
        lowest, highest = _per_island(model, middle[:, axis])
        islands = np.union1d(islands, np.flatnonzero(highest > lowest))
    islands = islands[islands >= 0]
    if len(islands):
        rows = _rows(np.isin(model.islands, islands))
        verb = "crosses" if len(islands) == 1 else "cross"
        sentence = tr(
            "{islands} of {where} {verb} the border of a tile: ",
            islands=counted(len(islands), "island"),
            where=_where(model, rows),
            verb=verb,
        )
        found.append(
            Finding("crossing", sentence + tr("they are cut there, with a seam where the sheets meet."), rows)
        )
    return found


def _per_island(model: Model, values: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Lowest and highest value of the triangles of each island."""
    count = int(model.islands.max(initial=-1)) + 1
    low, high = np.full(count, np.inf), np.full(count, -np.inf)
    inside = model.islands >= 0
    np.minimum.at(low, model.islands[inside], values[inside])
    np.maximum.at(high, model.islands[inside], values[inside])
    return low, high


def _zero_area(model: Model, measures: Measures) -> list[Finding]:
    rows = _rows(model.has_uv & ~np.isfinite(measures.longest))
    if not len(rows):
        return []
    sentence = tr(
        "{triangles} of {where} have no area in UV space: one texel must do.",
        triangles=counted(len(rows), "triangle"),
        where=_where(model, rows),
    )
    return [Finding("zero-area", tr("{sentence} Unwrap them anew.", sentence=sentence), rows)]


def _flipped(model: Model, measures: Measures) -> list[Finding]:
    rows = _rows(measures.uv_area < 0)
    if not len(rows):
        return []
    count = len(np.unique(model.islands[rows]))
    verb = "is" if count == 1 else "are"
    sentence = tr(
        "{islands} of {where} {verb} mirrored: lettering reads backwards there.",
        islands=counted(count, "island"),
        where=_where(model, rows),
        verb=verb,
    )
    return [Finding("flipped", sentence, rows)]


def _meeting(surface: Surface, measures: Measures) -> list[Finding]:
    """Islands on each other, material by material; twins told apart from accidents."""
    model = surface.model
    found: list[Finding] = []
    folded, pairs = overlaps(model)
    met = meetings(model, measures, pairs)
    folded |= np.isin(model.islands, [pair for pair, meeting in met.items() if meeting == "folded"])
    if folded.any():
        sentence = tr(
            "The layout of {where} folds over itself: paint shows twice there.", where=_where(model, _rows(folded))
        )
        found.append(Finding("folded", sentence, _rows(folded)))
    accidents = [pair for pair, meeting in met.items() if meeting == "accident"]
    if accidents:
        islands = np.unique(accidents)
        touched = _rows(np.isin(model.islands, islands))
        stack = max(np.bincount(_groups(np.array(accidents))))
        sentence = tr(
            "{islands} of {where} overlap", islands=counted(len(islands), "island"), where=_where(model, touched)
        )
        if stack > 2:
            sentence += tr(", up to {stack} in one place", stack=stack)
        found.append(
            Finding(
                "overlap", tr("{sentence}: what is painted on one shows on the others.", sentence=sentence), touched
            )
        )
    twins = [pair for pair, meeting in met.items() if meeting in ("same", "mirrored")]
    if twins:
        rows = _rows(np.isin(model.islands, twins))
        word = "mirrored " if all(met[pair] == "mirrored" for pair in twins) else ""
        sentence = tr(
            "{pairs} of {word}twins share their UV space ({where})",
            pairs=counted(len(twins), "pair"),
            word=word,
            where=_where(model, rows),
        )
        found.append(
            Finding("twins", tr("{sentence}: both get the same paint.", sentence=sentence), rows, worry=False)
        )
    return found


def _groups(pairs: np.ndarray) -> np.ndarray:
    """Which of the islands in pairs hang together."""
    names, rows = np.unique(pairs, return_inverse=True)
    rows = rows.reshape(pairs.shape)
    return groups(len(names), rows)


def _beyond(values: F64, limit: float, measures: Measures) -> tuple[I32, float, float]:
    """Triangles whose value is above a limit, their share of the surface, and what nearly all stay below."""
    rows = _rows(np.nan_to_num(values, nan=1.0) > limit)
    share = float(measures.area[rows].sum() / max(measures.area.sum(), 1e-300))
    return rows, share, float(np.quantile(values[rows], 0.95)) if len(rows) else 0.0


def _stretched(model: Model, measures: Measures) -> list[Finding]:
    rows, share, most = _beyond(measures.angle_stretch, STRETCHED, measures)
    if share < _WORTH_TELLING:
        return []
    sentence = tr(
        "Pictures are stretched up to {most:.1f}× on {where} ({share:.0%} of the surface)",
        most=most,
        where=_where(model, rows),
        share=share,
    )
    return [
        Finding("stretch", tr("{sentence}: unwrap it anew, or place pictures by throwing.", sentence=sentence), rows)
    ]


def _thin(model: Model, measures: Measures) -> list[Finding]:
    rows, share, worst = _beyond(measures.area_stretch(), THIN, measures)
    if share < _WORTH_TELLING:
        return []
    where = _where(model, rows)
    verb = "get" if " other part" in where else "gets"
    sentence = tr(
        "{upper}{where} {verb} up to {worst:.1f}× fewer texels than the rest",
        upper=where[:1].upper(),
        where=where[1:],
        verb=verb,
        worst=worst,
    )
    return [
        Finding(
            "density",
            tr(
                "{sentence} ({share:.0%} of the surface): give those islands more room.",
                sentence=sentence,
                share=share,
            ),
            rows,
        )
    ]


def _calm(surface: Surface, finding: Finding, pixel_art: AbstractSet[SheetKey]) -> Finding:
    """A finding that worries nobody where all of it is on pixel art."""
    numbers = set(surface.sheet_of_triangle[finding.triangles].tolist())
    art = {number for number, key in enumerate(surface.keys) if key in pixel_art}
    return replace(finding, worry=False) if numbers <= art and finding.kind == "overlap" else finding


def _gaps(
    surface: Surface, size_of: Callable[[SheetKey], Extent], overlapping: I32, pixel_art: AbstractSet[SheetKey]
) -> list[Finding]:
    found = []
    for key in (key for key in surface.keys if key not in pixel_art):
        sheet = surface.sheet(key, size_of(key))
        gap, islands = tight_gaps(sheet)
        islands = np.setdiff1d(islands, overlapping)  # those have been told already
        if len(islands):
            rows = _rows(np.isin(surface.model.islands, islands))
            sentence = tr(
                "{islands} on {key} lie {gap} texels from another one at {size}",
                islands=counted(len(islands), "island"),
                key=key,
                gap=gap,
                size=sheet.size,
            )
            found.append(
                Finding(
                    "gap",
                    tr("{sentence}: far away they bleed. Leave more room, or a larger sheet.", sentence=sentence),
                    rows,
                )
            )
    return found


def _edges(model: Model) -> list[Finding]:
    found = []
    odd = edge_counts(model.triangles) > 2
    rows = np.unique(np.argwhere(odd)[:, 0]).astype(np.int32)
    if len(rows):
        sentence = tr(
            "{edges} of {where} join more than two faces",
            edges=counted(int(odd.sum()) // 3 or 1, "edge"),
            where=_where(model, rows),
        )
        found.append(
            Finding(
                "edges",
                tr("{sentence}: selections and smooth shading stop there.", sentence=sentence),
                rows,
                worry=False,
            )
        )
    _, number, count = np.unique(model.polygon, return_inverse=True, return_counts=True)
    large = count[number] > 2
    if large.any():
        faces = len(np.unique(model.polygon[large]))
        sentence = tr(
            "{faces} with more than four corners ({where})",
            faces=counted(faces, "face"),
            where=_where(model, _rows(large)),
        )
        found.append(
            Finding(
                "polygons",
                tr("{sentence}: another program may cut them otherwise.", sentence=sentence),
                _rows(large),
                worry=False,
            )
        )
    return found


def _inside_out(surface: Surface) -> list[Finding]:
    """Closed pieces that enclose less than nothing, but for hollows in others; and open ones that all look inward."""
    model = surface.model
    number = numbers_of(surface, "piece")[1]
    count = int(number.max(initial=-1)) + 1
    corners = model.corners
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]) / 2
    area = np.linalg.norm(cross, axis=1)
    middle = corners.mean(axis=1)
    whole = np.maximum(np.bincount(number, area, count), 1e-300)
    centre = np.stack([np.bincount(number, area * middle[:, k], count) / whole for k in range(3)], axis=1)
    away = middle - centre[number]
    outward = np.bincount(number, (away * cross).sum(axis=1), count)
    far = np.bincount(number, area * np.linalg.norm(away, axis=1), count)
    ended = np.bincount(number, (surface.beyond.neighbour < 0).any(axis=1), count) > 0
    wrong = np.where(ended, outward < -_INWARD * far, outward < -_TINY * far)
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    np.minimum.at(low, number, corners.min(axis=1))
    np.maximum.at(high, number, corners.max(axis=1))
    for piece in np.flatnonzero(wrong & ~ended):  # a hollow lies in something
        around = ~wrong & ~ended & (low <= low[piece]).all(axis=1) & (high >= high[piece]).all(axis=1)
        wrong[piece] = not around.any()
    rows = _rows(wrong[number])
    if not len(rows):
        return []
    if len(rows) == model.triangle_count:
        sentence = tr("The model is inside out: its faces look inward.")
    else:
        sentence = tr("{pieces} of {where} {verb} inside out.", pieces=counted(int(wrong.sum()), "piece"),
                      where=_where(model, rows), verb=tr("is") if wrong.sum() == 1 else tr("are"))  # fmt: skip
    return [Finding("inside-out", tr("{sentence} Games show their backs.", sentence=sentence), rows)]
