"""Wavefront OBJ: an own reader, since per-corner UVs, groups and materials must all survive.

Reference: "Object Files (.obj)", Wavefront Technologies, Advanced Visualizer Manual, appendix B1.
"""

import numpy as np

from lucky_fern.core.arrays import I64, U8, Array
from lucky_fern.core.errors import ModelError
from lucky_fern.core.model.assemble import RawFaces
from lucky_fern.core.model.obj_runs import (
    FACE,
    NORMAL,
    OTHER,
    POINT,
    TENS,
    UV,
    WANTED,
    lines_of,
    read_faces,
    read_numbers,
)
from lucky_fern.words import tr

_SHORT = 32  # lines that are not worth more than being read one by one
_BLOCK = 65536  # lines that are read at once
_MOST_SINGLE = 4096  # lines read one by one before many are tried again
_IGNORED = {"s", "l", "p", "vp", "cstype", "deg", "curv", "surf", "end", "parm", "mg", "lod", "shadow_obj"}


def read_obj(data: bytes, name: str) -> RawFaces:
    """Read the faces of an OBJ file.

    Parameters
    ----------
    data : the file's bytes; UTF-8, other bytes are kept as Latin-1 would.
    name : the file's name, for sentences.

    Raises
    ------
    ModelError
        For a line that cannot be understood or an index that points nowhere, naming file and line.
    """
    return _Reader(name).read(_text(data))


def material_libraries(data: bytes) -> list[str]:
    """The MTL files that an OBJ names, in order."""
    text = _text(data)
    if "mtllib " not in text:  # what most long files are
        return []
    found = [words[1].strip() for line in text.splitlines()
             if line.startswith("mtllib ") and len(words := line.split(None, 1)) > 1]  # fmt: skip
    return list(dict.fromkeys(found))


def read_mtl(data: bytes) -> dict[str, dict[str, str]]:
    """The materials of an MTL file: name → statement → rest of its line (``Kd``, ``map_Kd``, …)."""
    materials: dict[str, dict[str, str]] = {}
    current: dict[str, str] | None = None
    for line in _text(data).splitlines():
        word, _, rest = line.strip().partition(" ")
        if word == "newmtl":
            current = materials.setdefault(rest.strip(), {})
        elif current is not None and word and not word.startswith("#"):
            current[word] = rest.strip()
    return materials


def _text(data: bytes) -> str:
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        text = data.decode("utf-16", errors="replace")
    else:
        try:
            text = data.decode("utf-8-sig")
        except UnicodeDecodeError:
            text = data.decode("latin-1")
    return text.replace("\\\r\n", " ").replace("\\\n", " ") if "\\" in text else text


class _Rows:
    """Rows that grow one by one, or many at once."""

    def __init__(self, width: int, dtype: type) -> None:
        self._width, self._dtype = width, dtype
        self._blocks: list[Array] = []
        self._last: list[object] = []
        self._done = 0

    def __len__(self) -> int:
        return self._done + len(self._last)

    def append(self, row: object) -> None:
        self._last.append(row)

    def extend(self, rows: Array) -> None:
        """Put many below (n, width)."""
        self._settle()
        self._blocks.append(rows)
        self._done += len(rows)

    def _settle(self) -> None:
        if self._last:
            self._blocks.append(np.array(self._last, self._dtype).reshape(-1, self._width))
            self._done += len(self._last)
            self._last = []

    def all(self, *more: Array) -> Array:
        """(n, width) all of them."""
        self._settle()
        nothing: Array = np.zeros((0, self._width), self._dtype)
        return np.concatenate([nothing, *self._blocks, *more])


