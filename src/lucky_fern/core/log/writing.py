"""Writing the log: at every step its contents first, then its line; onto the disk itself within a second."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import struct
import threading
import time
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from lucky_fern.core.log.delta import told
from lucky_fern.core.log.place import BASE, CONTENTS, LINES, PATH, Held, drop
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.document import FORMAT_VERSION, Project
from lucky_fern.core.project.history import Step
from lucky_fern.core.project.references import needed_digests

HEAD = struct.Struct("<32sQ")  # before each content: its SHA-256 and its length
AT_ONCE = 2 << 20  # bytes of contents that are written where the step is done; more goes on the log's own thread
_SYNC = 0.5  # seconds between two flushes onto the disk


@dataclass(frozen=True)
class Snapshot:
    """A history as it is at a moment: its steps, which of them is now, which was saved last, and as what."""

    steps: tuple[Step, ...]
    at: int
    saved: Project | None
    path: Path | None


class SessionLog:
    """Keeps the log of one session until it ends well.

    :meth:`note` is called whenever the history may be another one. What it writes is in the system's hands when it
    returns, so that it outlives the program; a thread flushes it onto the disk, so that it outlives the power. Where
    a step brought more than 2 MB, that thread writes it, and what follows it, right afterwards.
    """

    def __init__(self, held: Held, blobs: Blobs, base: Path | None, failed: Callable[[str], object]) -> None:
        """``base`` is the project file that the session began with; ``failed`` is told once why nothing is kept."""
        self._held, self._blobs, self._failed = held, blobs, failed
        self._lines = (held.folder / LINES).open("ab", buffering=0)
        self._contents = (held.folder / CONTENTS).open("ab", buffering=0)
        self._steps: tuple[Step, ...] = ()  # as they stand in the log
        self._last: tuple[int, int, str | None] | None = None
        self._known: set[str] = set()  # contents that are in the log, or in the base
        self._waiting: Snapshot | None = None
        self._news = threading.Condition()
        self._writing = threading.Lock()
        self._dirty = self._stop = self._broken = False
        self._base_kept = False
        if base is not None:
            self._keep_base(base)
        self._thread = threading.Thread(target=self._work, name="fern-log", daemon=True)
        self._thread.start()

    @property
    def folder(self) -> Path:
        return self._held.folder

    def _keep_base(self, base: Path) -> None:
        """The file is kept under a second name: it stays as it is when another takes its place."""
        target = self._held.folder / BASE
        try:
            try:
                os.link(base, target)
            except OSError:  # another disk, or one without links
                shutil.copyfile(base, target)
            self._base_kept = True
        except OSError:
            with contextlib.suppress(OSError):
                target.unlink()

    def begin(self, project: Project, name: str, path: Path | None) -> None:
        """Say where the session begins. What the base holds is not written again."""
        if self._base_kept:
            self._known = needed_digests(project) & self._blobs.filed
        self._write({"lucky-fern": FORMAT_VERSION, "name": name, "path": None if path is None else str(path),
                     "base": self._base_kept})  # fmt: skip

    def note(self, now: Snapshot) -> None:
        """Write what is new in the history."""
        if self._broken:
            return
        with self._news:
            if self._waiting is not None or self._is_much(now):
                self._waiting = now
                self._news.notify_all()  # the writer, and whoever waits for it
                return
        self._put(now)

    def flush(self) -> bool:
        """Wait until all that was noted is on the disk itself; whether it is. Not for the window's thread."""
        with self._news:
            self._news.wait_for(lambda: self._waiting is None or self._stop)
        self._sync()
        return not self._broken and not self._stop

    def end(self, well: bool = True) -> None:
        """Stop; where it ended ``well`` nothing is left behind."""
        with self._news:
            self._stop = True
            self._news.notify_all()
        self._thread.join(30)
        self._lines.close()
        self._contents.close()
        if well:
            drop(self._held)
        else:
            self._held.release()

    # --- writing --------------------------------------------------------------------------------------------

    def _new_steps(self, now: Snapshot) -> tuple[int, tuple[Step, ...]]:
        """How many steps stay as they stand in the log, and those after them."""
        first = now.steps[0] if now.steps else None
        # Steps that the history let go of at its beginning stay in the log: they cost nothing and do no harm.
        begin = next((k for k, step in enumerate(self._steps) if first is not None and _same(step, first)), 0)
        count = 0
        while (
            begin + count < len(self._steps) and count < len(now.steps)
            and _same(self._steps[begin + count], now.steps[count])
        ):  # fmt: skip
            count += 1
        return begin + count, now.steps[count:]

    def _is_much(self, now: Snapshot) -> bool:
        """Whether what is new is more than is written at once."""
        keep, steps = self._new_steps(now)
        fresh = {digest for step in steps for digest in step.brought}
        if not keep and steps:  # where it all begins, a project needs more than its step brought
            fresh |= needed_digests(steps[0].project)
        sizes = [self._blobs.size_of(digest) for digest in fresh - self._known if digest in self._blobs]
        return None in sizes or sum(size for size in sizes if size is not None) > AT_ONCE

    def _put(self, now: Snapshot) -> None:
        with self._writing:
            try:
                self._put_steps(now)
            except KeyError:
                pass  # contents that the history let go of since: what comes next tells of a newer state
            except OSError as error:
                self._broken = True
                self._failed(f"What you do is not kept against a crash any more ({error.strerror}); save often.")

    def _put_steps(self, now: Snapshot) -> None:
        keep, steps = self._new_steps(now)
        before = self._steps[keep - 1].project if keep else None
        records = []
        for step in steps:
            for digest in sorted(needed_digests(step.project) - self._known):
                self._put_content(digest)
            records.append({"title": step.title, "set": told(before, step.project)})
            before = step.project
        self._steps = (*self._steps[:keep], *steps)
        at = keep + len(steps) - (len(now.steps) - now.at)
        saved = next((k for k in reversed(range(len(self._steps))) if self._steps[k].project is now.saved), -1)
        state = (at, saved, None if now.path is None else str(now.path))
        if records or state != self._last:
            if self._last is None or self._last[2] != state[2]:
                (self._held.folder / PATH).write_text(state[2] or "", encoding="utf-8", errors="surrogateescape")
            self._last = state
            self._write({"keep": keep, "steps": records, "at": at, "saved": saved, "path": state[2],
                         "time": time.time()})  # fmt: skip

    def _put_content(self, digest: str) -> None:
        data = self._blobs[digest]
        _all(self._contents.fileno(), HEAD.pack(bytes.fromhex(digest), len(data)))
        _all(self._contents.fileno(), data)
        self._known.add(digest)

    def _write(self, record: dict[str, Any]) -> None:
        text = json.dumps(record, separators=(",", ":"), ensure_ascii=False).encode("utf-8", "surrogatepass")
        _all(self._lines.fileno(), b"%08x %s\n" % (zlib.crc32(text), text))
        self._dirty = True

    def _work(self) -> None:
        while True:
            with self._news:
                if self._waiting is None and not self._stop:
                    self._news.wait(_SYNC)
                now, stop = self._waiting, self._stop
            if now is not None:
                self._put(now)
                with self._news:
                    if self._waiting is now:  # otherwise more was done meanwhile
                        self._waiting = None
                        self._news.notify_all()
                continue
            if self._dirty:
                self._sync()
            if stop:
                return

    def _sync(self) -> None:
        self._dirty = False
        # A disk that refuses was told of; a file that is closed is done.
        with contextlib.suppress(OSError, ValueError):
            os.fdatasync(self._contents.fileno())
            os.fdatasync(self._lines.fileno())


def _same(one: Step, other: Step) -> bool:
    return one is other or (one.project is other.project and one.title == other.title)


def _all(file: int, data: bytes) -> None:
    """Write all of it, however much the system takes at a time."""
    view = memoryview(data)
    while view:
        view = view[os.write(file, view) :]
