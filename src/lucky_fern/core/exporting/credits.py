"""Whose pictures a project uses, under which licence, and where they come from."""

from __future__ import annotations

from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.document import KitPicture, Project
from lucky_fern.core.project.references import layer_refers
from lucky_fern.words import tr

CREDITS = "CREDITS.txt"


def used_pictures(project: Project) -> list[str]:
    """The kit's pictures that layers and masks show, in the order of the kit."""
    used: set[str] = set()
    for layer in project.walk():
        used |= layer_refers(project, layer).pictures
    return [name for name in project.pictures if name in used]


def unlicensed(project: Project) -> list[str]:
    """Names of used pictures (drawn ones aside) that carry no licence."""
    return [
        project.pictures[name].name
        for name in used_pictures(project)
        if not _own(project.pictures[name]) and not project.pictures[name].licence
    ]


def credits_text(project: Project, blobs: Blobs | None = None) -> str:
    """What :data:`CREDITS` holds; empty where no used picture carries anything of that kind.

    With ``blobs`` the licence files that pictures came with stand at the end, each once.
    """
    lines = []
    kits = [project.pictures[name] for name in used_pictures(project)]
    for kit in kits:
        if kit.author or kit.licence or kit.source:
            lines.append(kit.name)
            lines += [f"  {what}: {said}" for what, said in
                      (("author", kit.author), ("licence", kit.licence), ("source", kit.source)) if said]  # fmt: skip
    if not lines:
        return ""
    without = [kit.name for kit in kits if not _own(kit) and not kit.licence]
    if without:
        lines += ["", tr("Without a licence: ") + ", ".join(without)]
    for terms in dict.fromkeys(kit.terms for kit in kits if kit.terms):
        if blobs is None:
            break
        names = ", ".join(kit.name for kit in kits if kit.terms == terms)
        lines += ["", tr("Licence of {names}:", names=names), "", blobs[terms].decode("utf-8", "replace").strip()]
    return "\n".join([tr("Pictures used by {name}", name=project.name), "", *lines, ""])


def _own(kit: KitPicture) -> bool:
    """Whether it was drawn here: a label or a figure."""
    return kit.text is not None or kit.figure is not None
