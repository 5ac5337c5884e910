"""What became of the project from one state to the next: told so that only what it is about follows."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from msgspec.structs import replace

from lucky_fern.core.project.commands import Command
from lucky_fern.core.project.document import Layer, Project, walk


@dataclass(frozen=True)
class Change:
    """Two states of a project. ``command`` led from one to the other, if a single one did.

    ``whole`` says that something beside the document is another as well: another studio, another file name, another
    model, pictures that came into the kit. Everything is to be looked at anew then.
    """

    before: Project | None
    after: Project | None
    command: Command | None = None
    whole: bool = False

    @cached_property
    def layers(self) -> frozenset[int]:
        """The layers that are new, gone, or not what they were (a group: itself, not what is inside)."""
        before, after = _by_id(self.before), _by_id(self.after)
        return frozenset(
            identity
            for identity in before.keys() | after.keys()
            if before.get(identity) is not after.get(identity)
            and _alone(before.get(identity)) != _alone(after.get(identity))
        )

    @cached_property
    def stack(self) -> bool:
        """Whether layers came, went, or lie elsewhere."""
        return self.whole or _order(self.before) != _order(self.after)

    def touches(self, *parts: str) -> bool:
        """Whether any of these parts of the document (fields of :class:`Project`) is another."""
        if self.whole or self.before is None or self.after is None:
            return True
        return any(getattr(self.before, part) is not getattr(self.after, part) for part in parts)


def _by_id(project: Project | None) -> dict[int, Layer]:
    return {} if project is None else {layer.id: layer for layer in walk(project.layers)}


def _alone(layer: Layer | None) -> Layer | None:
    """A layer without what is inside it."""
    if layer is None or not layer.content.holds_layers:
        return layer
    return replace(layer, content=layer.content.holding(()))


def _order(project: Project | None) -> list[tuple[int, int]]:
    """Every layer with how many are inside it, from the bottom up: another list for another stack."""
    return [] if project is None else [(layer.id, len(layer.children)) for layer in walk(project.layers)]
