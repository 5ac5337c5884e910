"""Kinds are rows of a table: a new one is one registration, and all the rest knows it."""

from __future__ import annotations

import ast
import json
from pathlib import Path
from typing import Any, ClassVar

import numpy as np
import pytest

import lucky_fern
from lucky_fern.core.compositing.changes import dirtied, everything
from lucky_fern.core.compositing.compositor import MapStore, composite_sheet
from lucky_fern.core.compositing.effects import EffectRow
from lucky_fern.core.compositing.layer_row import LayerRow
from lucky_fern.core.compositing.masks import ShapeRow
from lucky_fern.core.compositing.sources import Stamp
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.places import convert, parse_place
from lucky_fern.core.jobs.run import run_job
from lucky_fern.core.placing.way import Drawing, Way
from lucky_fern.core.project.commands import (
    AddLayer,
    AddMaskEntry,
    PasteMask,
    SaveSelection,
    SetContent,
    from_plain,
    to_plain,
)
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Decal, Relief, Wash
from lucky_fern.core.project.kinds import (
    CONTENTS,
    EFFECTS,
    PLACES,
    SHAPES,
    Carrying,
    Content,
    Effect,
    Place,
    References,
    Shape,
    Table,
)
from lucky_fern.core.project.layouts import RenameMaterial, Transform, Unwrap
from lucky_fern.core.project.places import Lay, Throw, Warp
from lucky_fern.core.project.plain import PaintedSheet, Plain, Scope
from lucky_fern.core.project.references import everything_of, needed_digests
from lucky_fern.core.project.shapes import Mask, MaskEntry, PaintedShape, ScopeShape
from lucky_fern.core.sheets.faces import pack_faces
from lucky_fern.core.sheets.grid import every_chunk, shape, square
from lucky_fern.core.studio import Studio
from samples import PLANE, save_png

SIZE = 64


class Stripes(Content, Plain, frozen=True, tag_field="kind", tag="toy-stripes"):
    """A layer that is there on every other row."""

    every: int = 2
    of: str = ""

    def check(self, project: Any) -> None:
        if self.every < 1:
            raise CommandError("every begins at 1")

    def refers(self) -> References:
        return References(pictures=frozenset((self.of,) if self.of else ()))

    def carried(self, carrying: Carrying) -> Stripes:
        return self


class StripesRow(LayerRow):
    def stamp(self, sources: Any, project: Any, layer: Any, map_name: str, sheet: Any, chunk: Any) -> Stamp:
        alpha = np.zeros(shape(chunk, sheet.size), np.uint16)
        alpha[:: layer.content.every] = 65535
        return Stamp(None, alpha)


class Everywhere(Place, Plain, frozen=True, tag_field="mode", tag="toy-everywhere"):
    """The picture's middle pixel on every texel."""

    framed: ClassVar[bool] = False
    on_surface: ClassVar[bool] = False
    width: float = 1.0

    def check(self) -> None:
        if not self.width > 0:
            raise CommandError("width must be above 0")

    def tall(self, size: tuple[int, int]) -> float:
        return self.width


class EverywhereWay(Way):
    def work(self, model: Any, place: Any, height: float, allowed: Any = None) -> None:
        return None

    def chunks(self, worked: None, place: Any, height: float, sheet: Any) -> Any:
        return every_chunk(sheet.size)

    def draw(self, worked: None, place: Any, height: float, sheet: Any, chunk: Any, how: Drawing) -> Any:
        out = np.zeros((*shape(chunk, sheet.size), 4), np.uint16)
        out[:] = how.pyramid.level(0)[0, 0] * 65535
        return out


class Upper(Shape, Plain, frozen=True, tag_field="kind", tag="toy-upper"):
    """The upper part of every sheet."""

    share: float = 0.5

    def check(self, project: Any) -> None:
        if not 0 <= self.share <= 1:
            raise CommandError("share runs from 0 to 1")


class UpperMask(ShapeRow):
    def values(self, asking: Any, shape: Any, sheet: Any, rect: Any) -> Any:
        rows = np.arange(rect.top, rect.bottom)[:, None] < shape.share * sheet.size.height
        return np.broadcast_to(rows, rect.shape).astype(np.float32)


class Halve(Effect, Plain, frozen=True, tag_field="effect", tag="toy-halve"):
    by: float = 2.0

    def check(self) -> None:
        if not self.by >= 1:
            raise CommandError("by begins at 1")


