"""A project being worked on: document, contents, history, and everything derived from them."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import msgspec
from msgspec.structs import replace

from lucky_fern.core.arrays import I64, Bool
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.errors import CommandError, ModelError, PictureError, ProjectError
from lucky_fern.core.files import read_file
from lucky_fern.core.layout.edit import after_edit, edit_layout
from lucky_fern.core.layout.row import Before, Told
from lucky_fern.core.model.load import ModelFiles, build, gather
from lucky_fern.core.model.model import Model
from lucky_fern.core.model.stored import REVISION, decode_layout, decode_model, encode_layout, encode_model
from lucky_fern.core.pictures.figure import Figure, figure_size, figure_svg
from lucky_fern.core.pictures.label import Label, label_png
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.pictures.picture import Picture, read_picture
from lucky_fern.core.pictures.sequences import Sequence, check_alike
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.commands import (
    AddPicture,
    AddSequence,
    Command,
    LayOut,
    Several,
)
from lucky_fern.core.project.document import KitPicture, ModelSource, Project
from lucky_fern.core.project.file import DOCUMENT, open_project, save_project
from lucky_fern.core.project.first_look import Look, read_look
from lucky_fern.core.project.history import History
from lucky_fern.core.project.kinds import LayoutEdit
from lucky_fern.core.project.references import needed_digests
from lucky_fern.core.sheets.faces import pack_faces
from lucky_fern.core.sheets.grid import Extent, SheetKey, square
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.words import tr

_SPARE = 64 << 20  # bytes left behind by strokes before they are cleared away


@dataclass(frozen=True)
class PreparedLayout:
    """An edit of the layout worked out: the command that does it, and what there is to say."""

    command: Several
    notes: tuple[str, ...]
    origin: I64 | None = None  # (T,) of which face of before each is a part, where faces were cut


@dataclass(frozen=True)
class _Ground:
    """A model made ready: as its file has it, and as it is laid out (None: as it is now)."""

    source: ModelSource
    base: Model
    model: Model | None


class Studio:
    """What one window (or one job) works on. Holds no pixels of its own; see ``sources``."""

    def __init__(self, project: Project, blobs: Blobs, model: Model) -> None:
        self.blobs = blobs
        self.model = model
        self.history = History(project)
        self.saved = project
        self.look: Look = {}  # what the maps of the file that it was opened from look like
        self.notes: list[str] = []  # what came up on the way and should be told
        self.surface = Surface(model)
        self.sources = Sources(self.surface, blobs)
        self._take_measured()
        self._base = model  # as its file has it
        self._laid_out = project.model.layout if project.model is not None else None  # the layout of ``model``
        self._built_from = project.model  # what ``_base`` was built from

    def _take_measured(self) -> None:
        """Give the survey what the project holds of it."""
        digest = self.project.measured
        if digest is not None:
            with suppress(msgspec.MsgspecError, KeyError):  # it is measured anew then
                self.sources.survey.take_along(msgspec.msgpack.decode(self.blobs[digest], type=dict[str, bytes]))

    @classmethod
    def new(cls, model_path: Path, name: str | None = None, sheet_size: Extent | int = 1024) -> Studio:
        """Start a project on a model file; a number for the sheets is a square's edge.

        Raises
        ------
        ModelError
            If the model cannot be used.
        """
        size = square(sheet_size) if isinstance(sheet_size, int) else sheet_size
        files = gather(model_path)
        model = build(files)
        blobs = Blobs()
        contents = {name: blobs.add(data) for name, data in files.files.items()}
        source = ModelSource(files.name, contents, blobs.add(encode_model(model)), REVISION)
        return cls(Project(name or model_path.stem, source, size), blobs, model)

    @classmethod
    def open(cls, path: Path) -> Studio:
        """Open a saved project; its name follows the file's.

        Raises
        ------
        ProjectError, ModelError
            If the file or the model inside it cannot be used.
        """
        project, blobs = open_project(path)
        studio = cls.of(project, blobs, path.name)
        studio.look = read_look(path, DOCUMENT)
        return studio

    @classmethod
    def of(cls, project: Project, blobs: Blobs, name: str) -> Studio:
        """A studio of a project and its contents; ``name`` is what sentences call it.

        Raises
        ------
        ProjectError
            If the model inside it cannot be used.
        """
        if project.model is None:
            raise ProjectError(tr("{name} holds no model; take an older copy of it.", name=name))
        source = project.model
        try:
            model = _model_of(source, blobs)
            if source.arrays is None or source.revision != REVISION:
                # Read anew this once: what is saved next opens quickly again.
                source = replace(source, arrays=blobs.add(encode_model(model)), revision=REVISION)
                project = replace(project, model=source)
            laid = model if source.layout is None else decode_layout(blobs[source.layout], model)
        except (ModelError, KeyError) as error:
            raise ProjectError(
                tr("the model inside {name} cannot be read: {error}", name=name, error=error)
            ) from error
        studio = cls(project, blobs, laid)
        studio._base = model
        return studio

    @property
    def base(self) -> Model:
        """The model as its file has it, without edits of its layout."""
        return self._base

    @property
    def project(self) -> Project:
        return self.history.now

    @property
    def changed(self) -> bool:
        """Whether there is something that is not saved."""
        return self.project is not self.saved and self.project != self.saved

    @property
    def warnings(self) -> tuple[str, ...]:
        return (*self.model.warnings, *self.surface.placement.warnings, *self.model.uv_warnings)

    def execute(self, command: Command, merge: bool = False) -> Project:
        """Do an edit; see :meth:`History.execute`. It is done whole or not at all.

        Raises
        ------
        CommandError
            If the edit makes no sense, or contents that it needs are not there (any more).
        """
        forgotten = self.history.forgotten
        after = command.apply(self.project)
        if any(digest and digest not in self.blobs for digest in command.brings()):
            raise CommandError(
                tr("what this edit needs is not in this project (any more); prepare it, or copy it, anew")
            )
        ready = self._ground(after)  # whatever is wrong with a model or layout is met before anything changes
        after = self.history.execute(command, merge, self._sizes(command))
        self.blobs.used(command.brings())
        if self.history.forgotten != forgotten:
            self._forget_pixels()
        self._stand_on(ready)
        return after

    def jump(self, at: int) -> Project:
        """Go to any step of the history."""
        steps = self.history.projects()
        ready = self._ground(steps[at]) if 0 <= at < len(steps) else None
        now = self.history.jump(at)
        self._stand_on(ready)
        return now

    def _ground(self, project: Project) -> _Ground | None:
        """The model of a project, if it is another one than now or laid out otherwise; nothing is changed."""
        source = project.model
        if source is None or (source.layout == self._laid_out and source is self._built_from):
            return None
        base, other = self._base, False
        if self._built_from is None or replace(source, layout=None) != replace(self._built_from, layout=None):
            base, other = _model_of(source, self.blobs), True
        elif source.layout == self._laid_out:
            return _Ground(source, base, None)
        if source.layout is None:
            return _Ground(source, base, base)
        if not other and source.layout == self._laid_out:
            return _Ground(source, base, self.model)
        return _Ground(source, base, decode_layout(self.blobs[source.layout], base))

    def _stand_on(self, ready: _Ground | None) -> None:
        """Have model, surface and sources be those made ready; they are new objects when the layout changed."""
        if ready is None:
            return
        self._base, self._built_from = ready.base, ready.source
        if ready.model is not None:
            self.model, self._laid_out = ready.model, ready.source.layout
            self.surface = Surface(self.model)
            self.sources = Sources(self.surface, self.blobs, pictures=self.sources)
            self._take_measured()

    def _sizes(self, command: Command) -> dict[str, int]:
        """Painted pixels and layouts that an edit brings: digest → bytes."""
        return {digest: len(self.blobs[digest]) for digest in command.brings() if digest in self.blobs}

    def tidy(self) -> None:
        """Let go of pixels that strokes left behind on their way, once they are many.

        Nobody may be compositing a project of the middle of a stroke any more.
        """
        if self.history.spare > _SPARE:
            self.history.spare = 0
            self._forget_pixels()

    # --- the layout -------------------------------------------------------------------------------------------

    def prepare_layout(
        self, edit: LayoutEdit, chosen: Bool | None = None, stay: bool = True, told: Told = lambda share: None
    ) -> PreparedLayout:
        """Work out an edit of the layout without doing it yet; can be called beside the window.

        Parameters
        ----------
        chosen : (T,) bool, the faces it is about; None for all.
        stay : whether what is painted or laid in UV space stays on the surface, or where it is in UV space.
        told : is told the share that is done; what it raises ends the work.

        Raises
        ------
        CommandError
            If the edit makes no sense for these faces.
        """
        edited = edit_layout(self.model, edit, chosen, self.project.size_of, told, self._base)
        digest = self.blobs.add(encode_layout(edited.model, self._base))
        first = LayOut(edit, digest, None if chosen is None else pack_faces(chosen))
        also, notes = after_edit(Before(self.project, self.surface, self.blobs, stay), edited, edit)
        return PreparedLayout(Several((first, *also), named=first.title), (*edited.notes, *notes), edited.origin)

    def lay_out(self, edit: LayoutEdit, chosen: Bool | None = None, stay: bool = True) -> tuple[str, ...]:
        """Do an edit of the layout; what there is to say about it."""
        prepared = self.prepare_layout(edit, chosen, stay)
        self.execute(prepared.command)
        return prepared.notes

    def _forget_pixels(self) -> None:
        """Let go of painted pixels that no step of the history shows any more."""
        projects = (*self.history.projects(), self.saved)
        self.blobs.keep_only(set[str]().union(*map(needed_digests, projects)))

    def add_picture(self, path: Path) -> str:
        """Read a picture file and put it into the kit; its id (the same file comes in once).

        Raises
        ------
        PictureError
            If it is missing or cannot be read.
        """
        return self.keep_picture(*read_picture_file(path), path)

    def prepare_picture(self, data: bytes, picture: Picture, file: Path | None = None) -> KitPicture:
        """A picture that was read from ``data``, those among the contents; nothing of the project changes."""
        place = "" if file is None else str(file.resolve())
        size = picture.width, picture.height
        return KitPicture(picture.name, self.blobs.add(data), *size, picture.taken, picture.about, file=place)

    def keep_picture(self, data: bytes, picture: Picture, file: Path | None = None) -> str:
        """Put a picture that was read from ``data`` into the kit; its id (the same contents come in once).

        ``file`` is remembered, to be read again when it changes.
        """
        digest = self.blobs.add(data)
        for identity, kit in self.project.pictures.items():
            if kit.digest == digest:
                return identity
        identity, name = picture.name, Path(picture.name)
        number = 2
        while identity in self.project.pictures:
            identity = f"{name.stem} {number}{name.suffix}"
            number += 1
        self.execute(AddPicture(identity, self.prepare_picture(data, picture, file)))
        return identity

    def prepare_label(self, text: Label) -> KitPicture:
        """A label drawn, its bytes among the contents; nothing of the project changes.

        Raises
        ------
        PictureError
            If it cannot be drawn.
        """
        data = label_png(text)
        picture = read_picture(data, "label.png")
        name = " ".join(text.text.split())[:40]
        return KitPicture(name, self.blobs.add(data), picture.width, picture.height, "colour", "label", text)

    def keep_label(self, text: Label) -> str:
        """Put a label into the kit; its id.

        Raises
        ------
        PictureError
            If it cannot be drawn.
        """
        return self._keep_drawn(self.prepare_label(text))

    def prepare_figure(self, figure: Figure) -> KitPicture:
        """A figure drawn, its bytes among the contents; nothing of the project changes.

        Raises
        ------
        PictureError
            If it cannot be drawn.
        """
        data = figure_svg(figure)
        width, height = figure_size(figure)
        name = f"{figure.form.capitalize()}.svg"
        return KitPicture(name, self.blobs.add(data), width, height, "colour", "figure", figure=figure)

    def keep_figure(self, figure: Figure) -> str:
        """Put a figure into the kit; its id.

        Raises
        ------
        PictureError
            If it cannot be drawn.
        """
        return self._keep_drawn(self.prepare_figure(figure))

    def _keep_drawn(self, kit: KitPicture) -> str:
        identity, number = kit.name, 2
        while identity in self.project.pictures:
            identity, number = f"{kit.name} {number}", number + 1
        self.execute(AddPicture(identity, kit))
        return identity

    def keep_sequence(self, found: Sequence, contents: dict[int, tuple[bytes, Picture]]) -> str:
        """Put a sequence's pictures into the kit, as one step; its id.

        Raises
        ------
        PictureError
            If they differ in size or depth; nothing has changed then.
        """
        check_alike(found.pattern, {tile: picture for tile, (_, picture) in contents.items()})
        identity, number = found.pattern, 2
        while identity in self.project.sequences:
            identity, number = f"{found.pattern} {number}", number + 1
        commands: list[AddPicture | AddSequence] = []
        tiles: dict[int, str] = {}
        for tile, (data, picture) in contents.items():
            name, number = picture.name, 2
            while name in self.project.pictures:
                name, number = f"{Path(picture.name).stem} {number}{Path(picture.name).suffix}", number + 1
            commands.append(AddPicture(name, self.prepare_picture(data, picture, found.files.get(tile))))
            tiles[tile] = name
        self.execute(Several((*commands, AddSequence(identity, tiles)), named="Add picture sequence"))
        return identity

    @property
    def pixel_art(self) -> frozenset[SheetKey]:
        """The sheets whose texels are meant to be seen."""
        return frozenset(key for key in self.surface.keys if self.project.is_pixel_art(key))

    def tiles(self) -> set[int]:
        """The tiles that the model has."""
        return {key.tile for key in self.surface.keys}

    def save(self, path: Path) -> None:
        """Save the project file.

        Raises
        ------
        ExportError
            If it cannot be written.
        """
        project = self.project
        self.write(path, project)
        self.saved = project

    def write(
        self,
        path: Path,
        project: Project,
        keep_previous: bool = False,
        told: Callable[[float], None] = lambda _: None,
        look: Look | None = None,
    ) -> None:
        """Write a state of the project as a file; can be called beside the window, which notes what was saved.

        ``look`` is what its maps look like, if that is known.

        With ``keep_previous`` a file that was there stays as ``NAME~``. ``told`` hears the share that is written;
        what it raises ends it, and leaves all as it was.

        Raises
        ------
        ExportError
            If it cannot be written; what was there stays.
        """
        save_project(path, project, self.blobs, keep_previous, told, look)


def _model_of(source: ModelSource, blobs: Blobs) -> Model:
    """The stored arrays of a model, or its files read anew where there are none that fit."""
    if source.arrays is not None and source.revision == REVISION:
        try:
            return decode_model(blobs[source.arrays])
        except ModelError:
            pass  # the files that they were made from are there too
    return build(ModelFiles(source.name, {name: blobs[digest] for name, digest in source.files.items()}))


def read_sequence(found: Sequence) -> dict[int, tuple[bytes, Picture]]:
    """The bytes and pictures of a sequence's files, tile by tile.

    Raises
    ------
    PictureError
        If one of them cannot be read.
    """
    return {tile: read_picture_file(path) for tile, path in sorted(found.files.items())}


def read_picture_file(path: Path, taken: Taken | None = None) -> tuple[bytes, Picture]:
    """A picture file's bytes and what they show; ``taken`` None lets it decide.

    Raises
    ------
    PictureError
        If the file is missing or cannot be read.
    """
    data = read_file(path, PictureError)
    return data, read_picture(data, path.name, taken)
