"""What looks at neighbours goes over seams: as if the layout were not there."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from boards import RIGHT, SIZE, board
from lucky_fern.core.compositing.around import Islands
from lucky_fern.core.compositing.changes import dirtied
from lucky_fern.core.compositing.compositor import MapKey, MapStore, composite_sheet
from lucky_fern.core.compositing.effects import effect_row
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry, SaveSelection, SetLayer, SetSheetSize
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Wash
from lucky_fern.core.project.effects import Blur, Sharpen
from lucky_fern.core.project.more_effects import NearContrast, Smooth
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.shapes import MaskEntry, ScopeShape
from lucky_fern.core.sheets.faces import pack_faces
from lucky_fern.core.sheets.grid import Chunk, SheetKey, all_chunks, square
from lucky_fern.core.studio import Studio
from lucky_fern.core.texels.setting import set_block


def along_the_board(studio: Studio, name: str) -> dict[float, float]:
    """The mean of a map at each distance from the left end, away from the long sides; every texel counts."""
    found: dict[float, list[float]] = {}
    for key in studio.surface.keys:
        sheet = studio.surface.sheet(key, studio.project.size_of(key))
        values = composite_sheet(studio.sources, studio.project, name, sheet, 16)[..., 0] / 65535
        points = sheet.surface_points(all_chunks(sheet.size)[0])
        inside = (points.triangle >= 0) & (np.abs(points.position[..., 1] - 0.5) < 0.12)
        for x, value in zip(points.position[inside][:, 0], values[inside], strict=True):
            found.setdefault(round(float(x), 3), []).append(float(value))
    return {x: float(np.mean(all_)) for x, all_ in sorted(found.items())}


@pytest.mark.parametrize("other", RIGHT)
@pytest.mark.parametrize("material", ["a", "b"])
def test_a_feathered_edge_on_a_seam_is_the_same_from_both_sides(tmp_path: Path, other: str, material: str) -> None:
    studio = board(tmp_path, RIGHT[other], material)
    studio.execute(AddLayer("mark", Wash(), {"metallic": Channel(1.0)}))
    entry = MaskEntry(ScopeShape(Scope(parts=("l",))), feather=10.0)
    studio.execute(AddMaskEntry(studio.project.layers[0].id, entry))
    found = along_the_board(studio, "metallic")
    texel = 1 / (0.3 * SIZE)
    left = np.mean([v for x, v in found.items() if 1 - texel < x < 1])
    right = np.mean([v for x, v in found.items() if 1 < x < 1 + texel])
    assert abs(left - right) < 0.1 and 0.4 < left < 0.6 and 0.4 < right < 0.6
    # Away from the seam it is the Gauss curve's own integral, on both sides in texels of their own.
    from scipy.special import ndtr

    finer = 2.0 if other == "twice as fine" else 1.0
    for x, value in found.items():
        if 0.3 < x < 1.7:
            across = (1 - x) / texel * (finer if x > 1 else 1.0)
            assert value == pytest.approx(ndtr(across / 10.0), abs=0.035)


@pytest.mark.parametrize("effect", ["grow", "smooth"])
def test_masks_grow_and_shrink_over_a_seam(tmp_path: Path, effect: str) -> None:
    studio = board(tmp_path, RIGHT["turned by 90°"])
    studio.execute(AddLayer("mark", Wash(), {"metallic": Channel(1.0)}))
    shape = ScopeShape(Scope(parts=("l",)))
    entry = MaskEntry(shape, grow=6) if effect == "grow" else MaskEntry(shape, smooth=3.0)
    studio.execute(AddMaskEntry(studio.project.layers[0].id, entry))
    found = along_the_board(studio, "metallic")
    texel = 1 / (0.3 * SIZE)
    edge = 1 + 6 * texel if effect == "grow" else 1.0
    for x, value in found.items():
        if abs(x - edge) > 1.6 * texel:
            assert value == pytest.approx(1.0 if x < edge else 0.0, abs=0.02)


def tube(folder: Path, cut: bool, name: str) -> Studio:
    """A tube of 48 faces, one turn over a whole tile; ``cut``: its halves lie one above the other, one mirrored."""
    count, lines, faces = 48, [], []
    for k in range(count):
        angle = 2 * np.pi * k / count
        lines += [f"v {np.cos(angle):.9f} {y} {np.sin(angle):.9f}" for y in (0, 1)]
    for k in range(count):
        a, b = 2 * k, 2 * ((k + 1) % count)
        if cut:
            half, step = divmod(k, count // 2)
            left, right = step / (count // 2), (step + 1) / (count // 2)
            if half:
                left, right = 1 - left, 1 - right
            low, high = 0.5 * half, 0.5 * half + 0.5
        else:
            left, right, low, high = k / count, (k + 1) / count, 0, 1
        at = len([line for line in lines if line.startswith("vt")])
        lines += [f"vt {u:.9f} {v}" for u, v in ((left, low), (right, low), (right, high), (left, high))]
        faces.append(f"f {a + 1}/{at + 1} {b + 1}/{at + 2} {b + 2}/{at + 3} {a + 2}/{at + 4}")
    (folder / f"{name}.obj").write_text("o tube\nusemtl a\n" + "\n".join([*lines, *faces]) + "\n")
    return Studio.new(folder / f"{name}.obj", sheet_size=256)


def ring_of_staves(studio: Studio, radius: float) -> None:
    """Light and dark staves round the tube, blurred."""
    staves = tuple(range(0, 48, 3))
    faces = np.zeros(studio.model.triangle_count, np.bool_)
    faces[np.isin(studio.model.polygon, staves)] = True
    studio.execute(SaveSelection("staves", pack_faces(faces)))
    studio.execute(AddLayer("base", Wash(), {"roughness": Channel(0.1)}))
    studio.execute(AddLayer("staves", Wash(), {"roughness": Channel(0.9)}, scope=Scope(selections=("staves",))))
    studio.execute(AddLayer("soft", Adjustment(Blur(radius)), {"roughness": Channel()}))


def test_a_blurred_tube_has_no_seam(tmp_path: Path) -> None:
    """Every third of 48 staves is light: whatever the layout, the ring repeats itself 16 times a turn."""
    studio = tube(tmp_path, False, "strip")
    ring_of_staves(studio, 4.0)
    sheet = studio.surface.sheets(studio.project.size_of)[0]
    found = composite_sheet(studio.sources, studio.project, "roughness", sheet, 8)[128, :, 0].astype(int)
    assert np.ptp(found) > 10 and np.abs(found - np.roll(found, 256 // 16)).max() <= 2
    cut = tube(tmp_path, True, "halves")
    ring_of_staves(cut, 9.0)
    cut.execute(SetSheetSize(square(512)))
    sheet = cut.surface.sheets(cut.project.size_of)[0]
    halves = composite_sheet(cut.sources, cut.project, "roughness", sheet, 8)[..., 0].astype(int)
    ring = np.concatenate([halves[384], halves[128][::-1]])
    assert np.ptp(ring) > 50 and np.abs(ring - np.roll(ring, 1024 // 16)).max() <= 2


def test_what_is_beyond_a_seam_is_done_again_when_it_changes(tmp_path: Path) -> None:
    studio = board(tmp_path, RIGHT["on another tile"], "b")
    for part, value in (("l", 0.2), ("r", 0.8)):
        studio.execute(
            AddLayer(part, Wash(), {"roughness": Channel(value)}, scope=Scope(materials=("ab"["lr".index(part)],)))
        )
    studio.execute(AddLayer("soft", Adjustment(Blur(12.0)), {"roughness": Channel()}))
    store = MapStore(studio.sources)
    for key in studio.surface.keys:
        store.update(studio.project, MapKey(key, "roughness"), all_chunks(square(SIZE)))
    before = studio.project
    studio.execute(SetLayer(studio.project.layers[1].id, opacity=0.3))
    dirty = dirtied(studio.sources, before, studio.project)
    assert {piece.sheet for piece in dirty} == {SheetKey("a", 1001), SheetKey("b", 1013)}
    for piece, chunks in dirty.items():
        store.update(studio.project, piece, chunks)
    for key in studio.surface.keys:
        fresh = Studio(studio.project, studio.blobs, studio.model)
        sheet = fresh.surface.sheet(key, square(SIZE))
        whole = composite_sheet(fresh.sources, fresh.project, "roughness", sheet, 8)
        assert np.array_equal(whole, store.get(MapKey(key, "roughness"), square(SIZE)))


def test_an_edit_redoes_what_lies_across_the_seam_that_it_is_near_and_no_more(tmp_path: Path) -> None:
    # Two halves of a square; the right one lies mirrored, so that the seam is at its right border.
    (tmp_path / "m.obj").write_text(
        "v -1 -1 0\nv 0 -1 0\nv 1 -1 0\nv 1 1 0\nv 0 1 0\nv -1 1 0\n"
        "vt 0 0\nvt .5 0\nvt .5 1\nvt 0 1\nvt 1 1\nvt 1 0\nf 1/1 2/2 5/3 6/4\nf 2/6 3/2 4/3 5/5\n"
    )
    studio = Studio.new(tmp_path / "m.obj", sheet_size=1024)
    studio.execute(AddLayer("Art", Brushwork(), {}))
    studio.execute(AddLayer("Soft", Adjustment(Blur(3.0)), {"colour": Channel()}))
    layer, key = studio.project.layers[0].id, studio.surface.keys[0]

    def redone(column: int, row: int) -> set[Chunk]:
        before = studio.project
        block = np.full((8, 8, 4), 128, np.uint8)
        studio.execute(set_block(studio, layer, key, "colour", (column, row), block))
        return set(dirtied(studio.sources, before, studio.project)[MapKey(key, "colour")])

    assert redone(50, 600) == {Chunk(row, column) for row in (1, 2, 3) for column in (0, 1)}
    near = redone(500, 600)
    assert Chunk(2, 3) in near and Chunk(0, 3) not in near and len(near) <= 9 + 3
    back = redone(1015, 600)
    assert Chunk(2, 1) in back and Chunk(0, 1) not in back


@pytest.mark.parametrize("effect", [Blur(2.0), Sharpen(1.0, 1.5), Smooth(3.0, 0.2), NearContrast(4.0, 0.5)])
@pytest.mark.parametrize("components", [1, 3])
def test_a_texel_comes_to_the_same_bits_in_whatever_rectangle_it_is_asked(effect: Any, components: int) -> None:
    rng = np.random.default_rng(7)
    whole = rng.random((90, 230, components)).astype(np.float32)
    spec, row = MAPS["colour" if components == 3 else "height"], effect_row(effect)
    all_of_it = row.apply(whole.copy(), effect, spec, Islands(np.zeros(whole.shape[:2], np.int32)))
    reach = effect.reach
    for _ in range(40):
        top, left = int(rng.integers(0, 30)), int(rng.integers(0, 100))
        down, wide = int(rng.integers(2 * reach + 1, 60)), int(rng.integers(2 * reach + 1, 130))
        part = np.ascontiguousarray(whole[top : top + down, left : left + wide])
        made = row.apply(part, effect, spec, Islands(np.zeros(part.shape[:2], np.int32)))
        inner = np.s_[reach : down - reach, reach : wide - reach]
        assert np.array_equal(made[inner], all_of_it[top : top + down, left : left + wide][inner])
