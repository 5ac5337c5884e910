"""One edit of the layout worked out: a new model from an old one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64, Bool
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout import arrange, flatten, pack
from lucky_fern.core.layout.by_texels import BY_TEXELS, gathered
from lucky_fern.core.layout.cutting import cut_texels, wrapped
from lucky_fern.core.layout.islands import Layout, island_overlaps
from lucky_fern.core.layout.joining import join
from lucky_fern.core.layout.pack import SizeAt
from lucky_fern.core.layout.repeats import spread
from lucky_fern.core.layout.room import settle
from lucky_fern.core.layout.twins import stack_twins
from lucky_fern.core.layout.unwrap import charts
from lucky_fern.core.limits import FARTHEST_UV, MOST_TILES
from lucky_fern.core.model.model import Model
from lucky_fern.core.model.tangents import mikk_tangents
from lucky_fern.core.project import layouts as ask
from lucky_fern.core.project.layouts import LayoutEdit
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.udim import tile_of
from lucky_fern.words import tr

PADDING = 8  # texels, round what is flattened
Told = Callable[[float], None]


@dataclass(frozen=True)
class Edited:
    """A model with another layout, and what there is to say about it."""

    model: Model
    notes: tuple[str, ...]
    origin: I64 | None = None  # (T,) which face of the model before each is, or was part of, where faces were cut
    sized: tuple[SheetKey, Extent] | None = None  # a sheet that was made, and its size
    were: tuple[SheetKey, ...] = ()  # the sheets that are blocks of it
    back: dict[str, I64] | None = None  # material → faces of the model before that went back to it


def edit_layout(
    model: Model, edit: LayoutEdit, chosen: Bool | None, size_of: Callable[[SheetKey], Extent],
    told: Told = lambda share: None, base: Model | None = None,
) -> Edited:  # fmt: skip
    """Do one edit to the chosen faces ((T,) bool; None for all); ``base`` is the model as it came.

    Parameters
    ----------
    size_of : how large a sheet is, in texels; asked for sheets that are not there yet, too.
    told : is told the share that is done, of edits that take long; what it raises ends the edit.

    Raises
    ------
    CommandError
        With a sentence, if the edit makes no sense for these faces.
    """
    if chosen is not None and not chosen.any():
        raise CommandError(tr("no faces are selected; select some first"))
    edited = _edited(model, edit, chosen, size_of, told, base)
    if model.repeats and not isinstance(edit, ask.Wrap | ask.Spread | ask.RenameMaterial | ask.RenamePart):
        return _without_repeats(model, edited)
    return edited


def _edited(
    model: Model, edit: LayoutEdit, chosen: Bool | None, size_of: Callable[[SheetKey], Extent], told: Told,
    base: Model | None,
) -> Edited:  # fmt: skip
    if isinstance(edit, ask.GiveMaterial | ask.RenameMaterial | ask.RenamePart):
        return _names(model, edit, chosen)
    if isinstance(edit, ask.TurnOver):
        return Edited(_turned(model, chosen), ())
    if isinstance(edit, ask.Reframe):
        return Edited(with_layout(model, arrange.reframed(model, edit)), ())
    if isinstance(edit, ask.Wrap):
        return _wrapped(model, edit, chosen)
    if isinstance(edit, ask.CutTexels):
        return _cut(model, edit, chosen, size_of)
    if isinstance(edit, ask.Spread):
        cut = spread(model, edit.material.strip())
        return Edited(cut.model, (), cut.origin)
    if isinstance(edit, ask.JoinCut):
        joined = join(model, model if base is None else base, edit.material.strip())
        return Edited(joined.model, (), joined.origin, back=joined.back)
    if isinstance(edit, ask.GatherSheets):
        return _gathered(model, edit, chosen, size_of)
    layout = Layout.of(model, chosen)

    def size_at(material: str, corner: F64) -> Extent:
        return size_of(SheetKey(material, tile_of(int(corner[0]), int(corner[1]))))

    if isinstance(edit, ask.AlongAxis | ask.RoundAxis | ask.AsBox | ask.Unwrap):
        _make(layout, edit, size_at, told)
    elif type(edit) in BY_TEXELS:
        _by_texels(layout, edit, size_at)
    else:
        if not isinstance(edit, ask.FlipV):
            arrange.check_any(layout.numbers)
        _arrange(layout, edit, size_at, told)
    if (model.has_uv & ~np.isfinite(layout.uv).all(axis=(1, 2))).any():
        raise CommandError(tr("that would leave places that are no numbers; nothing was changed"))
    wide = np.ptp(np.nan_to_num(layout.uv), axis=1).max(initial=0.0)
    if wide > MOST_TILES or np.abs(np.nan_to_num(layout.uv)).max(initial=0.0) > FARTHEST_UV:
        raise CommandError(
            tr(
                "that would make faces {wide:.3g} tiles wide; up to {MOST_TILES:g} are sensible",
                wide=wide,
                MOST_TILES=MOST_TILES,
            )
        )
    return Edited(with_layout(model, layout.uv), tuple(layout.notes))


def _cut(model: Model, edit: ask.CutTexels, chosen: Bool | None, size_of: Callable[[SheetKey], Extent]) -> Edited:
    material, _, tile = edit.sheet.rpartition(":")
    name = edit.material.strip()
    if material not in model.materials:
        raise CommandError(tr("there is no sheet {sheet!r}", sheet=edit.sheet))
    if not name or ":" in name or name == material:
        raise CommandError(tr("the cut faces need a material of another name, without a colon"))
    key = SheetKey(material, int(tile))
    size = size_of(key)
    if (
        name in model.materials
        and size_of(SheetKey(name, key.tile)) != size
        and (model.has_uv & (model.material == model.materials.index(name))).any()
    ):
        raise CommandError(tr("{name} has a sheet of another size than {sheet}; take another name", name=name,
                              sheet=edit.sheet))  # fmt: skip
    area = np.zeros(size.shape, np.bool_)
    for left, upper, right, lower in edit.boxes:
        area[max(upper, 0) : max(lower, 0), max(left, 0) : max(right, 0)] = True
    faces = np.ones(model.triangle_count, np.bool_) if chosen is None else chosen
    cut = cut_texels(model, key, size, area, faces, name)
    notes = []
    rows = np.unique(cut.origin[cut.model.material == cut.model.materials.index(name)])
    if len(np.unique(model.islands[rows])) > 1 and _stacked(model, rows):
        notes.append(tr("islands lie on each other there: all of them were cut; give a selection to cut just one"))
    return Edited(cut.model, tuple(notes), cut.origin)


def _wrapped(model: Model, edit: ask.Wrap, chosen: Bool | None) -> Edited:
    if edit.materials:
        names = edit.materials
    else:
        names = tuple(
            model.materials[n] for n in np.unique(model.material[slice(None) if chosen is None else chosen])
        )
    for name in names:
        if name not in model.materials:
            raise CommandError(
                tr("there is no material {name!r}; there are {names}", name=name, names=", ".join(model.materials))
            )
    names = tuple(name for name in names if name not in model.repeats)
    if not names:
        return Edited(model, ())
    if not model.has_uv[np.isin(model.material, [model.materials.index(name) for name in names])].any():
        raise CommandError(tr("{names} has no UVs that could repeat", names=", ".join(names)))
    cut = wrapped(model, names)
    notes = [tr("UVs of {name} repeat: one sheet, as the game reads it", name=name) for name in names]
    made = replace(cut.model, repeats={**model.repeats, **{name: name for name in names}})
    return Edited(made, tuple(notes), cut.origin)


def _gathered(
    model: Model, edit: ask.GatherSheets, chosen: Bool | None, size_of: Callable[[SheetKey], Extent]
) -> Edited:
    rows = np.arange(model.triangle_count) if chosen is None else np.flatnonzero(chosen)
    made = gathered(model, edit, rows, size_of)
    note = tr("{count} sheets are blocks of {sheet} now, which has {size} texels", count=len(made.were),
              sheet=made.key, size=made.size)  # fmt: skip
    laid = with_layout(replace(model, material=made.model.material, materials=made.model.materials), made.model.uv)
    return Edited(laid, (note,), sized=(made.key, made.size), were=made.were)


def _by_texels(layout: Layout, edit: LayoutEdit, size_at: SizeAt) -> None:
    """Faces laid by whole texels, material by material."""
    chosen = layout.chosen
    for number in np.unique(layout.model.material[chosen]):
        layout.chosen = chosen & (layout.model.material == number)
        if not isinstance(edit, ask.BoxNet) and not (layout.chosen & layout.model.has_uv).any():
            raise CommandError(tr("some of the selected faces have no UVs; lay them out first"))
        size = size_at(layout.model.materials[number], layout.tile(layout.chosen & layout.model.has_uv))
        BY_TEXELS[type(edit)](layout, edit, size)
    layout.chosen = chosen


def _stacked(model: Model, rows: I64) -> bool:
    """Whether any of some faces lie on each other in UV space."""
    islands = set(np.unique(model.islands[rows]).tolist())
    return any(one in islands and other in islands for one, other, _ in island_overlaps(model))


def _without_repeats(before: Model, edited: Edited) -> Edited:
    """Faces that an edit moved or cut are not as their file has them any more: they are written as they are."""
    after = edited.model
    left = {}
    for name, known in after.repeats.items():
        if name not in after.materials or name not in before.materials:
            continue
        one, other = (model.uv[model.material == model.materials.index(name)] for model in (before, after))
        if np.array_equal(one, other, equal_nan=True):
            left[name] = known
    return replace(edited, model=replace(after, repeats=left, file=after.file if left else None))


def with_layout(model: Model, uv: F64) -> Model:
    """The model with other UVs; tangents are made anew where the UVs changed."""
    # A half turn of UVs turns tangents too, so nothing short of comparing will do.
    same = np.array_equal(uv, model.uv, equal_nan=True)
    tangents = model.tangents if same else mikk_tangents(model.positions, model.triangles, uv, model.normals)
    return _sharing(replace(model, uv=uv, tangents=tangents), model)


def _turned(model: Model, chosen: Bool | None) -> Model:
    """The model with faces seen from their other side."""
    rows = slice(None) if chosen is None else chosen
    other = [0, 2, 1]
    changes = {}
    for name in ("triangles", "uv", "normals", "corner_colours"):
        values = getattr(model, name)
        if values is not None:
            changes[name] = values.copy()
            changes[name][rows] = values[rows][:, other]
    changes["normals"][rows] *= -1
    turned = replace(model, **changes)
    return replace(turned, tangents=mikk_tangents(turned.positions, turned.triangles, turned.uv, turned.normals))


def _sharing(new: Model, old: Model) -> Model:
    """Hand over what was worked out from positions alone."""
    for name in ("corners", "balls", "face_normals", "bounds", "outline_edges"):
        if name in old.__dict__:
            new.__dict__[name] = old.__dict__[name]
    return new


def _make(layout: Layout, edit: LayoutEdit, size_at: SizeAt, told: Told) -> None:
    """New places for the chosen faces, from the surface alone, material by material."""
    chosen = layout.chosen
    used = np.unique(layout.model.material[chosen])
    for at, number in enumerate(used):
        layout.chosen = chosen & (layout.model.material == number)
        size = size_at(layout.model.materials[number], layout.tile(layout.chosen))

        def of_all(share: float, at: int = at) -> None:
            told((at + share) / len(used))

        _make_one(layout, edit, size, of_all)
    layout.chosen = chosen


def _make_one(layout: Layout, edit: LayoutEdit, size: Extent, told: Told) -> None:
    model = layout.model
    rows = np.flatnonzero(layout.chosen).astype(np.int32)
    corners = model.corners[rows]
    if isinstance(edit, ask.Unwrap):
        shapes, mine = charts(model.positions, model.triangles[rows].astype(np.int64), lambda share: told(share / 2))
        mine_of = [rows[one] for one in mine]
        _settle(layout, shapes, mine_of, edit.padding, size, lambda share: told(0.5 + share / 2))
        return
    if isinstance(edit, ask.AlongAxis):
        direction = np.array(edit.direction) if edit.direction is not None else flatten.best_direction(corners)
        if not np.linalg.norm(direction) > 0:
            raise CommandError(tr("direction must point somewhere; [0, 0, 0] does not"))
        places = flatten.along_axis(corners, direction, None if edit.up is None else np.array(edit.up))
        away = model.face_normals[rows] @ direction <= 1e-6 * np.linalg.norm(direction)
        if away.any():
            layout.notes.append(
                tr(
                    "{sum} of {rows} triangles face away or edge-on; they lie mirrored",
                    sum=away.sum(),
                    rows=len(rows),
                )
            )
    elif isinstance(edit, ask.RoundAxis):
        axis, point = flatten.best_cylinder(corners)
        axis = np.array(edit.axis) if edit.axis is not None else axis
        point = np.array(edit.point) if edit.point is not None else point
        if not np.linalg.norm(axis) > 0:
            raise CommandError(tr("axis must point somewhere; [0, 0, 0] does not"))
        places = flatten.round_axis(corners, axis, point)
    else:
        shapes, mine = flatten.as_box(model, rows)
        _settle(layout, shapes, [rows[one] for one in mine], PADDING, size)
        return
    _settle(layout, [places], [rows], PADDING, size)


def _settle(
    layout: Layout, shapes: list[F64], rows: list[I32], padding: float, size: Extent,
    told: Told = lambda share: None,
) -> None:  # fmt: skip
    """Give shapes in model units a place on their tile so that texels come out square."""
    squeezed = [shape / size.proportions for shape in shapes]
    settle(layout, squeezed, rows, padding / size.shortest, size.shortest, told)


def _arrange(layout: Layout, edit: LayoutEdit, size_at: SizeAt, told: Told) -> None:
    """Move islands that are there."""

    def size() -> Extent:
        rows = layout.whole(layout.numbers)
        return size_at(layout.model.materials[layout.model.material[rows][0]], layout.tile(rows))

    if isinstance(edit, ask.Transform):
        arrange.transform(layout, edit, size())
    elif isinstance(edit, ask.FitRectangle):
        arrange.fit_rectangle(layout, edit)
    elif isinstance(edit, ask.Align):
        arrange.align(layout, edit)
    elif isinstance(edit, ask.Distribute):
        arrange.distribute(layout, edit)
    elif isinstance(edit, ask.Proportions):
        arrange.proportions(layout, size())
    elif isinstance(edit, ask.EvenDensity):
        arrange.even_density(layout, edit, size())
    elif isinstance(edit, ask.SendTo):
        arrange.send_to(layout, edit.tile)
    elif isinstance(edit, ask.Inside):
        arrange.inside(layout)
    elif isinstance(edit, ask.FlipV):
        arrange.flip_v(layout)
    elif isinstance(edit, ask.Snap):
        arrange.snap(layout, edit, size())
    elif isinstance(edit, ask.Unstack):
        pack.unstack(layout, edit, size_at, told)
    elif isinstance(edit, ask.StackTwins):
        if not stack_twins(layout):
            raise CommandError(tr("no two of the selected islands have the same shape"))
    else:
        assert isinstance(edit, ask.Pack)
        pack.pack(layout, edit, size_at, told)


def _names(model: Model, edit: ask.GiveMaterial | ask.RenameMaterial | ask.RenamePart, chosen: Bool | None) -> Edited:
    """Materials and parts given to faces, and called otherwise."""
    if isinstance(edit, ask.GiveMaterial):
        name = edit.name.strip()
        if not name or ":" in name:
            raise CommandError(tr("a material needs a name without a colon"))
        materials = model.materials if name in model.materials else (*model.materials, name)
        material = model.material.copy()
        material[slice(None) if chosen is None else chosen] = materials.index(name)
        used = np.unique(material)
        kept = tuple(materials[number] for number in used)
        material = np.searchsorted(used, material).astype(np.int32)
        gone = [old for old in model.materials if old not in kept]
        notes = (f"{', '.join(gone)} has no faces any more and is gone",) if gone else ()
        return Edited(_sharing(replace(model, material=material, materials=kept), model), notes)
    what = "material" if isinstance(edit, ask.RenameMaterial) else "part"
    names = model.materials if what == "material" else model.parts
    new = edit.new.strip()
    if edit.old not in names:
        raise CommandError(
            tr("there is no {what} {old!r}; there are {names}", what=what, old=edit.old, names=", ".join(names[:12]))
        )
    if not new or ":" in new:
        raise CommandError(tr("a {what} needs a name without a colon", what=what))
    if new in names and new != edit.old:
        raise CommandError(tr("another {what} is called {new!r} already; take another name", what=what, new=new))
    renamed = tuple(new if name == edit.old else name for name in names)
    if what == "part":
        return Edited(_sharing(replace(model, parts=renamed), model), ())
    colours = {new if name == edit.old else name: value for name, value in model.colours.items()}
    repeats = {new if name == edit.old else name: value for name, value in model.repeats.items()}
    return Edited(_sharing(replace(model, materials=renamed, colours=colours, repeats=repeats), model), ())
