"""What made a texel: layer by layer, against the map itself and a brute-force taking away of layers."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lucky_fern.core.checking.spot import told, what_made
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry, GroupLayers, SetLayer
from lucky_fern.core.project.document import Adjustment, Channel, Wash
from lucky_fern.core.project.echoes import ECHO, Echo
from lucky_fern.core.project.effects import Invert
from lucky_fern.core.project.shapes import Fill, MaskEntry
from lucky_fern.core.studio import Studio


@pytest.fixture
def studio(plane: Path) -> Studio:
    studio = Studio.new(plane, sheet_size=32)
    studio.execute(AddLayer("Base", Wash(), {"colour": Channel("#804020"), "roughness": Channel(0.25)}))
    studio.execute(AddLayer("Stain", Wash(), {"colour": Channel("#000000", opacity=0.5)}, opacity=0.5))
    studio.execute(AddMaskEntry(studio.project.layers[-1].id, MaskEntry(Fill(0.5))))
    studio.execute(AddLayer("Turned", Adjustment(Invert()), {"colour": Channel()}))
    studio.execute(GroupLayers(tuple(layer.id for layer in studio.project.layers[1:])))
    studio.execute(AddLayer("Gloss", Echo("colour"), {"roughness": Channel(ECHO)}))
    studio.execute(AddLayer("Hidden", Wash(), {"colour": Channel("#ffffff")}))
    studio.execute(SetLayer(studio.project.layers[-1].id, visible=False))
    return studio


def test_each_layer_tells_what_it_did_from_the_bottom_up(studio: Studio) -> None:
    key = studio.surface.keys[0]
    steps = what_made(studio.sources, studio.project, key, "colour", 9, 21)
    assert [step.name for step in steps] == ["Base", "Stain", "Turned"]
    base, stain, turned = steps
    assert told(base.after, "colour") == "#804020" and base.before == (1.0, 1.0, 1.0) and base.inside == ()
    assert stain.mask == pytest.approx(0.5, abs=1e-4) and stain.strength == 0.25 and len(stain.inside) == 1
    assert np.allclose(stain.after, np.array(base.after) * (1 - 0.125), atol=1e-4)
    assert np.allclose(turned.after, 1 - np.array(stain.after), atol=1e-6) and turned.changed
    shown = composite_sheet(
        studio.sources, studio.project, "colour", studio.surface.sheet(key, studio.project.size_of(key)), 8
    )
    assert np.allclose(turned.after, shown[9, 21] / 255, atol=1 / 255)
    rough = what_made(studio.sources, studio.project, key, "roughness", 0, 0)
    assert [step.name for step in rough] == ["Base", "Gloss"]
    light = np.array(turned.after) @ [0.2126, 0.7152, 0.0722]
    assert rough[-1].after[0] == pytest.approx(light, abs=1e-4)
    assert not what_made(studio.sources, studio.project, key, "height", 0, 0)
