"""Another picture in the place of one that a layer shows."""

from __future__ import annotations

from lucky_fern.core.project.document import Project
from lucky_fern.core.project.kinds import Content, altered


def with_picture(project: Project, content: Content, picture: str) -> Content:
    """A layer's content with another kit picture (or sequence); its pixels are square where they were."""
    placed = content.placed
    made = altered(content, picture=picture)
    if placed is None:
        return made
    name, place = placed
    fits = place.for_picture(project.size_of, project.picture_size(name), project.picture_size(picture))
    return made if fits is place else made.put_at(fits)
