"""Documents of older versions brought up to this one: a small function a version.

Each takes the plain data of a project as JSON gave it and answers with that of the next version.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from lucky_fern.core.project.document import FORMAT_VERSION

OLDEST = 3


def _from_3(project: dict[str, Any]) -> dict[str, Any]:
    """Version 4 reads masks, blurs and relief over seams; the document itself says what it said."""
    return {**project, "version": 4}


def _from_4(project: dict[str, Any]) -> dict[str, Any]:
    """Version 5 knows rules in masks and edgings."""
    return {**project, "version": 5}


_STEPS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {3: _from_3, 4: _from_4}


def migrated(project: Any, version: int) -> Any:
    """A project's plain data, written by a program of some version, as this version writes it.

    Raises
    ------
    KeyError
        If that version is older than any that can be read.
    """
    while isinstance(project, dict) and version < FORMAT_VERSION:
        project = _STEPS[version](project)
        version += 1
    return project
