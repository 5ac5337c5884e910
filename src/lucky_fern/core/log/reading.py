"""Reading logs of sessions that did not end well, as far as they are whole."""

from __future__ import annotations

import hashlib
import json
import mmap
import os
import time
import zlib
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, cast, get_type_hints

from msgspec import MsgspecError
from msgspec.structs import replace

from lucky_fern.core.errors import ProjectError
from lucky_fern.core.log.delta import Plain, applied
from lucky_fern.core.log.place import BASE, CONTENTS, LINES, PATH, drop, ended, session_of
from lucky_fern.core.log.writing import HEAD
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.checking import check_project
from lucky_fern.core.project.document import FORMAT_VERSION, Layer, Project
from lucky_fern.core.project.file import open_project
from lucky_fern.core.project.history import History, Step
from lucky_fern.core.project.kinds import convert
from lucky_fern.core.project.migrations import migrated
from lucky_fern.core.project.references import needed_digests
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr

# What states raise that are well-formed and mean nothing.
_SENSELESS = (MsgspecError, ProjectError, KeyError, TypeError, ValueError, IndexError)


@dataclass(frozen=True)
class Lost:
    """A session with steps that are not saved: ``when`` the last was done (seconds since 1970, UTC), how many."""

    id: str
    name: str
    when: float
    steps: int

    def as_json(self) -> dict[str, object]:
        """As ``lucky-fern recover --json`` tells it; the time in ISO 8601."""
        when = time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime(self.when))
        return {"id": self.id, "name": self.name, "when": when, "steps": self.steps}


@dataclass
class _Line:
    """The log put together: titles and plain states, which is now, which was saved."""

    version: int
    name: str
    base: bool
    path: str | None
    titles: list[str] = field(default_factory=list)
    states: list[Plain] = field(default_factory=list)
    at: int = 0
    saved: int = -1
    when: float = 0.0

    @property
    def unsaved(self) -> int:
        """How many steps lie between what was saved (or opened) and now."""
        return abs(self.at - self.saved) if self.saved >= 0 else max(self.at, 1)


def lost_sessions(root: Path | None = None) -> list[Lost]:
    """Sessions that did not end well and hold something that is not saved, newest first; others are cleared away."""
    found = []
    for held in ended(root):
        line = _line_of(held.folder)
        if line is None or not line.states or line.unsaved == 0:
            drop(held)
        else:
            found.append(Lost(held.folder.name, line.name, line.when, line.unsaved))
    return found


def recovered(name: str, root: Path | None = None) -> tuple[Studio, Path | None]:
    """The studio of a session as it was, with its history, and the file that it was saved as last.

    What the end tore off is left out; states whose contents are not whole are left out with all that came after.

    Raises
    ------
    ProjectError, ModelError
        If there is no such session, or nothing of it can be read.
    """
    held = session_of(name, root)
    try:
        line = _line_of(held.folder)
        if line is None or not line.states:
            raise ProjectError(tr("nothing of the session {name} can be read; it holds no whole step.", name=name))
        blobs = Blobs()
        if line.base:
            _, blobs = open_project(held.folder / BASE)
            blobs.fetch()
        _take_contents(held.folder / CONTENTS, blobs)
        return _studio(line, blobs, name), None if line.path is None else Path(line.path)
    finally:
        held.release()


def path_of(folder: Path) -> Path | None:
    """The project file that a session works on, if it has one yet."""
    try:
        text = (folder / PATH).read_text(encoding="utf-8", errors="surrogateescape")
    except OSError:
        return None
    return Path(text).resolve() if text else None


def forget(name: str, root: Path | None = None) -> None:
    """Forget a session.

    Raises
    ------
    ProjectError
        If there is none of that name, or it still runs.
    """
    drop(session_of(name, root))


