"""What commands refuse, each with its sentence, and what becomes of the project when they are done."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands import (
    AddLayer,
    AddMaskEntry,
    AddSequence,
    GiveMask,
    GroupLayers,
    MoveLayers,
    MoveMaskEntry,
    PaintMask,
    PaintPixels,
    PasteMask,
    RenameLayer,
    SetChannel,
    SetContent,
    SetGroup,
    SetLayer,
    SetMask,
    SetMaskEntry,
    SetPlace,
    SetTaken,
    Several,
    Ungroup,
    from_plain,
    to_plain,
)
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Decal, Group, Project, Relief, Wash
from lucky_fern.core.project.effects import Blur, Contrast, Curve, Gradient, Levels, Shade, Sharpen
from lucky_fern.core.project.history import History
from lucky_fern.core.project.places import Lay, Throw
from lucky_fern.core.project.shapes import Fill, Mask, MaskEntry, PictureShape
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.studio import Studio
from samples import save_png

LAY = Lay("paint", 1001, (0.5, 0.5), 0.2)


@pytest.fixture
def studio(plane: Path, tmp_path: Path) -> Studio:
    """1: a wash, 2: a decal, 3: brushwork, 4: an adjustment, 5: a group with 6 in it; mask 7 on the wash."""
    studio = Studio.new(plane, sheet_size=64)
    studio.add_picture(save_png(tmp_path / "p.png", np.zeros((4, 4, 3), np.uint8)))
    studio.execute(AddLayer("wash", Wash(), {"colour": Channel("#112233"), "height": Channel(0.5)}))
    studio.execute(AddLayer("decal", Decal("p.png", LAY), {"colour": Channel("picture")}))
    studio.execute(AddLayer("brush", Brushwork(), {}))
    studio.execute(AddLayer("soft", Adjustment(Blur(2.0)), {"colour": Channel()}))
    studio.execute(AddLayer("group", Group(), {}))
    studio.execute(AddLayer("inside", Wash(), {"metallic": Channel(1.0)}, into=5))
    studio.execute(AddMaskEntry(1, MaskEntry(Fill(0.5))))
    return studio


REFUSED: list[tuple[Any, str]] = [
    (AddLayer("x", Wash(repeat=(0.0, 1.0)), {"colour": Channel("#000000")}), "other than 0"),
    (AddLayer("x", Wash(), {"glow": Channel(1.0)}), "no map called 'glow'"),
    (AddLayer("x", Wash(), {"colour": Channel("picture")}), "names none"),
    (AddLayer("x", Wash(), {"colour": Channel("picture", picture="q.png")}), "not in the kit"),
    (AddLayer("x", Wash(), {"colour": Channel(0.5)}), "#rrggbb"),
    (AddLayer("x", Wash(), {"roughness": Channel(1.5)}), "from 0 to 1"),
    (AddLayer("x", Wash(), {"colour": Channel("#000000", relief=Relief())}), "only the height map"),
    (AddLayer("x", Wash(), {"colour": Channel("#000000", blend="glow")}), "no blend mode"),
    (AddLayer("x", Wash(), {}, opacity=2.0), "opacity runs from 0 to 1"),
    (AddLayer("x", Wash(), {}, mask=99), "no mask 99"),
    (AddLayer("x", Wash(), {}, into=1), "'wash' is not a group"),
    (AddLayer("x", Decal("q.png", LAY), {}), "not in the kit"),
    (AddLayer("x", Group(), {"colour": Channel("#000000")}), "a group gives no values"),
    (AddLayer("x", Adjustment(Blur()), {"colour": Channel("#000000")}), "an adjustment gives no values"),
    (AddLayer("x", Brushwork(), {"colour": Channel("#000000")}), "gives what is painted"),
    (AddLayer("x", Adjustment(Levels(gamma=0.0)), {}), "gamma runs from"),
    (AddLayer("x", Adjustment(Levels(black=-1.0)), {}), "black runs from 0 to 1"),
    (AddLayer("x", Adjustment(Curve(((0.5, 0.0), (0.5, 1.0)))), {}), "further right"),
    (AddLayer("x", Adjustment(Curve(((0.0, 0.0), (1.0, 1.5)))), {}), "curve's point"),
    (AddLayer("x", Adjustment(Gradient(((0.9, "#000000"), (0.1, "#ffffff")))), {}), "rising order"),
    (AddLayer("x", Adjustment(Gradient(((0.0, "red"), (1.0, "#ffffff")))), {}), "'red' is not a colour"),
    (AddLayer("x", Adjustment(Blur(999.0)), {}), "radius runs from 0"),
    (AddLayer("x", Adjustment(Sharpen(1.0, 99.0)), {}), "amount runs from 0"),
    (AddLayer("x", Adjustment(Shade(hue=999.0)), {}), "hue runs from -360"),
    (AddLayer("x", Adjustment(Contrast(brightness=-2.0)), {}), "brightness runs from -1"),
    (SetLayer(77, opacity=0.5), "not in the stack any more"),
    (SetChannel(77, "colour", None), "not in the stack any more"),
    (SetPlace(1, LAY), "only a decal"),
    (SetPlace(2, replace(LAY, width=-1.0)), "above 0"),
    (SetPlace(2, Throw((0, 0, float("nan")), (0, 0, 1), (0, 1, 0), 1.0)), "finite"),
    (SetContent(1, Adjustment(Blur())), "another kind of layer"),
    (SetContent(4, Adjustment(Gradient())), ""),
    (SetGroup(1, isolated=True), "only a group"),
    (Ungroup(1), "only a group"),
    (GroupLayers((88, 99)), "none of these layers"),
    (MoveLayers((5,), 0, 5), "into itself"),
    (MoveLayers((1,), 42), "no place 42"),
    (RenameLayer(1, "  "), "needs a name"),
    (AddMaskEntry(1, MaskEntry(Fill(3.0))), "value runs from 0 to 1"),
    (AddMaskEntry(1, MaskEntry(Fill(), feather=1e4)), "feather runs from 0"),
    (AddMaskEntry(1, MaskEntry(Fill(), black=0.7, white=0.3)), "black must lie below white"),
    (AddMaskEntry(1, MaskEntry(PictureShape("q.png", LAY))), "not in the kit"),
    (SetMaskEntry(7, 5, None), "no entry 5"),
    (MoveMaskEntry(7, 0, 3), "no such place"),
    (SetMask(70, on=False), "no mask 70"),
    (GiveMask((1,), 70), "no mask 70"),
    (SetTaken("q.png", "data"), "not in the kit"),
    (AddSequence("s", {12: "p.png"}), "12 is no tile"),
    (AddSequence("p.png", {1001: "p.png"}), "cannot be called"),
    (AddLayer("x", Wash(), {"height": Channel(0.7, relief=Relief(float("inf")))}), "up to a million"),
    (AddLayer("x", Wash(), {"height": Channel(0.7, strength=2.0)}), "only normals"),
    (PaintPixels(1, "paint:1001", square(64), {"colour": {}}), "cannot be painted on"),
    (PaintMask(7, 0, "paint:1001", square(64), {}), "not a painted one"),
]


@pytest.mark.parametrize(("command", "word"), [case for case in REFUSED if case[1]])
def test_what_makes_no_sense_is_refused_with_its_reason_and_changes_nothing(
    studio: Studio, command: Any, word: str
) -> None:
    before, steps = studio.project, studio.history.titles
    with pytest.raises(CommandError) as refusal:
        studio.execute(command)
    assert word in str(refusal.value)
    assert studio.project is before and studio.history.titles == steps


def test_every_command_is_plain_data_and_back(studio: Studio) -> None:
    for command, _ in REFUSED:
        if not any(word in repr(command) for word in ("nan", "inf", "glow")):  # JSON has none of these
            assert from_plain(to_plain(command)) == command
    several = Several((SetLayer(1, visible=False), SetLayer(2, visible=False)), named="Hide both")
    assert from_plain(to_plain(several)) == several
    with pytest.raises(CommandError, match="not a command"):
        from_plain({"do": "fly"})


def test_sliders_over_several_layers_are_one_step_and_one_refusal_takes_all_back(studio: Studio) -> None:
    start, steps = studio.project, len(studio.history.titles)
    for opacity in (0.9, 0.6, 0.3):
        both = tuple(SetLayer(number, opacity=opacity) for number in (1, 2))
        studio.execute(Several(both), merge=True)
    assert len(studio.history.titles) == steps + 1 and studio.history.titles[-1] == "Layer opacity"
    assert [studio.project.layer(number).opacity for number in (1, 2)] == [0.3, 0.3]
    after = studio.project
    with pytest.raises(CommandError):
        studio.execute(Several((SetLayer(1, opacity=1.0), SetLayer(99, opacity=1.0))))
    assert studio.project is after and studio.history.undo() == start


def test_masks_follow_their_layers(studio: Studio) -> None:
    studio.execute(PasteMask((2, 3), Mask((MaskEntry(Fill(0.25)),))))
    numbers = {studio.project.layer(number).mask for number in (2, 3)}
    assert len(numbers) == 2 and 7 in studio.project.masks
    studio.execute(AddMaskEntry(1, MaskEntry(Fill(0.75), "add")))
    studio.execute(MoveMaskEntry(7, 1, 0))
    assert [entry.shape.value for entry in studio.project.masks[7].entries] == [0.75, 0.5]
    studio.execute(GiveMask((1,), None))
    assert 7 not in studio.project.masks
    studio.history.undo()
    assert 7 in studio.project.masks


def test_a_jump_in_the_history_keeps_what_lies_ahead_until_something_else_is_done() -> None:
    history = History(Project("p"))
    for name in ("a", "b", "c"):
        history.execute(AddLayer(name, Wash(), {"colour": Channel("#000000")}))
    assert history.titles == ["Opened", "Add a", "Add b", "Add c"]
    history.jump(1)
    assert [layer.name for layer in history.now.layers] == ["a"] and history.redo_label == "Add b"
    assert len(history.jump(3).layers) == 3 and history.redo_label is None
    history.jump(0)
    history.execute(AddLayer("d", Wash(), {"colour": Channel("#000000")}))
    assert history.titles == ["Opened", "Add d"] and history.jump(99) is history.now