class Halving(EffectRow):
    def apply(self, values: Any, effect: Any, spec: Any, around: Any) -> Any:
        return values / np.float32(effect.by)


TOYS: list[tuple[Table[Any], type, object]] = [
    (CONTENTS, Stripes, StripesRow()), (PLACES, Everywhere, EverywhereWay()), (SHAPES, Upper, UpperMask()),
    (EFFECTS, Halve, Halving()),
]  # fmt: skip


@pytest.fixture
def toys() -> Any:
    for table, kind, row in TOYS:
        table.add(kind, row)
    yield
    for table, kind, _ in TOYS:
        table.remove(kind)


@pytest.fixture
def studio(tmp_path: Path) -> Studio:
    (tmp_path / "plane.obj").write_text(PLANE)
    return Studio.new(tmp_path / "plane.obj", sheet_size=SIZE)


def look(studio: Studio, name: str) -> np.ndarray:
    sheet = studio.surface.sheet(studio.surface.keys[0], square(SIZE))
    return composite_sheet(studio.sources, studio.project, name, sheet, 8)


def test_toy_kinds_are_drawn_saved_undone_and_taken_from_jobs(toys: None, studio: Studio, tmp_path: Path) -> None:
    picture = studio.add_picture(save_png(tmp_path / "p.png", np.full((2, 2, 3), 51, np.uint8)))
    store = MapStore(studio.sources)
    steps = [
        AddLayer("stripes", Stripes(2), {"metallic": Channel(1.0)}),
        AddLayer("all over", Decal(picture, Everywhere()), {"roughness": Channel("picture")}),
        AddMaskEntry(1, MaskEntry(Upper(0.5))),
        AddLayer("half", Adjustment(Halve(2.0)), {"roughness": Channel()}),
        SetContent(1, Stripes(3, picture)),
    ]
    for piece, chunks in everything(studio.sources, studio.project).items():
        store.update(studio.project, piece, chunks)
    for step in steps:
        before = studio.project
        studio.execute(from_plain(to_plain(step)))  # as a log or a clipboard would carry it
        for piece, chunks in dirtied(studio.sources, before, studio.project).items():
            store.update(studio.project, piece, chunks)
    expected = np.zeros((SIZE, SIZE))
    expected[: SIZE // 2 : 3] = 255
    assert np.array_equal(look(studio, "metallic")[..., 0], expected)
    assert np.abs(look(studio, "roughness")[..., 0] - 51 / 2).max() <= 1
    for piece, pixels in store.maps.items():
        assert np.array_equal(pixels, look(studio, piece.map)), piece
    assert picture in everything_of(studio.project).pictures
    studio.save(tmp_path / "toys.fern")
    again = Studio.open(tmp_path / "toys.fern")
    assert again.project == studio.project and np.array_equal(look(again, "metallic"), look(studio, "metallic"))
    studio.jump(1)
    assert np.array_equal(look(studio, "metallic")[..., 0][1::2], np.zeros((SIZE // 2, SIZE)))
    assert parse_place(studio, {"mode": "toy-everywhere", "width": 3}) == Everywhere(3.0)
    job = {"job": 1, "model": "plane.obj", "sheet_size": SIZE, "save": "made.fern", "steps": [
        {"do": "layer", "kind": "toy-stripes", "name": "s", "every": 4, "channels": {"metallic": 1.0}},
        {"do": "mask", "layer": "s", "kind": "toy-upper", "share": 0.25},
        {"do": "decal", "picture": "p.png", "place": {"mode": "toy-everywhere"}, "channels": {"roughness": "picture"}},
        {"do": "adjust", "kind": "toy-halve", "map": "roughness", "by": 4}]}  # fmt: skip
    (tmp_path / "j.json").write_text(json.dumps(job))
    run_job(tmp_path / "j.json")
    made = Studio.open(tmp_path / "made.fern")
    expected = np.zeros((SIZE, SIZE))
    expected[: SIZE // 4 : 4] = 255
    assert np.array_equal(look(made, "metallic")[..., 0], expected)
    assert np.abs(look(made, "roughness")[..., 0] - 51 / 4).max() <= 1
    assert convert({"shape": {"kind": "toy-upper", "share": 0.25}}, MaskEntry).shape == Upper(0.25)
    for command in (AddLayer("x", Stripes(0), {}), AddLayer("x", Adjustment(Halve(0.5)), {"colour": Channel()}),
                    AddMaskEntry(1, MaskEntry(Upper(7.0)))):  # fmt: skip
        with pytest.raises(CommandError):
            studio.execute(command)


def asked_kinds(room: str) -> list[str]:
    """Where in a room of the program kinds are told apart by what class a value is of, with the kinds."""
    root = Path(lucky_fern.__file__).parent
    trees = {path: ast.parse(path.read_text()) for path in sorted(root.rglob("*.py"))}
    kinds = {"Framed", "Pattern"}  # names that stand for several
    for tree in trees.values():
        kinds |= {node.name for node in ast.walk(tree) if isinstance(node, ast.ClassDef)
                  and any(one.arg in ("tag", "tag_field") for one in node.keywords)}  # fmt: skip
    assert {"Wash", "Lay", "Blur", "Straighten", "Pack", "SetLayer"} <= kinds and len(kinds) > 120
    found = []
    for path, tree in trees.items():
        for node in ast.walk(tree) if path.is_relative_to(root / room) else ():
            asked: list[ast.AST] = []
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") in ("isinstance", "issubclass"):
                asked = [node.args[1]]
            elif isinstance(node, ast.match_case):
                asked = [node.pattern]
            elif isinstance(node, ast.Compare) and "type(" in ast.unparse(node):
                asked = [*node.comparators]
            names = {getattr(one, "id", None) or getattr(one, "attr", "") for each in asked for one in ast.walk(each)}
            if names & kinds:
                found.append(f"{path.relative_to(root)}:{node.lineno}: {', '.join(sorted(names & kinds))}")
    return found


def test_what_a_kind_is_stands_in_its_row() -> None:
    """In the core nobody asks; in the window hardly anybody does."""
    assert not asked_kinds("core")
    assert len(asked_kinds("ui")) < 30, "\n".join(asked_kinds("ui"))


# --- what refers to what, and what is kept ----------------------------------------------------------------------------


def test_a_selection_saved_anew_shows_in_masks_and_below_the_layer_in_focus(studio: Studio) -> None:
    first, second = (pack_faces(np.array(which)) for which in ([True, False], [False, True]))
    studio.execute(SaveSelection("half", first))
    studio.execute(AddLayer("base", Wash(), {"metallic": Channel(1.0)}))
    studio.execute(AddMaskEntry(studio.project.layers[0].id, MaskEntry(ScopeShape(Scope(selections=("half",))))))
    scoped = Scope(selections=("half",))
    studio.execute(AddLayer("scoped", Wash(), {"roughness": Channel(0.0)}, scope=scoped))
    studio.execute(AddLayer("top", Wash(), {"roughness": Channel(0.5), "metallic": Channel(0.5)}, opacity=0.5))
    top = studio.project.layers[-1].id
    store = MapStore(studio.sources)

    def shown() -> dict[str, np.ndarray]:
        for piece, chunks in everything(studio.sources, studio.project).items():
            store.update(studio.project, piece, chunks, focus=top)
        return {piece.map: pixels.copy() for piece, pixels in store.maps.items()}

    before = shown()
    studio.execute(SaveSelection("half", second))
    after = shown()
    for name in ("metallic", "roughness"):
        assert not np.array_equal(before[name], after[name])
        assert np.array_equal(after[name], look(studio, name))


def test_a_moved_island_takes_flip_warp_and_repeat_of_a_laid_decal_along(studio: Studio, tmp_path: Path) -> None:
    picture = studio.add_picture(save_png(tmp_path / "p.png", np.full((2, 2, 3), 51, np.uint8)))
    warp = Warp(2, 2, ((0.0, 0.1), (1.0, 0.0), (0.0, 1.0), (0.9, 1.0)))
    laid = Lay("paint", 1001, (0.5, 0.5), 0.2, flip=True, warp=warp, repeat=True)
    studio.execute(AddLayer("laid", Decal(picture, laid), {"colour": Channel("picture")}))
    studio.lay_out(Transform(scale=(0.5, 0.5), rotate=90.0))
    place = studio.project.layers[0].content.place
    assert (place.flip, place.warp, place.repeat) == (True, warp, True)
    assert place.width == pytest.approx(0.1) and place.rotate == pytest.approx(90)
    studio.lay_out(RenameMaterial("paint", "hull"))
    assert studio.project.layers[0].content.place.material == "hull"


def test_an_edit_is_done_whole_or_not_at_all(studio: Studio, tmp_path: Path) -> None:
    studio.execute(AddLayer("base", Wash(), {"metallic": Channel(1.0)}))
    studio.execute(AddLayer("paint", Brushwork(), {}))
    studio.history.limit = 3000  # so that every edit forgets what the history no longer shows
    prepared = studio.prepare_layout(Unwrap(2))
    for value in (0.1, 0.2, 0.3, 0.4, 0.5, 0.6):
        studio.execute(AddLayer(f"w{value}", Wash(), {"roughness": Channel(value)}))
    studio.execute(prepared.command)
    assert studio.model.uv.shape == (2, 3, 2) and studio.project.model.layout is not None
    # A mask from another project whose pixels are not here.
    sheets = {"paint:1001": PaintedSheet(square(64), {"mask": {"0,0": "f" * 64}})}
    foreign = MaskEntry(PaintedShape(sheets))
    now = studio.project
    with pytest.raises(CommandError, match="not in this project"):
        studio.execute(AddMaskEntry(1, foreign))
    with pytest.raises(CommandError, match="not in this project"):
        studio.execute(PasteMask((1,), Mask((foreign,))))
    assert studio.project is now
    studio.save(tmp_path / "x.fern")
    assert all(digest in studio.blobs for digest in needed_digests(studio.project))


def test_forty_decals_over_sixteen_chunks_are_forty_poses(tmp_path: Path) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    studio = Studio.new(tmp_path / "plane.obj", sheet_size=1024)
    picture = studio.add_picture(save_png(tmp_path / "p.png", np.full((4, 4, 3), 90, np.uint8)))
    for n in range(40):
        place = Throw((n / 1000, 0, 0), (0, 0, 1), (0, 1, 0), 1.9)
        studio.execute(AddLayer(f"d{n}", Decal(picture, place), {"colour": Channel("picture")}))
    store = MapStore(studio.sources)
    for piece, chunks in everything(studio.sources, studio.project).items():
        store.update(studio.project, piece, chunks)
    assert studio.sources.posed == 40 and len(everything(studio.sources, studio.project)) == 1
    pose = studio.sources.pose(Throw((0, 0, 0), (0, 0, 1), (0, 1, 0), 0.001, depth=0.1), 0.001, None)
    assert pose.nbytes < 4000


@pytest.mark.parametrize(
    ("version", "names"),
    [
        (3, ["Base", "Marks", "Crest", "Paint", "Soft"]),
        (5, ["Base", "Kept", "Seam"]),
        (6, ["Base", "Stitches"]),
        (7, ["Base", "Stitches", "Mark"]),
        (8, ["Base", "Art", "Inner", "Deep"]),
        (9, ["Base", "Dots"]),
        (10, ["Base", "Set", "Bumps", "Level"]),
    ],
)
def test_projects_of_every_version_open(version: int, names: list[str], tmp_path: Path) -> None:
    studio = Studio.open(Path(__file__).parent / "versions" / f"version-{version}.fern")
    layers = {layer.name: layer for layer in studio.project.walk()}
    assert list(layers) == names
    if version == 3:
        assert studio.project.slides["front"].place.width == 1.0
    elif version == 5:
        assert layers["Seam"].content.paths[0].points == ((-0.6, 0, 0), (0.6, 0, 0))
    elif version == 8:  # sizes were one number
        assert studio.project.sheet_size == square(128) and studio.project.loans["part"].size == square(64)
        assert layers["Deep"].content.sheets["paint:1001"].size == square(64)
    elif version == 10:  # relief was the project's
        found = {name: layers[name].channels["height"].relief for name in ("Base", "Bumps", "Level")}
        assert found == {"Base": Relief(5.0), "Bumps": Relief(5.0), "Level": None}
    colour = look(studio, "colour")
    assert len(np.unique(colour.reshape(-1, 3), axis=0)) > 10
    studio.save(tmp_path / "new.fern")
    again = Studio.open(tmp_path / "new.fern")
    assert again.project == studio.project and np.array_equal(look(again, "colour"), colour)
