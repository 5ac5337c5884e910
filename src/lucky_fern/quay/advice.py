"""What the quay says: what is read wrongly, why files look other than what was painted, how to read each of them."""

from __future__ import annotations

from collections.abc import Mapping

from lucky_fern.core.arrays import U8
from lucky_fern.core.exporting.numbers import numbers_text
from lucky_fern.core.project.light import Numbers
from lucky_fern.core.project.presets import PRESETS, MapFile, Pick
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.quay.cargo import Cargo, Maps, maps_of
from lucky_fern.quay.unpacking import is_normal
from lucky_fern.words import tr

_ART = 128  # texels; larger sheets are hardly pixel art
NOTES = "IMPORT-NOTES.txt"
_BUILT_IN = {file for preset in PRESETS.values() for file in preset.files}
_COLOURS = ("red", "green", "blue")
_LOSSY = {".jpeg": "JPEG", ".jpg": "JPEG", ".dds": tr("DDS in blocks"), ".webp": "WebP"}


def read_wrongly(cargo: Cargo) -> list[str]:
    """What is read otherwise than it was written, and what that does."""
    found = []
    for word, crate in cargo.kinds.items():
        if not crate.right:
            taken = tr("linear: it looks pale") if crate.file.encoded else tr("sRGB: its numbers are bent")
            found.append(tr("{word} is read as {taken}.", word=word, taken=taken))
        if crate.flipped != crate.down:
            found.append(tr("The green of the normals is the wrong way round: dents look like bumps."))
    return found


def why_other(cargo: Cargo, painted: Maps) -> list[str]:
    """Why files that are read rightly may look other than what was painted."""
    found, shown = [], maps_of(cargo.rightly())
    lacking = {name for key, maps in painted.items() for name in maps if name not in shown.get(key, {})}
    lacking -= {"height"}  # neither side shows it
    if lacking:
        found.append(tr("No file holds {sorted}.", sorted=" or ".join(sorted(lacking))))
    for key, maps in painted.items():
        have, wanted = _size(shown.get(key, {})), _size(maps)
        if have.texels < wanted.texels and key in shown:
            found.append(
                tr("Files of {key} have {have} texels, the sheet {wanted}.", key=key, have=have, wanted=wanted)
            )
            break
    lossy = sorted({_LOSSY[one.path.suffix.lower()] for one in cargo.crates if one.path.suffix.lower() in _LOSSY})
    if lossy:
        found.append(tr("{lossy} leaves out some of it.", lossy=" and ".join(lossy)))
    if not found:
        found.append(tr("The files are older than what is painted now: export again."))
    return found


def _size(maps: Mapping[str, U8]) -> Extent:
    sizes = (Extent(*pixels.shape[1::-1]) for pixels in maps.values())
    return max(sizes, key=lambda size: size.texels, default=Extent(0, 0))


def import_notes(cargo: Cargo, numbers: Mapping[str, Numbers] | None = None) -> str:
    """How a game must read each kind of file, in words; and the material ``numbers`` of games that take those."""
    lines = [tr("How these files are to be read"), ""]
    for word in dict.fromkeys(crate.word for crate in cargo.crates):
        mine = [crate for crate in cargo.crates if crate.word == word]
        file = mine[0].file
        how = tr("colours, sRGB") if file.encoded else tr("plain numbers, linear (not sRGB)")
        if file.encoded and mine[0].path.suffix.lower() == ".exr":
            how = tr("colours as light: floats, linear (not sRGB)")
        lines.append(f"{word}: {how}. {_ABOUT[word] if file in _BUILT_IN else _told(file)}")
        if any(pick.of == "normal" for pick in file.channels):
            where = "down (−Y)" if mine[0].down else "up (+Y)"
            lines.append(
                tr(
                    "  Green points {where}; if dents look like bumps, turn the game's green channel over.",
                    where=where,
                )
            )
            if is_normal(file) and mine[0].path.suffix.lower() == ".dds":
                lines.append(tr("  Red and green only, in blocks (BC5): blue is what makes the length 1."))
        if file.alpha is not None and file.blend not in (None, "straight"):
            lines.append(tr("  Its alpha is {blend}.", blend=file.blend))
        lines += [f"  {crate.path.name}" for crate in mine]
    art = [str(key) for key in cargo.surface.keys if key in cargo.pixel_art]
    if len(art) < len(cargo.surface.keys):
        lines += ["", tr("Filtering: smooth. Mips: on. Wrapping: clamp to the edge.")]
    if art:
        lines += [
            "", tr("Pixel art: {art}.", art=", ".join(art)),
            tr("  Filtering: nearest (point). Mips: off. Compression: none, or texels bleed into each other."),
            tr("  Wrapping: repeat where UVs leave the tile, else clamp. No resizing when it is imported."),
        ]  # fmt: skip
    elif _small(cargo):
        lines += [tr("Is it pixel art? Then: nearest filtering, mips off.")]
    lines += numbers_text(numbers or {})
    lines.append("")
    return "\n".join(lines)


def _small(cargo: Cargo) -> bool:
    """Whether all sheets are as small as pixel art is."""
    return all(_size(maps).longest <= _ART for maps in maps_of(cargo).values())


def _told(file: MapFile) -> str:
    """What lies in each channel of a file of one's own."""
    if len({pick.of for pick in file.channels}) == 1 and len(file.channels) > 1:
        words = [f"Holds {file.channels[0].of}"]
    elif len(file.channels) == 1:
        words = [f"Holds {_pick(file.channels[0])}"]
    else:
        words = [f"{colour} is {_pick(pick)}" for colour, pick in zip(_COLOURS, file.channels, strict=True)]
    if file.alpha is not None:
        words.append(tr("alpha is {pick}", pick=_pick(file.alpha)))
    text = ", ".join(words)
    return f"{text[0].upper()}{text[1:]}."


def _pick(pick: Pick) -> str:
    if not pick.of:
        return f"{pick.value:g} throughout"
    text = tr("{of}, turned over", of=pick.of) if pick.invert else pick.of
    text = text if pick.gamma == 1 else f"{text}, gamma {pick.gamma:g}"
    return (
        text
        if (pick.low, pick.high) == (0.0, 1.0)
        else tr("{words}, from {low:g} to {high:g}", words=text, low=pick.low, high=pick.high)
    )


_ABOUT = {
    "baseColor": tr("The colour of the surface; of metals, that of their shine. Its alpha is the opacity, straight."),
    "metallicRoughness": tr("Green is roughness, blue is metallic, as glTF has it."),
    "metallic": tr("White is metal."),
    "roughness": tr("Black is a mirror; a game that wants gloss needs it turned over."),
    "normal": tr("Tangent space (MikkTSpace)."),
    "height": tr("0.5 is level."),
    "occlusion": tr("White is open to the light."),
    "emissive": tr("What glows, and in which colour; set the game's strength to 1 or above."),
    "orm": tr("Red is occlusion, green is roughness, blue is metallic."),
    "diffuse": tr("The colour of what is no metal; metals are black."),
    "specular": tr("The colour of the shine."),
    "gloss": tr("White is a mirror."),
    "emissiveMask": tr("How strongly it glows, without colour."),
}
