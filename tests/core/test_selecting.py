"""Selecting faces: against brute force on random models, and what follows a selection."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.model.load import load_model
from lucky_fern.core.model.model import Model
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry, RenameSelection, SaveSelection
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.shapes import MaskEntry, ScopeShape
from lucky_fern.core.selecting.colour import like_colour, mean_colours
from lucky_fern.core.selecting.seen import disc, faces_at, inside, nearest_faces, stroke
from lucky_fern.core.selecting.spread import facing, grown, like_normal, whole
from lucky_fern.core.sheets.faces import pack_faces, unpack_faces
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.studio import Studio
from small_models import SIDE_BY_SIDE


@settings(max_examples=20, deadline=None)
@given(seed=st.integers(0, 2**32 - 1), hide=st.booleans())
def test_the_face_seen_at_a_pixel_is_the_nearest_that_covers_its_middle(seed: int, hide: bool) -> None:
    rng = np.random.default_rng(seed)
    screen = np.concatenate([rng.uniform(-10, 40, (25, 3, 2)), rng.uniform(0, 1, (25, 3, 1))], axis=2)
    shown = rng.random(25) < 0.6 if hide else np.ones(25, np.bool_)
    owner = nearest_faces(screen, 32, 24, shown)
    for row in range(24):
        for column in range(32):
            point, best, found = np.array([column + 0.5, row + 0.5]), np.inf, -1
            for number in np.flatnonzero(shown):
                (a, b, c), z = screen[number, :, :2], screen[number, :, 2]
                weights = np.linalg.solve(np.stack([b - a, c - a], axis=1), point - a)
                share = np.array([1 - weights.sum(), *weights])
                if share.min() >= 0 and share @ z < best:
                    best, found = share @ z, number
            assert owner[row, column] == found


def test_shapes_on_the_screen_take_what_is_seen_or_all_that_lies_under_them() -> None:
    near = np.array([[2, 2, 0.1], [30, 2, 0.1], [2, 30, 0.1]], float)
    screen = np.stack([near, near + (0, 0, 0.5), near + (40, 0, 0)])
    owner = nearest_faces(screen, 80, 40)
    box = inside(np.array([(1, 1), (34, 1), (34, 34), (1, 34)], float), 80, 40)
    assert faces_at(owner, box, screen, through=False).tolist() == [True, False, False]
    assert faces_at(owner, box, screen, through=True).tolist() == [True, True, False]
    brushed = stroke(np.array([5.0, 5.0]), np.array([60.0, 6.0]), 3.0, 80, 40)
    assert faces_at(owner, brushed, screen, through=False).tolist() == [True, False, True]
    assert brushed[5, 30] and not brushed[20, 30] and disc(np.array([3.2, 4.7]), 0.1, 10, 10)[4, 3] == 1


def grid(folder: Path, count: int = 6) -> Model:
    """A bent strip of count × 2 quads, each quad of the upper row of another material."""
    text = [f"v {x} {y} {0.5 * max(x - count / 2, 0)}" for y in range(3) for x in range(count + 1)]
    text += [f"vt {x / count} {y / 3}" for y in range(3) for x in range(count + 1)]
    for y in range(2):
        text.append(f"usemtl m{y}")
        for x in range(count):
            k = y * (count + 1) + x + 1
            text.append("f " + " ".join(f"{n}/{n}" for n in (k, k + 1, k + count + 2, k + count + 1)))
    (folder / "grid.obj").write_text("\n".join(text))
    return load_model(folder / "grid.obj")


def test_selections_spread_by_faces_units_directions_and_back(tmp_path: Path) -> None:
    model = grid(tmp_path)
    quad = model.polygon == 1
    seed = np.zeros(model.triangle_count, np.bool_)
    seed[np.flatnonzero(quad)[0]] = True
    assert np.array_equal(whole(model, seed, "face"), quad)
    assert np.array_equal(whole(model, seed, "material"), model.material == 0)
    assert whole(model, seed, "piece").all()
    touching = np.isin(model.polygon, [0, 1, 2, 6, 7, 8])  # all that share a corner with the second quad
    assert np.array_equal(grown(model, quad), touching) and not grown(model, quad, -1).any()
    # The open border of the strip is no border of the selection.
    assert np.array_equal(grown(model, touching, -1), np.isin(model.polygon, [0, 1, 6, 7]))
    flat = model.face_normals[:, 2] > 0.99
    assert np.array_equal(facing(model, np.array([0, 0, 2.0]), 5), flat) and 0 < flat.sum() < len(flat)
    assert np.array_equal(like_normal(model, seed, 10), flat) and like_normal(model, seed, 40).all()


def test_like_colours_are_found_under_the_faces(tmp_path: Path) -> None:
    model_path = tmp_path / "two.obj"
    model_path.write_text(SIDE_BY_SIDE)
    studio = Studio.new(model_path, sheet_size=128)
    scope = Scope(parts=("left",))
    studio.execute(AddLayer("Red", Wash(), {"colour": Channel("#ff0000")}, scope=scope))

    def texels(key):
        return composite_sheet(studio.sources, studio.project, "colour", studio.surface.sheet(key, square(128)), 8)

    means = mean_colours(studio.surface, texels)
    left = studio.model.part == 0
    assert np.allclose(means[left], (1, 0, 0)) and np.allclose(means[~left], 1)
    assert np.array_equal(like_colour(means, int(np.flatnonzero(left)[0]), 0.1), left)
    assert like_colour(means, 0, 1.0).all()


@settings(max_examples=30, deadline=None)
@given(st.lists(st.booleans(), min_size=1, max_size=400))
def test_packed_faces_come_back(chosen: list[bool]) -> None:
    faces = np.array(chosen, np.bool_)
    assert np.array_equal(unpack_faces(pack_faces(faces), len(faces)), faces)


def test_a_named_selection_is_a_scope_and_a_mask_and_keeps_its_users_when_renamed(tmp_path: Path) -> None:
    (tmp_path / "two.obj").write_text(SIDE_BY_SIDE)
    studio = Studio.new(tmp_path / "two.obj", sheet_size=128)
    right = studio.model.part == 1
    studio.execute(SaveSelection("panes", pack_faces(right)))
    scope = Scope(selections=("panes",))
    studio.execute(AddLayer("Glow", Wash(), {"emissive": Channel("#ffffff")}, scope=scope))
    studio.execute(AddLayer("Dark", Wash(), {"colour": Channel("#000000")}))
    studio.execute(AddMaskEntry(studio.project.layers[-1].id, MaskEntry(ScopeShape(scope))))

    def shown(name: str) -> np.ndarray:
        sheet = studio.surface.sheet(studio.surface.keys[0], square(128))
        return composite_sheet(studio.sources, studio.project, name, sheet, 8)[..., 0]

    for name in ("panes", "windows"):
        if name == "windows":
            studio.execute(RenameSelection("panes", name))
        assert (shown("emissive")[:, 66:120] == 255).all() and (shown("emissive")[:, 5:60] == 0).all()
        assert (shown("colour")[:, 66:120] == 0).all() and (shown("colour")[:, 5:60] == 255).all()
    assert studio.project.layers[0].scope.selections == ("windows",)
    studio.save(tmp_path / "p.fern")
    again = Studio.open(tmp_path / "p.fern")
    assert again.project.selections == studio.project.selections
