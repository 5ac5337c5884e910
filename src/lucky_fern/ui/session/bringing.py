"""Bringing pictures in: files become kit pictures, sequences wait for a word, drops become layers."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.arrays import F64
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.pictures.naming import set_of, set_stem, tile_name
from lucky_fern.core.pictures.picture import SUFFIXES, Picture, read_picture
from lucky_fern.core.pictures.sequences import Sequence, check_alike, find_sequences
from lucky_fern.core.picturing import Reloaded, reload, with_original
from lucky_fern.core.placing.facts import better_draped
from lucky_fern.core.placing.pose import drop_thrown, in_mode
from lucky_fern.core.placing.whole_texels import dropped
from lucky_fern.core.preparing.rims import Rim, find_rim
from lucky_fern.core.project.commands import AddLayer, PreparePicture, free_name
from lucky_fern.core.project.document import Channel, Decal, Wash
from lucky_fern.core.project.kinds import Place
from lucky_fern.core.project.places import Drape, Throw
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.picking import SurfaceHit
from lucky_fern.core.studio import Studio, read_picture_file, read_sequence
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.habits import Habits
from lucky_fern.ui.session.work import Work
from lucky_fern.words import counted, tr

PIXEL_ART = 64  # pixels; smaller pictures keep their pixels square


@dataclass(frozen=True)
class Arrival:
    """A sequence that was read and waits."""

    sequence: Sequence
    contents: dict[int, tuple[bytes, Picture]]


class Bringing(QObject):
    """Reads beside the window; what it finds lands through the work."""

    waiting_changed = Signal()
    rim_found = Signal(str, object)  # a picture of the kit, and the rim along its alpha

    def __init__(self, work: Work, errands: Errands, habits: Habits) -> None:
        super().__init__()
        self.work, self.errands, self.habits = work, errands, habits
        self.waiting: list[Arrival] = []
        # Who takes a file in itself, because more is known of it there: whether it does.
        self.shelves: list[Callable[[Path, Callable[[str], object]], bool]] = []

    def bring(self, paths: Iterable[Path], then: Callable[[str], object] | None = None) -> None:
        """Take picture files in; ``then`` gets the kit's name of each that belongs to no sequence."""
        studio = self.work.studio
        if studio is None:
            self.work.said.emit(tr("Open a model first; pictures come after it."), True)
            return
        paths = [path for path in paths if not any(shelf(path, then or _nothing) for shelf in self.shelves)]
        try:
            sequences, single = find_sequences(paths)
        except LuckyFernError as error:
            self.work.said.emit(str(error), True)
            return
        # One file whose number is no tile of the model and that has no fellows is just a picture.
        alone = [one for one in sequences if len(one.files) == 1 and not one.files.keys() & studio.tiles()]
        single += [path for one in alone for path in one.files.values()]
        sequences = [one for one in sequences if one not in alone]
        if sequences:
            self.errands.send(
                tr("Reading {pattern} …", pattern=sequences[0].pattern),
                lambda: [_read(one) for one in sequences],
                lambda found: self._wait(studio, found),
            )
        done: set[Path] = set()
        for path in single:
            if path in done:
                continue
            mates = _mates(path)
            lead = mates.get("colour", path)
            for mate in mates.values():
                if mate != lead:
                    self._bring_one(studio, mate, None)
            self._bring_one(studio, lead, then)
            done.update(mates.values())

    def bring_data(self, data: bytes, name: str, then: Callable[[str], object] | None = None) -> None:
        """Take in a picture that is no file: what was copied in another program."""
        studio = self.work.studio
        if studio is None:
            self.work.warn(tr("Open a model first; pictures come after it."))
        else:
            self._read(studio, name, lambda: (data, read_picture(data, name)), then)

    def _bring_one(self, studio: Studio, path: Path, then: Callable[[str], object] | None) -> None:
        self._read(studio, path.name, lambda: read_picture_file(path), then, path)

    def _read(
        self,
        studio: Studio,
        name: str,
        read: Callable[[], tuple[bytes, Picture]],
        then: Callable[[str], object] | None,
        file: Path | None = None,
    ) -> None:
        def work() -> tuple[bytes, Picture, Rim | None]:
            data, picture = read()
            return data, picture, find_rim(picture.rgba) if picture.taken == "colour" else None

        def keep(found: tuple[bytes, Picture, Rim | None]) -> None:
            if self.work.studio is not studio:
                return
            data, picture, rim = found
            identity = studio.keep_picture(data, picture, file)
            self.work.refresh()
            notes = "".join(f" {note[0].upper()}{note[1:]}." for note in picture.notes)
            self.work.said.emit(
                tr(
                    "{name}: {about}, taken as {taken}.{notes}",
                    name=name,
                    about=picture.about,
                    taken=picture.taken,
                    notes=notes,
                ),
                False,
            )
            if then is not None:
                then(identity)
            if rim is not None:
                self.rim_found.emit(identity, rim)

        self.errands.send(tr("Reading {name} …", name=name), work, keep)

    def replace(self, picture: str, path: Path) -> None:
        """Put a file in the place of a picture of the kit; all that shows it shows that, and its ops run again."""
        studio = self.work.studio
        if studio is None:
            return

        def work(told: Callable[[float], None]) -> PreparePicture:
            data, read = read_picture_file(path)
            return with_original(studio, picture, data, read, told, path)

        def done(command: PreparePicture) -> None:
            if self.work.studio is studio and self.work.execute(command):
                self.work.say(tr("{picture} is made from {name} now.", picture=picture, name=path.name))

        self.errands.send_long(tr("Reading {name} …", name=path.name), work, done)

    def reload(self) -> None:
        """Read pictures of the kit again whose files have changed since."""
        studio = self.work.studio
        if studio is None:
            return

        def done(found: Reloaded) -> None:
            if found.command is not None:
                self.work.execute(found.command)
            few = len(found.names) < 6
            names = ", ".join(found.names) if few else counted(len(found.names), "picture")
            said = tr("Read again: {names}.", names=names) if names else tr("No file changed.")
            missing = tr(" No file any more for {names}.", names=", ".join(found.missing)) if found.missing else ""
            self.work.said.emit(said + missing, bool(found.missing))

        place = None if self.work.path is None else self.work.path.parent
        self.errands.send_long(tr("Reading changed pictures …"), lambda told: reload(studio, place, told), done)

    # --- sequences --------------------------------------------------------------------------------------------

    def _wait(self, studio: Studio, found: list[Arrival]) -> None:
        if self.work.studio is studio:
            self.waiting = found
            self.waiting_changed.emit()

    def decline(self) -> None:
        """Nothing lands."""
        self.waiting = []
        self.waiting_changed.emit()

    def accept(self, maps: list[str | None]) -> None:
        """Make one wash of what waits, each sequence on its map."""
        studio, waiting = self.work.studio, self.waiting
        self.decline()
        chosen = {name: arrival for name, arrival in zip(maps, waiting, strict=True) if name is not None}
        if studio is None or not chosen:
            return
        channels = {}
        for name, arrival in chosen.items():
            channels[name] = Channel("picture", picture=studio.keep_sequence(arrival.sequence, arrival.contents))
        title = Path(next(iter(chosen.values())).sequence.pattern).stem.partition("<")[0].strip("._- ") or tr("Tiles")
        self.work.execute(AddLayer(free_name(studio.project, title), Wash(by="tiles"), channels))

    # --- drops ------------------------------------------------------------------------------------------------

    def drop_on_surface(
        self, picture: str, hit: SurfaceHit, view_up: F64, then: Callable[[], object] = lambda: None
    ) -> bool:
        """Place a kit picture where it was dropped in the model view, then do ``then``.

        Which way it keeps its shape is found out beside the window.
        """
        studio = self.work.studio
        if studio is None:
            return False
        if picture in studio.project.sequences:
            if self._add_tiles(studio, picture):
                then()
            return True
        kit = studio.project.pictures[picture]
        proportion = kit.height / kit.width
        thrown = drop_thrown(studio.model, hit, proportion, view_up)

        def land(place: Place) -> None:
            if self.work.studio is studio and self._add_decal(studio, picture, place):
                then()

        self.errands.send(tr("Placing …"), lambda: self._in_shape(studio, thrown, thrown.width * proportion), land)
        return True

    @staticmethod
    def _in_shape(studio: Studio, thrown: Throw, height: float) -> Place:
        """Thrown, or draped where throwing would stretch it."""
        draped = in_mode(studio.surface, thrown, height, "drape")
        assert isinstance(draped, Drape)
        pose = studio.sources.pose
        keeps = better_draped(studio.model, pose(thrown, height, None), lambda: pose(draped, height, None))
        return draped if keeps else thrown

    def drop_on_sheet(self, picture: str, key: SheetKey, uv: F64) -> bool:
        """Place a kit picture where it was dropped in the sheet view."""
        studio = self.work.studio
        if studio is None:
            return False
        if picture in studio.project.sequences:
            return self._add_tiles(studio, picture)
        project, kit = studio.project, studio.project.pictures[picture]
        size, exact = project.size_of(key), project.is_pixel_art(key)
        return self._add_decal(studio, picture, dropped(uv, key, size, (kit.width, kit.height), exact))

    def _add_decal(self, studio: Studio, picture: str, place: Place) -> bool:
        kit = studio.project.pictures[picture]
        small = max(kit.width, kit.height) <= PIXEL_ART
        content = Decal(picture, place, "nearest" if small else "smooth")
        mates = set_of(kit.name, [other.name for other in studio.project.pictures.values()])
        named = {other.name: identity for identity, other in studio.project.pictures.items()}
        own = next((name for name, file in mates.items() if file == kit.name), "colour")
        channels = {
            name: Channel("picture", picture=None if name == own else named[file]) for name, file in mates.items()
        }
        if kit.covers:  # it says where, not what colour
            channels["colour"] = Channel(self.habits.label_style.colour)
        said = kit.name if kit.text is not None else Path(kit.name).stem.replace("-", " ").capitalize()
        name = free_name(studio.project, said)
        return self.work.execute(AddLayer(name, content, channels))

    def _add_tiles(self, studio: Studio, sequence: str) -> bool:
        target = Sequence(sequence).map or "colour"
        title = Path(sequence).stem.partition("<")[0].strip("._- ") or tr("Tiles")
        channels = {target: Channel("picture", picture=sequence)}
        return self.work.execute(AddLayer(free_name(studio.project, title), Wash(by="tiles"), channels))


def _nothing(_: str) -> None:
    """Nobody waits for it."""


def _mates(path: Path) -> dict[str, Path]:
    """Map → file of the pictures beside a file that make a set with it (logo_baseColor, logo_normal …)."""
    try:
        files = {one.name: one for one in sorted(path.parent.iterdir()) if one.suffix.lower() in SUFFIXES}
    except OSError:
        files = {}
    found = set_of(path.name, [name for name in files if tile_name(name) is None])
    return {name: files.get(file, path) for name, file in found.items()} if set_stem(path.name) else {"colour": path}


def _read(sequence: Sequence) -> Arrival:
    contents = read_sequence(sequence)
    check_alike(sequence.pattern, {tile: picture for tile, (_, picture) in contents.items()})
    return Arrival(sequence, contents)