def _studio(line: _Line, blobs: Blobs, name: str) -> Studio:
    steps: list[Step] = []
    known: set[str] = set()
    made = _Documents()
    for title, state in zip(line.titles, line.states, strict=True):
        try:
            project = made.project(state) if line.version == FORMAT_VERSION else _old(state, line.version)
            check_project(project, name)
        except _SENSELESS as error:
            if steps:
                break
            raise ProjectError(tr("nothing of the session {name} can be read; it is damaged.", name=name)) from error
        needed = needed_digests(project)
        if any(digest not in blobs for digest in needed):
            break
        steps.append(Step(title, project, {digest: len(blobs[digest]) for digest in needed - known}))
        known |= needed
    if not steps:
        raise ProjectError(tr("nothing of the session {name} can be read; its contents are not whole.", name=name))
    at = min(max(line.at, 0), len(steps) - 1)
    studio = Studio.of(steps[at].project, blobs, name)
    if studio.project is not steps[at].project:  # its model was read anew
        steps[at] = Step(steps[at].title, studio.project, steps[at].brought)
    studio.history = History.restored(steps, at)
    if 0 <= line.saved < len(steps):
        studio.saved = steps[line.saved].project
    elif at > 0 or line.saved < 0:
        studio.saved = Project(line.name)
    return studio


def _old(state: Plain, version: int) -> Project:
    return cast(Project, convert(migrated(state, version), Project))


class _Documents:
    """Makes documents of plain states; of parts that states share one object each, as in a history that was lived."""

    def __init__(self) -> None:
        self._hints = get_type_hints(Project)
        self._made: dict[
            tuple[str, int], tuple[object, object]
        ] = {}  # what it was made of is kept, so ids stay its own

    def project(self, state: Plain) -> Project:
        fields = {name: self._part(name, value) for name, value in state.items() if name != "layers"}
        return Project(**fields, layers=tuple(self._layer(layer) for layer in state["layers"]))

    def _part(self, name: str, value: object) -> Any:
        found = self._made.get((name, id(value)))
        if found is None:
            found = self._made[name, id(value)] = (convert(value, self._hints[name]), value)
        return found[0]

    def _layer(self, plain: Plain) -> Layer:
        found = self._made.get(("", id(plain)))
        if found is None:
            inside = plain["content"].get("layers")
            alone = {**plain, "content": {**plain["content"], "layers": []}} if inside else plain
            layer = cast(Layer, convert(alone, Layer))
            if inside:
                children = tuple(self._layer(child) for child in inside)
                layer = replace(layer, content=layer.content.holding(children))
            found = self._made["", id(plain)] = (layer, plain)
        return cast(Layer, found[0])


# --- the files ----------------------------------------------------------------------------------------------------


def _line_of(folder: Path) -> _Line | None:
    """What the log says, up to the first line that is not whole; None if not even its head is."""
    try:
        data = (folder / LINES).read_bytes()
    except OSError:
        return None
    line: _Line | None = None
    for raw in data.split(b"\n"):
        record = _record(raw)
        if record is None:
            break
        try:
            if line is None:
                line = _Line(record["lucky-fern"], record["name"], record["base"], record["path"])
            else:
                _go_on(line, record)
        except (KeyError, TypeError, ValueError, IndexError):
            break
    return line


def _record(raw: bytes) -> dict[str, Any] | None:
    if len(raw) < 10 or raw[8:9] != b" ":
        return None
    try:
        if zlib.crc32(raw[9:]) != int(raw[:8], 16):
            return None
        found = json.loads(raw[9:])
    except (ValueError, RecursionError):
        return None
    return found if isinstance(found, dict) else None


def _go_on(line: _Line, record: dict[str, Any]) -> None:
    keep = record["keep"]
    states, titles = line.states[:keep], line.titles[:keep]
    for step in record["steps"]:
        states.append(applied(states[-1] if states else None, step["set"]))
        titles.append(step["title"])
    line.states, line.titles = states, titles
    line.at, line.saved, line.when, line.path = record["at"], record["saved"], record["time"], record["path"]


def _take_contents(path: Path, blobs: Blobs) -> None:
    """Contents that are whole; their own sums tell. What a torn end holds is left out."""
    try:
        file = path.open("rb")
    except OSError:
        return
    with file:
        size = os.fstat(file.fileno()).st_size
        if not size:
            return
        view = mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)
        at = 0
        while at + HEAD.size <= size:
            digest, length = HEAD.unpack_from(view, at)
            at += HEAD.size
            if at + length > size:
                break
            data = view[at : at + length]
            if hashlib.sha256(data).digest() == digest:
                blobs.put(digest.hex(), data)
            at += length
        view.close()
