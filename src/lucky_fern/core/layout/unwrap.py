"""Automatic unwrapping: the surface cut into charts that lie flat with little stretch."""

from __future__ import annotations

import contextlib
import queue
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.charting import flatten_piece, receive, send
from lucky_fern.core.model.model import groups
from lucky_fern.words import tr

_AT_ONCE = 100  # triangles; fewer are done here, in less time than a process takes to start
_EXPECTED = 7e-4  # seconds a triangle, for what is told of a piece that is still being worked on
Told = Callable[[float], None]


def charts(positions: F64, triangles: I64, told: Told) -> tuple[list[F64], list[I32]]:
    """Cut and flatten triangles (T, 3), rows of ``positions``, with xatlas.

    What ``told`` raises ends the work at once, also in the middle of a piece.

    Returns
    -------
    shapes : (N, 3, 2) of each chart in model units, counter-clockwise as seen from outside.
    rows : (N,) int32, which of the triangles each holds.

    Raises
    ------
    CommandError
        If the surface cannot be cut.
    """
    piece = groups(int(triangles.max()) + 1, np.concatenate([triangles[:, :2], triangles[:, 1:]]))[triangles[:, 0]]
    order = np.argsort(piece, kind="stable")
    members = np.split(order, np.flatnonzero(np.diff(piece[order])) + 1)
    pieces = []
    for mine in members:
        used, local = np.unique(triangles[mine], return_inverse=True)
        pieces.append((positions[used] - positions[used].mean(axis=0), local.reshape(-1, 3).astype(np.int64)))
    shapes: list[F64] = []
    rows: list[I32] = []
    for mine, (uv, chart) in zip(members, _flattened(pieces, told), strict=True):
        for number in range(int(chart.max()) + 1):
            inside = np.flatnonzero(chart == number)
            flat = uv[inside]
            a, b = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
            if (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum() < 0:
                flat = flat * (-1.0, 1.0)
            shapes.append(flat)
            rows.append(mine[inside].astype(np.int32))
    told(1.0)
    return shapes, rows


def _flattened(pieces: list[tuple[F64, I64]], told: Told) -> Iterator[tuple[F64, I32]]:
    """Each piece flattened, here or in a process of its own."""
    total = sum(len(triangles) for _, triangles in pieces)
    if total <= _AT_ONCE:
        for points, triangles in pieces:
            yield flatten_piece(points, triangles)
        return
    command = [sys.executable, "-m", "lucky_fern.core.layout.charting"]
    worker = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
    answers: queue.Queue[tuple[F64, I32] | None] = queue.Queue()
    helpers = [threading.Thread(target=work, args=(worker, pieces, answers), name="fern-unwrap", daemon=True)
               for work in (_ask, _listen)]  # fmt: skip
    for helper in helpers:
        helper.start()
    try:
        done = 0
        for _, triangles in pieces:
            yield _next(answers, told, done, len(triangles), total)
            done += len(triangles)
    finally:
        worker.kill()
        for helper in helpers:
            helper.join()
        worker.wait()
        if worker.stdout is not None:
            worker.stdout.close()


def _next(
    answers: queue.Queue[tuple[F64, I32] | None], told: Told, done: int, count: int, total: int
) -> tuple[F64, I32]:
    """The next answer; meanwhile the share that is done is told, within a piece as time lets expect it."""
    begin = time.monotonic()
    while True:
        told((done + count * min(0.95, (time.monotonic() - begin) / (_EXPECTED * count))) / total)
        try:
            answer = answers.get(timeout=0.2)
        except queue.Empty:
            continue
        if answer is None:
            raise CommandError(
                tr("these faces cannot be unwrapped; select fewer of them, or flatten them along an axis")
            )
        return answer


def _ask(worker: subprocess.Popen[bytes], pieces: list[tuple[F64, I64]], answers: object) -> None:
    assert worker.stdin is not None
    try:
        send(worker.stdin, np.array(len(pieces)))
        for points, triangles in pieces:
            send(worker.stdin, points)
            send(worker.stdin, triangles)
    except OSError:
        pass  # it was ended; who listens notices
    finally:
        with contextlib.suppress(OSError):
            worker.stdin.close()


def _listen(
    worker: subprocess.Popen[bytes], pieces: list[tuple[F64, I64]], answers: queue.Queue[tuple[F64, I32] | None]
) -> None:
    assert worker.stdout is not None
    try:
        for _ in pieces:
            uv = receive(worker.stdout)
            answers.put((uv, receive(worker.stdout)))
    except (OSError, ValueError, EOFError):
        answers.put(None)
