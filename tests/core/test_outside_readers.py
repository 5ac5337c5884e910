"""What is written is read by libraries that know nothing of this program, and means to them what was meant."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import numpy as np
import OpenEXR
import pytest
from PIL import Image

from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.exporting.exporter import export
from lucky_fern.core.model.load import load_model
from lucky_fern.core.project.commands import AddLayer, SetPixelArt
from lucky_fern.core.project.document import Channel, Decal, Wash
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.project.layouts import Wrap
from lucky_fern.core.project.places import Lay
from lucky_fern.core.project.presets import PRESETS
from lucky_fern.core.studio import Studio
from samples import save_png, soft_noise

# A path whose bricks repeat, beside a lid on a tile of its own that leaves much of it bare.
PATH = """o path\nusemtl bricks\nv 0 0 0\nv 4 0 0\nv 4 1 0\nv 0 1 0
vt 0 0\nvt 3 0\nvt 3 1\nvt 0 1\nf 1/1 2/2 3/3 4/4
o lid\nusemtl lid\nv 0 2 0\nv 1 2 0\nv 1 3 0.5\nvt .1 .1\nvt .7 .1\nvt .7 .6\nf 5/5 6/6 7/7
"""
SIZE = 64


@pytest.fixture
def studio(tmp_path: Path) -> Studio:
    """Every map written on both materials, and opacity; the lid is pixel art."""
    (tmp_path / "path.obj").write_text(PATH)
    studio = Studio.new(tmp_path / "path.obj", sheet_size=SIZE)
    studio.lay_out(Wrap(("bricks",)))
    noise = np.dstack([soft_noise((SIZE, SIZE)), soft_noise((SIZE, SIZE), 2)[..., 0]])
    picture = studio.add_picture(save_png(tmp_path / "p.png", noise))
    studio.execute(AddLayer("Base", Wash(), {"colour": Channel("#806040"), "roughness": Channel(0.6)}))
    names = ("colour", "metallic", "roughness", "height", "occlusion", "emissive", "opacity", "normal")
    studio.execute(AddLayer("All", Wash(), {name: Channel("picture", picture=picture) for name in names}))
    studio.execute(AddLayer("Mark", Decal(picture, Lay("lid", 1001, (0.5, 0.3), 0.4, 0.4)), {"colour": Channel("picture")},
                            opacity=0.5))  # fmt: skip
    return studio


def written(studio: Studio, folder: Path, setup: ExportSetup) -> dict[str, Path]:
    return {path.name: path for path in export(studio.sources, studio.project, setup, "p", folder).files}


@pytest.mark.parametrize("preset", ["separate", "packed", "classic"])
def test_usd_opens_and_is_sound(studio: Studio, tmp_path: Path, preset: str) -> None:
    pxr = pytest.importorskip("pxr")
    from pxr import Usd, UsdGeom, UsdShade, UsdValidation

    files = written(studio, tmp_path / "out", ExportSetup(preset, "", model="usda"))
    stage = Usd.Stage.Open(str(files["p.usda"]))
    assert stage and pxr
    meshes = [UsdGeom.Mesh(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh)]
    assert sum(len(mesh.GetFaceVertexCountsAttr().Get()) for mesh in meshes) == 3
    for mesh in meshes:
        points = np.array(mesh.GetPointsAttr().Get())
        assert np.allclose(np.array(mesh.GetExtentAttr().Get()), [points.min(axis=0), points.max(axis=0)])
        assert UsdShade.MaterialBindingAPI(mesh.GetPrim()).ComputeBoundMaterial()[0]
    wraps = {}
    for prim in stage.Traverse():
        shader = UsdShade.Shader(prim)
        if shader and shader.GetIdAttr().Get() == "UsdUVTexture":
            wraps.setdefault(prim.GetParent().GetName(), set()).add(shader.GetInput("wrapS").Get())
            assert (tmp_path / "out" / shader.GetInput("file").Get().path).exists()
    assert wraps == {"bricks": {"repeat"}, "lid": {"clamp"}}
    validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
    errors = UsdValidation.ValidationContext(validators).Validate(stage)
    assert len(validators) > 10 and [one.GetMessage() for one in errors] == []


@pytest.mark.parametrize("preset", ["separate", "packed", "classic"])
def test_materialx_validates_against_its_own_library(studio: Studio, tmp_path: Path, preset: str) -> None:
    mx = pytest.importorskip("MaterialX")
    studio.execute(SetPixelArt("lid:1001"))
    files = written(studio, tmp_path / "out", ExportSetup(preset, "", model="mtlx"))
    document, library = mx.createDocument(), mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), library)
    mx.readFromXmlFile(document, str(files["p.mtlx"]))
    document.setDataLibrary(library)
    sound, message = document.validate()
    assert sound, message
    for name, ends, reads in (("bricks", "periodic", "linear"), ("lid", "clamp", "closest")):
        images = document.getNodeGraph(f"{name}_maps").getNodes("image")
        assert len(images) >= 4
        for image in images:
            assert image.getInputValue("uaddressmode") == ends == image.getInputValue("vaddressmode")
            assert image.getInputValue("filtertype") == reads
            assert (tmp_path / "out" / image.getInputValue("file")).exists()


def test_exr_has_no_steps_of_eight_bits_and_its_light_is_multiplied_by_its_alpha(
    studio: Studio, tmp_path: Path
) -> None:
    files = written(studio, tmp_path / "out", ExportSetup("separate", "", format="exr"))
    height = OpenEXR.File(str(files["p_bricks_height.exr"]), separate_channels=True).channels()["Y"].pixels
    assert len(np.unique(height)) > 1000
    planes = OpenEXR.File(str(files["p_bricks_baseColor.exr"]), separate_channels=True).channels()
    sheet = studio.surface.sheet(studio.surface.keys[0], studio.project.sheet_size)
    colour, alpha = (
        composite_sheet(studio.sources, studio.project, name, sheet, 16) / 65535 for name in ("colour", "opacity")
    )
    light = np.where(colour <= 0.04045, colour / 12.92, ((colour + 0.055) / 1.055) ** 2.4) * alpha
    got = np.stack([planes[name].pixels for name in "RGBA"], axis=2).astype(np.float64)
    assert np.abs(got - np.concatenate([light, alpha], axis=2)).max() < 2.0**-11
    # It comes back as it was.
    again = Studio.new(next(tmp_path.glob("*.obj")), sheet_size=SIZE)
    name = again.add_picture(files["p_bricks_baseColor.exr"])
    kit = again.project.pictures[name]
    back = again.sources.picture(kit).rgba / 65535
    clear = alpha[..., 0] > 0.2
    assert np.abs(back[..., :3] - colour)[clear].max() < 0.004


def test_layers_of_an_openraster_file_make_its_merged_picture_between_the_islands_too(
    studio: Studio, tmp_path: Path
) -> None:
    setup = ExportSetup("separate", "", own=type(PRESETS["separate"])("Layers", layered=True))
    files = written(studio, tmp_path / "out", setup)
    with zipfile.ZipFile(files["p_lid_layers.ora"]) as archive:
        merged = np.asarray(Image.open(io.BytesIO(archive.read("mergedimage.png"))))[..., :3] / 255
        total = np.ones((SIZE, SIZE, 3))
        for number, strength in ((0, 1.0), (1, 1.0), (2, 0.5)):
            rgba = np.asarray(Image.open(io.BytesIO(archive.read(f"data/{number}.png")))) / 255
            alpha = rgba[..., 3:] * strength
            total = total * (1 - alpha) + rgba[..., :3] * alpha
    sheet = studio.surface.sheet(studio.surface.keys[1], studio.project.sheet_size)
    assert not sheet.covered.all()
    assert np.abs(total - merged).max() < 2 / 255


def test_an_mtl_names_where_opacity_is_and_it_is_read_back(studio: Studio, tmp_path: Path) -> None:
    files = written(studio, tmp_path / "out", ExportSetup("separate", "", model="obj"))
    text = files["p.mtl"].read_text()
    assert "map_d -imfchan m p_bricks_baseColor.png" in text and "map_d -imfchan m p_lid_baseColor.png" in text
    found = {(one.material, one.map): (one.file, one.component) for one in load_model(files["p.obj"]).textures}
    assert found["bricks", "opacity"] == ("p_bricks_baseColor.png", "a")
    assert found["bricks", "colour"] == ("p_bricks_baseColor.png", "")
