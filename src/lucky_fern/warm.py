"""Compile every kernel once, so that nobody waits at the first click."""

import json
import sys
import tempfile
import time
from pathlib import Path

from lucky_fern.core.sheets.grid import Chunk, square

BLOCKS = """o block
v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 .2\nv 1 0 .2\nv 1 1 .2\nv 0 1 .2
vt 0.1 0.1\nvt 0.4 0.1\nvt 0.4 0.4\nvt 0.1 0.4\nvt 0.6 0.6\nvt 0.9 0.6\nvt 0.9 0.9\nvt 0.6 0.9
usemtl paint
f 1/1 2/2 3/3 4/4
f 5/5 6/6 7/7 8/8
f 2/1 1/2 5/3 6/4
f 4/5 3/6 7/7 8/8
"""


def drop_stale(package: Path) -> None:
    """Remove compiled kernels: those that call a changed one would not notice by themselves."""
    for pattern in ("*.nbi", "*.nbc"):
        for file in package.rglob(pattern):
            file.unlink(missing_ok=True)


def _ply(form: str) -> bytes:
    """A file of one triangle, for the reader of each form."""
    import numpy as np

    tail = "" if form == "ascii" else "_little_endian"
    head = f"ply\nformat {form}{tail} 1.0\nelement vertex 3\n" + "".join(f"property float {axis}\n" for axis in "xyz")
    head += "element face 1\nproperty list uchar int vertex_indices\nend_header\n"
    if form == "ascii":
        return (head + "0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n").encode()
    return (
        head.encode()
        + np.array([0, 0, 0, 1, 0, 0, 0, 1, 0], "<f4").tobytes()
        + b"\3"
        + np.arange(3, dtype="<i4").tobytes()
    )


