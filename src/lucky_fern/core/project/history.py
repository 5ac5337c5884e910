"""Undo and redo: the projects that were, each with the name of the edit that led on."""

from lucky_fern.core.project.commands import Command
from lucky_fern.core.project.document import Project


class History:
    """A line of projects with one of them now.

    Projects share all that did not change between them, so a step costs only its difference.
    """

    def __init__(self, project: Project) -> None:
        self._past: list[tuple[str, Project]] = []
        self._future: list[tuple[str, Project]] = []
        self._last: Command | None = None
        self.now = project

    @property
    def undo_label(self) -> str | None:
        """Name of the edit that undo would take back."""
        return self._past[-1][0] if self._past else None

    @property
    def redo_label(self) -> str | None:
        return self._future[-1][0] if self._future else None

    def execute(self, command: Command, merge: bool = False) -> Project:
        """Apply a command. With ``merge``, an edit that goes on with the last one stays one step."""
        after = command.apply(self.now)
        if after == self.now:
            return self.now
        if not (merge and self._last is not None and self._past and command.merges_with(self._last)):
            self._past.append((command.label, self.now))
        self._last = command
        self._future.clear()
        self.now = after
        return after

    def undo(self) -> Project:
        if self._past:
            label, before = self._past.pop()
            self._future.append((label, self.now))
            self.now, self._last = before, None
        return self.now

    def redo(self) -> Project:
        if self._future:
            label, after = self._future.pop()
            self._past.append((label, self.now))
            self.now, self._last = after, None
        return self.now

    def seal(self) -> None:
        """End a gesture: the next edit is a step of its own even if it would go on with the last."""
        self._last = None
