"""The benchmark: each row a ratio of our time to a reference's, medians of alternating runs."""

from __future__ import annotations

import json
import sys
import tempfile
from dataclasses import asdict
from pathlib import Path

from lucky_fern.bench import (
    echo_rows,
    gap_rows,
    log_rows,
    opening_rows,
    painting_rows,
    preparing_rows,
    seam_rows,
    surface_rows,
    survey_rows,
    texel_rows,
)
from lucky_fern.bench import rows as engine


def run(as_json: bool, only: str = "") -> int:
    """Measure every row there is and print them; always exit code 0: a figure is no failure.

    ``only`` limits it to rows of which the function's name or room holds that word.
    """
    rows = []
    with tempfile.TemporaryDirectory() as folder:
        rooms = (engine, surface_rows, painting_rows, seam_rows, survey_rows, preparing_rows, texel_rows,
                 echo_rows, log_rows, gap_rows, opening_rows)  # fmt: skip
        every = [(room.__name__, one) for room in rooms for one in room.MEASURES]
        for measure in [one for room, one in every if only in f"{room} {one.__name__}"]:
            rows.append(measure(Path(folder)))
            row = rows[-1]
            if not as_json:
                met = row.ratio >= row.goal if row.better == "higher" else row.ratio <= row.goal
                sign = "≥" if row.better == "higher" else "≤"
                verdict = "met" if met else "NOT MET"
                print(f"{row.name}: {row.ratio:.2f} (goal {sign} {row.goal:g}) {verdict}; {row.detail}")
                sys.stdout.flush()
    if as_json:
        print(json.dumps({"rows": [asdict(row) for row in rows]}))
    return 0
