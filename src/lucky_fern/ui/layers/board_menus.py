"""The menus of the board: of a cell, of a layer, and of what can be added."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace
from PySide6.QtWidgets import QMenu, QWidget

from lucky_fern.core.maps import MAPS, raises
from lucky_fern.core.project.commands import (
    Command,
    DuplicateLayers,
    GiveMask,
    GroupLayers,
    LinkLayer,
    RemoveLayers,
    SetChannel,
    SetGroup,
    Ungroup,
)
from lucky_fern.core.project.document import Channel, Decal, Layer, Relief, Wash
from lucky_fern.core.project.effects import Blur, Contrast, Curve, Gradient, Invert, Levels, Shade, Sharpen
from lucky_fern.core.project.kinds import Effect
from lucky_fern.core.project.more_effects import (
    Dither,
    Match,
    Mixer,
    NearContrast,
    Normalise,
    Posterise,
    Smooth,
    Specks,
    Threshold,
)
from lucky_fern.core.project.plain import COLOUR_BLENDS, SCALAR_BLENDS, Scope
from lucky_fern.core.project.strokes import PaintStrokes
from lucky_fern.ui.layers.adding import add_adjustment, add_brushwork, add_wash
from lucky_fern.ui.layers.copying import (
    chosen_adjustments,
    copy_mask,
    paste_mask,
    put_adjustments,
)
from lucky_fern.ui.layers.echoes import READY, add_echo
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.layers.ready_menu import ask_keep, fill_ready
from lucky_fern.ui.session.adjustments import copied_adjustments, copy_adjustments, put_on
from lucky_fern.words import tr

EFFECTS: dict[str, Callable[[], Effect]] = {
    tr("Levels"): Levels,
    tr("Curve"): Curve,
    tr("Hue, saturation, lightness"): Shade,
    tr("Brightness and contrast"): Contrast,
    tr("Invert"): Invert,
    tr("Blur"): Blur,
    tr("Sharpen"): Sharpen,
    tr("Colour ramp"): Gradient,
    tr("Specks out"): Specks,
    tr("Smooth, edges kept"): Smooth,
    tr("Threshold"): Threshold,
    tr("Few tones"): Posterise,
    tr("Dither"): Dither,
    tr("Contrast near by"): NearContrast,
    tr("Match a region"): Match,
    tr("Channel mixer"): Mixer,
    tr("Brush strokes"): PaintStrokes,
    tr("Normals of length 1"): Normalise,
}


def add_menu(matter: Matter, parent: QWidget) -> QMenu:
    """What can be put on the stack."""
    menu = QMenu(parent)
    menu.addAction(tr("Wash"), partial(add_wash, matter))
    menu.addAction(tr("Brushwork"), partial(add_brushwork, matter))
    menu.addAction(tr("Group of the selected layers"), partial(group, matter))
    menu.addSeparator()
    for title, effect in EFFECTS.items():
        menu.addAction(title, partial(_adjust, matter, title, effect))
    menu.addSeparator()
    echoes = menu.addMenu(tr("Echo: one map from another"))
    for title in READY:
        echoes.addAction(title, partial(add_echo, matter, title))
    fill_ready(matter, menu)
    return menu


def _adjust(matter: Matter, title: str, effect: Callable[[], Effect]) -> None:
    add_adjustment(matter, title, effect())


def group(matter: Matter) -> None:
    if matter.selection.chosen:
        matter.work.execute(GroupLayers(matter.selection.chosen))


def cell_menu(matter: Matter, layer: Layer, name: str, parent: QWidget) -> QMenu:
    """What can be done with what a layer gives to a map; done to all selected layers that give to it."""
    menu = QMenu(parent)
    channel = layer.channels.get(name, Channel() if layer.content.holds_layers else None)
    if channel is None:
        menu.addAction(
            tr("{name} gives nothing to {name_2}; click the cell to add it", name=layer.name, name_2=name)
        ).setEnabled(False)
        return menu

    def each(change: Callable[[Channel], Channel | None]) -> None:
        def make(one: Layer) -> Command | None:
            own = one.channels.get(name, Channel() if one.content.holds_layers else None)
            return None if own is None else SetChannel(one.id, name, change(own))

        matter.work.end_gesture()
        matter.selection.execute_each(make)

    menu.addAction(
        tr("Switch off") if channel.on else tr("Switch on"), lambda: each(lambda c: replace(c, on=not channel.on))
    )
    strengths = menu.addMenu(tr("Strength"))
    for percent in (100, 75, 50, 25, 10):
        strengths.addAction(f"{percent} %", partial(each, partial(_changed, opacity=percent / 100)))
    if not MAPS[name].directional:
        blends = menu.addMenu(tr("Blend"))
        own = blends.addAction(
            tr("as the layer ({blend})", blend=layer.blend), lambda: each(lambda c: replace(c, blend=None))
        )
        own.setCheckable(True)
        own.setChecked(channel.blend is None)
        for mode in COLOUR_BLENDS if MAPS[name].encoded else SCALAR_BLENDS:
            action = blends.addAction(mode, partial(each, partial(_changed, blend=mode)))
            action.setCheckable(True)
            action.setChecked(channel.blend == mode)
    if raises(name):
        relief = menu.addAction(
            tr("Shape the normal map too"),
            lambda: each(lambda c: replace(c, relief=Relief() if channel.relief is None else None)),
        )
        relief.setCheckable(True)
        relief.setChecked(channel.relief is not None)
    if isinstance(layer.content, Wash | Decal) and matter.work.project is not None:
        pictures = menu.addMenu(tr("Picture"))
        for identity in (*matter.work.project.sequences, *matter.work.project.pictures):
            pictures.addAction(identity, partial(each, partial(_changed, source="picture", picture=identity)))
    menu.addSeparator()
    menu.addAction(tr("Take this map off"), lambda: each(lambda c: None))
    return menu


def layer_menu(matter: Matter, layer: Layer, rename: Callable[[], None], parent: QWidget) -> QMenu:
    """What can be done with the selected layers."""
    menu = QMenu(parent)
    project = matter.work.project
    menu.addAction(tr("Rename"), rename)
    menu.addAction(tr("Duplicate"), lambda: matter.work.execute(DuplicateLayers(matter.selection.chosen)))
    menu.addAction(tr("Group"), partial(group, matter))
    if layer.content.holds_layers:
        menu.addAction(tr("Ungroup"), lambda: matter.work.execute(Ungroup(layer.id)))
        isolated = menu.addAction(
            tr("Put together by itself"),
            partial(_isolate, matter, layer.id, not layer.content.isolated),
        )
        isolated.setCheckable(True)
        isolated.setChecked(layer.content.isolated)
    menu.addAction(tr("Keep as recipe in the project"), partial(matter.recipes.keep, layer, None))
    menu.addAction(tr("Keep as recipe …"), partial(ask_keep, matter, layer, parent))
    menu.addAction(tr("Delete"), lambda: matter.work.execute(RemoveLayers(matter.selection.chosen)))
    menu.addSeparator()
    held, chosen = copied_adjustments(), chosen_adjustments(matter)
    take = menu.addAction(tr("Copy adjustments"), lambda: copy_adjustments(matter.work, chosen))
    take.setToolTip(tr("Echoes, too; dragged with Ctrl they are put onto a layer, dragged onto a view on a material"))
    take.setEnabled(bool(chosen))
    onto = menu.addAction(
        tr("Put {names} onto each of them", names=", ".join(one.name for one in held)) if held
        else tr("Put the copied adjustments onto each of them"), lambda: put_adjustments(matter),
    )  # fmt: skip
    onto.setToolTip(tr("Into a group, on top; above any other layer"))
    onto.setEnabled(bool(held))
    materials = menu.addMenu(tr("Put the copied adjustments on a material"))
    for name in matter.work.studio.model.materials if held and matter.work.studio is not None else ():
        materials.addAction(name, partial(put_on, matter.work, held, Scope(materials=(name,)), name))
    materials.setEnabled(not materials.isEmpty())
    if layer.content.links:
        _link_menu(matter, layer, menu.addMenu(tr("Same as")))
    menu.addSeparator()
    copy = menu.addAction(tr("Copy mask"), lambda: copy_mask(matter, layer))
    copy.setEnabled(layer.mask is not None)
    for title, inverted in ((tr("Paste mask"), False), (tr("Paste mask inverted"), True)):
        paste = menu.addAction(title, partial(paste_mask, matter, inverted))
        paste.setEnabled(matter.clipboard.mask is not None)
    share = menu.addMenu(tr("Share the mask of"))
    if project is not None:
        for other in reversed(list(project.walk())):
            if other.mask is not None and other.mask != layer.mask:
                share.addAction(other.name, partial(_share, matter, other.mask))
    share.setEnabled(not share.isEmpty())
    drop = menu.addAction(tr("Without mask"), lambda: matter.work.execute(GiveMask(matter.selection.chosen, None)))
    drop.setEnabled(layer.mask is not None)
    return menu


def _link_menu(matter: Matter, layer: Layer, menu: QMenu) -> None:
    """The layers as which one may be set; a change of one is then one of all."""
    project = matter.work.project
    others = [] if project is None else [one for one in project.walk() if type(one.content) is type(layer.content)]
    menu.setToolTip(tr("Set as another layer of its kind is, from now on: whoever changes one changes all"))
    for other in reversed([one for one in others if one.id != layer.id]):
        action = menu.addAction(other.name, partial(_link, matter, layer.id, other.id))
        action.setCheckable(True)
        action.setChecked(layer.link is not None and other.link == layer.link)
    if layer.link is not None:
        menu.addSeparator()
        menu.addAction(tr("By itself again"), partial(_link, matter, layer.id, None))
    menu.setEnabled(not menu.isEmpty())


def _link(matter: Matter, layer: int, to: int | None) -> None:
    matter.work.execute(LinkLayer(layer, to))


def _changed(channel: Channel, **changes: object) -> Channel:
    return replace(channel, **changes)


def _share(matter: Matter, mask: int) -> None:
    matter.work.execute(GiveMask(matter.selection.chosen, mask))


def _isolate(matter: Matter, layer_id: int, isolated: bool) -> None:
    matter.work.execute(SetGroup(layer_id, isolated=isolated))