class _Reader:
    """The rows that grow while the lines go by."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.points = _Rows(3, np.float64)
        self.uvs = _Rows(2, np.float64)
        self.normals = _Rows(3, np.float64)
        self.colours: dict[int, list[float]] = {}
        self.sizes = _Rows(1, np.int64)
        self.corners = _Rows(3, np.int64)
        self.owners = _Rows(2, np.int64)  # the material and the part of each face
        self.materials: dict[str, int] = {}
        self.parts: dict[str, int] = {}
        self.object = self.group = ""
        self.material_now = -1
        self.part_now = -1
        self.short_faces = 0
        self.strange: dict[str, int] = {}

    def fail(self, number: int, what: str) -> ModelError:
        return ModelError(
            tr(
                "{name} line {number}: {what}. Export the model again or mend that line.",
                name=self.name,
                number=number,
                what=what,
            )
        )

    def read(self, text: str) -> RawFaces:
        found = lines_of(text)
        if found is None:
            for number, line in enumerate(text.splitlines(), 1):
                self.line(line, number)
            return self.finish()
        raw, starts, kinds = found
        begins = np.flatnonzero(np.diff(kinds, prepend=255)).tolist() if len(kinds) else []
        for begin, end in zip(begins, [*begins[1:], len(kinds)], strict=True):
            kind = int(kinds[begin])
            if kind == OTHER or end - begin < _SHORT:
                self.lines(raw, starts, begin, end)
                continue
            at, single = begin, 1
            while at < end:
                last = min(at + _BLOCK, end)
                read = self.run(raw, starts, at, last, kind)
                at += read
                if at < last:
                    # What is out of the ordinary seldom stands alone: ever more lines before many are tried again.
                    single = 1 if read else min(2 * single, _MOST_SINGLE)
                    self.lines(raw, starts, at, min(at + single, end))
                    at = min(at + single, end)
        return self.finish()

    def run(self, raw: U8, starts: I64, first: int, last: int, kind: int) -> int:
        """Read lines of one kind as far as they are plain; how many."""
        if kind == FACE:
            return self.faces(raw, starts, first, last)
        rows, skip, most = {POINT: (self.points, 2, 3), UV: (self.uvs, 3, 3), NORMAL: (self.normals, 3, 3)}[kind]
        out = np.empty((last - first, WANTED[kind]))
        read = read_numbers(raw, starts, first, last, skip, most, TENS, out)
        if read:
            rows.extend(out[:read])
        return read

    def faces(self, raw: U8, starts: I64, first: int, last: int) -> int:
        text = raw[starts[first] : starts[last]]
        most = int(np.count_nonzero((text == 32) | (text == 9))) + 1  # every corner stands behind a gap
        sizes, corners = np.empty(last - first, np.int64), np.empty((most, 3), np.int64)
        read, used = read_faces(
            raw, starts, first, last, len(self.points), len(self.uvs), len(self.normals), sizes, corners
        )
        if read:
            self.corners.extend(corners[:used])
            self.sizes.extend(sizes[:read, None])
            self.owners.extend(np.tile(np.array(self.owner(), np.int64), (read, 1)))
        return read

    def lines(self, raw: U8, starts: I64, first: int, last: int) -> None:
        """Read lines one by one."""
        text = raw[starts[first] : starts[last]].tobytes().decode()
        for number, line in enumerate(text.splitlines(), first + 1):
            self.line(line, number)

    def line(self, line: str, number: int) -> None:
        words = line.split()
        if words and words[0][0] != "#":
            self.statement(words, number)

    def statement(self, words: list[str], number: int) -> None:
        word = words[0]
        if word == "v":
            self.points.append(self.floats(words, 3, number))
            if len(words) >= 7:  # not of the standard, but common: a colour behind the point
                self.colours[len(self.points) - 1] = self.floats(words[3:], 3, number)
        elif word == "vt":
            self.uvs.append(self.floats(words if len(words) > 2 else [*words, "0"], 2, number))
        elif word == "vn":
            self.normals.append(self.floats(words, 3, number))
        elif word == "f":
            self.face(words, number)
        elif word in ("o", "g"):
            text = " ".join(words[1:])
            if word == "o":
                self.object, self.group = text, ""
            else:
                self.group = text
            self.part_now = -1
        elif word == "usemtl":
            self.material_now = self.materials.setdefault(" ".join(words[1:]) or "default", len(self.materials))
        elif word != "mtllib" and word not in _IGNORED:
            self.strange[word] = self.strange.get(word, number)

    def floats(self, words: list[str], count: int, number: int) -> list[float]:
        try:
            values = [float(word) for word in words[1 : count + 1]]
        except ValueError:
            raise self.fail(number, f"'{' '.join(words)[:60]}' holds something that is not a number") from None
        if len(values) < count:
            raise self.fail(number, f"'{words[0]}' needs {count} numbers and has {len(values)}")
        return values

    def face(self, words: list[str], number: int) -> None:
        if len(words) < 4:
            self.short_faces += 1
            return
        counts = (len(self.points), len(self.uvs), len(self.normals))
        for word in words[1:]:
            self.corners.append(self.corner(word, counts, number))
        self.sizes.append(len(words) - 1)
        self.owners.append(self.owner())

    def owner(self) -> tuple[int, int]:
        """The material and the part that faces belong to now."""
        if self.material_now < 0:
            self.material_now = self.materials.setdefault("default", len(self.materials))
        if self.part_now < 0:
            name = "/".join(piece for piece in (self.object, self.group) if piece)
            self.part_now = self.parts.setdefault(name, len(self.parts))
        return self.material_now, self.part_now

    def corner(self, word: str, counts: tuple[int, int, int], number: int) -> tuple[int, int, int]:
        """``v``, ``v/vt``, ``v//vn`` or ``v/vt/vn`` as rows counted from 0; -1 where left out."""
        pieces = word.split("/")
        result = [-1, -1, -1]
        for slot, piece in enumerate(pieces[:3]):
            if not piece:
                continue
            try:
                index = int(piece)
            except ValueError:
                raise self.fail(number, f"'{word}' is not a corner of a face") from None
            row = index - 1 if index > 0 else counts[slot] + index
            if index == 0 or not 0 <= row < counts[slot]:
                what = ("vertex", "texture coordinate", "normal")[slot]
                raise self.fail(number, f"a face names {what} {index}, but {counts[slot]} are known there")
            result[slot] = row
        if result[0] < 0:
            raise self.fail(number, f"'{word}' names no vertex")
        return result[0], result[1], result[2]

    def finish(self) -> RawFaces:
        corners, owners = self.corners.all(), self.owners.all()
        # A row of NaN at the end stands for "the file gives none", which is what index -1 picks.
        uv = self.uvs.all(np.full((1, 2), np.nan))
        normals = self.normals.all(np.full((1, 3), np.nan))
        warnings = [f"{self.name} line {number}: '{word}' is not part of the format and was passed over."
                    for word, number in self.strange.items()]  # fmt: skip
        if self.short_faces:
            warnings.append(
                tr("{short_faces} face(s) with fewer than three corners were left out.", short_faces=self.short_faces)
            )
        if not len(self.points) and self.strange:
            raise ModelError(
                tr(
                    "{name} is not an OBJ file: line {min} reads like something else. Choose an OBJ, GLB, glTF, "
                    "PLY or STL file.",
                    name=self.name,
                    min=min(self.strange.values()),
                )
            )
        return RawFaces(
            name=self.name,
            positions=self.points.all(),
            sizes=self.sizes.all()[:, 0],
            vertices=corners[:, 0],
            uv=uv[corners[:, 1]],
            normals=normals[corners[:, 2]],
            material=owners[:, 0],
            materials=list(self.materials),
            part=owners[:, 1],
            parts=list(self.parts),
            warnings=warnings,
            corner_colours=self.point_colours(corners[:, 0]),
        )

    def point_colours(self, vertices: I64) -> U8 | None:
        """(N, 4) colours of corners; white where a point has none, None where none has any."""
        if not self.colours:
            return None
        colours = np.ones((len(self.points), 4))
        colours[list(self.colours), :3] = list(self.colours.values())
        colours[~np.isfinite(colours)] = 1.0
        if colours[:, :3].max() > 1.0:  # some write 0 to 255
            colours[:, :3] /= 255.0
        return np.asarray(np.clip(colours * 255 + 0.5, 0, 255), np.uint8)[vertices]
