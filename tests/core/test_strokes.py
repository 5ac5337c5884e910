"""Brush strokes: the same ones on every map, chunk, layout and machine; the paint looks thick and normals stay unit."""

from pathlib import Path

import numpy as np
import pytest
from numpy.lib.stride_tricks import sliding_window_view

from lucky_fern.core.compositing.changes import dirtied
from lucky_fern.core.compositing.compositor import MapKey, MapStore, composite_chunk
from lucky_fern.core.errors import CommandError
from lucky_fern.core.exporting.png import encode_png
from lucky_fern.core.model.load import load_model
from lucky_fern.core.project.commands import AddLayer, GroupLayers, SetContent, SetGroup
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Wash
from lucky_fern.core.project.preparations import Adjust
from lucky_fern.core.project.strokes import PaintStrokes
from lucky_fern.core.sheets.grid import Chunk, all_chunks, square
from lucky_fern.core.studio import Studio
from lucky_fern.core.survey.bending import form_directions, form_tensors
from lucky_fern.core.texels.setting import set_block

BOARD = "v -1 -1 0\nv 1 -1 0\nv 1 1 0\nv -1 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n"
# The same square in two halves, the right one as it is or mirrored in its place, so that there is a seam between them.
PLACES = (
    "v -1 -1 0\nv 0 -1 0\nv 1 -1 0\nv 1 1 0\nv 0 1 0\nv -1 1 0\nvt 0 0\nvt .5 0\nvt .5 1\nvt 0 1\nvt 1 1\nvt 1 0\n"
)
WHOLE = PLACES + "f 1/1 2/2 5/3 6/4\nf 2/2 3/6 4/5 5/3\n"
HALVES = PLACES + "f 1/1 2/2 5/3 6/4\nf 2/6 3/2 4/3 5/5\n"


def studio(folder: Path, text: str = BOARD, texels: int = 320, **look: object) -> Studio:
    (folder / "m.obj").write_text(text)
    made = Studio.new(folder / "m.obj", sheet_size=texels)
    picture = folder / "p.png"
    ramp = np.zeros((64, 64, 3), np.uint8)
    ramp[..., 0], ramp[..., 1] = np.arange(64) * 4, np.arange(64)[:, None] * 4
    ramp[20:44, 20:44] = 255
    picture.write_bytes(encode_png(ramp))
    name = made.add_picture(picture)
    made.execute(AddLayer("Base", Wash(by="triplanar"), {"colour": Channel("picture", picture=name)}))
    put(made, **look)
    return made


def put(made: Studio, **look: object) -> None:
    effect = PaintStrokes(**{"size": 10.0, **look})  # type: ignore[arg-type]
    maps = {"colour": Channel(), "normal": Channel(), "height": Channel()}
    made.execute(AddLayer("Strokes", Adjustment(effect), maps))


def shown(made: Studio, name: str = "colour", pad: bool = True) -> np.ndarray:
    key = made.surface.keys[0]
    store = MapStore(made.sources)
    store.update(made.project, MapKey(key, name), all_chunks(made.project.size_of(key)), pad=pad)
    return store.get(MapKey(key, name), made.project.size_of(key)).copy()


def test_the_same_whatever_is_drawn_first_and_again(tmp_path: Path) -> None:
    one, other = studio(tmp_path), studio(tmp_path)
    whole = shown(one)
    key = other.surface.keys[0]
    sheet = other.surface.sheet(key, square(320))
    last = composite_chunk(other.sources, other.project, "colour", sheet, Chunk(1, 1), None)
    assert np.array_equal(whole[256:, 256:], np.floor(last * 255 + 0.5).astype(np.uint8))
    assert np.array_equal(shown(other), whole)
    other.execute(SetContent(other.project.layers[-1].id, Adjustment(PaintStrokes(10.0, seed=2))))
    assert not np.array_equal(shown(other), whole)


def test_strokes_go_on_over_seams(tmp_path: Path) -> None:
    whole = studio(tmp_path, WHOLE, vary=1.0)
    (tmp_path / "halves").mkdir()
    halves = studio(tmp_path / "halves", HALVES, vary=1.0)
    assert len(halves.surface.beyond.border.nonzero()[0]) > len(whole.surface.beyond.border.nonzero()[0])
    a, b = shown(whole).astype(int), shown(halves).astype(int)
    b[:, 160:] = b[:, 160:][:, ::-1]
    differs = np.abs(a - b).max(axis=2)
    assert (differs[:, :130] <= 1).all() and (differs[:, 190:] <= 1).all()
    assert np.mean(differs[:, 130:190] <= 12) > 0.95  # strokes at the seam take their colour from their own side
    assert np.ptp(b[:, 150:170].mean(axis=2), axis=1).mean() > 2


def test_colour_normal_and_height_take_the_same_strokes(tmp_path: Path) -> None:
    made = studio(tmp_path, vary=1.0, bristle=0.0, thick=0.3, size=32.0, detail=0.0)
    colour, height = shown(made).astype(float), shown(made, "height")[..., 0] / 65535.0
    normal = shown(made, "normal") / 65535.0 * 2 - 1
    assert np.abs(np.linalg.norm(normal, axis=2) - 1).max() < 1e-3
    assert height.max() > 0.52 and height.min() >= 0.5 - 1e-4
    # Within one stroke (of one tone) paint rises as normals lean; a height of 1 stands 8 texels above 0.
    one = np.ptp(sliding_window_view(colour, (3, 3), axis=(0, 1)), axis=(3, 4)).max(axis=2) <= 1
    assert one.mean() > 0.3
    for axis, part, sign in ((1, 0, -1), (0, 1, 1)):
        rise = np.gradient(height, axis=axis)[1:-1, 1:-1][one] * 8
        lean = sign * (normal[..., part] / normal[..., 2])[1:-1, 1:-1][one]
        assert np.percentile(np.abs(rise - lean), 90) < 0.02 < np.ptp(rise)
        assert np.corrcoef(rise, lean)[0, 1] > 0.9
    border = np.hypot(*np.gradient(colour.mean(axis=2)))[5:-5, 5:-5]
    steep = np.hypot(normal[..., 0], normal[..., 1])[5:-5, 5:-5]
    assert border[steep > np.percentile(steep, 90)].mean() > 1.5 * border[steep < np.percentile(steep, 50)].mean()


