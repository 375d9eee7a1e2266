"""Undo and redo: a list of Projects that share what did not change."""

from collections.abc import Callable

from epiphane.document.project import Project


class History:
    """The present Project with everything before and after it.

    Parameters
    ----------
    project : Project
        Where history begins; it cannot be undone.
    """

    def __init__(self, project: Project) -> None:
        self._past: list[tuple[str, Project]] = []
        self._future: list[tuple[str, Project]] = []
        self._gesture: str | None = None
        self.present = project

    def record(self, project: Project, label: str, *, gesture: str | None = None) -> None:
        """Make `project` the present; `label` says what was done, for "Undo …".

        Edits in a row with the same `gesture` (one drag of the mouse) are one step.
        """
        if project is self.present or project == self.present:
            return
        if gesture is None or gesture != self._gesture:
            self._past.append((label, self.present))
        self._gesture = gesture
        self._future.clear()
        self.present = project

    def apply_everywhere(self, edit: Callable[[Project], Project]) -> None:
        """Apply a fact that was found in the background to the present and to every other state."""
        self.present = edit(self.present)
        self._past = [(label, edit(project)) for label, project in self._past]
        self._future = [(label, edit(project)) for label, project in self._future]

    def give_up_gesture(self) -> None:
        """Go back to before the gesture that goes on, if it has changed anything; it cannot be redone."""
        if self._gesture is not None and self._past:
            self.present = self._past.pop()[1]
        self._gesture = None

    def end_gesture(self) -> None:
        """Let the next edit be a step of its own."""
        self._gesture = None

    @property
    def undo_label(self) -> str | None:
        """What undo would take back, or None."""
        return self._past[-1][0] if self._past else None

    @property
    def redo_label(self) -> str | None:
        """What redo would do again, or None."""
        return self._future[-1][0] if self._future else None

    def undo(self) -> None:
        """Go one step back, if there is one."""
        self._step(self._past, self._future)

    def redo(self) -> None:
        """Go one step forward, if there is one."""
        self._step(self._future, self._past)

    def _step(self, source: list[tuple[str, Project]], target: list[tuple[str, Project]]) -> None:
        self._gesture = None
        if source:
            label, project = source.pop()
            target.append((label, self.present))
            self.present = project
