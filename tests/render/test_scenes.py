"""Drawing without any window: what reaches the screen is what the maps hold."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import moderngl
import numpy as np
import pytest

from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.compositing.changes import everything
from lucky_fern.core.compositing.compositor import MapKey, MapStore
from lucky_fern.core.compositing.levels import at_level
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import AddLayer, SetChannel
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.project.light import Numbers
from lucky_fern.core.sheets.grid import Chunk, Extent, SheetKey, all_chunks, square
from lucky_fern.core.studio import Studio
from lucky_fern.render import environment
from lucky_fern.render.camera import Camera
from lucky_fern.render.mips import halvings
from lucky_fern.render.model_scene import CHECKER_TEXELS, FLAT, Look, ModelScene
from lucky_fern.render.parcels import packed
from lucky_fern.render.sheet_scene import FlatCamera, SheetScene, TileMap
from lucky_fern.render.textures import SheetTextures, sharing_texture
from samples import PLANE

VALUES: dict[str, str | float] = {
    "colour": "#4080c0", "metallic": 0.25, "roughness": 0.75, "height": 0.6, "occlusion": 0.9, "emissive": "#301808", "opacity": 1.0,
}  # fmt: skip


class Drawn:
    """A board at 64 texels with a wash on every map, and the means to draw it."""

    def __init__(self, context: moderngl.Context, folder: Path) -> None:
        (folder / "plane.obj").write_text(PLANE)
        self.studio = Studio.new(folder / "plane.obj", sheet_size=64)
        self.studio.execute(AddLayer("All", Wash(), {name: Channel(value) for name, value in VALUES.items()}))
        self.store = MapStore(self.studio.sources)
        for piece, chunks in everything(self.studio.sources, self.studio.project).items():
            self.store.update(self.studio.project, piece, chunks)
        self.key = self.studio.surface.keys[0]
        self.sizes = {self.key: square(64)}
        self.context = context
        self.textures = SheetTextures(context, self.store)
        self.textures.of(self.key, square(64))
        self.textures.send(self.textures.unsent, self.sizes)
        assert not self.textures.unsent
        self.textures.finish()
        self.frame = context.simple_framebuffer((96, 96))

    def pixels(self) -> np.ndarray:
        return np.frombuffer(self.frame.read(), np.uint8).reshape(96, 96, 3)[::-1].copy()

    def model(self, **look: object) -> np.ndarray:
        scene = ModelScene(self.context, self.studio.surface)
        self.frame.use()
        camera = Camera(yaw=0, pitch=0).framing(self.studio.model.bounds, 1.0)
        scene.draw(camera, 1.0, Look(**look), self.textures, self.sizes)
        scene.release()
        scene.release()  # twice does no harm
        return self.pixels()

    def sheet(self, name: str | None, **look: object) -> np.ndarray:
        scene = SheetScene(self.context, self.studio.surface, TileMap(self.studio.surface.keys))
        self.frame.use()
        camera = FlatCamera((0.5, 0.5), 80.0)
        scene.draw(camera, 96, 96, name, False, self.textures, self.sizes, (0.5, 0.5, 0.5), (0, 0, 0, 0.2), **look)
        scene.release()
        return self.pixels()


@pytest.fixture
def drawn(context: moderngl.Context, tmp_path: Path) -> Iterator[Drawn]:
    made = Drawn(context, tmp_path)
    yield made
    made.textures.release()


@pytest.mark.parametrize("name", list(MAPS))
def test_each_map_alone_shows_its_stored_value_in_both_views(drawn: Drawn, name: str) -> None:
    stored = drawn.store.get(MapKey(drawn.key, name), square(64))[32, 32]
    expected = np.round(stored / np.iinfo(stored.dtype).max * 255)
    for pixels in (drawn.model(shown_map=name), drawn.sheet(name)):
        assert np.abs(pixels[48, 48].astype(float) - expected).max() <= 1.01


def false_colour(x: float) -> np.ndarray:
    stops = np.array(
        [(0.07, 0.09, 0.28), (0.12, 0.36, 0.56), (0.27, 0.62, 0.42), (0.86, 0.74, 0.28), (0.99, 0.97, 0.90)]
    )
    return np.array([np.interp(x, np.linspace(0, 1, 5), stops[:, k]) for k in range(3)]) * 255


def test_numbers_in_false_colours_and_how_far_two_maps_are_apart(drawn: Drawn) -> None:
    for pixels in (
        drawn.model(shown_map="roughness", false_colours=True), drawn.sheet("roughness", false_colours=True)
    ):  # fmt: skip
        assert np.abs(pixels[48, 48] - false_colour(round(0.75 * 255) / 255)).max() <= 1.5
    assert np.array_equal(drawn.model(shown_map="colour", false_colours=True), drawn.model(shown_map="colour"))
    for pixels in (drawn.model(shown_map="colour", against="emissive"), drawn.sheet("colour", against="emissive")):
        away = max(abs(a - b) for a, b in zip((0x40, 0x80, 0xC0), (0x30, 0x18, 0x08), strict=True)) / 255
        assert np.abs(pixels[48, 48] - false_colour(away)).max() <= 1.5


def test_older_games_shading_follows_its_formula(drawn: Drawn) -> None:
    numbers = Numbers(0.0, 0.8, 3.0, 64.0, 0.3, 1.0, 4.0)
    lamp = np.array([-0.5, 0.75, 0.6])
    look = {"ambient_gain": 0.0, "glow_gain": 0.0}
    pixels = drawn.model(numbers=(("", numbers),), **look)
    lamp /= np.linalg.norm(lamp)
    view = np.array([0.0, 0.0, 1.0])  # the middle of a board that is looked at straight
    half = (lamp + view) / np.linalg.norm(lamp + view)
    base, metallic = decode_srgb(np.array([0x40, 0x80, 0xC0]) / 255), 64 / 255
    f0 = 0.04 + (base - 0.04) * metallic
    diffuse = base * 0.96 * (1 - metallic) / (1 - f0.max())
    gloss = 1 - 191 / 255
    rim = 0.3 + 0.7 * (1 - 1.0) ** 4
    light = 0.8 * diffuse / np.pi * lamp[2] * 1.15 + 3.0 * f0 * rim * half[2] ** (64.0**gloss) * 1.15
    assert np.abs(pixels[48, 48] - encode_srgb(light) * 255).max() <= 2
    other = drawn.model(numbers=(("", numbers), ("paint", Numbers(0, 0, 0))), **look)
    assert other[48, 48].max() == 0  # a material's own numbers go before those of all
    assert (drawn.model(**look)[48, 48] != pixels[48, 48]).any()


def test_ones_own_surroundings_light_as_the_same_light_by_formula_and_are_seen_behind(drawn: Drawn) -> None:
    direction = environment.directions(256, 512)
    kind = environment.take_panorama("test-harbour", environment.radiance(direction, "harbour").astype(np.float32))
    assert environment.is_own(kind) and environment.known(kind)
    ours, formula = environment.irradiance(kind), environment.irradiance("harbour")
    assert np.abs(ours - formula).max() < 0.02 * np.abs(formula).max()
    levels = environment.reflections(kind)
    for level, (own, made) in enumerate(zip(levels[:5], environment.reflections("harbour"), strict=False)):
        assert np.abs(own - made).mean() < 0.06 * made.mean(), level
    # At roughness 1 the lobe is even: what is reflected is the irradiance over π.
    around = environment.directions(4, 8).reshape(-1, 3)
    weight = np.sin((np.arange(256) + 0.5) / 256 * np.pi)[:, None] * (np.pi / 256) ** 2
    light = environment.radiance(direction, "harbour")
    exact = np.array(
        [(light * (np.clip(direction @ n, 0, None) * weight)[..., None]).sum((0, 1)) / np.pi for n in around]
    )
    assert np.abs(levels[5].reshape(-1, 3) - exact).mean() < 0.06 * exact.mean()
    environment.reflections()
    half = np.zeros((64, 128, 3), np.float32)
    half[:, 64:] = (1.0, 0.25, 0.0)  # what lies to the right of straight ahead (+Z)
    split = environment.take_panorama("test-split", half)
    environment.reflections(split)
    seen = drawn.model(surroundings=split, blur=0.0)
    # The eye looks along −Z: +X is on its right, and there the light is where atan(x, z) is above 0.
    assert np.abs(seen[2, 94] - encode_srgb(np.array([1.0, 0.25, 0.0])) * 255).max() <= 2 and seen[2, 2].max() <= 1
    turned = drawn.model(surroundings=split, blur=0.0, sky_deg=180.0)
    assert turned[2, 94].max() <= 1 and turned[2, 2].max() > 200
    soft = drawn.model(surroundings=split, blur=1.0)
    assert soft[2, 60].max() > 20 and soft[2, 36].max() > 20
    away = drawn.model(surroundings=split, behind=False)
    assert np.ptp(away[2].astype(int)) <= 2


def test_flat_colour_is_the_colour_and_light_changes_it(drawn: Drawn) -> None:
    assert np.abs(drawn.model(shading=FLAT)[48, 48].astype(int) - (0x40, 0x80, 0xC0)).max() <= 1
    lit, turned = drawn.model(), drawn.model(lamp_deg=160.0)
    assert (lit[48, 48] != turned[48, 48]).any()
    assert (drawn.model(wires=True) != lit).any()


def test_what_glows_shines_beyond_itself(drawn: Drawn) -> None:
    plain, shone = drawn.model().astype(int), drawn.model(bloom=1.0).astype(int)
    board = (drawn.model(shading=FLAT) == (0x40, 0x80, 0xC0)).all(axis=2)
    row = 48
    right = int(np.flatnonzero(board[row])[-1])
    beside, corner = (shone - plain)[row, right + 2, 0], (shone - plain)[0, 0, 0]
    assert beside > 5 and 0 < corner < beside - 1  # less light comes round a corner
    drawn.studio.execute(SetChannel(drawn.studio.project.layers[0].id, "emissive", None))
    for piece, chunks in everything(drawn.studio.sources, drawn.studio.project).items():
        drawn.store.update(drawn.studio.project, piece, chunks)
        drawn.textures.upload(piece, square(64), chunks)
    drawn.store.maps[MapKey(drawn.key, "emissive")][:] = 0
    drawn.textures.upload(MapKey(drawn.key, "emissive"), square(64), [Chunk(0, 0)])
    drawn.textures.finish()
    assert np.abs(drawn.model(bloom=1.0).astype(int) - drawn.model()).max() <= 1


def texels(context: moderngl.Context, texture: moderngl.Texture, level: int) -> np.ndarray:
    """(n, n, 4) float32 what shaders read out of one level of a texture, the lowest row first."""
    program = context.program(
        "#version 330 core\nin vec2 at; void main() { gl_Position = vec4(at, 0, 1); }",
        "#version 330 core\nuniform sampler2D map; uniform int level; out vec4 result;"
        "void main() { result = texelFetch(map, ivec2(gl_FragCoord.xy), level); }",
    )
    program["level"].value = level  # type: ignore[union-attr]  # a uniform
    corners = context.buffer(np.array([-1, -1, 1, -1, -1, 1, 1, 1], np.float32))
    side = texture.width >> level
    target = context.framebuffer([context.texture((side, side), 4, dtype="f4")])
    target.use()
    context.disable(moderngl.BLEND | moderngl.DEPTH_TEST)
    texture.use(0)
    context.vertex_array(program, [(corners, "2f", "at")]).render(moderngl.TRIANGLE_STRIP)
    return np.frombuffer(target.read(components=4, dtype="f4"), np.float32).reshape(side, side, 4)


def test_an_uploaded_chunk_changes_the_picture_and_its_mips(drawn: Drawn) -> None:
    project = drawn.studio.project
    after = drawn.studio.execute(SetChannel(project.layers[0].id, "colour", Channel("#c02010")))
    piece = MapKey(drawn.key, "colour")
    done = drawn.store.update(after, piece, everything(drawn.studio.sources, after)[piece])
    drawn.textures.upload(piece, square(64), done)
    drawn.textures.finish()
    assert np.abs(drawn.model(shading=FLAT)[48, 48].astype(int) - (0xC0, 0x20, 0x10)).max() <= 1
    texture = drawn.textures.of(drawn.key, square(64))["colour_map"]
    for level in range(7):
        data = texels(drawn.context, texture, level)
        assert data.shape == (64 >> level, 64 >> level, 4)
        assert np.abs(encode_srgb(data[..., :3]) * 255 - (0xC0, 0x20, 0x10)).max() <= 1.01, level


def test_mips_of_colour_average_light() -> None:
    rgba = np.random.default_rng(1).integers(0, 256, (64, 64, 4), dtype=np.uint8)
    light, plain = decode_srgb(rgba[..., :3] / 255), rgba / 255
    for level, (encoded, linear) in enumerate(zip(halvings(rgba, True), halvings(rgba, False), strict=True), 1):
        side = 64 >> level
        mean = light.reshape(side, 2**level, side, 2**level, 3).mean((1, 3))
        assert np.abs(encoded[..., :3] - encode_srgb(mean) * 255).max() <= 1.5
        assert np.abs(linear - plain.reshape(side, 2**level, side, 2**level, 4).mean((1, 3)) * 255).max() <= 1.0


@pytest.mark.parametrize("kind", environment.KINDS)
def test_the_environments_irradiance_equals_a_brute_force_integral(kind: str) -> None:
    coefficients = environment.irradiance(kind)
    rng = np.random.default_rng(7)
    direction = environment.directions(180, 360)
    weight = np.sin((np.arange(180) + 0.5) / 180 * np.pi)[:, None] * (np.pi / 180) ** 2
    light = environment.radiance(direction, kind)
    normals = rng.normal(size=(6 if kind == environment.STUDIO else 60, 3))
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    exact = np.array([
        (light * (np.clip(direction @ normal, 0, None) * weight)[..., None]).sum((0, 1)) / np.pi for normal in normals
    ])  # fmt: skip
    ours = environment._harmonics(normals) @ coefficients
    # Nine coefficients hold about that much: of each where light comes from all around, of the brightest under a sun.
    most = exact.max(axis=1, keepdims=True) if kind == environment.STUDIO else exact.max()
    assert (np.abs(ours - exact) < 0.06 * most).all()


def test_tiles_lie_as_in_uv_space_and_materials_side_by_side() -> None:
    from lucky_fern.core.sheets.grid import SheetKey

    keys = (SheetKey("a", 1001), SheetKey("a", 1012), SheetKey("b", 1003))
    tiles = TileMap(keys)
    assert np.allclose(tiles.corner(keys[1]) - tiles.corner(keys[0]), (1, 1))
    assert tiles.corner(keys[2])[0] > tiles.corner(keys[1])[0] + 1
    for key in keys:
        inside = tiles.corner(key) + (0.3, 0.7)
        assert tiles.sheet_at(inside) == key
        assert np.allclose(tiles.to_plane(key.material, tiles.to_uv(key, inside)), inside)
    camera = FlatCamera((1.0, 0.5), 200.0)
    zoomed = camera.zoomed(3.0, 120.0, 40.0, 400.0, 300.0, 1e6)
    point = camera.to_plane(120.0, 40.0, 400.0, 300.0)
    assert np.allclose(zoomed.to_screen(point, 400.0, 300.0), (120.0, 40.0))


def test_maps_that_nobody_writes_to_are_single_texels_and_grow_with_their_first_chunk(
    context: moderngl.Context, tmp_path: Path
) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    studio = Studio.new(tmp_path / "plane.obj", sheet_size=512)
    studio.execute(AddLayer("Red", Wash(), {"colour": Channel("#ff0000")}))
    store, key = MapStore(studio.sources), studio.surface.keys[0]
    textures = SheetTextures(context, store)
    assert {texture.width for texture in textures.of(key, square(512)).values()} == {1}
    start = np.frombuffer(textures.of(key, square(512))["surface_map"].read(), np.uint8)
    assert start.tolist() == [255, 255, 0, 128]  # occlusion, roughness, metallic, height as they start
    piece = MapKey(key, "colour")
    done = store.update(studio.project, piece, [Chunk(0, 1)])
    textures.upload(piece, square(512), done)
    textures.upload(piece, square(512), {Chunk(7, 7)})  # of a larger sheet that is gone by now
    textures.finish()
    widths = {name: texture.width for name, texture in textures.of(key, square(512)).items()}
    assert widths == {"colour_map": 512, "surface_map": 1, "normal_map": 1, "emissive_map": 1}
    shown = np.frombuffer(textures.of(key, square(512))["colour_map"].read(), np.uint8).reshape(512, 512, 4)[::-1]
    assert (
        (shown[:256, 256:, :3] == (255, 0, 0)).all() and (shown[256:] == 255).all() and (shown[:, :256] == 255).all()
    )
    small = texels(context, textures.of(key, square(512))["colour_map"], 3)[::-1]
    assert np.allclose(small[:32, 32:, :3], (1, 0, 0)) and np.allclose(small[32:], 1)
    assert {other.map for other in sharing_texture(piece)} == {"opacity"}
    textures.release()


def test_a_tint_colours_its_triangles_and_nothing_behind_or_beside_them(
    context: moderngl.Context, tmp_path: Path
) -> None:
    drawn = Drawn(context, tmp_path)
    camera = Camera(yaw=0, pitch=0).framing(drawn.studio.model.bounds, 1.0)
    scene = ModelScene(context, drawn.studio.surface)
    shots = []
    corners = drawn.studio.model.corners
    behind = corners - (0, 0, 0.1)
    for shown in (corners[:0], corners[:1], behind, corners[:0]):
        scene.tint.show(shown, np.tile([1.0, 0.0, 0.0, 1.0], (len(shown), 1)))
        drawn.frame.use()
        scene.draw(camera, 1.0, Look(shading=FLAT), drawn.textures, drawn.sizes)
        shots.append(drawn.pixels())
    bare, one, hidden, again = shots
    red = (one == (255, 0, 0)).all(axis=2)
    board = (bare != bare[0, 0]).any(axis=2)
    assert 0.4 < red.sum() / board.sum() < 0.6 and (one[~red] == bare[~red]).all()
    assert (hidden == bare).all() and (again == bare).all()
    scene.release()


def test_faces_can_be_hidden_and_the_checker_follows_the_sheets_size(drawn: Drawn) -> None:
    scene = ModelScene(drawn.context, drawn.studio.surface)
    camera = Camera(yaw=0, pitch=0, parallel=True).framing(drawn.studio.model.bounds, 1.0)

    def shot(look: Look, size: int | None = None) -> np.ndarray:
        drawn.frame.use()
        sizes = drawn.sizes if size is None else dict.fromkeys(drawn.sizes, square(size))
        scene.draw(camera, 1.0, look, drawn.textures, sizes)
        return drawn.pixels().astype(int)

    whole = shot(Look(shading=FLAT))
    none = np.zeros(drawn.studio.model.triangle_count, np.bool_)
    scene.show_faces(none)
    bare = shot(Look(shading=FLAT))
    half = none.copy()
    half[0] = True
    scene.show_faces(half)
    some = shot(Look(shading=FLAT))
    board, left = (whole != bare).any(axis=2), (some != bare).any(axis=2)
    assert not left[~board].any() and 0.4 < left.sum() / board.sum() < 0.6
    scene.show_faces(None)
    assert np.array_equal(shot(Look(shading=FLAT)), whole)
    checker = shot(Look(checker=True), 256)
    rows = np.flatnonzero(board.any(axis=1))
    line = checker[(rows[0] + rows[-1]) // 2][board[(rows[0] + rows[-1]) // 2]].sum(axis=1)
    squares = np.count_nonzero(np.abs(np.diff(line)) > 60) + 1
    assert squares == 256 // CHECKER_TEXELS
    scene.release()


SHELTER = """v -2 0 -2\nv 2 0 -2\nv 2 0 2\nv -2 0 2
v -0.5 1 -0.5\nv 0.5 1 -0.5\nv 0.5 1 0.5\nv -0.5 1 0.5
v -2 0 -2\nv 2 0 -2\nv 2 1 -2\nv -2 1 -2
f 4 3 2 1\nf 8 7 6 5\nf 9 10 11 12
"""  # a floor, a plate over it, a wall behind


def test_shadows_fall_where_the_lamp_does_not_reach_and_corners_are_darker(
    context: moderngl.Context, tmp_path: Path
) -> None:
    """Against the lamp's rays themselves, point by point of the floor; the corner against the open floor."""
    (tmp_path / "shelter.obj").write_text(SHELTER)
    surface = Studio.new(tmp_path / "shelter.obj").surface
    camera = Camera(yaw=0, pitch=70, parallel=True).framing(surface.model.bounds, 1.0)
    frame, scene = context.simple_framebuffer((400, 400)), ModelScene(context, surface)

    def picture(**look: object) -> np.ndarray:
        frame.use()
        scene.draw(camera, 1.0, Look(**look), None, {})
        return np.frombuffer(frame.read(), np.uint8).reshape(400, 400, 3)[::-1, :, 1].astype(int)

    def place(point: np.ndarray) -> tuple[int, int]:
        clip = camera.projection(1.0, surface.model.diagonal) @ camera.view() @ [*point, 1.0]
        return int((1 - clip[1] / clip[3]) * 200), int((clip[0] / clip[3] + 1) * 200)

    whole, shadowed, unlit = picture(), picture(shadows=True), picture(shadows=True, lamp_gain=0.0)
    lamp, back = np.array([-0.5, 0.75, 0.6]), camera.axes[2]
    told = {True: 0, False: 0}
    for x in np.linspace(-1.8, 1.8, 37):
        for z in np.linspace(-1.4, 1.8, 33):
            point = np.array([x, 0.0, z])
            under, behind = point + lamp / lamp[1], point + back / back[1]  # where the rays meet the plate's height
            margin = np.abs(np.abs(under[[0, 2]]) - 0.5).min()
            if np.abs(behind[[0, 2]]).max() < 0.6 or margin < 0.06:
                continue  # the plate is in front of it, or it lies on the shadow's edge
            dark = bool(np.abs(under[[0, 2]]).max() < 0.5)
            at = place(point)
            told[dark] += 1
            # Under the plate nothing of the lamp arrives, elsewhere all of it does.
            assert abs(shadowed[at] - (unlit if dark else whole)[at]) <= 6, (x, z, dark)
    assert min(told.values()) > 30
    open_, around = picture(lamp_gain=0.0), picture(lamp_gain=0.0, shadows=True)
    near, far = place(np.array([-1.5, 0.0, -1.95])), place(np.array([-1.5, 0.0, 0.5]))
    assert around[near] < 0.93 * open_[near] and around[far] >= open_[far] - 2
    assert np.array_equal(picture(), whole)  # taken away again, nothing stays
    scene.release()


