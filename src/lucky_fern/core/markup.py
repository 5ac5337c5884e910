"""What documents in XML may not be, whoever reads them."""

from __future__ import annotations

from xml.parsers import expat

from lucky_fern.words import tr


def check_markup(data: bytes, deepest: int) -> None:
    """Refuse a document nested so deeply that what reads it would end, or that declares entities of its own.

    Raises
    ------
    ValueError
        With a sentence about the document.
    xml.parsers.expat.ExpatError
        If it is no XML.
    """
    depth = 0

    def start(tag: str, attributes: object) -> None:
        nonlocal depth
        depth += 1
        if depth > deepest:
            raise ValueError(tr("its elements are nested more than {deepest} deep", deepest=deepest))

    def end(tag: str) -> None:
        nonlocal depth
        depth -= 1

    def entity(*_: object) -> None:
        raise ValueError(tr("it declares entities of its own"))

    parser = expat.ParserCreate()
    parser.StartElementHandler, parser.EndElementHandler, parser.EntityDeclHandler = start, end, entity
    parser.Parse(data, True)
