"""Standard output, which never decides what is done: a pipe that was closed or a full disk silences it, no more."""

from __future__ import annotations

import os
import sys


def say(text: str) -> None:
    """A line for whoever listens; if nobody does any more, nothing."""
    try:
        print(text, flush=True)
    except (OSError, ValueError) as error:
        _fall_silent(error)


def _fall_silent(error: Exception) -> None:
    """Let what still is said go nowhere, and leave nothing that would fail as the program ends."""
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 1)
    os.close(nowhere)
    if not isinstance(error, BrokenPipeError):  # whoever read a pipe has had enough, and knows it
        print(f"lucky-fern: standard output takes nothing more ({error}); the work goes on", file=sys.stderr)
