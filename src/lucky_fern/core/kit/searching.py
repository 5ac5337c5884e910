"""Finding pictures: by words of their names, tags, folders and kinds, and by colour."""

from __future__ import annotations

from dataclasses import dataclass

from lucky_fern.core.kit.colours import has_colour, is_colour
from lucky_fern.core.pictures.picture import is_drawing
from lucky_fern.core.project.document import KitPicture
from lucky_fern.words import tr


@dataclass(frozen=True)
class Card:
    """What is known of a picture at hand, wherever it lies."""

    name: str
    tags: tuple[str, ...] = ()
    folder: str = ""
    favourite: bool = False
    kinds: tuple[str, ...] = ()
    colours: tuple[str, ...] = ()


def card_of(name: str, kit: KitPicture, colours: tuple[str, ...] = ()) -> Card:
    """The card of a picture of a project's kit."""
    return Card(name, kit.tags, kit.folder, kit.favourite, kinds_of(kit), colours)


def kinds_of(kit: KitPicture) -> tuple[str, ...]:
    """What a picture is, in words that a search knows."""
    told = (
        (kit.text is not None, tr("label")),
        (kit.figure is not None, tr("figure")),
        (is_drawing(kit.name) and kit.figure is None, tr("drawing")),
        (kit.prepared is not None, tr("made ready")),
        (kit.covers, tr("coverage")),
        (kit.taken == "data", tr("data")),
    )
    found = tuple(word for holds, word in told if holds)
    plain = kit.text is None and kit.figure is None and not is_drawing(kit.name)
    return (*found, tr("picture")) if plain else found


def matches(card: Card, asked: str) -> bool:
    """Whether a picture answers to all words that are asked for.

    A word is looked for in names, tags, folders and kinds; ``#rrggbb`` and plain names of colours in what it shows,
    too. ``tag:``, ``in:`` and ``kind:`` before a word say where to look, ``*`` asks for favourites; ``-`` before a
    word leaves out what answers to it.
    """
    return all(_answers(card, word) for word in asked.lower().split())


def _answers(card: Card, word: str) -> bool:
    if word.startswith("-") and len(word) > 1:
        return not _answers(card, word[1:])
    if word == "*":
        return card.favourite
    where, _, rest = word.partition(":")
    if rest:
        if where == "tag":
            return any(rest in tag for tag in card.tags)
        if where == "in":
            return rest in card.folder.lower()
        if where == "kind":
            return any(rest in kind for kind in card.kinds)
    texts = (card.name.lower(), card.folder.lower(), *card.tags, *card.kinds)
    if any(word in text for text in texts):
        return True
    return is_colour(word) and has_colour(card.colours, word)
