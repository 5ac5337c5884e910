"""Which pages are shown of a layer: one row for each kind of content, and of place where that decides."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from PySide6.QtWidgets import QVBoxLayout

from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.document import Adjustment, Brushwork, Decal, Layer, Wash
from lucky_fern.core.project.echoes import Echo
from lucky_fern.core.project.edgings import Edging
from lucky_fern.core.project.kinds import Content
from lucky_fern.core.project.places import Along
from lucky_fern.ui.layers.pages.adjustment import adjustment_part
from lucky_fern.ui.layers.pages.channels import channel_part, relief_part
from lucky_fern.ui.layers.pages.decal import decal_part
from lucky_fern.ui.layers.pages.echo import echo_part
from lucky_fern.ui.layers.pages.edging import edging_part
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.layers.pages.layer import layer_page
from lucky_fern.ui.layers.pages.scope import scope_part
from lucky_fern.ui.layers.pages.stripe import stripe_part
from lucky_fern.ui.layers.pages.wash import wash_part
from lucky_fern.words import tr

Page = Callable[[Form, QVBoxLayout, Layer], None]


def _channels(form: Form, column: QVBoxLayout, layer: Layer) -> None:
    for name in MAPS:
        if name in layer.channels:
            channel_part(form, column, name, layer)


def _painted(form: Form, column: QVBoxLayout, layer: Layer) -> None:
    form.note(column, tr("Painted at the Paint station (Ctrl+3)."))


def _placed(form: Form, column: QVBoxLayout, layer: Layer) -> None:
    """The page of the decal's place."""
    PLACES.get(type(layer.content.place), decal_part)(form, column, layer)


def _scope(form: Form, column: QVBoxLayout, layer: Layer) -> None:
    form.rule(column)
    scope_part(form, column)


# What comes first of a kind, and what comes after its relief.
FIRST: dict[type[Content], Page] = {
    Adjustment: adjustment_part, Brushwork: _painted, Echo: echo_part, Decal: _channels, Wash: _channels,
    Edging: _channels,
}  # fmt: skip
THEN: dict[type[Content], Page] = {Decal: _placed, Wash: wash_part, Edging: edging_part}
PLACES: dict[type, Page] = {Along: stripe_part}  # all others are placed alike


def pages_of(layer: Layer) -> Iterator[Page]:
    """In the order in which they stand."""
    yield layer_page
    kind = type(layer.content)
    if kind in FIRST:
        yield FIRST[kind]
    yield relief_part
    if kind in THEN:
        yield THEN[kind]
    yield _scope


def kinds_of(layer: Layer) -> tuple[object, ...]:
    """What of a layer decides which inputs there are."""
    channels = tuple((name, channel.pictured) for name, channel in layer.channels.items())
    content: Any = layer.content
    return (channels, type(content), *ASKED[type(content)](content)) if type(content) in ASKED else (
        channels, type(content))  # fmt: skip


# What else of a kind's settings decides it.
ASKED: dict[type[Content], Callable[[Any], tuple[object, ...]]] = {
    Decal: lambda decal: (type(decal.place),),
    Adjustment: lambda one: (type(one.effect), len(getattr(one.effect, "stops", ()))),
    Echo: lambda echo: (echo.source, echo.part, bool(echo.curve), len(echo.ramp)),
    Wash: lambda wash: (wash.by,),
}
