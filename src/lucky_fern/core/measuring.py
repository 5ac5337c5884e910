"""All that a project's rules ask of the survey, measured now, and kept in the project on request."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import cast

import msgspec

from lucky_fern.core.compositing.masks import Asking
from lucky_fern.core.compositing.rules import Asked, measures
from lucky_fern.core.parallel import for_each
from lucky_fern.core.project.commands import KeepMeasured
from lucky_fern.core.project.rules import Rule, RuleShape
from lucky_fern.core.sheets.grid import all_chunks
from lucky_fern.core.studio import Studio

_BATCH = 32  # chunks between two words of how far it has come
Told = Callable[[float], object]


def rules_of(studio: Studio) -> list[Rule]:
    """The rules of all masks that measure the model: not those that go by other layers."""
    shapes = [entry.shape for mask in studio.project.masks.values() for entry in mask.entries if entry.on]
    own = [one for one in shapes if one.keys_of == "rule" and not one.refers().layers and not one.hears]
    return list(dict.fromkeys(cast(RuleShape, one).rule for one in own))


def measure(studio: Studio, rules: list[Rule], told: Told = lambda _: None) -> dict[str, bytes]:
    """Measure what rules ask for on all sheets, on all cores; what is known already costs next to nothing.

    ``told`` hears the share that is done; what it raises ends it. Answers with what was measured, packed, by names
    that tell from what.
    """
    sources, project = studio.sources, studio.project
    todo = [(rule, Asked(Asking(sources, project), sheet, chunk))
            for rule in rules for sheet in studio.surface.sheets(project.size_of)
            for chunk in all_chunks(sheet.size)]  # fmt: skip
    with sources.survey.recording() as record:
        for start in range(0, len(todo), _BATCH):
            told(start / len(todo))
            for_each(partial(_one), todo[start : start + _BATCH])
    told(1.0)
    return record


def _one(asked: tuple[Rule, Asked]) -> None:
    measures(*asked)


def keep_measured(studio: Studio, told: Told = lambda _: None) -> KeepMeasured:
    """The edit that keeps what the project's rules measure in the project: it opens elsewhere without measuring."""
    record = measure(studio, rules_of(studio), told)
    return KeepMeasured(studio.blobs.add(packed_record(record)) if record else None)


def packed_record(record: dict[str, bytes]) -> bytes:
    """A record as a file: MessagePack, a map of names to arrays."""
    return msgspec.msgpack.encode(dict(sorted(record.items())))
