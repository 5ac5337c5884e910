"""Undo and redo: the projects that were, each with the name of the edit that led on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from lucky_fern.core.project.commands import Command
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.references import painted_digests

LIMIT = 1 << 30  # bytes
_STEP = 2048  # what a step costs that adds no pixels: projects share all that did not change


@dataclass(frozen=True)
class Step:
    """One edit: its name, the project after it, and the contents that it brought, with their bytes."""

    title: str
    project: Project
    brought: Mapping[str, int] = field(default_factory=dict)

    @property
    def cost(self) -> int:
        return max(sum(self.brought.values()), _STEP)


class History:
    """A line of projects with one of them now; the oldest go when all cost more than ``limit`` bytes."""

    def __init__(self, project: Project, limit: int = LIMIT) -> None:
        self._steps: list[Step] = [Step("Opened", project)]
        self._at = 0
        self._last: Command | None = None
        self._merged = False  # whether the last step is of several commands
        self.limit = limit
        self.forgotten = 0  # steps dropped so far
        self.spare = 0  # bytes that gestures brought on their way and that nothing shows any more

    @classmethod
    def restored(cls, steps: Sequence[Step], at: int) -> History:
        """A history as it was: all its steps, with the one that is now."""
        made = cls(steps[0].project)
        made._steps, made._at = list(steps), at
        return made

    @property
    def steps(self) -> tuple[Step, ...]:
        """All steps, oldest first."""
        return tuple(self._steps)

    @property
    def now(self) -> Project:
        return self._steps[self._at].project

    @property
    def titles(self) -> list[str]:
        """Names of all steps, oldest first; the first one is where the history begins."""
        return [step.title for step in self._steps]

    @property
    def at(self) -> int:
        """Which of the steps is now."""
        return self._at

    @property
    def cost(self) -> int:
        """Bytes of pixels and steps that are kept for undo and redo."""
        return sum(step.cost for step in self._steps)

    @property
    def undo_label(self) -> str | None:
        """Name of the edit that undo would take back."""
        return self._steps[self._at].title if self._at else None

    @property
    def redo_label(self) -> str | None:
        return self._steps[self._at + 1].title if self._at + 1 < len(self._steps) else None

    def projects(self) -> list[Project]:
        """All projects that undo and redo can bring back."""
        return [step.project for step in self._steps]

    def execute(self, command: Command, merge: bool = False, brought: Mapping[str, int] | None = None) -> Project:
        """Apply a command that ``brought`` contents (digest → bytes).

        With ``merge``, an edit that goes on with the last one stays one step.
        """
        after = command.apply(self.now)
        if after == self.now:
            return self.now
        goes_on = merge and self._last is not None and self._at > 0 and command.merges_with(self._last)
        del self._steps[self._at + 1 :]
        new = dict(brought or {})
        if goes_on:
            new = {**self._steps.pop().brought, **new}
            self._merged = True
        else:
            self._settle()
        self._steps.append(Step(command.title, after, new))
        self._at = len(self._steps) - 1
        self._last = command
        self._forget()
        return after

    def _settle(self) -> None:
        """Count of the last step only what it still shows, not what it brought while a gesture went on."""
        step = self._steps[-1]
        if self._merged:
            self._merged = False
            shown = painted_digests(step.project)
            left = {digest: size for digest, size in step.brought.items() if digest in shown}
            if left and len(left) < len(step.brought):
                self.spare += sum(step.brought.values()) - sum(left.values())
                self._steps[-1] = replace(step, brought=left)

    def _forget(self) -> None:
        spent = self.cost
        while spent > self.limit and self._at > 0 and len(self._steps) > 2:
            spent -= self._steps.pop(0).cost
            self._at -= 1
            self.forgotten += 1

    def undo(self) -> Project:
        return self.jump(self._at - 1)

    def redo(self) -> Project:
        return self.jump(self._at + 1)

    def jump(self, at: int) -> Project:
        """Go to any step of the line."""
        if 0 <= at < len(self._steps):
            self._at, self._last = at, None
        return self.now

    def seal(self) -> None:
        """End a gesture: the next edit is a step of its own even if it would go on with the last."""
        self._settle()
        self._last = None