def compile_kernels(folder: Path) -> None:
    """Send a tiny project through the job runner, in ways that reach every kernel."""
    import numpy as np
    from PIL import Image

    from lucky_fern.core.compositing.compositor import MapKey, MapStore
    from lucky_fern.core.exporting.opaque_blocks import opaque_line_blocks
    from lucky_fern.core.jobs.run import run_job
    from lucky_fern.core.layout.check import check_layout
    from lucky_fern.core.model.load import load_model
    from lucky_fern.core.model.obj import read_obj
    from lucky_fern.core.model.ply import read_ply
    from lucky_fern.core.painting.cover import any_near
    from lucky_fern.core.selecting.seen import nearest_faces
    from lucky_fern.core.sheets.needs import needs_of_faces
    from lucky_fern.core.sheets.picking import pick
    from lucky_fern.core.sheets.surface import Surface
    from lucky_fern.core.studio import Studio
    from lucky_fern.render import environment
    from lucky_fern.render.mips import halvings
    from lucky_fern.render.parcels import HOME, packed

    pixels = np.full((8, 8, 4), 200, np.uint8)
    Image.fromarray(pixels).save(folder / "p.png")
    (folder / "m.obj").write_text(BLOCKS)
    throw = {"mode": "throw", "point": [0.5, 0.5, 0.2], "normal": [0, 0, 1], "width": 0.5, "depth": 0.5}
    lay = {"mode": "lay", "material": "paint", "tile": 1001, "centre": [0.3, 0.3], "width": 0.2, "rotate": 20}
    drape = {"mode": "drape", "point": [0.5, 0.5, 0.2], "normal": [0, 0, 1], "width": 0.5}
    stripe = {"mode": "along", "points": [[0.1, 0.5, 0.2], [0.9, 0.5, 0.2]], "normals": [[0, 0, 1]] * 2, "width": 0.2}
    every = {"colour": "picture", "roughness": "picture", "normal": "picture", "metallic": 0.5}
    steps = [
        {"do": "wash", "values": {"colour": "#335577", "roughness": 0.5}},
        {"do": "wash", "pictures": {"colour": "p.png"}, "blend": "multiply", "scope": {"parts": ["block"]}},
        {"do": "decal", "picture": "p.png", "place": throw, "channels": every},
        {"do": "decal", "picture": "p.png", "place": drape, "channels": every},
        {"do": "decal", "picture": "p.png", "place": lay, "blend": "multiply", "channels": every},
        {"do": "wash", "pictures": {"colour": "p.png", "height": "p.png"}, "by": "triplanar", "relief": True},
        {"do": "adjust", "kind": "shade", "hue": 20},
        {"do": "adjust", "kind": "blur", "radius": 2},
        {"do": "adjust", "kind": "despeckle", "map": "colour"},
        {"do": "adjust", "kind": "despeckle", "map": "roughness"},
        {"do": "adjust", "kind": "blur", "radius": 2, "map": "normal"},
        {
            "do": "group",
            "isolated": True,
            "steps": [
                {"do": "wash", "name": "inner", "values": {"colour": "#335577", "roughness": 0.2}},
                {"do": "mask", "layer": "inner", "kind": "picture", "picture": "p.png", "place": lay, "feather": 2},
                {"do": "decal", "picture": "p.png", "place": throw, "channels": every},
            ],
        },
    ]
    steps += [
        {"do": "decal", "picture": "p.png", "place": {**throw, "lens": 2.0, "fade": 20.0}, "channels": every},
        {"do": "decal", "figure": {"form": "bars"}, "place": stripe, "channels": every},
        {"do": "brushwork", "name": "paint"},
        {"do": "stroke", "layer": "paint", "points": [[0.3, 0.5, 0.2], [0.7, 0.5, 0.2]], "radius": 0.1,
         "values": {"colour": "#ff0000"}},
        {"do": "stroke", "layer": "paint", "points": [[0.3, 0.5, 0.2], [0.7, 0.5, 0.2]], "radius": 0.1, "smear": 1.0},
    ]  # fmt: skip
    steps += [{"do": "wash", "name": "worn", "values": {"colour": "#998877"}}]
    rules: list[dict[str, object]] = [
        {"rule": "edges", "reach": 0.1}, {"rule": "occlusion", "rays": 4}, {"rule": "seams"},
        {"rule": "rim", "of": "paint"}, {"rule": "drips"}, {"rule": "grain"}, {"rule": "grain", "form": "cells"},
    ]  # fmt: skip
    steps += [{"do": "mask", "layer": "worn", "kind": "rule", "mode": "add", **rule} for rule in rules]
    steps += [
        {"do": "edging", "offset": 0.05, "jitter": 0.5, "length": 0.2},
        {"do": "edging", "picture": "p.png", "length": 0.2},
    ]
    steps += [
        {"do": "echo", "part": "rise", "from": "normal", "wide": 4, "to": "occlusion"},
        {"do": "adjust", "kind": "paintstrokes", "maps": ["colour", "normal", "height"], "size": 6, "along": "edges"},
    ]
    disc = np.full((64, 64, 3), 90, np.uint8)
    y, x = np.mgrid[0:64, 0:64]
    disc[(x - 32) ** 2 + (y - 32) ** 2 < 300] = (200, 60, 30)
    Image.fromarray(disc).save(folder / "disc.png")
    steps += [
        {"do": "prepare", "picture": "disc.png", "as": "cut", "ops": [
            {"op": "straighten", "corners": [[2, 2], [61, 4], [60, 61], [3, 60]], "size": [60, 60]},
            {"op": "even-light"}, {"op": "despeckle", "radius": 2}, {"op": "blur", "radius": 1},
            {"op": "cut-out", "box": [8, 8, 52, 52]}, {"op": "mend-rim", "colour": "#5a5a5a"}, {"op": "spread"},
        ]},
        {"do": "prepare", "picture": "disc.png", "as": "tile", "ops": [
            {"op": "size", "size": [48, 48]}, {"op": "tile", "overlap": 0.2}, {"op": "palette", "colours": 4},
        ]},
        {"do": "pattern", "pattern": "noise", "name": "noise"},
    ]  # fmt: skip
    steps += [
        {"do": "layout", "op": "round"},
        {"do": "layout", "op": "pack", "padding": 2},
        {"do": "layout", "op": "cut-texels", "colours": ["#335577"], "tolerance": 1.0, "material": "cut"},
    ]
    exports: list[dict[str, object]] = [{"preset": "separate", "out": str(bits), "bits": bits} for bits in (8, 16)]
    exports.append({"preset": "packed", "out": "dds", "format": "dds"})
    job = {"job": 1, "model": "m.obj", "sheet_size": 64, "steps": steps, "exports": exports}
    (folder / "j.json").write_text(json.dumps(job))
    run_job(folder / "j.json")
    model = load_model(folder / "m.obj")
    long = ("v 0 0 0", "vt 0 0", "vn 0 0 1", "f 1/1/1 2/1/1 3/1/1")
    read_obj("".join(f"{line}\n" * 100 for line in long).encode(), "long.obj")  # long runs are what is compiled
    for form in ("ascii", "binary"):
        read_ply(_ply(form), f"{form}.ply")
    pick(model, np.array([0.5, 0.5, 5.0]), np.array([0.0, 0.0, -1.0]))
    check_layout(Surface(model), lambda key: square(64))
    any_near(np.zeros((2, 3)), np.zeros(2), np.zeros((2, 3)), 1.0)
    nearest_faces(np.random.default_rng(0).uniform(0, 9, (2, 3, 3)), 9, 9)
    environment.reflections()
    for encoded in (True, False):
        halvings(pixels, encoded)
    opaque_line_blocks(np.zeros((1, 4, 4, 4), np.uint8))
    flat, ones = Surface(model), np.ones(model.triangle_count)
    needs_of_faces(flat, dict.fromkeys(flat.keys, square(64)), ones > 0, ones)
    for side in (64, 300):  # of one chunk, and of several
        studio = Studio.new(folder / "m.obj", sheet_size=side)
        store, key = MapStore(studio.sources), MapKey(studio.surface.keys[0], "height")
        store.maps[key] = np.zeros((side, side, 1), np.uint16)
        packed(store, key.sheet, HOME["height"], square(side), Chunk(0, 0))
        for name in ("colour", "height"):  # into a part of a map, of 8 and of 16 bits
            store.update(studio.project, MapKey(key.sheet, name), [Chunk(0, 0)])


def main() -> None:
    """Drop what is stale and compile anew, with a line about it."""
    print("fern: compiling the kernels (once, about a minute) …", file=sys.stderr, flush=True)
    start = time.monotonic()
    drop_stale(Path(__file__).parent)
    with tempfile.TemporaryDirectory() as folder:
        compile_kernels(Path(folder))
    print(f"fern: compiled in {time.monotonic() - start:.0f} s; making the demo world …", file=sys.stderr, flush=True)
    from lucky_fern.demo.world import ensure_world

    ensure_world()


if __name__ == "__main__":
    main()