def test_detail_comes_closer_to_what_is_below(tmp_path: Path) -> None:
    made = studio(tmp_path, vary=0.0, bristle=0.0)
    strokes = made.project.layers[-1].id
    away = []
    plain = Studio.new(tmp_path / "m.obj", sheet_size=320)
    picture = plain.add_picture(tmp_path / "p.png")
    plain.execute(AddLayer("Base", Wash(by="triplanar"), {"colour": Channel("picture", picture=picture)}))
    below = shown(plain).astype(float)
    for detail in (0.0, 0.5, 1.0):
        made.execute(SetContent(strokes, Adjustment(PaintStrokes(24.0, detail=detail, vary=0.0, bristle=0.0))))
        away.append(np.abs(shown(made) - below).mean())
    assert away[0] > away[1] > away[2]
    assert shown(made).min() >= below.min() - 1 and shown(made).max() <= below.max() + 1


def test_an_edit_below_redoes_what_it_may_reach(tmp_path: Path) -> None:
    made = studio(tmp_path, texels=1024)
    key = made.surface.keys[0]
    store = MapStore(made.sources)
    for name in ("colour", "normal", "height"):
        store.update(made.project, MapKey(key, name), all_chunks(square(1024)))
    before = made.project
    made.execute(AddLayer("Art", Brushwork(), {}, above=before.layers[0].id))
    layer = made.project.layers[1].id
    made.execute(set_block(made, layer, key, "colour", (40, 40), np.full((64, 64, 4), 255, np.uint8)))
    news = dirtied(made.sources, before, made.project)
    assert set(news[MapKey(key, "normal")]) == set(news[MapKey(key, "colour")])
    assert Chunk(3, 3) not in news[MapKey(key, "colour")]
    for name in ("colour", "normal", "height"):
        store.update(made.project, MapKey(key, name), news.get(MapKey(key, name), ()))
        assert np.array_equal(store.get(MapKey(key, name), square(1024)), shown(made, name))


def test_an_edit_below_is_followed_where_texels_are_far_finer_than_in_the_mean(tmp_path: Path) -> None:
    # A board of a tenth of the length has half of the sheet: strokes are ten times as many texels long on it.
    text = BOARD.replace("vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1", "vt 0 0\nvt .5 0\nvt .5 1\nvt 0 1") + (
        "v 3 0 0\nv 3.1 0 0\nv 3.1 .2 0\nv 3 .2 0\nvt .5 0\nvt 1 0\nvt 1 1\nvt .5 1\nf 5/5 6/6 7/7 8/8\n"
    )
    made = studio(tmp_path, text, texels=1024, size=8.0, detail=0.0)
    key, before = made.surface.keys[0], made.project
    store = MapStore(made.sources)
    store.update(before, MapKey(key, "colour"), all_chunks(square(1024)))
    made.execute(AddLayer("Art", Brushwork(), {}, above=before.layers[0].id))
    block = np.full((96, 96, 4), 255, np.uint8)
    made.execute(set_block(made, made.project.layers[1].id, key, "colour", (760, 500), block))
    news = dirtied(made.sources, before, made.project)
    store.update(made.project, MapKey(key, "colour"), news[MapKey(key, "colour")])
    assert np.array_equal(store.get(MapKey(key, "colour"), square(1024)), shown(made))


def test_strokes_in_a_group_by_itself_keep_its_coverage(tmp_path: Path) -> None:

    made = studio(tmp_path)
    made.execute(AddLayer("Under", Wash(), {"colour": Channel("#ff0000")}, above=None))
    made.execute(GroupLayers((made.project.layers[0].id, made.project.layers[1].id)))
    group = next(layer for layer in made.project.layers if layer.children)
    whole = shown(made)
    made.execute(SetGroup(group.id, isolated=True))
    assert np.abs(whole.astype(int) - shown(made)).max() <= 1


def test_the_form_runs_along_a_cylinder(tmp_path: Path) -> None:
    count = 24
    lines = []
    for k in range(count):
        a = 2 * np.pi * k / count
        lines += [f"v {np.cos(a)} -2 {np.sin(a)}", f"v {np.cos(a)} 2 {np.sin(a)}"]
    faces = []
    for k in range(count):
        a, b = 2 * k + 1, 2 * ((k + 1) % count) + 1
        faces.append(f"f {a} {a + 1} {b + 1} {b}")
    (tmp_path / "c.obj").write_text("\n".join(lines + faces) + "\n")
    model = load_model(tmp_path / "c.obj")
    rows = np.arange(model.triangle_count, dtype=np.int32)
    middle = np.full((len(rows), 3), 1 / 3)
    along = form_directions(form_tensors(model), model, rows, middle, model.face_normals)
    assert np.abs(along[:, 1]).min() > 0.999


def test_numbers_and_places_that_cannot_be_are_refused(tmp_path: Path) -> None:
    for bad in ({"size": 1.0}, {"length": 0.5}, {"detail": 2.0}, {"seed": -1}, {"thick": float("nan")}):
        with pytest.raises(CommandError):
            PaintStrokes(**bad).check()  # type: ignore[arg-type]
    with pytest.raises(CommandError, match="surface"):
        Adjust(PaintStrokes()).check()
