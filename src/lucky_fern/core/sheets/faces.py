"""Sets of triangles as short text: what selections, scopes and layout edits name them by."""

from __future__ import annotations

import base64
import binascii
import zlib

import numpy as np

from lucky_fern.core.arrays import Bool
from lucky_fern.core.errors import CommandError
from lucky_fern.words import tr


def pack_faces(chosen: Bool) -> str:
    """(T,) bool as text; equal sets give equal text."""
    bits = np.packbits(np.ascontiguousarray(chosen, np.bool_)).tobytes()
    return f"{len(chosen)}:{base64.b64encode(zlib.compress(bits, 9)).decode('ascii')}"


def unpack_faces(text: str, count: int) -> Bool:
    """(T,) bool that :func:`pack_faces` was given; ``count`` is how many triangles the model has.

    Raises
    ------
    CommandError
        If the text is damaged or speaks of another model.
    """
    head, _, body = text.partition(":")
    try:
        raw = zlib.decompress(base64.b64decode(body, validate=True))
        bits = np.unpackbits(np.frombuffer(raw, np.uint8))
        if int(head) != count or len(bits) < count:
            raise CommandError(
                tr(
                    "this selection is of a model with {head} triangles, and this one has {count}",
                    head=head,
                    count=count,
                )
            )
    except (ValueError, binascii.Error, zlib.error) as error:
        raise CommandError(tr("this selection is damaged; select the faces again")) from error
    return bits[:count].astype(np.bool_)