@pytest.mark.parametrize("shape", [(1024, 1024), (1024, 512)])
def test_textures_grow_with_finer_levels_and_show_what_was_there_until_something_comes(
    context: moderngl.Context, tmp_path: Path, shape: tuple[int, int]
) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    key, whole = SheetKey("m", 1001), Extent(*shape)
    textures = SheetTextures(context, MapStore(None))
    rng = np.random.default_rng(2)

    def store_of(size: Extent) -> MapStore:
        store = MapStore(None)
        store.maps[MapKey(key, "colour")] = rng.integers(0, 256, (*size.shape, 3), dtype=np.uint8)
        return store

    def put(store: MapStore, size: Extent, chunk: Chunk, level: int, shown: int, turn: int = 0) -> None:
        while not textures.put(packed(store, key, "colour_map", size, chunk, level, shown, turn)):
            pass
        textures.finish()

    textures.of(key, whole)
    half = at_level(whole, 1)
    coarse, fine = store_of(half), store_of(whole)
    for chunk in all_chunks(half):
        put(coarse, half, chunk, 1, 1)
    small = coarse.maps[MapKey(key, "colour")]
    encoded = textures.of(key, whole)["colour_map"]
    assert encoded.size == (half.width, half.height)
    before = np.frombuffer(encoded.read(), np.uint8).reshape(*half.shape, 4)[::-1, :, :3]
    assert np.array_equal(before, small)
    put(fine, whole, Chunk(1, 0), 0, 0)
    grown = textures.of(key, whole)["colour_map"]
    assert grown.size == shape
    after = np.frombuffer(grown.read(), np.uint8).reshape(*whole.shape, 4)[::-1, :, :3]
    expected = small.repeat(2, axis=0).repeat(2, axis=1)
    mine = fine.maps[MapKey(key, "colour")][256:512, :256]
    expected[256:512, :256] = mine
    assert np.array_equal(after, expected)
    if shape[0] == shape[1]:  # the mips of what was there, and of what came
        light = decode_srgb(small / 255)
        light[128:256, :128] = decode_srgb(mine / 255).reshape(128, 2, 128, 2, 3).mean(axis=(1, 3))
        for level in (1, 2, 3):
            rows, columns = whole.height >> level, whole.width >> level
            by = half.width // columns
            halved = light.reshape(rows, by, columns, by, 3).mean(axis=(1, 3))
            assert np.abs(texels(context, grown, level)[::-1, :, :3] - halved).max() < 0.02
    put(coarse, half, Chunk(0, 0), 1, 1)  # packed before the finer level was shown
    assert textures.of(key, whole)["colour_map"] is grown
    assert np.array_equal(np.frombuffer(grown.read(), np.uint8).reshape(*whole.shape, 4)[::-1, :, :3], expected)
    put(coarse, half, Chunk(0, 0), 1, 1, 2)  # from now on it is shown more coarsely: what was there, halved
    shrunk = textures.of(key, whole)["colour_map"]
    assert shrunk.size == (half.width, half.height)
    light = decode_srgb(expected / 255).reshape(half.height, 2, half.width, 2, 3).mean(axis=(1, 3))
    light[:256, :256] = decode_srgb(small[:256, :256] / 255)
    mine = np.frombuffer(shrunk.read(), np.uint8).reshape(*half.shape, 4)[::-1, :, :3]
    assert np.abs(decode_srgb(mine / 255) - light).max() < 0.02
    put(fine, whole, Chunk(1, 0), 0, 0, 1)  # packed before that
    assert textures.of(key, whole)["colour_map"].size == (half.width, half.height)
    put(fine, whole, Chunk(1, 0), 0, 0, 3)
    assert textures.of(key, whole)["colour_map"].size == shape
    textures.release()


def test_texels_of_pixel_art_are_squares_however_large_its_sheet(context: moderngl.Context, tmp_path: Path) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    studio = Studio.new(tmp_path / "plane.obj", sheet_size=256)
    key = studio.surface.keys[0]
    textures = SheetTextures(context, MapStore(studio.sources))
    (kept, *_) = textures.of(key, square(256)).values()
    textures.set_pixel_art(frozenset({key}))
    assert kept.filter[1] == moderngl.NEAREST
    piece = MapKey(key, "colour")
    textures.upload(piece, square(256), textures.store.update(studio.project, piece, [Chunk(0, 0)]))
    textures.finish()
    grown = textures.of(key, square(256))["colour_map"]
    assert grown.width == 256 and grown.filter[1] == moderngl.NEAREST  # made anew, and still so
    textures.set_pixel_art(frozenset())
    assert grown.filter[1] == moderngl.LINEAR
    textures.release()
