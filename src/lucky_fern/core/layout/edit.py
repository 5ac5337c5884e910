"""An edit of the layout: a new model from an old one, and what goes with it, by the row of its kind."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from lucky_fern.core.arrays import Bool
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.row import Asked, Before, Edited, EditRow, Followed, Told
from lucky_fern.core.model.model import Model
from lucky_fern.core.project.kinds import LAYOUTS, LayoutEdit
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.words import tr


def edit_layout(
    model: Model, edit: LayoutEdit, chosen: Bool | None, size_of: Callable[[SheetKey], Extent],
    told: Told = lambda share: None, base: Model | None = None,
) -> Edited:  # fmt: skip
    """Do one edit to the chosen faces (see :class:`~.row.Asked`).

    Raises
    ------
    CommandError
        With a sentence, if the edit makes no sense for these faces.
    """
    if chosen is not None and not chosen.any():
        raise CommandError(tr("no faces are selected; select some first"))
    row: EditRow = LAYOUTS.of(edit)
    edited = row.edited(Asked(model, chosen, size_of, told, base), edit)
    return _without_repeats(model, edited) if model.repeats and not row.minds_repeats else edited


def after_edit(before: Before, edited: Edited, edit: LayoutEdit) -> Followed:
    """The commands that bring along what depends on the layout, and what cannot follow, in sentences."""
    row: EditRow = LAYOUTS.of(edit)
    return row.after(before, edited, edit)


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
