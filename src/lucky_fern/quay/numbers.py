"""The material numbers that lie beside exported maps."""

from __future__ import annotations

from pathlib import Path

from lucky_fern.core.errors import CommandError
from lucky_fern.core.exporting.numbers import LARGEST_NUMBERS, NUMBERS, numbers_from_json
from lucky_fern.core.files import read_file
from lucky_fern.core.project.light import Numbers


def numbers_beside(folder: Path) -> dict[str, Numbers]:
    """Material → numbers of a folder's file; none where there is no such file.

    Raises
    ------
    CommandError
        If it holds something else.
    """
    path = folder / NUMBERS
    return numbers_from_json(read_file(path, CommandError, LARGEST_NUMBERS), path.name) if path.is_file() else {}
